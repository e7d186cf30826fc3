"""The curve of a consideration: its shape to be dragged, the input at the
playhead, and how often inputs came up.
"""

import numpy as np
from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter
from PySide6.QtWidgets import QWidget

from umbrant.catalog.curves import worth
from umbrant.desk.session.desk import Desk
from umbrant.desk.views.curve.painting import (
    CurveLook,
    Grip,
    paint_curve,
    point_in,
)
from umbrant.desk.widgets.accessible import AccessiblePart
from umbrant.desk.widgets.painted import PaintedView, draw_focus, paint_with
from umbrant.desk.widgets.theme import Palette, body_font
from umbrant.model.behaviors import Row
from umbrant.model.edits import Edit, set_value
from umbrant.model.kind_ids import CONSIDER, OPTION, UTILITY
from umbrant.model.parts import ROW, Slot
from umbrant.model.values import Curve, Shape
from umbrant.reasons.why import Explainer

LEFT, RIGHT, TOP, BOTTOM = 34, 150, 16, 24
GRAB = 9.0
BARS = 20
"""Into how many bars the inputs of a take are sorted."""
NUDGE = 0.02

GRIP_BOX = 8.0
"""Half the size, in pixels, of the place of a point of the curve."""


class CurveView(PaintedView):
    """Drag the curve's points, or walk them with Tab and the arrow keys. For a
    step the threshold is dragged.
    """

    def __init__(
        self, desk: Desk, palette: Palette, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.desk = desk
        self.palette_ = palette
        self.setAccessibleName("Curve")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(200, 72)
        self._held: str = ""
        self._chosen: str = ""
        self._drags = 0
        paint_with(desk, self)

    def sizeHint(self) -> QSize:
        return QSize(480, 270)

    @property
    def row(self) -> Row | None:
        """The consideration that is selected; of an option or a utility its
        first.
        """
        row, behavior = self.desk.row, self.desk.behavior
        if row is None or behavior is None:
            return None
        if row.kind in (OPTION, UTILITY):
            inside = (
                behavior.row(each) for each in behavior.outline.within(row.id)
            )
            return next(
                (each for each in inside if each.kind == CONSIDER), None
            )
        if row.kind == CONSIDER:
            return row
        return None

    def heading(self) -> str:
        """The input, and the option that it is considered for."""
        row, behavior = self.row, self.desk.behavior
        if row is None or behavior is None:
            return "what an input is worth"
        above = behavior.outline.parent[row.id]
        option = ""
        if above:
            option = behavior.row(above).name
        return f"{row.name or row.args.get('input', '')} → worth of {option}"

    def parts(self) -> list[AccessiblePart]:
        """The points of the curve that can be dragged, for a screen reader."""
        row = self.row
        if row is None:
            return []
        low, high = self.range_of(row)
        found = []
        for grip in self.grips(row):
            at, value = (
                self.to_pixels(grip.at),
                low + (high - low) * grip.at[0],
            )
            box = QRectF(
                at.x() - GRIP_BOX,
                at.y() - GRIP_BOX,
                2 * GRIP_BOX,
                2 * GRIP_BOX,
            )
            words = f"{grip.name} · {value:.2f} is worth {grip.at[1]:.2f}"
            found.append(AccessiblePart(words, box, grip.name == self._chosen))
        return found

    def curve(self, row: Row) -> Curve:
        """The curve of a row that is a consideration."""
        found = row.args.get("curve")
        if isinstance(found, Curve):
            return found
        return Curve(shape=Shape.LINEAR)

    def range_of(self, row: Row) -> tuple[float, float]:
        """The range of a consideration's input."""
        low, high = row.args.get("low", 0.0), row.args.get("high", 1.0)
        lowest, highest = 0.0, 1.0
        if isinstance(low, int | float):
            lowest = float(low)
        if isinstance(high, int | float):
            highest = float(high)
        return (
            lowest,
            highest,
        )

    def grips(self, row: Row) -> list[Grip]:
        """The points of the curve that can be dragged."""
        curve, (low, high) = self.curve(row), self.range_of(row)

        def at(t: float) -> tuple[float, float]:
            return t, worth(curve, low + (high - low) * t, low, high)

        span = (high - low) or 1.0
        by_shape = {
            Shape.LINEAR: [Grip("low", at(0.0)), Grip("high", at(1.0))],
            Shape.POWER: [
                Grip("low", at(0.0)),
                Grip("exponent", at(0.5)),
                Grip("high", at(1.0)),
            ],
            Shape.LOGISTIC: [
                Grip("middle", at(curve.middle)),
                Grip("steepness", at(min(1.0, curve.middle + 0.15))),
            ],
            Shape.LOGIT: [
                Grip("middle", at(0.5)),
                Grip("steepness", at(0.85)),
            ],
            Shape.BELL: [
                Grip("middle", at(curve.middle)),
                Grip("width", at(min(1.0, curve.middle + curve.width))),
            ],
            Shape.STEP: [
                Grip(
                    "threshold",
                    (min(1.0, max(0.0, (curve.threshold - low) / span)), 0.5),
                )
            ],
            Shape.POINTS: [
                Grip(f"point {n}", at(x))
                for n, (x, _) in enumerate(curve.points)
            ],
        }
        return by_shape[curve.shape]

    # geometry

    def plot(self) -> QRectF:
        """Where the curve is drawn."""
        return QRectF(
            LEFT,
            TOP,
            max(60, self.width() - LEFT - RIGHT),
            max(40, self.height() - TOP - BOTTOM),
        )

    def to_pixels(self, at: tuple[float, float]) -> QPointF:
        """Where a share of the range and of the worth is drawn."""
        return point_in(self.plot(), at)

    def to_shares(self, pixel: QPointF) -> tuple[float, float]:
        """The reverse, kept within 0 and 1."""
        box = self.plot()
        x, y = (
            (pixel.x() - box.left()) / box.width(),
            (box.bottom() - pixel.y()) / box.height(),
        )
        return min(1.0, max(0.0, x)), min(1.0, max(0.0, y))

    # events

    def mousePressEvent(self, event: QMouseEvent) -> None:
        row = self.row
        near = [
            (
                (self.to_pixels(grip.at) - event.position()).manhattanLength(),
                grip.name,
            )
            for grip in (self.grips(row) if row else ())
        ]
        away, name = min(near, default=(999.0, ""))
        self._held = name if away <= GRAB * 1.6 else ""
        self._chosen = self._held
        self._drags += 1
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held:
            self._drag(
                self._held,
                self.to_shares(event.position()),
                f"curve {self._drags}",
            )

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._held:
            self.desk.documents.history.settle()
        self._held = ""

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """In a curve of points: add a point, or take the one under the mouse
        away.
        """
        row = self.row
        if row is None or self.curve(row).shape is not Shape.POINTS:
            return
        curve, at = self.curve(row), self.to_shares(event.position())
        near = [
            point
            for point in curve.points
            if (self.to_pixels(point) - event.position()).manhattanLength()
            < 14
        ]
        if near:
            points = [point for point in curve.points if point not in near]
        else:
            points = [*curve.points, at]
        self._set(
            row, curve.model_copy(update={"points": tuple(sorted(points))}), ""
        )

    def keyPressEvent(self, event: QKeyEvent) -> None:
        row = self.row
        if row:
            names = [grip.name for grip in self.grips(row)]
        else:
            names = []
        moves = {
            Qt.Key.Key_Left: (-1, 0),
            Qt.Key.Key_Right: (1, 0),
            Qt.Key.Key_Up: (0, 1),
            Qt.Key.Key_Down: (0, -1),
        }
        move = moves.get(Qt.Key(event.key()))
        if event.text() in (",", ".") and names:
            index = 0
            if self._chosen in names:
                if event.text() == ".":
                    step = 1
                else:
                    step = -1
                index = names.index(self._chosen) + step
            self._chosen = names[index % len(names)]
            self.update()
        elif move is not None and row is not None and self._chosen in names:
            grip = self.grips(row)[names.index(self._chosen)]
            at = grip.at[0] + move[0] * NUDGE, grip.at[1] + move[1] * NUDGE
            self._drag(
                grip.name,
                (min(1.0, max(0.0, at[0])), min(1.0, max(0.0, at[1]))),
                f"nudge {grip.name}",
            )
        else:
            super().keyPressEvent(event)

    def event(self, event: QEvent) -> bool:
        """Arrow keys move the chosen grip while the curve has the keyboard;
        without one they keep their shortcuts.
        """
        arrows = (
            Qt.Key.Key_Left,
            Qt.Key.Key_Right,
            Qt.Key.Key_Up,
            Qt.Key.Key_Down,
        )
        if (
            isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.ShortcutOverride
            and self._chosen
            and event.key() in arrows
        ):
            event.accept()
            return True
        return super().event(event)

    def _drag(self, name: str, at: tuple[float, float], merges: str) -> None:
        row = self.row
        if row is None:
            return
        changed = dragged(self.curve(row), name, at, self.range_of(row))
        self._set(row, changed, merges)

    def _set(self, row: Row, curve: Curve, merges: str) -> None:
        expanded = self.desk.expanded
        if expanded is None or curve == self.curve(row):
            return
        behavior, slot = (
            expanded.root_scope.behavior,
            Slot(row.id, ROW, "curve"),
        )
        self.desk.apply(
            Edit(
                "Change the curve",
                lambda p: set_value(p, behavior, slot, curve),
                merges,
            )
        )

    # drawing

    def draw(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), self.palette_.sheet)
        row = self.row
        if row is None:
            painter.setFont(body_font(11))
            painter.setPen(self.palette_.dim)
            painter.drawText(
                self.rect(),
                Qt.AlignmentFlag.AlignCenter,
                "Select a consideration to see its curve.",
            )
        else:
            paint_curve(painter, self.look(row), self.plot(), self.palette_)
        draw_focus(painter, self, self.palette_)

    def look(self, row: Row) -> CurveLook:
        """What is to be seen of a consideration."""
        low, high = self.range_of(row)
        counts = self.counts(row)
        if counts is not None:
            counted = tuple(counts.tolist())
        else:
            counted = ()
        return CurveLook(
            self.curve(row),
            low,
            high,
            grips=tuple(self.grips(row)),
            chosen=self._chosen,
            counts=counted,
            now=self._point(row, self.desk.explainer),
            other=self._point(row, self.desk.other_explainer),
        )

    def _point(
        self, row: Row, explainer: Explainer | None
    ) -> tuple[float, float] | None:
        """The input of a consideration at the playhead and what it was worth,
        as a take has it; None where it does not know.
        """
        if explainer is None or self.desk.playhead >= explainer.take.ticks:
            return None
        gauge = explainer.record.row(row.id).gauge_at(self.desk.playhead)
        if gauge is not None and gauge.of is not None:
            return (gauge.of, gauge.value)
        return None

    def counts(
        self, row: Row
    ) -> "np.ndarray[tuple[int], np.dtype[np.float64]] | None":
        """For how many ticks the input was in each of the bars; None where
        nothing was recorded.
        """
        explainer = self.desk.explainer
        changes = None
        if explainer:
            changes = explainer.record.row(row.id).gauges.get("")
        if changes is None or explainer is None:
            return None
        low, high = self.range_of(row)
        ends = [*changes.ticks[1:], explainer.take.ticks]
        values = np.array(
            [
                np.nan if gauge.of is None else gauge.of
                for gauge in changes.values
            ],
            dtype=np.float64,
        )
        ticks = np.array(ends, dtype=np.float64) - np.array(
            changes.ticks, dtype=np.float64
        )
        known = ~np.isnan(values)
        inside = np.clip(values[known], min(low, high), max(low, high))
        counts, _ = np.histogram(
            inside,
            bins=BARS,
            range=(min(low, high), max(low, high) + 1e-9),
            weights=ticks[known],
        )
        return np.asarray(counts, dtype=np.float64)


def dragged(
    curve: Curve, name: str, at: tuple[float, float], span: tuple[float, float]
) -> Curve:
    """The curve with one of its grips at another place, told in shares of the
    range and of the worth.
    """
    low, high = span
    x, y = at
    if curve.flipped:
        y = 1.0 - y
    if name.startswith("point "):
        points = list(curve.points)
        points[int(name.removeprefix("point "))] = (round(x, 3), round(y, 3))
        return curve.model_copy(update={"points": tuple(points)})
    found = {
        "low": y,
        "high": y,
        "middle": y if curve.shape is Shape.LOGIT else x,
        "threshold": low + (high - low) * x,
        "width": max(0.02, abs(x - curve.middle)),
        "exponent": _exponent(curve, y),
        "steepness": _steepness(curve, y),
    }[name]
    return curve.model_copy(update={name: round(found, 3)})


def _exponent(curve: Curve, y: float) -> float:
    """With which exponent the middle of the range is worth y."""
    share = (y - curve.low) / ((curve.high - curve.low) or 1.0)
    return float(
        np.clip(np.log(np.clip(share, 1e-3, 0.999)) / np.log(0.5), 0.05, 20)
    )


def _steepness(curve: Curve, y: float) -> float:
    """With which steepness the curve is worth y at its second grip."""
    y = min(0.995, max(0.005, y))
    odds = float(np.log(y / (1.0 - y)))
    if curve.shape is Shape.LOGIT:
        return float(
            np.clip(
                np.log(0.85 / 0.15) / max(0.02, y - curve.middle), 0.5, 200
            )
        )
    away = min(0.15, 1.0 - curve.middle) or 0.15
    return float(np.clip(odds / away, 0.5, 200))
