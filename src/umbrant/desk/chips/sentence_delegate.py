"""Drawing the lines of a table that are a sentence each."""

from PySide6.QtCore import QRectF
from PySide6.QtGui import QColor, QPainter
from PySide6.QtWidgets import QStyleOptionViewItem

from umbrant.desk.chips.drawing import draw_pieces
from umbrant.desk.chips.layout import RowLayout
from umbrant.desk.chips.table import ChipTable
from umbrant.desk.widgets.painted import ModelIndex, PaintedDelegate, saved


class SentenceDelegate(PaintedDelegate):
    """Draws a line: its ground, what stands before the sentence, and the
    sentence.
    """

    def __init__(self, table: ChipTable) -> None:
        super().__init__(table)
        self._table = table

    def ground(self, place: int) -> QColor:
        """What a line stands on while it is not selected."""
        return self._table.brushes.palette.sheet

    def draw_before(
        self, painter: QPainter, layout: RowLayout, place: int
    ) -> None:
        """Draw what stands before the sentence of a line; the line begins at
        (0, 0).
        """

    def draw_cell(
        self,
        painter: QPainter,
        cell: QRectF,
        option: QStyleOptionViewItem,
        index: ModelIndex,
    ) -> None:
        table, place = self._table, index.row()
        palette, layout = table.brushes.palette, table.layout_at(place)
        if layout is None:
            return
        selected = place == table.selected_index()
        painter.fillRect(
            cell, palette.selection if selected else self.ground(place)
        )
        with saved(painter):
            painter.translate(cell.topLeft())
            self.draw_before(painter, layout, place)
            focused = None
            if selected:
                focused = table.focused
            draw_pieces(
                painter,
                layout,
                table.brushes,
                focused,
            )
        painter.fillRect(
            QRectF(cell.left(), cell.bottom() - 1, cell.width(), 1),
            palette.rule,
        )
