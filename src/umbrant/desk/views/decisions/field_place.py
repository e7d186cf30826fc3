"""Where things are in the field of a decision map, and what it looks like."""

from dataclasses import dataclass
from functools import cached_property

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QImage, QPainter, QPainterPath, QPen, QPolygonF

from umbrant.desk.widgets.painted import saved
from umbrant.desk.widgets.theme import Palette
from umbrant.mapping.border_number import BorderNumber
from umbrant.mapping.drawing import runs_inside
from umbrant.mapping.field import STEPS, MapPicture
from umbrant.model.values import number_text


def short_name(name: str) -> str:
    """An input's name without the behavior that it is of."""
    return name.rpartition("/")[2]


@dataclass(frozen=True)
class FieldPlace:
    """The field of a map on the screen: values of the two inputs to pixels,
    and back.
    """

    picture: MapPicture
    rect: QRectF

    def to_pixels(self, at: tuple[float, float]) -> QPointF:
        """Where a pair of values is drawn."""
        across, up = (
            (value - low) / (high - low)
            for value, low, high in zip(
                at, self.picture.low, self.picture.high, strict=True
            )
        )
        rect = self.rect
        return QPointF(
            rect.left() + rect.width() * across,
            rect.bottom() - rect.height() * up,
        )

    def values_at(self, pixel: QPointF) -> tuple[float, float]:
        """The pair of values at a pixel; beside the field those at its edge."""
        rect = self.rect
        shares = (
            (pixel.x() - rect.left()) / rect.width(),
            (rect.bottom() - pixel.y()) / rect.height(),
        )
        x, y = (
            low + (high - low) * min(1.0, max(0.0, share))
            for share, low, high in zip(
                shares, self.picture.low, self.picture.high, strict=True
            )
        )
        return x, y

    def step_at(self, pixel: QPointF) -> tuple[int, int]:
        """The place of the grid that is drawn at a pixel."""
        rect = self.rect
        across = round((pixel.x() - rect.left()) / rect.width() * STEPS)
        up = round((rect.bottom() - pixel.y()) / rect.height() * STEPS)
        return min(STEPS, max(0, across)), min(STEPS, max(0, up))

    def number_at(self, pixel: QPointF) -> BorderNumber | None:
        """The number that makes the border near a pixel; None where none is
        near, or no single number makes it.
        """
        if not self.picture.grid or not self.rect.contains(pixel):
            return None
        around = self._labels_around(self.step_at(pixel))
        values = self.values_at(pixel)
        for each in self.picture.borders:
            number = each.number
            if number is None or not {each.one, each.other} <= around:
                continue
            # The same condition may make other stretches of the border by
            # something else than its number, as a wall does in sight.
            if self._runs_near(number, values):
                return number
        return None

    def _labels_around(self, step: tuple[int, int]) -> set[int]:
        """What leads at a place of the grid and at those next to it."""
        found = set()
        for up in range(step[1] - 1, step[1] + 2):
            for across in range(step[0] - 1, step[0] + 2):
                line = self.picture.grid[min(STEPS, max(0, up))]
                found.add(line[min(STEPS, max(0, across))])
        return found

    def _runs_near(
        self, number: BorderNumber, values: tuple[float, float]
    ) -> bool:
        axis = number.axis or 0
        step = (self.picture.high[axis] - self.picture.low[axis]) / STEPS
        return abs(number.at(values) - number.value) <= 2 * step

    def border_path(self, number: BorderNumber, value: float) -> QPainterPath:
        """How the border of a number runs over the field, if it has a value."""
        path, low, high = QPainterPath(), self.picture.low, self.picture.high
        if number.axis == 0:
            path.moveTo(self.to_pixels((value, low[1])))
            path.lineTo(self.to_pixels((value, high[1])))
        elif number.axis == 1:
            path.moveTo(self.to_pixels((low[0], value)))
            path.lineTo(self.to_pixels((high[0], value)))
        elif number.centre is not None:
            x, y = number.centre
            middle = self.to_pixels((x, y))
            edge = self.to_pixels((x + value, y + value)) - middle
            path.addEllipse(middle, abs(edge.x()), abs(edge.y()))
        return path

    @cached_property
    def border_lines(self) -> list[QPolygonF]:
        """The borders between what leads."""
        return [
            QPolygonF([self.to_pixels(each) for each in run])
            for run in runs_inside(self.picture)
        ]


@dataclass(frozen=True)
class DraggedBorder:
    """The border that is dragged, and the number that it has been dragged
    to.
    """

    number: BorderNumber
    value: float


def paint_field(
    painter: QPainter,
    place: FieldPlace,
    image: QImage,
    dragged: DraggedBorder | None,
    palette: Palette,
) -> None:
    """The colours of what leads, the borders between them, and where the take
    is.
    """
    rect = place.rect
    with saved(painter):
        painter.setClipRect(rect)
        # A place stands in the middle of its cell: half of those at the edges
        # is cut off.
        half, flat = rect.width() / STEPS / 2, rect.height() / STEPS / 2
        painter.drawImage(rect.adjusted(-half, -flat, half, flat), image)
        painter.setPen(QPen(palette.ink, 1.0))
        for line in place.border_lines:
            painter.drawPolyline(line)
        if dragged is not None:
            painter.setPen(QPen(palette.now, 2.0, Qt.PenStyle.DashLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPath(place.border_path(dragged.number, dragged.value))
        x, y = place.picture.here
        if x is not None and y is not None:
            painter.setPen(QPen(palette.sheet, 1.5))
            painter.setBrush(palette.now)
            painter.drawEllipse(place.to_pixels((x, y)), 5, 5)
    painter.setPen(QPen(palette.dim, 1.0))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRect(rect)


def paint_axes(
    painter: QPainter, place: FieldPlace, left: float, palette: Palette
) -> None:
    """The names of the inputs and their ranges; `left` is the room beside the
    field, in pixels.
    """
    rect, picture, flag = place.rect, place.picture, Qt.AlignmentFlag
    foot = QRectF(rect.left(), rect.bottom() + 2, rect.width(), 14)
    side = QRectF(0, rect.top(), left - 4, rect.height())
    top, end = flag.AlignRight | flag.AlignTop, flag.AlignRight
    painter.setPen(palette.dim)
    painter.drawText(foot, flag.AlignLeft, number_text(picture.low[0]))
    painter.drawText(foot, flag.AlignRight, number_text(picture.high[0]))
    painter.drawText(side, top, number_text(picture.high[1]))
    painter.drawText(side, end | flag.AlignBottom, number_text(picture.low[1]))
    painter.setPen(palette.ink)
    painter.drawText(foot, flag.AlignHCenter, short_name(picture.x))
    with saved(painter):
        painter.translate(4, rect.bottom())
        painter.rotate(-90)
        along = QRectF(0, 0, rect.height(), 14)
        painter.drawText(along, flag.AlignHCenter, short_name(picture.y))
