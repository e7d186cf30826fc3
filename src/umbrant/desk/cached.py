"""Pictures of what changes seldom, kept so that moving the playhead redraws only what follows it."""

from collections.abc import Callable, Hashable
from math import ceil

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter, QPixmap

MOST_PICTURES = 400

Paint = Callable[[QPainter, QRectF], None]


class Pictures:
    """Pictures by name. A picture is painted anew when what it depends on, its key, is another."""

    def __init__(self) -> None:
        self._kept: dict[Hashable, tuple[Hashable, QPixmap]] = {}

    def draw(self, painter: QPainter, box: QRectF, name: Hashable, key: Hashable, paint: Paint) -> None:
        """Draw a picture into a box, painting it first if need be. `paint` gets a box of the same size at (0, 0)."""
        ratio = painter.device().devicePixelRatio()
        wide, high = ceil(box.width()), ceil(box.height())
        if wide < 1 or high < 1:
            return
        whole = (key, wide, high, ratio)
        kept = self._kept.get(name)
        if kept is None or kept[0] != whole:
            if len(self._kept) >= MOST_PICTURES:
                self._kept.clear()
            kept = (whole, _painted(wide, high, ratio, paint))
            self._kept[name] = kept
        painter.drawPixmap(box.topLeft(), kept[1])


def _painted(wide: int, high: int, ratio: float, paint: Paint) -> QPixmap:
    picture = QPixmap(ceil(wide * ratio), ceil(high * ratio))
    picture.setDevicePixelRatio(ratio)
    picture.fill(Qt.GlobalColor.transparent)
    painter = QPainter(picture)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    paint(painter, QRectF(0, 0, wide, high))
    painter.end()
    return picture
