"""Drawing the ground of a stage: its areas with their names, and where nobody can walk."""

from collections.abc import Callable

import shapely
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QPainter, QPainterPath, QPen, QPolygonF

from umbrant.desk.theme import Palette
from umbrant.model.staging import Area, Blocks, Stage
from umbrant.model.values import Point
from umbrant.stage.ground import ground_of

ToPixels = Callable[[Point], QPointF]


def paint_ground(painter: QPainter, stage: Stage, palette: Palette, to_pixels: ToPixels) -> None:
    """The land, the areas on it, and a cross for each place."""
    whole = QRectF(to_pixels((0, stage.height_m)), to_pixels((stage.width_m, 0)))
    painter.fillRect(whole, palette.land)
    for area in sorted(stage.areas, key=lambda each: each.blocks is Blocks.SIGHT_AND_WAY):
        _paint_area(painter, area, palette, to_pixels)
    painter.setPen(palette.dim)
    for place in stage.places:
        at = to_pixels(place.at)
        painter.drawLine(at + QPointF(-3, 0), at + QPointF(3, 0))
        painter.drawLine(at + QPointF(0, -3), at + QPointF(0, 3))


def paint_off_limits(painter: QPainter, stage: Stage, radius_m: float, palette: Palette, to_pixels: ToPixels) -> None:
    """Hatch where a body of this radius cannot be."""
    whole = shapely.box(0, 0, stage.width_m, stage.height_m)
    closed = whole.difference(ground_of(stage, radius_m).free)
    path = QPainterPath()
    for part in getattr(closed, "geoms", [closed]):
        if not isinstance(part, shapely.Polygon):
            continue
        for ring in (part.exterior, *part.interiors):
            path.addPolygon(QPolygonF([to_pixels((x, y)) for x, y in ring.coords]))
            path.closeSubpath()
    colour = QColor(palette.refused)
    colour.setAlphaF(0.45)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QBrush(colour, Qt.BrushStyle.BDiagPattern))
    painter.drawPath(path)


def _paint_area(painter: QPainter, area: Area, palette: Palette, to_pixels: ToPixels) -> None:
    outline = QPolygonF([to_pixels(corner) for corner in area.corners])
    if area.blocks is Blocks.NOTHING:
        _paint_zone(painter, outline, area.name, palette)
        return
    solid = area.blocks is Blocks.SIGHT_AND_WAY
    painter.setBrush(palette.wall if solid else palette.water)
    painter.setPen(QPen(palette.wall_rule, 1) if solid else Qt.PenStyle.NoPen)
    painter.drawPolygon(outline)
    _name_area(painter, outline.boundingRect(), area.name.removeprefix("the "), palette)


def _paint_zone(painter: QPainter, outline: QPolygonF, name: str, palette: Palette) -> None:
    """An area that is in the way of nothing: an outline on the ground, its name in the upper left corner."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(palette.faint, 1, Qt.PenStyle.DashLine))
    painter.drawPolygon(outline)
    painter.setPen(palette.faint)
    painter.drawText(outline.boundingRect().adjusted(4, 1, -4, 0), Qt.AlignmentFlag.AlignTop, name)


def _name_area(painter: QPainter, box: QRectF, name: str, palette: Palette) -> None:
    """Write a name into an area: across, or upwards where it is narrow; not at all where it would be cut off."""
    painter.setPen(palette.dim)
    text = painter.fontMetrics().boundingRect(name)
    if text.width() <= box.width() and text.height() <= box.height():
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, name)
    elif text.width() <= box.height() and text.height() <= box.width():
        painter.save()
        painter.translate(box.center())
        painter.rotate(-90)
        upwards = QRectF(-box.height() / 2, -box.width() / 2, box.height(), box.width())
        painter.drawText(upwards, Qt.AlignmentFlag.AlignCenter, name)
        painter.restore()
