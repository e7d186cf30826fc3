"""How the pieces of a sentence are drawn."""

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from umbrant.desk.chips.layout import (
    CHIPS,
    Fonts,
    PlacedPiece,
    RowLayout,
    shown_text,
)
from umbrant.desk.chips.sentence import ChipKey, PieceRole, Pill
from umbrant.desk.widgets.curves import draw_curve
from umbrant.desk.widgets.theme import ROW_HEIGHT, Palette
from umbrant.model.values import Curve

LOZENGE = 5.5
"""Half of how wide and high the mark of a transition is, in pixels."""


@dataclass
class Brushes:
    """What all delegates of a ledger draw with. The palette is changed when
    the window turns to Day or Night.
    """

    palette: Palette
    fonts: Fonts
    line: float = ROW_HEIGHT
    """The height of a row with one line."""
    selected: tuple[str, ...] = ()
    """The rows that are selected besides the one that is looked at."""


def draw_pieces(
    painter: QPainter,
    layout: RowLayout,
    brushes: Brushes,
    focused: ChipKey | None,
) -> None:
    """Draw pills and the pieces on them, from the upper left corner. `focused`
    is the chip with the keyboard.
    """
    for pill, rect in layout.pills:
        painter.setPen(Qt.PenStyle.NoPen)
        if pill is Pill.GUARD:
            fill = brushes.palette.guard_fill
        else:
            fill = brushes.palette.wrap_fill
        painter.setBrush(fill)
        painter.drawRoundedRect(rect, 4, 4)
    for placed in layout.placed:
        _draw_piece(painter, placed, brushes, focused)


def _draw_chip_box(
    painter: QPainter,
    placed: PlacedPiece,
    palette: Palette,
    *,
    missing: bool,
) -> None:
    """The box of a chip: dashed where a value is missing, in the keys' tone
    where a key gives it.
    """
    if placed.piece.role is PieceRole.KEY_CHIP:
        rule, fill = palette.key_rule, palette.key_fill
    else:
        rule, fill = palette.chip_rule, palette.chip_fill
    if missing:
        painter.setPen(QPen(palette.refused, 1, Qt.PenStyle.DashLine))
    else:
        painter.setPen(QPen(rule, 1))
    painter.setBrush(fill)
    box = placed.rect.adjusted(0.5, 0.5, -0.5, -0.5)
    painter.drawRoundedRect(box, 4, 4)


def _draw_piece(
    painter: QPainter,
    placed: PlacedPiece,
    brushes: Brushes,
    focused: ChipKey | None,
) -> None:
    piece, rect, palette = placed.piece, placed.rect, brushes.palette
    missing = piece.chip is not None and piece.chip.missing
    if piece.role in CHIPS:
        _draw_chip_box(painter, placed, palette, missing=missing)
    if piece.chip is not None and piece.chip.overridden:
        painter.fillRect(
            QRectF(rect.left() + 2, rect.bottom() - 1, rect.width() - 4, 2),
            palette.now,
        )
    if piece.chip is not None and piece.chip.key == focused:
        painter.setPen(QPen(palette.now, 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(rect.adjusted(-2, -1, 2, 1), 5, 5)
    if piece.chip is not None and isinstance(piece.chip.value, Curve):
        draw_curve(
            painter,
            rect.adjusted(6, 5, -6, -5),
            piece.chip.value,
            QPen(palette.running, 1.3),
        )
        return
    painter.setFont(brushes.fonts.of(piece))
    if missing:
        ink = palette.refused
    else:
        ink = _ink(piece.role, palette)
    painter.setPen(ink)
    middle = Qt.AlignmentFlag.AlignVCenter
    if piece.role in CHIPS:
        align = Qt.AlignmentFlag.AlignHCenter
    else:
        align = Qt.AlignmentFlag.AlignLeft
    painter.drawText(rect, align | middle, shown_text(brushes.fonts, placed))


def draw_lozenge(
    painter: QPainter, middle: QPointF, colour: QColor, size: float = LOZENGE
) -> None:
    """The mark of a transition that fires."""
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(colour)
    corners = [(-size + 1, 0), (0, -size), (size - 1, 0), (0, size)]
    painter.drawPolygon(
        QPolygonF([middle + QPointF(dx, dy) for dx, dy in corners])
    )


def _ink(role: PieceRole, palette: Palette) -> QColor:
    return {
        PieceRole.KIND: palette.dim,
        PieceRole.KEY_CHIP: palette.running,
    }.get(role, palette.ink)
