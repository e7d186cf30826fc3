"""What the selected row is about, drawn on the stage: its ranges, its way, its target, and what its agent can see."""

from collections.abc import Iterator
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen

from umbrant.desk.rings import Ring, rings
from umbrant.model.values import Point
from umbrant.take.record import RowState

if TYPE_CHECKING:
    from umbrant.desk.stage_view import StageView


def paint_row(painter: QPainter, view: "StageView") -> None:
    """The ranges, the way and the target of the selected row."""
    for ring in _rings(view):
        painter.setPen(QPen(view.palette_.now, 1.2, Qt.PenStyle.DashLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        size = view.to_size(ring.radius_m)
        painter.drawEllipse(view.to_pixels(ring.centre), size, size)
    way, here = _way(view), view.place_of(view.desk.agent)
    if not way or here is None:
        return
    painter.setPen(QPen(view.palette_.running, 2, Qt.PenStyle.DotLine))
    painter.drawPolyline([view.to_pixels(here[0]), *(view.to_pixels(corner) for corner in way)])
    end = view.to_pixels(way[-1])
    painter.setPen(QPen(view.palette_.ink, 1.6))
    painter.drawLine(end + QPointF(-5, -5), end + QPointF(5, 5))
    painter.drawLine(end + QPointF(-5, 5), end + QPointF(5, -5))


def paint_cone(painter: QPainter, view: "StageView") -> None:
    """The cone of sight of the agent that is looked at."""
    member, found = view.desk.member, view.place_of(view.desk.agent)
    if member is None or found is None or member.behavior is None:
        return
    (place, heading), body = found, member.body
    size, centre = view.to_size(body.sight_m), view.to_pixels(place)
    path = QPainterPath(centre)
    box = QRectF(centre.x() - size, centre.y() - size, 2 * size, 2 * size)
    path.arcTo(box, heading - body.cone_deg / 2, body.cone_deg)
    path.closeSubpath()
    fill = QColor(view.palette_.cone)
    fill.setAlphaF(0.10)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(fill)
    painter.drawPath(path)


def _rings(view: "StageView") -> Iterator[Ring]:
    desk, here = view.desk, view.place_of(view.desk.agent)
    if desk.row is None or here is None:
        return
    record = desk.take.agents.get(desk.agent) if desk.take else None
    keys = {name: changes.at(desk.playhead) for name, changes in record.keys.items()} if record else {}
    values = {name: written.value if written else None for name, written in keys.items()}

    def place_named(name: str) -> Point | None:
        found, stage = view.place_of(name), view.shown_stage()
        standing = {prop.name: prop.at for prop in stage.props} if stage else {}
        standing |= {place.name: place.at for place in stage.places} if stage else {}
        return found[0] if found else standing.get(name)

    yield from rings(desk.row, desk.catalog, values, here[0], place_named)


def _way(view: "StageView") -> tuple[Point, ...]:
    """The way of the selected row; of a row that holds others, of the one of them that runs."""
    explainer, tick = view.desk.explainer, view.desk.playhead
    if explainer is None or view.desk.row_id not in explainer.outline.number:
        return ()
    for row_id in explainer.outline.within(view.desk.row_id):
        record = explainer.record.row(row_id)
        if record.state_at(tick) is RowState.RUNNING:
            way = record.ways.at(tick)
            if way:
                return way
    return ()
