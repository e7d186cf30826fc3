"""What the stage says of what the mouse rests on, in words."""

import math
from collections.abc import Iterator
from typing import TYPE_CHECKING

import shapely
from PySide6.QtCore import QPointF, QRectF

from umbrant.desk.views.stage.look import props_now, rings_of
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


def hover_words(view: "StageView", stage: Stage, scenario: Scenario, pixel: QPointF) -> str:
    """The words for the nearest body, thing, place, ring or area at a pixel; empty for none."""
    bodies = [
        (found[0], _of_body(view, member))
        for member in scenario.players
        if (found := view.place_of(member.name)) is not None
    ]
    groups = {prop.name: f" · of the group {prop.group}" for prop in stage.props if prop.group}
    things = [
        (at, f"{name}{groups.get(name, '')} · level {level:.2f}")
        for name, at, level in props_now(view, stage)
    ]
    places = [(place.at, f"{place.name} · a place") for place in stage.places]
    for shown in (bodies, things, places):
        near = [(_apart(view.to_pixels(at), pixel), words) for at, words in shown]
        best = min(near, key=lambda each: each[0], default=None)
        if best is not None and best[0] <= NEAR:
            return best[1]
    for ring in rings_of(view):
        away = _apart(view.to_pixels(ring.centre), pixel)
        if abs(away - view.to_size(ring.radius_m)) <= ON_LINE:
            return f"{ring.means} · {ring.radius_m:g} m"
    x, y = view.to_stage(pixel, 3)
    for area in stage.areas:
        if len(area.corners) > 2 and shapely.Polygon(area.corners).contains(shapely.Point(x, y)):
            return f"{area.name} · {BLOCKS[area.blocks]}"
    return ""


def parts_of(view: "StageView", stage: Stage, scenario: Scenario) -> Iterator[AccessiblePart]:
    """Everyone and everything on the stage, in words."""
    for member in scenario.players:
        found = view.place_of(member.name)
        if found is not None:
            words = f"{_of_body(view, member)} · {_where(found[0])}"
            is_chosen = member.name == view.desk.agent
            yield AccessiblePart(words, _box(view, found[0]), is_chosen)
    for name, at, level in props_now(view, stage):
        yield AccessiblePart(f"{name} · level {level:.2f} · {_where(at)}", _box(view, at))
    for place in stage.places:
        yield AccessiblePart(f"{place.name} · a place · {_where(place.at)}", _box(view, place.at))


def _where(at: Point) -> str:
    return f"at {at[0]:.1f}, {at[1]:.1f}"


def _box(view: "StageView", at: Point) -> QRectF:
    middle = view.to_pixels(at)
    return QRectF(middle.x() - NEAR, middle.y() - NEAR, 2 * NEAR, 2 * NEAR)


def _of_body(view: "StageView", member: Member) -> str:
    """Who it is, how it decides, and what leads it now."""
    title = member.title or member.name
    behavior = view.desk.project.find_behavior(member.behavior) if member.behavior else None
    lead = view.desk.leading_row(member.name)
    parts = [title, behavior.title if behavior else "a puppet", lead]
    return " · ".join(part for part in parts if part)


def _apart(one: QPointF, other: QPointF) -> float:
    return math.hypot(one.x() - other.x(), one.y() - other.y())
