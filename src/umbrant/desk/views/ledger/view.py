"""The ledger's table: walking rows and chips by keyboard, dragging numbers,
moving the playhead on the tape.
"""

import time
from collections.abc import Callable

from PySide6.QtCore import QModelIndex, QPointF, QRect, QRectF, Qt, QTimer
from PySide6.QtGui import (
    QGuiApplication,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QHeaderView, QWidget

from umbrant.desk.chips.layout import RowLayout, SentenceFlow, make_flow
from umbrant.desk.chips.table import ChipTable
from umbrant.desk.session.desk import Desk
from umbrant.desk.session.shown import can_fold
from umbrant.desk.views.ledger.adding import RowAdding
from umbrant.desk.views.ledger.delegates import (
    NowDelegate,
    OutlineDelegate,
    TapeDelegate,
)
from umbrant.desk.views.ledger.dragging import RowDragging
from umbrant.desk.views.ledger.model import NOW, OUTLINE, TAPE, LedgerModel
from umbrant.desk.views.ledger.ruler import TapeHeader
from umbrant.desk.widgets.dialogs import Dialogs
from umbrant.desk.widgets.paint_turns import PaintTurns
from umbrant.desk.widgets.theme import Palette
from umbrant.model.behaviors import Row

SHIFT = Qt.KeyboardModifier.ShiftModifier
OUTLINE_WIDTH, NOW_WIDTH, NARROWEST_OUTLINE = 456, 72, 240
AT_ONCE, SLICE_S = 120, 0.005
"""How many lines are laid out at once; of more, for so long at a time, so that
the window goes on between.
"""
OUTLINE_SHARE = 0.62
"""How much of a narrow ledger the outline takes."""


class LedgerView(ChipTable):
    """Outline, now and tape of the behavior that is looked at."""

    def __init__(
        self,
        desk: Desk,
        palette: Palette,
        dialogs: Callable[[], Dialogs],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(desk, palette, dialogs, parent)
        self.setAccessibleName("Ledger")
        self.ledger = LedgerModel(desk, self)
        self._layouts: dict[
            str, tuple[Row, tuple[object, ...], RowLayout]
        ] = {}
        self._not_laid_out: set[int] = set()
        """The lines whose height is still a guess."""
        self._later = QTimer(self, singleShot=True, interval=0)
        self._later.timeout.connect(self._lay_out_some)
        self._flow: SentenceFlow | None = None
        self._scrubbing = False
        self.dragging = RowDragging(self)
        self.anchor = ""
        """The row that a selection of several began at; empty while one is
        selected.
        """
        self._width_is_chosen = False
        self.setModel(self.ledger)
        self.outline_delegate = OutlineDelegate(
            desk,
            self.ledger,
            self.brushes,
            self,
            self.layout_of,
            lambda: self.focused,
        )
        self.tape_delegate = TapeDelegate(
            desk, self.ledger, self.brushes, self
        )
        self.now_delegate = NowDelegate(desk, self.ledger, self.brushes, self)
        self.setItemDelegateForColumn(OUTLINE, self.outline_delegate)
        self.setItemDelegateForColumn(NOW, self.now_delegate)
        self.setItemDelegateForColumn(TAPE, self.tape_delegate)
        self.adding = RowAdding(self)
        self.search = self.adding.search
        self._set_up()
        self._connect()
        self.reload()

    # what it shows

    def layout_of(self, row: Row) -> RowLayout:
        """The layout of a row's sentence in the outline's present width."""
        behavior = self.ledger.behavior
        depth = 0
        if behavior:
            depth = behavior.outline.depth[row.id]
        shown_as = (
            depth,
            row.id == self.ledger.in_full,
            self.ledger.sentence_inputs(row),
        )
        kept = self._layouts.get(row.id)
        if kept is None or kept[0] is not row or kept[1] != shown_as:
            kept = (
                row,
                shown_as,
                self.flow.lay_out(self.ledger.pieces(row), depth),
            )
            self._layouts[row.id] = kept
        return kept[2]

    def layout_at(self, index: int) -> RowLayout | None:
        row = self.ledger.row_at(index)
        if row is not None:
            return self.layout_of(row)
        return None

    def selected_index(self) -> int:
        return self.ledger.line_of(self.desk.row_id)

    def press_line(self, index: int, position: QPointF) -> bool:
        row, behavior = self.ledger.row_at(index), self.ledger.behavior
        if (
            position.x() >= 22
            or row is None
            or behavior is None
            or not behavior.outline.children[row.id]
        ):
            return False
        self.fold()
        return True

    @property
    def flow(self) -> SentenceFlow:
        """How sentences are laid out."""
        if self._flow is None:
            self._flow = make_flow(
                self.brushes.fonts,
                self.columnWidth(OUTLINE),
                compact=self.compact,
            )
        return self._flow

    def reload(self) -> None:
        """Take up the project, the agent and the take as they now are."""
        self.ledger.reload()
        self._set_heights()
        self._show_selected(self.desk.row_id)

    def toggle_full(self) -> None:
        """Show all parameters of the selected row, or only those that are not
        at their default.
        """
        if self.ledger.in_full == self.desk.row_id:
            self.ledger.in_full = ""
        else:
            self.ledger.in_full = self.desk.row_id
        self.lay_out_again()

    def heading(self) -> str:
        """The behavior, its size, and whether anybody runs it."""
        behavior, member = self.desk.behavior, self.desk.member
        if behavior is None:
            return ""
        mine = member is not None and member.behavior == behavior.name
        summary = f"{behavior.title} · {len(behavior.rows)} rows"
        if behavior.variant_of:
            others = len(behavior.overrides)
            summary += (
                f" · {others} other than in {behavior.variant_of}, marked ≠"
            )
        if mine:
            return summary
        return f"{summary} · nobody here runs it"

    def open_additions(self) -> None:
        self.open_search()

    def can_fold(self) -> bool:
        return can_fold(self.ledger.behavior, self.desk.row_id)

    def fold(self) -> None:
        if self.can_fold():
            self.desk.folds.flip(self.desk.row_id)

    def _folds_changed(self) -> None:
        self.lay_out_again()
        self._show_selected(self.desk.row_id)

    # several rows

    @property
    def selected_rows(self) -> list[str]:
        """The rows that are selected: siblings one after the other, from the
        one the selection began at.
        """
        row, behavior = self.desk.row, self.ledger.behavior
        if row is None or behavior is None:
            return []
        siblings = behavior.outline.siblings(row.id)
        if self.anchor not in siblings:
            return [row.id]
        ends = sorted((siblings.index(self.anchor), siblings.index(row.id)))
        return list(siblings[ends[0] : ends[1] + 1])

    def extend(self, step: int) -> None:
        """Take the next (1) or the previous (-1) sibling into the selection,
        or let the last one go.
        """
        row, behavior = self.desk.row, self.ledger.behavior
        if row is None or behavior is None:
            return
        siblings = behavior.outline.siblings(row.id)
        if self.anchor in siblings:
            anchor = self.anchor
        else:
            anchor = row.id
        index = siblings.index(row.id) + step
        if 0 <= index < len(siblings):
            self.desk.select_row(siblings[index])
            self._begin_at(anchor)

    def select_rows(self, row_ids: list[str]) -> None:
        """Select siblings that stand one after the other."""
        if row_ids:
            self.ledger.reveal(row_ids[0])
            self.desk.select_row(row_ids[-1])
            self._begin_at(row_ids[0])

    def remove_chip(self) -> bool:
        """Take off what the focused chip stands in; says whether a chip was
        focused.
        """
        focused = self.focused_chip
        if focused is None:
            return False
        self.editing.remove(focused[0])
        return True

    # adding

    def open_search(self, *, behind: bool = False) -> None:
        """Search for a row to add, or for something to put on the selected
        row; see `RowAdding`.
        """
        self.adding.open(behind=behind)

    # events

    def keyPressEvent(self, event: QKeyEvent) -> None:
        extends = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(
            Qt.Key(event.key())
        )
        if (
            extends is not None
            and event.modifiers() & SHIFT
            and self.focused_chip is None
        ):
            self.extend(extends)
        else:
            super().keyPressEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.editing.finish()
        index = self.indexAt(event.position().toPoint())
        row = self.ledger.row_at(index.row())
        if row is None:
            self.setFocus()
            return
        grips = self.dragging.can_grip(event, index, row)
        anchor = ""
        if event.modifiers() & SHIFT:
            anchor = self.anchor or self.desk.row_id
        if not (grips and row.id in self.selected_rows):
            self.desk.select_row(row.id)
            self._begin_at(anchor)
        self.leave_chips()
        if grips:
            self.dragging.grip(event.position())
        if event.button() is not Qt.MouseButton.LeftButton:
            return
        if index.column() == OUTLINE:
            self.press_sentence(index.row(), event.position())
        elif index.column() == TAPE:
            self._scrubbing = True
            self._scrub(event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._scrubbing:
            self._scrub(event.position())
        elif (
            self.dragging.holds and event.buttons() & Qt.MouseButton.LeftButton
        ):
            self.dragging.drag(event.position())
        else:
            super().mouseMoveEvent(event)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._scrubbing = False
        if (
            self.dragging.holds
            and not self.dragging.let_go()
            and len(self.selected_rows) > 1
        ):
            # A click on one of several that are selected selects that one
            # alone.
            self._begin_at("")
            row = self.ledger.row_at(
                self.indexAt(event.position().toPoint()).row()
            )
            if row is not None:
                self.desk.select_row(row.id)
        super().mouseReleaseEvent(event)
        self.viewport().update()

    def wheelEvent(self, event: QWheelEvent) -> None:
        tape = self._cell_rect(TAPE)
        turns, modifiers = event.angleDelta(), event.modifiers()
        over_tape = tape.left() <= event.position().x() <= tape.right()
        if over_tape and modifiers & Qt.KeyboardModifier.ControlModifier:
            around = self.tape_delegate.tick_at(
                QRectF(tape), event.position().x()
            )
            if turns.y() > 0:
                self.desk.tape.zoom(0.8, around)
            else:
                self.desk.tape.zoom(1.25, around)
        elif over_tape and (
            turns.x() or modifiers & Qt.KeyboardModifier.ShiftModifier
        ):
            self.desk.tape.move(
                -(turns.x() or turns.y()) / 120 * self.desk.tape.length * 0.1
            )
        else:
            super().wheelEvent(event)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.search.dismiss()
        room = int((self.viewport().width() - NOW_WIDTH) * OUTLINE_SHARE)
        if not self._width_is_chosen and room != self.columnWidth(OUTLINE):
            self.setColumnWidth(
                OUTLINE, max(NARROWEST_OUTLINE, min(OUTLINE_WIDTH, room))
            )

    def draw_over(self, painter: QPainter) -> None:
        self._draw_hint(painter)
        self.dragging.paint(painter)

    def _draw_hint(self, painter: QPainter) -> None:
        end = self.rowViewportPosition(
            self.ledger.rowCount() - 1
        ) + self.rowHeight(self.ledger.rowCount() - 1)
        if self.ledger.rowCount():
            end = max(0, end)
        else:
            end = 0
        painter.setPen(self.brushes.palette.dim)
        painter.setFont(self.brushes.fonts.body)
        count = len(self.desk.catalog.kinds)
        line = QRect(44, end, self.viewport().width() - 50, 38)
        text = (
            f"Enter adds a row · Tab nests it · type to search {count} nodes"
        )
        if self.ledger.behavior is None:
            text = "There is no behavior to show. Ctrl+O opens a project."
        if line.bottom() <= self.viewport().height():
            painter.drawText(line, Qt.AlignmentFlag.AlignVCenter, text)

    # inside

    def _set_up(self) -> None:
        header = TapeHeader(self.desk, self.brushes, self)
        self.setHorizontalHeader(header)
        header.setSectionResizeMode(
            OUTLINE, QHeaderView.ResizeMode.Interactive
        )
        header.setSectionResizeMode(NOW, QHeaderView.ResizeMode.Fixed)
        header.setSectionResizeMode(TAPE, QHeaderView.ResizeMode.Stretch)
        header.setMinimumSectionSize(60)
        header.setDefaultAlignment(
            Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        )
        header.setHighlightSections(False)
        header.setSectionsClickable(False)
        header.setFixedHeight(27)
        self.setColumnWidth(OUTLINE, OUTLINE_WIDTH)
        self.setColumnWidth(NOW, NOW_WIDTH)

    def _connect(self) -> None:
        desk = self.desk
        desk.project_changed.connect(self.reload)
        desk.agent_changed.connect(self.reload)
        desk.take_changed.connect(self._repaint)
        desk.documents.findings_changed.connect(self._repaint)
        desk.tape.changed.connect(self._repaint_tape)
        desk.playhead_moved.connect(self._repaint_tape)
        desk.row_selected.connect(self._show_selected)
        desk.folds.changed.connect(self._folds_changed)
        self.horizontalHeader().sectionResized.connect(self._resized)
        self.selectionModel().currentRowChanged.connect(self._walked)
        self.verticalScrollBar().valueChanged.connect(
            lambda _: self._lay_out_seen()
        )

    def _repaint(self) -> None:
        # In a turn of its own, after what led to it: the two together take
        # longer than the keyboard may wait.
        PaintTurns.shared().ask(self)

    def _repaint_tape(self) -> None:
        """Repaint only what depends on the playhead and the tape's window: the
        sentences stay as they are.

        The model does not tell of changed headers, for Qt would answer that
        with a layout of the whole table.
        """
        left = self.columnViewportPosition(NOW)
        for area in (self.viewport(), self.horizontalHeader().viewport()):
            area.update(left, 0, area.width() - left, area.height())

    def _resized(self, column: int, old: int, new: int) -> None:
        if column == OUTLINE:
            self._width_is_chosen = bool(QGuiApplication.mouseButtons())
            QTimer.singleShot(0, self, self.lay_out_again)

    def lay_out_again(self) -> None:
        self._flow = None
        self._layouts.clear()
        self._set_heights()

    def _set_heights(self) -> None:
        """Lay out what is new or looks otherwise; of many lines only those in
        sight at once, the others by and by.
        """
        self.verticalHeader().setDefaultSectionSize(int(self.brushes.line))
        self._not_laid_out = {
            index
            for index, row in enumerate(self.ledger.rows)
            if not self._is_laid_out(index, row)
        }
        if len(self._not_laid_out) <= AT_ONCE:
            while self._not_laid_out:
                self._set_height(self._not_laid_out.pop())
        self._lay_out_seen()
        if self.currentIndex().isValid():
            self._bring_into_sight(self.currentIndex())
        self._later.start()
        self.viewport().update()

    def _is_laid_out(self, index: int, row: Row) -> bool:
        kept = self._layouts.get(row.id)
        return (
            kept is not None
            and kept[0] is row
            and self.rowHeight(index) == int(kept[2].height)
        )

    def _set_height(self, index: int) -> int:
        """Give a line the height of its sentence; returns by how much it grew."""
        layout = self.layout_at(index)
        grown = 0
        if layout is not None:
            grown = int(layout.height) - self.rowHeight(index)
        if grown:
            self.setRowHeight(index, self.rowHeight(index) + grown)
        return grown

    def _lay_out_seen(self) -> None:
        """Lay out the lines in sight, which may bring others into it."""
        index = self.rowAt(0)
        while self._not_laid_out and 0 <= index < self.ledger.rowCount():
            if self.rowViewportPosition(index) > self.viewport().height():
                return
            if index in self._not_laid_out:
                self._not_laid_out.discard(index)
                self._set_height(index)
            index += 1

    def _lay_out_some(self) -> None:
        """Lay out some of the lines out of sight. What is in sight stays where
        it is.
        """
        until, first, grown = time.perf_counter() + SLICE_S, self.rowAt(0), 0
        while self._not_laid_out and time.perf_counter() < until:
            index = self._not_laid_out.pop()
            by = self._set_height(index)
            grown += by if index < first else 0
        if grown:
            self.verticalScrollBar().setValue(
                self.verticalScrollBar().value() + grown
            )
        if self._not_laid_out:
            self._later.start()

    def _bring_into_sight(self, index: QModelIndex) -> None:
        """Scroll to a line: again and again, as long as what comes into sight
        is laid out anew and pushes it out.
        """
        waiting = -1
        while waiting != len(self._not_laid_out):
            waiting = len(self._not_laid_out)
            self.scrollTo(index)
            self._lay_out_seen()

    def _walked(self, current: QModelIndex, previous: QModelIndex) -> None:
        row = self.ledger.row_at(current.row())
        if row is not None and row.id != self.desk.row_id:
            self.leave_chips()
            self.desk.select_row(row.id)

    def _begin_at(self, anchor: str) -> None:
        """The selection goes from this row to the one that is looked at."""
        self.anchor = anchor
        if anchor:
            self.brushes.selected = tuple(self.selected_rows)
        else:
            self.brushes.selected = ()
        self.viewport().update()

    def _show_selected(self, row_id: str) -> None:
        self._begin_at("")
        self.ledger.reveal(row_id)
        line = self.ledger.line_of(row_id)
        if line < 0:
            return
        index = self.ledger.index(line, OUTLINE)
        if self.currentIndex().row() != line:
            self.setCurrentIndex(index)
        self._bring_into_sight(index)
        self.setAccessibleDescription(str(self.ledger.data(index)))

    def _scrub(self, position: QPointF) -> None:
        self.desk.move_playhead(
            int(
                self.tape_delegate.tick_at(
                    QRectF(self._cell_rect(TAPE)), position.x()
                )
            )
        )

    def cell(self, row_id: str, column: int) -> QRectF:
        return QRectF(
            self.visualRect(
                self.ledger.index(self.ledger.line_of(row_id), column)
            )
        )

    def _cell_rect(self, column: int) -> QRect:
        left = self.columnViewportPosition(column)
        return QRect(
            left, 0, self.columnWidth(column), self.viewport().height()
        )
