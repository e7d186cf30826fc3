"""The list below a line in which a condition is typed: what can be written
next. Its blanks are filled one after the other.
"""

from collections.abc import Callable, Sequence

from PySide6.QtCore import QPoint, QStringListModel, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QFrame,
    QLabel,
    QLineEdit,
    QListView,
    QVBoxLayout,
    QWidget,
)

from umbrant.catalog.language.completion import BLANK, Completion, blanks
from umbrant.desk.chips.drawing import Brushes
from umbrant.desk.chips.offered import LINE, OfferDelegate

WIDTH, MOST_LINES, MARGIN = 420, 8, 6
Complete = Callable[[str, int, str], Sequence[Completion]]
"""What can be written in a text at the cursor; within a blank of this label,
if it is not empty.
"""


class CompletionList(QFrame):
    """Lists what can be written next in a line of its parent. Tab takes the
    first, or what the arrows have chosen, and goes on to the next blank. Lives
    in the window's thread.
    """

    def __init__(
        self,
        parent: QWidget,
        line: QLineEdit,
        brushes: Brushes,
        complete: Complete,
    ) -> None:
        super().__init__(parent)
        self.setObjectName("search")
        self.setAccessibleName("What can be written")
        self._line, self._complete = line, complete
        self.shown: list[Completion] = []
        self._blank = ""
        """The label of the blank that is being filled."""
        self._is_chosen = False
        """Whether the author has gone to one of the list with the arrows."""
        self.list = QListView(self)
        self.list.setAccessibleName("Completions")
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.setModel(QStringListModel(self))
        self.list.setItemDelegate(OfferDelegate(brushes, self._at, self.list))
        self.list.setHorizontalScrollBarPolicy(
            Qt.ScrollBarPolicy.ScrollBarAlwaysOff
        )
        self.list.clicked.connect(
            lambda index: self._take(self.shown[index.row()])
        )
        keys = QLabel("Tab takes it · arrows choose · Enter is done", self)
        keys.setObjectName("dim")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(MARGIN, MARGIN, MARGIN, MARGIN)
        layout.setSpacing(4)
        layout.addWidget(self.list)
        layout.addWidget(keys)
        line.textEdited.connect(self.refresh)
        self.hide()

    def begin(self) -> None:
        """List what a condition can begin with."""
        self.shown = list(self._complete("", 0, ""))
        self._list()

    def refresh(self) -> None:
        """List what fits at the cursor now."""
        cursor = self._line.cursorPosition()
        text = self._line.text()
        if text[:cursor].endswith(" "):
            # The blank has been filled, and what comes now stands behind it.
            self._blank = ""
        self.shown = list(self._complete(text, cursor, self._blank))
        # What is written out needs no list.
        is_written = any(
            text[each.start : cursor] == each.text for each in self.shown
        )
        self._list(hidden=is_written and len(self.shown) == 1)

    def below(self, other: QWidget) -> None:
        """Keep clear of what is said below the line."""
        if self.isVisible():
            self._move_to_line(other.geometry().bottom() + 1)

    def key(self, event: QKeyEvent) -> bool:
        """Act on a key of the line. Returns whether it was one for the list or
        for a blank.
        """
        key = event.key()
        if key in (Qt.Key.Key_Down, Qt.Key.Key_Up) and self.isVisible():
            if key == Qt.Key.Key_Down:
                self._choose(1)
            else:
                self._choose(-1)
            return True
        if key == Qt.Key.Key_Escape and self.isVisible():
            self.hide()
            return True
        if key == Qt.Key.Key_Tab:
            return self._go_on()
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if self.isVisible() and self._is_chosen:
                self._take(self.shown[self.list.currentIndex().row()])
                return True
            return self.next_blank()
        return False

    def next_blank(self) -> bool:
        """Select the next blank. Returns whether there is one left."""
        text, cursor = self._line.text(), self._line.cursorPosition()
        found = blanks(text)
        if not found:
            self._blank = ""
            return False
        start, end = next(
            (each for each in found if each[1] > cursor), found[0]
        )
        self._line.setSelection(start, end - start)
        inside = BLANK.fullmatch(text[start:end])
        self._blank = inside[1] if inside else ""
        self.shown = list(
            self._complete(text[:start] + text[end:], start, self._blank)
        )
        self._list()
        return True

    def _list(self, *, hidden: bool = False) -> None:
        """List what is to be shown, with the first of it to be taken."""
        model = self.list.model()
        assert isinstance(model, QStringListModel)  # noqa: S101  (set above)
        model.setStringList([each.label for each in self.shown])
        self._is_chosen = False
        self.setVisible(bool(self.shown) and not hidden)
        if self.isVisible():
            self.list.setCurrentIndex(model.index(0, 0))
            self._move_to_line()

    def _go_on(self) -> bool:
        """Tab: take what is listed, unless it stands there already; else go to
        the next blank.
        """
        if self.isVisible() and self.shown:
            chosen = self.shown[max(0, self.list.currentIndex().row())]
            self._take(chosen)
            return True
        return self.next_blank()

    def _choose(self, step: int) -> None:
        moved = 0
        if self._is_chosen or step < 0:
            moved = step
        row = self.list.currentIndex().row() + moved
        self._is_chosen = True
        row = max(0, min(len(self.shown) - 1, row))
        self.list.setCurrentIndex(self.list.model().index(row, 0))

    def _take(self, chosen: Completion) -> None:
        """Write one of the list, and go on to the next blank."""
        line = self._line
        text = line.text()
        start, cursor = chosen.start, line.cursorPosition()
        if line.hasSelectedText():
            start, cursor = line.selectionStart(), line.selectionEnd()
        line.setText(text[:start] + chosen.text + text[cursor:])
        if blanks(chosen.text):
            cursor_position = start
        else:
            cursor_position = start + len(chosen.text)
        line.setCursorPosition(cursor_position)
        self._blank = ""
        self.hide()
        line.textEdited.disconnect(self.refresh)
        line.textEdited.emit(line.text())
        line.textEdited.connect(self.refresh)
        self.next_blank()

    def _at(self, index: int) -> Completion | None:
        if 0 <= index < len(self.shown):
            return self.shown[index]
        return None

    def _move_to_line(self, top: int = 0) -> None:
        """Below the line, or below what stands there; above it where there is
        no room.
        """
        line, area = self._line.geometry(), self.parentWidget()
        assert area is not None  # noqa: S101  (made with one)
        lines = min(MOST_LINES, len(self.shown))
        self.list.setFixedHeight(lines * LINE + 2)
        self.adjustSize()
        high = self.sizeHint().height()
        wide = min(WIDTH, area.width() - 8)
        top = max(top, line.bottom() + 2)
        if top + high > area.height() and line.top() - high - 2 >= 0:
            top = line.top() - high - 2
        left = max(4, min(line.left(), area.width() - wide - 4))
        self.setGeometry(QPoint(left, top).x(), top, wide, high)
        self.raise_()
