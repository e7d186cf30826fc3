"""The map beside the stage: the tree, or the machine that the selected row
belongs to, as it is at the playhead.
"""

import math

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QFontMetricsF,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QWheelEvent,
)
from PySide6.QtWidgets import QMenu, QWidget

from umbrant.desk.chips.editing import menu_heading
from umbrant.desk.session.desk import Desk
from umbrant.desk.session.shown import can_fold
from umbrant.desk.views.machine_table.adding import (
    add_transition,
    trigger_menu,
)
from umbrant.desk.views.machine_table.cells import SOURCES, TriggerColumn
from umbrant.desk.views.map.layout import (
    MapBox,
    MapLayout,
    draw,
    lines_in,
    open_rows,
)
from umbrant.desk.views.map.painting import (
    MapLook,
    Placement,
    Trace,
    paint_map,
    trace,
)
from umbrant.desk.widgets.accessible import AccessiblePart
from umbrant.desk.widgets.painted import (
    FIT_KEY,
    ZOOM_KEYS,
    PaintedView,
    draw_focus,
    paint_with,
)
from umbrant.desk.widgets.theme import Palette, body_font
from umbrant.model.behaviors import Behavior
from umbrant.model.kind_ids import FINAL, MACHINE, STATES
from umbrant.model.values import count_text
from umbrant.reasons.decision_changes import leading_rows
from umbrant.take.record import RowState

LARGEST, LEGIBLE = 1.0, 0.82
"""How large a map is drawn at most, and at least: smaller than that nobody
reads it. What then has no room is folded away, or lies outside.
"""


class MapView(PaintedView):
    """Click a box or an arrow to select its row; arrow keys walk the boxes;
    the wheel zooms, dragging the ground moves.

    In a machine, dragging from one state to another draws a transition between
    them; by keyboard it is begun with Enter on the one state and drawn with
    Enter on the other.
    """

    drawn = Signal(str)
    """The transition that was drawn."""

    def __init__(
        self, desk: Desk, palette: Palette, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.desk = desk
        self.palette_ = palette
        self.setAccessibleName("Map")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(200, 72)
        self.setToolTip(
            "Click a box to find its row. Drag from state to state for a transition. The wheel "
            "zooms."
        )
        self._font = body_font(11)
        self._drawing: MapLayout | None = None
        self._made_for: tuple[object, str, object] = (None, "", None)
        self._zoom = 0.0
        self._pan = QPointF()
        self._held: QPointF | None = None
        self._moved = False
        self._link: str = ""
        """The state that a transition is being drawn from."""
        self._link_to = QPointF()
        self.menu: QMenu | None = None
        self._traced_for: object = None
        """The drawing and the size that curves and labels were found for."""
        self._trace = Trace()
        paint_with(desk, self)
        desk.folds.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(480, 270)

    # what is drawn

    @property
    def drawing(self) -> MapLayout | None:
        """The map for the selected row; made anew only when the behavior or
        the machine has changed.
        """
        behavior = self.desk.behavior
        if behavior is None:
            return None
        machine = self._machine(behavior)
        if machine:
            opened = None
        else:
            opened = self._opened(behavior)
        if self._made_for != (behavior, machine, opened):
            if self._made_for[:2] != (behavior, machine):
                self._zoom, self._pan = 0.0, QPointF()
            self._made_for = (behavior, machine, opened)
            metrics = QFontMetricsF(self._font)
            row_id = machine or self.desk.row_id
            self._drawing = draw(
                behavior, row_id, metrics.horizontalAdvance, opened
            )
        return self._drawing

    def _opened(self, behavior: Behavior) -> frozenset[str] | None:
        """The rows of a tree that are shown with what is in them; None for all
        of them. Where the author has zoomed that is all but those folded in
        the outline.
        """
        lines = lines_in(self.height() / LEGIBLE)
        folded = self.desk.folds.rows & behavior.by_id.keys()
        if self._zoom or len(behavior.rows) <= lines:
            if folded:
                return frozenset(behavior.by_id.keys() - folded)
            return None
        explainer, tick = self.desk.explainer, self.desk.playhead
        if explainer is not None:
            path = explainer.path(tick)
        else:
            path = ()
        return open_rows(behavior, (*path, self.desk.row_id), lines, folded)

    def heading(self) -> str:
        """The machine or the tree that is drawn, or what a link being drawn
        waits for.
        """
        behavior = self.desk.behavior
        machine = ""
        if behavior:
            machine = self._machine(behavior)
        if behavior and machine:
            title = behavior.row(machine).name
        else:
            title = ""
            if behavior:
                title = behavior.title
        if self._link:
            return "drop it on the state that it leads to · Esc lets go"
        if machine:
            return "drag from state to state"
        return f"of {title} · click a box to find its row"

    def parts(self) -> list[AccessiblePart]:
        """The boxes and the arrows between them, for a screen reader."""
        drawing = self.drawing
        if drawing is None:
            return []
        boxes = [box for top in drawing.boxes for box in top.all()]
        titles = {box.row_id: box.title for box in boxes}
        found = []
        for box in boxes:
            words = [box.title]
            if self._state(box.row_id) is RowState.RUNNING:
                words.append("running")
            if box.folded:
                words.append(f"{count_text(box.folded, 'row')} folded away")
            is_chosen = box.row_id == self.desk.row_id
            found.append(
                AccessiblePart(
                    " · ".join(words), self.box_rect(box), is_chosen
                )
            )
        for arrow in drawing.arrows if drawing.is_machine else ():
            start = titles.get(arrow.start, "any state")
            words = [f"{start} to {titles[arrow.end]}", arrow.label]
            label = self.labels.get(arrow.row_id, QRectF())
            found.append(
                AccessiblePart(
                    " · ".join(each for each in words if each), label
                )
            )
        return found

    def box_rect(self, box: MapBox) -> QRectF:
        """Where a box is drawn."""
        return self.placement.rect(box)

    @property
    def labels(self) -> dict[str, QRectF]:
        """Where it is written what the transitions are, by their rows."""
        return self._trace.labels

    def _machine(self, behavior: Behavior) -> str:
        row_id = self.desk.row_id
        return behavior.innermost(row_id, MACHINE) or ""

    @property
    def placement(self) -> Placement:
        """Where the drawing stands, and how large: as large as it fits, unless
        it was zoomed.
        """
        drawing = self._drawing
        if drawing is None or not drawing.width or not drawing.height:
            return Placement()
        wide, high = (
            (self.width() - 12) / drawing.width,
            (self.height() - 12) / drawing.height,
        )
        scale = self._zoom or max(LEGIBLE, min(LARGEST, wide, high))
        focus = self._focus(drawing)
        left = _edge(self.width(), drawing.width * scale, focus[0] * scale)
        top = _edge(self.height(), drawing.height * scale, focus[1] * scale)
        return Placement(scale, left + self._pan.x(), top + self._pan.y())

    def _focus(self, drawing: MapLayout) -> tuple[float, float]:
        """What is kept in sight where not all of a drawing has room: what runs
        innermost, else the selected row.
        """
        running = [
            box
            for top in drawing.boxes
            for box in top.all()
            if self._state(box.row_id) is RowState.RUNNING
        ]
        box = running[-1] if running else drawing.box(self.desk.row_id)
        return box.middle if box is not None else (0.0, 0.0)

    # events

    def wheelEvent(self, event: QWheelEvent) -> None:
        if event.angleDelta().y() > 0:
            self.zoom(1.15)
        else:
            self.zoom(1 / 1.15)

    def zoom(self, factor: float) -> None:
        """Draw the map so much larger or smaller; from then on all of it, as
        far as it is not folded.
        """
        self._zoom = max(0.2, min(3.0, self.placement.scale * factor))
        self.update()

    def fit(self) -> None:
        """Draw what has room, as at first."""
        self._zoom, self._pan = 0.0, QPointF()
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._held, self._moved = event.position(), False
        self._link = self._state_at(event.position())
        self._link_to = event.position()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._link and self._held is not None:
            self._moved = (
                self._moved
                or (event.position() - self._held).manhattanLength() > 4
            )
            self._link_to = event.position()
            self.update()
        elif self._held is not None:
            self._moved = (
                self._moved
                or (event.position() - self._held).manhattanLength() > 4
            )
            if self._moved:
                self._pan += event.position() - self._held
                self._held = event.position()
                self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        link, self._link = self._link, ""
        if link and self._moved:
            self._draw_to(link, self._state_at(event.position()))
        elif not self._moved:
            found = self._row_at(event.position())
            if found:
                self.desk.select_row(found)
        self._held = None
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.fit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        ahead = {
            Qt.Key.Key_Left: (-1, 0),
            Qt.Key.Key_Right: (1, 0),
            Qt.Key.Key_Up: (0, -1),
            Qt.Key.Key_Down: (0, 1),
        }.get(Qt.Key(event.key()))
        if (
            event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
            and self._link_by_key()
        ):
            return
        if event.key() == Qt.Key.Key_Escape and self._link:
            self._link = ""
            self.update()
            return
        if event.text() == "f" and can_fold(
            self.desk.behavior, self.desk.row_id
        ):
            self.desk.folds.flip(self.desk.row_id)
        elif event.text() in ZOOM_KEYS:
            self.zoom(ZOOM_KEYS[event.text()])
        elif event.text() == FIT_KEY:
            self.fit()
        elif ahead is None or self.drawing is None:
            super().keyPressEvent(event)
        else:
            self._walk(*ahead)

    def event(self, event: QEvent) -> bool:
        """Arrow keys walk the boxes while the map has the keyboard, whatever
        shortcut they have elsewhere.
        """
        if (
            isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.ShortcutOverride
        ):
            mine = [
                Qt.Key.Key_Left,
                Qt.Key.Key_Right,
                Qt.Key.Key_Up,
                Qt.Key.Key_Down,
            ]
            if self.drawing is not None and self.drawing.is_machine:
                mine.extend([Qt.Key.Key_Return, Qt.Key.Key_Enter])
            if event.key() in mine:
                event.accept()
                return True
        return super().event(event)

    def _state_at(self, point: QPointF) -> str:
        """The state of a machine's map at a point; empty elsewhere, and in the
        map of a tree.
        """
        drawing, behavior = self.drawing, self.desk.behavior
        if drawing is None or behavior is None or not drawing.is_machine:
            return ""
        boxes = [
            each
            for top in drawing.boxes
            for each in top.all()
            if self.box_rect(each).contains(point)
        ]
        row_id = ""
        if boxes:
            row_id = boxes[-1].row_id
        if row_id and behavior.row(row_id).kind in STATES:
            return row_id
        return ""

    def _link_by_key(self) -> bool:
        """Begin to draw a transition from the selected state, or draw it to
        the one that is selected now.
        """
        drawing, row_id = self.drawing, self.desk.row_id
        box = None
        if drawing is not None and drawing.is_machine:
            box = drawing.box(row_id)
        if box is None:
            return False
        if self._link:
            link, self._link = self._link, ""
            self._draw_to(link, row_id)
        else:
            self._link, self._link_to = row_id, self.box_rect(box).center()
            self.desk.message.emit(
                "Walk to the state that the transition leads to, and press Enter there. Esc lets "
                "go."
            )
        self.update()
        return True

    def _draw_to(self, source: str, target: str) -> None:
        """Ask what a new transition waits for, and add it."""
        behavior = self.desk.behavior
        if not target or behavior is None or source not in behavior.by_id:
            return
        if (
            behavior.row(source).kind not in SOURCES
            or behavior.row(source).kind == FINAL
        ):
            self.desk.message.emit(
                "Nothing leads out of a final state or a history; draw from another state."
            )
            return
        names = [
            behavior.row(each).name or behavior.row(each).kind
            for each in (source, target)
        ]

        def add(trigger: TriggerColumn) -> None:
            added = add_transition(self.desk, source, trigger, target)
            if added is not None:
                self.drawn.emit(added)

        self.menu = trigger_menu(self, self.desk, add)
        heading = menu_heading(f"{names[0]} → {names[1]}", self.menu)
        self.menu.insertAction(self.menu.actions()[0], heading)
        box = None
        if self._drawing is not None:
            box = self._drawing.box(target)
        if box is not None:
            corner = self.box_rect(box).bottomLeft()
        else:
            corner = self._link_to
        self.menu.popup(self.mapToGlobal(corner.toPoint()))

    def _walk(self, across: int, down: int) -> None:
        """Select the nearest box in a direction."""
        drawing = self._drawing
        if drawing is None:
            return
        boxes = [each for top in drawing.boxes for each in top.all()]
        at = drawing.box(self.desk.row_id) or (boxes[0] if boxes else None)
        if at is None:
            return
        x, y = at.middle

        def away(box: MapBox) -> float:
            dx, dy = box.middle[0] - x, box.middle[1] - y
            along, aside = (
                (dx * across, abs(dy)) if across else (dy * down, abs(dx))
            )
            if along > 1:
                return along + 2 * aside
            return math.inf

        nearest = min(boxes, key=away, default=None)
        if nearest is not None and away(nearest) < math.inf:
            self.desk.select_row(nearest.row_id)

    def _row_at(self, point: QPointF) -> str:
        drawing = self.drawing
        if drawing is None:
            return ""
        boxes = [each for top in drawing.boxes for each in top.all()]
        under = [box for box in boxes if self.box_rect(box).contains(point)]
        near = QRectF(point.x() - 4, point.y() - 4, 8, 8)
        written = next(
            (
                row_id
                for row_id, label in self.labels.items()
                if label.contains(point)
            ),
            "",
        )
        nearest = next(
            (
                arrow.row_id
                for arrow, box in self._trace.from_any.items()
                if box.contains(point)
            ),
            "",
        )
        on = next(
            (
                arrow.row_id
                for arrow, curve in self._trace.curves.items()
                if curve.path.intersects(near)
            ),
            "",
        )
        arrow = written or nearest or on
        leaf = [box for box in under if not box.inside]
        if leaf:
            return leaf[-1].row_id
        return arrow or (under[-1].row_id if under else "")

    # drawing

    def draw(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), self.palette_.sheet)
        drawing, behavior = self.drawing, self.desk.behavior
        if drawing is None or behavior is None:
            painter.setPen(self.palette_.dim)
            painter.drawText(
                self.rect(),
                Qt.AlignmentFlag.AlignCenter,
                "There is no behavior to draw.",
            )
        else:
            paint_map(
                painter,
                drawing,
                self._traced(drawing),
                self._look(drawing, behavior),
                self.placement,
                self.palette_,
            )
        draw_focus(painter, self, self.palette_)

    def _look(self, drawing: MapLayout, behavior: Behavior) -> MapLook:
        boxes = [box.row_id for top in drawing.boxes for box in top.all()]
        here = drawing.box(self.desk.row_id)
        if self._held is not None or here is None:
            to = self._link_to
        else:
            to = self.box_rect(here).center()
        link = None
        if self._link:
            link = (self._link, to)
        return MapLook(
            running=frozenset(
                row_id
                for row_id in boxes
                if self._state(row_id) is RowState.RUNNING
            ),
            leads=leading_rows(behavior),
            fired=frozenset(self._fired_last(drawing)),
            selected=self.desk.row_id,
            link=link,
        )

    def _traced(self, drawing: MapLayout) -> Trace:
        """How the arrows run, found once for each size."""
        made_for = (drawing, self.placement)
        if made_for != self._traced_for:
            self._traced_for, self._trace = (
                made_for,
                trace(drawing, self.placement),
            )
        return self._trace

    def _state(self, row_id: str) -> RowState:
        explainer = self.desk.explainer
        if explainer is None or row_id not in explainer.outline.number:
            return RowState.NOT_REACHED
        return explainer.state_of(row_id, self.desk.playhead)

    def _fired_last(self, drawing: MapLayout) -> set[str]:
        """The transitions that fired last: several where they did so at one
        tick.
        """
        explainer = self.desk.explainer
        if explainer is None:
            return set()
        known = [
            arrow.row_id
            for arrow in drawing.arrows
            if arrow.row_id in explainer.outline.number
        ]
        fired = {
            row_id: explainer.record.row(row_id).last_span(self.desk.playhead)
            for row_id in known
        }
        starts = {
            row_id: span.start
            for row_id, span in fired.items()
            if span is not None
        }
        latest = max(starts.values(), default=0)
        return {row_id for row_id, start in starts.items() if start == latest}


def _edge(room: float, size: float, focus: float) -> float:
    """Where a drawing begins: in the middle, or where it is larger than the
    room, so that its focus is near the middle.
    """
    if size <= room - 12:
        return (room - size) / 2
    return max(room - size - 6, min(6.0, room / 2 - focus))
