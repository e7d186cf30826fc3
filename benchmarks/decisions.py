"""The warden's decisions by the engine, against the same decisions written by
hand as plain `if`s.

Senses and actions are replaced by stored values and counted ticks on both
sides, so that only deciding is measured. Both are checked to come to the same
at every tick.
"""

import time
from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.kind import Catalog
from umbrant.catalog.protocols import Progress, lasting
from umbrant.catalog.readings import Reading
from umbrant.engine.recorder import NullRecorder, Recorder
from umbrant.engine.runner import CastContext, Runner
from umbrant.game import PlainBody, PlainWorld
from umbrant.model.documents import Project
from umbrant.rolling.roll import CHUNK_AGENT_S, header_of
from umbrant.take.writer import TakeWriter

TICKS, RATE = 6000, 20
MOVE, USE, LOOK, ALONG, SAY, REST = 37, 30, 60, 40, 20, 40
"""How many ticks each action takes."""


PLACES = tuple((0.0, 0.07 * step) for step in range(40))
"""Where a body is on its way, step by step."""


@dataclass(frozen=True)
class Stored:
    """What is so at each tick: the visitor seen within 8 m, seen at all, how
    much oil the dimmest lamp has, its place.

    It moves half of the time, as it goes somewhere half of the time.
    """

    near: tuple[bool, ...]
    seen: tuple[bool, ...]
    oil: tuple[float, ...]
    place: tuple[tuple[float, float], ...]


STORED = Stored(
    tuple(120 < tick % 700 < 260 for tick in range(TICKS)),
    tuple(90 < tick % 700 < 300 for tick in range(TICKS)),
    tuple(0.9 if tick % 500 < 100 else 0.4 for tick in range(TICKS)),
    tuple(PLACES[max(0, tick % 80 - 40)] for tick in range(TICKS)),
)


class StoredWorld(PlainWorld):
    """A world in which nothing is but the tick."""

    tick = 0


def catalog() -> Catalog:
    """The built-in kinds with stored senses and counted actions."""
    hidden, visible, one = (
        Reading(False, 5.0),
        Reading(True, 5.0),
        Reading(1.0),
    )
    near = tuple(visible if seen else hidden for seen in STORED.near)

    def going(ticks: int) -> Any:
        samples = tuple(
            Progress(float(left), float(ticks), "m")
            for left in range(ticks, 0, -1)
        )

        def run(me: Any, **_: object) -> Iterator[Progress]:
            yield from samples
            return True

        return run

    def staying(ticks: int) -> Any:
        samples = lasting(ticks / RATE, ticks / RATE)

        def run(me: Any, **_: object) -> Iterator[Progress]:
            for _tick in range(ticks):
                yield samples
            return True

        return run

    def look_out(me: Any, target: Any, seen: Any, where: Any) -> bool:
        is_seen = STORED.seen[me.world.tick]
        seen.set(is_seen)
        if is_seen:
            where.set((1.0, 2.0))
        return True

    def pick_lowest(me: Any, group: Any, thing: Any, level: Any) -> bool:
        thing.set("lamp")
        level.set(STORED.oil[me.world.tick])
        return True

    runs = {
        "can_see": lambda me, target, within=100.0: near[me.world.tick],
        "distance": lambda me, target: one,
        "look_out": look_out,
        "pick_lowest": pick_lowest,
        **{
            name: going(ticks)
            for name, ticks in (("move_to", MOVE), ("follow", ALONG))
        },
        **{
            name: staying(ticks)
            for name, ticks in (
                ("use", USE),
                ("look_about", LOOK),
                ("say", SAY),
                ("wait", REST),
            )
        },
    }
    return Catalog(
        {
            name: replace(kind, run=runs.get(name, kind.run))
            for name, kind in BUILTIN.kinds.items()
        }
    )


class ByHand:
    """The warden as a programmer would write it without any tool."""

    def __init__(self) -> None:
        self.seen, self.last_seen, self.last_s = False, False, -1e9
        self.oil, self.mood = 1.0, "calm"
        self.at, self.step, self.left = "", 0, 0
        self.warned_s, self.due_s, self.calm_s, self.go_until_s = (
            -1e9,
            0.0,
            0.0,
            0.0,
        )
        self.was_near = self.was_sighted = False
        self.saying = self.fresh = True

    def tick(self, t: int) -> None:  # noqa: C901
        now = t / RATE
        if self.fresh:
            self.fresh, self.due_s = False, now
        if now >= self.due_s - 1e-9:
            self.due_s += 0.2
            self.seen = STORED.seen[t]
            if self.seen:
                self.last_seen, self.last_s = True, now
        if self.at == "escort":
            if not STORED.near[t]:
                self.at, self.was_near = "", False
                self.choose(t, now, after="escort")
                return
        elif self.at:
            near, before = STORED.near[t], self.was_near
            self.was_near = near
            if near and not before:
                self.begin("escort", now)
            elif self.at in ("tend", "easy"):
                sighted = self.last_seen and now - self.last_s < 15
                before, self.was_sighted = self.was_sighted, sighted
                if sighted and not before:
                    self.begin("check", now)
        if self.at:
            self.go_on(t, now)
        else:
            self.choose(t, now)

    def begin(self, what: str, now: float) -> None:
        self.at, self.step, self.left = what, 0, -1
        if what == "tend":
            self.calm_s = now

    def choose(self, t: int, now: float, after: str = "") -> None:
        order = ("escort", "check", "tend", "easy")
        for what in order[order.index(after) + 1 if after else 0 :]:
            if what == "escort":
                self.was_near = STORED.near[t]
                if not self.was_near:
                    continue
            elif what == "check":
                self.was_sighted = self.last_seen and now - self.last_s < 15
                if not self.was_sighted:
                    continue
            elif what == "easy" and self.seen:
                continue
            self.begin(what, now)
            self.go_on(t, now)
            return
        self.fresh = True

    def lasts(self, ticks: int) -> bool:
        """Whether a step of so many ticks is still going on."""
        if self.left < 0:
            self.left = ticks
        if self.left:
            self.left -= 1
            return True
        self.left, self.step = -1, self.step + 1
        return False

    def go_on(self, t: int, now: float) -> None:
        how = getattr(self, self.at)(t, now)
        if how is None:
            return
        what, self.at = self.at, ""
        if how:
            self.fresh = True
        else:
            self.choose(t, now, after=what)

    def escort(self, t: int, now: float) -> bool | None:
        if self.step == 0 and self.lasts(MOVE):
            return None
        if self.step == 1:
            if self.left < 0:
                self.saying = now >= self.warned_s + 4.0 - 1e-9
            if self.lasts(SAY if self.saying else ALONG):
                return None
            if self.saying:
                self.warned_s = now
        return True

    def check(self, t: int, now: float) -> bool | None:
        if self.step == 0:
            self.mood, self.step, self.go_until_s = "wary", 1, now + 9.0
        if self.step == 1:
            if now >= self.go_until_s - 1e-9:
                return False
            if self.lasts(MOVE):
                return None
        if self.step == 2 and self.lasts(LOOK):
            return None
        self.last_seen = False
        return True

    def tend(self, t: int, now: float) -> bool | None:
        if now >= self.calm_s - 1e-9:
            self.calm_s += 1.0
            self.mood = "calm"
        if self.step == 0:
            self.oil, self.step = STORED.oil[t], 1
            if self.oil > 0.7:
                return False
        if self.step == 1 and self.lasts(MOVE):
            return None
        if self.step == 2 and self.lasts(USE):
            return None
        return None if self.step == 3 and self.lasts(REST) else True

    def easy(self, t: int, now: float) -> bool | None:
        return None if self.lasts(REST) else True


class Engine:
    """The warden of the demo run by the engine, in a world without anything."""

    def __init__(self, project: Project, recorder: Recorder) -> None:
        self.world = StoredWorld(1 / RATE)
        self.world.add(PlainBody("odo", (0.0, 0.0)))
        member = project.scenario("dusk").member("odo")
        self.common = CastContext(project, catalog(), 1)
        self.runner = Runner(self.common, member, self.world, recorder)


def by_hand_s(times: int = 10) -> float:
    """The time for all ticks by hand, in seconds: the mean of so many times in
    a row, to be as long as the others.
    """
    start = time.perf_counter()
    for _ in range(times):
        hand = ByHand()
        for tick in range(TICKS):
            hand.tick(tick)
    return (time.perf_counter() - start) / times


def unrecorded_s(project: Project) -> float:
    """The time by the engine with nothing recorded."""
    engine = Engine(project, NullRecorder())
    world, decide = engine.world, engine.runner.tick
    start = time.perf_counter()
    for tick in range(TICKS):
        world.tick, world.now_s = tick, tick / RATE
        decide()
    return time.perf_counter() - start


def recorded_s(project: Project, path: Path) -> float:
    """The time by the engine with everything recorded and written to disk."""
    scenario = project.scenario("dusk")
    with TakeWriter(
        path, header_of(project, scenario), CHUNK_AGENT_S
    ) as writer:
        engine, pose = (
            Engine(project, writer.agent("odo")),
            writer.posing("odo"),
        )
        world, decide = engine.world, engine.runner.tick
        start = time.perf_counter()
        for tick in range(TICKS):
            world.tick, world.now_s = tick, tick / RATE
            pose(STORED.place[tick], 0.0)
            decide()
            writer.tick_done()
        writer.end_chunk()
        return time.perf_counter() - start


def check_equal(project: Project) -> None:
    """Raises AssertionError where the two do not come to the same at every
    tick.
    """
    hand, engine = ByHand(), Engine(project, NullRecorder())
    for tick in range(TICKS):
        engine.world.tick, engine.world.now_s = tick, tick / RATE
        engine.runner.tick()
        hand.tick(tick)
        board = engine.runner.board
        ours = (
            board.get("visitor_seen"),
            board.get("last_seen") is not None,
            board.get("mood"),
            board.get("lamp_oil"),
        )
        assert ours == (hand.seen, hand.last_seen, hand.mood, hand.oil), (
            f"tick {tick}: {ours}"
        )
