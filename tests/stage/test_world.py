"""The stage at work: agents go, look and are refused; puppets follow their
walks.
"""

import math

import numpy as np
import pytest

from tests.engine.test_properties import Silent
from tests.small import key, played, project, record, row, spans
from umbrant.catalog.geometry import distance_m
from umbrant.model.behaviors import Key, Watch
from umbrant.model.staging import (
    Area,
    Body,
    Member,
    Place,
    Prop,
    Stat,
    WalkPoint,
)
from umbrant.model.values import KeyType, PlaceRef
from umbrant.stage.world import StageWorld
from umbrant.take.reader import Take

WALL = Area(name="the wall", corners=((9, 2), (11, 2), (11, 8), (9, 8)))
VISITOR = Key(name="visitor", type=KeyType.AGENT)


def puppet(
    *walk: tuple[float, tuple[float, float]],
    start: tuple[float, float] = (12, 5),
) -> Member:
    return Member(
        name="v",
        start=start,
        walk=tuple(WalkPoint(at_s=at, to=to) for at, to in walk),
    )


def where(take: Take, name: str, tick: int) -> tuple[float, float]:
    x, y, _ = take.poses[name][tick].tolist()
    return x, y


def test_an_agent_walks_to_a_place_round_the_wall_and_stops_within_reach() -> (
    None
):
    places = (Place(name="goal", at=(14, 5)),)
    move = row("top", "move_to", target=PlaceRef(place="goal"), reach=1.0)
    take = played(project(move, areas=(WALL,), places=places, seconds=15))
    first = record(take, "top").spans[0]
    assert first.outcome == "success"
    assert math.dist(
        where(take, "a", first.end or 0), (14, 5)
    ) == pytest.approx(0.9, abs=0.11)
    inside = [
        (x, y)
        for x, y, _ in take.poses["a"].tolist()
        if 9 < x < 11 and 2 < y < 8
    ]
    assert inside == []


def test_speed_is_kept() -> None:
    take = played(
        project(
            row("top", "move_to", target=PlaceRef(place="corner"), pace="run"),
            seconds=2,
        )
    )
    steps = np.diff(take.poses["a"][:, :2], axis=0)
    assert np.hypot(steps[:, 0], steps[:, 1]) == pytest.approx(0.3, abs=0.002)


def test_progress_and_way_are_told_while_it_goes() -> None:
    take = played(
        project(
            row("top", "move_to", target=PlaceRef(place="corner")), seconds=1
        )
    )
    done = record(take, "top").progress.at(5)
    assert done is not None
    assert done.left is not None
    assert done.of is not None
    assert done.left < done.of
    assert record(take, "top").ways.at(5) == ((19.0, 9.0),)


def test_a_moving_target_is_followed() -> None:
    take = played(
        project(
            row("top", "move_to", target=key("visitor"), reach=0.5),
            keys=(VISITOR,),
            start_keys={"visitor": "v"},
            cast=(puppet((6.0, (12, 9))),),
            seconds=14,
        )
    )
    assert record(take, "top").spans[0].outcome == "success"
    end = record(take, "top").spans[0].end or 0
    assert math.dist(where(take, "a", end), where(take, "v", end)) < 0.7


def test_a_target_off_the_ground_or_without_a_way_fails_with_its_reason() -> (
    None
):
    for spot, cause in (
        ((10.0, 5.0), "in_area"),
        ((19.95, 5.0), "off_ground"),
    ):
        move = row("top", "move_to", target=spot, reach=0.05)
        take = played(project(move, areas=(WALL,), seconds=0.1))
        assert record(take, "top").spans[0].cause.kind == cause


def test_seeing_needs_range_cone_and_a_free_line() -> None:
    def cause(place: tuple[float, float], *areas: Area) -> str | None:
        take = played(
            project(
                row(
                    "top",
                    "wait",
                    guard=("can_see(visitor, within=8)", Watch.ON_ENTRY),
                ),
                keys=(VISITOR,),
                start_keys={"visitor": "v"},
                cast=(puppet(start=place),),
                areas=areas,
                seconds=0.1,
            )
        )
        found = record(take, "top").found_at("guard", 0, 0)
        assert found is not None
        return found.cause.kind if found.cause else None

    assert cause((7, 5)) is None
    assert cause((11, 5)) == "too_far"
    assert cause((2, 9)) == "outside_cone"
    box = Area(name="the box", corners=((4, 4), (5, 4), (5, 6), (4, 6)))
    assert cause((7, 5), box) == "blocked"


def test_a_puppet_is_at_each_point_of_its_walk_at_its_time_and_goes_round_walls() -> (
    None
):
    walk = puppet((1.0, (12, 5)), (5.0, (8, 5)))
    take = played(
        project(row("top", "wait"), cast=(walk,), areas=(WALL,), seconds=6)
    )
    assert where(take, "v", 10) == (12, 5)
    assert where(take, "v", 55) == pytest.approx((8, 5), abs=0.01)
    assert [
        pose
        for pose in take.poses["v"].tolist()
        if 9 < pose[0] < 11 and 2 < pose[1] < 8
    ] == []


def test_a_walk_that_cannot_be_walked_is_told_and_the_rest_goes_on() -> None:
    take = played(
        project(
            row("top", "wait"),
            cast=(puppet((1.0, (10, 5)), (2.0, (14, 5))),),
            areas=(WALL,),
            seconds=3,
        )
    )
    ((tick, what, cause),) = take.agents["v"].notices
    assert (tick, what, cause.kind) == (0, "point 1 of the walk", "in_area")
    assert where(take, "v", 29) == pytest.approx((14, 5), abs=0.01)


def test_a_start_inside_a_wall_is_told() -> None:
    take = played(
        project(row("top", "wait"), start=(10, 5), areas=(WALL,), seconds=0.2)
    )
    assert [what for _, what, _ in take.agents["a"].notices] == ["the start"]


def test_what_is_said_is_kept_and_standing_still_keeps_the_place() -> None:
    take = played(project(row("top", "say", text="hello"), seconds=0.5))
    assert [each.text for each in take.agents["a"].said] == ["hello"]
    assert len({tuple(pose) for pose in take.poses["a"].tolist()}) == 1


def test_following_stays_near_and_ends_with_its_time() -> None:
    follow = row("top", "follow", target="v", distance=2.0, duration=3.0)
    take = played(project(follow, cast=(puppet((5.0, (12, 9))),), seconds=3.1))
    assert spans(take, "top")[0] == (0, 30, "success")
    assert math.dist(where(take, "a", 30), where(take, "v", 30)) < math.dist(
        where(take, "a", 0), where(take, "v", 0)
    )


def test_a_way_that_is_gone_is_not_gone_on_with() -> None:
    """Whoever was on a way and then asks for one that there is not, stays
    where it is, however often it asks.
    """
    places = (Place(name="goal", at=(14, 5)),)
    take = played(
        project(
            row("top", "sequence"),
            row(
                "r1",
                "move_to",
                "top",
                target=PlaceRef(place="goal"),
                decorators=[("invert", {}), ("time_limit", {"limit": 0.5})],
            ),
            row("r2", "selector", "top"),
            row("r3", "move_to", "r2", target=(10.0, 5.0), reach=0.1),
            row("r4", "move_to", "r2", target=(10.0, 5.0), reach=0.1),
            areas=(WALL,),
            places=places,
            seconds=0.6,
        )
    )
    for row_id in ("r3", "r4"):
        assert record(take, row_id).spans[0].cause.kind == "in_area"
    assert where(take, "a", 5) != where(take, "a", 0)


def crowd(count: int) -> StageWorld:
    """A stage with so many of one group, spread out, two of them not there."""
    members = [
        Member(
            name=f"m{n}",
            start=(n * 0.37 % 19, n * 0.73 % 9),
            group="crowd",
            waits=n in (3, 5),
        )
        for n in range(count)
    ]
    lamp = Prop(name="lamp", at=(7.0, 3.0), group="crowd")
    made = project(row("top", "wait"), cast=tuple(members), props=(lamp,))
    return StageWorld(made.stages[0], made.scenarios[0], Silent())


@pytest.mark.parametrize("count", [6, 200])
def test_distances_to_a_group_are_those_to_each_of_it(count: int) -> None:
    world = crowd(count)
    world.begin(0)
    for name in ("m1", "a"):
        here = world.cast[name].place
        others = [
            each.place for each in world.bodies("crowd") if each.name != name
        ]
        expected = [
            distance_m(here, each)
            for each in (*others, world.all_props["lamp"].place)
        ]
        assert list(world.distances(name, "crowd")) == expected


def test_distances_follow_what_is_put_dropped_and_taken_away_within_a_tick() -> (
    None
):
    world = crowd(200)
    world.begin(0)
    assert len(world.distances("a", "crowd")) == 199
    assert world.put("m3", (2.0, 5.0))
    assert list(world.distances("a", "crowd")).count(0.0) == 1
    assert world.take_away("m3")
    assert world.take_away("lamp")
    assert len(world.distances("a", "crowd")) == 198
    world.drop(Prop(name="lamp", at=(2.0, 6.0), group="crowd"))
    assert 1.0 in world.distances("a", "crowd")


@pytest.mark.parametrize("per_s", [0.002, -0.002, 0.006, 0.0001])
def test_a_number_that_drifts_slowly_drifts_as_fast_as_it_says(
    per_s: float,
) -> None:
    body = Body(stats={"hunger": Stat(value=0.5, per_s=per_s)})
    take = played(
        project(row("top", "wait", duration=99.0), body=body, seconds=40)
    )
    hunger = take.body_numbers["a"]["hunger"]
    assert float(hunger[-1]) == pytest.approx(
        0.5 + per_s * (take.ticks - 1) / 10, abs=1e-5
    )
