"""The band over the setting: in which section the first line that is seen
stands, and a filter.
"""

from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QObject, QRect, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen, QResizeEvent
from PySide6.QtWidgets import QHeaderView, QLineEdit

from umbrant.desk.widgets.painted import guarded

if TYPE_CHECKING:
    from umbrant.desk.views.setting.view import SettingView

HIGH, FILTER_W, EDGE = 32, 220, 8


class WhereHeader(QHeaderView):
    """Stays while the lines scroll. A click on it goes to the section."""

    filtered = Signal(str)
    """What the lines that are shown are to hold."""

    def __init__(self, view: "SettingView") -> None:
        super().__init__(Qt.Orientation.Horizontal, view)
        self._view = view
        self.setAccessibleName("Section")
        self.setStretchLastSection(True)
        self.filter_line = QLineEdit(self)
        self.filter_line.setObjectName("filter")
        self.filter_line.setPlaceholderText("Filter ( / )")
        self.filter_line.setAccessibleName("Filter the setting")
        self.filter_line.setToolTip(
            "Only the lines that hold these words are shown. Esc shows all."
        )
        self.filter_line.setClearButtonEnabled(True)
        self.filter_line.textChanged.connect(self.filtered)
        self.filter_line.installEventFilter(self)

    def begin(self) -> None:
        """Put the keyboard into the filter."""
        self.filter_line.setFocus(Qt.FocusReason.ShortcutFocusReason)
        self.filter_line.selectAll()

    def clear(self) -> None:
        """Filter no more."""
        self.filter_line.clear()

    def text(self) -> str:
        """The section, and the document in it, of the first line that is seen."""
        view = self._view
        top = view.rowAt(0)
        around = view.setting.section_at(max(0, top))
        return " › ".join(
            line.pieces[0 if line.heading else 1].text for line in around
        )

    def sizeHint(self) -> QSize:
        return QSize(
            super().sizeHint().width(),
            max(HIGH, self.filter_line.sizeHint().height() + 6),
        )

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        high = self.filter_line.sizeHint().height()
        left = self.width() - FILTER_W - EDGE
        self.filter_line.setGeometry(
            left, (self.height() - high) // 2, FILTER_W, high
        )

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Enter, Esc and the arrow down leave the filter; Esc also takes it
        away.
        """
        if (
            isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.KeyPress
        ):
            key = event.key()
            if key == Qt.Key.Key_Escape:
                self.filter_line.clear()
            if key in (
                Qt.Key.Key_Escape,
                Qt.Key.Key_Return,
                Qt.Key.Key_Enter,
                Qt.Key.Key_Down,
            ):
                self._view.setFocus()
                return True
        return super().eventFilter(watched, event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        around = self._view.setting.section_at(max(0, self._view.rowAt(0)))
        if around:
            self._view.select_path(around[-1].path)
            self._view.setFocus()

    def paintSection(
        self, painter: QPainter, rect: QRect, section: int
    ) -> None:
        guarded(
            painter, self, QRectF(rect), lambda each: self._draw(each, rect)
        )

    def _draw(self, painter: QPainter, rect: QRect) -> None:
        brushes = self._view.brushes
        painter.fillRect(rect, brushes.palette.ground)
        painter.setFont(brushes.fonts.bold)
        painter.setPen(brushes.palette.ink)
        room = rect.adjusted(42, 0, -FILTER_W - 2 * EDGE, 0)
        text = painter.fontMetrics().elidedText(
            self.text(), Qt.TextElideMode.ElideRight, room.width()
        )
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, text)
        painter.setPen(QPen(brushes.palette.rule, 1))
        painter.drawLine(rect.bottomLeft(), rect.bottomRight())
