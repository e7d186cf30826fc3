"""What a row did, drawn over time: told by height first and colour second."""

from bisect import bisect_right
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from umbrant.catalog.kind import Family
from umbrant.catalog.protocols import Gauge, Measured
from umbrant.desk.chips.drawing import draw_lozenge
from umbrant.desk.widgets.painted import saved
from umbrant.desk.widgets.theme import Palette
from umbrant.model.parts import part_index
from umbrant.take.record import Changes, Outcome, RowRecord, Span

BLOCK, HALF, FOOT = 20.0, 9.0, 3.0
"""The heights that tell running, success, and failure or refusal apart."""

MARK_WIDTH = 4.0


@dataclass(frozen=True)
class Axis:
    """Where ticks stand in a cell: from `start`, `length` of them across its
    width.
    """

    cell: QRectF
    start: float
    length: float
    last: int
    """The first tick after the take."""

    @property
    def end(self) -> float:
        """The first tick that is not shown."""
        return self.start + self.length

    @property
    def foot(self) -> float:
        """The line on which everything stands."""
        # On a whole pixel: half a pixel off, a thin line is smeared over two.
        return float(
            round(self.cell.top() + (self.cell.height() + BLOCK) / 2 - 1)
        )

    def x_of(self, tick: float) -> float:
        """The x of a tick, in pixels."""
        return (
            self.cell.left()
            + (tick - self.start) / self.length * self.cell.width()
        )


@dataclass(frozen=True)
class TapePainter:
    """Draws the record of one row."""

    painter: QPainter
    axis: Axis
    palette: Palette
    ticks_per_s: float

    def draw(self, family: Family, record: RowRecord) -> None:
        """Everything that is kept of a row of this family."""
        if family is Family.OPTION:
            self._area(record)
        elif family is Family.CONSIDERATION:
            self._line(record)
        self._refusals(record)
        if family is Family.TRANSITION:
            self._lozenges(record)
        elif family is not Family.OPTION:
            self._spans(record)
        for part, changes in record.gauges.items():
            self._part(part, changes, record)

    # rows that are entered and left

    def _refusals(self, record: RowRecord) -> None:
        refusals = record.refusals.get("", [])
        first = max(
            0,
            bisect_right(
                refusals, self.axis.start, key=lambda each: each.start
            )
            - 1,
        )
        for refusal in refusals[first:]:
            if refusal.start > self.axis.end:
                break
            left, right = (
                self.axis.x_of(refusal.start),
                self.axis.x_of(refusal.end + 1),
            )
            self._fill(
                left, FOOT, max(1.5, right - left), FOOT, self.palette.refused
            )

    def _spans(self, record: RowRecord) -> None:
        for span in self._shown(record):
            self._span(span)

    def _shown(self, record: RowRecord) -> Iterator[Span]:
        first = max(
            0,
            bisect_right(
                record.spans, self.axis.start, key=lambda each: each.start
            )
            - 1,
        )
        for span in record.spans[first:]:
            if span.start > self.axis.end:
                break
            yield span

    def _span(self, span: Span) -> None:
        if span.end is None:
            end = self.axis.last
        else:
            end = span.end
        left, right = self.axis.x_of(span.start), self.axis.x_of(end)
        if end > span.start:
            self._fill(
                left,
                BLOCK,
                max(1.5, right - left - 0.5),
                BLOCK,
                _faded(self.palette.running, 0.86),
            )
        if span.outcome is Outcome.SUCCESS:
            self._fill(right, HALF, MARK_WIDTH, HALF, self.palette.success)
        elif span.outcome is Outcome.FAILURE:
            self._fill(right, FOOT, MARK_WIDTH + 1, FOOT, self.palette.refused)

    def _lozenges(self, record: RowRecord) -> None:
        """A lozenge where a transition fired, on a line as long as it was
        waited for.
        """
        middle = self.axis.foot - BLOCK / 2
        for span in self._shown(record):
            draw_lozenge(
                self.painter,
                QPointF(self.axis.x_of(span.start), middle),
                self.palette.now,
            )

    # scores

    def _area(self, record: RowRecord) -> None:
        """An option's score as an area, strong while it is the one that is
        done.
        """
        changes = record.gauges.get("")
        if changes is None:
            return
        outline = self._steps(changes, BLOCK)
        if not outline:
            return
        shape = QPolygonF(
            [
                QPointF(outline[0].x(), self.axis.foot),
                *outline,
                QPointF(outline[-1].x(), self.axis.foot),
            ]
        )
        self.painter.setPen(Qt.PenStyle.NoPen)
        self.painter.setBrush(_faded(self.palette.dim, 0.22))
        self.painter.drawPolygon(shape)
        with saved(self.painter):
            self.painter.setBrush(_faded(self.palette.running, 0.62))
            for span in self._shown(record):
                if span.end is None:
                    end = self.axis.last
                else:
                    end = max(span.end, span.start + 1)
                left, right = self.axis.x_of(span.start), self.axis.x_of(end)
                stretch = QRectF(
                    left,
                    self.axis.cell.top(),
                    right - left,
                    self.axis.cell.height(),
                )
                # This takes the place of the clip to the cell: what began
                # before it would be drawn over the column beside it.
                self.painter.setClipRect(stretch.intersected(self.axis.cell))
                self.painter.drawPolygon(shape)

    def _line(self, record: RowRecord) -> None:
        """What a consideration was worth, as a line."""
        changes = record.gauges.get("")
        if changes:
            outline = self._steps(changes, BLOCK)
        else:
            outline = []
        if outline:
            self.painter.setPen(QPen(self.palette.dim, 1.3))
            self.painter.drawPolyline(QPolygonF(outline))

    def _steps(self, changes: Changes[Gauge], height: float) -> list[QPointF]:
        """The values of a gauge as a line of steps, 0 at the foot and 1 at
        `height`; higher ones stay there.
        """
        first = max(0, bisect_right(changes.ticks, self.axis.start) - 1)
        points: list[QPointF] = []
        for tick, gauge in zip(
            changes.ticks[first:], changes.values[first:], strict=True
        ):
            if tick > self.axis.end:
                break
            at = QPointF(
                self.axis.x_of(tick),
                self.axis.foot - height * min(1.0, max(0.0, gauge.value)),
            )
            if points:
                points.append(QPointF(at.x(), points[-1].y()))
            points.append(at)
        if points:
            points.append(
                QPointF(
                    self.axis.x_of(min(self.axis.last, self.axis.end)),
                    points[-1].y(),
                )
            )
        return points

    # decorators and upkeep

    def _part(
        self, part: str, changes: Changes[Gauge], record: RowRecord
    ) -> None:
        family, index = part_index(part)
        if family == "upkeep":
            self._ticks(changes, self.axis.cell.top() + 2 + 3 * index)
        elif family == "decorator":
            for tick, gauge in self._visible(changes):
                self._wrapped(tick, gauge, record)

    def _visible(self, changes: Changes[Gauge]) -> Iterator[tuple[int, Gauge]]:
        first = max(0, bisect_right(changes.ticks, self.axis.start) - 1)
        last = bisect_right(changes.ticks, self.axis.end)
        yield from zip(
            changes.ticks[first:last], changes.values[first:last], strict=True
        )

    def _ticks(self, changes: Changes[Gauge], top: float) -> None:
        """A small mark each time upkeep was done."""
        marks = [
            QRectF(self.axis.x_of(tick), top, 1.2, 2.5)
            for tick, _ in self._visible(changes)
        ]
        self.painter.setPen(Qt.PenStyle.NoPen)
        self.painter.setBrush(_faded(self.palette.success, 0.8))
        self.painter.drawRects(marks)

    def _wrapped(self, tick: int, gauge: Gauge, record: RowRecord) -> None:
        """Time that runs out as a dotted line above the row, not beyond the
        row's end where it ran out with the row; a roll or a count as a mark at
        its height.
        """
        top = self.axis.foot - BLOCK - 3
        x = self.axis.x_of(tick)
        if gauge.measured is Measured.UNTIL:
            until = min(float(self.axis.last), gauge.value * self.ticks_per_s)
            span = record.last_span(tick)
            if (
                span is not None
                and span.start == tick
                and span.end is not None
                and span.end > tick
            ):
                until = min(until, span.end)
            right = self.axis.x_of(until)
            self.painter.setPen(
                QPen(self.palette.dim, 1.0, Qt.PenStyle.DotLine)
            )
            self.painter.drawLine(QPointF(x, top), QPointF(right, top))
        elif gauge.of:
            if gauge.measured is Measured.ROLL:
                share = gauge.value
            else:
                share = gauge.value / gauge.of
            height = BLOCK * min(
                1.0,
                share,
            )
            under = (
                gauge.measured is not Measured.ROLL or gauge.value < gauge.of
            )
            if under:
                colour = self.palette.success
            else:
                colour = self.palette.refused
            self.painter.fillRect(
                QRectF(x - 1, self.axis.foot - height - 1, 3, 2), colour
            )

    def _fill(
        self,
        left: float,
        up: float,
        width: float,
        height: float,
        colour: QColor,
    ) -> None:
        self.painter.fillRect(
            QRectF(left, self.axis.foot - up, width, height), colour
        )


def _faded(colour: QColor, alpha: float) -> QColor:
    return _made_faded(colour.rgba(), alpha)


@lru_cache(maxsize=64)
def _made_faded(rgba: int, alpha: float) -> QColor:
    faded = QColor.fromRgba(rgba)
    faded.setAlphaF(alpha)
    return faded
