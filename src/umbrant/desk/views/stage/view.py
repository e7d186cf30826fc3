"""The stage at the playhead: who is where, what the selected row is about, and
the puppets' walks to be dragged.
"""

import math

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QEnterEvent,
    QFocusEvent,
    QHelpEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QApplication, QToolTip, QWidget

from umbrant.desk.session.desk import Desk
from umbrant.desk.session.rehearsing import Rehearsing
from umbrant.desk.views.stage.handles import (
    NO_GUIDES,
    Handle,
    in_line,
    setting_handles,
    walk_handles,
)
from umbrant.desk.views.stage.hover import hover_words, parts_of
from umbrant.desk.views.stage.look import look_of, standing_of
from umbrant.desk.views.stage.painting import (
    Projection,
    paint_moving,
    paint_standing,
)
from umbrant.desk.views.stage.picking import (
    FAR_NUDGE_M,
    NUDGE_M,
    PICKING,
    STEPS,
    Picking,
)
from umbrant.desk.views.stage.sketching import Sketching
from umbrant.desk.views.stage.steering import ARROWS, STEERING, Steering
from umbrant.desk.widgets.accessible import AccessiblePart
from umbrant.desk.widgets.painted import (
    FIT_KEY,
    ZOOM_KEYS,
    PaintedView,
    draw_focus,
    paint_with,
)
from umbrant.desk.widgets.pixmaps import PixmapCache
from umbrant.desk.widgets.theme import Palette
from umbrant.model.edits import Edit
from umbrant.model.paths import Path, put
from umbrant.model.staging import Stage
from umbrant.model.values import Point

MARGIN = 14
GRAB, SNAP = 9.0, 6.0
FOLLOWED = 2.5
"""How much larger the stage is drawn when it begins to follow somebody."""
PANNED = 40
"""How far a key moves the stage, in pixels."""
CHOOSING_KEYS = {",": -1, "[": -1, ".": 1, "]": 1}
"""Which handle each chooses, counted from the one that is chosen."""


class StageView(PaintedView):
    """Draws the stage. Wheel zooms, dragging the ground moves it, dragging a
    square changes what stands there.

    While setting up, dragging the ground draws an area, with Ctrl a walk; the
    other mouse buttons move it.
    """

    picked = Signal(object)
    """The path of what the handle belongs to that was taken hold of."""

    def __init__(
        self, desk: Desk, palette: Palette, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.desk = desk
        self.arranging = False
        self.about: Path = ()
        """The path of what the setting's line is about."""
        self.sketching = Sketching(self)
        self.guides = NO_GUIDES
        self.palette_ = palette
        self.setAccessibleName("Stage")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setMinimumSize(200, 72)
        self._pictures = PixmapCache()
        self._written: list[QRectF] = []
        """Where names stand on the ground."""
        self._scale = 1.0
        self._offset = QPointF()
        self._fitted = True
        self._fitted_to: tuple[float, float] | None = None
        """The size of the stage that was fitted, in metres."""
        self._follows = False
        self._held: Handle | None = None
        self.chosen: Path | None = None
        """The path of the handle that is chosen."""
        self._panned_from: QPointF | None = None
        self._drags = 0
        self.steering: Steering | None = None
        self.rehearsing: Rehearsing | None = None
        """The rehearsals that can be held on this stage."""
        self.picking = Picking(self)
        for moved in (
            desk.playhead_moved,
            desk.agent_changed,
            desk.take_changed,
        ):
            moved.connect(self._keep_agent)
        desk.project_changed.connect(self._keep_fitted)
        paint_with(desk, self)

    def heading(self) -> str:
        """What can be done on it now."""
        if self.live is not None:
            return "arrows · E event · D drop · Esc"
        if self.arranging:
            return "drag: an area · Enter: more"
        return "wheel zooms · drag squares"

    @property
    def is_handled(self) -> bool:
        """Whether somebody is about to take hold of something: then what can
        be held is drawn larger.
        """
        return self.arranging or self.hasFocus() or self.underMouse()

    # geometry

    def sizeHint(self) -> QSize:
        return QSize(480, 270)

    def fit(self) -> None:
        """Scale and centre the stage so that all of it is shown."""
        stage = self.shown_stage()
        if stage is None:
            return
        wide, high = self.width() - 2 * MARGIN, self.height() - 2 * MARGIN
        self._scale = max(
            1.0, min(wide / stage.width_m, high / stage.height_m)
        )
        left = (self.width() - stage.width_m * self._scale) / 2
        top = (self.height() - stage.height_m * self._scale) / 2
        self._offset = QPointF(left, top + stage.height_m * self._scale)
        self._fitted = True
        self._fitted_to = stage.width_m, stage.height_m
        self.update()

    def _keep_fitted(self) -> None:
        """Fit the stage anew where it is another one, or of another size."""
        stage = self.shown_stage()
        if (
            self._fitted
            and stage is not None
            and self._fitted_to != (stage.width_m, stage.height_m)
        ):
            self.fit()

    def zoom(self, factor: float, around: QPointF | None = None) -> None:
        """Draw larger (a factor above 1) or smaller, keeping a place of the
        widget where it is.
        """
        centre = around or QPointF(self.width() / 2, self.height() / 2)
        scale = max(2.0, min(400.0, self._scale * factor))
        self._offset = centre + (self._offset - centre) * (scale / self._scale)
        self._scale = scale
        self._fitted = False
        self._keep_agent()
        self.update()

    def follow(self, on: bool) -> None:
        """Keep the one who is looked at in the middle, drawn larger if all of
        the stage was shown; or do so no more.
        """
        self._follows = on
        if on and self._fitted:
            self.zoom(FOLLOWED)
        self._keep_agent()
        self.update()

    def _keep_agent(self) -> None:
        """Put the one who is followed into the middle."""
        found = None
        if self._follows:
            found = self.place_of(self.desk.agent)
        if found is not None and not self._fitted:
            middle = QPointF(self.width() / 2, self.height() / 2)
            self._offset += middle - self.to_pixels(found[0])

    @property
    def projection(self) -> Projection:
        """Where places of the stage are drawn."""
        return Projection(self._scale, self._offset.x(), self._offset.y())

    def to_pixels(self, place: Point) -> QPointF:
        """Where a place of the stage is drawn."""
        return self.projection.to_pixels(place)

    def to_size(self, metres: float) -> float:
        """How many pixels a length is drawn with."""
        return self.projection.to_size(metres)

    def to_stage(self, pixel: QPointF, digits: int = 1) -> Point:
        """The place of the stage that is drawn at a pixel, on a grid of 0.1 m,
        or of so many digits.
        """
        moved = pixel - self._offset
        return round(moved.x() / self._scale, digits), round(
            -moved.y() / self._scale, digits
        )

    def snapped(self, to: Point, path: Path = ()) -> Point:
        """A point in line with another that is drawn, if it is nearly so. What
        it is in line with is shown.
        """
        others = [each.at for each in self.handles() if each.path != path]
        to, self.guides = (
            in_line(to, others, SNAP / self._scale)
            if self.arranging
            else (to, NO_GUIDES)
        )
        return to

    def handles(self) -> list[Handle]:
        """What can be dragged: points of walks; while setting up also places,
        things, starts and corners.
        """
        stage, scenario = self.shown_stage(), self.desk.scenario
        if stage is None or scenario is None:
            return []
        handles = list(walk_handles(scenario))
        if self.arranging:
            handles.extend(setting_handles(stage, scenario))
        return handles

    def arrange(self, on: bool) -> None:
        """Let all that stands on the stage be dragged, or only walks."""
        self.arranging = on
        self.chosen = None
        self.update()

    def choose(self, path: Path) -> None:
        """Mark the handle of what a path leads to, if it has one."""
        self.about = path
        for handle in self.handles():
            if handle.about == path:
                self.chosen = handle.path
                self.update()
                return

    def place_of(self, name: str) -> tuple[Point, float] | None:
        """Where one of the cast is at the playhead, and its heading."""
        if self.rehearsing is not None and self.rehearsing.frame is not None:
            return self.rehearsing.place_of(name)
        take = self.desk.take
        if take is None:
            scenario = self.desk.scenario
            member = None
            if scenario:
                member = scenario.find_player(name)
            if member:
                return (member.start, member.facing_deg)
            return None
        poses = take.poses.get(name)
        if poses is None or self.desk.playhead >= len(poses):
            return None
        x, y, heading = poses[self.desk.playhead].tolist()
        if math.isnan(x):
            return None
        return ((x, y), heading)

    # events

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if self._fitted:
            self.fit()
        self._keep_agent()

    def wheelEvent(self, event: QWheelEvent) -> None:
        if event.angleDelta().y() > 0:
            factor = 1.15
        else:
            factor = 1 / 1.15
        self.zoom(factor, event.position())

    def hold_rehearsals(self, rehearsing: Rehearsing) -> None:
        """Let a hand steer on this stage while a rehearsal goes on."""
        self.rehearsing = rehearsing
        self.steering = Steering(self.desk, rehearsing, self)
        rehearsing.changed.connect(self.update)

    @property
    def live(self) -> Rehearsing | None:
        """The rehearsal that is going on; None while a take is shown."""
        if self.rehearsing is not None and self.rehearsing.active:
            return self.rehearsing
        return None

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if (
            self.live is None
            or self.steering is None
            or not self.steering.key(event, down=False)
        ):
            super().keyReleaseEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.live is not None and self.steering is not None:
            self.steering.towards(
                self.to_stage(event.position()), event.modifiers()
            )
            return
        if self.picking.active:
            self.picking.pick(self.to_stage(event.position()))
            return
        handle = self._handle_at(event.position())
        left = event.button() is Qt.MouseButton.LeftButton
        if handle is not None and left:
            self._held, self.chosen = handle, handle.path
            self._drags += 1
            self.picked.emit(handle.about)
        else:
            name = self._agent_at(event.position())
            if name is not None and left:
                self.desk.select_agent(name)
            elif self.arranging and left:
                self.sketching.begin(event.position(), event.modifiers())
            else:
                self._panned_from = event.position()
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self.live is not None and self.steering is not None:
            if event.buttons():
                self.steering.towards(
                    self.to_stage(event.position()), event.modifiers()
                )
            return
        if self._held is not None:
            free = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
            if free:
                to = self.to_stage(event.position(), 2)
            else:
                to = self.to_stage(event.position(), 1)
                to = self.snapped(to, self._held.path)
            self._move_point(self._held, to, f"drag {self._drags}")
        elif self.sketching.active:
            self.sketching.go_on(event.position())
        elif self._panned_from is not None and event.buttons():
            self._pan(event.position())
        else:
            grabs = self._handle_at(event.position()) is not None
            if self.arranging:
                empty = Qt.CursorShape.CrossCursor
            else:
                empty = Qt.CursorShape.ArrowCursor
            if grabs:
                cursor = Qt.CursorShape.SizeAllCursor
            else:
                cursor = empty
            self.setCursor(cursor)

    def _pan(self, to: QPointF) -> None:
        """Move the ground with the hand. One that trembles in a click does
        not: from then on the stage would no longer be fitted to its room.
        """
        moved = to - (self._panned_from or to)
        if (
            self._fitted
            and moved.manhattanLength() < QApplication.startDragDistance()
        ):
            return
        self._offset += moved
        self._panned_from = to
        self._fitted = False
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self.live is not None:
            self.live.steer(0.0, 0.0)
            return
        if self._held is not None:
            self.desk.documents.history.settle()
        self._held = self._panned_from = None
        self.guides = NO_GUIDES
        if self.sketching.active:
            self.sketching.end()
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self.arranging:
            self.sketching.offer(event.position())
        else:
            self.fit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if (
            self.live is not None
            and self.steering is not None
            and self.steering.key(event, down=True)
        ):
            return
        if self.picking.active and self.picking.key(event):
            return
        step = STEPS.get(Qt.Key(event.key()))
        if event.text() in ZOOM_KEYS:
            self.zoom(ZOOM_KEYS[event.text()])
        elif event.text() == FIT_KEY:
            self.fit()
        elif step is not None:
            far = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self._step(step, FAR_NUDGE_M if far else NUDGE_M)
        elif event.text() in CHOOSING_KEYS:
            self._choose_next(CHOOSING_KEYS[event.text()])
        elif self.arranging and event.key() in (
            Qt.Key.Key_Return,
            Qt.Key.Key_Enter,
        ):
            self.sketching.offer(self._chosen_place())
        elif (
            self.arranging
            and event.key() == Qt.Key.Key_Delete
            and self.chosen is not None
        ):
            chosen, self.chosen = self.chosen, None
            self.sketching.delete(chosen)
        elif event.key() == Qt.Key.Key_Escape:
            self.chosen = None
            self.update()
        else:
            super().keyPressEvent(event)

    def event(self, event: QEvent) -> bool:
        """Arrow keys belong to the chosen point of a walk while the stage has
        the keyboard.
        """
        if (
            isinstance(event, QKeyEvent)
            and event.type() == QKeyEvent.Type.ShortcutOverride
        ):
            steering = self.live is not None and event.key() in STEERING
            picking = self.picking.active and event.key() in PICKING
            adding = self.arranging and event.key() in (
                Qt.Key.Key_Return,
                Qt.Key.Key_Enter,
                Qt.Key.Key_Delete,
            )
            panned = event.key() in ARROWS and (
                self.chosen is not None or not self._fitted
            )
            if steering or adding or picking or panned:
                event.accept()
                return True
        if (
            isinstance(event, QHelpEvent)
            and event.type() == QEvent.Type.ToolTip
        ):
            QToolTip.showText(
                event.globalPos(), self.words_at(QPointF(event.pos())), self
            )
            return True
        return super().event(event)

    def parts(self) -> list[AccessiblePart]:
        """Everyone and everything on the stage, for a screen reader."""
        stage, scenario = self.shown_stage(), self.desk.scenario
        if stage is None or scenario is None:
            return []
        return list(parts_of(self, stage, scenario))

    def words_at(self, pixel: QPointF) -> str:
        """What stands at a place of the widget, in words; empty for bare
        ground.
        """
        stage, scenario = self.shown_stage(), self.desk.scenario
        if stage is None or scenario is None:
            return ""
        return hover_words(self, stage, scenario, pixel)

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        self.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self.update()

    def _step(self, step: tuple[int, int], metres: float) -> None:
        """Move what is chosen; without that, look at what lies further in a
        direction.
        """
        if self.chosen is not None:
            self._nudge(step, metres)
            return
        self._offset += QPointF(-step[0] * PANNED, step[1] * PANNED)
        self._fitted = False
        self.update()

    def _chosen_place(self) -> QPointF:
        """Where the chosen handle is, in pixels; the middle without one."""
        for handle in self.handles():
            if handle.path == self.chosen:
                return self.to_pixels(handle.at)
        return QPointF(self.rect().center())

    def _choose_next(self, step: int) -> None:
        known = [handle.path for handle in self.handles()]
        if known:
            index = 0
            if self.chosen in known:
                index = known.index(self.chosen) + step
            self.chosen = known[index % len(known)]
            self.picked.emit(self.handles()[index % len(known)].about)
            self.update()

    def _nudge(self, step: tuple[int, int], metres: float) -> None:
        if self.chosen is None:
            return
        for handle in self.handles():
            if handle.path == self.chosen:
                to = (
                    round(handle.at[0] + step[0] * metres, 2),
                    round(handle.at[1] + step[1] * metres, 2),
                )
                self._move_point(handle, to, f"nudge {self.chosen}")

    def _move_point(self, handle: Handle, to: Point, merges: str) -> None:
        stage = self.shown_stage()
        if stage is None:
            return
        inside = (
            max(0.0, min(stage.width_m, to[0])),
            max(0.0, min(stage.height_m, to[1])),
        )
        self.desk.apply(
            Edit(
                f"Move {handle.label}",
                lambda p: put(p, handle.path, inside),
                merges,
            )
        )

    def _handle_at(self, pixel: QPointF) -> Handle | None:
        near = [
            (self._apart(handle.at, pixel), handle)
            for handle in self.handles()
        ]
        best = min(near, key=lambda each: each[0], default=None)
        if best and best[0] <= GRAB:
            return best[1]
        return None

    def _agent_at(self, pixel: QPointF) -> str | None:
        scenario = self.desk.scenario
        for member in scenario.players if scenario else ():
            found = self.place_of(member.name)
            if found is not None and self._apart(found[0], pixel) <= GRAB + 4:
                return member.name
        return None

    def _apart(self, place: Point, pixel: QPointF) -> float:
        away = self.to_pixels(place) - pixel
        return math.hypot(away.x(), away.y())

    def shown_stage(self) -> Stage | None:
        """The stage of the scenario that is played."""
        scenario = self.desk.scenario
        if scenario:
            return self.desk.project.find_stage(scenario.stage)
        return None

    # painting

    def draw(self, painter: QPainter) -> None:
        """What does not move by itself is kept as a picture."""
        palette = self.palette_
        painter.fillRect(self.rect(), palette.ground)
        stage, scenario = self.shown_stage(), self.desk.scenario
        if stage is None or scenario is None:
            painter.setPen(palette.dim)
            painter.drawText(
                self.rect(),
                Qt.AlignmentFlag.AlignCenter,
                "This project has no stage to show.",
            )
            return
        projection, area = self.projection, QRectF(self.rect())
        key = (
            stage,
            scenario,
            projection,
            self.chosen,
            self.arranging,
            self.is_handled,
            palette.name,
        )

        def standing(on: QPainter, box: QRectF) -> None:
            self._written = paint_standing(
                on, standing_of(self, stage, scenario), projection, palette
            )

        self._pictures.draw(painter, area, "ground", key, standing)
        look = look_of(self, stage, scenario)
        paint_moving(
            painter,
            stage,
            look,
            projection,
            area.size(),
            self._written,
            palette,
        )
        self.sketching.paint(painter)
        self.picking.paint(painter)
        if self.live is None:
            draw_focus(painter, self, palette)

    def enterEvent(self, event: QEnterEvent) -> None:
        super().enterEvent(event)
        self.update()

    def leaveEvent(self, event: QEvent) -> None:
        super().leaveEvent(event)
        self.update()
