"""The search for a way: as short as over a graph of all corners that see each
other, and the same each time.
"""

import math
from itertools import combinations, pairwise

import numpy as np
import shapely
from hypothesis import example, given, settings
from hypothesis import strategies as st
from scipy.sparse.csgraph import dijkstra

from umbrant.model.staging import Area, Blocks, Stage
from umbrant.model.values import Point
from umbrant.stage.ground import Ground

WIDE, HIGH = 20.0, 12.0


@st.composite
def areas(draw: st.DrawFn) -> Area:
    """A convex or a bent polygon somewhere on the stage, which may overlap
    others and the edge.
    """
    x, y = draw(st.floats(0, WIDE)), draw(st.floats(0, HIGH))
    count = draw(st.integers(3, 6))
    corners = []
    for number in range(count):
        away, turn = draw(st.floats(0.3, 3.0)), 2 * math.pi * number / count
        corners.append(
            (
                round(x + away * math.cos(turn), 2),
                round(y + away * math.sin(turn), 2),
            )
        )
    return Area(
        name="a",
        corners=tuple(corners),
        blocks=draw(st.sampled_from([Blocks.SIGHT_AND_WAY, Blocks.WAY])),
    )


PLACES = st.tuples(st.floats(0.5, WIDE - 0.5), st.floats(0.5, HIGH - 0.5))


def shortest_over_all(ground: Ground, start: Point, goal: Point) -> float:
    """The length of the shortest way over every two corners that see each
    other; infinite if there is none.
    """
    corners = [
        (float(x), float(y)) for x, y in shapely.get_coordinates(ground.free)
    ]
    points = [start, goal, *dict.fromkeys(corners)]
    weights = np.zeros((len(points), len(points)))
    for (one, here), (other, there) in combinations(enumerate(points), 2):
        if ground.is_clear(here, there):
            weights[one, other] = math.dist(here, there)
    return float(dijkstra(weights, directed=False, indices=0)[1])


# Two corners side by side, so that the leg to the second is clear by less than
# a grid's step.
@example(
    found=[
        Area(
            name="a",
            corners=((18.99, 4.7), (17.56, 7.17), (16.68, 4.7), (17.56, 2.7)),
        )
    ],
    start=(8.8125, 6.8046875),
    goal=(19.5, 5.0),
)
@settings(max_examples=60, deadline=None)
@given(st.lists(areas(), max_size=7), PLACES, PLACES)
def test_a_way_is_as_short_as_over_a_graph_of_all_corners(
    found: list[Area], start: Point, goal: Point
) -> None:
    ground = Ground(
        Stage(
            name="s",
            title="S",
            width_m=WIDE,
            height_m=HIGH,
            areas=tuple(found),
        ),
        0.3,
    )
    if not (ground.holds(start) and ground.holds(goal)) or start == goal:
        return
    way, shortest = (
        ground.way(start, goal),
        shortest_over_all(ground, start, goal),
    )
    if way.cause is not None:
        assert math.isinf(shortest)
        return
    places = [start, *way.corners]
    assert abs(way.left_m - shortest) < 0.01
    assert all(
        math.dist(one, other) < 1e-3 or ground.is_clear(one, other)
        for one, other in pairwise(places)
    )
    assert ground.way(start, goal) == way
    for corner in way.corners[:-1]:
        # Where a body stands that is going round this very corner.
        on = ground.way(corner, goal)
        assert on.cause is None
        assert on.left_m <= shortest_over_all(ground, corner, goal) + 0.01


def test_a_body_beside_an_edge_by_the_slack_finds_a_way_from_there() -> None:
    wedge = Area(
        name="wedge", corners=((20.25, 8.49), (16.69, 10.45), (17.3, 7.6))
    )
    stage = Stage(
        name="s", title="S", width_m=WIDE, height_m=HIGH, areas=(wedge,)
    )
    ground = Ground(stage, 0.3)
    edge, goal = (
        (16.3896484375, 10.957763671875),
        (3.536376953125, 3.443359375),
    )
    assert ground.holds(edge)
    assert ground.free.distance(shapely.Point(edge)) > 0
    way = ground.way(edge, goal)
    assert way.cause is None
    assert all(
        ground.is_clear(one, other)
        for one, other in pairwise([edge, *way.corners])
    )


def test_of_two_ways_that_are_equally_long_it_is_always_the_same() -> None:
    square = Area(name="square", corners=((9, 5), (11, 5), (11, 7), (9, 7)))
    stage = Stage(
        name="s", title="S", width_m=WIDE, height_m=HIGH, areas=(square,)
    )
    ways = {Ground(stage, 0.3).way((5, 6), (15, 6)).corners for _ in range(5)}
    assert len(ways) == 1
