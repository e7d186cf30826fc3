"""What the stage says of what the mouse rests on, in words."""

import math
from typing import TYPE_CHECKING

import shapely
from PySide6.QtCore import QPointF

from umbrant.desk.views.stage.look import props_now, rings_of
from umbrant.model.staging import Blocks, Member, Scenario, Stage

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


def _of_body(view: "StageView", member: Member) -> str:
    """Who it is, how it decides, and what leads it now."""
    title = member.title or member.name
    behavior = view.desk.project.find_behavior(member.behavior) if member.behavior else None
    lead = view.desk.leading_row(member.name)
    parts = [title, behavior.title if behavior else "a puppet", lead]
    return " · ".join(part for part in parts if part)


def _apart(one: QPointF, other: QPointF) -> float:
    return math.hypot(one.x() - other.x(), one.y() - other.y())
