"""The circles that a row's ranges make on the stage. Knows nothing of Qt."""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass

from umbrant.catalog.declare import ROWS, Catalog, Family, Kind, ParamType
from umbrant.catalog.language.check import bound_args
from umbrant.catalog.language.tree import (
    Comparison,
    ConditionTree,
    LanguageError,
    NumberTerm,
    SenseCall,
    atoms,
    parse,
    walk,
)
from umbrant.model.behaviors import Row
from umbrant.model.values import KeyRef, ParamValue, PlaceRef, Point, Value

Values = Mapping[str, Value | None]
PlaceOf = Callable[[str], Point | None]


@dataclass(frozen=True)
class Ring:
    """A range on the stage, in metres."""

    centre: Point
    radius_m: float


def rings(
    row: Row, catalog: Catalog, values: Values, here: Point, place_of: PlaceOf
) -> Iterator[Ring]:
    """The ranges of a row's parameters and of the conditions in it, around the agent or around its
    target.
    """
    kind = catalog.get(row.kind, *ROWS)
    if kind is not None:
        target = _target(kind, row.args, values, place_of)
        for param in kind.params:
            given = row.args.get(param.name, param.default)
            radius = values.get(given.key) if isinstance(given, KeyRef) else given
            centre = {"me": here, "target": target}.get(param.quantity.ring)
            if centre is not None and isinstance(radius, int | float):
                yield Ring(centre, float(radius))
    for when in _conditions(row, kind):
        yield from _condition_rings(when, catalog, here)


def _conditions(row: Row, kind: Kind | None) -> Iterator[str]:
    if row.guard:
        yield row.guard.when
    for param in kind.params if kind else ():
        value = row.args.get(param.name)
        if param.type is ParamType.CONDITION and isinstance(value, str):
            yield value


def _condition_rings(when: str, catalog: Catalog, here: Point) -> Iterator[Ring]:
    """The ranges that a condition asks about: `can_see(visitor, within=8)`, `distance(lamp) <
    1.5`.
    """
    try:
        tree = parse(when)
    except LanguageError:
        return
    for part in walk(tree):
        kind = catalog.get(part.sense, Family.SENSE) if isinstance(part, SenseCall) else None
        if kind is None or not isinstance(part, SenseCall):
            continue
        for name, value in bound_args(part, kind).items():
            param = kind.param(name)
            if param is not None and param.quantity.ring == "me" and isinstance(value, NumberTerm):
                yield Ring(here, value.value)
    for atom in atoms(tree):
        radius = _distance_bound(atom)
        if radius is not None:
            yield Ring(here, radius)


def _distance_bound(atom: ConditionTree) -> float | None:
    if not isinstance(atom, Comparison) or not isinstance(atom.right, NumberTerm):
        return None
    return (
        atom.right.value
        if isinstance(atom.left, SenseCall) and atom.left.sense == "distance"
        else None
    )


def _target(
    kind: Kind, args: Mapping[str, ParamValue], values: Values, place_of: PlaceOf
) -> Point | None:
    for param in kind.params:
        if param.type not in (ParamType.PLACE, ParamType.AGENT, ParamType.PROP):
            continue
        given: object = args.get(param.name)
        if isinstance(given, KeyRef):
            given = values.get(given.key)
        if isinstance(given, PlaceRef):
            given = given.place
        if isinstance(given, tuple):
            return given
        return place_of(given) if isinstance(given, str) else None
    return None
