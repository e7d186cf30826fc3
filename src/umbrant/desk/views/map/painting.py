"""How a map is drawn: boxes, the arrows between them, what is written on
those, and what is active.

Plain functions of a `MapLook` and of a `Trace`, which says how the arrows of a
drawing run at one size.
"""

import math
from dataclasses import dataclass, field

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import (
    QColor,
    QFont,
    QFontMetricsF,
    QPainter,
    QPainterPath,
    QPen,
)

from umbrant.desk.views.map.arrows import (
    ArrowCurve,
    bowed,
    draw_head,
    loop,
    on_edge,
)
from umbrant.desk.views.map.layout import (
    MARK_W,
    MapArrow,
    MapBox,
    MapLayout,
    from_any,
)
from umbrant.desk.widgets.painted import saved
from umbrant.desk.widgets.theme import Palette, body_font
from umbrant.model.kind_ids import FINAL, HISTORY, STATE

SMALLEST_WRITTEN = 0.5
"""The scale below which nothing is written on arrows."""
LABEL_H = 13.0


@dataclass(frozen=True)
class Placement:
    """Where a drawing stands in its view, and how large."""

    scale: float = 1.0
    left: float = 0.0
    top: float = 0.0

    def rect(self, box: MapBox) -> QRectF:
        """Where a box is drawn."""
        scale = self.scale
        return QRectF(
            self.left + box.x * scale,
            self.top + box.y * scale,
            box.w * scale,
            box.h * scale,
        )

    @property
    def label_font(self) -> QFont:
        """The font of what is written on arrows."""
        return body_font(max(8, round(10 * min(1.0, self.scale * 1.12))))

    @property
    def title_font(self) -> QFont:
        """The font of what is written in boxes."""
        return body_font(max(8, int(11 * min(1.0, self.scale))))


@dataclass(frozen=True)
class Trace:
    """How the arrows of a machine's drawing run, and where it is written what
    they are.
    """

    curves: dict[MapArrow, ArrowCurve] = field(default_factory=dict)
    from_any: dict[MapArrow, QRectF] = field(default_factory=dict)
    """Where transitions from any state are written."""
    labels: dict[str, QRectF] = field(default_factory=dict)
    """Where it is written what the transitions are, by their rows."""


@dataclass(frozen=True)
class MapLook:
    """What of a drawing is active, marked or selected, by the ids of its rows."""

    running: frozenset[str] = frozenset()
    leads: tuple[str, ...] = ()
    """The rows that have a colour of their own, in the order of the palette's
    `leads`.
    """
    fired: frozenset[str] = frozenset()
    """The transitions that fired last."""
    selected: str = ""
    link: tuple[str, QPointF] | None = None
    """A transition that is being drawn: the state it starts from, and where it
    is held.
    """


def trace(drawing: MapLayout, placement: Placement) -> Trace:
    """Find how the arrows of a machine run and where there is room to write on
    them. Takes some milliseconds.
    """
    found = Trace()
    if not drawing.is_machine:
        return found
    metrics = QFontMetricsF(placement.label_font)
    taken = [placement.rect(box) for box in drawing.leaves()]
    for arrow in sorted(
        drawing.arrows, key=lambda each: each.start == each.end
    ):
        start, end = drawing.box(arrow.start), drawing.box(arrow.end)
        if end is None:
            continue
        rect = placement.rect(end)
        if start is None:
            below = rect.bottom() + 13 * (arrow.bend + 1)
            found.from_any[arrow] = QRectF(
                rect.left(),
                below - 10,
                metrics.horizontalAdvance(from_any(arrow)),
                12,
            )
            taken.append(found.from_any[arrow])
        elif start is end:
            found.curves[arrow] = loop(
                rect, taken, [curve.path for curve in found.curves.values()]
            )
        else:
            found.curves[arrow] = bowed(
                placement.rect(start), rect, arrow.bend
            )
    for arrow, curve in found.curves.items():
        if placement.scale >= SMALLEST_WRITTEN and arrow.label:
            others = [
                other.path
                for other in found.curves.values()
                if other is not curve
            ]
            box = curve.label_box(
                metrics.horizontalAdvance(arrow.label) + 4,
                LABEL_H,
                taken,
                others,
            )
            found.labels[arrow.row_id] = box
            taken.append(box)
    return found


def paint_map(
    painter: QPainter,
    drawing: MapLayout,
    traced: Trace,
    look: MapLook,
    placement: Placement,
    palette: Palette,
) -> None:
    """Draw a map: the boxes, then the arrows, then the arrows that fired last."""
    for box in drawing.boxes:
        _paint_box(painter, box, look, placement, palette)
    if drawing.is_machine:
        _paint_arrows(painter, traced, look, placement, palette)
    else:
        for arrow in drawing.arrows:
            _paint_branch(painter, drawing, arrow, look, placement, palette)
    if look.link is not None:
        _paint_link(painter, drawing, *look.link, placement, palette)


def _paint_box(
    painter: QPainter,
    box: MapBox,
    look: MapLook,
    placement: Placement,
    palette: Palette,
) -> None:
    rect, running = placement.rect(box), box.row_id in look.running
    _paint_outline(painter, box, look, rect, palette)
    title = QRectF(rect)
    if box.row_id in look.leads and not box.inside:
        tones = palette.leads
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(tones[look.leads.index(box.row_id) % len(tones)])
        dot = QPointF(rect.left() + 9, rect.center().y())
        painter.drawEllipse(dot, 3.2, 3.2)
        title.setLeft(rect.left() + 8)
    painter.setFont(placement.title_font)
    painter.setPen(palette.ink)
    if running and not box.inside:
        painter.setPen(palette.button_ink)
    _paint_title(painter, box, title)
    for inner in box.inside:
        _paint_box(painter, inner, look, placement, palette)


def _paint_outline(
    painter: QPainter,
    box: MapBox,
    look: MapLook,
    rect: QRectF,
    palette: Palette,
) -> None:
    """The frame of a box and its ground: round for a state, twice for an end,
    dashed for what stands for any state.
    """
    running = box.row_id in look.running
    round_ = 6.0
    if box.kind in (STATE, FINAL, HISTORY) and not box.inside:
        round_ = rect.height() / 2
    if box.inside:
        fill = palette.ground
    elif running:
        fill = palette.running
    else:
        fill = palette.chip_fill
    line = QPen(palette.chip_rule, 1.0)
    if running:
        line = QPen(palette.running, 1.6)
    if box.from_any:
        line.setStyle(Qt.PenStyle.DashLine)
    if box.row_id == look.selected:
        line = QPen(palette.now, 2.2)
    painter.setPen(line)
    painter.setBrush(fill)
    painter.drawRoundedRect(rect, round_, round_)
    if box.kind == FINAL:
        painter.drawRoundedRect(rect.adjusted(3, 3, -3, -3), round_, round_)


def _paint_title(painter: QPainter, box: MapBox, rect: QRectF) -> None:
    if box.kind == HISTORY:
        painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, "H")
        return
    room = rect.adjusted(6, 0, -6, 0)
    where = Qt.AlignmentFlag.AlignCenter
    if box.lines:
        room.setRight(room.right() - _paint_marks(painter, box, rect))
        high = painter.fontMetrics().lineSpacing()
        top = room.center().y() - high * len(box.lines) / 2
        for number, line in enumerate(box.lines):
            at = QRectF(room.left(), top + number * high, room.width(), high)
            painter.drawText(at, where, line)
        return
    if box.inside:
        room, where = (
            rect.adjusted(10, 4, -6, 0),
            Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft,
        )
    shown = painter.fontMetrics().elidedText(
        box.title, Qt.TextElideMode.ElideRight, int(room.width())
    )
    painter.drawText(room, where, shown)


def _paint_marks(painter: QPainter, box: MapBox, rect: QRectF) -> float:
    """Marks at the right of a box: that it has a guard, decorators, rows that
    are not shown. Returns how wide they are together.
    """
    marks = []
    if box.guarded:
        marks.append("?")
    if box.decorators > 1:
        marks.append(f"×{box.decorators}")
    elif box.decorators:
        marks.append("◦")
    if box.folded:
        marks.append(f"+{box.folded}")
    if box.w:
        wide = MARK_W * rect.width() / box.w
    else:
        wide = MARK_W
    with saved(painter):
        painter.setOpacity(0.75)
        for number, mark in enumerate(reversed(marks)):
            right = rect.right() - 3 - number * wide
            painter.drawText(
                QRectF(right - wide, rect.top(), wide, rect.height()),
                Qt.AlignmentFlag.AlignCenter,
                mark,
            )
    return wide * len(marks)


def _paint_arrows(
    painter: QPainter,
    traced: Trace,
    look: MapLook,
    placement: Placement,
    palette: Palette,
) -> None:
    """The transitions of a machine, what fired last over the others, and what
    is written on them.
    """

    def colour(arrow: MapArrow) -> QColor:
        if arrow.row_id in look.fired:
            return palette.now
        return palette.dim

    painter.setFont(placement.label_font)
    for arrow, box in traced.from_any.items():
        painter.setPen(colour(arrow))
        painter.drawText(QPointF(box.left(), box.top() + 10), from_any(arrow))
    for arrow in sorted(
        traced.curves, key=lambda each: each.row_id in look.fired
    ):
        wide = 1.0
        if arrow.row_id in look.fired:
            wide = 2.4
        traced.curves[arrow].draw(painter, colour(arrow), wide)
    ground = QColor(palette.sheet)
    ground.setAlphaF(0.85)
    for arrow in traced.curves:
        label = traced.labels.get(arrow.row_id)
        if label is not None:
            painter.fillRect(label, ground)
            painter.setPen(colour(arrow))
            painter.drawText(label, Qt.AlignmentFlag.AlignCenter, arrow.label)


def _paint_branch(
    painter: QPainter,
    drawing: MapLayout,
    arrow: MapArrow,
    look: MapLook,
    placement: Placement,
    palette: Palette,
) -> None:
    """A line of a tree, from a row to one that is nested in it."""
    start, end = drawing.box(arrow.start), drawing.box(arrow.end)
    if start is None or end is None:
        return
    one, other = placement.rect(start), placement.rect(end)
    running = end.row_id in look.running
    painter.setBrush(Qt.BrushStyle.NoBrush)
    if running:
        painter.setPen(QPen(palette.running, 2.0))
    else:
        painter.setPen(QPen(palette.chip_rule, 1.0))
    path = QPainterPath(QPointF(one.right(), one.center().y()))
    middle = (one.right() + other.left()) / 2
    corner = QPointF(other.left(), other.center().y())
    path.cubicTo(
        QPointF(middle, one.center().y()), QPointF(middle, corner.y()), corner
    )
    painter.drawPath(path)


def _paint_link(
    painter: QPainter,
    drawing: MapLayout,
    source: str,
    to: QPointF,
    placement: Placement,
    palette: Palette,
) -> None:
    """The transition that is being drawn."""
    box = drawing.box(source)
    if box is None:
        return
    start = on_edge(placement.rect(box), to)
    painter.setPen(QPen(palette.now, 2.0, Qt.PenStyle.DashLine))
    painter.drawLine(start, to)
    draw_head(
        painter,
        to,
        math.atan2(to.y() - start.y(), to.x() - start.x()),
        palette.now,
    )
