"""How everything in the window is painted: nothing but pixels leaves a paint
event, whatever goes wrong in it.

An exception that left a paint event would leave its painter open, and Qt ends
a process that does that. So all painted views have their base here. They say
what they look like in `draw`, and a mistake there is logged and told in words
in place of the view, while the rest of the window lives. What they draw is
worked out in plain functions, which are tested without a window.
"""

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager

from PySide6.QtCore import (
    QModelIndex,
    QPersistentModelIndex,
    QRectF,
    Qt,
    SignalInstance,
)
from PySide6.QtGui import QPaintDevice, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QWidget,
)

from umbrant.desk.logs import log, log_file
from umbrant.desk.session.desk import Desk
from umbrant.desk.widgets.paint_turns import PaintTurns
from umbrant.desk.widgets.theme import DAY, Palette, body_font

ModelIndex = QModelIndex | QPersistentModelIndex
ZOOM_KEYS = {"+": 1.25, "-": 0.8}
"""By how much each key makes a view larger that has the keyboard."""
FIT_KEY = "0"
"""The key that draws all of it again."""
FAULT_HIGH = 52
"""How high the place is, in pixels, in which a table says that it could not be
drawn.
"""
FAULT = "fault"
"""The property of a view in which its last fault stands, so that the same one
is logged once and not at every frame.
"""


@contextmanager
def painting(device: QPaintDevice) -> Iterator[QPainter]:
    """A painter that is ended, whatever happens inside. It smooths edges."""
    painter = QPainter(device)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    try:
        yield painter
    finally:
        painter.end()


@contextmanager
def saved(painter: QPainter) -> Iterator[None]:
    """What is set on a painter inside is as it was afterwards."""
    painter.save()
    try:
        yield
    finally:
        painter.restore()


def guarded(
    painter: QPainter,
    view: QWidget,
    box: QRectF,
    draw: Callable[[QPainter], None],
) -> bool:
    """Draw something of a view; says whether that went well. A mistake is
    logged, and told in the box in words.
    """
    try:
        with saved(painter):
            draw(painter)
    except Exception as error:
        # A mistake of ours, whatever it is: the boundary that nothing may
        # pass.
        fault = f"{type(error).__name__}: {error}"
        if view.property(FAULT) != fault:
            view.setProperty(FAULT, fault)
            log.exception(
                "%s could not be drawn",
                view.accessibleName() or type(view).__name__,
            )
        with saved(painter):
            say_fault(painter, box, view)
        return False
    return True


def say_fault(painter: QPainter, box: QRectF, view: QWidget) -> None:
    """Say in a box that a view could not be drawn, why, and where more is to
    be found.
    """
    what = f"{view.accessibleName() or 'This'} could not be drawn ({view.property(FAULT)})."
    text = f"{what} The rest of the window works. What happened is in {log_file()}."
    painter.setOpacity(1.0)
    painter.setClipRect(box)
    painter.fillRect(box, DAY.sheet)
    painter.setPen(DAY.refused)
    painter.setFont(body_font())
    room, flags = (
        box.adjusted(8, 2, -8, -2),
        Qt.AlignmentFlag.AlignVCenter | Qt.TextFlag.TextWordWrap,
    )
    metrics = painter.fontMetrics()
    if (
        metrics.boundingRect(room.toRect(), flags, text).height()
        > room.height()
    ):
        text = metrics.elidedText(
            "! not drawn", Qt.TextElideMode.ElideRight, int(room.width())
        )
    painter.drawText(room, flags, text)


class PaintedView(QWidget):
    """A view that is painted as a whole, in the colours of `palette_`."""

    palette_: Palette

    def set_palette(self, palette: Palette) -> None:
        """Turn to Day or Night."""
        self.palette_ = palette
        self.update()

    def update_in_turn(self) -> None:
        """Paint it anew, after other views that show the same change."""
        PaintTurns.shared().ask(self)

    def draw(self, painter: QPainter) -> None:
        """Draw the view's content. Called in a paint event with the widget's
        rectangle cleared.
        """
        raise NotImplementedError

    def paintEvent(self, event: QPaintEvent) -> None:
        with painting(self) as painter:
            guarded(painter, self, QRectF(self.rect()), self.draw)


class PaintedTable(QTableView):
    """A table whose cells are drawn by a PaintedDelegate, on a ground and
    under what it draws itself.
    """

    def be_list(self, line_high: int) -> None:
        """Show lines of this height without headers, one of which is selected
        as a whole.
        """
        for header in (self.horizontalHeader(), self.verticalHeader()):
            header.hide()
        self.verticalHeader().setDefaultSectionSize(line_high)
        self.horizontalHeader().setSectionResizeMode(
            QHeaderView.ResizeMode.Fixed
        )
        self.horizontalHeader().setMinimumSectionSize(20)
        self.setShowGrid(False)
        self.setSelectionBehavior(
            QAbstractItemView.SelectionBehavior.SelectRows
        )
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setHorizontalScrollBarPolicy(
            Qt.ScrollBarPolicy.ScrollBarAlwaysOff
        )
        self.setTabKeyNavigation(False)

    def paint_in_turn(self, *changes: SignalInstance) -> None:
        """Have it painted after other views that show the same change."""
        for changed in changes:
            changed.connect(self._update_in_turn)

    def _update_in_turn(self) -> None:
        PaintTurns.shared().ask(self)

    def share_columns(self, shares: Sequence[float]) -> None:
        """Give each column its share of the width."""
        for column, share in enumerate(shares):
            self.setColumnWidth(column, int(self.viewport().width() * share))

    def draw_ground(self, painter: QPainter) -> None:
        """Draw what lies under the cells, or stands where there are none."""

    def draw_over(self, painter: QPainter) -> None:
        """Draw what lies over the cells."""

    def paintEvent(self, event: QPaintEvent) -> None:
        foot = QRectF(
            0,
            self.viewport().height() - FAULT_HIGH,
            self.viewport().width(),
            FAULT_HIGH,
        )
        with painting(self.viewport()) as painter:
            fine = guarded(painter, self, foot, self.draw_ground)
        super().paintEvent(event)
        with painting(self.viewport()) as painter:
            guarded(painter, self, foot, self.draw_over)
            if not fine:
                say_fault(
                    painter, foot, self
                )  # again, for the cells have been drawn over it


class PaintedDelegate(QStyledItemDelegate):
    """Draws the cells of a view."""

    def draw_cell(
        self,
        painter: QPainter,
        cell: QRectF,
        option: QStyleOptionViewItem,
        index: ModelIndex,
    ) -> None:
        """Draw the cell of an index inside its box."""
        raise NotImplementedError

    def paint(
        self,
        painter: QPainter,
        option: QStyleOptionViewItem,
        index: ModelIndex,
    ) -> None:
        view, cell = self.parent(), QRectF(option.rect)
        if not isinstance(view, QWidget):
            raise TypeError(
                "a painted delegate's parent is the view whose cells it draws"
            )
        guarded(
            painter,
            view,
            cell,
            lambda each: self.draw_cell(each, cell, option, index),
        )


def paint_with(desk: Desk, view: PaintedView) -> None:
    """Paint a view anew whenever something else is looked at."""
    for changed in (
        desk.project_changed,
        desk.take_changed,
        desk.agent_changed,
        desk.row_selected,
    ):
        changed.connect(view.update_in_turn)
    desk.playhead_moved.connect(view.update_in_turn)


def draw_focus(painter: QPainter, view: QWidget, palette: Palette) -> None:
    """A frame around a view that has the keyboard."""
    if view.hasFocus():
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(palette.running, 1))
        painter.drawRect(QRectF(view.rect()).adjusted(0.5, 0.5, -0.5, -0.5))
