"""Rehearsing in the window: the scenario plays in real time, and the author's
hand steers a puppet and acts.
"""

import math
from dataclasses import dataclass

from PySide6.QtCore import QObject, QTimer, Signal

from umbrant.desk.session.desk import Desk
from umbrant.desk.session.numbered_take import NumberedTake
from umbrant.desk.session.playback import Playback
from umbrant.model.documents import Project
from umbrant.model.edits import Edit
from umbrant.model.staging import (
    Cue,
    CueAction,
    DropProp,
    Member,
    Prop,
    Push,
    RaiseEvent,
    Scenario,
)
from umbrant.model.values import Point, find_named
from umbrant.rolling.orders import Reply
from umbrant.rolling.rehearse import RehearsalFrame, SteeringInput, with_track
from umbrant.rolling.roll import RollOrder


class Rehearsing(QObject):
    """Runs one rehearsal at a time. A tick is requested when its time has come
    and the one before has been answered.
    """

    changed = Signal()
    """It began, a frame came, or it ended."""
    switched = Signal()
    """It began, or it ended."""

    def __init__(self, desk: Desk, player: Playback) -> None:
        super().__init__(desk)
        self.desk = desk
        self.frame: RehearsalFrame | None = None
        self.puppet: Member | None = None
        self._player = player
        self._push: Point = (0.0, 0.0)
        self._cue_actions: list[CueAction] = []
        self._waiting = False
        self._dropped = 0
        self._origin: _Origin | None = None
        """The take that the hand goes on from; None for a rehearsal from the
        first tick.
        """
        self._is_followed = False
        """Whether the views show what there is of the take: until the author
        ends it.
        """
        self._rate = 1
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._next)
        desk.take_changed.connect(self._follow)
        desk.takes.roller.stepped.connect(self._stepped)
        desk.takes.roller.failed.connect(lambda _: self._stop())
        desk.takes.roller.busy_changed.connect(self._interrupted)

    @property
    def active(self) -> bool:
        """Whether a rehearsal is going on."""
        return self.puppet is not None

    def start(self) -> None:
        """Rehearse the scenario with the puppet that is looked at, or the
        first one.
        """
        scenario = self.desk.scenario
        chosen = None
        if scenario:
            chosen = _puppet(scenario, self.desk.agent)
        if scenario is None or chosen is None:
            self.desk.message.emit(
                "There is no puppet to steer: give the scenario one of the cast without a behavior."
            )
            return
        if not self.desk.rehearse(chosen.name):
            return
        self._origin = None
        self._begin(scenario, chosen)

    def start_from(self) -> None:
        """Take over a puppet by hand from the playhead on: what comes is a
        branch of the take that is shown.
        """
        desk, current = self.desk, self.desk.takes.current
        if current is None or not current.is_finished:
            desk.message.emit("There is no take to go on from yet.")
            return
        header, tick = current.loaded.take.header, desk.playhead
        chosen = _puppet(header.played, desk.agent)
        if chosen is None:
            desk.message.emit("There is no puppet to steer in this take.")
            return
        if tick >= current.loaded.take.last_tick:
            desk.message.emit(
                "The take ends here. Go back to where the hand is to take over."
            )
            return
        self._origin = _Origin(current, tick)
        desk.takes.roller.rehearse(
            self._origin.order(desk, header.project), chosen.name, tick
        )
        self._begin(header.played, chosen)

    def _begin(self, scenario: Scenario, chosen: Member) -> None:
        self._is_followed = True
        self._rate = scenario.ticks_per_s
        self._player.pause()
        self.puppet, self.frame = chosen, None
        self._push, self._cue_actions, self._waiting = (0.0, 0.0), [], True
        self._timer.start(
            int(1000 / scenario.ticks_per_s / min(1.0, self._player.speed))
        )
        who = chosen.title or chosen.name
        self.desk.message.emit(
            f"Rehearsing: arrow keys or the mouse steer {who}, E raises an event, D drops, Esc "
            "ends."
        )
        self.switched.emit()
        self.changed.emit()

    def finish(self) -> None:
        """End it, and write what the hand did into the scenario."""
        if self.active:
            self._timer.stop()
            self._is_followed = False
            self.desk.takes.stop_looking()
            self.desk.takes.roller.end_rehearsal()

    def steer(self, across: float, up: float, *, run: bool = False) -> None:
        """Push the puppet in a direction at its walking or running pace; (0,
        0) lets it stand.
        """
        if self.puppet is None:
            return
        length = math.hypot(across, up)
        if run:
            pace = self.puppet.body.run_m_s
        else:
            pace = self.puppet.body.walk_m_s
        if not length:
            self._push = (0.0, 0.0)
        else:
            self._push = (
                round(across / length * pace, 3),
                round(up / length * pace, 3),
            )

    def raise_event(self, event: str) -> None:
        """Raise an event that all hear."""
        self._cue_actions.append(RaiseEvent(raises=event))

    def drop(self, group: str, at: Point | None = None) -> None:
        """Put a new prop of a group where the puppet stands, or elsewhere."""
        here = None
        if self.puppet:
            here = self.place_of(self.puppet.name)
        where = at or (here[0] if here else None)
        if where is not None:
            self._dropped += 1
            name = f"{group}_by_hand_{self._dropped}"
            self._cue_actions.append(
                DropProp(
                    drops=Prop(
                        name=name,
                        group=group,
                        at=(round(where[0], 2), round(where[1], 2)),
                    )
                )
            )

    def place_of(self, name: str) -> tuple[Point, float] | None:
        """Where one of the cast is in the rehearsal, and its heading."""
        pose = None
        if self.frame:
            pose = self.frame.poses.get(name)
        if pose:
            return ((pose[0], pose[1]), pose[2])
        return None

    def said_by(self, name: str) -> str:
        """What one of the cast says at this tick."""
        for who, text in self.frame.said if self.frame else ():
            if who == name:
                return text
        return ""

    def _next(self) -> None:
        if not self._waiting:
            self._waiting = True
            self.desk.takes.roller.step(
                SteeringInput(
                    push=self._push, cue_actions=tuple(self._cue_actions)
                )
            )
            self._cue_actions = []

    def _stepped(self, reply: Reply) -> None:
        """A tick was played, or the rehearsal is over."""
        self._waiting = False
        puppet = self.puppet
        if puppet is None:
            return
        if reply.take is None:
            self.frame = reply.frame or self.frame
            self.changed.emit()
            self._look()
            return
        # What the hand did is in the reply, and is rolled anew; the take of
        # the rehearsal itself is not shown.
        reply.take.unlink(missing_ok=True)
        scenario, steps, cues = (
            self.desk.scenario_name,
            reply.steps,
            reply.cues,
        )
        origin = self._origin
        self._stop()
        if origin is not None:
            self._branch(origin, puppet, steps, cues)
        elif steps or cues:
            edit = Edit(
                "Rehearse",
                lambda project: with_track(
                    project, scenario, puppet.name, steps, cues
                ),
            )
            self.desk.apply(edit)
        else:
            self.desk.roll()

    def _branch(
        self,
        origin: "_Origin",
        puppet: Member,
        steps: tuple[Push, ...],
        cues: tuple[Cue, ...],
    ) -> None:
        """Roll what the hand did as a branch of the take that it began in; if
        that was nothing, the puppet stands from there on.
        """
        desk, header = self.desk, origin.parent.loaded.take.header
        changed = with_track(
            header.project,
            header.scenario,
            puppet.name,
            steps,
            cues,
            origin.tick,
        )
        who = puppet.title or puppet.name
        order = origin.order(desk, changed, is_branch=True)
        desk.takes.branch(order, f"{who} by hand", origin.parent)

    def _look(self) -> None:
        """Once a second, have all views show what there is of the take."""
        tick = 0
        if self.frame is not None:
            tick = self.frame.tick
        if tick and tick % self._rate == 0 and self._is_followed:
            self.desk.takes.look()

    def _follow(self) -> None:
        """Look at the last tick that there is."""
        take = self.desk.take
        if self.active and take is not None:
            self.desk.move_playhead(take.last_tick)

    def _interrupted(self, busy: bool) -> None:
        """A take is rolled meanwhile, for the project was changed: the worker
        plays the rehearsal no further.
        """
        if busy and self.active:
            self._stop()
            self.desk.message.emit(
                "The rehearsal has ended, for the project was changed and is rolled anew."
            )

    def _stop(self) -> None:
        if self.active:
            self._timer.stop()
            self.puppet, self.frame, self._is_followed = None, None, False
            self.desk.takes.stop_looking()
            self.switched.emit()
            self.changed.emit()


@dataclass(frozen=True)
class _Origin:
    """The take that a hand goes on from, and the tick."""

    parent: NumberedTake
    tick: int

    def order(
        self, desk: Desk, project: Project, *, is_branch: bool = False
    ) -> RollOrder:
        """The order to play a project as the take was played."""
        header = self.parent.loaded.take.header
        branched_at = None
        if is_branch:
            branched_at = self.tick
        return RollOrder(
            project,
            header.scenario,
            desk.takes.next_file(),
            header.seed,
            header.ticks / header.ticks_per_s,
            desk.documents.may_run_nodes
            and header.project.nodes == desk.project.nodes,
            branched_at=branched_at,
        )


def _puppet(scenario: Scenario, agent: str) -> Member | None:
    """The one to steer: who is looked at if it is a puppet, else the first
    puppet of the cast.
    """
    puppets = [member for member in scenario.cast if member.behavior is None]
    first = None
    if puppets:
        first = puppets[0]
    return find_named(puppets, agent) or first
