"""Figures of routes: how the time for a way grows with the walls there are,
and a crowd that walks among thousands.
"""

from collections.abc import Iterator, Sequence
from pathlib import Path
from statistics import median

import numpy as np

from benchmarks.figure import Figure, timed
from umbrant.model.behaviors import Behavior, Blackboard, Row
from umbrant.model.documents import Cover, Project
from umbrant.model.staging import Area, Member, Scenario, Stage
from umbrant.model.values import Point
from umbrant.rolling.roll import RollOrder, roll
from umbrant.stage.ground import Ground

A_WALL_M = 3.2
"""The side of the square that each wall has to itself, in metres: close, but
with room to walk between most.
"""
RADIUS_M = 0.3
WALLS, MANY_WALLS, WALKERS = (10, 100, 1000), 3000, 10
WAYS = 9


def route_figures(place: Path) -> Iterator[Figure]:
    """Measure one thing after the other."""
    times = [_a_way_s(count) for count in WALLS]
    ratio = ", ".join(
        f"{count}: {time * 1000:.1f} ms"
        for count, time in zip(WALLS, times, strict=True)
    )
    name = "a way across 1,000 walls, the ground made anew, times 10 walls"
    yield Figure(name, f"{times[-1] / times[0]:.0f} ×", "under 1,000 ×", ratio)
    took = timed(
        lambda: roll(
            RollOrder(_walking(MANY_WALLS), "walk", place / "walls.take")
        )
    )
    name = "1 s of 10 walkers among 3,000 walls, times a stage without"
    free = timed(
        lambda: roll(RollOrder(_walking(0), "walk", place / "free.take"))
    )
    yield Figure(
        name,
        f"{took / free:.0f} ×",
        "in 10 s",
        f"{took:.1f} s, and {free * 1000:.0f} ms without walls",
    )


def yard(count: int) -> Stage:
    """So many walls of many sizes, strewn evenly; always the same."""
    random = np.random.default_rng(count)
    span = max(12.0, A_WALL_M * count**0.5)
    areas = []
    for number in range(count):
        (x, y), (wide, high) = (
            random.uniform(0, span, 2).tolist(),
            random.uniform(0.5, 2.0, 2).tolist(),
        )
        corners = ((x, y), (x + wide, y), (x + wide, y + high), (x, y + high))
        areas.append(Area(name=f"wall {number}", corners=corners))
    return Stage(
        name="yard",
        title="Yard",
        width_m=span,
        height_m=span,
        areas=tuple(areas),
    )


def _a_way_s(count: int) -> float:
    """The median time to make the ground and find a way over most of it, in
    seconds.
    """
    stage = yard(count)
    ends = _free_places(stage, 2 * WAYS)
    return median(
        timed(
            lambda start=start, goal=goal: Ground(stage, RADIUS_M).way(
                start, goal
            )
        )  # type: ignore[misc]
        for start, goal in zip(ends[::2], ends[1::2], strict=True)
    )


def _free_places(stage: Stage, count: int) -> Sequence[Point]:
    """Walkable places, drawn evenly; always the same."""
    ground, random = Ground(stage, RADIUS_M), np.random.default_rng(7)
    return [
        ground.nearest(tuple(random.uniform(1, stage.width_m - 1, 2).tolist()))
        for _ in range(count)
    ]


def _walking(count: int) -> Project:
    """Ten agents that each go far across a stage."""
    stage = yard(count)
    starts = _free_places(stage, 2 * WALKERS)
    cast, behaviors = [], []
    for number in range(WALKERS):
        goal = Row(
            id="go", kind="move_to", args={"target": starts[2 * number + 1]}
        )
        behaviors.append(
            Behavior(
                name=f"b{number}", title="Go", blackboard="k", rows=(goal,)
            )
        )
        cast.append(
            Member(
                name=f"a{number}",
                behavior=f"b{number}",
                start=starts[2 * number],
            )
        )
    scenario = Scenario(
        name="walk", title="Walk", stage="yard", seconds=1.0, cast=tuple(cast)
    )
    return Project(
        cover=Cover(title="Walls", scenario="walk"),
        behaviors=tuple(behaviors),
        blackboards=(Blackboard(name="k", title="K"),),
        stages=(stage,),
        scenarios=(scenario,),
    )
