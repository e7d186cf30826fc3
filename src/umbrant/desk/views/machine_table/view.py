"""The table of a machine: each state's transitions under what they wait for,
walked and edited cell by cell.
"""

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import (
    QAbstractTableModel,
    QEvent,
    QModelIndex,
    QObject,
    QPointF,
    QRectF,
    Qt,
)
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen, QResizeEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QStyleOptionViewItem,
    QWidget,
)

from umbrant.desk.chips.drawing import draw_lozenge, draw_pieces
from umbrant.desk.chips.layout import RowLayout, SentenceFlow
from umbrant.desk.chips.sentence import Chip, SentenceContext, sentence
from umbrant.desk.chips.table import ChipTable
from umbrant.desk.session.desk import Desk
from umbrant.desk.views.machine_table.additions import CellAdditions
from umbrant.desk.views.machine_table.cells import (
    MachineCells,
    SourceLine,
    TriggerColumn,
    in_cell,
    machine_around,
)
from umbrant.desk.widgets.dialogs import Dialogs
from umbrant.desk.widgets.painted import ModelIndex, PaintedDelegate, saved
from umbrant.desk.widgets.theme import Palette
from umbrant.model.behaviors import Behavior, Row
from umbrant.model.edits import Edit, delete_rows
from umbrant.model.kind_ids import REGIONS
from umbrant.reasons.machine_report import fired_last
from umbrant.take.record import RowState

STATE = 0
"""The column of the states; the triggers stand in those after it."""
STATE_WIDTH, LEAST_WIDTH, MARGIN, INDENT = 150, 150, 10.0, 14
ARROWS = (
    Qt.Key.Key_Left,
    Qt.Key.Key_Right,
    Qt.Key.Key_Up,
    Qt.Key.Key_Down,
    Qt.Key.Key_Home,
    Qt.Key.Key_End,
)
KINDS = {"regions": "all at once", "final": "the end"}


class MachineModel(QAbstractTableModel):
    """The cells of the machine that is looked at."""

    def __init__(self, desk: Desk, parent: QObject) -> None:
        super().__init__(parent)
        self.desk = desk
        self.cells: MachineCells | None = None

    def reload(self) -> None:
        """Take up the machine around the selected row as it now is."""
        behavior = self.desk.behavior
        machine = ""
        if behavior:
            machine = machine_around(behavior, self.desk.row_id)
        self.beginResetModel()
        if behavior and machine:
            self.cells = MachineCells(behavior, machine)
        else:
            self.cells = None
        self.endResetModel()

    def source_at(self, line: int) -> SourceLine | None:
        """The state in a line."""
        if self.cells and 0 <= line < len(self.cells.sources):
            return self.cells.sources[line]
        return None

    def trigger_at(self, column: int) -> TriggerColumn | None:
        """The trigger of a column; None for that of the states."""
        if self.cells and 0 < column <= len(self.cells.triggers):
            return self.cells.triggers[column - 1]
        return None

    def rows_at(self, line: int, column: int) -> list[Row]:
        """What stands in a cell: a state, or transitions."""
        source, trigger = self.source_at(line), self.trigger_at(column)
        if self.cells is None or source is None:
            return []
        if trigger is None:
            return [self.cells.behavior.row(source.row_id)]
        return self.cells.transitions(source.row_id, trigger)

    # Qt's own signature.
    def rowCount(self, parent: ModelIndex = QModelIndex()) -> int:  # noqa: B008
        if parent.isValid() or self.cells is None:
            return 0
        return len(self.cells.sources)

    # Qt's own signature.
    def columnCount(self, parent: ModelIndex = QModelIndex()) -> int:  # noqa: B008
        if parent.isValid() or self.cells is None:
            return 0
        return len(self.cells.triggers) + 1

    def data(
        self, index: ModelIndex, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        if role not in (
            Qt.ItemDataRole.DisplayRole,
            Qt.ItemDataRole.AccessibleTextRole,
        ):
            return None
        source = self.source_at(index.row())
        if index.column() == STATE and source is not None:
            return self.name_of(source)
        return "; ".join(
            " ".join(piece.text for piece in self.pieces(row))
            for row in self.rows_at(index.row(), index.column())
        )

    def headerData(
        self,
        section: int,
        orientation: Qt.Orientation,
        role: int = Qt.ItemDataRole.DisplayRole,
    ) -> Any:
        if (
            role != Qt.ItemDataRole.DisplayRole
            or orientation != Qt.Orientation.Horizontal
        ):
            return None
        trigger = self.trigger_at(section)
        if trigger is not None:
            return trigger.title
        return "State"

    def name_of(self, source: SourceLine) -> str:
        """What a line is called."""
        row = self._behavior().row(source.row_id)
        if source.is_machine:
            return "from any state"
        return row.name or row.kind

    def pieces(self, row: Row) -> list[Any]:
        """The sentence of a transition, as it stands in a cell."""
        behavior = self._behavior()
        around = SentenceContext(
            {each.id: each.name or each.kind for each in behavior.rows}
        )
        pieces = sentence(row, self.desk.catalog, around)
        return in_cell(pieces)

    def _behavior(self) -> Behavior:
        assert self.cells is not None  # noqa: S101  (asked only about cells that there are)
        return self.cells.behavior


class CellDelegate(PaintedDelegate):
    """Draws a cell: a state with whether it is active, or transitions, of
    which one may have fired last.
    """

    def __init__(self, table: "MachineTable") -> None:
        super().__init__(table)
        self._table = table

    def draw_cell(
        self,
        painter: QPainter,
        cell: QRectF,
        option: QStyleOptionViewItem,
        index: ModelIndex,
    ) -> None:
        table, palette = self._table, self._table.brushes.palette
        selected = index == table.currentIndex()
        if selected:
            ground = palette.selection
        else:
            ground = palette.sheet
        painter.fillRect(cell, ground)
        with saved(painter):
            painter.setClipRect(cell)
            if index.column() == STATE:
                self._state(painter, cell, index.row())
            else:
                self._transitions(painter, cell, index, selected=selected)
        painter.fillRect(
            QRectF(cell.left(), cell.bottom() - 1, cell.width(), 1),
            palette.rule,
        )
        painter.fillRect(
            QRectF(cell.right() - 1, cell.top(), 1, cell.height()),
            palette.rule,
        )

    def _transitions(
        self,
        painter: QPainter,
        cell: QRectF,
        index: ModelIndex,
        *,
        selected: bool,
    ) -> None:
        table = self._table
        for row, layout, top in table.layouts_in(index.row(), index.column()):
            with saved(painter):
                painter.translate(cell.left(), cell.top() + top)
                opacity = 1.0
                if row.muted:
                    opacity = 0.4
                painter.setOpacity(opacity)
                if row.id == table.fired:
                    middle = QPointF(5, layout.placed[0].rect.center().y())
                    draw_lozenge(painter, middle, table.brushes.palette.now)
                focused = None
                if selected:
                    focused = table.focused
                draw_pieces(
                    painter,
                    layout,
                    table.brushes,
                    focused,
                )

    def _state(self, painter: QPainter, cell: QRectF, line: int) -> None:
        table, palette = self._table, self._table.brushes.palette
        source = table.machine.source_at(line)
        if source is None:
            return
        row = table.machine.rows_at(line, STATE)[0]
        if table.is_active(source):
            painter.fillRect(
                QRectF(cell.left() + 4, cell.top() + 6, 5, cell.height() - 13),
                palette.running,
            )
        left = cell.left() + 24 + INDENT * source.depth
        name = table.machine.name_of(source)
        if source.is_machine:
            painter.setFont(table.brushes.fonts.small)
            painter.setPen(palette.dim)
        else:
            painter.setFont(table.brushes.fonts.bold)
            painter.setPen(palette.ink)
        room = QRectF(
            left,
            cell.top(),
            cell.right() - left - 6,
            min(cell.height(), table.brushes.line),
        )
        shown = painter.fontMetrics().elidedText(
            name, Qt.TextElideMode.ElideRight, int(room.width())
        )
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, shown)
        kind = KINDS.get(row.kind, "")
        wide = painter.fontMetrics().horizontalAdvance(shown) + 8
        painter.setFont(table.brushes.fonts.small)
        painter.setPen(palette.dim)
        painter.drawText(
            room.adjusted(wide, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, kind
        )
        if table.is_first(source):
            painter.setPen(QPen(palette.dim, 1.2))
            painter.setBrush(palette.dim)
            painter.drawEllipse(QPointF(left - 6, room.center().y()), 2.2, 2.2)


class MachineTable(ChipTable):
    """Arrow keys walk cells, C walks the chips of one. Enter opens a line: on
    a state for the name of a new one, in a cell for a transition as it is
    read. Down in the empty line lists what can be chosen instead.
    """

    def __init__(
        self,
        desk: Desk,
        palette: Palette,
        dialogs: Callable[[], Dialogs],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(desk, palette, dialogs, parent)
        self.setAccessibleName("Table of the machine")
        self.machine = MachineModel(desk, self)
        self.additions = CellAdditions(self)
        self.fired = ""
        """The transition that fired last at the playhead."""
        self._layouts: dict[
            tuple[int, int], list[tuple[Row, RowLayout, float]]
        ] = {}
        self.is_stale = True
        self.setModel(self.machine)
        self.setItemDelegate(CellDelegate(self))
        self.setSelectionBehavior(
            QAbstractItemView.SelectionBehavior.SelectItems
        )
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
        self.setHorizontalScrollMode(
            QAbstractItemView.ScrollMode.ScrollPerPixel
        )
        header = self.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        header.setDefaultAlignment(
            Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        )
        header.setFixedHeight(27)
        for changed in (desk.project_changed, desk.agent_changed):
            changed.connect(self.reload_when_seen)
        desk.row_selected.connect(self._selected)
        for moved in (desk.playhead_moved, desk.take_changed):
            moved.connect(self._moved)
        self.selectionModel().currentChanged.connect(self._walked)

    # what it shows

    needs_row = rows_are_lines = False

    def heading(self) -> str:
        """The text of the line over the table: the machine's name and the
        number of its states.
        """
        cells = self.machine.cells
        if cells is None:
            return "no machine here · a machine is a kind of row"
        name = cells.behavior.row(cells.machine).name or "machine"
        return f"{name} · {len(cells.sources) - 1} states · Enter adds"

    def reload(self) -> None:
        """Take up the machine as it now is."""
        self.is_stale = False
        self.machine.reload()
        self.lay_out_again()
        self._select(self.desk.row_id)
        self._moved()

    def layouts_in(
        self, line: int, column: int
    ) -> list[tuple[Row, RowLayout, float]]:
        """The transitions of a cell with their layouts and where in the cell
        each begins.
        """
        key = (line, column)
        if key not in self._layouts:
            flow = SentenceFlow(
                self.brushes.fonts,
                self.columnWidth(column),
                compact=True,
                first_x=MARGIN,
            )
            placed, top = [], 3.0
            for row in (
                self.machine.rows_at(line, column) if column != STATE else ()
            ):
                layout = flow.lay_out(self.machine.pieces(row), 0)
                placed.append((row, layout, top))
                top += layout.height
            self._layouts[key] = placed
        return self._layouts[key]

    def is_active(self, source: SourceLine) -> bool:
        """Whether a state is active at the playhead."""
        explainer = self.desk.explainer
        if explainer is None or source.row_id not in explainer.outline.number:
            return False
        return (
            explainer.state_of(source.row_id, self.desk.playhead)
            is RowState.RUNNING
        )

    def is_first(self, source: SourceLine) -> bool:
        """Whether a state is the one that what is around it begins in."""
        cells = self.machine.cells
        if cells is None or source.is_machine:
            return False
        behavior = cells.behavior
        above = behavior.outline.parent[source.row_id]
        initial = ""
        if above:
            initial = str(behavior.row(above).args.get("initial", ""))
        siblings = [
            each.row_id
            for each in cells.sources
            if behavior.outline.parent[each.row_id] == above
        ]
        if above is not None and behavior.row(above).kind == REGIONS:
            return False
        if initial:
            return source.row_id.rpartition("/")[2] == initial
        return siblings[0] == source.row_id

    def lay_out_again(self) -> None:
        self._layouts.clear()
        columns = self.machine.columnCount()
        if columns < 2:
            return
        wide = max(
            LEAST_WIDTH,
            (self.viewport().width() - STATE_WIDTH) // (columns - 1),
        )
        for column in range(columns):
            if column == STATE:
                column_width = STATE_WIDTH
            else:
                column_width = wide
            self.setColumnWidth(column, column_width)
        for line in range(self.machine.rowCount()):
            highest = max(
                (
                    layout.height + top
                    for c in range(1, columns)
                    for _, layout, top in self.layouts_in(line, c)
                ),
                default=0.0,
            )
            self.setRowHeight(line, int(max(self.brushes.line, highest + 4)))
        self.viewport().update()

    # chips: those of the selected cell

    def selected_index(self) -> int:
        return self.currentIndex().row()

    def chips(self) -> list[tuple[Chip, QRectF]]:
        index = self.currentIndex()
        return [
            (chip, rect.translated(0, top))
            for _, layout, top in self.layouts_in(index.row(), index.column())
            for chip, rect in layout.chips()
        ]

    def focus_chip(self, step: int) -> None:
        super().focus_chip(step)
        if self.focused is not None:
            self.desk.select_row(self.focused[0].row_id)

    def edit_chip(self, chip: Chip, rect: QRectF) -> None:
        self.editing.begin(
            chip,
            rect.translated(
                QPointF(self.visualRect(self.currentIndex()).topLeft())
            ),
        )

    def chip_at(self, position: QPointF) -> tuple[Chip, QRectF] | None:
        index = self.indexAt(position.toPoint())
        if not index.isValid():
            return None
        corner = QPointF(self.visualRect(index).topLeft())
        for _, layout, top in self.layouts_in(index.row(), index.column()):
            found = layout.chip_at(position - corner - QPointF(0, top))
            if found is not None:
                return found[0], found[1].translated(corner + QPointF(0, top))
        return None

    def rename(self) -> None:
        """Type another name for the state of the line."""
        source = self.machine.source_at(self.selected_index())
        if source is None or source.is_machine:
            return
        row = self.machine.rows_at(self.selected_index(), STATE)[0]
        chip = next(
            piece.chip
            for piece in sentence(row, self.desk.catalog)
            if piece.role.value == "name"
        )
        cell = QRectF(
            self.visualRect(self.machine.index(self.selected_index(), STATE))
        )
        if chip is not None:
            self.editing.begin(
                chip, cell.adjusted(14, 6, -10, -cell.height() + 27)
            )

    # what can be done

    def open_additions(self) -> None:
        """Type what is to be added to the selected cell."""
        self.additions.open()

    def paste_text(self, text: str) -> bool:
        """Put the cells of a spreadsheet in."""
        return self.additions.paste(text)

    def delete(self) -> bool:
        self._delete()
        return True

    def _delete(self) -> None:
        """Delete the transition that is selected, or the state of the line
        with all in it.
        """
        row, behavior = self.desk.row, self.desk.behavior
        cells = self.machine.cells
        if (
            row is None
            or behavior is None
            or cells is None
            or row.id == cells.machine
        ):
            self.desk.message.emit(
                "The machine itself is deleted among the rows."
            )
            return
        place, name = self.currentIndex(), behavior.name
        if cells.cell_of(row.id) != (place.row(), place.column()):
            return
        self.desk.apply(
            Edit(
                f"Delete {row.name or row.kind}",
                lambda p: delete_rows(p, name, [row.id]),
            )
        )
        self.setCurrentIndex(
            self.machine.index(
                min(place.row(), self.machine.rowCount() - 1), place.column()
            )
        )

    # events

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if (
            self.focused_chip is None
            and event.key() in ARROWS
            and not event.modifiers()
        ):
            QAbstractItemView.keyPressEvent(self, event)
        else:
            super().keyPressEvent(event)

    def event(self, event: QEvent) -> bool:
        """Arrow keys walk the cells, whatever shortcut they have elsewhere."""
        if (
            isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.ShortcutOverride
            and event.key() in ARROWS
            and not event.modifiers()
        ):
            event.accept()
            return True
        return super().event(event)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.lay_out_again()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.editing.finish()
        self.setFocus()
        index = self.indexAt(event.position().toPoint())
        if not index.isValid():
            return
        self.leave_chips()
        self.setCurrentIndex(index)
        found = self.chip_at(event.position())
        if found is not None:
            self.desk.select_row(found[0].slot.row_id)
        if event.button() is Qt.MouseButton.LeftButton:
            self.press_sentence(index.row(), event.position())

    def draw_ground(self, painter: QPainter) -> None:
        super().draw_ground(painter)
        if self.machine.cells is None:
            painter.setPen(self.brushes.palette.dim)
            text = (
                "There is no machine in this behavior.\nCtrl+5 shows its rows; Enter adds a "
                "machine to them."
            )
            painter.drawText(
                self.viewport().rect(), Qt.AlignmentFlag.AlignCenter, text
            )

    # inside

    def _selected(self, row_id: str) -> None:
        if not self.isVisible():
            self.is_stale = True
            return
        behavior, cells = self.desk.behavior, self.machine.cells
        if behavior is not None and (
            cells is None or machine_around(behavior, row_id) != cells.machine
        ):
            self.reload()
        else:
            self._select(row_id)

    def _select(self, row_id: str) -> None:
        """Show the cell of a row; of a row inside a state, that of the state."""
        cells = self.machine.cells
        if cells is None or row_id not in cells.behavior.by_id:
            return
        for each in reversed(cells.behavior.outline.path(row_id)):
            place = cells.cell_of(each)
            if place is not None:
                if (
                    self.currentIndex().row(),
                    self.currentIndex().column(),
                ) != place:
                    self.setCurrentIndex(self.machine.index(*place))
                return

    def _walked(self, current: QModelIndex, previous: QModelIndex) -> None:
        rows = self.machine.rows_at(current.row(), current.column())
        if not rows:
            rows = self.machine.rows_at(current.row(), STATE)
            self.leave_chips()
            self.viewport().update()
            return
        if self.desk.row_id not in [row.id for row in rows]:
            self.leave_chips()
            self.desk.select_row(rows[0].id)
        self.setAccessibleDescription(str(self.machine.data(current)))
        self.viewport().update()

    def _moved(self, *_: object) -> None:
        cells, explainer = self.machine.cells, self.desk.explainer
        if cells and explainer:
            self.fired = fired_last(
                explainer, cells.machine, self.desk.playhead
            )
        else:
            self.fired = ""
        self.viewport().update()
