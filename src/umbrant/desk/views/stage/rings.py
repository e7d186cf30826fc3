"""The circles that a row's ranges make on the stage. Knows nothing of Qt."""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field

from umbrant.catalog.kind import ROWS, Catalog, Family, Kind
from umbrant.catalog.language.check import bound_args
from umbrant.catalog.language.phrases import spoken
from umbrant.catalog.language.tree import (
    Comparison,
    ConditionTree,
    KeyTerm,
    LanguageError,
    NumberTerm,
    SenseCall,
    atoms,
    parse,
    walk,
)
from umbrant.catalog.params import ParamType
from umbrant.model.behaviors import Row
from umbrant.model.values import KeyRef, ParamValue, PlaceRef, Point, Value

Values = Mapping[str, Value | None]
PlaceOf = Callable[[str], Point | None]


@dataclass(frozen=True)
class Ring:
    """A range on the stage, in metres."""

    centre: Point
    radius_m: float
    means: str = field(default="", compare=False)
    """What it is the range of, in words."""
    name: str = field(default="", compare=False)
    """What is written at it; empty for nothing."""


def rings(
    row: Row, catalog: Catalog, values: Values, here: Point, place_of: PlaceOf
) -> Iterator[Ring]:
    """The ranges of a row's parameters and of the conditions in it, around the
    agent or around its target.
    """
    kind = catalog.get(row.kind, *ROWS)
    if kind is not None:
        target = target_of(kind, row.args, values, place_of)
        for param in kind.params:
            given = row.args.get(param.name, param.default)
            radius = (
                values.get(given.key) if isinstance(given, KeyRef) else given
            )
            centre = {"me": here, "target": target}.get(param.quantity.ring)
            if centre is not None and isinstance(radius, int | float):
                yield Ring(
                    centre,
                    float(radius),
                    f"{param.label} of {row.name or row.kind}",
                )
    for when in conditions_of(row, kind):
        yield from condition_rings(when, catalog, values, here)


def conditions_of(row: Row, kind: Kind | None) -> Iterator[str]:
    """The guard of a row, and the conditions among what it is given."""
    if row.guard:
        yield row.guard.when
    for param in kind.params if kind else ():
        value = row.args.get(param.name)
        if param.type is ParamType.CONDITION and isinstance(value, str):
            yield value


def condition_rings(
    when: str, catalog: Catalog, values: Values, here: Point, name: str = ""
) -> Iterator[Ring]:
    """The ranges that a condition asks about: `can_see(visitor, within=8)`,
    `distance(lamp) < near`, also those that stand in keys. `name` is written
    at them.
    """
    try:
        tree = parse(when)
    except LanguageError:
        return
    for part in walk(tree):
        kind = None
        if isinstance(part, SenseCall):
            kind = catalog.get(part.sense, Family.SENSE)
        if kind is None or not isinstance(part, SenseCall):
            continue
        for given, value in bound_args(part, kind).items():
            param = kind.param(given)
            radius = _number(value, values)
            if (
                param is not None
                and param.quantity.ring == "me"
                and radius is not None
            ):
                yield Ring(here, radius, spoken(part, catalog), name)
    for atom in atoms(tree):
        radius = _distance_bound(atom, values)
        if radius is not None:
            yield Ring(here, radius, spoken(atom, catalog), name)


def _distance_bound(atom: ConditionTree, values: Values) -> float | None:
    if not isinstance(atom, Comparison):
        return None
    asks = isinstance(atom.left, SenseCall) and atom.left.sense == "distance"
    if asks:
        return _number(atom.right, values)
    return None


def _number(term: object, values: Values) -> float | None:
    """The number that a term stands for; None where it is none, or nobody
    knows it.
    """
    if isinstance(term, NumberTerm):
        return term.value
    found = None
    if isinstance(term, KeyTerm):
        found = values.get(term.key)
    if isinstance(found, int | float) and not isinstance(found, bool):
        return float(found)
    return None


def target_of(
    kind: Kind,
    args: Mapping[str, ParamValue],
    values: Values,
    place_of: PlaceOf,
) -> Point | None:
    """Where what a row is about is, by its first parameter that is somewhere;
    None without one.
    """
    for param in kind.params:
        if param.type not in (
            ParamType.PLACE,
            ParamType.AGENT,
            ParamType.PROP,
        ):
            continue
        given: object = args.get(param.name)
        if isinstance(given, KeyRef):
            given = values.get(given.key)
        if isinstance(given, PlaceRef):
            given = given.place
        if isinstance(given, tuple):
            return given
        if isinstance(given, str):
            return place_of(given)
        return None
    return None
