"""Which keys, events and names a row uses: what the setting counts and the
review goes by.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import NamedTuple

from umbrant.catalog.kind import ROWS, Catalog, Family, Kind
from umbrant.catalog.language.tree import (
    Arithmetic,
    Comparison,
    ConditionTree,
    Conjunction,
    Disjunction,
    KeyTerm,
    LanguageError,
    Negation,
    SenseCall,
    parse,
)
from umbrant.catalog.params import Param, ParamType
from umbrant.model.behaviors import Row
from umbrant.model.kind_ids import IS_SET
from umbrant.model.parts import GUARD, ROW, part_name
from umbrant.model.values import KeyRef, ParamValue


class ParamUse(NamedTuple):
    """A value that a row or one of its parts gives to a parameter."""

    part: str
    kind: Kind
    param: Param
    value: ParamValue


@dataclass(frozen=True)
class KeyReferences:
    """The keys that a row reads and writes."""

    reads: frozenset[str]
    writes: frozenset[str]


def param_uses(row: Row, catalog: Catalog) -> Iterator[ParamUse]:
    """All that was filled in on a row, its decorators and its upkeep; of kinds
    that are known.
    """
    parts: list[tuple[str, str, dict[str, ParamValue], tuple[Family, ...]]] = [
        (ROW, row.kind, row.args, ROWS)
    ]
    parts.extend(
        (
            part_name("decorator", index),
            each.kind,
            each.args,
            (Family.DECORATOR,),
        )
        for index, each in enumerate(row.decorators)
    )
    parts.extend(
        (
            part_name("upkeep", index),
            each.kind,
            each.args,
            (Family.ACTION, Family.CONDITION),
        )
        for index, each in enumerate(row.upkeep)
    )
    for part, name, args, families in parts:
        kind = catalog.get(name, *families)
        for param in kind.params if kind else ():
            if kind is not None and param.name in args:
                yield ParamUse(part, kind, param, args[param.name])


def conditions(
    row: Row, catalog: Catalog
) -> Iterator[tuple[str, ConditionTree]]:
    """The conditions and formulas on a row that can be read, with the parts
    they stand in.
    """
    if row.guard:
        yield from _parsed(GUARD, row.guard.when)
    for each in param_uses(row, catalog):
        if each.param.type in (
            ParamType.CONDITION,
            ParamType.FORMULA,
        ) and isinstance(each.value, str):
            yield from _parsed(each.part, each.value)


def conditions_by_part(row: Row, catalog: Catalog) -> dict[str, str]:
    """The conditions of a row as they are written, by the parts that they stand
    in: a part has one at most.
    """
    found = {GUARD: row.guard.when} if row.guard else {}
    for each in param_uses(row, catalog):
        if each.param.type is ParamType.CONDITION and isinstance(
            each.value, str
        ):
            found[each.part] = each.value
    return found


def key_references(row: Row, catalog: Catalog) -> KeyReferences:
    """The keys that a row reads and writes."""
    reads = {
        name for _, tree in conditions(row, catalog) for name in keys_in(tree)
    }
    writes: set[str] = set()
    for each in param_uses(row, catalog):
        if isinstance(each.value, KeyRef):
            (writes if each.param.writes else reads).add(each.value.key)
    reads.update(to.key for to in row.binds.values() if isinstance(to, KeyRef))
    # What is bound may be written by the behavior that is used, which is not
    # looked into here.
    writes.update(
        to.key for to in row.binds.values() if isinstance(to, KeyRef)
    )
    return KeyReferences(frozenset(reads), frozenset(writes))


def keys_in(tree: ConditionTree) -> set[str]:
    """The keys that a condition names."""
    return {each.key for each in walk(tree) if isinstance(each, KeyTerm)}


def keys_needed(
    tree: ConditionTree, catalog: Catalog, *, is_turned: bool = False
) -> frozenset[str]:
    """The keys each of which makes a condition no as long as it has no value;
    with `is_turned`, those that make its negation no. There may be more.

    What is unknown stays so through a comparison and `not`. Only `is_set`
    knows an answer without a value, and senses of a project's own may.
    """
    match tree:
        case Negation(part=part):
            return keys_needed(part, catalog, is_turned=not is_turned)
        case Conjunction(parts=parts) | Disjunction(parts=parts):
            needed = [
                keys_needed(each, catalog, is_turned=is_turned)
                for each in parts
            ]
            if isinstance(tree, Conjunction) is is_turned:
                return frozenset.intersection(*needed)
            return frozenset[str]().union(*needed)
        case SenseCall(sense=sense) if sense == IS_SET and not is_turned:
            return frozenset(keys_in(tree))
        case _:
            return frozenset(_keys_of_value(tree, catalog))


def _keys_of_value(tree: object, catalog: Catalog) -> Iterator[str]:
    """The keys without which a value or a comparison is unknown."""
    match tree:
        case KeyTerm(key=key):
            yield key
        case SenseCall(sense=sense, args=args, named=named):
            kind = catalog.get(sense, Family.SENSE)
            if sense != IS_SET and kind is not None and not kind.own:
                for each in (*args, *(value for _, value in named)):
                    yield from _keys_of_value(each, catalog)
        case (
            Arithmetic(left=left, right=right)
            | Comparison(left=left, right=right)
        ):
            yield from _keys_of_value(left, catalog)
            yield from _keys_of_value(right, catalog)


def sense_calls_in(tree: ConditionTree) -> list[SenseCall]:
    """The senses that a condition asks."""
    return [each for each in walk(tree) if isinstance(each, SenseCall)]


def walk(tree: object) -> Iterator[object]:
    """Yield a tree and every tree nested in it."""
    yield tree
    if isinstance(tree, tuple):
        for each in tree:
            yield from walk(each)
    else:
        for name in getattr(tree, "__dataclass_fields__", ()):
            yield from walk(getattr(tree, name))


def _parsed(part: str, text: str) -> Iterator[tuple[str, ConditionTree]]:
    try:
        yield part, parse(text)
    except LanguageError:
        return
