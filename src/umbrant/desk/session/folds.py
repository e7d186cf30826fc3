"""Which rows are folded: what is in them is shown neither in the outline nor on the map."""

from PySide6.QtCore import QObject, Signal

from umbrant.model.behaviors import Behavior


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
