"""Texts beside what they name, none over another."""

from collections.abc import Iterable, Iterator

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QColor, QPainter

ABOVE, BELOW = 10, 3
"""How far a line of text reaches above and below the line it stands on."""
OUT = 20
"""How far outside something may stand and still have its name at the edge."""
FURTHER = (14, 28, 42)
"""How much further away a text is tried that must be there."""
GAP = 4
"""How much is left free between two texts beside each other."""


class Labels:
    """Writes texts into an area where there is room for them: what comes first is written first.

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
        self, text: str, at: QPointF, away: float, colour: QColor, *, must: bool = False
    ) -> QRectF | None:
        """Write a text so far away from a point: to its right or left, below or above it.

        Where there is no room for it, it is left out; if it must be there, it stands where it would
        stand first. Returns where it stands.
        """
        if not must and not self._area.adjusted(-OUT, -OUT, OUT, OUT).contains(at):
            return None  # what it would name is out of sight
        # What must be there looks for a free place further out before it stands over something.
        reach = (away, *(away + each for each in FURTHER)) if must else (away,)
        places = (self._inside(box) for each in reach for box in self._around(text, at, each))
        box = self.best_of(places)
        if box is None and must:
            box = self._inside(next(self._around(text, at, away)))
        if box is not None:
            self._taken.append(box.adjusted(-GAP, 0, GAP, 0))
            self._painter.setPen(colour)
            self._painter.drawText(QPointF(box.left(), box.top() + ABOVE), text)
        return box

    def best_of(self, places: Iterable[QRectF]) -> QRectF | None:
        """The first of some places that covers nothing; else the first that covers only what is
        spared where that is possible; None if there is neither.
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
        wide, high = self._painter.fontMetrics().horizontalAdvance(text), ABOVE + BELOW
        lifted, lowered = at.y() - high + 1, at.y() + 1
        for top in (lifted, lowered):
            yield QRectF(at.x() + away, top, wide, high)
            yield QRectF(at.x() - away - wide, top, wide, high)
        yield QRectF(at.x() - wide / 2, max(at.y() + away, lowered + high), wide, high)
        yield QRectF(at.x() - wide / 2, min(at.y() - away, lifted) - high, wide, high)

    def _inside(self, box: QRectF) -> QRectF:
        """The box, moved to where none of it is cut off."""
        left = max(self._area.left() + 3, min(box.left(), self._area.right() - box.width() - 4))
        top = max(self._area.top() + 2, min(box.top(), self._area.bottom() - box.height() - 2))
        return QRectF(left, top, box.width(), box.height())
