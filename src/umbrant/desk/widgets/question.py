"""A question in the look of the house: what it is about, what is asked,
perhaps a field, and buttons that say what they do.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from PySide6.QtCore import QEvent, QObject, QPoint, Qt
from PySide6.QtGui import QIntValidator, QKeyEvent
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QPlainTextEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

WIDTH, FROM_TOP = 480, 96
"""How wide a question is, and how far below the top of its window it stands,
in pixels.
"""
MOST_TEXT = 380
"""A text that is higher scrolls, so that the buttons stay on the screen."""
MOST_INTEGER = 2**31 - 1
ONWARDS: Mapping[int, int] = {
    Qt.Key.Key_Right: 1,
    Qt.Key.Key_Down: 1,
    Qt.Key.Key_Left: -1,
    Qt.Key.Key_Up: -1,
}


@dataclass(frozen=True)
class Verb:
    """One of the answers: what its button says."""

    text: str
    is_default: bool = False
    """Whether Enter gives this answer."""


class QuestionDialog(QDialog):
    """Asks the author, over the window. Escape gives the last answer, which is
    to leave it as it is.

    Buttons are reached by Tab and the arrows, and by Alt with the first letter
    of what they say. Lives in the window's thread.
    """

    def __init__(
        self,
        parent: QWidget,
        title: str,
        text: str,
        verbs: Sequence[Verb],
        field: QWidget | None = None,
    ) -> None:
        super().__init__(
            parent, Qt.WindowType.Dialog | Qt.WindowType.FramelessWindowHint
        )
        self.setObjectName("question")
        self.setWindowTitle(title)
        self.setAccessibleName(title)
        self.setAccessibleDescription(text)
        self._window = parent.window()
        self.text = text
        self.answer = len(verbs) - 1
        """The index of the verb that was chosen."""
        heading = QLabel(title, self)
        heading.setObjectName("questionTitle")
        heading.setWordWrap(True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 14, 18, 14)
        layout.setSpacing(10)
        layout.addWidget(heading)
        if text:
            layout.addWidget(self._text(text))
        if field is not None:
            field.setAccessibleName(text or title)
            field.installEventFilter(self)
            layout.addWidget(field)
        self.buttons = [
            self._button(index, verb) for index, verb in enumerate(verbs)
        ]
        row = QHBoxLayout()
        row.addStretch(1)
        for button in self.buttons:
            row.addWidget(button)
        layout.addLayout(row)
        self.setFixedWidth(min(WIDTH, max(320, self._window.width() - 40)))
        (field or self._default()).setFocus()

    def ask(self) -> int:
        """Show it until it is answered; returns the index of the verb."""
        self.adjustSize()
        left = max(0, (self._window.width() - self.width()) // 2)
        self.move(self._window.mapToGlobal(QPoint(left, FROM_TOP)))
        self.exec()
        return self.answer

    def reject(self) -> None:
        """Escape, or the window is closed."""
        self.answer = len(self.buttons) - 1
        super().reject()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """The arrows go from button to button; Enter presses the one it is at."""
        step = ONWARDS.get(event.key())
        if step is not None:
            self._go_on(step)
            return
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            focused = self.focusWidget()
            if isinstance(focused, QPushButton):
                pressed = focused
            else:
                pressed = self._default()
            pressed.click()
            return
        super().keyPressEvent(event)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Enter in the field answers; in one of several lines it does so with
        Ctrl.
        """
        if (
            isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.KeyPress
        ):
            is_enter = event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
            several = isinstance(watched, QPlainTextEdit)
            with_ctrl = bool(
                event.modifiers() & Qt.KeyboardModifier.ControlModifier
            )
            if is_enter and (with_ctrl or not several):
                self._default().click()
                return True
        return super().eventFilter(watched, event)

    def _default(self) -> QPushButton:
        return next(each for each in self.buttons if each.isDefault())

    def _text(self, text: str) -> QWidget:
        label = QLabel(text, self)
        label.setObjectName("questionText")
        label.setWordWrap(True)
        label.setTextInteractionFlags(
            Qt.TextInteractionFlag.TextSelectableByMouse
        )
        if label.heightForWidth(WIDTH - 60) <= MOST_TEXT:
            return label
        area = QScrollArea(self)
        area.setWidgetResizable(True)
        area.setFixedHeight(MOST_TEXT)
        area.setWidget(label)
        return area

    def _button(self, index: int, verb: Verb) -> QPushButton:
        button = QPushButton(verb.text, self)
        button.setObjectName("verb")
        button.setShortcut(f"Alt+{verb.text[0]}")
        button.setAutoDefault(False)
        button.setDefault(verb.is_default)
        button.clicked.connect(lambda: self._choose(index))
        return button

    def _choose(self, index: int) -> None:
        self.answer = index
        self.accept()

    def _go_on(self, step: int) -> None:
        focused = self.focusWidget()
        here = 0
        if focused in self.buttons:
            here = self.buttons.index(focused)
        self.buttons[(here + step) % len(self.buttons)].setFocus()


def line_field(first: str) -> QLineEdit:
    """A line of text to change; all of it is selected."""
    line = QLineEdit(first)
    line.selectAll()
    return line


def note_field(first: str) -> QPlainTextEdit:
    """Several lines of text."""
    field = QPlainTextEdit(first)
    field.setTabChangesFocus(True)
    field.setFixedHeight(120)
    return field


def integer_field(first: int) -> QLineEdit:
    """A whole number from 0 on. The toolkit's own field for numbers leaves
    what is typed no width when the style sheet gives it a border and its
    arrows are left out.
    """
    field = line_field(str(first))
    field.setValidator(QIntValidator(0, MOST_INTEGER, field))
    return field


def list_field(options: Sequence[str]) -> QListWidget:
    """One of several texts; the first is selected, and typing goes to the one
    that begins so.
    """
    field = QListWidget()
    field.addItems(list(options))
    field.setCurrentRow(0)
    field.setFixedHeight(min(8, len(options)) * field.sizeHintForRow(0) + 8)
    return field
