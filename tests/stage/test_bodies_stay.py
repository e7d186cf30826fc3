"""A body goes where its ground lets it, and nowhere else: one that stands off
the ground or is shut in stays there.
"""

from itertools import pairwise

import pytest

from tests.bounded import within
from tests.small import key, played, project, record, row, spans
from umbrant.model.behaviors import Key
from umbrant.model.staging import (
    Area,
    Blocks,
    Cue,
    Member,
    MoveTo,
    Place,
    Stage,
    TakeAway,
    WalkPoint,
)
from umbrant.model.values import KeyType, PlaceRef
from umbrant.stage.ground import Ground
from umbrant.stage.routes import Corners
from umbrant.take.reader import Take

HUT = Area(name="the hut", corners=((1, 4), (3, 4), (3, 6), (1, 6)))
POND = Area(
    name="the pond",
    corners=((1, 4), (3, 4), (3, 6), (1, 6)),
    blocks=Blocks.WAY,
)
PEN = (
    Area(
        name="the fence",
        corners=((0, 3), (5, 3), (5, 7), (4.5, 7), (4.5, 3.5), (0, 3.5)),
    ),
    Area(name="the gate", corners=((0, 6.5), (5, 6.5), (5, 7), (0, 7))),
)
GO = row("top", "move_to", target=PlaceRef(place="corner"))


def where(take: Take, name: str, tick: int) -> tuple[float, float]:
    x, y, _ = take.poses[name][tick].tolist()
    return x, y


@pytest.mark.parametrize("area", [HUT, POND], ids=["wall", "water"])
def test_a_body_that_starts_off_the_ground_stays_and_its_moves_name_the_area(
    area: Area,
) -> None:
    take = played(project(GO, areas=(area,), start=(2, 5), seconds=2.0))
    assert {tuple(each) for each in take.poses["a"][:, :2].tolist()} == {
        (2.0, 5.0)
    }
    reason = record(take, "top").spans[0].cause
    assert reason is not None
    assert (reason.kind, reason.facts["area"]) == ("no_room", area.name)


def test_a_body_outside_the_stage_stays_and_says_so() -> None:
    take = played(project(GO, start=(-1, 5), seconds=1.0))
    assert {tuple(each) for each in take.poses["a"][:, :2].tolist()} == {
        (-1.0, 5.0)
    }
    reason = record(take, "top").spans[0].cause
    assert reason is not None
    assert (reason.kind, reason.facts["area"]) == (
        "no_room",
        "the edge of the stage",
    )


def test_a_body_that_is_boxed_in_stays_and_its_moves_name_what_shuts_it_in() -> (
    None
):
    take = played(project(GO, areas=PEN, start=(2, 5), seconds=2.0))
    assert {tuple(each) for each in take.poses["a"][:, :2].tolist()} == {
        (2.0, 5.0)
    }
    reason = record(take, "top").spans[0].cause
    assert reason is not None
    assert (reason.kind, reason.facts["area"]) == (
        "shut_in",
        "the fence and the gate",
    )


def test_within_its_box_it_can_still_walk() -> None:
    inside = row("top", "move_to", target=(4.0, 5.0), reach=0.1)
    take = played(project(inside, areas=PEN, start=(2, 5), seconds=3.0))
    assert spans(take, "top")[0][2] == "success"


def walker(*walk: tuple[float, tuple[float, float]], **more: object) -> Member:
    points = tuple(WalkPoint(at_s=at, to=to) for at, to in walk)
    return Member(name="v", start=(12, 5), walk=points, **more)  # type: ignore[arg-type]


def test_a_cue_moves_a_puppet_that_walks_and_the_walk_goes_on_from_there() -> (
    None
):
    puppet = walker((1.0, (12, 7)), (3.0, (16, 7)))
    cue = Cue(at_s=1.5, does=MoveTo(moves="v", to=(6, 2)))
    take = played(
        project(row("top", "wait"), cast=(puppet,), cues=(cue,), seconds=4.0)
    )
    assert where(take, "v", 10) == (12, 7)
    assert where(take, "v", 15) == (6, 2)
    x, y = where(take, "v", 20)
    assert x == pytest.approx(6 + 10 * (0.5 / 1.5), abs=0.01)
    assert y == pytest.approx(2 + 5 * (0.5 / 1.5), abs=0.01)
    assert where(take, "v", 30) == (16, 7)


def test_a_puppet_that_is_moved_after_its_walk_stays_there() -> None:
    cue = Cue(at_s=2.0, does=MoveTo(moves="v", to=(6, 2)))
    take = played(
        project(
            row("top", "wait"),
            cast=(walker((1.0, (12, 7))),),
            cues=(cue,),
            seconds=3.0,
        )
    )
    assert where(take, "v", 29) == (6, 2)


def test_a_puppet_that_is_brought_on_walks_from_where_it_was_put() -> None:
    puppet = walker((2.0, (16, 7)), waits=True)
    cues = (
        Cue(at_s=1.0, does=MoveTo(moves="v", to=(6, 2))),
        Cue(at_s=2.5, does=TakeAway(removes="v")),
    )
    take = played(
        project(row("top", "wait"), cast=(puppet,), cues=cues, seconds=3.0)
    )
    assert where(take, "v", 10) == (6, 2)
    assert where(take, "v", 15) == pytest.approx((11, 4.5), abs=0.01)


def crowded(count: int) -> Stage:
    """Walls on a square grid, each a little out of line, with room to walk
    between them.
    """
    side = round(count**0.5)
    areas = []
    for number in range(count):
        x, y = (
            2 + number % side * 3.0 + number * 7 % 10 / 10,
            2 + number // side * 3.0 + number * 3 % 10 / 10,
        )
        areas.append(
            Area(
                name=f"wall {number}",
                corners=(
                    (x, y),
                    (x + 1.2, y),
                    (x + 1.2, y + 0.8),
                    (x, y + 0.8),
                ),
            )
        )
    span = 3.0 * side + 6
    return Stage(
        name="maze",
        title="Maze",
        width_m=span,
        height_m=span,
        areas=tuple(areas),
    )


def test_a_way_among_hundreds_of_walls_is_found() -> None:
    stage = crowded(900)
    with within(20.0):
        ground = Ground(stage, 0.3)
        far = stage.width_m - 1.0
        way = ground.way((1.0, 1.0), (far, far))
    assert way.cause is None
    places = ((1.0, 1.0), *way.corners)
    assert all(ground.is_clear(one, other) for one, other in pairwise(places))
    assert way.left_m < 1.15 * 2**0.5 * (far - 1.0)


def test_drawing_a_point_asks_whether_it_can_be_walked_to_without_a_search(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    searches: list[object] = []
    search = Corners.way
    monkeypatch.setattr(
        Corners, "way", lambda *args: searches.append(args) or search(*args)
    )
    shut = Place(name="middle", at=(2, 5))
    pick = row(
        "top",
        "pick_point",
        target=PlaceRef(place="middle"),
        key=key("p"),
        least=0.5,
        most=1.0,
    )
    point = Key(name="p", type=KeyType.POINT)
    take = played(
        project(
            pick,
            areas=PEN,
            places=(shut,),
            start=(10, 5),
            keys=(point,),
            seconds=1.0,
        )
    )
    assert record(take, "top").spans[0].outcome == "failure"
    assert searches == []
