"""The ledger's header. Above the tape it is a ruler of seconds with the playhead on it."""

from PySide6.QtCore import QPointF, QRect, QRectF, Qt
from PySide6.QtGui import QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QHeaderView, QWidget

from umbrant.desk.ledger.model import TAPE
from umbrant.desk.ledger.pieces import Brushes
from umbrant.desk.state import Desk

_STEPS = (0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 30, 60, 120, 300, 600, 1800, 3600)
_LEAST_APART = 46


class TapeHeader(QHeaderView):
    """The names of the columns, and the time above the tape. Dragging on the ruler moves the playhead."""

    def __init__(self, desk: Desk, brushes: Brushes, parent: QWidget) -> None:
        super().__init__(Qt.Orientation.Horizontal, parent)
        self._desk = desk
        self._brushes = brushes
        self.setAccessibleName("Ruler")

    def paintSection(self, painter: QPainter, rect: QRect, section: int) -> None:
        painter.save()
        palette = self._brushes.palette
        painter.fillRect(rect, palette.ground)
        painter.setFont(self._brushes.fonts.small)
        if section == TAPE:
            self._ruler(painter, QRectF(rect))
        else:
            painter.setPen(palette.dim)
            text = str(self.model().headerData(section, Qt.Orientation.Horizontal))
            left = 44 if section == 0 else 8
            painter.drawText(rect.adjusted(left, 0, -2, 0), Qt.AlignmentFlag.AlignVCenter, text)
        painter.setPen(QPen(palette.rule, 1))
        painter.drawLine(rect.bottomLeft(), rect.bottomRight())
        painter.restore()

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

    def _ruler(self, painter: QPainter, rect: QRectF) -> None:
        tape, palette = self._desk.tape, self._brushes.palette
        if self._desk.take is None:
            painter.setPen(palette.dim)
            painter.drawText(rect.adjusted(8, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, "Tape")
            return
        a_second = rect.width() / (tape.length / tape.ticks_per_s)
        step = next((each for each in _STEPS if each * a_second >= _LEAST_APART), _STEPS[-1])
        mark = int(tape.start / tape.ticks_per_s / step)
        while (second := mark * step) * tape.ticks_per_s <= tape.end:
            x = rect.left() + (second - tape.start / tape.ticks_per_s) * a_second
            if x >= rect.left() - 1:
                painter.setPen(palette.faint)
                painter.drawLine(QPointF(x, rect.bottom() - 6), QPointF(x, rect.bottom() - 1))
                painter.setPen(palette.dim)
                painter.drawText(
                    QRectF(x + 3, rect.top(), 60, rect.height()), Qt.AlignmentFlag.AlignVCenter, f"{second:g} s"
                )
            mark += 1
        x = rect.left() + (self._desk.playhead - tape.start) / tape.length * rect.width()
        if rect.left() <= x <= rect.right():
            painter.fillRect(QRectF(x - 1, rect.top() + 4, 2, rect.height() - 4), palette.now)
