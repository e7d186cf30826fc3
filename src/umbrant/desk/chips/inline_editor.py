"""The line over a chip that is typed over, with what can be written below it."""

from collections.abc import Callable

from PySide6.QtCore import QEvent, QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QAbstractScrollArea, QLabel, QLineEdit, QSlider

from umbrant.catalog.language.completion import blanks
from umbrant.desk.chips.completing import Complete, CompletionList
from umbrant.desk.chips.drawing import Brushes
from umbrant.desk.chips.sentence import Chip, ChipEditor, number_of
from umbrant.model.values import number_text, value_text

WRITTEN = (ChipEditor.CONDITION, ChipEditor.FORMULA)
"""The chips that hold a condition or a formula."""
SLIDER_WIDTH = 140
NEW_GUARD = "yes"
"""What a guard holds that has just been put on a row."""


class InlineEditor(QLineEdit):
    """A line over a chip. Enter and leaving it keep what was typed, Escape
    does not. Says below what is wrong.
    """

    left = Signal(bool)
    """It was closed: whether with Enter."""

    def __init__(
        self,
        table: QAbstractScrollArea,
        chip: Chip,
        rect: QRectF,
        check: Callable[[str], str],
    ) -> None:
        viewport = table.viewport()
        super().__init__(viewport)
        self._table = table
        self.finished: Callable[[str], None] = lambda text: None
        self._check = check
        self._open = True
        if isinstance(chip.value, str):
            self._first = chip.value
        else:
            self._first = value_text(chip.value)
        if chip.value is None:
            shown = ""
        else:
            shown = self._first
        self.setText(shown)
        self.setAccessibleName(f"{chip.label} of the row")
        least = 70
        if chip.editor in WRITTEN:
            least = 300
        wide = max(
            int(rect.width()) + 16,
            least,
        )
        wide = max(
            wide, self.fontMetrics().horizontalAdvance(self.text()) + 24
        )
        left = max(2, min(int(rect.left()) - 4, viewport.width() - wide - 4))
        self.setGeometry(
            left,
            int(rect.top()) - 3,
            min(wide, viewport.width() - 4),
            int(rect.height()) + 6,
        )
        self.slider: QSlider | None = None
        self.completing: CompletionList | None = None
        self._fault = QLabel(viewport)
        self._fault.setObjectName("fault")
        self._fault.setStyleSheet(
            "background: #B4532E; color: white; padding: 3px 6px; border-radius: 3px;"
        )
        self._fault.hide()
        self.textEdited.connect(self._say_fault)

    def open(self) -> None:
        """Show it, ready to be typed over."""
        self.selectAll()
        self.show()
        self.setFocus()
        if self.slider is not None:
            self.slider.show()
        if self.completing is not None and self.text() in ("", NEW_GUARD):
            self.completing.begin()

    def offer(self, brushes: Brushes, complete: Complete) -> None:
        """List what can be written next, below the line."""
        self.completing = CompletionList(
            self._table.viewport(), self, brushes, complete
        )

    def slide(self, chip: Chip, put: Callable[[float], None]) -> None:
        """Show a slider below, for a number whose range is short; what it is
        moved to is put in at once.
        """
        low, high, step = (
            float(chip.quantity.low or 0),
            float(chip.quantity.high or 0),
            chip.quantity.step,
        )
        slider = QSlider(Qt.Orientation.Horizontal, self._table.viewport())
        slider.setAccessibleName(f"{chip.label}, slider")
        slider.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        slider.setRange(0, round((high - low) / step))
        slider.setValue(round((number_of(chip.value) - low) / step))
        slider.setGeometry(
            self.x(),
            self.y() + self.height() + 1,
            max(self.width(), SLIDER_WIDTH),
            22,
        )

        def moved(index: int) -> None:
            number = round(low + index * step, 6)
            self.setText(number_text(number))
            self._first = self.text()
            put(number)

        slider.valueChanged.connect(moved)
        self.slider = slider

    def commit(self) -> None:
        """Close the editor, and hand its text on if it differs from what it
        was opened with.
        """
        if self._open and self.text() != self._first:
            self._close(keep=True)
        else:
            self._close(keep=False)

    def cancel(self) -> None:
        """Close without handing the typed text on."""
        self._close(keep=False)

    def focusOutEvent(self, event: QEvent) -> None:
        super().focusOutEvent(event)  # type: ignore[arg-type]
        if event.reason() != Qt.FocusReason.PopupFocusReason:  # type: ignore[attr-defined]
            self.commit()

    def event(self, event: QEvent) -> bool:
        """Tab takes what is listed: it would leave the line otherwise."""
        if (
            self.completing is not None
            and isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.KeyPress
            and event.key() == Qt.Key.Key_Tab
            and self.completing.key(event)
        ):
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self.completing is not None and self.completing.key(event):
            return
        if event.key() == Qt.Key.Key_Escape:
            self.cancel()
            self.left.emit(False)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            # Not passed on to the table below, where it would open the chip
            # again.
            self.commit()
            self.left.emit(True)
        else:
            super().keyPressEvent(event)

    def _say_fault(self, text: str) -> None:
        if self.completing is not None and blanks(text):
            fault = ""
        else:
            fault = self._check(text)
        self._fault.setText(fault)
        self._fault.setVisible(bool(fault))
        self._fault.adjustSize()
        # Above where there is a list below, which keeps clear of it where
        # there is no room above.
        above = self.y() - self._fault.height() - 2
        below = self.y() + self.height() + 2
        is_above = self.completing is not None and above >= 0
        self._fault.move(self.x(), above if is_above else below)
        self._fault.raise_()
        if fault and self.completing is not None and not is_above:
            self.completing.below(self._fault)

    def _close(self, *, keep: bool) -> None:
        if not self._open:
            return
        self._open = False
        text = self.text()
        self.hide()
        self._fault.deleteLater()
        for below in (self.slider, self.completing):
            if below is not None:
                below.hide()
                below.deleteLater()
        self.deleteLater()
        if keep:
            self.finished(text)
        else:
            self._table.setFocus()
