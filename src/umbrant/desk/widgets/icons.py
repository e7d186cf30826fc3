"""The icons of the transport, drawn here so that they have the palette's
colours at any scale.
"""

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QIcon, QPixmap, QPolygonF

from umbrant.desk.widgets.painted import painting

SIZE = 18


def icon(name: str, colour: QColor) -> QIcon:
    """One of 'play', 'pause', 'tick_back', 'tick_on', 'mind_back', 'mind_on'.
    KeyError for any other.
    """
    shapes = _SHAPES[name]
    pixmap = QPixmap(SIZE * 3, SIZE * 3)
    pixmap.setDevicePixelRatio(3)
    pixmap.fill(Qt.GlobalColor.transparent)
    with painting(pixmap) as painter:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        for shape in shapes:
            if isinstance(shape, QRectF):
                painter.drawRect(shape)
            else:
                painter.drawPolygon(shape)
    return QIcon(pixmap)


def _polygon(*corners: tuple[float, float]) -> QPolygonF:
    return QPolygonF([QPointF(x, y) for x, y in corners])


def _mirrored(shapes: list[QPolygonF | QRectF]) -> list[QPolygonF | QRectF]:
    def turn(shape: QPolygonF | QRectF) -> QPolygonF | QRectF:
        if isinstance(shape, QRectF):
            return QRectF(
                SIZE - shape.right(),
                shape.top(),
                shape.width(),
                shape.height(),
            )
        return QPolygonF(
            [
                QPointF(SIZE - corner.x(), corner.y())
                for corner in shape.toList()
            ]
        )

    return [turn(shape) for shape in shapes]


_TICK: list[QPolygonF | QRectF] = [
    QRectF(4, 4, 2, 10),
    _polygon((8, 4), (14, 9), (8, 14)),
]
_MIND: list[QPolygonF | QRectF] = [
    _polygon((2, 9), (5, 6), (8, 9), (5, 12)),
    _polygon((10, 4), (16, 9), (10, 14)),
]

_SHAPES: dict[str, list[QPolygonF | QRectF]] = {
    "play": [_polygon((5, 3), (15, 9), (5, 15))],
    "pause": [QRectF(5, 4, 3, 10), QRectF(10, 4, 3, 10)],
    "tick_on": _TICK,
    "tick_back": _mirrored(_TICK),
    "mind_on": _MIND,
    "mind_back": _mirrored(_MIND),
}
