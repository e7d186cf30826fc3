"""What can be wrong with where a row stands, what is in it, and what it uses."""

from collections.abc import Iterator, Mapping

from umbrant.catalog.kind import RUNS, Catalog, Family, Kind
from umbrant.catalog.params import ParamType
from umbrant.catalog.validation.boards import value_fits
from umbrant.catalog.validation.checked_behavior import CheckedBehavior
from umbrant.catalog.validation.names import Known
from umbrant.model.behaviors import Row
from umbrant.model.documents import Project
from umbrant.model.expanded import BEHAVIOR, resolve_variant, used_behaviors
from umbrant.model.kind_ids import (
    FINAL,
    HISTORY,
    MACHINE,
    OPTION,
    REGIONS,
    UTILITY,
)
from umbrant.model.parts import GUARD
from umbrant.model.printable import a_or_an
from umbrant.model.problems import DECLARE_KEY, Problem, did_you_mean
from umbrant.model.values import KeyRef, KeyType

_PARTS_ALLOWED: Mapping[Family, tuple[str, ...]] = {
    **dict.fromkeys((*RUNS, Family.OPTION), (GUARD, "decorator", "upkeep")),
    Family.STATE: ("upkeep",),
}
"""What a row of a family may have around it; rows of other families may have
nothing.
"""


def structure_problems(
    checked: CheckedBehavior, row: Row, kind: Kind
) -> Iterator[Problem]:
    """What is wrong with where a row of a known kind stands, and with what is
    in it and around it.
    """
    yield from _nesting(checked, row, kind)
    yield from _parts_allowed(checked, row, kind)
    yield from _structure(checked, row, kind)


def _nesting(
    checked: CheckedBehavior, row: Row, kind: Kind
) -> Iterator[Problem]:
    """Problems of a row that stands under a row that cannot hold it."""
    above = checked.behavior.outline.parent[row.id]
    if above is None:
        if kind.family not in RUNS:
            remedy = f"Nest it in {_holders(checked.catalog, kind.family)}."
            yield checked.at(
                row,
                f"is {a_or_an(kind.family)}, which cannot stand by itself.",
                remedy,
            )
        return
    holder = checked.kind_of(above)
    if holder is None or kind.family in holder.holds:
        return
    if not holder.holds:
        # Told of the row around it: whatever is in it has to go elsewhere.
        yield checked.at(
            checked.behavior.row(above),
            f"is {a_or_an(holder.title)}, which holds no rows.",
            "Move the rows in it elsewhere.",
        )
    else:
        remedy = f"Move it into {_holders(checked.catalog, kind.family)}."
        yield checked.at(
            row,
            f"is {a_or_an(kind.family)}, which cannot stand in {a_or_an(holder.title)}.",
            remedy,
        )


def _parts_allowed(
    checked: CheckedBehavior, row: Row, kind: Kind
) -> Iterator[Problem]:
    if kind.id not in (FINAL, HISTORY):
        allowed = _PARTS_ALLOWED.get(kind.family, ())
    else:
        allowed = ()
    has = {GUARD: row.guard, "decorator": row.decorators, "upkeep": row.upkeep}
    for part, value in has.items():
        if value and part not in allowed:
            yield checked.at(
                row,
                f"is {a_or_an(kind.title)}, which can have no {part}.",
                "Remove it.",
            )


def _structure(
    checked: CheckedBehavior, row: Row, kind: Kind
) -> Iterator[Problem]:
    """What a kind needs of the rows in it."""
    inside = [
        checked.kind_of(child)
        for child in checked.behavior.outline.children[row.id]
    ]
    families = [each.family for each in inside if each is not None]
    if kind.id in (MACHINE, REGIONS) and Family.STATE not in families:
        yield checked.at(
            row,
            f"is {a_or_an(kind.title)} without states.",
            "Add a state to it.",
        )
    above = checked.behavior.outline.parent[row.id]
    yield from _second_target(checked, row, kind)
    if (
        kind.id == HISTORY
        and above is not None
        and checked.is_of(above, "machine")
    ):
        remedy = "Put it, with the states it should go back to, into a state of their own."
        yield checked.at(
            row,
            "is a history of the machine itself, which is never left.",
            remedy,
        )
    if kind.id == UTILITY and Family.OPTION not in families:
        yield checked.at(
            row, "is a utility without options.", "Add an option to it."
        )
    if kind.id == OPTION and bool(row.args.get("among")) != bool(
        row.args.get("target")
    ):
        yield checked.at(
            row,
            "needs both a group and a key to be scored for each of a group.",
            "Fill in the other.",
        )
    if kind.family in (Family.HOOK, Family.TRANSITION):
        for child, found in zip(
            checked.behavior.outline.children[row.id], inside, strict=True
        ):
            if found is not None and found.takes_time:
                remedy = (
                    "Use one that is done at once, or put it into the state."
                )
                message = f"takes time, and what is in {a_or_an(kind.title)} is done at once."
                yield checked.at(checked.behavior.row(child), message, remedy)


def _second_target(
    checked: CheckedBehavior, row: Row, kind: Kind
) -> Iterator[Problem]:
    """A transition to two states: they must be in two regions beside each
    other.
    """
    also, to = str(row.args.get("also") or ""), str(row.args.get("to") or "")
    outline = checked.behavior.outline
    if (
        kind.family is not Family.TRANSITION
        or not also
        or also not in outline.parent
    ):
        return
    if to not in outline.parent:
        yield checked.at(
            row,
            "also leads to a state, and to none at first.",
            "Fill in the first.",
        )
        return
    # The innermost row around both: states that can be active at once are in
    # regions of the same row.
    shared = [each for each in outline.path(to) if each in outline.path(also)]
    if also == to or not shared or not checked.is_of(shared[-1], REGIONS):
        message = (
            "leads to two states that are not in regions beside each other."
        )
        yield checked.at(
            row, message, "Pick a state of another region, or only one."
        )


def use_problems(
    checked: CheckedBehavior, row: Row, known: Known
) -> Iterator[Problem]:
    """A row that uses another behavior: whether that is there, and what its
    keys are bound to.
    """
    name = str(row.args.get(BEHAVIOR, ""))
    inner = checked.project.find_behavior(name)
    if inner is None:
        return
    # Told at each row of the circle, for any of them is where it can be
    # broken.
    if checked.behavior.name in _reaches(checked.project, inner.name):
        yield checked.at(
            row,
            f"uses '{name}', which uses '{checked.behavior.name}' again.",
            "Break the circle.",
        )
        return
    keys = checked.project.keys_of(inner)
    bodies = known[ParamType.AGENT]
    for key_name, value in row.binds.items():
        key = keys.get(key_name)
        if key is None:
            yield checked.at(
                row,
                f"binds `{key_name}`, which '{name}' does not have.",
                did_you_mean(key_name, list(keys), DECLARE_KEY),
            )
        elif isinstance(value, KeyRef):
            outer = checked.keys.get(value.key)
            if outer is None:
                yield checked.at(
                    row,
                    f"`{value.key}` is no key here.",
                    did_you_mean(value.key, list(checked.keys), DECLARE_KEY),
                )
            elif outer.type is not key.type:
                inside, outside = a_or_an(key.type), a_or_an(outer.type)
                message = f"binds `{key_name}`, {inside}, to `{value.key}`, {outside}."
                yield checked.at(row, message, "Pick another key.")
        elif not value_fits(key, value):
            yield checked.at(
                row,
                f"`{key_name}` cannot be {value!r}.",
                checked.key_meant(value, key.type)
                or f"It is {a_or_an(key.type)}.",
            )
        elif (
            key.type in (KeyType.AGENT, KeyType.PROP)
            and isinstance(value, str)
            and value
            # A project without a stage or a scenario may name anything yet.
            and bodies
            and value not in bodies
        ):
            yield checked.at(
                row,
                f"`{key_name}` cannot be '{value}'.",
                checked.key_meant(value, key.type)
                or did_you_mean(value, sorted(bodies)),
            )


def _reaches(project: Project, name: str) -> set[str]:
    """The behaviors that a behavior uses, directly or through others, and
    itself.
    """
    found: set[str] = set()
    waiting = [name]
    known = {each.name for each in project.behaviors}
    while waiting:
        each = waiting.pop()
        if each not in found and each in known:
            found.add(each)
            waiting.extend(
                inner
                for _, inner in used_behaviors(resolve_variant(project, each))
            )
    return found


def _holders(catalog: Catalog, family: Family) -> str:
    return " or ".join(
        a_or_an(kind.title)
        for kind in catalog.kinds.values()
        if family in kind.holds
    )
