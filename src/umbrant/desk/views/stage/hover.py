"""What the stage says of what the mouse rests on, in words."""

import math
from collections.abc import Iterator
from itertools import pairwise
from typing import TYPE_CHECKING

import shapely
from PySide6.QtCore import QPointF, QRectF

from umbrant.desk.views.stage.look import (
    candidates_of,
    events_of,
    noises_of,
    props_now,
    rings_of,
    sides_of,
    way_of,
)
from umbrant.desk.widgets.accessible import AccessiblePart
from umbrant.model.staging import Blocks, Member, Scenario, Stage
from umbrant.model.values import Point

if TYPE_CHECKING:
    from umbrant.desk.views.stage.view import StageView

NEAR, ON_LINE = 11.0, 4.0
"""How near, in pixels, a thing and a line must be to be meant."""
BLOCKS = {
    Blocks.NOTHING: "it is in nobody's way",
    Blocks.WAY: "nobody can walk there",
    Blocks.SIGHT_AND_WAY: "nobody can walk or see through it",
}


def hover_words(
    view: "StageView", stage: Stage, scenario: Scenario, pixel: QPointF
) -> str:
    """The words for the nearest body, thing, place, ring or area at a pixel;
    empty for none.
    """
    bodies = [
        (found[0], _of_body(view, member))
        for member in scenario.players
        if (found := view.place_of(member.name)) is not None
    ]
    groups = {
        prop.name: f" · of the group {prop.group}"
        for prop in stage.props
        if prop.group
    }
    things = [
        (at, f"{name}{groups.get(name, '')} · level {level:.2f}")
        for name, at, level in props_now(view, stage)
    ]
    places = [(place.at, f"{place.name} · a place") for place in stage.places]
    for shown in (bodies, things, places):
        near = [
            (_apart(view.to_pixels(at), pixel), words) for at, words in shown
        ]
        best = min(near, key=lambda each: each[0], default=None)
        if best is not None and best[0] <= NEAR:
            return best[1]
    for away, words in _lines(view, pixel):
        if away <= ON_LINE:
            return words
    x, y = view.to_stage(pixel, 3)
    for area in stage.areas:
        if len(area.corners) > 2 and shapely.Polygon(area.corners).contains(
            shapely.Point(x, y)
        ):
            return f"{area.name} · {BLOCKS[area.blocks]}"
    return ""


def _lines(view: "StageView", pixel: QPointF) -> Iterator[tuple[float, str]]:
    """The events, ranges and noises: how far a pixel is from the line of each,
    and its words.
    """
    for event in events_of(view):
        ends = view.to_pixels(event.start), view.to_pixels(event.end)
        yield _from_line(*ends, pixel), event.words
    for ring in rings_of(view):
        away = _apart(view.to_pixels(ring.centre), pixel)
        yield (
            abs(away - view.to_size(ring.radius_m)),
            f"{ring.means} · {ring.radius_m:g} m",
        )
    stage = view.shown_stage()
    for side in sides_of(view, stage) if stage is not None else ():
        ends = view.to_pixels(side.here), view.to_pixels(side.there)
        yield (
            _from_line(*ends, pixel),
            f"what the selected row asks about · {side.words}",
        )
    yield from _way_words(view, pixel)
    for noise in noises_of(view):
        away = _apart(view.to_pixels(noise.centre), pixel)
        yield abs(away - view.to_size(noise.radius_m)), noise.words


def _way_words(
    view: "StageView", pixel: QPointF
) -> Iterator[tuple[float, str]]:
    """The stretches of the way that is drawn, each with how far it is in all."""
    found, way = view.place_of(view.desk.agent), way_of(view)
    if not way or found is None:
        return
    corners = [found[0], *way]
    left_m = sum(math.dist(one, other) for one, other in pairwise(corners))
    for one, other in pairwise(corners):
        away = _from_line(view.to_pixels(one), view.to_pixels(other), pixel)
        yield away, f"the way of the selected row · {left_m:.1f} m to go"


def parts_of(
    view: "StageView", stage: Stage, scenario: Scenario
) -> Iterator[AccessiblePart]:
    """Everyone and everything on the stage, in words."""
    for member in scenario.players:
        found = view.place_of(member.name)
        if found is not None:
            words = f"{_of_body(view, member)} · {_where(found[0])}"
            is_chosen = member.name == view.desk.agent
            yield AccessiblePart(words, _box(view, found[0]), is_chosen)
    for name, at, level in props_now(view, stage):
        yield AccessiblePart(
            f"{name} · level {level:.2f} · {_where(at)}", _box(view, at)
        )
    for side in sides_of(view, stage):
        words = f"what the selected row asks about · {side.words}"
        yield AccessiblePart(words, _box(view, side.there))
    for noise in noises_of(view):
        yield AccessiblePart(noise.words, _box(view, noise.centre))
    for event in events_of(view):
        yield AccessiblePart(event.words, _box(view, event.end))
    for place in stage.places:
        yield AccessiblePart(
            f"{place.name} · a place · {_where(place.at)}",
            _box(view, place.at),
        )


def _where(at: Point) -> str:
    return f"at {at[0]:.1f}, {at[1]:.1f}"


def _box(view: "StageView", at: Point) -> QRectF:
    middle = view.to_pixels(at)
    return QRectF(middle.x() - NEAR, middle.y() - NEAR, 2 * NEAR, 2 * NEAR)


def _of_body(view: "StageView", member: Member) -> str:
    """Who it is, how it decides, and what leads it now."""
    title = member.title or member.name
    behavior = None
    if member.behavior:
        behavior = view.desk.project.find_behavior(member.behavior)
    lead = view.desk.leading_row(member.name)
    scores = [
        each.words for each in candidates_of(view) if each.name == member.name
    ]
    runs = "a puppet"
    if behavior:
        runs = behavior.title
    parts = [title, runs, lead, *scores]
    return " · ".join(part for part in parts if part)


def _from_line(start: QPointF, end: QPointF, pixel: QPointF) -> float:
    """How far a pixel is from a line."""
    line = shapely.LineString([(start.x(), start.y()), (end.x(), end.y())])
    return float(line.distance(shapely.Point(pixel.x(), pixel.y())))


def _apart(one: QPointF, other: QPointF) -> float:
    return math.hypot(one.x() - other.x(), one.y() - other.y())
