"""Walkable ground, ways and sight."""

import math
import subprocess
import sys
from itertools import pairwise

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.small import project, row
from umbrant.model.staging import Area, Blocks, Stage
from umbrant.stage.ground import Ground, Sightlines

WALL = Area(name="the wall", corners=((9, 2), (11, 2), (11, 8), (9, 8)))
POND = Area(
    name="the pond",
    corners=((4, 4), (6, 4), (6, 6), (4, 6)),
    blocks=Blocks.WAY,
)
PEN = Area(
    name="the pen",
    corners=(
        (14, 3),
        (18, 3),
        (18, 7),
        (17.5, 7),
        (17.5, 3.5),
        (14.5, 3.5),
        (14.5, 7),
        (14, 7),
    ),
)
LID = Area(
    name="the lid", corners=((14, 6.9), (18, 6.9), (18, 7.4), (14, 7.4))
)


def yard(*areas: Area) -> Stage:
    return project(row("top", "wait"), areas=areas).stages[0]


def test_a_clear_way_is_straight() -> None:
    way = Ground(yard(), 0.3).way((2, 5), (18, 5))
    assert (way.corners, way.left_m, way.cause) == (((18, 5),), 16.0, None)


def test_the_shortest_way_goes_round_a_wall_at_the_bodys_radius() -> None:
    way = Ground(yard(WALL), 0.5).way((8, 5), (12, 5))
    corners = [(8.5, 1.5), (11.5, 1.5)]
    ends = [(8.0, 5.0), *corners, (12.0, 5.0)]
    length = sum(math.dist(one, other) for one, other in pairwise(ends))
    assert way.cause is None
    assert way.left_m == pytest.approx(length, abs=0.01)
    assert len(way.corners) == 3


def test_water_is_in_the_way_but_not_in_sight() -> None:
    assert len(Ground(yard(POND), 0.3).way((2, 5), (8, 5)).corners) > 1
    assert Sightlines(yard(POND)).blocked_by((2, 5), (8, 5)) is None


def test_the_nearest_wall_in_the_line_is_named() -> None:
    far = Area(
        name="the far wall", corners=((15, 2), (16, 2), (16, 8), (15, 8))
    )
    lines = Sightlines(yard(far, WALL))
    assert lines.blocked_by((2, 5), (18, 5)) == "the wall"
    assert lines.blocked_by((18, 5), (2, 5)) == "the far wall"
    assert lines.blocked_by((2, 9), (18, 9)) is None


def test_no_way_into_a_closed_pen_is_an_outcome_with_a_reason() -> None:
    way = Ground(yard(PEN, LID), 0.2).way((2, 5), (16, 5))
    assert way.cause is not None
    assert way.cause.kind == "no_route"
    assert way.cause.facts["goal"] == (16, 5)


def test_a_goal_off_the_ground_is_refused_unless_it_is_within_reach_of_it() -> (
    None
):
    ground = Ground(yard(WALL), 0.3)
    assert ground.way((2, 5), (10, 5)).cause.kind == "in_area"  # type: ignore[union-attr]
    assert ground.way((2, 5), (9.1, 5), reach_m=0.6).cause is None


def test_a_stage_without_any_free_ground_says_so() -> None:
    everywhere = Area(name="all", corners=((0, 0), (20, 0), (20, 10), (0, 10)))
    assert Ground(yard(everywhere), 0.3).way((2, 5), (8, 5)).cause is not None


@settings(max_examples=40)
@given(
    st.tuples(st.floats(0.5, 19.5), st.floats(0.5, 9.5)),
    st.tuples(st.floats(0.5, 19.5), st.floats(0.5, 9.5)),
)
def test_a_way_never_leaves_the_walkable_ground(
    start: tuple[float, float], goal: tuple[float, float]
) -> None:
    ground = Ground(yard(WALL, POND), 0.3)
    if not (ground.holds(start) and ground.holds(goal)):
        return
    way = ground.way(start, goal)
    assert way.cause is None
    corners = [start, *way.corners]
    assert all(ground.is_clear(one, other) for one, other in pairwise(corners))
    assert way.left_m >= math.dist(start, goal) - 0.01


THREADS = """
from concurrent.futures import ThreadPoolExecutor
from umbrant.model.staging import Area, Stage
from umbrant.stage.ground import Ground

walls = tuple(
    Area(name=f"w{n}", corners=((n, 1), (n + 1, 1), (n + 1, 9), (n, 9))) for n in range(2, 38, 3)
)
ground = Ground(Stage(name="s", title="S", width_m=40, height_m=10, areas=walls), 0.3)
with ThreadPoolExecutor(8) as pool:
    found = list(pool.map(lambda n: ground.way((0.5, 0.5), (39.5, n % 9 + 0.5)).cause, range(400)))
print(found.count(None))
"""


def test_many_threads_may_ask_for_ways_at_once() -> None:
    # In a process of its own: without the lock it would end this one.
    found = subprocess.run(
        [sys.executable, "-c", THREADS],
        capture_output=True,
        text=True,
        check=False,
    )
    assert (found.returncode, found.stdout) == (0, "400\n")
