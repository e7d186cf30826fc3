"""A label that never asks for room."""

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QSizePolicy, QWidget

from umbrant.desk.widgets.painted import PaintedView


class ShortenedLabel(PaintedView):
    """A line of dim text, shortened to the room there is; the tooltip has the whole.

    Unlike a QLabel it does not lay out the window anew when its text changes, which it does at
    every tick.
    """

    def __init__(
        self, parent: QWidget, text: str = "", align: Qt.AlignmentFlag = Qt.AlignmentFlag.AlignLeft
    ) -> None:
        super().__init__(parent)
        self.setObjectName("dim")
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self._align = align
        self._text = ""
        self.setText(text)

    def text(self) -> str:
        """The full text, also while only a part of it fits."""
        return self._text

    def setText(self, text: str) -> None:
        """Show another text, cut with an ellipsis where it does not fit."""
        if text != self._text:
            self._text = text
            self.setToolTip(text)
            self.setAccessibleName(text)
            self.update()

    def sizeHint(self) -> QSize:
        return QSize(80, self.fontMetrics().height())

    def draw(self, painter: QPainter) -> None:
        painter.setPen(self.palette().windowText().color())
        shown = self.fontMetrics().elidedText(self._text, Qt.TextElideMode.ElideRight, self.width())
        painter.drawText(self.rect(), self._align | Qt.AlignmentFlag.AlignVCenter, shown)
