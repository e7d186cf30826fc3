"""Drawing the ground of a stage: its areas with their names, and where nobody
can walk.
"""

from collections.abc import Callable, Sequence

import shapely
from PySide6.QtCore import QPointF, QRectF, QSizeF, Qt
from PySide6.QtGui import (
    QBrush,
    QColor,
    QPainter,
    QPainterPath,
    QPen,
    QPolygonF,
)

from umbrant.desk.widgets.painted import saved
from umbrant.desk.widgets.theme import Palette
from umbrant.model.staging import Area, Blocks, Stage
from umbrant.model.values import Point
from umbrant.stage.ground import ground_of

ToPixels = Callable[[Point], QPointF]


def paint_ground(
    painter: QPainter, stage: Stage, palette: Palette, to_pixels: ToPixels
) -> list[QRectF]:
    """The land, the areas on it, and a cross for each place. Returns where
    names have been written.
    """
    land = QRectF(
        to_pixels((0, stage.height_m)), to_pixels((stage.width_m, 0))
    )
    painter.fillRect(land, palette.land)
    outlines = [
        (area, QPolygonF([to_pixels(corner) for corner in area.corners]))
        for area in stage.areas
    ]
    for area, outline in sorted(
        outlines, key=lambda each: each[0].blocks is Blocks.SIGHT_AND_WAY
    ):
        _paint_area(painter, area, outline, palette)
    written: list[QRectF] = []
    for area, outline in sorted(
        outlines, key=lambda each: each[0].blocks is Blocks.NOTHING
    ):
        if area.blocks is Blocks.NOTHING:
            solid = [
                each.boundingRect()
                for other, each in outlines
                if other.blocks is Blocks.SIGHT_AND_WAY
            ]
            written.append(
                _name_zone(
                    painter,
                    outline.boundingRect(),
                    area.name,
                    palette,
                    [*written, *solid],
                )
            )
        else:
            written.append(
                _name_area(
                    painter,
                    outline.boundingRect(),
                    area.name.removeprefix("the "),
                    palette,
                )
            )
    painter.setPen(palette.dim)
    for place in stage.places:
        at = to_pixels(place.at)
        painter.drawLine(at + QPointF(-3, 0), at + QPointF(3, 0))
        painter.drawLine(at + QPointF(0, -3), at + QPointF(0, 3))
    return written


def paint_off_limits(
    painter: QPainter,
    stage: Stage,
    radius_m: float,
    palette: Palette,
    to_pixels: ToPixels,
) -> None:
    """Hatch where a body of this radius cannot be."""
    land = shapely.box(0, 0, stage.width_m, stage.height_m)
    closed = land.difference(ground_of(stage, radius_m).free)
    path = QPainterPath()
    for part in getattr(closed, "geoms", [closed]):
        if not isinstance(part, shapely.Polygon):
            continue
        for ring in (part.exterior, *part.interiors):
            path.addPolygon(
                QPolygonF([to_pixels((x, y)) for x, y in ring.coords])
            )
            path.closeSubpath()
    colour = QColor(palette.refused)
    colour.setAlphaF(0.45)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QBrush(colour, Qt.BrushStyle.BDiagPattern))
    painter.drawPath(path)


def _paint_area(
    painter: QPainter, area: Area, outline: QPolygonF, palette: Palette
) -> None:
    """The shape of an area; one that is in the way of nothing is an outline on
    the ground.
    """
    if area.blocks is Blocks.NOTHING:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(palette.faint, 1, Qt.PenStyle.DashLine))
    elif area.blocks is Blocks.SIGHT_AND_WAY:
        painter.setBrush(palette.wall)
        painter.setPen(QPen(palette.wall_rule, 1))
    else:
        painter.setBrush(palette.water)
        painter.setPen(Qt.PenStyle.NoPen)
    painter.drawPolygon(outline)


def _name_zone(
    painter: QPainter,
    zone: QRectF,
    name: str,
    palette: Palette,
    taken: Sequence[QRectF],
) -> QRectF:
    """Write a name into the first corner of a zone in which nothing stands.
    Returns where it stands.
    """
    text = painter.fontMetrics().boundingRect(name)
    box = QRectF(0, 0, text.width() + 1, text.height())
    inside = zone.adjusted(4, 1, -4, -1)
    rights, lows = inside.right() - box.width(), inside.bottom() - box.height()
    corners = [
        (x, y) for y in (inside.top(), lows) for x in (inside.left(), rights)
    ]
    boxes = [box.translated(*corner) for corner in corners]
    free = next(
        (
            each
            for each in boxes
            if not any(each.intersects(other) for other in taken)
        ),
        boxes[0],
    )
    painter.setPen(palette.dim)
    painter.drawText(free, Qt.AlignmentFlag.AlignTop, name)
    return free


def _name_area(
    painter: QPainter, box: QRectF, name: str, palette: Palette
) -> QRectF:
    """Write a name into an area: across, or upwards where it is narrow; not at
    all where it would be cut off.

    Returns where it stands.
    """
    painter.setPen(palette.dim)
    text = painter.fontMetrics().boundingRect(name)
    wide, high = text.width(), text.height()
    if wide <= box.width() and high <= box.height():
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, name)
        return QRectF(
            box.center() - QPointF(wide / 2, high / 2), QSizeF(wide, high)
        )
    if wide <= box.height() and high <= box.width():
        with saved(painter):
            painter.translate(box.center())
            painter.rotate(-90)
            upwards = QRectF(
                -box.height() / 2, -box.width() / 2, box.height(), box.width()
            )
            painter.drawText(upwards, Qt.AlignmentFlag.AlignCenter, name)
        return QRectF(
            box.center() - QPointF(high / 2, wide / 2), QSizeF(high, wide)
        )
    return QRectF()
