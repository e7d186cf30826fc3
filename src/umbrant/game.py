"""Running behaviors inside a game: any Python game loop, with or without a
take that the window can open.

    world = MyWorld()                                     # a PlainWorld of the game's own
    rat = load_behavior("project", "rat", world, name="rat", trust=True, record="night.take")
    while playing:
        world.now_s += world.tick_s
        rat.tick()
    rat.close()

Several minds that share keys and events are made by one `Agents`.
"""

import math
from collections.abc import Mapping, Sequence
from pathlib import Path
from types import TracebackType

from umbrant.catalog.causes import cause
from umbrant.catalog.geometry import distances_m
from umbrant.catalog.validation import validate
from umbrant.catalog.world import (
    BodyView,
    Noise,
    PropView,
    Route,
    Sight,
    World,
)
from umbrant.engine.recorder import NullRecorder, Recorder
from umbrant.engine.runner import CastContext, Runner
from umbrant.model.documents import Project
from umbrant.model.folder import document_texts, read_project
from umbrant.model.problems import ProjectError
from umbrant.model.staging import Member, Scenario, Stage
from umbrant.model.values import Point, Value
from umbrant.project_code import running_catalog
from umbrant.project_nodes import project_catalog
from umbrant.take.header import Header
from umbrant.take.writer import TakeWriter

GAME = "game"
"""The name of the scenario that a take of a game is said to be of."""


class PlainBody:
    """A body in a game: a name and a place, and whatever a game sets of the
    rest.
    """

    def __init__(self, name: str, place: Point, **stats: float) -> None:
        self.name = name
        self.place = place
        self.heading_deg = 0.0
        self.radius_m = 0.3
        self.walk_m_s = 1.4
        self.run_m_s = 3.0
        self.turn_deg_s = 240.0
        self.sight_m = 12.0
        self.cone_deg = 360.0
        self.hearing_m = 15.0
        self.group = ""
        self.carries: str | None = None
        self.stats = dict(stats)

    def stat(self, name: str) -> float | None:
        """One of the body's numbers, by name; None if it has none of this
        name.
        """
        return self.stats.get(name)

    def change_stat(self, name: str, by: float) -> float | None:
        """Add to one of its numbers."""
        if name not in self.stats:
            return None
        self.stats[name] += by
        return self.stats[name]


class PlainWorld:
    """A world without walls, in which bodies go straight. A game overrides
    what is otherwise in its own.

    It implements the engine's `World`. The game moves `now_s` on and may
    change `bodies_by_name` at any time.
    """

    def __init__(self, tick_s: float = 0.1) -> None:
        self.now_s = 0.0
        self.tick_s = tick_s
        self.bodies_by_name: dict[str, PlainBody] = {}
        self.said: list[tuple[str, str]] = []
        self._noises: list[Noise] = []

    def add(self, body: PlainBody) -> PlainBody:
        """Put a body into the world."""
        self.bodies_by_name[body.name] = body
        return body

    def body(self, name: str) -> BodyView | None:
        return self.bodies_by_name.get(name)

    def bodies(self, group: str) -> Sequence[BodyView]:
        return [
            body
            for body in self.bodies_by_name.values()
            if body.group == group
        ]

    def prop(self, name: str) -> PropView | None:
        return None

    def props(self, group: str) -> Sequence[PropView]:
        return []

    def distances(self, name: str, group: str) -> Sequence[float]:
        body = self.body(name)
        if body is None:
            raise LookupError(f"there is no body '{name}'")
        others = [
            each.place for each in self.bodies(group) if each.name != name
        ]
        return distances_m(
            body.place, [*others, *(each.place for each in self.props(group))]
        )

    def place(self, name: str) -> Point | None:
        return None

    def zones_at(self, place: Point) -> Sequence[str]:
        return []

    def noises(self) -> Sequence[Noise]:
        return [
            each for each in self._noises if each.when_s >= self.now_s - 2.0
        ]

    def make_noise(self, noise: Noise) -> None:
        self._noises = [*self.noises(), noise]

    def route_to(self, name: str, goal: Point) -> Route:
        return Route((goal,), math.dist(self.bodies_by_name[name].place, goal))

    def walkable_near(self, name: str, place: Point) -> Point | None:
        return place

    def look(self, start: Point, end: Point) -> Sight:
        return Sight(None)

    def move_towards(
        self, name: str, goal: Point, reach_m: float, speed_m_s: float
    ) -> Route:
        """Go straight there, at once, as far as one tick allows."""
        body = self.bodies_by_name[name]
        left = math.dist(body.place, goal)
        if left > reach_m:
            share = min(1.0, speed_m_s * self.tick_s / left)
            x, y = body.place
            body.place = x + (goal[0] - x) * share, y + (goal[1] - y) * share
        return Route((goal,), left)

    def turn(self, name: str, heading_deg: float) -> float:
        self.bodies_by_name[name].heading_deg = heading_deg
        return 0.0

    def say(self, name: str, text: str) -> None:
        self.said.append((name, text))

    def leave(self, name: str) -> None:
        self.bodies_by_name.pop(name, None)

    def carry(self, name: str, prop: str) -> bool:
        return False

    def put_down(self, name: str, at: Point) -> str | None:
        return None


class Agents:
    """Agents that run behaviors of one project in one world, with shared keys
    and events. Use as a context, or close.

    Raises ProjectError with every problem of the project, and TakeError where
    a take cannot be written.
    """

    def __init__(
        self,
        folder: str | Path,
        world: World,
        members: Sequence[Member],
        *,
        seed: int = 1,
        trust: bool = False,
        record: str | Path | None = None,
    ) -> None:
        project = read_project(Path(folder))
        own = project_catalog(project)
        problems = [*validate(project, own.catalog), *own.problems]
        if problems:
            raise ProjectError(problems)
        self.world = world
        self._writer = (
            TakeWriter(Path(record), _header(project, members, world, seed))
            if record
            else None
        )
        self._common = CastContext(
            project, running_catalog(project, trusted=trust), seed
        )
        self.runners = {
            each.name: Runner(
                self._common, each, world, self._recorder(each.name)
            )
            for each in members
        }
        self._poses = (
            {name: self._writer.posing(name) for name in self.runners}
            if self._writer is not None
            else {}
        )

    def tick(self) -> None:
        """Have every agent decide once, in the order in which they were given."""
        self._common.begin(self.world.now_s)
        if self._writer is not None:
            for name, pose in self._poses.items():
                body = self.world.body(name)
                # Some games change a place in place: the track would not see
                # that it is another.
                if body is None:
                    pose(None, 0.0)
                else:
                    x, y = body.place
                    pose((x, y), body.heading_deg)
        for name, runner in self.runners.items():
            if self.world.body(name) is None:
                runner.stop(cause("off_stage"))
            else:
                runner.tick()
        if self._writer is not None:
            self._writer.tick_done()

    def raise_event(self, event: str, to: str = "") -> None:
        """Raise an event, heard at the next tick by one agent, by a group, or
        by all.
        """
        self._common.raise_event(event, to, self.world.now_s)

    def get(self, name: str, key: str) -> Value | None:
        """The value of a key on an agent's blackboard; None while it has none.
        Raises KeyError for an unknown agent.
        """
        return self.runners[name].board.get(key)

    def set(self, name: str, key: str, value: Value | None) -> None:
        """Write an agent's key. Raises KeyError if its behavior has no such
        key.
        """
        board = self.runners[name].board
        board.writer = ("", GAME)
        board.set(key, value)

    def close(self) -> None:
        """Finish the take and close its file."""
        if self._writer is not None:
            self._writer.close()
            self._writer = None

    def __enter__(self) -> "Agents":
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self.close()

    def _recorder(self, name: str) -> Recorder:
        return (
            self._writer.agent(name)
            if self._writer is not None
            else NullRecorder()
        )


def load_behavior(
    folder: str | Path,
    behavior: str,
    world: World,
    *,
    name: str,
    keys: Mapping[str, Value] | None = None,
    seed: int = 1,
    trust: bool = False,
    record: str | Path | None = None,
) -> Agents:
    """One agent that runs a behavior of the project in `folder`. The world
    must have a body of that name.

    `keys` are what its blackboard starts with; `trust` lets the project's own
    nodes run; `record` is where a take is written that the window can open.
    Errors as in `Agents`.
    """
    body = world.body(name)
    if body is not None:
        start = body.place
    else:
        start = (0.0, 0.0)
    member = Member(
        name=name,
        title=name.capitalize(),
        behavior=behavior,
        start=start,
        keys=dict(keys or {}),
    )
    return Agents(
        folder, world, [member], seed=seed, trust=trust, record=record
    )


def _header(
    project: Project, members: Sequence[Member], world: World, seed: int
) -> Header:
    """What a take of a game says of itself: the project, with a scenario of
    the game's own cast on its first stage.
    """
    stage = next(
        iter(project.stages),
        Stage(name=GAME, title="Game", width_m=30, height_m=20),
    )
    rate = max(1, min(240, round(1.0 / world.tick_s)))
    scenario = Scenario(
        name=GAME,
        title="Game",
        stage=stage.name,
        seed=seed,
        ticks_per_s=rate,
        cast=tuple(members),
    )
    others = tuple(each for each in project.scenarios if each.name != GAME)
    stages = project.stages or (stage,)
    played = project.model_copy(
        update={"scenarios": (*others, scenario), "stages": stages}
    )
    return Header(
        scenario=GAME,
        seed=seed,
        ticks=86_400 * rate,
        ticks_per_s=rate,
        documents=document_texts(played),
    )
