"""A message over a part of the window that goes away by itself, or when it is
clicked.
"""

from PySide6.QtCore import QEvent, QObject, QPoint, QRect, Qt, QTimer
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QLabel, QWidget

from umbrant.model.printable import escaped

SHOWN_MS = 9000
WIDEST = 560
GAP, ABOVE = 12, 8
"""How far the text stands from the edges."""


class Notice(QLabel):
    """Shows the desk's messages over a corner of the window, each for a few
    seconds.
    """

    def __init__(self, parent: QWidget, over: QWidget) -> None:
        super().__init__(parent)
        self._area = over
        self.setObjectName("noticeText")
        self.setAccessibleName("Message")
        self.setWordWrap(True)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setContentsMargins(GAP, ABOVE, GAP, ABOVE)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self.hide)
        over.installEventFilter(self)
        self.hide()

    def show_message(self, text: str) -> None:
        """Show a message, or take the last one away if there is none."""
        self.setText(escaped(text))
        self.setVisible(bool(text))
        self._move_to_corner()
        self._timer.start(SHOWN_MS + 40 * len(text))

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Resize:
            self._move_to_corner()
        return super().eventFilter(watched, event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.hide()

    def _move_to_corner(self) -> None:
        if self.isHidden():
            return
        room = QRect(
            0, 0, min(WIDEST, self._area.width() - 40) - 2 * GAP, 1000
        )
        needed = self.fontMetrics().boundingRect(
            room, int(Qt.TextFlag.TextWordWrap), self.text()
        )
        self.setFixedSize(
            needed.width() + 2 * GAP + 4, needed.height() + 2 * ABOVE + 2
        )
        self.move(
            self._area.geometry().bottomLeft()
            + QPoint(16, -self.height() - 12)
        )
        self.raise_()
