"""Texts beside what they name, none over another."""

from collections.abc import Iterable, Iterator

from PySide6.QtCore import QLineF, QPointF, QRectF
from PySide6.QtGui import QColor, QPainter

ABOVE, BELOW = 10, 3
"""How far a line of text reaches above and below the line it stands on."""
OUT = 20
"""How far outside something may stand and still have its name at the edge."""
FURTHER = (14, 28, 42, 56)
"""How much further away a text is tried that must be there."""
NEARER = 4.0
"""How many square pixels may be covered for a text to stand a pixel nearer to
what it names.
"""
LED = 10.0
"""From how much further off than usual a line leads from a text to what it
names.
"""
GAP = 4
"""How much is left free between two texts beside each other."""


class Labels:
    """Writes texts into an area where there is room for them: what comes first
    is written first.

    Used for one painting; `painter` has the font of the labels.
    """

    def __init__(self, painter: QPainter, area: QRectF) -> None:
        self._painter = painter
        self._area = area
        self._taken: list[QRectF] = []
        self._spared: list[QRectF] = []

    def keep_clear(self, box: QRectF) -> None:
        """Nothing that may go without its label is to be written over a box."""
        self._taken.append(box)

    def spare(self, box: QRectF) -> None:
        """A text is written over a box only where it has no other place."""
        self._spared.append(box)

    def write(
        self,
        text: str,
        at: QPointF,
        away: float,
        colour: QColor,
        *,
        must: bool = False,
    ) -> QRectF | None:
        """Write a text so far away from a point: to its right or left, below
        or above it.

        Where there is no room for it, it is left out; if it must be there, it
        is tried further off, and stands where it covers least. Returns where
        it stands.
        """
        if not must and not self._area.adjusted(-OUT, -OUT, OUT, OUT).contains(
            at
        ):
            return None  # what it would name is out of sight
        places = [self._inside(box) for box in self._around(text, at, away)]
        if must:
            for each in FURTHER:
                places += map(
                    self._inside, self._around(text, at, away + each)
                )
                places += map(
                    self._inside, self._corners(text, at, away + each)
                )
        box = self.best_of(places)
        if box is None and must:
            box = min(
                places,
                key=lambda each: (
                    self._covered(each)
                    + NEARER * QLineF(_nearest(each, at), at).length()
                ),
            )
        if box is not None:
            self._taken.append(box.adjusted(-GAP, 0, GAP, 0))
            self._painter.setPen(colour)
            line = QLineF(_nearest(box, at), at)
            if line.length() > away + LED:
                # So far off nobody would know whose name it is.
                line.setLength(line.length() - away + BELOW)
                self._painter.drawLine(line)
            self._painter.drawText(
                QPointF(box.left(), box.top() + ABOVE), text
            )
        return box

    def best_of(self, places: Iterable[QRectF]) -> QRectF | None:
        """The first of some places that covers nothing; else the first that
        covers only what is spared where that is possible; None if there is
        neither.
        """
        second = None
        for box in places:
            if any(map(box.intersects, self._taken)):
                continue
            if not any(map(box.intersects, self._spared)):
                return box
            second = second or box
        return second

    def _around(self, text: str, at: QPointF, away: float) -> Iterator[QRectF]:
        """Where the text might stand, the best place first."""
        wide, high = (
            self._painter.fontMetrics().horizontalAdvance(text),
            ABOVE + BELOW,
        )
        lifted, lowered = at.y() - high + 1, at.y() + 1
        for top in (lifted, lowered):
            yield QRectF(at.x() + away, top, wide, high)
            yield QRectF(at.x() - away - wide, top, wide, high)
        yield QRectF(
            at.x() - wide / 2, max(at.y() + away, lowered + high), wide, high
        )
        yield QRectF(
            at.x() - wide / 2, min(at.y() - away, lifted) - high, wide, high
        )

    def _corners(
        self, text: str, at: QPointF, away: float
    ) -> Iterator[QRectF]:
        """Where it might stand between the sides: to the right or left, above
        or below.
        """
        wide, high = (
            self._painter.fontMetrics().horizontalAdvance(text),
            ABOVE + BELOW,
        )
        for top in (at.y() - away - high, at.y() + away):
            yield QRectF(at.x() + away / 2, top, wide, high)
            yield QRectF(at.x() - away / 2 - wide, top, wide, high)

    def _covered(self, box: QRectF) -> float:
        """How much a box covers of what is to be seen, in square pixels."""
        shared = (
            box & each
            for each in (*self._taken, *self._spared)
            if box.intersects(each)
        )
        return sum(each.width() * each.height() for each in shared)

    def _inside(self, box: QRectF) -> QRectF:
        """The box, moved to where none of it is cut off."""
        left = max(
            self._area.left() + 3,
            min(box.left(), self._area.right() - box.width() - 4),
        )
        top = max(
            self._area.top() + 2,
            min(box.top(), self._area.bottom() - box.height() - 2),
        )
        return QRectF(left, top, box.width(), box.height())


def _nearest(box: QRectF, at: QPointF) -> QPointF:
    """The place of a box that is nearest to a point."""
    return QPointF(
        min(max(at.x(), box.left()), box.right()),
        min(max(at.y(), box.top()), box.bottom()),
    )
