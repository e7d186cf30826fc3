"""Where the pieces of a row stand: in one line if they fit, else in several,
so that nothing is cut off.
"""

from dataclasses import dataclass, field
from itertools import groupby

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QFont, QFontMetricsF

from umbrant.desk.chips.sentence import Chip, PieceRole, Pill, SentencePiece
from umbrant.desk.widgets.theme import (
    COMPACT_ROW_HEIGHT,
    ROW_HEIGHT,
    body_font,
)
from umbrant.model.values import Curve

INDENT, FIRST_X, RIGHT_MARGIN, HANGING = 16, 42, 6, 14
GAP, CHIP_PADDING, PILL_PADDING = 4.0, 4.5, 6.0
CURVE_WIDTH = 34.0
CHIPS = (PieceRole.CHIP, PieceRole.KEY_CHIP)


@dataclass(frozen=True)
class Fonts:
    """The fonts of a ledger, and how wide text is in each."""

    body: QFont
    bold: QFont
    small: QFont

    @classmethod
    def make(cls) -> "Fonts":
        """The fonts of the theme."""
        return cls(body_font(), body_font(bold=True), body_font(11))

    def of(self, piece: SentencePiece) -> QFont:
        """The font of a piece."""
        if piece.role is PieceRole.NAME or piece.role is PieceRole.KEY_WORD:
            return self.bold
        if piece.role is PieceRole.KIND or (
            piece.pill and piece.role is not PieceRole.CHIP
        ):
            return self.small
        return self.body

    def width(self, piece: SentencePiece) -> float:
        """How wide a piece is, with its chip around it. A curve is drawn, not
        written.
        """
        if piece.chip is not None and isinstance(piece.chip.value, Curve):
            return CURVE_WIDTH
        text = QFontMetricsF(self.of(piece)).horizontalAdvance(piece.text)
        if piece.role in CHIPS:
            return text + 2 * CHIP_PADDING
        return text


@dataclass(frozen=True)
class PlacedPiece:
    """A piece and the rectangle it is drawn in."""

    piece: SentencePiece
    rect: QRectF


@dataclass
class RowLayout:
    """The pieces of one row and the pills behind them. Coordinates start at
    the cell's upper left corner.
    """

    indent_x: float
    height: float = 0.0
    placed: list[PlacedPiece] = field(default_factory=list)
    pills: list[tuple[Pill, QRectF]] = field(default_factory=list)

    def chip_at(self, point: QPointF) -> tuple[Chip, QRectF] | None:
        """The chip under a point, and its rectangle."""
        for each in self.placed:
            if each.piece.chip is not None and each.rect.adjusted(
                -2, -3, 2, 3
            ).contains(point):
                return each.piece.chip, each.rect
        return None

    def chips(self) -> list[tuple[Chip, QRectF]]:
        """The chips that can be reached by keyboard, in the order in which
        they are read: a condition counts once.
        """
        found: list[tuple[Chip, QRectF]] = []
        for each in self.placed:
            if each.piece.chip is not None and all(
                each.piece.chip.key != chip.key for chip, _ in found
            ):
                found.append((each.piece.chip, each.rect))
        return found


class SentenceFlow:
    """Lays out the rows of one ledger for a column of a certain width."""

    def __init__(
        self,
        fonts: Fonts,
        width: float,
        *,
        compact: bool = False,
        first_x: float = FIRST_X,
    ) -> None:
        self.first_x = first_x
        self.fonts = fonts
        self.width = width
        if compact:
            self.line = COMPACT_ROW_HEIGHT
        else:
            self.line = ROW_HEIGHT
        self.next_line = 21 if compact else 25
        self.chip_height = 18.0 if compact else 21.0

    def lay_out(self, pieces: list[SentencePiece], depth: int) -> RowLayout:
        """The layout of a row's pieces at a depth of the outline."""
        indent = self.first_x + INDENT * depth
        layout = RowLayout(indent)
        cursor = _Cursor(
            indent, 0, indent + HANGING, self.width - RIGHT_MARGIN
        )
        for _, block in groupby(
            pieces,
            key=lambda piece: (piece.pill, piece.group if piece.pill else 0),
        ):
            self._block(list(block), cursor, layout)
        layout.height = self.line + cursor.row * self.next_line
        return layout

    def _block(
        self, block: list[SentencePiece], cursor: "_Cursor", layout: RowLayout
    ) -> None:
        pill = block[0].pill
        padding = 0.0
        if pill:
            padding = PILL_PADDING
        wide = (
            sum(self.fonts.width(piece) for piece in block)
            + GAP * (len(block) - 1)
            + 2 * padding
        )
        first = self.fonts.width(block[0]) + 2 * padding
        if (
            pill
            and not cursor.fits(wide if wide <= cursor.room else first)
            and not cursor.at_start(0.0)
        ):
            cursor.break_line()
        left = cursor.x
        cursor.x += padding
        for piece in block:
            width = min(self.fonts.width(piece), cursor.room - 2 * padding)
            if not cursor.fits(width + padding) and not cursor.at_start(
                padding
            ):
                self._close_pill(pill, left, cursor, padding, layout)
                cursor.break_line()
                left = cursor.x
                cursor.x += padding
            layout.placed.append(
                PlacedPiece(
                    piece,
                    QRectF(
                        cursor.x,
                        self._top(cursor.row),
                        width,
                        self.chip_height,
                    ),
                )
            )
            cursor.x += width + GAP
        self._close_pill(pill, left, cursor, padding, layout)
        cursor.x += 3 if pill else 0

    def _close_pill(
        self,
        pill: Pill,
        left: float,
        cursor: "_Cursor",
        padding: float,
        layout: RowLayout,
    ) -> None:
        if pill:
            cursor.x += padding - GAP
            top = self._top(cursor.row) - 1.0
            layout.pills.append(
                (
                    pill,
                    QRectF(left, top, cursor.x - left, self.chip_height + 2.0),
                )
            )
            cursor.x += GAP

    def _top(self, row: int) -> float:
        return (self.line - self.chip_height) / 2 + row * self.next_line


@dataclass
class _Cursor:
    """Where the next piece goes: `x` in line `row`."""

    x: float
    row: int
    hanging: float
    right: float

    @property
    def room(self) -> float:
        """How wide a whole line is."""
        return self.right - self.hanging

    def fits(self, width: float) -> bool:
        return self.x + width <= self.right

    def at_start(self, padding: float) -> bool:
        return self.x <= self.hanging + padding

    def break_line(self) -> None:
        self.row += 1
        self.x = self.hanging


def shown_text(fonts: Fonts, placed: PlacedPiece) -> str:
    """The text of a piece, shortened only where a single piece is wider than
    the whole column.
    """
    room = placed.rect.width()
    if placed.piece.role in CHIPS:
        room -= 2 * CHIP_PADDING
    return QFontMetricsF(fonts.of(placed.piece)).elidedText(
        placed.piece.text, Qt.TextElideMode.ElideRight, room + 1
    )


def make_flow(fonts: Fonts, width: float, *, compact: bool) -> SentenceFlow:
    """The layout of an outline column."""
    return SentenceFlow(
        fonts, max(width, FIRST_X + INDENT * 4.0), compact=compact
    )
