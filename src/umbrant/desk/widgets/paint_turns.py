"""Painting one view after the other, so that the keyboard and the mouse are
heard in between.
"""

from collections.abc import Callable

from PySide6.QtCore import QCoreApplication, QObject, QTimer
from PySide6.QtWidgets import QWidget
from shiboken6 import isValid


class PaintTurns(QObject):
    """Has each widget that asks for it painted in a turn of the event loop of
    its own.

    Qt paints all of a window that is to be painted at once. When another take
    is shown that is nearly all of it, which takes longer than a window may
    keep its user waiting. So a widget that waits is not painted before its
    turn, whatever else asks for that.
    """

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._waiting: dict[QWidget, Callable[[], None] | None] = {}
        """Who waits, and what is to be done before it is painted."""
        self._turn = QTimer(self)
        self._turn.setSingleShot(True)
        self._turn.timeout.connect(self._next)

    @classmethod
    def shared(cls) -> "PaintTurns":
        """The turns of all windows of the program."""
        program = QCoreApplication.instance()
        if program is None:
            raise RuntimeError("nothing is painted without an application")
        return program.findChild(cls) or cls(program)

    def ask(
        self, widget: QWidget, first: Callable[[], None] | None = None
    ) -> None:
        """Have a widget painted soon, after those that have asked before; with
        `first` that is done in its turn as well, before it.
        """
        if widget not in self._waiting:
            widget.setUpdatesEnabled(False)
        self._waiting[widget] = first or self._waiting.get(widget)
        if not self._turn.isActive():
            self._turn.start()

    @property
    def is_over(self) -> bool:
        """Whether nobody waits for a turn: all of the window is as it should
        be.
        """
        return not self._waiting

    def _next(self) -> None:
        widget = next(iter(self._waiting))
        first = self._waiting.pop(widget)
        if self._waiting:
            self._turn.start()
        # Its window may have been closed while it waited.
        if not isValid(widget):
            return
        try:
            if first is not None:
                first()
        finally:
            # Which has it painted, too.
            widget.setUpdatesEnabled(True)
