"""Mistakes that people make, planted in small projects: the review finds them.

Each sort of finding in documents has its planted mistake in
`test_findings.CASES`; here are the other shapes that the same mistakes take,
and those that only playing shows.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import pytest

from tests.kinds import CATALOG
from tests.review.test_findings import (
    CASES,
    MACHINE,
    NEXT,
    OPEN,
    READ,
    SEEN,
    THROUGHOUT,
    TOP,
    number,
    state,
    two_states,
    when,
    with_events,
)
from tests.small import played, project, row
from umbrant.model.behaviors import Key, Row
from umbrant.model.documents import Project
from umbrant.model.staging import Body, Cue, Member, RaiseEvent, WalkPoint
from umbrant.model.values import KeyRef, KeyType, PlaceRef
from umbrant.review import machine_shape, review, review_take
from umbrant.review.behavior_analysis import BehaviorAnalysis

VISITOR = Key(name="v", type=KeyType.AGENT, default="walker")
SPOT = Key(name="p", type=KeyType.POINT)
WALKER = Member(
    name="walker",
    start=(4.0, 5.0),
    walk=(WalkPoint(at_s=6.0, to=(18.0, 5.0)),),
)
AIM = {"target": KeyRef(key="v")}


@dataclass(frozen=True)
class Planted:
    """A mistake: what it is, the rule that finds it and where, and the
    project.
    """

    mistake: str
    rule: str
    at: str
    made: Project


def in_states(
    first: str, back: str, *keys: Key, more: tuple[Row, ...] = ()
) -> Project:
    return project(
        *two_states(when("t1", "aa", first, "bb"), *more, back=back), keys=keys
    )


DERIVED = number("twice", formula="n * 2")
FIXED = number("range", default=6.0)
BEFORE_PLAYING = [
    Planted(
        "thresholds clash through and",
        "overlapping_thresholds",
        "t1",
        in_states("n > 5 and distance(v) < 3", "n < 6", OPEN, *SEEN),
    ),
    Planted(
        "thresholds clash through not",
        "overlapping_thresholds",
        "t1",
        in_states("not n < 5", "not n > 6", OPEN),
    ),
    Planted(
        "thresholds clash through a sum",
        "overlapping_thresholds",
        "t1",
        in_states("n - 1 > 4", "n < 6", OPEN),
    ),
    Planted(
        "thresholds clash through a product",
        "overlapping_thresholds",
        "t1",
        in_states("-2 * n < -10", "n < 6", OPEN),
    ),
    Planted(
        "thresholds clash through a formula",
        "overlapping_thresholds",
        "t1",
        in_states("twice > 10", "n < 6", OPEN, DERIVED),
    ),
    Planted(
        "thresholds clash through a key that never changes",
        "overlapping_thresholds",
        "t1",
        in_states("distance(v) > 5", "distance(v) < range", FIXED, *SEEN),
    ),
    Planted(
        "thresholds clash though both are above",
        "overlapping_thresholds",
        "t1",
        in_states("n > 5", "n > 3", OPEN),
    ),
    Planted(
        "both lead on in the same case",
        "overlapping_thresholds",
        "t1",
        in_states(
            "n", "n", FLAG := Key(name="n", type=KeyType.YES_NO, default=True)
        ),
    ),
    Planted(
        "what is seen near and left far",
        "overlapping_thresholds",
        "t1",
        in_states("can_see(v, within=8)", "distance(v) > 6", *SEEN),
    ),
    Planted(
        "a transition of the machine clashes with one of a state",
        "overlapping_thresholds",
        "t3",
        project(
            MACHINE,
            when("t3", "top", "n < 4", "bb"),
            *state("aa"),
            *state("bb", when("t2", "bb", "n > 3", "aa")),
            keys=(OPEN,),
        ),
    ),
    Planted(
        "a wide band before a narrow one",
        "beaten_transition",
        "t3",
        in_states(
            "n < 8",
            "n > 9",
            OPEN,
            more=(when("t3", "aa", "n < 4", "cc"), *state("cc")),
        ),
    ),
    Planted(
        "a wide sight before a narrow one",
        "hidden_band",
        "w2",
        project(
            TOP,
            row(
                "w1",
                "check",
                "top",
                guard="can_see(v, within=8)",
                when="distance(v) > 1",
            ),
            row("w2", "wait", "top", guard="can_see(v, within=4)"),
            keys=SEEN,
        ),
    ),
    Planted(
        "an island of states",
        "unreached_state",
        "cc",
        project(
            *two_states(when("t1", "aa", "n > 1", "bb")),
            *state("cc", when("t4", "cc", "n > 1", "dd")),
            *state("dd", when("t5", "dd", "n > 2", "cc")),
            keys=(OPEN,),
        ),
    ),
    Planted(
        "a state whose rows never end",
        "unhandled_end",
        "aa",
        project(
            *two_states(
                row(
                    "g1",
                    "go_along",
                    "aa",
                    places="corner, corner",
                    rounds="round and round",
                ),
                row("x1", "wait", "aa"),
                row("t1", "on_done", "aa", result="success", to="bb"),
            )
        ),
    ),
    Planted(
        "nothing comes after going round",
        "never_tried",
        "w2",
        project(
            row("top", "sequence"),
            row("w1", "go_along", "top", places="corner", rounds="to and fro"),
            NEXT,
        ),
    ),
    Planted(
        "a guard that contradicts itself",
        "settled_guard",
        "w1",
        project(
            TOP,
            row(
                "w1",
                "wait",
                "top",
                guard="distance(v) < 3 and distance(v) > 5",
            ),
            keys=SEEN,
        ),
    ),
    Planted(
        "a guard on a key that nothing writes",
        "settled_guard",
        "w1",
        project(TOP, row("w1", "wait", "top", guard="n > 5"), keys=(READ,)),
    ),
    Planted(
        "a transition on a key that nothing writes",
        "impossible_condition",
        "t1",
        in_states("n > 5", "clock() > 1", READ),
    ),
    Planted(
        "a key that is only cleared",
        "never_written",
        "w1",
        project(
            TOP,
            row("w1", "wait", "top", guard="is_set(n)"),
            row("w2", "clear", "top", key=KeyRef(key="n")),
            keys=(number(),),
        ),
    ),
    Planted(
        "a key that is copied from itself",
        "never_written",
        "w1",
        project(
            TOP,
            row("w1", "wait", "top", guard="n > 1"),
            row(
                "w2",
                "copy",
                "top",
                source=KeyRef(key="n"),
                key=KeyRef(key="n"),
            ),
            keys=(number(),),
        ),
    ),
    Planted(
        "a guard that needs what the upkeep behind it finds",
        "locked_by_itself",
        "w1",
        project(
            TOP,
            row(
                "w1",
                "wait",
                "top",
                guard="n > 1 and clock() > 0",
                upkeep=[("set_number", 0.2, {"key": KeyRef(key="n")})],
            ),
            row("w2", "wait", "top", guard="not is_set(n) or n < 1"),
            keys=(number(),),
        ),
    ),
    Planted(
        "two guards each of which needs what the other row sets",
        "locked_by_itself",
        "q1",
        project(
            TOP,
            row("q1", "sequence", "top", guard="n > 1"),
            row("s1", "set_number", "q1", key=KeyRef(key="m"), value=2.0),
            row("q2", "sequence", "top", guard="not (m < 1 or m > 3)"),
            row("s2", "set_number", "q2", key=KeyRef(key="n"), value=2.0),
            row("w2", "wait", "top"),
            keys=(number(), number("m")),
        ),
    ),
    Planted(
        "a point that was looked out for once",
        "stale_target",
        "w1",
        project(
            row("top", "sequence"),
            row(
                "w1",
                "look_out",
                "top",
                seen=KeyRef(key="s"),
                where=KeyRef(key="p"),
                **AIM,
            ),
            row("w2", "move_to", "top", target=KeyRef(key="p")),
            keys=(VISITOR, SPOT, Key(name="s", type=KeyType.YES_NO)),
            cast=(WALKER,),
        ),
    ),
    Planted(
        "a point of one whose name is written out",
        "stale_target",
        "w1",
        project(
            row("top", "sequence"),
            row(
                "w1", "set_point", "top", key=KeyRef(key="p"), target="walker"
            ),
            row("w2", "move_to", "top", target=KeyRef(key="p")),
            keys=(SPOT,),
            cast=(WALKER,),
        ),
    ),
    Planted(
        "a point drawn in one state and gone to in another",
        "stale_target",
        "w1",
        project(
            *two_states(
                when("t1", "aa", "clock() > 1", "bb"),
                row("w1", "pick_point", "aa", key=KeyRef(key="p"), **AIM),
                row("w2", "move_to", "bb", target=KeyRef(key="p")),
                back="clock() > 2",
            ),
            keys=(VISITOR, SPOT),
            cast=(WALKER,),
        ),
    ),
    Planted(
        "a strike zone within the stopping distance",
        "out_of_reach",
        "w2",
        project(
            row("top", "sequence"),
            row("w1", "move_to", "top", reach=2.0, **AIM),
            row("w2", "check", "top", when="distance(v) < 1.2"),
            keys=SEEN,
        ),
    ),
    Planted(
        "a guard that stops what it lets in",
        "early_guard",
        "w1",
        project(
            TOP,
            row(
                "w1",
                "move_to",
                "top",
                guard=("distance(v) > 3", THROUGHOUT),
                **AIM,
            ),
            NEXT,
            keys=SEEN,
        ),
    ),
    Planted(
        "a flag that is set first, and that the guard asks for",
        "ends_own_guard",
        "sq",
        project(
            TOP,
            row("sq", "sequence", "top", guard=("not lit", THROUGHOUT)),
            row("s1", "set_yes_no", "sq", key=KeyRef(key="lit"), value=True),
            row("w1", "wait", "sq", duration=1.0),
            NEXT,
            keys=(Key(name="lit", type=KeyType.YES_NO, default=False),),
        ),
    ),
    Planted(
        "a default that names nobody",
        "unknown_name",
        "",
        project(
            TOP,
            row("w1", "move_to", "top", **AIM),
            keys=(Key(name="v", type=KeyType.AGENT, default="ghost"),),
        ),
    ),
    Planted(
        "one of the cast begins with a name that nobody has",
        "unknown_name",
        "",
        project(
            TOP,
            row("w1", "move_to", "top", **AIM),
            keys=(Key(name="v", type=KeyType.AGENT),),
            start_keys={"v": "ghost"},
        ),
    ),
    Planted(
        "an area that is not on the stage",
        "unknown_name",
        "w1",
        project(TOP, row("w1", "check", "top", when='in_zone("yard")')),
    ),
    Planted(
        "a cue whose event nobody waits for",
        "unheard_event",
        "",
        project(
            TOP, NEXT, cues=(Cue(at_s=1.0, does=RaiseEvent(raises="bell")),)
        ),
    ),
    Planted(
        "always fails around a child of a sequence, by inverting",
        "never_tried",
        "w2",
        project(
            row("top", "sequence"),
            row("w1", "wait", "top", decorators=[("invert", {})]),
            NEXT,
        ),
    ),
    Planted(
        "a delay longer than the limit around it",
        "short_limit",
        "w1",
        project(
            TOP,
            row(
                "w1",
                "stop",
                "top",
                decorators=[
                    ("time_limit", {"limit": 1.0}),
                    ("delay", {"delay": 2.0}),
                ],
            ),
        ),
    ),
]
BY_PLAYING = [
    Planted(
        "every tick is red",
        "restarting",
        "top",
        project(TOP, row("w1", "check", "top", when="clock() > 90")),
    ),
    Planted(
        "a parallel is cut short at every tick",
        "restarting",
        "pp",
        project(
            TOP,
            row("pp", "parallel", "top"),
            row("w1", "wait", "pp"),
            row("w2", "check", "pp", when="clock() > 90"),
            row("x1", "stop", "top"),
        ),
    ),
    Planted(
        "an option wins and fails at every tick",
        "restarting",
        "oo",
        project(
            row("uu", "utility"),
            row("oo", "option", "uu", weight=0.5),
            row("w1", "check", "oo", when="clock() > 90"),
            row("o2", "option", "uu", weight=0.1),
            row("w2", "wait", "o2"),
        ),
    ),
    Planted(
        "a point that was noted before its body walked on",
        "outdated_point",
        "w2",
        project(
            row("top", "sequence"),
            row("w1", "pick_point", "top", key=KeyRef(key="p"), **AIM),
            row("w2", "move_to", "top", target=KeyRef(key="p")),
            keys=(VISITOR, SPOT),
            cast=(WALKER,),
            start=(19.0, 1.0),
            seconds=6.0,
        ),
    ),
    Planted(
        "a goal that is drawn anew too soon",
        "hasty_goal",
        "w2",
        project(
            row(
                "top",
                "sequence",
                upkeep=[
                    (
                        "pick_point",
                        0.3,
                        {
                            "key": KeyRef(key="p"),
                            "target": (10.0, 5.0),
                            "least": 4.0,
                            "most": 4.5,
                        },
                    )
                ],
            ),
            row("w2", "move_to", "top", target=KeyRef(key="p")),
            keys=(SPOT,),
            seconds=4.0,
        ),
    ),
    Planted(
        "a way that is shut",
        "not_moving",
        "go",
        project(
            TOP,
            row("go", "move_to", "top", target=PlaceRef(place="corner")),
            body=Body(walk_m_s=0.001),
            seconds=4.0,
        ),
    ),
    Planted(
        "an option that is never worth it",
        "never_ran",
        "bb",
        project(
            row("uu", "utility"),
            row("aa", "option", "uu", weight=0.9),
            row("a1", "wait", "aa"),
            row("bb", "option", "uu", weight=0.2),
            row("b1", "wait", "bb"),
        ),
    ),
]


def rules_at(found: list[Any]) -> set[tuple[str, str]]:
    return {(each.rule.id, each.row_id) for each in found}


@pytest.mark.parametrize(
    "planted", BEFORE_PLAYING, ids=lambda each: each.mistake
)
def test_a_mistake_is_found_before_anything_is_played(
    planted: Planted,
) -> None:
    made = with_events(planted.made, "bell")
    assert (planted.rule, planted.at) in rules_at(review(made, CATALOG))


@pytest.mark.parametrize("planted", BY_PLAYING, ids=lambda each: each.mistake)
def test_a_mistake_is_found_by_playing(planted: Planted) -> None:
    found = review_take(played(planted.made), CATALOG)["a"]
    assert (planted.rule, planted.at) in rules_at(found)


def test_more_than_forty_mistakes_are_planted() -> None:
    assert len(CASES) + len(BEFORE_PLAYING) + len(BY_PLAYING) >= 70


def test_what_can_be_entered_is_worked_out_once_for_each_state(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    worked_out: list[str] = []
    plain = machine_shape._entered_next

    def counted(reading: BehaviorAnalysis, row_id: str) -> Iterator[str]:
        worked_out.append(row_id)
        return plain(reading, row_id)

    monkeypatch.setattr(machine_shape, "_entered_next", counted)
    states = [
        each
        for n in range(40)
        for each in state(
            f"s{n}", when(f"t{n}", f"s{n}", f"n > {n}", f"s{(n + 1) % 40}")
        )
    ]
    found = review(project(MACHINE, *states, keys=(OPEN,)), CATALOG)
    assert {each.rule.id for each in found} == {"empty_state"}
    assert len(worked_out) == len(set(worked_out)) == 40


def test_an_island_does_not_say_that_nothing_leads_to_what_leads_to_it() -> (
    None
):
    (island,) = [
        each
        for each in BEFORE_PLAYING
        if each.mistake == "an island of states"
    ]
    found = [
        each
        for each in review(island.made, CATALOG)
        if each.rule.id == "unreached_state"
    ]
    assert [each.message for each in found] == [
        "It is never entered: what leads to it is never entered either, 1.4 dd.",
        "It is never entered: what leads to it is never entered either, 1.3 cc.",
    ]


def test_a_guard_that_always_holds_is_not_said_to_contradict_itself() -> None:
    made = project(
        TOP, row("w1", "wait", "top", guard="n > 3 or yes"), NEXT, keys=(OPEN,)
    )
    (finding,) = [
        each
        for each in review(made, CATALOG)
        if each.rule.id == "settled_guard"
    ]
    assert finding.message == "Its guard is always yes."
