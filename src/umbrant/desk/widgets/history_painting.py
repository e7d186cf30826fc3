"""How the small history of a key is drawn: numbers and yes/no by height,
anything else as marks where it changed.
"""

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QPainter, QPen, QPolygonF

from umbrant.desk.widgets.theme import Palette
from umbrant.model.behaviors import Key
from umbrant.take.record import Changes, KeyWrite

INSET = (6, 5, -10, -5)
"""How far a history stays inside its cell: left, top, right, bottom."""


def paint_history(
    painter: QPainter,
    cell: QRectF,
    key: Key,
    changes: Changes[KeyWrite],
    last_tick: int,
    palette: Palette,
) -> None:
    """Draw what a key held over a take that ends at a tick."""
    box, last = cell.adjusted(*INSET), max(1, last_tick)
    painter.setPen(QPen(palette.running, 1.2))
    numbers = [
        written.value
        for written in changes.values
        if isinstance(written.value, int | float)
    ]
    if numbers and len(numbers) == len(changes.values):
        painter.drawPolyline(_steps(changes, key, box, last))
        return
    for tick, written in zip(changes.ticks, changes.values, strict=True):
        x = box.left() + box.width() * tick / last
        if written.value is None:
            top = box.center().y()
        else:
            top = box.top()
        painter.drawLine(QPointF(x, top), QPointF(x, box.bottom()))


def _steps(
    changes: Changes[KeyWrite], key: Key, box: QRectF, last: int
) -> QPolygonF:
    values = [float(written.value) for written in changes.values]  # type: ignore[arg-type]
    if key.low is not None:
        low = key.low
    else:
        low = min(values)
    if key.high is not None:
        high = key.high
    else:
        high = max(values)
    if high <= low:
        high = low + 1.0
    points: list[QPointF] = []
    for tick, value in zip(changes.ticks, values, strict=True):
        at = QPointF(
            box.left() + box.width() * tick / last,
            box.bottom() - box.height() * (value - low) / (high - low),
        )
        if points:
            points.append(QPointF(at.x(), points[-1].y()))
        points.append(at)
    points.append(QPointF(box.right(), points[-1].y()))
    return QPolygonF(points)
