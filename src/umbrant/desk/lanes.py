"""The whole take, one lane for each of the cast: what led when, the tape's window, and the playhead.

The copies of one member share a lane, each a thin stripe of it. Puppets have none: nothing leads them. Above them stand
the cues of the scenario, to be dragged to another time.
"""

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from umbrant.desk.cached import Pictures
from umbrant.desk.cue_ruler import CueRuler, marks
from umbrant.desk.painted import draw_focus
from umbrant.desk.state import Desk
from umbrant.desk.theme import Palette, body_font
from umbrant.model.staging import Member
from umbrant.reasons.minds import behavior_of

LANE, BAR, TOP, LEFT, RIGHT = 18, 14, 6, 110, 16


class LanesView(QWidget):
    """Click or drag to move the playhead; with Shift, to move the tape's window. Clicking a name looks at that one."""

    picked = Signal(object)
    """The path of the cue that was taken hold of."""

    def __init__(self, desk: Desk, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.desk = desk
        self.palette_ = palette
        self._pictures = Pictures()
        self.ruler = CueRuler(desk, self, self.x_of, self.tick_at)
        self.arranging = False
        self.setAccessibleName("Lanes")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self.setToolTip("Click or drag to move the playhead; with Shift, to move the window of the tape")
        for changed in (desk.project_changed, desk.take_changed, desk.agent_changed):
            changed.connect(self._refresh)
        desk.tape.changed.connect(self.update)
        desk.playhead_moved.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(600, int(self._top()) + TOP + LANE * max(1, len(self._cast())))

    def arrange(self, on: bool) -> None:
        """Show the ruler of cues also where there are none yet."""
        self.arranging = on
        self._refresh()

    def ruler_box(self) -> QRectF:
        """Where the cues stand; empty where they are not shown."""
        return QRectF(LEFT, TOP - 3, self.width() - LEFT - RIGHT, self._top() - TOP)

    def _top(self) -> float:
        """Where the lanes begin: below the cues, if there are any."""
        return TOP + (LANE if self.arranging or any(marks(self.desk)) else 0)

    def minimumSizeHint(self) -> QSize:
        return QSize(300, self.sizeHint().height())

    def x_of(self, tick: float) -> float:
        """Where a tick stands."""
        return LEFT + tick / max(1, self.desk.tape.ticks) * (self.width() - LEFT - RIGHT)

    def tick_at(self, x: float) -> float:
        """Which tick stands at a place."""
        return (x - LEFT) / max(1, self.width() - LEFT - RIGHT) * self.desk.tape.ticks

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.position().y() < self._top():
            held = self.ruler.press(event.position().x())
            if held is not None:
                self.picked.emit(held.path)
                self.update()
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
        on_ruler = event.position().y() < self._top() and event.position().x() >= LEFT
        if on_ruler and self.ruler.mark_at(event.position().x()) is None:
            self.ruler.offer(event.position().toPoint())
        else:
            self.mousePressEvent(event)

    def event(self, event: QEvent) -> bool:
        """Over a cue the tooltip says what it does."""
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip and event.pos().y() < self._top():
            mark = self.ruler.mark_at(event.pos().x())
            told = f"at {mark.at_s:g} s: {mark.text}. Drag it to another time." if mark else "Double-click adds a cue."
            QToolTip.showText(event.globalPos(), told, self)
            return True
        return super().event(event)

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.desk.tape.zoom(0.8 if event.angleDelta().y() > 0 else 1.25, self.tick_at(event.position().x()))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            names = [player.name for member in self._cast() for player in member.each()]
            if self.desk.agent in names:
                step = 1 if event.key() == Qt.Key.Key_Down else -1
                self.desk.select_agent(names[(names.index(self.desk.agent) + step) % len(names)])
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), self.palette_.ground)
        key = (id(self.desk.current), self.desk.scenario, self.desk.agent, self.desk.tape.ticks, id(self.palette_))
        self._pictures.draw(painter, QRectF(self.rect()), "lanes", key, self._lanes)
        if self._top() > TOP:
            strip = QRectF(0, 0, self.width(), self._top())
            cues = (self.desk.scenario, self.ruler.held, self.desk.tape.ticks, id(self.palette_))
            self._pictures.draw(painter, strip, "cues", cues, self._cues)
        if self.desk.take is not None:
            self._window(painter)
            x = self.x_of(self.desk.playhead)
            painter.fillRect(QRectF(x - 1, 1, 2, self.height() - 2), self.palette_.now)
        draw_focus(painter, self, self.palette_)
        painter.end()

    def _cues(self, painter: QPainter, box: QRectF) -> None:
        painter.fillRect(box, self.palette_.ground)
        self.ruler.paint(painter, self.palette_, self.ruler_box())

    def _lanes(self, painter: QPainter, box: QRectF) -> None:
        for place, member in enumerate(self._cast()):
            self._lane(painter, int(self._top()) + place * LANE, member)

    def _player_at(self, y: float) -> str | None:
        """Whose stripe is at a height."""
        lane = int((y - self._top()) // LANE)
        cast = self._cast()
        if not 0 <= lane < len(cast):
            return None
        players = list(cast[lane].each())
        share = (y - self._top() - lane * LANE) / BAR
        return players[max(0, min(len(players) - 1, int(share * len(players))))].name

    def _lane(self, painter: QPainter, top: int, member: Member) -> None:
        players = list(member.each())
        chosen = next((player for player in players if player.name == self.desk.agent), None)
        painter.setFont(body_font(11, bold=chosen is not None))
        painter.setPen(self.palette_.ink if chosen else self.palette_.dim)
        title = member.title or member.name
        if len(players) > 1:
            title = f"{chosen.title} of {len(players)}" if chosen else f"{title} × {len(players)}"
        whole_title = f"{title} ({member.behavior})" if member.behavior else title
        metrics, room = painter.fontMetrics(), LEFT - 18
        fits = metrics.horizontalAdvance(whole_title) <= room
        shown = whole_title if fits else metrics.elidedText(title, Qt.TextElideMode.ElideRight, room)
        painter.drawText(QRectF(12, top, LEFT - 16, BAR), Qt.AlignmentFlag.AlignVCenter, shown)
        painter.setFont(body_font(10))
        whole = QRectF(LEFT, top, self.width() - LEFT - RIGHT, BAR)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self.palette_.rule)
        painter.drawRoundedRect(whole.adjusted(0, BAR / 2 - 1, 0, 1 - BAR / 2), 1, 1)
        high = BAR / len(players)
        for place, player in enumerate(players):
            self._stripe(painter, QRectF(LEFT, top + place * high, whole.width(), high), player.name)
        if chosen is not None and len(players) > 1:
            self._frame(painter, top + players.index(chosen) * high, high)

    def _frame(self, painter: QPainter, top: float, high: float) -> None:
        """Mark the stripe of the copy that is looked at."""
        painter.setBrush(self.palette_.ink)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.drawRect(QRectF(LEFT - 5, top, 3, max(2.0, high)))

    def _stripe(self, painter: QPainter, box: QRectF, name: str) -> None:
        """What led one player when."""
        take, current = self.desk.take, self.desk.current
        if take is None or current is None or name not in take.agents:
            return
        behavior, rows = behavior_of(take, name), current.loaded.leading.get(name, ())
        for lead in current.loaded.leads.get(name, ()):
            colour = self.palette_.leads[rows.index(lead.row_id) % len(self.palette_.leads)]
            bar = QRectF(QPointF(self.x_of(lead.start), box.top()), QPointF(self.x_of(lead.end + 1), box.bottom()))
            self._bar(painter, bar, colour, behavior.row(lead.row_id).name if behavior else "")

    def _bar(self, painter: QPainter, bar: QRectF, colour: QColor, name: str) -> None:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        if bar.height() < BAR:
            painter.fillRect(bar.adjusted(0, 0, -0.5, -0.3), colour)
            return
        painter.drawRoundedRect(bar.adjusted(0, 0, -1, 0), 2, 2)
        if painter.fontMetrics().horizontalAdvance(name) + 8 <= bar.width():
            painter.setPen(QColor("#FFFFFF"))
            painter.drawText(bar.adjusted(5, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, name)

    def _window(self, painter: QPainter) -> None:
        tape = self.desk.tape
        shade = QColor(self.palette_.ink)
        shade.setAlphaF(0.07)
        box = QRectF(QPointF(self.x_of(tape.start), 2), QPointF(self.x_of(tape.end), self.height() - 2))
        painter.setPen(QPen(self.palette_.faint, 1))
        painter.setBrush(shade)
        painter.drawRoundedRect(box, 3, 3)

    def _move(self, event: QMouseEvent) -> None:
        tick = self.tick_at(event.position().x())
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.desk.tape.centre(tick)
        else:
            self.desk.move_playhead(int(tick))

    def _refresh(self) -> None:
        self.updateGeometry()
        self.update()

    def _cast(self) -> tuple[Member, ...]:
        """Those who decide something: a puppet's lane would be empty."""
        scenario = self.desk.scenario
        cast = scenario.cast if scenario else ()
        return tuple(member for member in cast if member.behavior) or cast
