"""The whole take, one lane for each of the cast: what led when, the tape's
window, and the playhead.

Many of a kind share a lane, each a thin stripe of it, which opens. Puppets have
none: nothing leads them. Above them stand the cues of the scenario, to be
dragged to another time.
"""

from collections import Counter
from functools import partial

from PySide6.QtCore import QEvent, QPoint, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QHelpEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QMenu, QScrollBar, QSizePolicy, QToolTip, QWidget

from umbrant.desk.session.desk import Desk
from umbrant.desk.views.lanes.cue_ruler import CueRuler, marks
from umbrant.desk.views.lanes.painting import (
    BAR,
    LANE,
    lanes_of,
    paint_broken,
    paint_cues,
    paint_hits,
    paint_lanes,
    paint_stop,
    paint_window,
)
from umbrant.desk.views.lanes.rows import LaneOrder, LaneRow, lane_rows
from umbrant.desk.widgets.accessible import AccessiblePart
from umbrant.desk.widgets.compared import draw_quieter
from umbrant.desk.widgets.painted import PaintedView, draw_focus
from umbrant.desk.widgets.pixmaps import PixmapCache
from umbrant.desk.widgets.theme import Palette
from umbrant.desk.widgets.time_scale import TimeScale
from umbrant.model.staging import Member

TOP, LEFT, RIGHT = 6, 110, 16
MARKED = 26
"""How far from the left a press opens the lane of many, rather than look at
one of them.
"""
MOST_SHOWN = 9
"""How many lanes are seen at most; the others are scrolled to. The tables need
room, too.
"""


class LanesView(PaintedView):
    """Click or drag to move the playhead; with Shift, to move the tape's
    window. Clicking a name looks at that one.
    """

    picked = Signal(object)
    """The path of the cue that was taken hold of."""

    def __init__(
        self, desk: Desk, palette: Palette, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.desk = desk
        self.palette_ = palette
        self._pictures = PixmapCache()
        self.ruler = CueRuler(desk, self, lambda: self.scale)
        self.arranging = False
        self.order = LaneOrder.CAST
        """In which order the lanes stand."""
        self.stops: list[int] = []
        """The ticks at which playing stops."""
        self.opened: set[str] = set()
        """The kinds whose lanes are open."""
        self._bar = QScrollBar(Qt.Orientation.Vertical, self)
        self._bar.setAccessibleName("Lanes that are shown")
        self._bar.valueChanged.connect(self.update)
        self.setAccessibleName("Lanes")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(
            QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed
        )
        self.setToolTip(
            "Click or drag to move the playhead; with Shift, to move the window of the tape"
        )
        for changed in (
            desk.project_changed,
            desk.take_changed,
            desk.agent_changed,
        ):
            changed.connect(self._refresh)
        desk.tape.changed.connect(self.update)
        desk.hits_changed.connect(self.update)
        desk.playhead_moved.connect(self.update_in_turn)

    def sizeHint(self) -> QSize:
        count = max(1, min(MOST_SHOWN, len(self.rows())))
        return QSize(600, int(self._top()) + TOP + LANE * count)

    def rows(self) -> list[LaneRow]:
        """The lanes, from the first to the last."""
        current = self.desk.takes.current
        loaded = None
        if current is not None:
            loaded = current.loaded
        tick = 0
        if self.order is LaneOrder.LEAD:
            tick = self.desk.playhead
        return lane_rows(self._cast(), self.opened, self.order, loaded, tick)

    def parts(self) -> list[AccessiblePart]:
        """The lanes, each with what leads it at the playhead, for a screen
        reader.
        """
        found = []
        for number, row in enumerate(self.rows()):
            leads = Counter(
                self.desk.leading_row(each.name) for each in row.players
            )
            counted = []
            for name, count in leads.items():
                if name and count > 1:
                    counted.append(f"{name} × {count}")
                elif name:
                    counted.append(name)
            says = ", ".join(counted)
            top = self._top() + LANE * (number - self._bar.value())
            opens = ""
            if row.kind:
                state = "closed"
                if row.kind in self.opened:
                    state = "open"
                opens = f" · {state}"
            found.append(
                AccessiblePart(
                    f"{row.title}{opens}: {says or 'nothing'}",
                    QRectF(0, top, self.width(), LANE),
                    any(each.name == self.desk.agent for each in row.players),
                )
            )
        return found

    def open_kind(self, kind: str) -> None:
        """Open the lane of many, or close it."""
        if kind:
            self.opened ^= {kind}
            self._refresh()

    def set_order(self, order: LaneOrder) -> None:
        """Put the lanes in another order."""
        self.order = order
        self._refresh()

    def arrange(self, on: bool) -> None:
        """Show the ruler of cues also where there are none yet."""
        self.arranging = on
        self._refresh()

    def ruler_box(self) -> QRectF:
        """Where the cues stand, if there are any."""
        return QRectF(
            LEFT, TOP - 3, self.width() - LEFT - RIGHT, self._top() - TOP
        )

    def _top(self) -> float:
        """Where the lanes begin: below the cues, if there are any."""
        return TOP + (LANE if self.arranging or any(marks(self.desk)) else 0)

    def minimumSizeHint(self) -> QSize:
        return QSize(300, self.sizeHint().height())

    @property
    def scale(self) -> TimeScale:
        """The mapping between ticks and pixels for the width of the lanes."""
        return TimeScale(
            LEFT, max(LEFT, self.width() - RIGHT), self.desk.tape.ticks
        )

    def x_of(self, tick: float) -> float:
        """The x of a tick, in pixels."""
        return self.scale.x_of(tick)

    def tick_at(self, x: float) -> float:
        """Which tick stands at a place."""
        return self.scale.tick_at(x)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.position().y() < self._top():
            held = self.ruler.press(event.position().x())
            if held is not None:
                self.picked.emit(held.path)
                self.update()
                return
        row = self._row_at(event.position().y())
        if row is not None and row.kind and event.position().x() < MARKED:
            self.open_kind(row.kind)
            return
        name = self._player_at(event.position().y())
        if name is not None:
            self.desk.select_agent(name)
        if event.position().x() >= LEFT - 4:
            self._move(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self.ruler.held is not None:
            self.ruler.drag(event.position().x())
        elif event.buttons() & Qt.MouseButton.LeftButton:
            self._move(event)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self.ruler.release()
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        on_ruler = (
            event.position().y() < self._top() and event.position().x() >= LEFT
        )
        if on_ruler and self.ruler.mark_at(event.position().x()) is None:
            self.ruler.offer(event.position().toPoint())
        else:
            self.mousePressEvent(event)

    def event(self, event: QEvent) -> bool:
        """Show a tooltip over a cue: what it does, and when."""
        if (
            isinstance(event, QHelpEvent)
            and event.type() == QEvent.Type.ToolTip
            and event.pos().y() < self._top()
        ):
            mark = self.ruler.mark_at(event.pos().x())
            text = "Double-click adds a cue."
            if mark:
                text = f"at {mark.at_s:g} s: {mark.text}. Drag it to another time."
            QToolTip.showText(event.globalPos(), text, self)
            return True
        return super().event(event)

    def wheelEvent(self, event: QWheelEvent) -> None:
        if self._bar.isVisible() and event.position().x() < LEFT:
            self._bar.event(event)
            return
        factor = 1.25
        if event.angleDelta().y() > 0:
            factor = 0.8
        self.desk.tape.zoom(
            factor,
            self.tick_at(event.position().x()),
        )

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._place_bar()

    def _place_bar(self) -> None:
        """Show a scroll bar where not all lanes are seen."""
        seen = max(1, int((self.height() - self._top()) // LANE))
        over = max(0, len(self.rows()) - seen)
        self._bar.setPageStep(seen)
        self._bar.setRange(0, over)
        self._bar.setVisible(over > 0)
        wide = self._bar.sizeHint().width()
        top = int(self._top())
        self._bar.setGeometry(
            self.width() - wide, top, wide, max(0, self.height() - top)
        )

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        self._offer_orders(event.globalPos())

    def _offer_orders(self, at: QPoint) -> None:
        self.menu = menu = QMenu(self)
        menu.setAccessibleName("Order of the lanes")
        for order in LaneOrder:
            action = menu.addAction(
                order.value, partial(self.set_order, order)
            )
            action.setCheckable(True)
            action.setChecked(order is self.order)
        menu.popup(at)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            if event.key() == Qt.Key.Key_Down:
                step = 1
            else:
                step = -1
            self._walk(step)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            names_of = (
                (row.kind, {each.name for each in row.players})
                for row in self.rows()
            )
            kinds = [
                kind
                for kind, names in names_of
                if kind and self.desk.agent in names
            ]
            self.open_kind(kinds[0] if kinds else "")
        elif event.key() == Qt.Key.Key_Menu or event.text() == "o":
            self._offer_orders(
                self.mapToGlobal(QPoint(LEFT, int(self._top())))
            )
        else:
            super().keyPressEvent(event)

    def _walk(self, step: int) -> None:
        """Look at the one before or after, of all that are shown."""
        names = [
            player.name
            for row in self.rows()
            for player in row.players
            if row.kind not in self.opened
        ]
        if self.desk.agent in names:
            self.desk.select_agent(
                names[(names.index(self.desk.agent) + step) % len(names)]
            )

    def _show_chosen(self) -> None:
        """Scroll to the lane of the one that is looked at."""
        for index, row in enumerate(self.rows()):
            is_there = any(
                player.name == self.desk.agent for player in row.players
            )
            if is_there and row.kind not in self.opened:
                first, seen = self._bar.value(), self._bar.pageStep()
                self._bar.setValue(min(index, max(first, index - seen + 1)))

    def draw(self, painter: QPainter) -> None:
        """What moves with the playhead is drawn anew each time; lanes and cues
        are pictures.
        """
        desk, palette = self.desk, self.palette_
        painter.fillRect(self.rect(), palette.ground)
        shown_at = 0
        if self.order is LaneOrder.LEAD:
            shown_at = desk.playhead
        key = (
            desk.take_number,
            desk.scenario,
            desk.agent,
            desk.tape.ticks,
            palette.name,
            self.order,
            shown_at,
            frozenset(self.opened),
            self._bar.value(),
        )
        self._pictures.draw(
            painter, QRectF(self.rect()), "lanes", key, self._draw_lanes
        )
        if self._top() > TOP:
            strip = QRectF(0, 0, self.width(), self._top())
            cues = (
                desk.scenario,
                self.ruler.held,
                desk.tape.ticks,
                palette.name,
            )
            self._pictures.draw(painter, strip, "cues", cues, self._draw_cues)
        if desk.take is not None:
            self._draw_marks(painter)
            scale, tape = self.scale, desk.tape
            paint_window(
                painter,
                scale.x_of(tape.start),
                scale.x_of(tape.end),
                self.height(),
                palette,
            )
            painter.fillRect(
                QRectF(scale.x_of(desk.playhead) - 1, 1, 2, self.height() - 2),
                palette.now,
            )
        draw_focus(painter, self, palette)

    def _draw_marks(self, painter: QPainter) -> None:
        """Where what was looked for holds, and where an expectation is broken."""
        desk, scale, palette = self.desk, self.scale, self.palette_
        is_of_this = desk.hits.take_number == desk.take_number
        if is_of_this:
            paint_hits(
                painter, desk.hits.stretches, scale, self._top() - 2, palette
            )
        for tick in self.stops:
            paint_stop(painter, scale.x_of(tick), self._top() - 2, palette)
        rows = self.rows()
        for each in desk.broken:
            places = [
                number
                for number, row in enumerate(rows)
                if any(player.name == each.agent for player in row.players)
            ]
            if places:
                top = self._top() + LANE * (places[-1] - self._bar.value())
                if self._top() <= top < self.height():
                    paint_broken(painter, scale.x_of(each.tick), top, palette)

    def _draw_lanes(self, painter: QPainter, box: QRectF) -> None:
        loaded = None
        if self.desk.takes.current:
            loaded = self.desk.takes.current.loaded
        compares = self.desk.compared is not None
        first = self._bar.value()
        rows = self.rows()[first : first + self._bar.pageStep() + 1]
        lanes = lanes_of(
            rows,
            self.desk.agent,
            loaded,
            compares=compares,
            opened=self.opened,
        )
        paint_lanes(painter, lanes, self.scale, self._top(), self.palette_)
        branched_at = self.desk.branched_at
        if branched_at is not None:
            past = QRectF(
                LEFT,
                self._top() - 2,
                self.x_of(branched_at) - LEFT,
                self.height(),
            )
            draw_quieter(painter, past, self.palette_)

    def _draw_cues(self, painter: QPainter, box: QRectF) -> None:
        painter.fillRect(box, self.palette_.ground)
        paint_cues(
            painter,
            list(marks(self.desk)),
            self.ruler.held,
            self.scale,
            self.ruler.ticks_per_s,
            self.palette_,
        )

    def _player_at(self, y: float) -> str | None:
        """Whose stripe is at a height."""
        row = self._row_at(y)
        if row is None:
            return None
        players = row.players
        share = ((y - self._top()) % LANE) / BAR
        return players[
            max(0, min(len(players) - 1, int(share * len(players))))
        ].name

    def _row_at(self, y: float) -> LaneRow | None:
        rows, place = (
            self.rows(),
            int((y - self._top()) // LANE) + self._bar.value(),
        )
        if y >= self._top() and 0 <= place < len(rows):
            return rows[place]
        return None

    def _move(self, event: QMouseEvent) -> None:
        tick = self.tick_at(event.position().x())
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.desk.tape.centre(tick)
        else:
            self.desk.move_playhead(int(tick))

    def _refresh(self) -> None:
        self._place_bar()
        self._show_chosen()
        self.updateGeometry()
        self.update_in_turn()

    def _cast(self) -> tuple[Member, ...]:
        """Those who decide something: a puppet's lane would be empty."""
        scenario = self.desk.scenario
        cast = scenario.cast if scenario else ()
        return tuple(member for member in cast if member.behavior) or cast
