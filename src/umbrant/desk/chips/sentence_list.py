"""A list of sentences, one to a line, of which each leads somewhere."""

from collections.abc import Callable

from PySide6.QtCore import QAbstractTableModel, QModelIndex, Qt
from PySide6.QtGui import QMouseEvent, QResizeEvent
from PySide6.QtWidgets import QHeaderView, QWidget

from umbrant.desk.chips.layout import RowLayout, make_flow
from umbrant.desk.chips.sentence import SentencePiece
from umbrant.desk.chips.sentence_delegate import SentenceDelegate
from umbrant.desk.chips.table import ChipTable
from umbrant.desk.session.desk import Desk
from umbrant.desk.widgets.dialogs import Dialogs
from umbrant.desk.widgets.theme import Palette


class SentenceList(ChipTable):
    """Lays out the lines of a model, and goes to what the selected one is
    about. Subclasses say which pieces a line has and where it leads, and call
    `list_lines` with their model once.
    """

    needs_row = shows_rows = False

    def __init__(
        self,
        desk: Desk,
        palette: Palette,
        dialogs: Callable[[], Dialogs],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(desk, palette, dialogs, parent)
        self._layouts: dict[int, RowLayout] = {}

    def list_lines(
        self, model: QAbstractTableModel, delegate: SentenceDelegate
    ) -> None:
        """Show the lines of a model, which has one column."""
        self.setModel(model)
        self.setItemDelegate(delegate)
        self.horizontalHeader().hide()
        self.horizontalHeader().setSectionResizeMode(
            QHeaderView.ResizeMode.Stretch
        )
        self.selectionModel().currentRowChanged.connect(self._walked)

    # what subclasses say

    def pieces_of(self, place: int) -> list[SentencePiece]:
        """The sentence of a line that is there."""
        raise NotImplementedError

    def go_to(self) -> None:
        """Look at what the selected line is about."""
        raise NotImplementedError

    # lines

    def move_line(self, step: int) -> bool:
        return True

    def selected_index(self) -> int:
        return self.currentIndex().row()

    def lay_out_again(self) -> None:
        self._layouts.clear()
        for index in range(self.model().rowCount()):
            layout = self.layout_at(index)
            row_height = 0
            if layout is not None:
                row_height = int(layout.height)
            self.setRowHeight(index, row_height)
        self.viewport().update()

    def layout_at(self, place: int) -> RowLayout | None:
        if not 0 <= place < self.model().rowCount():
            return None
        if place not in self._layouts:
            flow = make_flow(
                self.brushes.fonts,
                self.viewport().width(),
                compact=self.compact,
            )
            self._layouts[place] = flow.lay_out(self.pieces_of(place), 0)
        return self._layouts[place]

    def _walked(self, current: QModelIndex, previous: QModelIndex) -> None:
        # After an edit the lines are taken up anew, and the same one is
        # selected out of none: the keyboard stays on its chip.
        if previous.isValid():
            self.leave_chips()
        self.setAccessibleDescription(str(self.model().data(current)))
        self.viewport().update()

    # events

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if self.isVisible():
            self.lay_out_again()
        else:
            self.is_stale = True

    def mousePressEvent(self, event: QMouseEvent) -> None:
        index = self.indexAt(event.position().toPoint())
        self.setFocus()
        if index.isValid():
            self.setCurrentIndex(index)
            if event.button() is Qt.MouseButton.LeftButton:
                self.press_sentence(index.row(), event.position())

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.go_to()
