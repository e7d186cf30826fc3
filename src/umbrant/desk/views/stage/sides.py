"""The two sides of a condition on the stage: who asks, who is asked about, and
what stands in between. Knows nothing of Qt.
"""

import math
from collections.abc import Iterator
from dataclasses import dataclass

import shapely

from umbrant.catalog.language.tree import (
    KeyTerm,
    LanguageError,
    SenseCall,
    TextTerm,
    parse,
    walk,
)
from umbrant.desk.views.stage.rings import PlaceOf, Values
from umbrant.model.staging import Blocks, Stage
from umbrant.model.values import Point

ASKS_FOR_SIGHT = ("can_see",)
ABOUT_TWO = (*ASKS_FOR_SIGHT, "distance")
"""The senses that are about the agent and somebody or something else."""


@dataclass(frozen=True)
class TwoSides:
    """A line from who asks to who is asked about."""

    here: Point
    there: Point
    blocked_at: Point | None = None
    """Where something in between cuts off the sight that is asked for."""
    blocked_by: str = ""

    @property
    def apart_m(self) -> float:
        """How far apart the two are, in metres."""
        return math.dist(self.here, self.there)

    @property
    def words(self) -> str:
        """What is written at the line."""
        if self.blocked_by:
            return f"{self.apart_m:.2f} m, {self.blocked_by}"
        return f"{self.apart_m:.2f} m"


def two_sides(
    when: str, values: Values, here: Point, place_of: PlaceOf, stage: Stage
) -> Iterator[TwoSides]:
    """The two sides of each sense in a condition that is about the agent and
    something else.
    """
    try:
        tree = parse(when)
    except LanguageError:
        return
    for part in walk(tree):
        if (
            not isinstance(part, SenseCall)
            or part.sense not in ABOUT_TWO
            or len(part.args) != 1
        ):
            continue
        there = _place(part.args[0], values, place_of)
        if there is None or there == here:
            continue
        blocked = None
        if part.sense in ASKS_FOR_SIGHT:
            blocked = _blocked(here, there, stage)
        yield TwoSides(here, there, *(blocked or ()))


def _place(term: object, values: Values, place_of: PlaceOf) -> Point | None:
    """Where what a term names is: somebody, something, or what a key holds."""
    if isinstance(term, TextTerm):
        return place_of(term.value)
    if not isinstance(term, KeyTerm):
        return None
    value = values.get(term.key)
    if isinstance(value, tuple):
        return value
    if isinstance(value, str):
        return place_of(value)
    return place_of(term.key)


def _blocked(
    here: Point, there: Point, stage: Stage
) -> tuple[Point, str] | None:
    """Where the first wall between two points is met, and what it is called."""
    line = shapely.LineString([here, there])
    met: list[tuple[float, Point, str]] = []
    for area in stage.areas:
        if area.blocks is not Blocks.SIGHT_AND_WAY or len(area.corners) < 3:
            continue
        cut = line.intersection(shapely.Polygon(area.corners))
        if cut.length > 0:
            away = cut.distance(shapely.Point(here))
            at = line.interpolate(away)
            met.append((away, (at.x, at.y), area.name))
    first = min(met, default=None)
    if first is not None:
        return (first[1], first[2])
    return None
