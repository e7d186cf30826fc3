"""What a search or a completion lists, and how one of them is drawn in a line."""

from collections.abc import Callable
from typing import Protocol

from PySide6.QtCore import (
    QModelIndex,
    QObject,
    QPersistentModelIndex,
    QRectF,
    QSize,
    Qt,
)
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QStyle, QStyleOptionViewItem

from umbrant.desk.chips.drawing import Brushes
from umbrant.desk.widgets.painted import ModelIndex, PaintedDelegate

LINE = 24
"""How high a line is, in pixels."""


class SearchMatch(Protocol):
    """Something that a search can find."""

    @property
    def title(self) -> str: ...
    @property
    def place(self) -> str:
        """The text at the right: where the match is, or what it becomes."""

    @property
    def phrase(self) -> str:
        """More about it in one line."""

    @property
    def label(self) -> str:
        """How it is listed in words."""

    @property
    def help(self) -> str:
        """The text under the list while the match is selected."""


class OfferDelegate(PaintedDelegate):
    """Draws an offer in one line: its title, how it reads, and at the right
    what it becomes.
    """

    def __init__(
        self,
        brushes: Brushes,
        shown: Callable[[int], SearchMatch | None],
        parent: QObject,
    ) -> None:
        super().__init__(parent)
        self._brushes = brushes
        self._shown = shown

    def sizeHint(
        self,
        option: QStyleOptionViewItem,
        index: QModelIndex | QPersistentModelIndex,
    ) -> QSize:
        return QSize(100, LINE)

    def draw_cell(
        self,
        painter: QPainter,
        cell: QRectF,
        option: QStyleOptionViewItem,
        index: ModelIndex,
    ) -> None:
        offer = self._shown(index.row())
        if offer is None:
            return
        palette, fonts, box = (
            self._brushes.palette,
            self._brushes.fonts,
            QRectF(cell),
        )
        if option.state & QStyle.StateFlag.State_Selected:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(palette.selection)
            painter.drawRoundedRect(box, 4, 4)
        box.adjust(8, 0, -8, 0)
        middle = Qt.AlignmentFlag.AlignVCenter
        painter.setFont(fonts.small)
        painter.setPen(palette.dim)
        painter.drawText(
            box, middle | Qt.AlignmentFlag.AlignRight, offer.place
        )
        room = (
            box.width()
            - painter.fontMetrics().horizontalAdvance(offer.place)
            - 12
        )
        painter.setFont(fonts.bold)
        painter.setPen(palette.ink)
        painter.drawText(box, middle, offer.title)
        used = painter.fontMetrics().horizontalAdvance(offer.title) + 10
        painter.setFont(fonts.small)
        painter.setPen(palette.dim)
        phrase = offer.phrase.removeprefix(offer.title).strip()
        phrase = painter.fontMetrics().elidedText(
            phrase, Qt.TextElideMode.ElideRight, int(room - used)
        )
        painter.drawText(box.adjusted(used, 0, 0, 0), middle, phrase)
