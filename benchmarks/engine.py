"""Figures of the engine: deciding against hand-written code, growth with rows
visited, crowds, the size of takes.
"""

import time
from collections.abc import Callable, Iterator
from pathlib import Path
from statistics import median

from benchmarks.decisions import (
    TICKS,
    by_hand_s,
    check_equal,
    recorded_s,
    unrecorded_s,
)
from benchmarks.figure import Figure, timed
from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.validation import open_project
from umbrant.engine.recorder import NullRecorder
from umbrant.engine.runner import CastContext, Runner
from umbrant.game import PlainBody, PlainWorld
from umbrant.model.behaviors import Behavior, Blackboard, Guard, Row, Watch
from umbrant.model.documents import Cover, Project
from umbrant.model.staging import Member, Scenario, Stage
from umbrant.rolling.garbage import search_seldom
from umbrant.rolling.roll import Play, RollOrder, header_of, roll
from umbrant.stage.ground import ground_of
from umbrant.take.recorder import TakeRecorder
from umbrant.take.writer import TakeWriter

DEMO = Path(__file__).parents[1] / "examples" / "lantern-quay"
CROWD = {"gull": 400, "brine": 40, "mila": 30, "tam": 30}
"""How many of each of the demo's cast make up a crowd of 500."""
CROWD_S, ROUNDS, VISITS = 3.0, 31, 2000


def engine_figures(place: Path) -> Iterator[Figure]:
    """Measure one thing after the other, as in a process that plays."""
    search_seldom()
    project = open_project(DEMO)
    check_equal(project)
    hand, recorded = _in_turns(
        by_hand_s, lambda: recorded_s(project, place / "decisions.take")
    )
    ratio = f"by hand {hand / TICKS * 1e6:.1f} µs a tick"
    yield Figure(
        "the warden's decisions with recording, times by hand",
        f"{recorded:.1f} ×",
        "at most 4 ×",
        ratio,
    )
    hand, unrecorded = _in_turns(by_hand_s, lambda: unrecorded_s(project))
    ratio = f"by hand {hand / TICKS * 1e6:.1f} µs a tick"
    yield Figure(
        "the same without recording",
        f"{unrecorded:.1f} ×",
        "at most 2.5 ×",
        ratio,
    )
    small, large = _in_turns(lambda: _visited_s(20), lambda: _visited_s(2000))
    ratio = f"{small / VISITS * 1e6:.0f} µs a tick with 20"
    yield Figure(
        "2,000 rows of which 20 are visited, times 20 rows",
        f"{large:.2f} ×",
        "within 1.5 ×",
        ratio,
    )
    yield from _crowd(project, place)
    few, many = _in_turns(
        lambda: _counting_s(100), lambda: _counting_s(1000), rounds=5
    )
    ratio = f"{few * 1e6:.0f} µs with 100"
    yield Figure(
        "1,000 agents that count those around them, times 100, for each agent and tick",
        f"{many:.1f} ×",
        "at most 2 ×",
        ratio,
    )


def _counting_s(agents: int) -> float:
    """The seconds that one of so many takes for a tick who all ask how many of
    them are near.
    """
    rows = (
        Row(id="top", kind="selector"),
        Row(
            id="near",
            under="top",
            kind="wait",
            args={"duration": 0.1},
            guard=Guard(
                when='count_of("crowd", within=3) > 50', watch=Watch.THROUGHOUT
            ),
        ),
        Row(id="rest", under="top", kind="wait", args={"duration": 1e6}),
    )
    wide = Stage(name="field", title="Field", width_m=100, height_m=100)
    cast = tuple(
        Member(
            name=f"m{n}",
            behavior="b",
            start=(n * 7 % 97, n * 13 % 89),
            group="crowd",
        )
        for n in range(agents)
    )
    scenario = Scenario(
        name="s", title="S", stage="field", seconds=0.5, cast=cast
    )
    project = Project(
        cover=Cover(title="T", scenario="s"),
        behaviors=(Behavior(name="b", title="B", blackboard="k", rows=rows),),
        blackboards=(Blackboard(name="k", title="K"),),
        stages=(wide,),
        scenarios=(scenario,),
    )
    play = Play(
        project, scenario, TakeRecorder(20, 100, lambda piece: None), BUILTIN
    )
    ticks = scenario.tick_count
    return (
        timed(lambda: [play.tick(tick) for tick in range(ticks)])
        / ticks
        / agents
    )


def _in_turns(
    one_s: Callable[[], float],
    other_s: Callable[[], float],
    rounds: int = ROUNDS,
) -> tuple[float, float]:
    """The median time of the one, in seconds, and of how many times as long
    the other took right beside it.

    Taken in turns, the one before and after, for a machine's speed may change
    from one second to the next.
    """
    times, ratios = [], []
    before = one_s()
    for _ in range(rounds):
        took, after = other_s(), one_s()
        ratios.append(2 * took / (before + after))
        times.append(after)
        before = after
    return median(times), median(ratios)


def _visited_s(rows: int) -> float:
    """A selector whose first child waits, with many further rows that its
    running keeps from being tried.
    """
    made = [Row(id="top", kind="selector"), *_branch("live", "top", 18)]
    groups = max(0, rows - 20) // 99
    for group in range(groups):
        made.extend(_branch(f"g{group}x", "top", 98))
    behavior = Behavior(name="b", title="B", blackboard="k", rows=tuple(made))
    project = Project(
        cover=Cover(title="T", scenario="none"),
        behaviors=(behavior,),
        blackboards=(Blackboard(name="k", title="K"),),
    )
    world = PlainWorld(0.05)
    world.add(PlainBody("a", (0.0, 0.0)))
    runner = Runner(
        CastContext(project, BUILTIN, 1),
        Member(name="a", behavior="b", start=(0, 0)),
        world,
        NullRecorder(),
    )

    def ticks() -> None:
        for tick in range(VISITS):
            world.now_s = tick * 0.05
            runner.tick()

    return timed(ticks)


def _branch(row_id: str, under: str, leaves: int) -> list[Row]:
    """A parallel of so many rows that wait for ever."""
    expanded = Row(id=row_id, under=under, kind="parallel")
    return [
        expanded,
        *(
            Row(
                id=f"{row_id}{n}",
                under=row_id,
                kind="wait",
                args={"duration": 1e6},
            )
            for n in range(leaves)
        ),
    ]


def _crowded(member: Member, count: int, stage: Stage) -> Iterator[Member]:
    """So many of one of the cast around its start, each where it can walk: who
    starts inside a wall stays there.
    """
    ground = ground_of(stage, member.body.radius_m, member.body.flies)
    for each in member.model_copy(
        update={"copies": count, "scatter_m": 3.0}
    ).each():
        yield each.model_copy(update={"start": ground.nearest(each.start)})


def _crowd(project: Project, place: Path) -> Iterator[Figure]:
    dusk = project.scenario("dusk")
    members = []
    for member in dusk.cast:
        if member.name in CROWD:
            members.extend(
                _crowded(member, CROWD[member.name], project.stage(dusk.stage))
            )
        elif member.behavior is None:
            members.append(member)
    crowd = dusk.model_copy(
        update={
            "name": "crowd",
            "cast": tuple(members),
            "seconds": CROWD_S,
            "cues": (),
        }
    )
    expanded = project.model_copy(
        update={"scenarios": (*project.scenarios, crowd)}
    )
    agents, path = sum(CROWD.values()), place / "crowd.take"
    with TakeWriter(path, header_of(expanded, crowd)) as writer:
        start = time.perf_counter()
        play = Play(expanded, crowd, writer, BUILTIN)
        set_up = time.perf_counter() - start
        took = timed(
            lambda: [play.tick(tick) for tick in range(crowd.tick_count)]
        )
    ratio = (
        f"{took / CROWD_S / 20 / agents * 1e6:.0f} µs for each agent and tick, after "
        f"{set_up:.1f} s to set them up"
    )
    name = f"{agents} agents with full recording, times real time"
    yield Figure(name, f"{CROWD_S / took:.2f} ×", "over 1 ×", ratio)
    size = path.stat().st_size / (agents * CROWD_S / 60)
    long = roll(RollOrder(project, "evening", place / "evening.take"))
    kib = long.stat().st_size / 30 / 1024
    ratio = f"the evening's ten agents over three minutes: {kib:.0f} KiB"
    yield Figure(
        "a take's size for each agent and minute",
        f"{size / 1024:.0f} KiB",
        "none",
        ratio,
    )
