"""A response curve as a line in a box."""

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QPainter, QPen, QPolygonF

from umbrant.catalog.curves import worth
from umbrant.model.values import Curve

POINTS = 48
"""Into how many pieces a curve is cut to be drawn."""


def curve_line(
    curve: Curve, box: QRectF, low: float = 0.0, high: float = 1.0
) -> QPolygonF:
    """The curve over its range, fitted into a box."""
    if curve.shape == "step" and (low, high) == (0.0, 1.0):
        low, high = curve.threshold - 1.0, curve.threshold + 1.0
    found = []
    for index in range(POINTS + 1):
        share = index / POINTS
        height = worth(curve, low + (high - low) * share, low, high)
        found.append(
            QPointF(
                box.left() + box.width() * share,
                box.bottom() - box.height() * height,
            )
        )
    return QPolygonF(found)


def draw_curve(
    painter: QPainter, box: QRectF, curve: Curve, pen: QPen
) -> None:
    """Draw a curve into a box of a few pixels, without axes."""
    painter.setPen(pen)
    painter.drawPolyline(curve_line(curve, box))
