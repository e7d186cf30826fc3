"""A label that never asks for room."""

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QSizePolicy, QWidget

from umbrant.desk.widgets.painted import PaintedView

PART = " · "
"""Stands between the parts of a text, of which the last are left out first."""


class ShortenedLabel(PaintedView):
    """A line of dim text, of which as many parts are shown as fit whole; the
    tooltip has all.

    Unlike a QLabel it does not lay out the window anew when its text changes,
    which it does at every tick.
    """

    def __init__(
        self,
        parent: QWidget,
        text: str = "",
        align: Qt.AlignmentFlag = Qt.AlignmentFlag.AlignLeft,
    ) -> None:
        super().__init__(parent)
        self.setObjectName("dim")
        self.setSizePolicy(
            QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred
        )
        self._align = align
        self._text = ""
        self.drops_all = False
        """Whether a first part that does not fit is left out, rather than cut.
        """
        self.setText(text)

    def text(self) -> str:
        """The full text, also while only a part of it fits."""
        return self._text

    def setText(self, text: str) -> None:
        """Show another text, whose most important part is the first."""
        if text != self._text:
            self._text = text
            self.setToolTip(text)
            self.setAccessibleName(text)
            self.update()

    def sizeHint(self) -> QSize:
        return QSize(80, self.fontMetrics().height())

    def draw(self, painter: QPainter) -> None:
        painter.setPen(self.palette().windowText().color())
        painter.drawText(
            self.rect(),
            self._align | Qt.AlignmentFlag.AlignVCenter,
            self.shown(),
        )

    def shown(self) -> str:
        """As many parts as there is room for. Only the first is cut, with an
        ellipsis; or it is left out, where parts are shown whole.
        """
        metrics, parts = self.fontMetrics(), self._text.split(PART)
        if (
            self.drops_all
            and metrics.horizontalAdvance(parts[0]) > self.width()
        ):
            return ""
        while (
            len(parts) > 1
            and metrics.horizontalAdvance(PART.join(parts)) > self.width()
        ):
            parts.pop()
        return metrics.elidedText(
            PART.join(parts), Qt.TextElideMode.ElideRight, self.width()
        )
