"""Painting the stage at the playhead: the ground, what stands and moves on it, and the names of it all."""

import math
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from umbrant.desk.cached import Pictures
from umbrant.desk.figures import LEAST_BODY, draw_body, draw_boxed, draw_chosen, draw_prop
from umbrant.desk.ground_painting import paint_ground, paint_off_limits
from umbrant.desk.labels import Labels
from umbrant.desk.rehearsing import Rehearsing
from umbrant.desk.row_on_stage import paint_cone, paint_row
from umbrant.desk.theme import Palette, body_font
from umbrant.model.staging import Member, Scenario, Stage

if TYPE_CHECKING:
    from umbrant.desk.stage_view import StageView

HANDLE = 5.0
SAID_S = 2.0
"""How long what was said stays on the stage."""
PROP = 5.0


class StagePainter:
    """Paints what a stage's view shows. What does not move by itself is kept as a picture."""

    def __init__(self, view: "StageView") -> None:
        self._view = view
        self._desk = view.desk
        self._pictures = Pictures()
        self._font = body_font(11)
        self._written: list[QRectF] = []
        """Where names stand on the ground."""

    @property
    def _palette(self) -> Palette:
        return self._view.palette_

    def paint(self, painter: QPainter) -> None:
        """Paint all of it, the ground first."""
        view, desk = self._view, self._desk
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(view.rect(), self._palette.ground)
        stage, scenario = view.shown_stage(), desk.scenario
        if stage is None or scenario is None:
            painter.setPen(self._palette.dim)
            painter.drawText(view.rect(), Qt.AlignmentFlag.AlignCenter, "This project has no stage to show.")
            return
        painter.setFont(self._font)
        at = *view.to_pixels((0.0, 0.0)).toTuple(), view.to_size(1.0)
        key = (stage, scenario, at, view.chosen, view.arranging, view.is_handled, id(self._palette))
        whole = QRectF(view.rect())
        self._pictures.draw(painter, whole, "ground", key, lambda p, _: self._standing(p, stage, scenario))
        labels = Labels(painter, whole)
        for box in self._written:
            labels.keep_clear(box)
        props = self._props(painter, stage)
        painter.save()
        painter.setClipRect(QRectF(view.to_pixels((0, stage.height_m)), view.to_pixels((stage.width_m, 0))))
        paint_row(painter, view)
        paint_cone(painter, view)
        painter.restore()
        self._bodies(painter, scenario, labels)
        for box in props:
            labels.keep_clear(box)
        for place in stage.places:
            labels.write(place.name, view.to_pixels(place.at), 6, self._palette.dim)
        self._guides(painter)
        view.sketching.paint(painter)
        view.picking.paint(painter)
        if view.live is not None:
            self._rehearsal(painter, view.live, scenario)

    # what does not move by itself

    def _standing(self, painter: QPainter, stage: Stage, scenario: Scenario) -> None:
        painter.setFont(self._font)
        self._written = paint_ground(painter, stage, self._palette, self._view.to_pixels)
        if self._view.arranging:
            walking = [each.body.radius_m for each in scenario.cast if not each.body.flies]
            # Where the widest of those that walk can go, all can.
            paint_off_limits(painter, stage, max(walking, default=0.3), self._palette, self._view.to_pixels)
        self._walks(painter, scenario)

    def _walks(self, painter: QPainter, scenario: Scenario) -> None:
        """The puppets' walks, and squares to drag by; small ones as long as nobody is about to."""
        view = self._view
        for member in scenario.players:
            if member.behavior is not None or not member.walk:
                continue
            line = QColor(self._palette.dim)
            line.setAlphaF(0.55)
            painter.setPen(QPen(line, 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolyline([view.to_pixels(member.start), *(view.to_pixels(point.to) for point in member.walk)])
        for handle in view.handles():
            chosen = view.chosen == handle.path
            painter.setPen(QPen(self._palette.now if chosen else self._palette.dim, 2 if chosen else 1))
            painter.setBrush(self._palette.sheet)
            size = HANDLE if view.is_handled or chosen else HANDLE / 2
            at = view.to_pixels(handle.at)
            painter.drawRect(QRectF(at.x() - size / 2, at.y() - size / 2, size, size))

    # what the take tells

    def _props(self, painter: QPainter, stage: Stage) -> list[QRectF]:
        """Everything that stands around. Returns where it is drawn."""
        boxes = []
        drains = {prop.name for prop in stage.props if prop.drain_per_s > 0}
        for name, place, level in self._props_now(stage):
            at = self._view.to_pixels(place)
            draw_prop(painter, self._palette, at, level, drains=name in drains)
            boxes.append(_around(at, PROP))
        return boxes

    def _props_now(self, stage: Stage) -> list[tuple[str, tuple[float, float], float]]:
        """Each prop that is there: its name, where it is, and how full."""
        live, take, tick = self._view.live, self._desk.take, self._desk.playhead
        if live is not None and live.frame is not None:
            return [(name, (x, y), level) for name, (x, y, level) in live.frame.props.items()]
        if take is None:
            return [(prop.name, prop.at, prop.level) for prop in stage.props]
        found = []
        for name, levels in take.levels.items():
            level, place = float(levels[tick]) if tick < len(levels) else math.nan, take.props[name].at(tick)
            if place is not None and not math.isnan(level):
                found.append((name, place.at, level))
        return found

    def _bodies(self, painter: QPainter, scenario: Scenario, labels: Labels) -> None:
        """Everyone on the stage, coloured by what leads them; who is followed last, so that nobody covers them."""
        ranked = sorted(scenario.players, key=self._is_followed)
        standing = [(member, self._view.place_of(member.name)) for member in ranked]
        bodies = [(member, self._view.to_pixels(found[0]), found[1]) for member, found in standing if found]
        for member, at, heading_deg in bodies:
            size = self._size(member)
            labels.keep_clear(_around(at, size))
            if self._is_followed(member):
                draw_chosen(painter, self._palette, at, size)
            draw_body(painter, self._palette, at, size, heading_deg, self._fill(member))
        for member, at, _ in reversed(bodies):
            said = self._said(member.name)
            if said:
                above = at + QPointF(self._size(member) + 5, -24)
                labels.keep_clear(draw_boxed(painter, self._palette, said, above, self._view.width()))
        for member, at, _ in reversed(bodies):
            self._name(member, at, scenario, labels)

    def _is_followed(self, member: Member) -> bool:
        """Whether it is the one that is looked at; in a rehearsal, the one that is steered."""
        live = self._view.live
        return member.name == (live.puppet.name if live is not None and live.puppet else self._desk.agent)

    def _size(self, member: Member) -> float:
        return max(LEAST_BODY, self._view.to_size(member.body.radius_m))

    def _fill(self, member: Member) -> QColor | None:
        """The colour of what leads one of the cast; none for a puppet."""
        if member.behavior is None:
            return None
        lead = None if self._view.live else self._desk.leading(member.name)
        colours = self._palette.leads
        return self._palette.running if lead is None else colours[lead % len(colours)]

    def _name(self, member: Member, at: QPointF, scenario: Scenario, labels: Labels) -> None:
        """The name of a body, unless it is one of many; of who is looked at also what it does."""
        chosen, text = self._is_followed(member), member.title or member.name
        if not chosen and all(each.name != member.name for each in scenario.cast):
            return
        doing = self._doing() if chosen and self._view.live is None else ""
        text = f"{text} · {doing}" if doing else text
        labels.write(text, at, self._size(member) + 5, self._palette.ink, must=chosen)

    def _doing(self) -> str:
        explainer = self._desk.explainer
        if explainer is None:
            return ""
        path = explainer.path(self._desk.playhead)
        return explainer.names.titles[path[-1]] if path else ""

    def _said(self, name: str) -> str:
        if self._view.live is not None:
            return self._view.live.said_by(name)
        take, tick = self._desk.take, self._desk.playhead
        if take is None or name not in take.agents:
            return ""
        recent = [text for when, text in take.agents[name].said if 0 <= tick - when < SAID_S * take.header.ticks_per_s]
        return recent[-1] if recent else ""

    # what a hand does

    def _guides(self, painter: QPainter) -> None:
        """Lines through what the dragged point is in line with."""
        view = self._view
        painter.setPen(QPen(self._palette.now, 1, Qt.PenStyle.DotLine))
        if view.guides.above is not None:
            x = view.to_pixels(view.guides.above).x()
            painter.drawLine(QPointF(x, 0), QPointF(x, view.height()))
        if view.guides.beside is not None:
            y = view.to_pixels(view.guides.beside).y()
            painter.drawLine(QPointF(0, y), QPointF(view.width(), y))

    def _rehearsal(self, painter: QPainter, live: Rehearsing, scenario: Scenario) -> None:
        """That a rehearsal is going on, and its time."""
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(self._palette.now, 3))
        painter.drawRect(QRectF(self._view.rect()).adjusted(1.5, 1.5, -1.5, -1.5))
        tick = live.frame.tick if live.frame else 0
        painter.drawText(QPointF(10, 18), f"rehearsing · {tick / scenario.ticks_per_s:.1f} s")


def _around(at: QPointF, size: float) -> QRectF:
    return QRectF(at.x() - size, at.y() - size, 2 * size, 2 * size)
