"""How the ruler above the tape is drawn: seconds, and the playhead."""

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter

from umbrant.desk.widgets.theme import Palette

_STEPS = (0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 30, 60, 120, 300, 600, 1800, 3600)
_LEAST_APART = 46


@dataclass(frozen=True)
class RulerLook:
    """A stretch of a take in ticks, of which one is looked at."""

    start: float
    length: float
    ticks_per_s: int
    playhead: int


def paint_ruler(
    painter: QPainter, rect: QRectF, look: RulerLook, palette: Palette
) -> None:
    """Draw a ruler into a box, with as many seconds as there is room for."""
    a_second = rect.width() / (look.length / look.ticks_per_s)
    step = next(
        (each for each in _STEPS if each * a_second >= _LEAST_APART),
        _STEPS[-1],
    )
    mark = int(look.start / look.ticks_per_s / step)
    while (
        second := mark * step
    ) * look.ticks_per_s <= look.start + look.length:
        x = rect.left() + (second - look.start / look.ticks_per_s) * a_second
        if x >= rect.left() - 1:
            painter.setPen(palette.dim)
            painter.drawLine(
                QPointF(x, rect.bottom() - 6), QPointF(x, rect.bottom() - 1)
            )
            painter.setPen(palette.dim)
            text = QRectF(x + 3, rect.top(), 60, rect.height())
            painter.drawText(
                text, Qt.AlignmentFlag.AlignVCenter, f"{second:g} s"
            )
        mark += 1
    x = rect.left() + (look.playhead - look.start) / look.length * rect.width()
    if rect.left() <= x <= rect.right():
        painter.fillRect(
            QRectF(x - 1, rect.top() + 4, 2, rect.height() - 4), palette.now
        )
