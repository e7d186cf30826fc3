"""Dragging rows with the mouse: where they would go, and whether they fit
there.
"""

from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import QLineF, QModelIndex, QPoint, QPointF, QRectF, Qt
from PySide6.QtGui import QMouseEvent, QPainter, QPen

from umbrant.catalog.kind import ROWS, Catalog
from umbrant.desk.chips.layout import FIRST_X, INDENT
from umbrant.desk.views.ledger.model import OUTLINE
from umbrant.model.behaviors import Behavior, Row
from umbrant.model.edits import Edit, place_rows
from umbrant.model.kind_ids import USE_BEHAVIOR

if TYPE_CHECKING:
    from umbrant.desk.views.ledger.view import LedgerView

GRIP = 8
"""How far the mouse moves, in pixels, before rows are dragged."""
FOLD_MARK = 22
"""How wide the place of the mark is that folds."""

INTO_FROM, INTO_TO = 0.3, 0.7
"""Between these shares of a row's height rows are dropped into it, as its
first; above before it, below behind it.
"""


@dataclass(frozen=True)
class Drop:
    """Where rows are dropped: behind `after`, or first, in `under`; `line` is
    where it is shown.
    """

    after: str | None
    under: str
    line: QLineF
    fits: bool


def drop_at(
    behavior: Behavior,
    catalog: Catalog,
    row: Row,
    cell: QRectF,
    y: float,
    moved: list[str],
) -> Drop | None:
    """Where rows dropped at a height over another row go; None where nothing
    can be dropped.
    """
    outline = behavior.outline
    share, children = (
        (y - cell.top()) / max(1.0, cell.height()),
        outline.children[row.id],
    )
    kind, above = catalog.get(row.kind, *ROWS), outline.parent[row.id]
    holds = kind is not None and bool(kind.holds)
    depth, foot = outline.depth[row.id], cell.bottom()
    after: str | None
    if holds and (INTO_FROM < share < INTO_TO or above is None):
        after, under, depth = None, row.id, depth + 1
    elif above is None:
        return None
    elif share <= INTO_TO / 2 + INTO_FROM / 2:
        siblings = outline.siblings(row.id)
        index = siblings.index(row.id)
        before = None
        if index:
            before = siblings[index - 1]
        after, under, foot = (
            before,
            above,
            cell.top(),
        )
    elif children:
        after, under, depth = None, row.id, depth + 1
    else:
        after, under = row.id, above
    fits = _fits(behavior, catalog, moved, after, under)
    return Drop(
        after,
        under,
        QLineF(FIRST_X + INDENT * depth, foot - 1, cell.right() - 8, foot - 1),
        fits,
    )


def _fits(
    behavior: Behavior,
    catalog: Catalog,
    moved: list[str],
    after: str | None,
    under: str,
) -> bool:
    inside = {
        each for row_id in moved for each in behavior.outline.within(row_id)
    }
    if under in inside or after in inside:
        return False
    path = under.rpartition("/")[0]
    if (
        any(row_id.rpartition("/")[0] != path for row_id in moved)
        or behavior.row(under).kind == USE_BEHAVIOR
    ):
        return False
    holder = catalog.get(behavior.row(under).kind, *ROWS)
    kinds = [catalog.get(behavior.row(row_id).kind, *ROWS) for row_id in moved]
    return holder is not None and all(
        kind is None or kind.family in holder.holds for kind in kinds
    )


class RowDragging:
    """The selected rows of one ledger in the mouse's hand."""

    def __init__(self, view: "LedgerView") -> None:
        self._view = view
        self._grip: QPointF | None = None
        self.drop: Drop | None = None
        """Where the rows would go."""

    @property
    def holds(self) -> bool:
        """Whether rows were taken hold of."""
        return self._grip is not None

    def can_grip(
        self, event: QMouseEvent, index: QModelIndex, row: Row
    ) -> bool:
        """Whether the mouse is on a place of a row by which it can be dragged:
        all but chips and the fold mark.
        """
        shift = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        behavior = self._view.ledger.behavior
        nested = (
            behavior is not None
            and behavior.outline.parent[row.id] is not None
        )
        on_words = (
            index.column() == OUTLINE and event.position().x() >= FOLD_MARK
        )
        free = event.button() is Qt.MouseButton.LeftButton and not shift
        return (
            free
            and nested
            and on_words
            and self._view.chip_at(event.position()) is None
        )

    def grip(self, position: QPointF) -> None:
        """Take hold of the selected rows."""
        self._grip = position

    def drag(self, position: QPointF) -> None:
        """The mouse moved; near an edge the ledger scrolls on."""
        view, behavior, grip = (
            self._view,
            self._view.ledger.behavior,
            self._grip,
        )
        if (
            behavior is None
            or grip is None
            or (
                self.drop is None
                and (position - grip).manhattanLength() < GRIP
            )
        ):
            return
        self.drop = None
        index = view.indexAt(QPoint(10, int(position.y())))
        row = view.ledger.row_at(index.row())
        if row is not None:
            cell = QRectF(
                view.visualRect(view.ledger.index(index.row(), OUTLINE))
            )
            self.drop = drop_at(
                behavior,
                view.desk.catalog,
                row,
                cell,
                position.y(),
                view.selected_rows,
            )
        fits = self.drop is not None and self.drop.fits
        if fits:
            cursor = Qt.CursorShape.ClosedHandCursor
        else:
            cursor = Qt.CursorShape.ForbiddenCursor
        view.viewport().setCursor(cursor)
        edge = 0
        if index.isValid():
            edge = view.rowHeight(index.row())
        if (
            position.y() < edge
            or position.y() > view.viewport().height() - edge
        ):
            step = 1
            if position.y() < edge:
                step = -1
            view.verticalScrollBar().setValue(
                view.verticalScrollBar().value() + 6 * step
            )
        view.viewport().update()

    def let_go(self) -> bool:
        """Put the rows down where they fit; says whether they were dragged at
        all.
        """
        view, drop = self._view, self.drop
        self._grip = self.drop = None
        view.viewport().unsetCursor()
        behavior, row_ids = view.ledger.behavior, view.selected_rows
        if drop is not None and drop.fits and behavior is not None:
            names, name = (
                [
                    behavior.row(each).name or behavior.row(each).kind
                    for each in row_ids
                ],
                behavior.name,
            )
            if len(names) == 1:
                what = names[0]
            else:
                what = f"{len(names)} rows"
            edit = Edit(
                f"Move {what}",
                lambda p: place_rows(
                    p, name, row_ids, after=drop.after, under=drop.under
                ),
            )
            if view.desk.apply(edit):
                view.select_rows(row_ids)
        return drop is not None

    def paint(self, painter: QPainter) -> None:
        """A line where the rows would go."""
        if self.drop is not None:
            palette = self._view.brushes.palette
            if self.drop.fits:
                ink = palette.now
            else:
                ink = palette.refused
            painter.setPen(QPen(ink, 2))
            painter.drawLine(self.drop.line)
