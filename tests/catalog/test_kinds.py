"""What each kind of action and each sense does, on the smallest stage that
shows it.

Composites, decorators, machines and utilities have tests of their own, beside
the engine that runs them.
"""

import re
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest

from tests.small import (
    key,
    played,
    project,
    received,
    record,
    row,
    spans,
    values,
)
from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.causes import Cause
from umbrant.catalog.geometry import distance_m, heading_to, turn_between
from umbrant.catalog.kind import Kind
from umbrant.catalog.params import ParamType
from umbrant.model.behaviors import Key, Row
from umbrant.model.documents import Project
from umbrant.model.staging import (
    Area,
    Body,
    Cue,
    Member,
    MoveTo,
    Place,
    Prop,
    RaiseEvent,
    Stat,
    TakeAway,
    WalkPoint,
)
from umbrant.model.values import KeyType, PlaceRef, Point, Value
from umbrant.stage.ground import Sightlines
from umbrant.take.reader import Take

ROOT = Path(__file__).parents[2]
NUMBER, YES, TEXT, POINT = (
    KeyType.NUMBER,
    KeyType.YES_NO,
    KeyType.TEXT,
    KeyType.POINT,
)
KEYS = (
    Key(name="n", type=NUMBER),
    Key(name="yes", type=YES),
    Key(name="text", type=TEXT),
    Key(name="spot", type=POINT),
    Key(name="spot2", type=POINT),
    Key(name="who", type=KeyType.AGENT),
    Key(name="thing", type=KeyType.PROP),
)
WALL = Area(
    name="the wall", corners=((9.0, 2.0), (10.0, 2.0), (10.0, 8.0), (9.0, 8.0))
)
OTHER = Member(
    name="o",
    start=(14.0, 5.0),
    group="people",
    body=Body(stats={"health": Stat()}),
)


def stage(*rows: Row, **more: Any) -> Project:
    return project(
        *rows, **{"keys": KEYS, "cast": (OTHER,), "seconds": 10.0, **more}
    )


def one(kind: str, **args: Any) -> Row:
    return row("x1", kind, **args)


def at(take: Take, tick: int, name: str = "a") -> Point:
    x, y, _ = take.poses[name][tick].tolist()
    return x, y


def then(first: Row, *more: Row) -> list[Row]:
    """Rows in a sequence."""
    return [
        row("ss", "sequence"),
        *(each.model_copy(update={"under": "ss"}) for each in (first, *more)),
    ]


# going


def test_move_away_gets_far_enough_and_says_how_far_is_left() -> None:
    take = played(
        stage(one("move_away", target="o", distance=11.0), start=(12, 5))
    )
    _, end, how = spans(take, "x1")[0]
    assert how == "success"
    assert distance_m(at(take, end or 0), (14.0, 5.0)) >= 10.9


def test_move_away_fails_where_there_is_nowhere_to_go() -> None:
    pen = (
        Area(name="pen", corners=((1, 4), (3, 4), (3, 4.2), (1, 4.2))),
        Area(name="pen2", corners=((1, 5.8), (3, 5.8), (3, 6), (1, 6))),
        Area(name="pen3", corners=((1, 4), (1.2, 4), (1.2, 6), (1, 6))),
        Area(name="pen4", corners=((2.8, 4), (3, 4), (3, 6), (2.8, 6))),
    )
    take = played(
        stage(
            one("move_away", target="o", distance=19.0), areas=pen, seconds=3.0
        )
    )
    assert record(take, "x1").spans[0].cause.kind == "no_place"  # type: ignore[union-attr]


def test_wander_stays_within_its_radius_until_the_time_is_up() -> None:
    take = played(
        stage(
            one("wander", centre=(5.0, 5.0), radius=2.0, duration=4.0),
            start=(5, 5),
            seconds=4.5,
        )
    )
    assert spans(take, "x1")[0] == (0, 40, "success")
    walked = [at(take, tick) for tick in range(40)]
    assert max(distance_m(each, (5.0, 5.0)) for each in walked) <= 2.4
    assert len(set(walked)) > 20


@pytest.mark.parametrize(
    ("rounds", "ends"),
    [("once", True), ("round and round", False), ("to and fro", False)],
)
def test_go_along_goes_from_place_to_place(rounds: str, ends: bool) -> None:
    places = tuple(
        Place(name=name, at=spot)
        for name, spot in (("p", (3, 2)), ("q", (5, 2)), ("r", (5, 4)))
    )
    take = played(
        stage(
            one("go_along", places="p, q, r", rounds=rounds),
            places=places,
            start=(3, 3),
            seconds=9.0,
        )
    )
    assert (spans(take, "x1")[0][2] == "success") is ends
    visited = [
        name
        for tick in range(90)
        for name, spot in (("p", (3, 2)), ("q", (5, 2)), ("r", (5, 4)))
        if distance_m(at(take, tick), spot) <= 0.6
    ]
    order = [
        name
        for place, name in enumerate(visited)
        if place == 0 or visited[place - 1] != name
    ]
    assert "".join(order).startswith(
        {"once": "pqr", "round and round": "pqrp", "to and fro": "pqrqp"}[
            rounds
        ]
    )


def test_go_along_names_a_place_that_is_not_there() -> None:
    take = played(stage(one("go_along", places="corner, moon"), seconds=0.1))
    assert record(take, "x1").spans[0].cause.facts == {"name": "moon"}  # type: ignore[union-attr]


def test_keep_ring_circles_at_its_distance() -> None:
    take = played(
        stage(
            one("keep_ring", target=(8.0, 5.0), distance=2.0, duration=9.0),
            start=(5, 5),
        )
    )
    away = [distance_m(at(take, tick), (8.0, 5.0)) for tick in range(30, 90)]
    assert min(away) > 1.2
    assert max(away) < 2.4
    assert max(at(take, tick)[1] for tick in range(90)) > 6.2


def test_take_cover_ends_out_of_the_watchers_sight() -> None:
    take = played(
        stage(
            one("take_cover", watcher="o", within=9.0),
            areas=(WALL,),
            start=(8, 9.6),
        )
    )
    assert spans(take, "x1")[0][2] == "success"
    end = spans(take, "x1")[0][1] or 0
    assert end > 0
    assert (
        Sightlines(take.header.project.stages[0]).blocked_by(
            (14.0, 5.0), at(take, end)
        )
        == "the wall"
    )
    bare = played(stage(one("take_cover", watcher="o"), seconds=0.2))
    assert record(bare, "x1").spans[0].cause.kind == "no_cover"  # type: ignore[union-attr]


def test_face_turns_until_it_looks_that_way_and_stop_stands() -> None:
    take = played(
        stage(
            *then(one("face", target=(2.0, 9.0)), row("x2", "stop")),
            seconds=2.0,
        )
    )
    end = spans(take, "x1")[0][1] or 0
    assert take.poses["a"][end][2] == pytest.approx(90, abs=5)
    assert spans(take, "x2")[0] == (end, end, "success")


def test_keep_facing_goes_on_turning_towards_what_moves() -> None:
    walk = (WalkPoint(at_s=0, to=(8.0, 5.0)), WalkPoint(at_s=3, to=(2.0, 9.0)))
    other = Member(name="o", start=(8.0, 5.0), walk=walk)
    rows = then(
        one("keep_facing", target="o", duration=2.5), row("x2", "stop")
    )
    take = played(stage(*rows, seconds=4.0, cast=(other,)))
    (span,) = spans(take, "x1")[:1]
    assert span[1:] == (25, "success")
    for tick in (10, 20, 25):
        here, there = take.poses["a"][tick], take.poses["o"][tick]
        wanted = heading_to((here[0], here[1]), (there[0], there[1]))
        assert abs(turn_between(float(here[2]), wanted)) < 12
    gone = played(stage(one("keep_facing", target="nobody"), seconds=0.2))
    assert spans(gone, "x1")[0][2] == "failure"


def test_distance_between_two_others() -> None:
    other = Member(name="o", start=(8.0, 5.0))
    place = Place(name="corner", at=(8.0, 8.0))
    guarded = row(
        "x1",
        "wait",
        "top",
        guard='distance_between(who, "corner") < 3.5',
        duration=1.0,
    )
    keys = (Key(name="who", type=KeyType.AGENT, default="o"),)
    made = project(
        row("top", "selector"),
        guarded,
        cast=(other,),
        places=(place,),
        keys=keys,
        seconds=0.5,
    )
    take = played(made)
    assert spans(take, "x1")
    (found,) = (
        each.found for each in record(take, "x1").atom_steps["guard"][:1]
    )
    assert found is not None
    assert (found.left, found.right) == (3.0, 3.5)


# acting

CRATE = Prop(name="crate", group="crates", at=(3.0, 5.0), level=0.5)
CRATES = {
    "props": (
        CRATE,
        Prop(name="far", group="crates", at=(15.0, 5.0), level=0.9),
    )
}


def test_carry_takes_a_thing_along_and_drop_leaves_it() -> None:
    rows = then(
        one("carry", target="crate", reach=1.5),
        row("x2", "move_to", target=(7.0, 5.0)),
        row("x3", "drop"),
        row("x4", "wait", duration=9.0),
    )
    take = played(stage(*rows, **CRATES))
    assert [spans(take, each)[0][2] for each in ("x1", "x2", "x3")] == [
        "success"
    ] * 3
    place = take.props["crate"].at(take.last_tick)
    assert place is not None
    assert place.carrier is None
    assert 6.0 < place.at[0] < 7.2
    assert take.props["crate"].at(5).carrier == "a"  # type: ignore[union-attr]


@pytest.mark.parametrize(
    ("rows", "why"),
    [
        (then(one("carry", target="far")), "too_far"),
        (then(one("drop")), "carries_nothing"),
        (then(one("throw", target=(5.0, 5.0))), "carries_nothing"),
        (then(one("strike", target="o")), "too_far"),
        (
            then(one("use_up", target="crate", amount=0.7, reach=2.0)),
            "too_little",
        ),
        (then(one("change_stat", stat="luck")), "no_stat"),
        (then(one("listen", where=key("spot"))), "silence"),
        (then(one("pick", group="nobody", key=key("who"))), "empty_group"),
        (
            then(one("pick", group="crates", key=key("thing"), within=0.2)),
            "none_near",
        ),
        (then(one("copy", source=key("spot"), key=key("n"))), "other_type"),
        (then(one("tell_agent", target=key("who"), event="e")), "not_set"),
    ],
)
def test_what_cannot_be_done_fails_with_its_reason(
    rows: list[Row], why: str
) -> None:
    take = played(stage(*rows, **CRATES, seconds=1.0))
    assert record(take, "x1").spans[0].cause.kind == why  # type: ignore[union-attr]


def test_throw_puts_what_is_carried_elsewhere_and_is_heard() -> None:
    rows = then(
        one("carry", target="crate", reach=1.5),
        row("x2", "throw", target=(6.0, 6.0)),
    )
    take = played(stage(*rows, **CRATES, seconds=1.5))
    assert take.props["crate"].at(take.last_tick).at == (6.0, 6.0)  # type: ignore[union-attr]


def test_strike_takes_from_the_number_of_the_one_struck() -> None:
    rows = then(
        one("strike", target="o", amount=0.3, reach=2.0),
        row("x2", "check", when='stat_of("o", "health") < 0.75'),
    )
    take = played(stage(*rows, start=(12.8, 5), seconds=1.0))
    assert spans(take, "x1")[0][2] == "success"
    assert spans(take, "x2")[0][2] == "success"


def test_use_up_takes_some_and_change_stat_changes_at_once_and_slowly() -> (
    None
):
    body = Body(stats={"energy": Stat(value=0.2)})
    rows = then(
        one("use_up", target="crate", amount=0.25, reach=2.0),
        row("x2", "change_stat", stat="energy", amount=0.1),
        row("x3", "change_slowly", stat="energy", amount=0.4, duration=1.0),
        row(
            "x4",
            "check",
            when='stat("energy") > 0.69 and stat("energy") < 0.71',
        ),
        row("x5", "wait", duration=9.0),
    )
    take = played(stage(*rows, **CRATES, body=body, seconds=2.0))
    assert spans(take, "x3")[0] == (0, 10, "success")
    assert spans(take, "x4")[0][2] == "success"
    assert float(take.levels["crate"][5]) == 0.25


# keys


def test_numbers_texts_points_and_copies_are_written() -> None:
    rows = then(
        one("set_number", key=key("n"), value=2.0),
        row("x2", "count", key=key("n"), amount=3.0),
        row("x3", "set_yes_no", key=key("yes"), value=True),
        row("x4", "set_text", key=key("text"), text="hm"),
        row(
            "x5", "set_point", key=key("spot"), target=PlaceRef(place="corner")
        ),
        row("x6", "copy", source=key("spot"), key=key("spot2")),
        row("x7", "clear", key=key("spot")),
    )
    take = played(stage(*rows, seconds=0.1))
    found = {
        name: values(take, name)[-1][1]
        for name in ("n", "yes", "text", "spot", "spot2")
    }
    assert found == {
        "n": 5.0,
        "yes": True,
        "text": "hm",
        "spot": None,
        "spot2": (19.0, 9.0),
    }


def said(cause: Cause) -> str:
    return "".join(text for _, text in cause.parts())


def test_why_none_of_a_group_can_be_picked_is_what_is_so() -> None:
    own = project(
        row("x1", "pick", group="pack", key=key("who")),
        keys=KEYS,
        group="pack",
        seconds=0.1,
    )
    alone = record(played(own), "x1").spans[0].cause
    assert alone is not None
    assert said(alone) == "nothing else is in the group 'pack'"
    near = stage(
        one("pick", group="crates", key=key("thing"), within=0.2), **CRATES
    )
    far = record(played(near), "x1").spans[0].cause
    assert far is not None
    assert re.fullmatch(
        r"the nearest of crates is [\d.]+ m away, beyond 0\.2 m", said(far)
    )
    rows = then(
        one("carry", target="crate", reach=1.5),
        row("x2", "pick", group="crates", key=key("thing")),
    )
    carried = played(stage(*rows, props=(CRATE,), seconds=0.5))
    cause = record(carried, "x2").spans[0].cause
    assert cause is not None
    assert said(cause) == "all of crates are carried"


@pytest.mark.parametrize(
    ("which", "more", "picked"),
    [
        ("nearest", {}, "crate"),
        ("furthest", {}, "far"),
        ("lowest", {}, "crate"),
        ("highest", {}, "far"),
        ("furthest", {"within": 5.0}, "crate"),
    ],
)
def test_pick_picks_one_of_a_group(
    which: str, more: dict[str, float], picked: str
) -> None:
    take = played(
        stage(
            one("pick", group="crates", key=key("thing"), which=which, **more),
            **CRATES,
            seconds=0.1,
        )
    )
    assert values(take, "thing") == [(0, picked)]


def test_pick_at_random_picks_each_and_pick_lowest_tells_the_level() -> None:
    take = played(
        stage(
            one("pick", group="crates", key=key("thing"), which="random"),
            **CRATES,
            seconds=5.0,
        )
    )
    assert {value for _, value in values(take, "thing")} == {"crate", "far"}
    lowest = played(
        stage(
            one(
                "pick_lowest",
                group="crates",
                thing=key("thing"),
                level=key("n"),
            ),
            **CRATES,
            seconds=0.1,
        )
    )
    assert (values(lowest, "thing"), values(lowest, "n")) == (
        [(0, "crate")],
        [(0, 0.5)],
    )


def test_pick_point_picks_one_that_can_be_walked_to() -> None:
    rows = one(
        "pick_point", target=(9.5, 5.0), key=key("spot"), least=1.0, most=3.0
    )
    take = played(stage(rows, areas=(WALL,), seconds=3.0))
    spots = [value for _, value in values(take, "spot") if value]
    assert len(spots) > 20
    assert all(0.7 <= distance_m(spot, (9.5, 5.0)) <= 3.3 for spot in spots)  # type: ignore[arg-type]
    assert all(
        not (8.7 < spot[0] < 10.3 and 1.7 < spot[1] < 8.3) for spot in spots
    )  # type: ignore[index]


def test_look_out_notes_who_is_seen_and_listen_where_a_noise_came_from() -> (
    None
):
    caller = Member(name="c", behavior="caller", start=(6.0, 5.0))
    rows = [
        row(
            "ss",
            "sequence",
            upkeep=[
                (
                    "look_out",
                    0.1,
                    {"target": "o", "seen": key("yes"), "where": key("spot")},
                )
            ],
        ),
        row("x1", "wait", "ss", duration=0.3),
        row("x2", "listen", "ss", where=key("spot2"), what="bark"),
        row("x3", "wait", "ss", duration=9.0),
    ]
    made = stage(*rows, cast=(OTHER, caller), seconds=1.0)
    barks = (row("b1", "make_noise", loudness=0.5, what="bark"),)
    behavior = (
        made.behaviors[0]
        .with_rows(barks)
        .model_copy(update={"name": "caller"})
    )
    take = played(
        made.model_copy(update={"behaviors": (*made.behaviors, behavior)})
    )
    assert values(take, "yes") == [(0, True)]
    assert values(take, "spot") == [(0, (14.0, 5.0))]
    assert values(take, "spot2") == [(3, (6.0, 5.0))]


def test_note_seen_keeps_the_nearest_in_sight_and_clears_the_key_when_none_is() -> (
    None
):
    far = Member(name="far", start=(15.0, 5.0), group="people")
    cues = (
        Cue(at_s=0.5, does=TakeAway(removes="o")),
        Cue(at_s=1.0, does=TakeAway(removes="far")),
    )
    noting = [
        (
            "note_seen",
            0.1,
            {"group": "people", "key": key("who"), "within": 14.0},
        )
    ]
    made = stage(
        row("x1", "wait", duration=9.0, upkeep=noting),
        cast=(far, OTHER),
        cues=cues,
        body=Body(sight_m=15),
        seconds=1.5,
    )
    assert values(played(made), "who") == [(0, "o"), (5, "far"), (10, None)]


@pytest.mark.parametrize(
    ("start", "within", "says"),
    [
        (
            (14.0, 5.0),
            5.0,
            "o, the nearest, is 12 m away, farther than it looks",
        ),
        (
            (14.0, 5.0),
            50.0,
            "o, the nearest, is 12 m away, farther than it can see",
        ),
        (
            (2.0, 8.0),
            50.0,
            "o, the nearest, is 90° to the side, outside the cone",
        ),
        (
            (6.0, 5.0),
            50.0,
            "hut is in between it and o, the nearest, 4 m away",
        ),
    ],
)
def test_why_none_is_seen_is_why_the_nearest_is_not(
    start: Point, within: float, says: str
) -> None:
    hut = Area(name="hut", corners=((4, 4), (5, 4), (5, 6), (4, 6)))
    near = OTHER.model_copy(update={"start": start, "group": "people"})
    further = Member(name="z", start=(19.0, 9.0), group="people")
    rows = then(
        one("note_seen", group="people", key=key("who"), within=within)
    )
    made = stage(
        *rows,
        cast=(near, further),
        areas=(hut,) if says.startswith("hut") else (),
        body=Body(sight_m=10),
        seconds=0.3,
    )
    why = record(played(made), "x1").spans[0].cause
    assert why is not None
    text = "".join(each for _, each in why.parts())
    assert text == f"none of people is seen: {says}"


def test_a_noise_that_cannot_be_heard_is_too_quiet_rather_than_none() -> None:
    caller = Member(name="c", behavior="caller", start=(6.0, 5.0))
    rows = then(one("listen", where=key("spot")))
    made = stage(
        *rows, cast=(OTHER, caller), body=Body(hearing_m=1), seconds=0.5
    )
    barks = (row("b1", "make_noise", loudness=0.5, what="bark"),)
    behavior = made.behaviors[0].with_rows(barks)
    barking = behavior.model_copy(update={"name": "caller"})
    take = played(
        made.model_copy(update={"behaviors": (*made.behaviors, barking)})
    )
    causes = [each.cause for each in record(take, "x1").spans]
    assert {(each.kind, *each.facts.values()) for each in causes if each} == {
        ("silence",),
        ("too_quiet", 4.0),
    }


def test_whoever_leaves_the_stage_is_stopped_and_begins_anew_when_it_is_brought_back() -> (
    None
):
    rows = then(
        row("w1", "wait", duration=0.2),
        row("x2", "leave_stage"),
        row("x3", "stop"),
    )
    back = Cue(at_s=1.0, does=MoveTo(moves="a", to=(3.0, 5.0)))
    take = played(stage(*rows, cues=(back,), seconds=1.5))
    assert spans(take, "x2") == [(2, 3, "stopped"), (12, 13, "stopped")]
    assert spans(take, "x3") == []
    here = [
        tick for tick, x in enumerate(take.poses["a"][:, 0].tolist()) if x == x
    ]
    assert here == [0, 1, 2, 10, 11, 12]


def test_how_long_a_row_has_been_active_is_unknown_while_it_is_not() -> None:
    rows = [
        row("p0", "parallel"),
        row("s0", "sequence", "p0"),
        row("s1", "wait", "s0", duration=0.5),
        row("s2", "wait", "s0", duration=9.0, name="Long"),
        row("l0", "selector", "p0"),
        row(
            "c0",
            "wait",
            "l0",
            duration=9.0,
            guard=("time_in('Long') > 0.4", "take over"),
        ),
        row("c1", "wait", "l0", duration=9.0),
    ]
    take = played(stage(*rows, seconds=1.5))
    (found,) = record(take, "c0").sensed.values()
    before, after = found.at(4), found.at(7)
    assert before is not None
    assert after is not None
    assert before.cause is not None
    assert (before.left, before.cause.kind) == (None, "row_not_active")
    assert after.left == pytest.approx(0.2, abs=0.001)
    assert spans(take, "c0") == [(10, None, None)]


# events and speech


def test_events_reach_all_one_or_a_group_and_may_be_late() -> None:
    friend = Member(
        name="f", behavior="ears", start=(6.0, 5.0), group="guards"
    )
    rows = then(
        one("raise_event", event="e.one"),
        row("x2", "tell_agent", target="f", event="e.two"),
        row("x3", "tell_group", group="guards", event="e.three", delay=0.3),
        row("x4", "say", text="Done", duration=9.0),
    )
    made = stage(*rows, cast=(friend,), seconds=1.0)
    inboxes = (
        made.behaviors[0]
        .with_rows((row("w1", "wait", duration=9.0),))
        .model_copy(update={"name": "ears"})
    )
    take = played(
        made.model_copy(update={"behaviors": (*made.behaviors, inboxes)})
    )
    assert received(take, "f") == [
        (1, "e.one", "a"),
        (1, "e.two", "a"),
        (3, "e.three", "a"),
    ]
    assert received(take, "a") == [(1, "e.one", "a")]
    assert [(each.tick, each.text) for each in take.agents["a"].said] == [
        (0, "Done")
    ]


# senses

SENSES = [
    ("can_see(who)", True, "can_see(who, within=3)"),
    (
        "distance(who) > 11.9 and distance(who) < 12.1",
        True,
        "distance(who) < 3",
    ),
    ("way_length(who) > 12.1", True, "way_length(who) < 12"),
    ("is_set(who)", True, "is_set(n)"),
    ("time_since(who) < 0.2", True, "time_since(who) > 5"),
    ("heard('bark')", False, "heard('meow')"),
    ("event('thunder')", False, "event('rain')"),
    ("in_zone('the meadow')", True, "in_zone('the wall')"),
    ("is_in_zone(who, 'the wall')", False, "is_in_zone(who, 'the meadow')"),
    ("count_of('people') == 1", True, "count_of('people', within=4) == 1"),
    ("nearest('people') < 12.1", True, "nearest('people') < 3"),
    ("stat('energy') == 0.5", True, "stat('energy') > 0.6"),
    ("stat_of(who, 'health') == 1", True, "stat_of(who, 'health') < 1"),
    ("level(thing) == 0.5", True, "level(thing) > 0.6"),
    ("carries()", False, "carries()"),
    ("others_in('x1') == 0", True, "others_in('x1') > 0"),
    ("time() < 0.2", True, "time() > 3"),
    ("random(2, 3) >= 2 and random(2, 3) <= 3", True, "random(2, 3) < 2"),
]


@pytest.mark.parametrize(
    ("when", "holds", "not_so"), SENSES, ids=[when for when, _, _ in SENSES]
)
def test_senses_answer(when: str, holds: bool, not_so: str) -> None:
    low = Area(
        name="the wall",
        corners=((6.0, 4.0), (7.0, 4.0), (7.0, 6.0), (6.0, 6.0)),
        blocks="way",
    )
    meadow = Area(
        name="the meadow",
        corners=((0.0, 0.0), (5.0, 0.0), (5.0, 10.0), (0.0, 10.0)),
        blocks="nothing",
    )
    made = stage(
        *then(one("check", when=when), row("x2", "wait", duration=9.0)),
        start_keys={"who": "o", "thing": "crate"},
        areas=(low, meadow),
        body=Body(sight_m=15, stats={"energy": Stat(value=0.5)}),
        **CRATES,
        seconds=0.1,
    )
    take = played(made)
    assert (spans(take, "x1")[0][2] == "success") is holds
    other = played(
        made.model_copy(
            update={
                "behaviors": (
                    made.behaviors[0].with_rows([one("check", when=not_so)]),
                )
            }
        )
    )
    assert spans(other, "x1")[0][2] == "failure"


@pytest.mark.parametrize(
    "kind",
    [kind for kind in BUILTIN.kinds.values() if kind.in_line],
    ids=lambda kind: kind.id,
)
@pytest.mark.parametrize("value", [None, False, True, 0.0, "", (0.0, 0.0)])
def test_a_sense_in_line_says_what_its_function_says(
    kind: Kind, value: Value | None
) -> None:
    assert all(param.type is ParamType.KEY for param in kind.params)
    given = {param.name: SimpleNamespace(value=value) for param in kind.params}
    written = re.sub(r"[{}]", "", kind.in_line)
    # An expression of our own catalog.
    assert eval(written, {}, given) is kind.run(None, **given)  # noqa: S307


def test_hearing_events_groups_and_what_others_do_change_with_the_time() -> (
    None
):
    rows = [
        row("ss", "selector"),
        row(
            "e1",
            "wait",
            "ss",
            duration=9.0,
            guard=("time_since_event('thunder') < 0.2", "take over"),
        ),
        row(
            "h1",
            "wait",
            "ss",
            duration=9.0,
            guard=("heard('bark', within=6)", "take over"),
        ),
        row(
            "g1",
            "wait",
            "ss",
            duration=9.0,
            guard=(
                "nearest('people') < 3 or others_in('busy') > 0",
                "take over",
            ),
        ),
        row("z1", "wait", "ss", duration=9.0),
    ]
    barker = Member(name="b2", behavior="barker", start=(6.0, 5.0))
    cues = (
        Cue(at_s=0.3, does=MoveTo(moves="o", to=(4.0, 5.0))),
        Cue(at_s=0.9, does=RaiseEvent(raises="thunder.far", to="a")),
        Cue(at_s=1.2, does=TakeAway(removes="o")),
    )
    made = stage(*rows, cast=(OTHER, barker), cues=cues, seconds=1.5)
    bark = (
        row("w0", "sequence"),
        row("w1", "wait", "w0", duration=0.5),
        row("w2", "make_noise", "w0", what="bark"),
    )
    barking = (
        made.behaviors[0].with_rows(bark).model_copy(update={"name": "barker"})
    )
    take = played(
        made.model_copy(update={"behaviors": (*made.behaviors, barking)})
    )
    assert spans(take, "z1") == [(0, 3, "stopped")]
    assert spans(take, "g1") == [(3, 6, "stopped")]
    assert spans(take, "h1") == [(6, 9, "stopped")]
    assert spans(take, "e1") == [(9, None, None)]


# the catalog as a whole


def test_there_are_at_least_45_kinds_each_with_help_and_an_example() -> None:
    assert len(BUILTIN.kinds) >= 45
    assert [
        kind.id for kind in BUILTIN.kinds.values() if not kind.example
    ] == []


def test_every_kind_is_run_in_a_demo_or_a_test() -> None:
    files = [
        *(ROOT / "examples").rglob("*.json"),
        *(ROOT / "tests").rglob("*.py"),
    ]
    text = "\n".join(path.read_text(encoding="utf-8") for path in files)
    missing = [
        kind
        for kind in BUILTIN.kinds
        if not re.search(rf'"{kind}"|\b{kind}\(', text)
    ]
    assert missing == []
