"""The line into which a cell of the table is typed."""

from collections.abc import Callable

from PySide6.QtCore import QEvent, QRect, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QAbstractScrollArea, QLabel, QLineEdit

LEAST_WIDTH = 260


class TypedLine(QLineEdit):
    """A line over a cell. Enter hands its text on, Escape and leaving it do
    not; Down in an empty line asks for the list of what can be chosen instead.
    Says below what is wrong.
    """

    typed = Signal(str)
    list_wanted = Signal()

    def __init__(
        self,
        table: QAbstractScrollArea,
        cell: QRect,
        hint: str,
        check: Callable[[str], str],
    ) -> None:
        viewport = table.viewport()
        super().__init__(viewport)
        self._table = table
        self._check = check
        self._is_open = True
        self.setPlaceholderText(hint)
        self.setAccessibleName(hint)
        wide = min(max(LEAST_WIDTH, cell.width()), viewport.width() - 8)
        left = max(2, min(cell.left(), viewport.width() - wide - 4))
        self.setGeometry(left, cell.top() + 2, wide, 27)
        self._fault = QLabel(viewport)
        self._fault.setObjectName("fault")
        self._fault.setStyleSheet(
            "background: #B4532E; color: white; padding: 3px 6px; border-radius: 3px;"
        )
        self._fault.setWordWrap(True)
        self._fault.hide()
        self.textEdited.connect(lambda _: self._fault.hide())
        self.show()
        self.setFocus()

    def close_line(self) -> None:
        """Close it without handing its text on."""
        if self._is_open:
            self._is_open = False
            self.hide()
            self._fault.deleteLater()
            self.deleteLater()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self._leave()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._enter()
        elif event.key() == Qt.Key.Key_Down and not self.text():
            self._leave()
            self.list_wanted.emit()
        else:
            super().keyPressEvent(event)

    def focusOutEvent(self, event: QEvent) -> None:
        super().focusOutEvent(event)  # type: ignore[arg-type]
        if event.reason() != Qt.FocusReason.PopupFocusReason:  # type: ignore[attr-defined]
            self.close_line()

    def _enter(self) -> None:
        text = self.text().strip()
        if not text:
            self._leave()
            return
        fault = self._check(text)
        if fault:
            self._fault.setText(fault)
            self._fault.setFixedWidth(self.width())
            self._fault.adjustSize()
            self._fault.move(self.x(), self.y() + self.height() + 2)
            self._fault.show()
            self._fault.raise_()
            return
        self.close_line()
        self._table.setFocus()
        self.typed.emit(text)

    def _leave(self) -> None:
        self.close_line()
        self._table.setFocus()
