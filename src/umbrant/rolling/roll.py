"""Playing a scenario into a take, in the process that asks for it.

`roll` runs what it is given right here, so it is for tests, measurements, and
projects whose code is one's own. The window and the command line order takes
of a supervisor (`rolling.supervisor`), which plays them in another process.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.causes import cause
from umbrant.catalog.kind import Catalog
from umbrant.engine.behavior_change import BehaviorChange
from umbrant.engine.project_calls import UNWATCHED, CallWatch
from umbrant.engine.runner import Cast, CastContext, Runner
from umbrant.model.documents import Project
from umbrant.model.folder import document_texts
from umbrant.model.staging import CueAction, Member, Scenario
from umbrant.model.values import Point
from umbrant.project_code import running_catalog
from umbrant.rolling.cues import CuePlayer
from umbrant.rolling.play_recorder import PlayRecorder
from umbrant.stage.world import StageWorld
from umbrant.take.header import Header
from umbrant.take.writer import TakeWriter

CHUNK_AGENT_S = 6000.0
"""How many seconds of play, of all agents together, a chunk of a take has.

However large the cast is, it takes up as much memory. What has come of a chunk
is written when the take is cut short.
"""


@dataclass(frozen=True)
class RollOrder:
    """What to play. `seed` and `seconds` stand in for the scenario's own."""

    project: Project
    scenario: str
    path: Path
    seed: int | None = None
    seconds: float | None = None
    trusted: bool = False
    """Whether the project's own nodes may run."""
    branched_at: int | None = None
    """Of a branch the tick at which it leaves its parent."""
    counts_only: bool = False
    """Whether nothing is recorded but what is counted."""


# It is an answer to being asked to stop, rather than an error.
class RollStopped(Exception):  # noqa: N818
    """A roll was asked to stop before its end. What was recorded is in the
    file.
    """


def never() -> bool:
    """Never asks a roll to stop."""
    return False


def roll(
    order: RollOrder,
    *,
    should_stop: Callable[[], bool] = never,
    catalog: Catalog = BUILTIN,
) -> Path:
    """Play a scenario as fast as it goes, recording everything; returns the
    path of the take.

    Raises TakeError where it cannot be written and RollStopped when
    `should_stop`, asked at every tick, says so.
    """
    scenario = played(order)
    catalog = running_catalog(
        order.project, trusted=order.trusted, base=catalog
    )
    flush_s = chunk_ticks(scenario) / scenario.ticks_per_s
    header = header_of(
        order.project,
        scenario,
        order.branched_at,
        counts_only=order.counts_only,
    )
    with TakeWriter(order.path, header, flush_s) as writer:
        play = Play(order.project, scenario, writer, catalog)
        for tick in range(scenario.tick_count):
            if should_stop():
                raise RollStopped(
                    f"stopped at tick {tick} of {scenario.tick_count}"
                )
            play.tick(tick)
    return order.path


def begin_play(
    order: RollOrder,
    writer: PlayRecorder,
    catalog: Catalog = BUILTIN,
    watch: CallWatch = UNWATCHED,
) -> "Play":
    """A play of an order, before its first tick. Raises ProjectError where a
    node file fails.
    """
    running = running_catalog(
        order.project, trusted=order.trusted, watch=watch, base=catalog
    )
    return Play(order.project, played(order), writer, running, watch)


class Play:
    """A scenario being played into a take, one tick after the other."""

    def __init__(
        self,
        project: Project,
        scenario: Scenario,
        writer: PlayRecorder,
        catalog: Catalog,
        watch: CallWatch = UNWATCHED,
    ) -> None:
        self.world = StageWorld(
            project.stage(scenario.stage), scenario, writer
        )
        self.common = CastContext(project, catalog, scenario.seed, watch)
        self.cues = CuePlayer(scenario, self.common, self.world, writer)
        self._writer = writer
        self._poses = [
            (body, writer.posing(body.name))
            for body in self.world.cast.values()
        ]
        self._with_numbers = [
            body for body in self.world.cast.values() if body.stats
        ]
        self._cast = Cast.of(
            self.common, scenario.players, self.world, writer.agent
        )

    def tick(
        self,
        tick: int,
        cue_actions: Sequence[CueAction] = (),
        steered: tuple[str, Point] | None = None,
    ) -> None:
        """Play one tick: cues, each agent's decisions in the order of the
        cast, then what the bodies do.

        A hand may steer a puppet (its name, and how it is pushed); its actions
        follow the cues.
        """
        self._begin(tick, cue_actions, steered)
        # Poses are recorded before anybody decides: a take shows at a tick
        # what the agents saw when they decided in it, not what came of that.
        for body, pose in self._poses:
            place = None
            if body.here:
                place = body.place
            pose(place, body.heading_deg)
        for body in self._with_numbers:
            for name, stat in body.stats.items():
                value = None
                if body.here:
                    value = stat.value
                self._writer.body_number(body.name, name, value)
        for prop in self.world.all_props.values():
            level = None
            if prop.here:
                level = prop.level
            self._writer.prop(
                prop.name,
                level,
                prop.place,
                prop.carrier,
            )
        for runner in self._cast.runners:
            self._decide(runner)
        self.world.finish()
        self._writer.tick_done()

    def decide(
        self, tick: int, cue_actions: Sequence[CueAction], agent: str
    ) -> None:
        """Play a tick as far as the decision of one agent: cues, then those
        before it in the cast. The tick cannot be played on.
        """
        self._begin(tick, cue_actions)
        for runner in self._cast.runners:
            self._decide(runner)
            if runner.name == agent:
                return

    def _begin(
        self,
        tick: int,
        cue_actions: Sequence[CueAction],
        steered: tuple[str, Point] | None = None,
    ) -> None:
        self.world.begin(tick)
        if steered is not None:
            self.world.steer(*steered)
        self.cues.tick()
        for action in cue_actions:
            self.cues.do(action, "the hand")
        # After the cues: an event that a cue raises is received in this very
        # tick.
        self.common.begin(self.world.now_s)

    def take_up(
        self,
        project: Project,
        scenario: Scenario,
        behaviors: Mapping[str, BehaviorChange],
    ) -> bool:
        """Go on with another project, in which the behaviors of these agents
        differ, and cues and walks at times that have not come. Nothing that
        differs may have made a difference yet. Returns False where play cannot
        go on.
        """
        for runner in self._cast.runners:
            change = behaviors.get(runner.name)
            if change is not None and not runner.take_up(change):
                return False
        if not self.world.take_up(scenario.players):
            return False
        self.common.take_up(project)
        self.cues.take_up(scenario)
        return True

    def _decide(self, runner: Runner) -> None:
        if self.world.cast[runner.name].here:
            runner.tick()
        else:
            runner.stop(cause("off_stage"))


def chunk_ticks(scenario: Scenario) -> int:
    """How many ticks a chunk of a take of this scenario has."""
    return max(
        1,
        round(
            CHUNK_AGENT_S
            / max(1, len(scenario.players))
            * scenario.ticks_per_s
        ),
    )


def header_of(
    project: Project,
    scenario: Scenario,
    branched_at: int | None = None,
    *,
    counts_only: bool = False,
) -> Header:
    """What a take of a scenario says of itself."""
    return Header(
        scenario=scenario.name,
        seed=scenario.seed,
        ticks=scenario.tick_count,
        ticks_per_s=scenario.ticks_per_s,
        documents=document_texts(project),
        branched_at=branched_at,
        counts_only=counts_only,
    )


def _with_stats(member: Member, begin: Mapping[str, float]) -> Member:
    """One of the cast whose numbers begin elsewhere; those that its body does
    not have are left out, which validation reports.
    """
    stats = member.body.stats
    changed = {
        name: stats[name].model_copy(update={"value": value})
        for name, value in begin.items()
        if name in stats
    }
    if not changed:
        return member
    body = member.body.model_copy(update={"stats": {**stats, **changed}})
    return member.model_copy(update={"body": body})


def played(order: RollOrder) -> Scenario:
    """The scenario as it is to be played: with the numbers that variants give
    to bodies.
    """
    scenario = order.project.scenario(order.scenario)
    cast = [
        _with_stats(each, order.project.stats_of(each.behavior))
        for each in scenario.cast
    ]
    changed: dict[str, object] = {"cast": tuple(cast)}
    if order.seed is not None:
        changed["seed"] = order.seed
    if order.seconds is not None:
        changed["seconds"] = order.seconds
    return scenario.model_copy(update=changed)
