"""The ledger's header. Above the tape it is a ruler of seconds with the
playhead on it.
"""

from PySide6.QtCore import QRect, QRectF, Qt
from PySide6.QtGui import QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QHeaderView, QWidget

from umbrant.desk.chips.drawing import Brushes
from umbrant.desk.session.desk import Desk
from umbrant.desk.views.ledger.model import TAPE
from umbrant.desk.views.ledger.ruler_painting import RulerLook, paint_ruler
from umbrant.desk.widgets.painted import guarded


class TapeHeader(QHeaderView):
    """The names of the columns, and the time above the tape. Dragging on the
    ruler moves the playhead.
    """

    def __init__(self, desk: Desk, brushes: Brushes, parent: QWidget) -> None:
        super().__init__(Qt.Orientation.Horizontal, parent)
        self._desk = desk
        self._brushes = brushes
        self.setAccessibleName("Ruler")

    def paintSection(
        self, painter: QPainter, rect: QRect, section: int
    ) -> None:
        guarded(
            painter,
            self,
            QRectF(rect),
            lambda each: self._draw_section(each, rect, section),
        )

    def _draw_section(
        self, painter: QPainter, rect: QRect, section: int
    ) -> None:
        palette = self._brushes.palette
        painter.fillRect(rect, palette.ground)
        painter.setFont(self._brushes.fonts.small)
        tape = self._desk.tape
        if section == TAPE and self._desk.take is not None:
            look = RulerLook(
                tape.start, tape.length, tape.ticks_per_s, self._desk.playhead
            )
            paint_ruler(painter, QRectF(rect), look, palette)
        else:
            painter.setPen(palette.dim)
            text = str(
                self.model().headerData(section, Qt.Orientation.Horizontal)
            )
            left = 8
            if section == 0:
                left = 44
            painter.drawText(
                rect.adjusted(left, 0, -2, 0),
                Qt.AlignmentFlag.AlignVCenter,
                text,
            )
        painter.setPen(QPen(palette.rule, 1))
        painter.drawLine(rect.bottomLeft(), rect.bottomRight())

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.logicalIndexAt(event.position().toPoint()) == TAPE:
            self._scrub(event)
        else:
            super().mousePressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        over_tape = self.logicalIndexAt(event.position().toPoint()) == TAPE
        if over_tape and event.buttons() & Qt.MouseButton.LeftButton:
            self._scrub(event)
        else:
            super().mouseMoveEvent(event)

    def _scrub(self, event: QMouseEvent) -> None:
        left, tape = self.sectionViewportPosition(TAPE), self._desk.tape
        share = (event.position().x() - left) / max(1, self.sectionSize(TAPE))
        self._desk.move_playhead(int(tape.start + share * tape.length))
