"""Each sort of finding: in a project that has it, and not in one that nearly
has it.
"""

from dataclasses import dataclass, field
from typing import Any

import numpy as np
import pytest

from tests.kinds import CATALOG
from tests.small import played, project, row
from umbrant.model.behaviors import (
    Behavior,
    Blackboard,
    Event,
    EventList,
    Guard,
    Key,
    NodeFile,
    Override,
    Row,
    Sharing,
    Watch,
)
from umbrant.model.documents import Dismissal, Project
from umbrant.model.staging import (
    Area,
    Body,
    Cue,
    Member,
    Place,
    RaiseEvent,
    SetKey,
)
from umbrant.model.values import Curve, KeyRef, KeyType, PlaceRef, Shape
from umbrant.reasons.decision_changes import LeadingSpan
from umbrant.review import review, review_cast, review_take
from umbrant.review.agent_take import AgentTake
from umbrant.review.findings import Finding, Subject
from umbrant.review.journeys import _first_within, _stills
from umbrant.review.rules import all_rules
from umbrant.review.takes import _flips_from

THROUGHOUT = Watch.THROUGHOUT
TOP = row("top", "selector")
MACHINE = row("top", "machine")
UTILITY = row("top", "utility")


@dataclass(frozen=True)
class Case:
    """Rows that have a finding at `at`, and rows that nearly have it."""

    sort: str
    at: str
    has: list[Row]
    nearly: list[Row]
    keys: tuple[Key, ...] = ()
    more: dict[str, Any] = field(default_factory=dict)
    nearly_more: dict[str, Any] | None = None


def number(name: str = "n", **more: Any) -> Key:
    return Key(name=name, type=KeyType.NUMBER, **more)


def state(
    row_id: str,
    *inside: Row,
    kind: str = "state",
    under: str = "top",
    **more: Any,
) -> list[Row]:
    return [row(row_id, kind, under, **more), *inside]


def when(row_id: str, under: str, condition: str, to: str) -> Row:
    return row(row_id, "when", under, when=condition, to=to)


def two_states(*more: Row, back: str = "clock() > 1") -> list[Row]:
    return [
        MACHINE,
        *state("aa"),
        *state("bb"),
        when("t2", "bb", back, "aa"),
        *more,
    ]


def with_events(made: Project, *names: str) -> Project:
    return made.model_copy(
        update={
            "event_list": EventList(
                events=tuple(Event(name=name) for name in names)
            )
        }
    )


def forever(result: str) -> list[Row]:
    until = [("repeat_until", {"result": result})]
    return [row("w1", "wait", "top", duration=1.0, decorators=until)]


def option(*considered: Row, **args: Any) -> list[Row]:
    return [UTILITY, row("oo", "option", "top", **args), *considered]


WAIT = row("w1", "wait", "top", duration=1.0)
NEXT = row("w2", "wait", "top", duration=2.0)
FLAT = Curve(shape=Shape.LINEAR, low=0, high=0)
READ = number(default=1.0)
OPEN = number(default=1.0, scope=Sharing.WORLD)
WALL = Area(name="rock", corners=((5, 2), (9, 2), (9, 8), (5, 8)))
ISLAND = (
    Area(name="n", corners=((12, 2), (18, 2), (18, 3), (12, 3))),
    Area(name="s", corners=((12, 7), (18, 7), (18, 8), (12, 8))),
    Area(name="w", corners=((12, 2), (13, 2), (13, 8), (12, 8))),
    Area(name="e", corners=((17, 2), (18, 2), (18, 8), (17, 8))),
)
NEAR = row("w2", "wait", "top", guard="n < 4", duration=1.0)
FLEE = {"target": KeyRef(key="v"), "distance": 8.0}
GO = [
    row("top", "sequence"),
    row("go", "move_to", "top", target=PlaceRef(place="spot")),
]
LOOK = [row("top", "selector"), row("w1", "check", "top", when="can_see(v)")]
SEEN = (Key(name="v", type=KeyType.AGENT, default="a"),)

CASES = [
    Case(
        "never_tried",
        "w2",
        [TOP, WAIT, NEXT],
        [TOP, row("w1", "wait", "top", guard="n > 1", duration=1.0), NEXT],
        (READ,),
    ),
    Case(
        "never_tried",
        "w2",
        [
            row("top", "sequence"),
            row(
                "w1",
                "wait",
                "top",
                duration=1.0,
                decorators=[("always_fail", {})],
            ),
            NEXT,
        ],
        [
            row("top", "sequence"),
            row(
                "w1",
                "wait",
                "top",
                duration=1.0,
                decorators=[("always_succeed", {})],
            ),
            NEXT,
        ],
    ),
    Case(
        "idle_chance",
        "w1",
        [
            TOP,
            row(
                "w1",
                "wait",
                "top",
                duration=1.0,
                decorators=[("chance", {"share": 0.0})],
            ),
        ],
        [
            TOP,
            row(
                "w1",
                "wait",
                "top",
                duration=1.0,
                decorators=[("chance", {"share": 0.01})],
            ),
        ],
    ),
    Case(
        "settled_guard",
        "w1",
        [TOP, row("w1", "wait", "top", guard="yes", duration=1.0)],
        [
            TOP,
            row(
                "w1", "wait", "top", guard="yes and clock() > 1", duration=1.0
            ),
        ],
    ),
    Case(
        "idle_take_over",
        "w1",
        [
            TOP,
            row(
                "w1",
                "wait",
                "top",
                guard=("clock() > 1", THROUGHOUT),
                duration=1.0,
            ),
        ],
        [
            TOP,
            row(
                "w1",
                "wait",
                "top",
                guard=("clock() > 1", THROUGHOUT),
                duration=1.0,
            ),
            NEXT,
        ],
    ),
    Case(
        "written_twice",
        "b0",
        [
            TOP,
            *(
                each
                for name in "ab"
                for each in (
                    row(f"{name}0", "sequence", "top", guard="clock() > 1"),
                    *(
                        row(
                            f"{name}{n}", "wait", f"{name}0", duration=float(n)
                        )
                        for n in (1, 2, 3)
                    ),
                )
            ),
        ],
        [
            TOP,
            *(
                each
                for place, name in enumerate("ab")
                for each in (
                    row(f"{name}0", "sequence", "top", guard="clock() > 1"),
                    *(
                        row(
                            f"{name}{n}",
                            "wait",
                            f"{name}0",
                            duration=float(n + place),
                        )
                        for n in (1, 2, 3)
                    ),
                )
            ),
        ],
    ),
    Case(
        "unreached_state",
        "cc",
        two_states(
            when("t1", "aa", "clock() > 1", "bb"),
            *state("cc"),
            when("t3", "cc", "clock() > 2", "aa"),
        ),
        two_states(
            when("t1", "aa", "clock() > 1", "cc"),
            *state("cc"),
            when("t3", "cc", "clock() > 2", "bb"),
        ),
    ),
    Case(
        "stuck_state",
        "bb",
        [
            MACHINE,
            *state("aa"),
            when("t1", "aa", "clock() > 1", "bb"),
            *state("bb"),
        ],
        [
            MACHINE,
            *state("aa"),
            when("t1", "aa", "clock() > 1", "bb"),
            *state("bb", kind="final"),
        ],
    ),
    Case(
        "nothing_to_do",
        "aa",
        two_states(row("t1", "on_done", "aa", to="bb")),
        two_states(
            row("t1", "on_done", "aa", to="bb"),
            row("x1", "wait", "aa", duration=1.0),
        ),
    ),
    Case(
        "beaten_transition",
        "t3",
        two_states(
            when("t1", "aa", "clock() > 1", "bb"),
            when("t3", "aa", "clock()>1", "bb"),
        ),
        two_states(
            when("t1", "aa", "clock() > 2", "bb"),
            when("t3", "aa", "clock() > 1", "bb"),
        ),
    ),
    Case(
        "beaten_transition",
        "t3",
        two_states(
            row("t1", "after", "aa", time=1.0, to="bb"),
            row("t3", "after", "aa", time=2.0, to="bb"),
        ),
        two_states(
            row("t1", "after", "aa", time=3.0, to="bb"),
            row("t3", "after", "aa", time=2.0, to="bb"),
        ),
    ),
    Case(
        "overlapping_thresholds",
        "t1",
        two_states(when("t1", "aa", "n > 5", "bb"), back="n < 6"),
        two_states(when("t1", "aa", "n > 6", "bb"), back="n < 5"),
        (OPEN,),
    ),
    Case(
        "threshold_gap",
        "aa",
        two_states(
            when("t1", "aa", "n > 5", "bb"), when("t3", "aa", "n < 3", "bb")
        ),
        two_states(
            when("t1", "aa", "n > 5", "bb"), when("t3", "aa", "n <= 5", "bb")
        ),
        (OPEN,),
    ),
    Case(
        "timeless_loop",
        "aa",
        two_states(when("t1", "aa", "yes", "bb"), back="yes"),
        two_states(when("t1", "aa", "yes", "bb")),
    ),
    Case(
        "losing_option",
        "oo",
        option(row("c1", "consider", "oo", input="n", curve=FLAT)),
        option(
            row(
                "c1",
                "consider",
                "oo",
                input="n",
                curve=FLAT.model_copy(update={"high": 0.1}),
            )
        ),
        (READ,),
    ),
    Case("losing_option", "oo", option(weight=0.0), option(weight=0.1)),
    Case(
        "narrow_range",
        "c1",
        option(row("c1", "consider", "oo", input="n", low=0.0, high=1.0)),
        option(row("c1", "consider", "oo", input="n", low=0.0, high=80.0)),
        (number(default=1.0, low=0.0, high=100.0),),
    ),
    Case(
        "never_written",
        "w1",
        [TOP, row("w1", "wait", "top", guard="n > 1", duration=1.0)],
        [TOP, row("w1", "wait", "top", guard="n > 1", duration=1.0)],
        (number(),),
        nearly_more={
            "cues": (Cue(at_s=1.0, does=SetKey(sets="n", value=2.0, of="a")),)
        },
    ),
    Case(
        "locked_by_itself",
        "se",
        [
            TOP,
            row("se", "sequence", "top", guard="n > 1"),
            row("s1", "set_number", "se", key=KeyRef(key="n"), value=1.0),
            WAIT,
        ],
        [
            TOP,
            row("se", "sequence", "top", guard="n > 1 or not is_set(n)"),
            row("s1", "set_number", "se", key=KeyRef(key="n"), value=1.0),
            WAIT,
        ],
        (number(),),
    ),
    Case(
        "never_read",
        "",
        [TOP, row("w1", "set_number", "top", key=KeyRef(key="n"), value=1.0)],
        [
            TOP,
            row(
                "w1",
                "set_number",
                "top",
                key=KeyRef(key="n"),
                value=1.0,
                guard="n < 1",
            ),
        ],
        (READ,),
    ),
    Case(
        "stale_target",
        "w1",
        [
            row("top", "sequence"),
            row(
                "w1",
                "set_point",
                "top",
                key=KeyRef(key="p"),
                target=KeyRef(key="v"),
            ),
            row("w2", "move_to", "top", target=KeyRef(key="p")),
        ],
        [
            row(
                "top",
                "sequence",
                upkeep=[
                    (
                        "set_point",
                        0.5,
                        {"key": KeyRef(key="p"), "target": KeyRef(key="v")},
                    )
                ],
            ),
            row("w2", "move_to", "top", target=KeyRef(key="p")),
        ],
        (*SEEN, Key(name="p", type=KeyType.POINT)),
    ),
    Case(
        "stale_target",
        "w1",
        [
            row(
                "top",
                "sequence",
                upkeep=[
                    (
                        "set_point",
                        0.5,
                        {"key": KeyRef(key="p"), "target": KeyRef(key="v")},
                    )
                ],
            ),
            row(
                "w1",
                "copy",
                "top",
                source=KeyRef(key="p"),
                key=KeyRef(key="q"),
            ),
            row("w2", "move_to", "top", target=KeyRef(key="q")),
        ],
        [
            row("top", "sequence"),
            row(
                "w1",
                "copy",
                "top",
                source=KeyRef(key="p"),
                key=KeyRef(key="q"),
            ),
            row("w2", "move_to", "top", target=KeyRef(key="q")),
        ],
        (
            *SEEN,
            Key(name="p", type=KeyType.POINT),
            Key(name="q", type=KeyType.POINT),
        ),
    ),
    Case(
        "empty_state",
        "bb",
        two_states(
            when("t1", "aa", "clock() > 1", "bb"),
            row("x1", "wait", "aa", duration=1.0),
        ),
        two_states(
            when("t1", "aa", "clock() > 1", "bb"),
            row("x1", "wait", "aa", duration=1.0),
            row("x2", "wait", "bb", duration=1.0),
        ),
    ),
    Case(
        "unheard_event",
        "w1",
        [TOP, row("w1", "raise_event", "top", event="bell.low")],
        [
            TOP,
            row("w1", "raise_event", "top", event="bell.low"),
            row("w2", "check", "top", when='event("bell")'),
        ],
    ),
    Case(
        "never_raised",
        "w1",
        [TOP, row("w1", "check", "top", when='event("bell")')],
        [TOP, row("w1", "check", "top", when='event("bell")')],
        nearly_more={
            "cues": (Cue(at_s=1.0, does=RaiseEvent(raises="bell.low")),)
        },
    ),
    Case(
        "never_raised",
        "t1",
        two_states(row("t1", "on_event", "aa", event="gong", to="bb")),
        two_states(row("t1", "on_event", "aa", event="bell", to="bb")),
        more={"cues": (Cue(at_s=1.0, does=RaiseEvent(raises="bell")),)},
    ),
    Case(
        "start_off_ground",
        "",
        [TOP, WAIT],
        [TOP, WAIT],
        more={"areas": (WALL,), "start": (7, 5)},
        nearly_more={"areas": (WALL,)},
    ),
    Case(
        "unreachable_place",
        "",
        GO,
        GO,
        more={"areas": ISLAND, "places": (Place(name="spot", at=(15, 5)),)},
        nearly_more={
            "areas": ISLAND[:3],
            "places": (Place(name="spot", at=(15, 5)),),
        },
    ),
    Case(
        "unrepeatable_node",
        "",
        [TOP, WAIT],
        [TOP, WAIT],
        more={
            "nodes": (
                NodeFile(
                    name="mine.py",
                    text="def hum():\n    from random import random\n",
                ),
            )
        },
        nearly_more={
            "nodes": (
                NodeFile(
                    name="mine.py", text="import math\n'import random'\n"
                ),
            )
        },
    ),
    Case(
        "blind",
        "",
        LOOK,
        LOOK,
        SEEN,
        {"body": Body(sight_m=0)},
        {"body": Body(sight_m=1)},
    ),
    Case(
        "deaf",
        "",
        [TOP, row("w1", "check", "top", when="heard()")],
        [TOP, row("w1", "check", "top", when="heard()")],
        more={"body": Body(hearing_m=0)},
        nearly_more={"body": Body(hearing_m=1)},
    ),
    Case(
        "reentered_state",
        "aa",
        two_states(when("t1", "top", "n > 5", "aa"), back="n < 3"),
        two_states(when("t1", "bb", "n > 5", "aa"), back="n < 3"),
        (OPEN,),
    ),
    Case(
        "closed_ring",
        "bb",
        [
            MACHINE,
            *state("aa", when("t1", "aa", "n > 1", "bb")),
            *state("bb", when("t2", "bb", "n > 2", "cc")),
            *state("cc", when("t3", "cc", "n > 3", "bb")),
        ],
        [
            MACHINE,
            *state("aa", when("t1", "aa", "n > 1", "bb")),
            *state("bb", when("t2", "bb", "n > 2", "cc")),
            *state("cc", when("t3", "cc", "n > 3", "aa")),
        ],
        (OPEN,),
    ),
    Case(
        "unhandled_end",
        "aa",
        two_states(
            row("w1", "check", "aa", when="n > 1"),
            row("t1", "on_done", "aa", result="success", to="bb"),
        ),
        two_states(
            row("w1", "check", "aa", when="n > 1"),
            row("t1", "on_done", "aa", to="bb"),
        ),
        (OPEN,),
    ),
    Case(
        "hidden_band",
        "w2",
        [TOP, row("w1", "check", "top", guard="n < 8", when="n > 1"), NEAR],
        [TOP, NEAR, row("w1", "check", "top", guard="n < 8", when="n > 1")],
        (OPEN,),
    ),
    Case(
        "early_guard",
        "w1",
        [
            TOP,
            row(
                "w1",
                "move_away",
                "top",
                guard=("distance(v) < 5", THROUGHOUT),
                **FLEE,
            ),
            NEXT,
        ],
        [
            TOP,
            row(
                "w1",
                "move_away",
                "top",
                guard=("distance(v) < 9", THROUGHOUT),
                **FLEE,
            ),
            NEXT,
        ],
        SEEN,
    ),
    Case(
        "ends_own_guard",
        "sq",
        [
            TOP,
            row("sq", "sequence", "top", guard=("not lit", THROUGHOUT)),
            row("s1", "set_yes_no", "sq", key=KeyRef(key="lit"), value=True),
            row("w1", "wait", "sq", duration=1.0),
            NEXT,
        ],
        [
            TOP,
            row("sq", "sequence", "top", guard=("not lit", THROUGHOUT)),
            row("w1", "wait", "sq", duration=1.0),
            row("s1", "set_yes_no", "sq", key=KeyRef(key="lit"), value=True),
            NEXT,
        ],
        (Key(name="lit", type=KeyType.YES_NO, default=False),),
    ),
    Case(
        "out_of_reach",
        "w2",
        [
            row("top", "sequence"),
            row("w1", "move_to", "top", target=KeyRef(key="v"), reach=2.0),
            row("w2", "strike", "top", target=KeyRef(key="v")),
        ],
        [
            row("top", "sequence"),
            row("w1", "move_to", "top", target=KeyRef(key="v"), reach=1.0),
            row("w2", "strike", "top", target=KeyRef(key="v")),
        ],
        SEEN,
    ),
    Case(
        "endless_repeat",
        "w1",
        [row("top", "sequence"), *forever("failure"), NEXT],
        [row("top", "sequence"), *forever("success"), NEXT],
    ),
    Case(
        "short_limit",
        "w1",
        [
            TOP,
            row(
                "w1",
                "wait",
                "top",
                duration=3.0,
                decorators=[("time_limit", {"limit": 2.0})],
            ),
        ],
        [
            TOP,
            row(
                "w1",
                "wait",
                "top",
                duration=1.0,
                decorators=[("time_limit", {"limit": 2.0})],
            ),
        ],
    ),
    Case(
        "impossible_condition",
        "w1",
        [TOP, row("w1", "check", "top", when="n > 5 and n < 3")],
        [TOP, row("w1", "check", "top", when="n > 3 and n < 5")],
        (OPEN,),
    ),
    Case(
        "unknown_name",
        "w1",
        [TOP, row("w1", "check", "top", when='count_of("gulls") > 0')],
        [TOP, row("w1", "check", "top", when='count_of("gulls") > 0')],
        nearly_more={"group": "gulls"},
    ),
    Case(
        "late_cue",
        "",
        [TOP, row("w1", "check", "top", when='event("bell")')],
        [TOP, row("w1", "check", "top", when='event("bell")')],
        more={"cues": (Cue(at_s=2.0, does=RaiseEvent(raises="bell.low")),)},
        nearly_more={
            "cues": (Cue(at_s=1.9, does=RaiseEvent(raises="bell.low")),)
        },
    ),
    Case(
        "unscaled_input",
        "c1",
        option(row("c1", "consider", "oo", input="distance(v)")),
        option(
            row("c1", "consider", "oo", input="distance(v)", low=0.0, high=8.0)
        ),
        SEEN,
    ),
]


def found(
    sort: str, rows: list[Row], keys: tuple[Key, ...], more: dict[str, Any]
) -> list[Finding]:
    made = with_events(project(*rows, keys=keys, **more), "bell", "bell.low")
    made = made.model_copy(update={"nodes": more.get("nodes", ())})
    return [each for each in review(made, CATALOG) if each.rule.id == sort]


@pytest.mark.parametrize(
    "case", CASES, ids=lambda case: f"{case.sort}-{case.at}"
)
def test_a_project_that_has_it_is_told_and_one_that_nearly_has_it_is_not(
    case: Case,
) -> None:
    messages = found(case.sort, case.has, case.keys, case.more)
    assert [each.row_id for each in messages] == [case.at]
    assert messages[0].message.endswith(".")
    assert (
        found(
            case.sort,
            case.nearly,
            case.keys,
            case.nearly_more if case.nearly_more is not None else case.more,
        )
        == []
    )


@pytest.mark.parametrize(
    "case", CASES, ids=lambda case: f"{case.sort}-{case.at}"
)
def test_a_fix_takes_the_finding_away(case: Case) -> None:
    for each in found(case.sort, case.has, case.keys, case.more):
        if each.fix is not None:
            mended = each.fix.apply(
                with_events(project(*case.has, keys=case.keys, **case.more))
            )
            assert each.key not in [
                other.key for other in review(mended, CATALOG)
            ]


def test_every_sort_in_documents_has_a_case_and_every_sort_its_words() -> None:
    rules = all_rules().values()
    documents = {rule.id for rule in rules if rule.subject is not Subject.TAKE}
    assert documents == {case.sort for case in CASES}
    assert all(
        rule.title and rule.why.endswith(".") and rule.about for rule in rules
    )


def test_a_dismissed_finding_is_not_told_again() -> None:
    made = project(TOP, WAIT, NEXT)
    (finding,) = review(made, CATALOG)
    cover = made.cover.model_copy(
        update={"dismissed": (Dismissal(finding=finding.key, reason="meant"),)}
    )
    assert review(made.model_copy(update={"cover": cover}), CATALOG) == []


def test_a_variant_is_told_only_of_what_is_its_own() -> None:
    made = project(
        TOP,
        WAIT,
        NEXT,
        behaviors=(
            Behavior(name="v", title="V", blackboard="k", variant_of="b"),
        ),
    )
    assert [each.file for each in review(made, CATALOG)] == [
        "behaviors/b.json"
    ]


def test_the_same_rows_in_two_behaviors_are_told_where_they_share_a_blackboard() -> (
    None
):
    rows = [
        TOP,
        row("a0", "sequence", "top"),
        *(row(f"a{n}", "wait", "a0", duration=float(n)) for n in (1, 2, 3, 4)),
    ]
    made = project(*rows)
    (first,) = made.behaviors
    second = first.model_copy(
        update={"name": f"{first.name}-too", "title": "Too"}
    )
    messages = [
        each
        for each in review(with_behaviors(made, first, second), CATALOG)
        if each.rule.id == "written_twice"
    ]
    assert [(each.file, each.row_id) for each in messages] == [
        (f"behaviors/{second.name}.json", "top")
    ]
    assert first.title in messages[0].message
    elsewhere = second.model_copy(update={"blackboard": "other"})
    found = review(with_behaviors(made, first, elsewhere), CATALOG)
    assert not [each for each in found if each.rule.id == "written_twice"]


def with_behaviors(made: Project, *behaviors: Behavior) -> Project:
    return made.model_copy(update={"behaviors": behaviors})


def of_take(sort: str, made: Project) -> list[Finding]:
    return [
        each
        for each in review_take(played(made), CATALOG)["a"]
        if each.rule.id == sort
    ]


def test_rows_that_never_ran_are_told_with_why() -> None:
    rows = [
        TOP,
        row("w1", "wait", "top", guard="clock() > 9", duration=1.0),
        NEXT,
    ]
    (messages,) = of_take("never_ran", project(*rows))
    assert messages.row_id == "w1"
    assert (
        messages.message
        == "It never ran. It was refused once, last at 0.00 s: the time is 0 s, not above 9 s."
    )
    assert of_take("never_ran", project(TOP, WAIT)) == []


def test_why_a_row_never_ran_is_of_when_it_could_have_had_its_turn() -> None:
    rows = [
        TOP,
        row("sq", "sequence", "top", name="Go", guard="clock() < 0.35"),
        row("s1", "last", "sq", name="Try", ticks=3, success=False),
        row("s2", "last", "sq", name="And then"),
        NEXT,
    ]
    (found,) = of_take("never_ran", project(*rows))
    assert found.message == (
        "It never ran. At 0.30 s: And then comes after Try, and is tried only "
        "when that has succeeded. Try failed at this tick."
    )


def test_why_a_row_never_ran_is_of_when_its_turn_was_lost() -> None:
    """Not of the round after that, which has not come so far."""
    rows = [
        row("sq", "sequence", name="Go"),
        row("s1", "last", "sq", name="Wait", ticks=6),
        row("s2", "last", "sq", name="Try", success=False, ticks=0),
        row("s3", "sequence", "sq", name="And then"),
        row("in", "last", "s3"),
        row("s4", "last", "sq", name="At last"),
    ]
    (found,) = of_take("never_ran", project(*rows, seconds=1.0))
    assert found.row_id == "s3"
    assert found.message == (
        "It never ran, nor did 1.4 At last. At 0.60 s: And then comes after "
        "Try, and is tried only when that has succeeded. Try failed at this "
        "tick."
    )
    more = [row(f"m{n}", "last", "sq") for n in range(3)]
    (found,) = of_take("never_ran", project(*rows, *more, seconds=1.0))
    assert found.message.startswith(
        "It never ran, nor did the 4 rows after it. At 0.60 s: "
    )


def test_each_row_that_was_refused_says_why_it_never_ran() -> None:
    rows = [
        TOP,
        row("w1", "wait", "top", guard="clock() > 9", duration=1.0),
        row("w2", "wait", "top", guard="clock() > 8", duration=1.0),
        row("w3", "wait", "top", duration=1.0),
    ]
    found = of_take("never_ran", project(*rows))
    assert [each.row_id for each in found] == ["w1", "w2"]


def flips(period: float) -> list[Row]:
    turns = " or ".join(
        f"between({n * period}, {(n + 1) * period})" for n in (0, 2, 4, 6)
    )
    return [
        TOP,
        row("w1", "tidy", "top", guard=(turns, THROUGHOUT), text="x"),
        row("w2", "tidy", "top", text="y"),
    ]


def test_flipping_is_told_with_both_causes() -> None:
    (messages,) = of_take("flipping", project(*flips(0.2), seconds=4.0))
    assert "1.1 w1 and 1.2 w2 took turns" in messages.message
    assert "At 0.20 s w2: w1 was left: " in messages.message
    assert "At 0.40 s w1: between 0.4 s and 0.6 s is yes." in messages.message
    assert of_take("flipping", project(*flips(0.7), seconds=8.0)) == []


def test_a_machine_that_goes_round_within_a_tick_is_told_with_its_ring() -> (
    None
):
    def made(low: str) -> Project:
        return project(
            *two_states(when("t1", "aa", "n < 5", "bb"), back=low),
            keys=(number(default=1.0),),
        )

    (messages,) = of_take("unsettled", made("n < 7"))
    assert messages.message == (
        "It was cut off at 20 ticks, first at 0.00 s: 1.1.1 t1 and 1.2.1 t2 led it back within "
        "one tick to where it was, with its keys as they were; so it stopped there: n is 1, below "
        "5, and n is 1, below 7."
    )
    assert of_take("unsettled", made("n > 7")) == []


def test_going_and_not_moving_is_told() -> None:
    rows = [
        row("top", "sequence"),
        row("go", "move_to", "top", target=PlaceRef(place="corner")),
    ]
    slow = project(*rows, body=Body(walk_m_s=0.001), seconds=4.0)
    (messages,) = of_take("not_moving", slow)
    assert messages.row_id == "go"
    assert of_take("not_moving", project(*rows, seconds=4.0)) == []


def test_a_key_that_was_written_and_kept_its_value_is_told() -> None:
    def messages(*values: float) -> list[Finding]:
        sets = [
            row(f"w{n}", "set_number", "top", key=KeyRef(key="n"), value=value)
            for n, value in enumerate(values)
        ]
        return of_take(
            "unchanged_key",
            project(
                row("top", "sequence"),
                *sets,
                row("x1", "wait", "top"),
                keys=(READ,),
            ),
        )

    assert [each.about for each in messages(1.0, 1.0)] == ["n"]
    assert messages(1.0, 2.0) == []


def turns(changes: int) -> list[Row]:
    """Two rows that take the lead from each other so many times, a fifth of a
    second apart; then one keeps it.
    """
    turns_of_first = [
        f"between({n * 0.2}, {(n + 1) * 0.2})" for n in range(0, changes, 2)
    ]
    keeps = [] if changes % 2 else [f"between({changes * 0.2}, 9)"]
    guard = " or ".join([*turns_of_first, *keeps]), THROUGHOUT
    return [
        TOP,
        row("w1", "tidy", "top", guard=guard, text="x"),
        row("w2", "tidy", "top", text="y"),
    ]


def test_three_changes_are_no_flipping_yet_and_four_are() -> None:
    assert of_take("flipping", project(*turns(3), seconds=3.0)) == []
    (messages,) = of_take("flipping", project(*turns(4), seconds=3.0))
    assert "took turns 4 times" in messages.message


def test_who_keeps_a_ring_may_stand() -> None:
    ring = row(
        "top",
        "keep_ring",
        target=(5.0, 5.0),
        distance=3.0,
        duration=4.0,
        turning="by the shorter way",
    )
    assert (
        of_take("not_moving", project(ring, start=(2, 5), seconds=4.0)) == []
    )


def test_a_finding_of_many_copies_is_one_that_counts_them() -> None:
    flock = Member(name="gull", behavior="b", start=(9.0, 5.0), copies=3)
    take = played(
        project(
            TOP, WAIT, row("w2", "wait", "top", duration=1.0), cast=(flock,)
        )
    )
    found = [
        each
        for each in review_cast(take, CATALOG)
        if each.finding.rule.id == "never_ran"
    ]
    assert [each.agents for each in found] == [
        ("a",),
        ("gull_1", "gull_2", "gull_3"),
    ]
    assert str(found[1]).startswith(
        "gull_1 (and 2 more like it): hint: behaviors/b.json: row "
    )


def test_a_dismissed_finding_of_a_take_stays_away() -> None:
    made = project(TOP, WAIT, row("w2", "wait", "top", duration=1.0))
    (finding,) = [each.finding for each in review_cast(played(made), CATALOG)]
    cover = made.cover.model_copy(
        update={"dismissed": (Dismissal(finding=finding.key),)}
    )
    assert (
        review_cast(played(made.model_copy(update={"cover": cover})), CATALOG)
        == []
    )


def test_an_option_that_never_ran_names_its_best_score_and_who_won() -> None:
    rows = (
        row("uu", "utility"),
        row("aa", "option", "uu", name="Low"),
        row("a1", "consider", "aa", input="clock() / 2", high=1.0),
        row("bb", "option", "uu", name="High"),
    )
    found = of_take("never_ran", project(*rows))
    assert (
        "Its best score was 0.95, at 1.90 s; 1.2 High scored 1.00 then."
        in found[0].message
    )


def test_a_transition_whose_rival_asks_more_is_not_beaten() -> None:
    for first, second in (
        (
            row("t1", "after", "s1", time=1.0, when="n > 2"),
            row("t2", "after", "s1", time=2.0),
        ),
        (row("t1", "on_done", "s1", when="n > 2"), row("t2", "on_done", "s1")),
    ):
        states = (
            MACHINE,
            row("s1", "state", "top"),
            row("x1", "last", "s1", ticks=1),
        )
        to = {"to": "s2"}
        rivals = [
            each.model_copy(update={"args": {**each.args, **to}})
            for each in (first, second)
        ]
        made = project(
            *states,
            *rivals,
            row("s2", "state", "top"),
            keys=(number(default=1.0),),
        )
        kinds = [each.rule.id for each in review(made, CATALOG)]
        assert "beaten_transition" not in kinds
        bare = rivals[0].model_copy(
            update={
                "args": {
                    k: v for k, v in rivals[0].args.items() if k != "when"
                }
            }
        )
        made = project(*states, bare, rivals[1], row("s2", "state", "top"))
        assert "beaten_transition" in [
            each.rule.id for each in review(made, CATALOG)
        ]


def test_going_out_and_back_is_no_standing_still() -> None:
    there = np.linspace(0, 0.9, 8)
    places = np.zeros((46, 3), dtype=np.float32)
    places[:16, 0] = np.concatenate((there, there[::-1]))
    places[16:32, 0] = np.concatenate((there, there[::-1]))
    places[32:, 0] = np.linspace(0, 2, 14)
    assert _first_within(_stills(places, 15), 0, 45 - 15) is None
    still = _stills(np.zeros((46, 3), dtype=np.float32), 15)
    assert _first_within(still, 0, 45 - 15) == 0


def test_what_asks_whether_an_event_has_not_come_does_not_wait_for_it() -> (
    None
):
    made = project(TOP, row("w1", "wait", "top", guard="not event('gong')"))
    found = [each.message for each in review(made, CATALOG)]
    assert "It asks for gong, which nothing raises." in found


def test_a_row_that_uses_a_behavior_writes_by_its_upkeep_and_by_what_is_bound() -> (
    None
):
    """Also where the behavior that is used is a variant of another."""
    inner = Behavior(
        name="inner",
        title="Inner",
        blackboard="inner",
        rows=(row("i1", "set_number", key=KeyRef(key="level"), value=1.0),),
    )
    varied = Behavior(
        name="varied", title="Varied", blackboard="inner", variant_of="inner"
    )
    board = Blackboard(name="inner", title="Inner", keys=(number("level"),))
    sets = ("set_number", 0.2, {"key": KeyRef(key="n"), "value": 2.0})
    for more in (
        {"behavior": "inner", "upkeep": [sets]},
        {"behavior": "inner", "binds": {"level": KeyRef(key="n")}},
        {"behavior": "varied", "binds": {"level": KeyRef(key="n")}},
    ):
        made = project(
            TOP,
            row("u1", "use_behavior", "top", **more),
            row("w1", "wait", "top", guard="n > 1"),
            keys=(number(),),
            behaviors=(inner, varied),
            blackboards=(board,),
        )
        found = [each.about for each in review(made, CATALOG)]
        assert "n" not in found, more


def test_what_a_variant_writes_is_no_number_that_stays() -> None:
    """Its original never writes the key, which would make the guard never
    hold.
    """
    made = project(
        TOP,
        row("w1", "wait", "top", guard="n > 1", duration=1.0),
        row("s1", "set_number", "top", key=KeyRef(key="m"), value=2.0),
        keys=(number(default=0.0), number("m", default=0.0)),
    )
    other = Behavior(
        name="other",
        title="Other",
        blackboard="k",
        variant_of="b",
        overrides=(Override(row="s1", **{"with": {"key": KeyRef(key="n")}}),),
    )

    def sorts(made: Project) -> list[str]:
        found = review(made, CATALOG)
        return [each.rule.id for each in found if each.row_id == "w1"]

    assert "settled_guard" in sorts(made)
    both = made.model_copy(update={"behaviors": (*made.behaviors, other)})
    assert "settled_guard" not in sorts(both)


def test_a_guard_that_is_not_watched_or_set_again_is_not_ended_by_its_row() -> (
    None
):
    flag = {"key": KeyRef(key="lit")}
    lit = Key(name="lit", type=KeyType.YES_NO, default=False)
    again = ("set_yes_no", 0.2, {**flag, "value": False})

    def found(watch: Watch, *more: Row, **around: Any) -> list[Finding]:
        made = project(
            TOP,
            row("sq", "sequence", "top", guard=("not lit", watch), **around),
            row("s1", "set_yes_no", "sq", value=True, **flag),
            *more,
            keys=(lit,),
        )
        every = review(made, CATALOG)
        return [each for each in every if each.rule.id == "ends_own_guard"]

    waits = row("w1", "wait", "sq", duration=1.0)
    (flagged,) = found(THROUGHOUT, waits)
    assert flagged.fix is not None
    mended = flagged.fix.apply(
        project(
            TOP, row("sq", "sequence", "top", guard=("not lit", THROUGHOUT))
        )
    )
    guard = mended.behaviors[0].row("sq").guard
    assert guard == Guard(when="not lit", watch=Watch.TAKE_OVER)
    assert found(Watch.TAKE_OVER, waits) == []
    assert found(THROUGHOUT, waits, upkeep=[again]) == []
    off = row("s2", "set_yes_no", "sq", value=False, **flag)
    assert found(THROUGHOUT, off, waits) == []
    assert found(THROUGHOUT, row("s2", "stop", "sq")) == []


def test_only_what_stood_while_a_row_ran_is_standing_still() -> None:
    places = np.zeros((60, 3), dtype=np.float32)
    places[:, 0] = [*range(20), *[20] * 20, *range(20, 40)]
    places[45] = np.nan  # off the stage for a tick
    still = _stills(places, 10)
    assert _first_within(still, 0, 19) is None
    assert _first_within(still, 0, 59) == 20
    assert _first_within(still, 25, 59) == 25
    assert _first_within(still, 31, 59) is None


def test_a_row_that_now_runs_and_now_restarts_takes_no_turns_with_itself() -> (
    None
):
    made = project(row("top", "selector"), row("one", "last", "top", ticks=9))
    run = AgentTake(played(made), "a", CATALOG)
    rows = ("one", "one", "two", "one", "two", "one")
    leads = tuple(
        LeadingSpan(tick, tick, row_id, restarts=tick == 1)
        for tick, row_id in enumerate(rows)
    )
    assert _flips_from(run, leads, 0) == 0
    assert _flips_from(run, leads, 1) == len(leads) - 1


def test_what_only_a_row_itself_sets_is_told_from_what_others_do() -> None:
    sets = ("set_number", 0.2, {"key": KeyRef(key="n"), "value": 2.0})
    itself = row("w1", "wait", "top", guard="n > 1", upkeep=[sets])
    inside = [
        row("w1", "sequence", "top", name="Go", guard="n > 1"),
        row("s1", "set_number", "w1", key=KeyRef(key="n"), value=1.0),
    ]
    said = [
        next(
            each.message
            for each in review(
                project(TOP, *rows, NEXT, keys=(number(),)), CATALOG
            )
            if each.rule.id == "locked_by_itself"
        )
        for rows in ([itself], inside)
    ]
    assert said == [
        "Its guard needs n, and only this row gives that a value, once it "
        "runs.",
        "Its guard needs n, and only 1.1.1 s1 gives that a value, "
        "which cannot run before this row has.",
    ]
