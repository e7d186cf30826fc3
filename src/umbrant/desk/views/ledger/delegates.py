"""How each column of the ledger is drawn."""

from collections.abc import Callable

from PySide6.QtCore import QObject, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QStyleOptionViewItem

from umbrant.catalog.kind import Family
from umbrant.desk.chips.drawing import Brushes, draw_pieces
from umbrant.desk.chips.layout import RowLayout
from umbrant.desk.chips.sentence import ChipKey
from umbrant.desk.session.desk import Desk
from umbrant.desk.views.ledger.model import LedgerModel
from umbrant.desk.views.ledger.tape import Axis, TapePainter
from umbrant.desk.widgets.compared import draw_quieter, half_high, halves
from umbrant.desk.widgets.painted import ModelIndex, PaintedDelegate
from umbrant.desk.widgets.pixmaps import PixmapCache
from umbrant.desk.widgets.theme import Palette
from umbrant.model.behaviors import Behavior, Row
from umbrant.reasons.decision_changes import leading_rows
from umbrant.reasons.now import now_value
from umbrant.take.reader import Take
from umbrant.take.record import RowState


class _Delegate(PaintedDelegate):
    """Fills a cell and draws the line under it; subclasses draw the cell's
    content.
    """

    def __init__(
        self, desk: Desk, model: LedgerModel, brushes: Brushes, parent: QObject
    ) -> None:
        super().__init__(parent)
        self.desk = desk
        self.model = model
        self.brushes = brushes

    def draw_cell(
        self,
        painter: QPainter,
        cell: QRectF,
        option: QStyleOptionViewItem,
        index: ModelIndex,
    ) -> None:
        row = self.model.row_at(index.row())
        if row is None:
            return
        palette = self.brushes.palette
        if self.is_selected(row):
            ground = palette.selection
        else:
            ground = self.background()
        painter.fillRect(
            cell,
            ground,
        )
        self.draw(painter, cell, row)
        painter.fillRect(
            QRectF(cell.left(), cell.bottom() - 1, cell.width(), 1),
            palette.rule,
        )

    def is_selected(self, row: Row) -> bool:
        """Whether a row is among those selected."""
        return row.id == self.desk.row_id or row.id in self.brushes.selected

    def background(self) -> QColor:
        """What the cell is filled with."""
        return self.brushes.palette.sheet

    def draw(self, painter: QPainter, cell: QRectF, row: Row) -> None:
        """Draw the cell of a row inside its box."""
        raise NotImplementedError


class OutlineDelegate(_Delegate):
    """The sentence of a row, its number, its fold mark."""

    def __init__(
        self,
        desk: Desk,
        model: LedgerModel,
        brushes: Brushes,
        parent: QObject,
        layout_of: Callable[[Row], RowLayout],
        focused: Callable[[], ChipKey | None],
    ) -> None:
        super().__init__(desk, model, brushes, parent)
        self._layout_of = layout_of
        self._focused = focused
        self._pictures = PixmapCache()
        self._leads: tuple[Behavior | None, dict[str, int]] = (None, {})

    def sizeHint(
        self, option: QStyleOptionViewItem, index: ModelIndex
    ) -> QSize:
        row = self.model.row_at(index.row())
        if row:
            return QSize(200, int(self._layout_of(row).height))
        return super().sizeHint(option, index)

    def draw(self, painter: QPainter, cell: QRectF, row: Row) -> None:
        behavior, desk = self.model.behavior, self.desk
        focused = None
        if row.id == desk.row_id:
            focused = self._focused()
        outline = None
        if behavior:
            outline = behavior.outline
        place = (
            (outline.number[row.id], bool(outline.children[row.id]))
            if outline
            else ()
        )
        looks = (
            self.brushes.palette.name,
            self.brushes.line,
            row.id in self.model.folded,
            row.id == self.model.in_full,
        )
        key = (
            row,
            self.model.sentence_inputs(row),
            place,
            focused,
            self._mark_of(row),
            looks,
            self._lead_colour(row),
        )
        self._pictures.draw(
            painter,
            cell,
            row.id,
            key,
            lambda p, _: self._sentence(p, row, focused),
        )

    def _mark_of(self, row: Row) -> str:
        """What stands after a row's number: that it cannot run, that the
        review has found something, or that a variant has it otherwise.
        """
        if self.desk.problems_of(row.id):
            return " !"
        if self.desk.findings_of(row.id):
            return " ?"
        if self.desk.override_of(row.id):
            return " ≠"
        return ""

    def _lead_colour(self, row: Row) -> QColor | None:
        """The colour of a row between which and others a change counts as a
        change of mind; None for other rows.
        """
        behavior, palette = self.model.behavior, self.brushes.palette
        if self._leads[0] is not behavior:
            if behavior:
                rows = leading_rows(behavior)
            else:
                rows = ()
            self._leads = (
                behavior,
                {row_id: index for index, row_id in enumerate(rows)},
            )
        index = self._leads[1].get(row.id)
        if index is None:
            return None
        return palette.leads[index % len(palette.leads)]

    def _sentence(
        self, painter: QPainter, row: Row, focused: ChipKey | None
    ) -> None:
        layout = self._layout_of(row)
        self._gutter(painter, row, layout)
        if row.muted:
            painter.setOpacity(0.4)
        draw_pieces(painter, layout, self.brushes, focused)
        if row.muted and layout.placed:
            first = layout.placed[0].rect
            painter.setPen(QPen(self.brushes.palette.dim, 1))
            middle = first.center().y()
            painter.drawLine(
                QPointF(first.left(), middle),
                QPointF(layout.placed[-1].rect.right(), middle),
            )
        painter.setOpacity(1.0)

    def _gutter(self, painter: QPainter, row: Row, layout: RowLayout) -> None:
        behavior, palette = self.model.behavior, self.brushes.palette
        if behavior is None or not layout.placed:
            return
        line = layout.placed[0].rect
        lead = self._lead_colour(row)
        if lead is not None:
            painter.fillRect(QRectF(0, 0, 3, layout.height - 1), lead)
        painter.setFont(self.brushes.fonts.small)
        mark = self._mark_of(row)
        painter.setPen(
            {" !": palette.refused, " ?": palette.now, " ≠": palette.now}.get(
                mark, palette.dim
            )
        )
        number = QRectF(layout.indent_x - 70, line.top(), 63, line.height())
        flags = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        painter.drawText(number, flags, behavior.outline.number[row.id] + mark)
        if behavior.outline.children[row.id]:
            _triangle(
                painter,
                QPointF(12, line.center().y()),
                palette.dim,
                row.id in self.model.folded,
            )


class NowDelegate(_Delegate):
    """The state of a row at the playhead, by height and colour, and the number
    that matters.
    """

    def background(self) -> QColor:
        return self.brushes.palette.ground

    def draw(self, painter: QPainter, cell: QRectF, row: Row) -> None:
        explainer, tick = self.desk.explainer, self.desk.playhead
        if explainer is None or row.id not in explainer.outline.number:
            return
        state = explainer.record.row(row.id).state_at(tick)
        middle = cell.top() + min(cell.height(), self.brushes.line) / 2
        _mark(
            painter,
            QPointF(cell.left() + 9, middle + 5),
            state,
            self.brushes.palette,
            10.0,
        )
        painter.setFont(self.brushes.fonts.small)
        painter.setPen(self.brushes.palette.ink)
        text = QRectF(cell.left() + 20, middle - 10, cell.width() - 22, 20)
        value = now_value(explainer, row.id, tick)
        shown = painter.fontMetrics().elidedText(
            value, Qt.TextElideMode.ElideRight, int(text.width())
        )
        painter.drawText(text, Qt.AlignmentFlag.AlignVCenter, shown)


class TapeDelegate(_Delegate):
    """The history of a row: what it was at each tick, told by height first and
    colour second.
    """

    def __init__(
        self, desk: Desk, model: LedgerModel, brushes: Brushes, parent: QObject
    ) -> None:
        super().__init__(desk, model, brushes, parent)
        self._pictures = PixmapCache(hasty=True)

    def draw_cell(
        self,
        painter: QPainter,
        cell: QRectF,
        option: QStyleOptionViewItem,
        index: ModelIndex,
    ) -> None:
        """Everything but the playhead is one picture, which is painted anew
        only when the tape's window moves.
        """
        row = self.model.row_at(index.row())
        if row is None:
            return
        desk, tape = self.desk, self.desk.tape
        selected = self.is_selected(row)
        key = (
            desk.take_number,
            desk.agent,
            tape.start,
            tape.length,
            selected,
            self.brushes.palette.name,
        )
        self._pictures.draw(
            painter,
            cell,
            row.id,
            key,
            lambda p, box: self._past(p, box, row.id, selected),
        )
        x = self.x_of(cell, desk.playhead)
        if desk.take is not None and cell.left() <= x <= cell.right():
            painter.fillRect(
                QRectF(x - 1, cell.top(), 2, cell.height()),
                self.brushes.palette.now,
            )

    def _past(
        self, painter: QPainter, cell: QRectF, row_id: str, selected: bool
    ) -> None:
        palette, explainer = self.brushes.palette, self.desk.explainer
        if selected:
            ground = palette.selection
        else:
            ground = palette.sheet
        painter.fillRect(cell, ground)
        if explainer is not None and row_id in explainer.outline.number:
            self._different(painter, cell, row_id)
            family, other = explainer.family(row_id), self.desk.other_take
            if other is None:
                self._record(painter, cell, explainer.take, family, row_id)
            else:
                upper, lower = halves(cell)
                for half, take in ((upper, explainer.take), (lower, other)):
                    with half_high(painter, cell, half):
                        self._record(painter, cell, take, family, row_id)
            self._past_of_parent(painter, cell)
        painter.fillRect(
            QRectF(cell.left(), cell.bottom() - 1, cell.width(), 1),
            palette.rule,
        )

    def _record(
        self,
        painter: QPainter,
        cell: QRectF,
        take: Take,
        family: Family,
        row_id: str,
    ) -> None:
        """What the agent's row did in a take."""
        record = take.agents.get(self.desk.agent)
        if record is not None:
            tape = self.desk.tape
            axis = Axis(cell, tape.start, tape.length, take.ticks)
            drawing = TapePainter(
                painter, axis, self.brushes.palette, take.header.ticks_per_s
            )
            drawing.draw(family, record.row(row_id))

    def _past_of_parent(self, painter: QPainter, cell: QRectF) -> None:
        """Of a branch the time before it leaves its parent in a quieter tone."""
        branched_at = self.desk.branched_at
        if branched_at is not None:
            right = min(cell.right(), self.x_of(cell, branched_at))
            past = QRectF(
                cell.left(), cell.top(), right - cell.left(), cell.height() - 1
            )
            draw_quieter(painter, past, self.brushes.palette)

    def x_of(self, cell: QRectF, tick: float) -> float:
        """Where a tick stands in a cell."""
        tape = self.desk.tape
        return cell.left() + (tick - tape.start) / tape.length * cell.width()

    def tick_at(self, cell: QRectF, x: float) -> float:
        """Which tick stands at a place in a cell."""
        tape = self.desk.tape
        return (
            tape.start
            + (x - cell.left()) / max(1.0, cell.width()) * tape.length
        )

    def _different(self, painter: QPainter, cell: QRectF, row_id: str) -> None:
        for stretch in self.desk.different.get(row_id, ()):
            left, right = (
                self.x_of(cell, stretch.start),
                self.x_of(cell, stretch.end + 1),
            )
            if right >= cell.left() and left <= cell.right():
                band = QRectF(
                    left, cell.top(), max(2.0, right - left), cell.height() - 1
                )
                painter.fillRect(band, self.brushes.palette.different)


def _mark(
    painter: QPainter,
    foot: QPointF,
    state: RowState,
    palette: Palette,
    height: float,
) -> None:
    """A state as a small block: tall, half, or a thin line at the foot."""
    looks = {
        RowState.RUNNING: (height, palette.running, 5.0),
        RowState.SUCCESS: (height / 2, palette.success, 5.0),
        RowState.FAILURE: (2.5, palette.refused, 8.0),
        RowState.REFUSED: (2.5, palette.refused, 8.0),
    }
    if state in looks:
        tall, colour, width = looks[state]
        painter.fillRect(
            QRectF(foot.x(), foot.y() - tall, width, tall), colour
        )


def _triangle(
    painter: QPainter, centre: QPointF, colour: QColor, folded: bool
) -> None:
    if folded:
        corners = [(-2, -4), (3, 0), (-2, 4)]
    else:
        corners = [(-4, -2), (0, 3), (4, -2)]
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(colour)
    painter.drawPolygon(
        QPolygonF([centre + QPointF(x, y) for x, y in corners])
    )
