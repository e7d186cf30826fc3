"""The arrows of a map: how they run from state to state, and where there is
room to write on them.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import (
    QColor,
    QPainter,
    QPainterPath,
    QPen,
    QPolygonF,
    QTransform,
)

BOW = 26.0
"""How far each further arrow between the same two states bows out, in pixels.
"""
LOOP_HALF, LOOP_OUT = 14.0, 26.0
"""How far an arrow back to its own state reaches along the edge to either
side, and out of it.
"""

CROSSING = 20.0
"""What lying over another arrow counts as, in square pixels of text that is
covered.
"""

SHARES = (0.5, 0.4, 0.6, 0.3, 0.7, 0.22, 0.78)
"""Where on an arrow there may be written, the best place first."""


@dataclass(frozen=True)
class ArrowCurve:
    """How an arrow runs, its tip, and the direction in which it gets there, in
    radians.
    """

    path: QPainterPath
    tip: QPointF
    angle: float
    off: tuple[int, int] = (0, 0)
    """To which side of it there is written, 1 to the right or below; on it
    where both are 0.
    """

    def draw(self, painter: QPainter, colour: QColor, width: float) -> None:
        """Draw the arrow: its curve and its head."""
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(colour, width))
        painter.drawPath(self.path)
        draw_head(painter, self.tip, self.angle, colour)

    def label_box(
        self,
        wide: float,
        high: float,
        taken: Sequence[QRectF],
        others: Sequence[QPainterPath] = (),
    ) -> QRectF:
        """A box of this size on the arrow, where it covers nothing of what is
        taken, or else as little as can be.

        Other arrows are kept clear of where that can be done.
        """
        points = [self.path.pointAtPercent(share) for share in SHARES]
        across, down = (
            self.off[0] * (wide / 2 + 2),
            self.off[1] * (high / 2 + 2),
        )
        best, least = QRectF(), math.inf
        for lifted in (0, -1, 1):
            for at in points:
                box = QRectF(
                    at.x() + across - wide / 2,
                    at.y() + down + lifted * high - high / 2,
                    wide,
                    high,
                )
                covered = sum(_area(box.intersected(other)) for other in taken)
                if covered < least:
                    covered += CROSSING * sum(
                        path.intersects(box) for path in others
                    )
                if covered < least:
                    best, least = box, covered
                if not least:
                    return best
        return best


def bowed(one: QRectF, other: QRectF, bend: int) -> ArrowCurve:
    """From the edge of one box to the edge of another; of two of which one
    lies in the other between their nearest edges.
    """
    if one.contains(other) or other.contains(one):
        return _across(one, other)
    start, end = one.center(), other.center()
    dx, dy = end.x() - start.x(), end.y() - start.y()
    length = math.hypot(dx, dy) or 1.0
    # A fixed side for each direction, so that there and back bow apart.
    out = BOW * (0.55 + (bend + 1) // 2)
    control = QPointF(
        (start.x() + end.x()) / 2 - dy / length * -out,
        (start.y() + end.y()) / 2 + dx / length * -out,
    )
    begin, tip = on_edge(one, control), on_edge(other, control)
    path = QPainterPath(begin)
    path.quadTo(control, tip)
    return ArrowCurve(
        path, tip, math.atan2(tip.y() - control.y(), tip.x() - control.x())
    )


def _across(one: QRectF, other: QRectF) -> ArrowCurve:
    """The short way between a box and one around it, straight through the room
    between them.
    """
    outer, inner = (one, other) if one.contains(other) else (other, one)
    middle = inner.center()
    ways = (
        (inner.left() - outer.left(), QPointF(outer.left(), middle.y())),
        (outer.right() - inner.right(), QPointF(outer.right(), middle.y())),
        (outer.bottom() - inner.bottom(), QPointF(middle.x(), outer.bottom())),
        (inner.top() - outer.top(), QPointF(middle.x(), outer.top())),
    )
    at_outer = min(ways, key=lambda way: way[0])[1]
    at_inner = on_edge(inner, at_outer)
    begin, tip = (at_outer, at_inner) if outer is one else (at_inner, at_outer)
    path = QPainterPath(begin)
    path.lineTo(tip)
    return ArrowCurve(
        path, tip, math.atan2(tip.y() - begin.y(), tip.x() - begin.x())
    )


def loop(
    box: QRectF, boxes: Sequence[QRectF], crossed: Sequence[QPainterPath]
) -> ArrowCurve:
    """From a box back to itself, over the edge where it meets the least of
    other boxes and arrows.
    """
    sides = [_loop_over(box, quarter) for quarter in range(4)]

    def met(curve: ArrowCurve) -> int:
        room = curve.path.boundingRect()
        return sum(
            room.intersects(other) for other in boxes if other != box
        ) + sum(path.intersects(room) for path in crossed)

    return min(sides, key=met)


def _loop_over(box: QRectF, quarter: int) -> ArrowCurve:
    """The loop over the upper edge, or so many quarters of a turn further: the
    right, the lower, the left one.
    """
    turned = QTransform().rotate(90 * quarter)
    if quarter % 2 == 0:
        away, side = box.height() / 2, box.width()
    else:
        away, side = box.width() / 2, box.height()
    half = min(LOOP_HALF, side / 2 - 2)
    path = QPainterPath(QPointF(-half, -away))
    path.cubicTo(
        QPointF(-half * 1.8, -away - LOOP_OUT),
        QPointF(half * 1.8, -away - LOOP_OUT),
        QPointF(half, -away),
    )
    tip = turned.map(QPointF(half, -away)) + box.center()
    off = ((0, -1), (1, 0), (0, 1), (-1, 0))[quarter]
    return ArrowCurve(
        turned.map(path).translated(box.center()),
        tip,
        math.radians(110 + 90 * quarter),
        off,
    )


def on_edge(box: QRectF, towards: QPointF) -> QPointF:
    """Where the line from a box's centre to a point leaves the box."""
    centre = box.center()
    dx, dy = towards.x() - centre.x(), towards.y() - centre.y()
    if not dx and not dy:
        return centre
    share = 1.0
    if dx:
        share = min(share, box.width() / 2 / abs(dx))
    if dy:
        share = min(share, box.height() / 2 / abs(dy))
    return QPointF(centre.x() + dx * share, centre.y() + dy * share)


def draw_head(
    painter: QPainter, tip: QPointF, angle: float, colour: QColor
) -> None:
    """The head of an arrow."""
    sides = [
        QPointF(math.cos(angle + turn) * -8, math.sin(angle + turn) * -8)
        for turn in (0.4, -0.4)
    ]
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(colour)
    painter.drawPolygon(QPolygonF([tip, tip + sides[0], tip + sides[1]]))


def _area(box: QRectF) -> float:
    if box.isValid():
        return box.width() * box.height()
    return 0.0
