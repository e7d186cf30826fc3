"""A table of sentences whose chips are walked by keyboard, dragged, typed over
and picked from lists.
"""

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, QTimer
from PySide6.QtGui import (
    QContextMenuEvent,
    QHelpEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QShowEvent,
)
from PySide6.QtWidgets import QAbstractItemView, QToolTip, QWidget

from umbrant.desk.chips.drawing import Brushes
from umbrant.desk.chips.editing import COARSE, FINE, PIXELS_A_STEP, ChipEditing
from umbrant.desk.chips.layout import Fonts, RowLayout
from umbrant.desk.chips.sentence import Chip, ChipEditor, ChipKey
from umbrant.desk.chips.values import chip_tip
from umbrant.desk.session.desk import Desk
from umbrant.desk.widgets.dialogs import Dialogs
from umbrant.desk.widgets.painted import PaintedTable
from umbrant.desk.widgets.theme import COMPACT_ROW_HEIGHT, ROW_HEIGHT, Palette
from umbrant.model.edits import Edit
from umbrant.model.paths import PathError

SENTENCES = 0
"""The column that the sentences stand in."""
DRAG_STARTS_AT = 4


@dataclass
class _Drag:
    """A number being dragged sideways."""

    chip: Chip
    from_x: float
    merges: str
    moved: bool = False


class ChipTable(PaintedTable):
    """What the ledger and the setting have in common. Subclasses say how each
    line is laid out.
    """

    def __init__(
        self,
        desk: Desk,
        palette: Palette,
        dialogs: Callable[[], Dialogs],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.desk = desk
        self.brushes = Brushes(palette, Fonts.make())
        self.focused: ChipKey | None = None
        """The chip that the keyboard is on."""
        self.editing = ChipEditing(desk, self, dialogs, self.brushes)
        self.editing.filled.connect(
            lambda: QTimer.singleShot(0, self, self.begin_missing)
        )
        self._drag: _Drag | None = None
        self._drags = 0
        self.setShowGrid(False)
        self.setSelectionBehavior(
            QAbstractItemView.SelectionBehavior.SelectRows
        )
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(
            Qt.ScrollBarPolicy.ScrollBarAlwaysOff
        )
        self.setTabKeyNavigation(False)
        self.setMouseTracking(True)
        self.viewport().setMouseTracking(True)
        self.verticalHeader().hide()
        self.verticalHeader().setMinimumSectionSize(20)
        # Every pixel is painted here, so that Qt need not repaint all of it
        # where only a part has changed.
        self.viewport().setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)

    # when it is taken up

    is_stale = False
    """Whether what it shows has changed since it was taken up. Sentences take
    long to lay out, and mostly another tab is shown.
    """

    def reload(self) -> None:
        """Take up what it shows as it now is."""
        raise NotImplementedError

    def reload_when_seen(self) -> None:
        """What it shows has changed: take it up now, or as soon as it is
        looked at.
        """
        self.is_stale = True
        if self.isVisible():
            self.reload()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        if self.is_stale:
            self.reload()

    # what subclasses say

    needs_row = True
    """Whether its commands act on the selected row; else on what is selected
    in it.
    """
    shows_rows = True
    """Whether what is selected in it is a row of the behavior."""

    def heading(self) -> str:
        """The text of the line beside the table's tab: what the table shows."""
        raise NotImplementedError

    def open_additions(self) -> None:
        """Offer what can be added at the selected line; what Enter does."""
        raise NotImplementedError

    rows_are_lines = True
    """Whether each line is one thing, rather than a row of cells that are
    walked by themselves.
    """

    def can_paste(self) -> bool:
        """Whether a text of the clipboard can be put in where no row is
        selected.
        """
        return False

    def paste_text(self, text: str) -> bool:
        """Put a text from the clipboard in, if it is none of rows. Says
        whether it was for this table to do.
        """
        return False

    def delete(self) -> bool:
        """Delete what is selected, if that is no row. Says whether it was for
        this table to do.
        """
        return False

    def move_line(self, step: int) -> bool:
        """Move the selected line up (-1) or down (1), if it is no row. Says
        whether it was for this table to do.
        """
        return False

    def fold(self) -> None:
        """Hide or show what stands under the selected line."""

    def can_fold(self) -> bool:
        """Whether there is anything under the selected line to hide."""
        return False

    def layout_at(self, place: int) -> RowLayout | None:
        """The layout of a line; None if there is no such line."""
        raise NotImplementedError

    def selected_index(self) -> int:
        """The line that is selected; -1 if none is."""
        raise NotImplementedError

    def lay_out_again(self) -> None:
        """The width or the height of lines has changed."""
        raise NotImplementedError

    def press_line(self, place: int, position: QPointF) -> bool:
        """The mouse was pressed on a sentence; says whether that was meant for
        something else than its chips.
        """
        return False

    # looks

    def draw_ground(self, painter: QPainter) -> None:
        painter.fillRect(self.viewport().rect(), self.brushes.palette.sheet)

    def set_palette(self, palette: Palette) -> None:
        """Turn to Day or Night."""
        self.brushes.palette = palette
        self.viewport().update()

    def set_compact(self, compact: bool) -> None:
        """Show lines at 26 or at 34 pixels."""
        if compact:
            self.brushes.line = COMPACT_ROW_HEIGHT
        else:
            self.brushes.line = ROW_HEIGHT
        self.lay_out_again()

    @property
    def compact(self) -> bool:
        """Whether lines have the lower of their two heights, as *View ›
        Compact rows* sets it.
        """
        return self.brushes.line < ROW_HEIGHT

    # chips

    def chips(self) -> list[tuple[Chip, QRectF]]:
        """The chips of the selected line, with their rectangles in it."""
        layout = self.layout_at(self.selected_index())
        if layout is not None:
            return layout.chips()
        return []

    @property
    def focused_chip(self) -> tuple[Chip, QRectF] | None:
        """The chip that the keyboard is on."""
        return next(
            (
                (chip, rect)
                for chip, rect in self.chips()
                if chip.key == self.focused
            ),
            None,
        )

    def focus_chip(self, step: int) -> None:
        """Put the keyboard on the next (1) or the previous (-1) chip of the
        selected line.
        """
        keys = [chip.key for chip, _ in self.chips()]
        if not keys:
            return
        if self.focused in keys:
            index = (keys.index(self.focused) + step) % len(keys)
        elif step > 0:
            index = min(1, len(keys) - 1)
        else:
            index = len(keys) - 1
        self.focused = keys[index]
        self.viewport().update()

    def leave_chips(self) -> None:
        """Take the keyboard back from chips to lines."""
        self.focused = None
        self.viewport().update()

    def edit_chip(self, chip: Chip, rect: QRectF) -> None:
        """Open the editor of a chip over its rectangle."""
        self.editing.begin(
            chip, rect.translated(self._corner(self.selected_index()))
        )

    def begin_missing(self) -> None:
        """Open the first chip of the selected line that has to be filled in."""
        missing = next(
            ((chip, rect) for chip, rect in self.chips() if chip.missing), None
        )
        if missing is not None:
            self.focused = missing[0].key
            self.edit_chip(*missing)

    def rename(self) -> None:
        """Type another name for what is selected."""
        for chip, rect in self.chips():
            if chip.editor is ChipEditor.NAME:
                self.edit_chip(chip, rect)
                return

    def chip_at(self, position: QPointF) -> tuple[Chip, QRectF] | None:
        """The chip under a place of the viewport, and its rectangle there."""
        index = self.indexAt(position.toPoint())
        layout = None
        if index.column() == SENTENCES:
            layout = self.layout_at(index.row())
        if layout is None:
            return None
        corner = self._corner(index.row())
        found = layout.chip_at(position - corner)
        if found:
            return (found[0], found[1].translated(corner))
        return None

    # events

    def keyPressEvent(self, event: QKeyEvent) -> None:
        focused = self.focused_chip
        if focused is not None and self._chip_key(event, *focused):
            return
        is_plain = not event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier
        if event.key() == Qt.Key.Key_Escape:
            self.leave_chips()
        elif (
            event.key() in (Qt.Key.Key_Home, Qt.Key.Key_End)
            and is_plain
            and self.rows_are_lines
        ):
            # To the first or the last line: Qt's own goes along the line,
            # which has one sentence.
            last = 0
            if event.key() == Qt.Key.Key_End:
                last = self.model().rowCount() - 1
            self.setCurrentIndex(
                self.model().index(max(0, last), self.currentIndex().column())
            )
        elif event.key() in (
            Qt.Key.Key_Up,
            Qt.Key.Key_Down,
            Qt.Key.Key_PageUp,
            Qt.Key.Key_PageDown,
        ) or (
            event.key() in (Qt.Key.Key_Home, Qt.Key.Key_End)
            and not event.modifiers()
        ):
            super().keyPressEvent(event)
        else:
            event.ignore()

    def event(self, event: QEvent) -> bool:
        """Keys that walk chips are the table's own while a chip is focused,
        whatever shortcut they have elsewhere.
        """
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(
            event, QKeyEvent
        ):
            walking = (
                Qt.Key.Key_Left,
                Qt.Key.Key_Right,
                Qt.Key.Key_Return,
                Qt.Key.Key_Enter,
                Qt.Key.Key_Space,
            )
            if (
                self.focused is not None
                and event.key() in walking
                and not event.modifiers()
            ):
                event.accept()
                return True
        return super().event(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is not None:
            self._drag_on(event)
        else:
            self._show_cursor(event.position())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        drag, self._drag = self._drag, None
        if drag is not None and not drag.moved:
            found = self.chip_at(event.position())
            if found is not None and found[0].key == drag.chip.key:
                self.editing.begin(*found)
        elif drag is not None:
            self.desk.documents.history.settle()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.mousePressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        found = self.chip_at(QPointF(event.pos()))
        if found is not None:
            self.editing.pick(*found)

    def viewportEvent(self, event: QEvent) -> bool:
        """Over a chip the tooltip says what it is and how it is changed;
        elsewhere what the model says of the line.
        """
        if (
            isinstance(event, QHelpEvent)
            and event.type() == QEvent.Type.ToolTip
        ):
            found = self.chip_at(QPointF(event.pos()))
            tip = ""
            if found is not None:
                tip = chip_tip(found[0])
            if tip:
                QToolTip.showText(event.globalPos(), tip, self.viewport())
                return True
        return super().viewportEvent(event)

    def apply_edit(self, edit: Edit) -> bool:
        """Change the project; where that is not possible, say so and change
        nothing.
        """
        try:
            return self.desk.apply(edit)
        except PathError as error:
            self.desk.message.emit(f"{edit.name} is not possible: {error}.")
            return False

    # inside

    def press_sentence(self, index: int, position: QPointF) -> None:
        """The mouse was pressed on a sentence: a drag of a number may begin."""
        if self.press_line(index, position):
            return
        found = self.chip_at(position)
        if found is not None:
            self._drags += 1
            self._drag = _Drag(found[0], position.x(), f"drag {self._drags}")

    def _corner(self, index: int) -> QPointF:
        return QPointF(
            self.visualRect(self.model().index(index, SENTENCES)).topLeft()
        )

    def _chip_key(self, event: QKeyEvent, chip: Chip, rect: QRectF) -> bool:
        key = event.key()
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            if key == Qt.Key.Key_Right:
                step = 1
            else:
                step = -1
            self.focus_chip(step)
        elif (
            key in (Qt.Key.Key_Up, Qt.Key.Key_Down)
            and chip.editor is ChipEditor.NUMBER
        ):
            if key == Qt.Key.Key_Up:
                steps = 1.0
            else:
                steps = -1.0
            self.editing.step(
                chip,
                steps * _factor(event.modifiers()),
                merges=f"step {chip.key}",
            )
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.edit_chip(chip, rect)
        elif key == Qt.Key.Key_Escape:
            self.leave_chips()
        else:
            return False
        return True

    def _drag_on(self, event: QMouseEvent) -> None:
        drag = self._drag
        if drag is None or drag.chip.editor is not ChipEditor.NUMBER:
            return
        apart = event.position().x() - drag.from_x
        if not drag.moved and abs(apart) < DRAG_STARTS_AT:
            return
        drag.moved = True
        steps = round(apart / PIXELS_A_STEP) * _factor(event.modifiers())
        self.editing.step(drag.chip, steps, merges=drag.merges)

    def _show_cursor(self, position: QPointF) -> None:
        found = self.chip_at(position)
        if found is None:
            self.viewport().unsetCursor()
        elif found[0].editor is ChipEditor.NUMBER:
            self.viewport().setCursor(Qt.CursorShape.SizeHorCursor)
        else:
            self.viewport().setCursor(Qt.CursorShape.PointingHandCursor)


def _factor(modifiers: Qt.KeyboardModifier) -> float:
    if modifiers & Qt.KeyboardModifier.ShiftModifier:
        return FINE
    if modifiers & Qt.KeyboardModifier.ControlModifier:
        return COARSE
    return 1.0
