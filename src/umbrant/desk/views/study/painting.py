"""The pictures between a line's name and its words in a study."""

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from umbrant.desk.views.study.lines import StudyLine
from umbrant.desk.widgets.theme import Palette
from umbrant.studying.summaries import RowSummary, ShareSummary, TakeSpread

MARK, DOT = 3.0, 2.5
LEAST_SHARE = 0.02
"""A curve that never comes to so much of the time is not drawn higher than it
is.
"""


def paint_line(
    painter: QPainter, box: QRectF, line: StudyLine, palette: Palette
) -> None:
    """Draw what a line says; nothing for a heading."""
    if line.curve:
        _curve(painter, box, line.curve, palette)
    elif line.share is not None:
        _share(painter, box, line.share, palette)
    elif line.part is not None:
        painter.fillRect(_from_left(box, line.part), _faint(palette))
        painter.fillRect(
            QRectF(box.left(), box.bottom(), box.width(), 1), palette.rule
        )
    elif line.found is not None or line.before is not None:
        _takes(painter, box, line, palette)


def _faint(palette: Palette) -> QColor:
    colour = QColor(palette.running)
    colour.setAlphaF(0.3)
    return colour


def _from_left(box: QRectF, share: float) -> QRectF:
    return QRectF(box.left(), box.top(), box.width() * share, box.height())


def _x(box: QRectF, share: float) -> float:
    return float(box.left() + box.width() * min(1.0, max(0.0, share)))


def _takes(
    painter: QPainter, box: QRectF, line: StudyLine, palette: Palette
) -> None:
    """For which share of the time a row ran: the takes by that share, the
    median, and between which shares nine of ten lie. The median of the study
    before is hollow.
    """
    painter.fillRect(
        QRectF(box.left(), box.bottom(), box.width(), 1), palette.rule
    )
    if line.found is not None:
        _histogram(painter, box, line.found, palette)
        _spread(painter, box, line.found.time, palette)
    if line.before is not None:
        x = _x(box, line.before.time.median)
        painter.setPen(QPen(palette.dim, 1.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(
            QRectF(x - MARK, box.top(), 2 * MARK, box.height() - 1)
        )


def _histogram(
    painter: QPainter, box: QRectF, found: RowSummary, palette: Palette
) -> None:
    wide, most = box.width() / len(found.bins), max(found.bins)
    for index, count in enumerate(found.bins):
        high = box.height() * count / max(1, most)
        bar = QRectF(
            box.left() + index * wide,
            box.bottom() - high,
            max(1.0, wide - 0.5),
            high,
        )
        painter.fillRect(bar, _faint(palette))


def _spread(
    painter: QPainter, box: QRectF, time: TakeSpread, palette: Palette
) -> None:
    foot = box.bottom() - 1
    painter.setPen(QPen(palette.running, 1.6))
    painter.drawLine(
        QPointF(_x(box, time.low), foot), QPointF(_x(box, time.high), foot)
    )
    middle = _x(box, time.median)
    painter.drawLine(QPointF(middle, box.top()), QPointF(middle, box.bottom()))


def _curve(
    painter: QPainter,
    box: QRectF,
    curve: tuple[tuple[float, TakeSpread], ...],
    palette: Palette,
) -> None:
    """The share of the time over the varied number: the median, and nine of
    ten takes around it.
    """
    low, high = curve[0][0], curve[-1][0]
    # As high as the line is, whatever the row's share: it is the shape that is
    # looked for, and the words beside it say from where to where.
    span, most = (
        (high - low) or 1.0,
        max(LEAST_SHARE, *(time.high for _, time in curve)),
    )

    def at(value: float, share: float) -> QPointF:
        x = box.left() + box.width() * (value - low) / span
        return QPointF(x, box.bottom() - box.height() * share / most)

    painter.fillRect(
        QRectF(box.left(), box.bottom(), box.width(), 1), palette.rule
    )
    upper = [at(value, time.high) for value, time in curve]
    lower = [at(value, time.low) for value, time in reversed(curve)]
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(_faint(palette))
    painter.drawPolygon(QPolygonF([*upper, *lower]))
    painter.setPen(QPen(palette.running, 1.6))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPolyline(
        QPolygonF([at(value, time.median) for value, time in curve])
    )


def _share(
    painter: QPainter, box: QRectF, share: ShareSummary, palette: Palette
) -> None:
    """How often something came out, between what is likely; what was set is a
    line through it.
    """
    middle, (low, high) = box.center().y(), share.share
    if share.is_odd:
        colour = palette.refused
    else:
        colour = palette.running
    painter.fillRect(
        QRectF(box.left(), box.bottom(), box.width(), 1), palette.rule
    )
    painter.setPen(QPen(colour, 1.6))
    painter.drawLine(
        QPointF(_x(box, low), middle), QPointF(_x(box, high), middle)
    )
    painter.setBrush(colour)
    painter.drawEllipse(
        QPointF(_x(box, share.happened / max(1, share.tried)), middle),
        DOT,
        DOT,
    )
    if share.expected is not None:
        x = _x(box, share.expected)
        painter.setPen(QPen(palette.ink, 1.2))
        painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
