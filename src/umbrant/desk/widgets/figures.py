"""What stands and moves on the stage, drawn: bodies, props, names, and what
was said.
"""

import math

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from umbrant.desk.widgets.theme import Palette

LEAST_BODY = 5.0
"""How many pixels the radius of a body is drawn with at least."""


def draw_body(
    painter: QPainter,
    palette: Palette,
    at: QPointF,
    size: float,
    heading_deg: float,
    fill: QColor | None,
) -> None:
    """A body, as large as it is, with a line for where it looks. Without a
    fill it is a puppet.
    """
    if fill is None:
        pen = QPen(palette.ink, 2)
    else:
        pen = QPen(palette.sheet, 1)
    painter.setPen(pen)
    if fill is None:
        ground = palette.sheet
    else:
        ground = fill
    painter.setBrush(ground)
    painter.drawEllipse(at, size, size)
    ahead = QPointF(
        math.cos(math.radians(heading_deg)),
        -math.sin(math.radians(heading_deg)),
    )
    if fill is None:
        ink = palette.ink
    else:
        ink = palette.sheet
    painter.setPen(QPen(ink, 2))
    painter.drawLine(at, at + ahead * size)


def draw_chosen(
    painter: QPainter, palette: Palette, at: QPointF, size: float
) -> None:
    """A ring around the body that is looked at."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(palette.ink, 1.4))
    painter.drawEllipse(at, size + 2.5, size + 2.5)


def draw_prop(
    painter: QPainter,
    palette: Palette,
    at: QPointF,
    level: float,
    *,
    drains: bool,
) -> None:
    """A prop: one that drains as a round dial of its level, any other as a
    small square.
    """
    painter.setPen(QPen(palette.wall_rule, 1))
    painter.setBrush(palette.sheet)
    if not drains:
        painter.drawRect(QRectF(at.x() - 3.5, at.y() - 3.5, 7, 7))
        return
    painter.drawEllipse(at, 5, 5)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(palette.now)
    painter.drawPie(
        QRectF(at.x() - 5, at.y() - 5, 10, 10), 90 * 16, -int(360 * 16 * level)
    )


def box_for(painter: QPainter, text: str, at: QPointF, room: float) -> QRectF:
    """The box that a text is drawn in at a point, so that none of it is cut
    off at the sides.
    """
    wide = painter.fontMetrics().horizontalAdvance(text) + 14
    return QRectF(
        max(2.0, min(at.x(), room - wide - 4.0)),
        max(2.0, at.y() - 16),
        wide,
        20,
    )


def draw_boxed(
    painter: QPainter, palette: Palette, text: str, at: QPointF, room: float
) -> QRectF:
    """Draw a text in a box of its own, such as speech beside a body. Returns
    the box.
    """
    box = box_for(painter, text, at, room)
    painter.setPen(QPen(palette.chip_rule, 1))
    painter.setBrush(palette.sheet)
    painter.drawRoundedRect(box, 8, 8)
    painter.setPen(palette.ink)
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
    return box
