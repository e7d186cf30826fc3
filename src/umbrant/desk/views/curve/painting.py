"""How a response curve is drawn: its shape, how often inputs came up, the one
at the playhead, what can be dragged.

Plain functions of a `CurveLook`.
"""

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen

from umbrant.desk.widgets.curves import curve_line
from umbrant.desk.widgets.theme import Palette, body_font
from umbrant.model.values import Curve, Shape, number_text


@dataclass(frozen=True)
class Grip:
    """A point of the curve that can be dragged, and what it changes; `at` in
    shares of the range and of the worth.
    """

    name: str
    at: tuple[float, float]


@dataclass(frozen=True)
class CurveLook:
    """A curve over the range of its input, as it is to be seen."""

    curve: Curve
    low: float
    high: float
    grips: tuple[Grip, ...] = ()
    chosen: str = ""
    """The grip that the keyboard is on."""
    counts: tuple[float, ...] = ()
    """For how many ticks the input was in each of so many equal parts of the
    range; empty where that is not known.
    """
    now: tuple[float, float] | None = None
    """The input at the playhead, and what it is worth."""
    other: tuple[float, float] | None = None
    """The same in the take that this one is compared with."""


def point_in(plot: QRectF, at: tuple[float, float]) -> QPointF:
    """Where a share of the range and of the worth is drawn."""
    return QPointF(
        plot.left() + plot.width() * at[0],
        plot.bottom() - plot.height() * at[1],
    )


def paint_curve(
    painter: QPainter, look: CurveLook, plot: QRectF, palette: Palette
) -> None:
    """Draw a curve into a box, with its numbers around it."""
    painter.setFont(body_font(11))
    _paint_frame(painter, look, plot, palette)
    _paint_counts(painter, look.counts, plot, palette)
    painter.setPen(QPen(palette.running, 2))
    painter.drawPolyline(curve_line(look.curve, plot, look.low, look.high))
    if look.other is not None:
        _paint_other(painter, look, look.other, plot, palette)
    if look.now is not None:
        _paint_now(painter, look, look.now, plot, palette)
    for grip in look.grips:
        if grip.name == look.chosen:
            ink = palette.now
        else:
            ink = palette.running
        painter.setPen(QPen(ink, 2))
        painter.setBrush(palette.sheet)
        painter.drawEllipse(point_in(plot, grip.at), 5, 5)
    _paint_legend(painter, look, plot, palette)


def _paint_frame(
    painter: QPainter, look: CurveLook, plot: QRectF, palette: Palette
) -> None:
    for share in (0.0, 0.25, 0.5, 0.75, 1.0):
        y = plot.bottom() - plot.height() * share
        painter.setPen(QPen(palette.rule, 1))
        painter.drawLine(QPointF(plot.left(), y), QPointF(plot.right(), y))
    painter.setPen(palette.dim)
    painter.drawText(
        QRectF(0, plot.top() - 8, plot.left() - 8, 16),
        Qt.AlignmentFlag.AlignRight,
        "1",
    )
    painter.drawText(
        QRectF(0, plot.bottom() - 8, plot.left() - 8, 16),
        Qt.AlignmentFlag.AlignRight,
        "0",
    )
    painter.drawText(
        QRectF(plot.left() - 20, plot.bottom() + 4, 80, 16),
        0,
        f"{'':4}{number_text(look.low)}",
    )
    right = QRectF(plot.right() - 60, plot.bottom() + 4, 64, 16)
    painter.drawText(
        right, Qt.AlignmentFlag.AlignRight, number_text(look.high)
    )


def _paint_counts(
    painter: QPainter,
    counts: tuple[float, ...],
    plot: QRectF,
    palette: Palette,
) -> None:
    """How often each input came up in the take, as bars."""
    most = max(counts, default=0.0)
    if not most:
        return
    wide = plot.width() / len(counts)
    for index, count in enumerate(counts):
        high = plot.height() * 0.6 * count / most
        bar = QRectF(
            plot.left() + index * wide + 1,
            plot.bottom() - high,
            wide - 2,
            high,
        )
        painter.fillRect(bar, palette.different)


def _paint_other(
    painter: QPainter,
    look: CurveLook,
    other: tuple[float, float],
    plot: QRectF,
    palette: Palette,
) -> None:
    """A hollow point: where the other take stands on the curve."""
    given, worth = other
    share = min(
        1.0, max(0.0, (given - look.low) / ((look.high - look.low) or 1.0))
    )
    painter.setPen(QPen(palette.dim, 1.6))
    painter.setBrush(palette.sheet)
    painter.drawEllipse(point_in(plot, (share, worth)), 5.5, 5.5)


def _paint_now(
    painter: QPainter,
    look: CurveLook,
    now: tuple[float, float],
    plot: QRectF,
    palette: Palette,
) -> None:
    given, worth = now
    share = min(
        1.0, max(0.0, (given - look.low) / ((look.high - look.low) or 1.0))
    )
    at = point_in(plot, (share, worth))
    painter.setPen(QPen(palette.now, 1.4, Qt.PenStyle.DashLine))
    painter.drawLine(
        QPointF(at.x(), plot.top()), QPointF(at.x(), plot.bottom())
    )
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(palette.now)
    painter.drawEllipse(at, 4.5, 4.5)
    text = f"{number_text(round(given, 2))} → {worth:.2f}"
    wide = painter.fontMetrics().horizontalAdvance(text)
    if at.x() + 8 + wide < plot.right():
        left = at.x() + 8
    else:
        left = at.x() - 8 - wide
    painter.setPen(palette.ink)
    painter.drawText(QPointF(left, max(plot.top() + 10, at.y() - 8)), text)


def _paint_legend(
    painter: QPainter, look: CurveLook, plot: QRectF, palette: Palette
) -> None:
    left, y = plot.right() + 16, plot.top() + 10.0
    painter.setFont(body_font(11, bold=True))
    painter.setPen(palette.ink)
    painter.drawText(QPointF(left, y), str(look.curve.shape))
    painter.setFont(body_font(11))
    for text in described(look.curve, look.low, look.high):
        y += 19
        painter.drawText(QPointF(left, y), text)
    painter.setPen(palette.dim)
    for text, step in (("bars: how often each", 26), ("input came up", 17)):
        y += step
        painter.drawText(QPointF(left, y), text)


def described(curve: Curve, low: float, high: float) -> list[str]:
    """What makes up a curve, a line for each."""
    middle = number_text(round(low + (high - low) * curve.middle, 2))
    description = {
        Shape.LINEAR: [f"from {curve.low:.2f}", f"to {curve.high:.2f}"],
        Shape.POWER: [
            f"exponent {number_text(curve.exponent)}",
            f"{curve.low:.2f} to {curve.high:.2f}",
        ],
        Shape.LOGISTIC: [
            f"middle {middle}",
            f"steepness {number_text(curve.steepness)}",
        ],
        Shape.LOGIT: [
            f"middle {middle}",
            f"steepness {number_text(curve.steepness)}",
        ],
        Shape.BELL: [
            f"middle {middle}",
            f"width {number_text(round((high - low) * curve.width, 2))}",
        ],
        Shape.STEP: [f"input {curve.sign} {number_text(curve.threshold)}"],
        Shape.POINTS: [f"{len(curve.points)} points", "double-click adds one"],
    }[curve.shape]
    if curve.shape is not Shape.STEP:
        return [*description, "falls" if curve.flipped else "rises"]
    return description
