"""The cast as a table. Its chips are those of the setting, so that either can
be edited.
"""

from collections.abc import Callable
from functools import partial
from typing import Any

from PySide6.QtCore import (
    QAbstractTableModel,
    QEvent,
    QModelIndex,
    QObject,
    QPoint,
    QPointF,
    QRect,
    QRectF,
    QSize,
    Qt,
    Signal,
)
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QMenu,
    QStyleOptionViewItem,
    QWidget,
)

from umbrant.desk.chips.drawing import draw_pieces
from umbrant.desk.chips.layout import PlacedPiece, RowLayout
from umbrant.desk.chips.sentence import Chip, ChipEditor
from umbrant.desk.chips.table import SENTENCES, ChipTable
from umbrant.desk.session.desk import Desk
from umbrant.desk.views.cast.pivot import NAMES, CastColumn, CastRow, pivoted
from umbrant.desk.views.setting.documents import SettingMemory
from umbrant.desk.views.setting.fields import Addition
from umbrant.desk.views.setting.lines import Setting
from umbrant.desk.widgets.dialogs import Dialogs
from umbrant.desk.widgets.painted import (
    ModelIndex,
    PaintedDelegate,
    guarded,
    saved,
)
from umbrant.desk.widgets.theme import Palette, body_font
from umbrant.model.edits import Edit
from umbrant.model.paths import Path, move, remove

GAP = 6


class CastModel(QAbstractTableModel):
    """The cast of the scenario that is looked at, one row for each."""

    def __init__(self, desk: Desk, parent: QObject) -> None:
        super().__init__(parent)
        self.desk = desk
        self.columns: list[CastColumn] = []
        self.rows: list[CastRow] = []
        self._memory: SettingMemory = {}

    def reload(self) -> None:
        """Take up the cast as it now is."""
        self.beginResetModel()
        lines = Setting(
            self.desk.project, self.desk.catalog, self._memory
        ).lines()
        self.columns, self.rows = pivoted(lines, self.desk.scenario_name)
        self.endResetModel()

    # Qt's own signature.
    def rowCount(self, parent: ModelIndex = QModelIndex()) -> int:  # noqa: B008
        if parent.isValid():
            return 0
        return len(self.rows)

    # Qt's own signature.
    def columnCount(self, parent: ModelIndex = QModelIndex()) -> int:  # noqa: B008
        if parent.isValid():
            return 0
        return 1

    def data(
        self, index: ModelIndex, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        if role == Qt.ItemDataRole.DisplayRole and 0 <= index.row() < len(
            self.rows
        ):
            return self.rows[index.row()].text
        return None


class CastHeader(QHeaderView):
    """The titles of the columns, which stay while the rows scroll."""

    def __init__(self, view: "CastTable") -> None:
        super().__init__(Qt.Orientation.Horizontal, view)
        self._view = view
        self.setAccessibleName("Columns of the cast")
        self.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)

    def sizeHint(self) -> QSize:
        return QSize(super().sizeHint().width(), 30)

    def paintSection(
        self, painter: QPainter, rect: QRect, section: int
    ) -> None:
        guarded(
            painter, self, QRectF(rect), lambda each: self._draw(each, rect)
        )

    def _draw(self, painter: QPainter, rect: QRect) -> None:
        """Draw the titles; `rect` begins where the table does, which may be
        left of the view.
        """
        palette = self._view.brushes.palette
        painter.fillRect(rect, palette.ground)
        painter.setPen(palette.dim)
        painter.setFont(body_font(11))
        names_end = rect.left() + self._view.names_end
        for column in self._view.cast.columns:
            with saved(painter):
                if column.key != NAMES:
                    painter.setClipRect(
                        QRectF(names_end, 0, self.width(), self.height())
                    )
                left = rect.left() + self._view.left_of(column) + 5
                box = QRectF(left, 0, column.wide - GAP, self.height())
                painter.drawText(
                    box, Qt.AlignmentFlag.AlignVCenter, column.title
                )


class CastDelegate(PaintedDelegate):
    """Draws a row of chips."""

    def __init__(self, view: "CastTable") -> None:
        super().__init__(view)
        self._view = view

    def draw_cell(
        self,
        painter: QPainter,
        cell: QRectF,
        option: QStyleOptionViewItem,
        index: ModelIndex,
    ) -> None:
        view, layout = self._view, self._view.layout_at(index.row())
        palette = view.brushes.palette
        selected = index.row() == view.selected_index()
        if selected:
            ground = palette.selection
        else:
            ground = palette.sheet
        painter.fillRect(cell, ground)
        if layout is not None:
            focused = None
            if selected:
                focused = view.focused
            name, rest = layout.placed[:1], layout.placed[1:]
            with saved(painter):
                painter.translate(cell.topLeft())
                draw_pieces(
                    painter, RowLayout(0.0, placed=name), view.brushes, focused
                )
                painter.setClipRect(
                    QRectF(view.names_end, 0, cell.width(), cell.height())
                )
                draw_pieces(
                    painter, RowLayout(0.0, placed=rest), view.brushes, focused
                )
        painter.fillRect(
            QRectF(cell.left(), cell.bottom() - 1, cell.width(), 1),
            palette.rule,
        )


class CastTable(ChipTable):
    """The cast as a table. Arrow keys walk its cells, Enter opens one or adds
    to the cast.
    """

    walked = Signal(object)
    """The path of the one that is now selected."""

    def __init__(
        self,
        desk: Desk,
        palette: Palette,
        dialogs: Callable[[], Dialogs],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(desk, palette, dialogs, parent)
        self.setAccessibleName("Cast")
        self._dialogs = dialogs
        self.cast = CastModel(desk, self)
        self.menu: QMenu | None = None
        self.is_stale = True
        self._column = ""
        """The column that the keyboard is in."""
        self.setModel(self.cast)
        self.setItemDelegate(CastDelegate(self))
        self.setHorizontalHeader(CastHeader(self))
        self.horizontalHeader().show()
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
        self.setHorizontalScrollMode(
            QAbstractItemView.ScrollMode.ScrollPerPixel
        )
        # The toolkit moves the pixels it has; those of the names are to stay
        # where they are.
        self.horizontalScrollBar().valueChanged.connect(self._scrolled)
        self.selectionModel().currentRowChanged.connect(self._walked)
        desk.project_changed.connect(self.reload_when_seen)

    needs_row = shows_rows = rows_are_lines = False

    def heading(self) -> str:
        """Whose cast it is, and what its keys do."""
        scenario = self.desk.scenario
        title = "no scenario"
        if scenario is not None:
            title = scenario.title
        return f"{title} · {len(self.cast.rows)} of the cast · Enter adds"

    def reload(self) -> None:
        """Take up the cast as it now is, with the same one selected."""
        self.is_stale, index = False, max(0, self.selected_index())
        self.cast.reload()
        last = None
        if self.cast.columns:
            last = self.cast.columns[-1]
        column_width = 100
        if last is not None:
            column_width = last.x + last.wide
        self.setColumnWidth(SENTENCES, column_width)
        self.lay_out_again()
        self.setCurrentIndex(
            self.cast.index(min(index, len(self.cast.rows) - 1), SENTENCES)
        )
        self._keep_column()

    def selected_index(self) -> int:
        return self.currentIndex().row()

    def select_path(self, path: Path) -> None:
        """Select whom a path leads to or into; nothing for the path of
        anything else.
        """
        for index, row in enumerate(self.cast.rows):
            if path[: len(row.path)] == row.path:
                self.setCurrentIndex(self.cast.index(index, SENTENCES))

    def selected_path(self) -> Path | None:
        """The path of the one that is selected; None in an empty cast."""
        index = self.selected_index()
        if 0 <= index < len(self.cast.rows):
            return self.cast.rows[index].path
        return None

    def lay_out_again(self) -> None:
        self.verticalHeader().setDefaultSectionSize(int(self.brushes.line))
        self.viewport().update()

    def layout_at(self, place: int) -> RowLayout | None:
        if not 0 <= place < len(self.cast.rows):
            return None
        row, high = self.cast.rows[place], 18.0 if self.compact else 21.0
        layout = RowLayout(0.0, float(self.brushes.line))
        for column in self.cast.columns:
            piece = row.cells.get(column.key)
            if piece is not None:
                wide = min(self.brushes.fonts.width(piece), column.wide - GAP)
                box = QRectF(
                    self.left_of(column),
                    (self.brushes.line - high) / 2,
                    wide,
                    high,
                )
                layout.placed.append(PlacedPiece(piece, box))
        return layout

    def left_of(self, column: CastColumn) -> int:
        """Where a column begins in the table. The names stay in sight while it
        is scrolled.
        """
        if column.key == NAMES:
            return column.x + self.horizontalScrollBar().value()
        return column.x

    @property
    def names_end(self) -> int:
        """Where the names end in the table: what is scrolled past that is
        under them.
        """
        first = None
        if self.cast.columns:
            first = self.cast.columns[0]
        if first is not None:
            return self.left_of(first) + first.wide
        return 0

    def chip_at(self, position: QPointF) -> tuple[Chip, QRectF] | None:
        found = super().chip_at(position)
        if found is None or found[0].editor is ChipEditor.NAME:
            return found
        names_end = self.names_end - self.horizontalScrollBar().value()
        if position.x() >= names_end:
            return found
        return None

    # what can be done

    def open_additions(self) -> None:
        """Offer who and what can be added: to the cast, and to the one that is
        selected.
        """
        index = self.selected_index()
        if not 0 <= index < len(self.cast.rows):
            self.desk.message.emit(
                "The cast is empty: add to the scenario in the setting."
            )
            return
        menu = QMenu(self)
        menu.setAccessibleName("Add to the cast")
        line = self.cast.rows[index].line
        for addition in line.additions:
            # What else can be added to a scenario is offered in the setting.
            if addition.path[:3] == line.path[:3]:
                menu.addAction(addition.title, partial(self.add, addition))
        self.menu = menu
        corner = self.visualRect(self.currentIndex()).bottomLeft()
        menu.popup(self.viewport().mapToGlobal(corner + QPoint(40, 0)))

    def add(self, addition: Addition) -> None:
        """Add something, and select the last row if it is one of the cast."""
        count = len(self.cast.rows)
        title = addition.title.partition(":")[0].lower()
        self.apply_edit(
            Edit(f"Add {title}", lambda project: addition.add_to(project)[0])
        )
        if len(self.cast.rows) > count:
            self.setCurrentIndex(
                self.cast.index(len(self.cast.rows) - 1, SENTENCES)
            )

    def delete(self) -> bool:
        path = self.selected_path()
        if path is not None:
            users = Setting(self.desk.project, self.desk.catalog).users(path)
            name = self.cast.rows[self.selected_index()].cells["name"].text
            if not users or self._dialogs().remove(name, users):
                self.apply_edit(
                    Edit(
                        f"Remove {name}", lambda project: remove(project, path)
                    )
                )
        return True

    def move_line(self, step: int) -> bool:
        path = self.selected_path()
        if path is not None and self.apply_edit(
            Edit("Move", lambda p: move(p, path, step))
        ):
            index = min(
                len(self.cast.rows) - 1, max(0, self.selected_index() + step)
            )
            self.setCurrentIndex(self.cast.index(index, SENTENCES))
        return True

    # the cell that the keyboard is in

    def focus_chip(self, step: int) -> None:
        super().focus_chip(step)
        self._note_column()

    def leave_chips(self) -> None:
        super().leave_chips()
        self._column = ""

    def _scrolled(self) -> None:
        self.viewport().update()
        self.horizontalHeader().viewport().update()

    def _note_column(self) -> None:
        found = self.focused_chip
        if found is None:
            return
        for key, piece in self.cast.rows[self.selected_index()].cells.items():
            if piece.chip is not None and piece.chip.key == found[0].key:
                self._column = key
        column = next(
            (each for each in self.cast.columns if each.key == self._column),
            None,
        )
        if column is not None:
            self._bring_into_sight(column)

    def _bring_into_sight(self, column: CastColumn) -> None:
        if column.key == NAMES:
            return
        bar, wide = self.horizontalScrollBar(), self.viewport().width()
        if column.x < self.names_end:
            bar.setValue(bar.value() - (self.names_end - column.x))
        elif column.x + column.wide > bar.value() + wide:
            bar.setValue(column.x + column.wide - wide)

    def _keep_column(self) -> None:
        """Have the keyboard in the same column of the row that is now
        selected.
        """
        index = self.selected_index()
        if not self._column or not 0 <= index < len(self.cast.rows):
            return
        piece = self.cast.rows[index].cells.get(self._column)
        if piece is not None and piece.chip is not None:
            self.focused = piece.chip.key
        else:
            self.focused = None
        self.viewport().update()

    def _chip_key(self, event: QKeyEvent, chip: Chip, rect: QRectF) -> bool:
        """In a table the arrows walk; a number is typed or dragged."""
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            return False
        return super()._chip_key(event, chip, rect)

    def event(self, event: QEvent) -> bool:
        """Left and Right walk the cells, whatever shortcut they have
        elsewhere.
        """
        sideways = (Qt.Key.Key_Left, Qt.Key.Key_Right)
        if (
            event.type() == QEvent.Type.ShortcutOverride
            and isinstance(event, QKeyEvent)
            and event.key() in sideways
            and not event.modifiers()
        ):
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        is_sideways = event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right)
        if is_sideways and self.focused_chip is None and not event.modifiers():
            self.focus_chip(1 if event.key() == Qt.Key.Key_Right else -1)
            return
        super().keyPressEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.editing.finish()
        index = self.indexAt(event.position().toPoint())
        self.setFocus()
        if index.isValid():
            self.leave_chips()
            self.setCurrentIndex(self.cast.index(index.row(), SENTENCES))
            if event.button() is Qt.MouseButton.LeftButton:
                self.press_sentence(index.row(), QPointF(event.position()))

    def _walked(self, current: QModelIndex, previous: QModelIndex) -> None:
        self._keep_column()
        self.setAccessibleDescription(str(self.cast.data(current)))
        path = self.selected_path()
        if path is not None and self.isVisible():
            self.walked.emit(path)
        self.viewport().update()
