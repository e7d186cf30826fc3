"""Rehearsing: a scenario played tick by tick while a hand steers a puppet and does what cues do.

What the hand does is written into the scenario afterwards, so that rolling it repeats the rehearsal
exactly: the same things happen at the same places within the same ticks.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.kind import Catalog
from umbrant.engine.project_calls import UNWATCHED, CallWatch
from umbrant.model.documents import Project
from umbrant.model.staging import Cue, CueAction, Push, Scenario
from umbrant.model.values import Document, Point, find_named
from umbrant.rolling.roll import Play, RollOrder, played
from umbrant.take.recorder import TakeRecorder


class SteeringInput(Document):
    """What the hand does at one tick: how it pushes the puppet (None: as
    before), and actions.
    """

    push: Point | None = None
    cue_actions: tuple[CueAction, ...] = ()


class RehearsalFrame(Document):
    """Positions, props and speech at the beginning of a tick, for a window to
    draw.
    """

    tick: int
    poses: dict[str, tuple[float, float, float]]
    """Place in metres and heading in degrees of each body on the stage."""
    props: dict[str, tuple[float, float, float]]
    """Place and level of each prop on the stage."""
    said: tuple[tuple[str, str], ...] = ()


@dataclass
class SteeringTrack:
    """What the hand has done so far."""

    steps: list[Push] = field(default_factory=list)
    cues: list[Cue] = field(default_factory=list)


class Rehearsal:
    """A scenario being rehearsed. `record` is given the scenario as it is
    played, and makes what records it. Until `from_tick` it is played as it is;
    from then on the hand has the puppet.
    """

    def __init__(
        self,
        order: RollOrder,
        puppet: str,
        record: Callable[[Scenario], TakeRecorder],
        catalog: Catalog = BUILTIN,
        watch: CallWatch = UNWATCHED,
        from_tick: int = 0,
    ) -> None:
        scenario = without_steering(played(order), puppet, from_tick)
        self.track = SteeringTrack()
        self.scenario = scenario
        """The scenario as it is rehearsed: the puppet stands and waits for the
        hand.
        """
        self.ticks = scenario.tick_count
        self._rate = scenario.ticks_per_s
        self._puppet = puppet
        self._tick = 0
        self._push: Point | None = None
        self._recorder = record(scenario)
        self._play = Play(
            order.project, scenario, self._recorder, catalog, watch
        )
        for tick in range(from_tick):
            self._play.tick(tick)
        self._tick = from_tick

    @property
    def over(self) -> bool:
        """Whether the scenario has been played to its end."""
        return self._tick >= self.ticks

    def step(self, hand: SteeringInput) -> RehearsalFrame:
        """Play one tick with what the hand does at its beginning."""
        steered: tuple[str, Point] | None = None
        if hand.push is not None and hand.push != self._push:
            self._push, steered = hand.push, (self._puppet, hand.push)
            self.track.steps.append(Push(tick=self._tick, push=hand.push))
        at_s = self._tick / self._rate
        self.track.cues.extend(
            Cue(at_s=at_s, does=action, by_hand=True)
            for action in hand.cue_actions
        )
        self._play.tick(self._tick, hand.cue_actions, steered)
        self._tick += 1
        return self._frame()

    def close(self) -> None:
        """End it; what was recorded is handed over as far as it went."""
        self._recorder.end_chunk()

    def _frame(self) -> RehearsalFrame:
        world = self._play.world
        poses = {
            body.name: (*body.place, body.heading_deg)
            for body in world.cast.values()
            if body.here
        }
        props = {
            prop.name: (*prop.place, prop.level)
            for prop in world.all_props.values()
            if prop.here
        }
        return RehearsalFrame(
            tick=self._tick,
            poses=poses,
            props=props,
            said=tuple(self._recorder.just_said()),
        )


def without_steering(
    scenario: Scenario, puppet: str, from_tick: int = 0
) -> Scenario:
    """The scenario with the puppet standing from a tick on, waiting for a
    hand, and without what an earlier hand did from then on.
    """
    still = Push(tick=from_tick, push=(0.0, 0.0))
    before = tuple(
        step for step in scenario.member(puppet).steps if step.tick < from_tick
    )
    standing = _with_steps(scenario, puppet, (*before, still))
    begins_s = from_tick / scenario.ticks_per_s
    cues = (
        cue
        for cue in scenario.cues
        if not cue.by_hand or (cue.at_s or 0.0) < begins_s
    )
    return standing.model_copy(update={"cues": tuple(cues)})


def with_track(
    project: Project,
    scenario: str,
    puppet: str,
    steps: Sequence[Push],
    cues: Sequence[Cue],
    from_tick: int = 0,
) -> Project:
    """The project with what a hand did from a tick on written into a scenario,
    in place of what an earlier hand did from then on.
    """
    before = without_steering(project.scenario(scenario), puppet, from_tick)
    first = before.member(puppet).steps
    # It stands until the hand does something; a push at once takes the place
    # of standing.
    if steps and steps[0].tick == from_tick:
        first = first[:-1]
    after = _with_steps(before, puppet, (*first, *steps))
    return project.with_scenario(
        after.model_copy(update={"cues": (*before.cues, *cues)})
    )


def _with_steps(
    scenario: Scenario, puppet: str, steps: tuple[Push, ...]
) -> Scenario:
    """The scenario with a puppet steered in this way. One of several copies
    cannot be: its member is written once for all of them.
    """
    steered = find_named(scenario.cast, puppet)
    if steered is None:
        return scenario
    return scenario.with_member(steered.model_copy(update={"steps": steps}))
