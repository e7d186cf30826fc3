"""The cues of a scenario on the time of the lanes: where each stands, and
dragging one to another time.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import partial

from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QMenu, QWidget

from umbrant.desk.session.desk import Desk
from umbrant.desk.views.setting.adding import cueing
from umbrant.desk.widgets.time_scale import TimeScale
from umbrant.model.edits import Edit
from umbrant.model.paths import Path, put
from umbrant.model.staging import (
    Cue,
    CueAction,
    DropProp,
    HoldResult,
    MoveTo,
    RaiseEvent,
    SetKey,
    SetNumber,
    TakeAway,
)
from umbrant.model.values import value_text

GRAB = 7.0
"""How near a mark is taken hold of, in pixels."""


@dataclass(frozen=True)
class Mark:
    """A cue that has a time, with the path that leads to it."""

    path: Path
    at_s: float
    text: str


def marks(desk: Desk) -> Iterator[Mark]:
    """The cues with a time of the scenario that is played."""
    scenario = desk.scenario
    for index, cue in enumerate(scenario.cues if scenario else ()):
        if cue.at_s is not None and not cue.when and scenario is not None:
            yield Mark(
                ("scenarios", scenario.name, "cues", index),
                cue.at_s,
                cue_action_text(cue.does),
            )


def cue_action_text(does: CueAction) -> str:
    """What a cue does, in a word or two."""
    match does:
        case RaiseEvent():
            return does.raises
        case SetKey():
            return f"{does.sets} = {value_text(does.value)}"
        case MoveTo():
            return f"{does.moves} comes"
        case DropProp():
            return f"drop {does.drops.name}"
        case TakeAway():
            return f"{does.removes} goes"
        case SetNumber():
            return f"{does.changes} = {value_text(does.value)}"
        case HoldResult():
            return f"{does.of}: {does.result}"


class CueRuler:
    """The marks of the cues above the lanes, under the hand. `scale` says
    where each tick stands.
    """

    def __init__(
        self, desk: Desk, parent: QWidget, scale: Callable[[], TimeScale]
    ) -> None:
        self._desk = desk
        self._parent = parent
        self._scale = scale
        self._held: Mark | None = None
        self._drags = 0
        self.menu: QMenu | None = None

    @property
    def held(self) -> Mark | None:
        """The mark that is being dragged."""
        return self._held

    def mark_at(self, x: float) -> Mark | None:
        """The mark at a place."""
        near = [(abs(self.x_of(each) - x), each) for each in marks(self._desk)]
        best = min(near, key=lambda each: each[0], default=None)
        if best is not None and best[0] <= GRAB:
            return best[1]
        return None

    def x_of(self, mark: Mark) -> float:
        """The x of a tick, in pixels."""
        return self._scale().x_of(mark.at_s * self.ticks_per_s)

    def press(self, x: float) -> Mark | None:
        """Take hold of the mark at a place, if there is one."""
        self._held = self.mark_at(x)
        self._drags += 1
        return self._held

    def drag(self, x: float) -> None:
        """Move the mark that is held."""
        scenario = self._desk.scenario
        if self._held is None or scenario is None:
            return
        at_s = round(
            max(
                0.0,
                min(
                    scenario.seconds,
                    self._scale().tick_at(x) / self.ticks_per_s,
                ),
            ),
            1,
        )
        path = (*self._held.path, "at_s")
        self._desk.apply(
            Edit(
                f"Move the cue {self._held.text}",
                lambda p: put(p, path, at_s),
                f"cue {self._drags}",
            )
        )

    def release(self) -> None:
        """End the drag of a mark."""
        if self._held is not None:
            self._desk.documents.history.settle()
        self._held = None

    def offer(self, place: QPoint) -> None:
        """Offer cues for the time at a place."""
        scenario = self._desk.scenario
        if scenario is None:
            return
        at_s = round(
            max(
                0.0,
                min(
                    scenario.seconds,
                    self._scale().tick_at(place.x()) / self.ticks_per_s,
                ),
            ),
            1,
        )
        path: Path = ("scenarios", scenario.name)
        menu = QMenu(self._parent)
        menu.setAccessibleName(f"Cues at {at_s:g} s")
        for addition in cueing(path, self._desk.project):
            title = addition.title.removeprefix("Cue: ")
            cue: Cue = addition.make(self._desk.project).model_copy(
                update={"at_s": at_s}
            )
            menu.addAction(
                f"at {at_s:g} s {title}", partial(self._add, title, cue)
            )
        self.menu = menu
        menu.popup(self._parent.mapToGlobal(place))

    def _add(self, title: str, cue: Cue) -> None:
        scenario = self._desk.scenario
        if scenario is not None:
            path = ("scenarios", scenario.name, "cues")
            cues = (*scenario.cues, cue)
            self._desk.apply(
                Edit(
                    f"Add a cue: {title}",
                    lambda project: put(project, path, cues),
                )
            )

    @property
    def ticks_per_s(self) -> int:
        """The tick rate of the scenario that is played."""
        scenario = self._desk.scenario
        if scenario:
            return scenario.ticks_per_s
        return 20
