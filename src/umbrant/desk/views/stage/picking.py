"""Picking a point on the stage: with the mouse, or by walking a cross there
with the arrow keys.
"""

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QKeyEvent, QPainter, QPen

from umbrant.model.values import Point

if TYPE_CHECKING:
    from umbrant.desk.views.stage.view import StageView

NUDGE_M, FAR_NUDGE_M = 0.1, 1.0
"""How far an arrow key moves something, and with Shift."""
STEPS = {
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, 1),
    Qt.Key.Key_Down: (0, -1),
}
PICKING = (*STEPS, Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape)
"""The keys that belong to the stage while a point is picked."""
ARM = 9.0


class Picking:
    """Waits for a point whenever the desk wants one."""

    def __init__(self, view: "StageView") -> None:
        self._view = view
        self._picked: Callable[[Point], None] | None = None
        self.cross: Point = (0.0, 0.0)
        """Where the cross is that the keyboard moves."""
        view.desk.point_wanted.connect(self._begin)

    @property
    def active(self) -> bool:
        """Whether a point is waited for."""
        return self._picked is not None

    def pick(self, point: Point | None) -> None:
        """A point was picked, or none: it is over."""
        picked, self._picked = self._picked, None
        self._view.setCursor(Qt.CursorShape.ArrowCursor)
        self._view.desk.message.emit("")
        if picked is not None and point is not None:
            picked((round(point[0], 2), round(point[1], 2)))
        self._view.update()

    def key(self, event: QKeyEvent) -> bool:
        """Move the cross, take its point, or leave; says whether the key was
        one of those.
        """
        key = Qt.Key(event.key())
        step = STEPS.get(key)
        if step is not None:
            if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
                metres = FAR_NUDGE_M
            else:
                metres = NUDGE_M
            self.cross = (
                self.cross[0] + step[0] * metres,
                self.cross[1] + step[1] * metres,
            )
            self._view.update()
        elif key in PICKING:
            if key == Qt.Key.Key_Escape:
                self.pick(None)
            else:
                self.pick(self.cross)
        return key in PICKING

    def paint(self, painter: QPainter) -> None:
        """Draw the cross at the point that would be picked."""
        if self.active:
            at = self._view.to_pixels(self.cross)
            painter.setPen(QPen(self._view.palette_.now, 1.5))
            painter.drawLine(at + QPointF(-ARM, 0), at + QPointF(ARM, 0))
            painter.drawLine(at + QPointF(0, -ARM), at + QPointF(0, ARM))

    def _begin(self, picked: Callable[[Point], None]) -> None:
        view, stage = self._view, self._view.shown_stage()
        here = view.place_of(view.desk.agent)
        if stage:
            middle = (stage.width_m / 2, stage.height_m / 2)
        else:
            middle = (0.0, 0.0)
        self._picked, self.cross = picked, here[0] if here else middle
        view.setCursor(Qt.CursorShape.CrossCursor)
        view.setFocus()
        view.update()
