"""What the views show: which ticks of the take, and which rows are folded."""

from PySide6.QtCore import QObject, Signal

from umbrant.model.behaviors import Behavior

FIRST_LENGTH_S = 14.0
SHORTEST_TICKS = 10.0


class TapeWindow(QObject):
    """A stretch of the take, in ticks; both may be fractions while it is
    dragged.
    """

    changed = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.start = 0.0
        self.length = 280.0
        self._wished = self.length
        """The length that the author chose. A shorter take shows less, and the
        next one lets the tape have it again.
        """
        self.ticks = 0
        self.ticks_per_s = 20

    @property
    def end(self) -> float:
        """The tick at the right edge."""
        return self.start + self.length

    def fit(self, ticks: int, ticks_per_s: int) -> None:
        """Adapt to a take of another length; the stretch stays where it is as
        far as it can.
        """
        if self.ticks == 0 or ticks_per_s != self.ticks_per_s:
            self._wished = FIRST_LENGTH_S * ticks_per_s
        self.ticks, self.ticks_per_s = ticks, ticks_per_s
        self._set(self.start, self._wished)

    def show(self, tick: float) -> None:
        """Move just far enough that a tick is seen; when it is far outside,
        put it a quarter in.
        """
        margin = self.length * 0.04
        if tick < self.start + margin or tick > self.end - margin:
            near = (
                self.start - self.length <= tick <= self.end + self.length / 20
            )
            if not near or tick < self.start + margin:
                start = tick - self.length * 0.25
            else:
                start = tick - self.length * 0.85
            self._set(start, self.length)

    def zoom(self, factor: float, around: float) -> None:
        """Show less (a factor below 1) or more, keeping the tick `around`
        where it is.
        """
        length = min(
            max(self.length * factor, SHORTEST_TICKS),
            float(max(self.ticks, SHORTEST_TICKS)),
        )
        self._wished = length
        share = 0.0
        if self.length:
            share = (around - self.start) / self.length
        self._set(around - share * length, length)

    def move(self, ticks: float) -> None:
        """Show an earlier or a later stretch."""
        self._set(self.start + ticks, self.length)

    def centre(self, tick: float) -> None:
        """Put a tick in the middle."""
        self._set(tick - self.length / 2, self.length)

    def _set(self, start: float, length: float) -> None:
        length = min(length, float(max(self.ticks, 1)))
        start = max(0.0, min(start, self.ticks - length))
        if (start, length) != (self.start, self.length):
            self.start, self.length = start, length
            self.changed.emit()


class Folds(QObject):
    """The folded rows of a window, by their ids. Lives in the window's thread."""

    changed = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.rows: frozenset[str] = frozenset()

    def flip(self, row_id: str) -> None:
        """Fold a row, or unfold it."""
        self._set(self.rows ^ {row_id})

    def reveal(self, behavior: Behavior | None, row_id: str) -> None:
        """Unfold whatever hides a row of a behavior."""
        if behavior is not None and row_id in behavior.by_id:
            self._set(self.rows - {*behavior.outline.path(row_id)[:-1]})

    def _set(self, rows: frozenset[str]) -> None:
        if rows != self.rows:
            self.rows = rows
            self.changed.emit()


def can_fold(behavior: Behavior | None, row_id: str) -> bool:
    """Whether a row has anything in it that could be folded away."""
    return (
        behavior is not None
        and row_id in behavior.by_id
        and bool(behavior.outline.children[row_id])
    )
