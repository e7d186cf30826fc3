"""The number that makes a border of a decision map, and what it would have to
be for the border to run through another place.

That is known where the border's condition compares an input of the map, or how
far somebody is whom the map moves, with a number that is written in it.
"""

import math

from umbrant.catalog.kind import Catalog, Family
from umbrant.catalog.language.check import bound_args
from umbrant.catalog.language.tree import (
    Comparison,
    ConditionTree,
    KeyTerm,
    LanguageError,
    NumberTerm,
    SenseCall,
    TextTerm,
    atoms,
    parse,
    source,
    walk,
)
from umbrant.mapping.axes import MapAxis, MapSubject, PlaceAxis
from umbrant.model.documents import Project
from umbrant.model.parts import GUARD
from umbrant.model.values import Document, Point
from umbrant.nearest.places import ConditionNumber
from umbrant.reasons.decision_changes import behavior_of

Axes = tuple[MapAxis, MapAxis]
DIGITS = 2
"""How many digits after the point a number has that a border is dragged to."""


class BorderNumber(Document):
    """A number in a condition, and how the border that it makes runs over the
    map.
    """

    place: ConditionNumber
    value: float
    """What it is in the take."""
    axis: int | None = None
    """The axis, 0 across and 1 up, along which it lies: the border is a
    straight line.
    """
    centre: Point | None = None
    """The place from which it is measured: the border is a circle."""

    def at(self, values: tuple[float, float]) -> float:
        """What the number would be if the border ran through these values."""
        if self.axis is not None:
            return round(values[self.axis], DIGITS)
        centre = self.centre or (0.0, 0.0)
        return round(math.dist(values, centre), DIGITS)

    def read(self, project: Project) -> float | None:
        """What the number is in a project; None where there is none at its
        place any more.
        """
        try:
            return self.place.read(project)
        except (LookupError, LanguageError):
            return None


def border_number(
    subject: MapSubject, axes: Axes, row_id: str, part: str, index: int
) -> BorderNumber | None:
    """The number that makes the border of an atom of a row's condition; None
    where no single number does, or the map does not show how far it is.
    """
    behavior = behavior_of(subject.take, subject.agent)
    row = None
    if behavior is not None:
        row = behavior.by_id.get(row_id)
    if row is None:
        return None
    param = "when"
    if part == GUARD:
        param = ""
    when = (
        row.guard.when if part == GUARD and row.guard else row.args.get("when")
    )
    if not isinstance(when, str):
        return None
    try:
        tree = parse(when)
    except LanguageError:
        return None
    found = list(atoms(tree))
    measured = None
    if index < len(found):
        measured = _measured(found[index], subject.catalog)
    if measured is None:
        return None
    what, number = measured
    # A number makes a border that can be dragged only where all places of one
    # value lie on a line that the map can draw.
    line = _line(what, subject, axes)
    if line is None:
        return None
    # A number is told from the others of its condition by its place among
    # them, which an edit of it does not change.
    numbers = sorted(
        (each for each in walk(tree) if isinstance(each, NumberTerm)),
        key=lambda each: each.span,
    )
    scope = subject.take.header.expanded(subject.behavior).key_scope(row_id)
    place = ConditionNumber(
        behavior=scope.behavior,
        row=row_id.rpartition("/")[2],
        part=part,
        param=param,
        index=next(at for at, each in enumerate(numbers) if each is number),
    )
    axis, centre = line
    return BorderNumber(
        place=place, value=number.value, axis=axis, centre=centre
    )


def _measured(
    atom: ConditionTree, catalog: Catalog
) -> tuple[ConditionTree, NumberTerm] | None:
    """What an atom compares with a number, and the number: of a sight within a
    range the distance to who is seen.
    """
    if isinstance(atom, Comparison):
        if isinstance(atom.right, NumberTerm):
            return atom.left, atom.right
        if isinstance(atom.left, NumberTerm):
            return (atom.right, atom.left)
        return None
    kind = None
    if isinstance(atom, SenseCall):
        kind = catalog.get(atom.sense, Family.SENSE)
    if kind is None or not isinstance(atom, SenseCall):
        return None
    given = bound_args(atom, kind)
    target, within = given.get("target"), given.get("within")
    if target is None or not isinstance(within, NumberTerm):
        return None
    return SenseCall("distance", (target,), (), atom.span), within


def _line(
    what: ConditionTree, subject: MapSubject, axes: Axes
) -> tuple[int | None, Point | None] | None:
    """How the places lie for which a value is the same: along an axis, or
    around a point.
    """
    for place, axis in enumerate(axes):
        if source(what) == axis.name:
            return place, None
    whom = _whom(what, subject)
    if whom is None:
        return None
    for place, axis in enumerate(axes):
        if isinstance(axis, PlaceAxis) and (axis.who, axis.along) == (
            whom,
            "distance",
        ):
            return place, None
    # Over the two coordinates of somebody, the places at one distance from the
    # agent are a circle around it.
    along = [
        each.along
        for each in axes
        if isinstance(each, PlaceAxis) and each.who == whom
    ]
    own = subject.place(subject.agent)
    if along == ["x", "y"] and own is not None:
        return (None, own)
    return None


def _whom(what: ConditionTree, subject: MapSubject) -> str | None:
    """Of whom of the cast the distance is asked; None for anything else."""
    if (
        not isinstance(what, SenseCall)
        or what.sense != "distance"
        or len(what.args) != 1
    ):
        return None
    (target,) = what.args
    if isinstance(target, TextTerm):
        return target.value
    if not isinstance(target, KeyTerm):
        return None
    changes = subject.take.agents[subject.agent].keys.get(target.key)
    held = None
    if changes is not None:
        held = changes.at(subject.tick)
    if held is not None and isinstance(held.value, str):
        return held.value
    return None
