"""A hand on the stage during a rehearsal: keys and the mouse steer the puppet,
E raises an event, D drops a prop.
"""

import math

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QMenu, QWidget

from umbrant.desk.session.desk import Desk
from umbrant.desk.session.rehearsing import Rehearsing
from umbrant.model.values import Point

ARROWS = {
    int(Qt.Key.Key_Left): (-1, 0),
    int(Qt.Key.Key_Right): (1, 0),
    int(Qt.Key.Key_Up): (0, 1),
    int(Qt.Key.Key_Down): (0, -1),
}
STEERING = (
    *ARROWS,
    int(Qt.Key.Key_E),
    int(Qt.Key.Key_D),
    int(Qt.Key.Key_Escape),
)
"""The keys that mean something while a rehearsal goes on, whatever they mean
elsewhere.
"""

NEAR_M = 0.2
"""How near the mouse must be for the puppet to stand."""


class Steering:
    """What keys and the mouse do on one stage while a rehearsal goes on."""

    def __init__(
        self, desk: Desk, rehearsing: Rehearsing, stage: QWidget
    ) -> None:
        self.menu: QMenu | None = None
        self._desk = desk
        self._rehearsing = rehearsing
        self._stage = stage
        self._pressed: set[int] = set()

    def towards(self, to: Point, modifiers: Qt.KeyboardModifier) -> None:
        """Push the puppet towards a place of the stage; with Shift it runs."""
        live = self._rehearsing
        found = None
        if live.puppet:
            found = live.place_of(live.puppet.name)
        if found is not None:
            across, up = to[0] - found[0][0], to[1] - found[0][1]
            if math.hypot(across, up) <= NEAR_M:
                across, up = 0.0, 0.0
            live.steer(
                across,
                up,
                run=bool(modifiers & Qt.KeyboardModifier.ShiftModifier),
            )

    def key(self, event: QKeyEvent, *, down: bool) -> bool:
        """Do what a key means that was pressed or let go. Says whether it
        means anything.
        """
        key = int(event.key())
        if key in ARROWS:
            if not event.isAutoRepeat():
                self._arrow(key, event.modifiers(), down=down)
        elif down and key == Qt.Key.Key_Escape:
            self._rehearsing.finish()
        elif down and key in (Qt.Key.Key_E, Qt.Key.Key_D):
            self._ask(
                self._events() if key == Qt.Key.Key_E else self._groups(),
                event=key == Qt.Key.Key_E,
            )
        else:
            return False
        return True

    def _arrow(
        self, key: int, modifiers: Qt.KeyboardModifier, *, down: bool
    ) -> None:
        if down:
            self._pressed.add(key)
        else:
            self._pressed.discard(key)
        across = sum(ARROWS[each][0] for each in self._pressed)
        up = sum(ARROWS[each][1] for each in self._pressed)
        self._rehearsing.steer(
            across, up, run=bool(modifiers & Qt.KeyboardModifier.ShiftModifier)
        )

    def _events(self) -> list[str]:
        return [each.name for each in self._desk.project.event_list.events]

    def _groups(self) -> list[str]:
        """The groups of the props there are and that cues drop."""
        project = self._desk.project
        standing = [
            prop.group for stage in project.stages for prop in stage.props
        ]
        dropped = [
            cue.does.drops.group
            for each in project.scenarios
            for cue in each.cues
            if hasattr(cue.does, "drops")
        ]
        return list(dict.fromkeys([*dropped, *standing]))

    def _ask(self, names: list[str], *, event: bool) -> None:
        """Offer a list; what is chosen is done at the next tick."""
        menu = QMenu(self._stage)
        accessible_name = "props to drop"
        if event:
            accessible_name = "events to raise"
        menu.setAccessibleName(accessible_name)
        for name in names:
            action = menu.addAction(name)
            do = (
                self._rehearsing.raise_event
                if event
                else self._rehearsing.drop
            )
            action.triggered.connect(
                lambda _=False, name=name, do=do: do(name)
            )
        if not names:
            menu.addAction("There are none in this project.").setEnabled(False)
        self.menu = menu
        menu.popup(self._stage.mapToGlobal(QPoint(12, 24)))
