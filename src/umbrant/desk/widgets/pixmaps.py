"""Pictures of what changes seldom, kept so that moving the playhead redraws
only what follows it.
"""

from collections.abc import Callable, Hashable
from math import ceil

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter, QPixmap

from umbrant.desk.widgets.painted import painting, saved

MOST_PICTURES = 400

Paint = Callable[[QPainter, QRectF], None]


class PixmapCache:
    """Pictures by name. A picture is painted anew when what it depends on, its
    key, is another.

    With `hasty`, a picture is kept only once its key has been the same twice:
    what is another each time is painted straight away, which is quicker. Not
    for text, which looks a little different on a picture.
    """

    def __init__(self, *, hasty: bool = False) -> None:
        self._hasty = hasty
        self._kept: dict[Hashable, tuple[Hashable, QPixmap | None]] = {}

    def draw(
        self,
        painter: QPainter,
        box: QRectF,
        name: Hashable,
        key: Hashable,
        paint: Paint,
    ) -> None:
        """Draw a picture into a box, painting it first if need be. `paint`
        gets a box of the same size at (0, 0).
        """
        ratio = painter.device().devicePixelRatio()
        wide, high = ceil(box.width()), ceil(box.height())
        if wide < 1 or high < 1:
            return
        full_key = (key, wide, high, ratio)
        kept = self._kept.get(name)
        if kept is None or kept[0] != full_key:
            if len(self._kept) >= MOST_PICTURES:
                self._kept.clear()
            kept = self._kept[name] = full_key, None
            if self._hasty:
                _paint_straight(painter, box, wide, high, paint)
                return
        picture = kept[1]
        if picture is None:
            picture = _painted(wide, high, ratio, paint)
            self._kept[name] = full_key, picture
        painter.drawPixmap(box.topLeft(), picture)


def _paint_straight(
    painter: QPainter, box: QRectF, wide: int, high: int, paint: Paint
) -> None:
    with saved(painter):
        painter.translate(box.topLeft())
        area = QRectF(0, 0, wide, high)
        painter.setClipRect(area, Qt.ClipOperation.IntersectClip)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint(painter, area)


def _painted(wide: int, high: int, ratio: float, paint: Paint) -> QPixmap:
    picture = QPixmap(ceil(wide * ratio), ceil(high * ratio))
    picture.setDevicePixelRatio(ratio)
    picture.fill(Qt.GlobalColor.transparent)
    with painting(picture) as painter:
        paint(painter, QRectF(0, 0, wide, high))
    return picture
