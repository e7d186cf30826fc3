"""How two takes share one place: one above the other, each half as high; and
what is quieter.
"""

from collections.abc import Iterator
from contextlib import contextmanager

from PySide6.QtCore import QRectF
from PySide6.QtGui import QColor, QPainter

from umbrant.desk.widgets.theme import Palette

QUIET = 0.55
"""How much of the ground covers what is quieter."""


def halves(box: QRectF) -> tuple[QRectF, QRectF]:
    """The upper half of a box, for the take that is shown, and the lower one,
    for the other.
    """
    middle = box.top() + box.height() / 2
    upper = QRectF(box.left(), box.top(), box.width(), box.height() / 2)
    return upper, QRectF(box.left(), middle, box.width(), box.height() / 2)


@contextmanager
def half_high(painter: QPainter, box: QRectF, half: QRectF) -> Iterator[None]:
    """Draw what is meant for a box into one of its halves."""
    painter.save()
    painter.setClipRect(half)
    painter.translate(0, half.top() - box.top() * half.height() / box.height())
    painter.scale(1.0, half.height() / box.height())
    yield
    painter.restore()


def draw_quieter(painter: QPainter, box: QRectF, palette: Palette) -> None:
    """Cover a box with its ground, so that what stands there steps back."""
    if box.width() > 0:
        cover = QColor(palette.sheet)
        cover.setAlphaF(QUIET)
        painter.fillRect(box, cover)
