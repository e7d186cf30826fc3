"""Panes below one another share their height by use: the one that is used has
room for what it shows.
"""

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QFocusEvent
from PySide6.QtWidgets import QSplitter, QWidget

ROOM = 262
"""How high a pane must be, in pixels, to show an answer of eight lines without
scrolling.
"""
MOST_SHARE = 0.48
"""How much of all the height a pane is given at most without being dragged
there.
"""
BY_KEYBOARD = (
    Qt.FocusReason.TabFocusReason,
    Qt.FocusReason.BacktabFocusReason,
    Qt.FocusReason.ShortcutFocusReason,
    Qt.FocusReason.OtherFocusReason,
)
"""How the keyboard comes to a pane where a hand on the mouse has not brought
it. With the mouse nothing is moved: what was pressed would slip away from
under the pointer.
"""


class HeightByUse(QObject):
    """Watches who has the keyboard in the panes of a splitter."""

    def __init__(self, splitter: QSplitter) -> None:
        super().__init__(splitter)
        self._splitter = splitter

    def watch(self, widget: QWidget) -> None:
        """Give the pane that this widget lies in room once the widget gets the
        keyboard.
        """
        widget.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if (
            isinstance(event, QFocusEvent)
            and event.gotFocus()
            and isinstance(watched, QWidget)
        ):
            pane = self._pane_of(watched)
            if pane is not None and event.reason() in BY_KEYBOARD:
                self.make_room(pane)
        return False

    def make_room(self, pane: QWidget) -> None:
        """Give a pane the height of a typical answer, at the cost of the
        others. It keeps what it was given: the author may have dragged it
        larger.
        """
        sizes, index = self._splitter.sizes(), self._splitter.indexOf(pane)
        missing = min(ROOM, int(sum(sizes) * MOST_SHARE)) - sizes[index]
        spare = sum(sizes) - sizes[index]
        if missing > 0 and spare > 0:
            shares = [each - missing * each // spare for each in sizes]
            shares[index] = sizes[index] + missing
            self._splitter.setSizes(shares)

    def _pane_of(self, widget: QWidget) -> QWidget | None:
        """The pane that a widget lies in. The tabs of both sides change
        places, so it is looked up each time.
        """
        for index in range(self._splitter.count()):
            pane = self._splitter.widget(index)
            if pane is not None and pane.isAncestorOf(widget):
                return pane
        return None
