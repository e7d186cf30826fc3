"""Random selectors, parallels, used behaviors, and the decorators that count,
hold and weigh.
"""

from itertools import pairwise

import pytest

from tests.small import (
    gauges,
    key,
    played,
    project,
    record,
    refusals,
    row,
    spans,
    values,
)
from umbrant.model.behaviors import (
    Behavior,
    Blackboard,
    Key,
    Override,
    Sharing,
)
from umbrant.model.staging import Member
from umbrant.model.values import KeyType, Spread

N = Key(name="n", type=KeyType.NUMBER, default=0.0)


def test_a_random_selector_tries_its_children_by_weight_until_one_succeeds() -> (
    None
):
    take = played(
        project(
            row("rr", "random_selector"),
            row(
                "aa",
                "last",
                "rr",
                ticks=0,
                decorators=[("weight", {"weight": 3.0})],
            ),
            row("bb", "last", "rr", ticks=0),
            row(
                "cc",
                "last",
                "rr",
                ticks=0,
                decorators=[("weight", {"weight": 0.0})],
            ),
            seconds=60.0,
        )
    )
    counts = {name: len(spans(take, name)) for name in ("aa", "bb", "cc")}
    assert counts["cc"] == 0
    assert counts["aa"] + counts["bb"] == 600
    assert counts["aa"] / 600 == pytest.approx(0.75, abs=0.06)


def test_a_random_selector_tries_another_child_when_one_fails_by_weights_from_keys() -> (
    None
):
    take = played(
        project(
            row("rr", "random_selector"),
            row(
                "aa",
                "last",
                "rr",
                ticks=1,
                success=False,
                decorators=[("weight", {"weight": key("n")})],
            ),
            row("bb", "last", "rr", ticks=1, success=False),
            keys=(N,),
            start_keys={"n": 1000.0},
            seconds=0.4,
        )
    )
    assert spans(take, "aa")[0] == (0, 1, "failure")
    assert spans(take, "bb")[0] == (1, 2, "failure")
    assert spans(take, "rr")[0] == (0, 2, "failure")


@pytest.mark.parametrize(
    ("setup", "ended"),
    [
        ({}, (0, 1, "failure")),
        ({"failures": 0.0}, (0, 5, "failure")),
        ({"successes": 1.0, "failures": 2.0}, (0, 3, "success")),
        ({"successes": 2.0, "failures": 2.0}, (0, 5, "success")),
    ],
)
def test_a_parallel_ends_with_enough_successes_or_failures(
    setup: dict[str, float], ended: tuple[int, int, str]
) -> None:
    take = played(
        project(
            row("pp", "parallel", **setup),
            row("aa", "last", "pp", ticks=3),
            row("bb", "last", "pp", ticks=1, success=False),
            row("cc", "last", "pp", ticks=5),
            seconds=0.6,
        )
    )
    assert spans(take, "pp")[0] == ended
    assert all(
        span[1] is not None and span[1] <= ended[1]
        for span in spans(take, "cc")[:1]
    )


def test_a_parallel_whose_children_all_succeed_succeeds_with_the_last() -> (
    None
):
    take = played(
        project(
            row("pp", "parallel"),
            row("aa", "last", "pp", ticks=1),
            row("bb", "last", "pp", ticks=3),
            seconds=0.4,
        )
    )
    assert spans(take, "pp") == [(0, 3, "success")]
    assert spans(take, "aa") == [(0, 1, "success")], (
        "one that has ended waits for the others"
    )


def test_of_a_parallels_children_no_more_run_at_once_than_it_says() -> None:
    take = played(
        project(
            row("pp", "parallel", at_once=1.0),
            row("aa", "last", "pp", ticks=2),
            row("bb", "last", "pp", ticks=1, guard="not between(0.2, 0.3)"),
            row("cc", "last", "pp", ticks=1),
            seconds=0.8,
        )
    )
    assert spans(take, "aa")[0] == (0, 2, "success")
    assert refusals(take, "bb")[:2] == [(0, 1, "in_turn"), (2, 2, "guard")]
    assert spans(take, "pp")[0] == (0, 2, "failure"), (
        "a refused child has failed"
    )
    waits = record(take, "cc").refusals[""][0].cause
    assert "".join(text for _, text in waits.parts()) == (
        "it waits its turn: no more than 1 may run at once"
    )


def test_a_child_that_waits_its_turn_begins_as_soon_as_another_has_ended() -> (
    None
):
    take = played(
        project(
            row("pp", "parallel", at_once=2.0),
            row("aa", "last", "pp", ticks=4),
            row("bb", "last", "pp", ticks=2),
            row("cc", "last", "pp", ticks=1),
            row("dd", "last", "pp", ticks=1),
            seconds=0.7,
        )
    )
    assert [spans(take, each)[0] for each in ("aa", "bb", "cc", "dd")] == [
        (0, 4, "success"),
        (0, 2, "success"),
        (2, 3, "success"),
        (3, 4, "success"),
    ]
    assert spans(take, "pp")[0] == (0, 4, "success")


def test_who_leads_ends_it_and_those_who_accompany_are_begun_again() -> None:
    def take(others: str) -> object:
        return played(
            project(
                row("ac", "accompany", others=others),
                row("aa", "last", "ac", ticks=4),
                row("bb", "last", "ac", ticks=1),
                seconds=0.5,
            )
        )

    assert spans(take("again and again"), "bb") == [
        (0, 1, "success"),
        (2, 3, "success"),
    ]  # type: ignore[arg-type]
    assert spans(take("once"), "bb") == [(0, 1, "success")]  # type: ignore[arg-type]


def test_at_most_counts_in_all_or_per_entry_of_the_row_around_it() -> None:
    def rows(counted: str) -> list[object]:
        return [
            row("ss", "selector"),
            row(
                "aa",
                "last",
                "ss",
                ticks=0,
                decorators=[("at_most", {"times": 2.0, "counted": counted})],
            ),
            row("bb", "last", "ss", ticks=1),
        ]

    in_all = played(project(*rows("in all"), seconds=1.0))
    assert len(spans(in_all, "aa")) == 2
    assert refusals(in_all, "aa")[0][2] == "at_most"
    assert gauges(in_all, "aa", "decorator 0") == [
        (0, 1.0, 2.0),
        (1, 2.0, 2.0),
    ]
    per_entry = played(project(*rows("per entry"), seconds=1.0))
    assert len(spans(per_entry, "aa")) == 10


def test_hold_keeps_a_result_for_a_while() -> None:
    take = played(
        project(
            row("ss", "selector"),
            row(
                "qq",
                "sequence",
                "ss",
                decorators=[("hold", {"duration": 0.5})],
            ),
            row("nn", "count", "qq", key=key("n"), amount=1),
            row("ff", "last", "qq", ticks=0, success=False),
            row("bb", "last", "ss", ticks=0),
            keys=(N,),
            seconds=1.0,
        )
    )
    assert [tick for tick, value in values(take, "n") if value] == [0, 5]
    assert len(spans(take, "qq")) == 10


def test_repeat_until_ends_with_success_once_the_result_has_come() -> None:
    take = played(
        project(
            row(
                "ss",
                "sequence",
                decorators=[("repeat_until", {"result": "failure"})],
            ),
            row("nn", "count", "ss", key=key("n"), amount=1),
            row("cc", "check", "ss", when="n < 4"),
            keys=(N,),
            seconds=0.5,
        )
    )
    assert spans(take, "ss")[0] == (0, 3, "success")
    assert gauges(take, "ss", "decorator 0")[:4] == [
        (tick, tick + 1.0, None) for tick in range(4)
    ]


def test_a_cooldown_may_begin_cooling_and_may_be_drawn() -> None:
    take = played(
        project(
            row("ss", "selector"),
            row(
                "aa",
                "last",
                "ss",
                ticks=0,
                decorators=[
                    (
                        "cooldown",
                        {
                            "duration": Spread(mean=0.5, half_width=0.3),
                            "first": "cooling",
                        },
                    )
                ],
            ),
            row("bb", "last", "ss", ticks=0),
            seconds=20.0,
        )
    )
    starts = [start for start, _, _ in spans(take, "aa")]
    gaps = {later - earlier for earlier, later in pairwise(starts)}
    assert starts[0] >= 2
    assert min(gaps) >= 2
    assert max(gaps) <= 8
    assert len(gaps) > 2


def test_a_chance_taken_from_a_key_is_told_with_its_roll_and_its_bound() -> (
    None
):
    take = played(
        project(
            row("ss", "selector"),
            row(
                "aa",
                "last",
                "ss",
                ticks=0,
                decorators=[("chance", {"share": key("n")})],
            ),
            row("bb", "last", "ss", ticks=0),
            keys=(N,),
            start_keys={"n": 0.25},
            seconds=40.0,
        )
    )
    assert len(spans(take, "aa")) / 400 == pytest.approx(0.25, abs=0.07)
    assert {bound for _, _, bound in gauges(take, "aa", "decorator 0")} == {
        0.25
    }


def test_a_number_bound_to_a_key_that_is_not_set_keeps_its_row_from_running_and_says_which() -> (
    None
):
    unset = Key(name="u", type=KeyType.NUMBER)
    take = played(
        project(
            row("ss", "selector"),
            row(
                "aa",
                "last",
                "ss",
                ticks=0,
                decorators=[("chance", {"share": key("u")})],
            ),
            row(
                "bb",
                "last",
                "ss",
                ticks=0,
                decorators=[("repeat", {"times": key("u")})],
            ),
            row("cc", "parallel", "ss", successes=key("u")),
            row("dd", "last", "cc", ticks=3),
            keys=(unset,),
            seconds=0.1,
        )
    )
    assert refusals(take, "aa") == [(0, 0, "not_set")]
    for row_id in ("bb", "cc"):
        cause = record(take, row_id).spans[0].cause
        assert cause is not None
        assert cause.kind == "not_set"
    assert spans(take, "dd") == [(0, 0, "stopped")], (
        "what had begun inside is stopped"
    )


INNER = Behavior(
    name="inner",
    title="Inner",
    blackboard="ik",
    rows=(
        row("top", "sequence"),
        row("add", "count", "top", key=key("total"), amount=key("step")),
        row("hold", "last", "top", ticks=1),
    ),
)
INNER_KEYS = Blackboard(
    name="ik",
    title="Inner keys",
    keys=(
        Key(name="total", type=KeyType.NUMBER, default=0.0),
        Key(name="step", type=KeyType.NUMBER, default=1.0),
    ),
)


def test_a_used_behavior_runs_inside_with_its_keys_bound() -> None:
    take = played(
        project(
            row(
                "us",
                "use_behavior",
                behavior="inner",
                binds={"total": key("n"), "step": 5.0},
            ),
            keys=(N,),
            behaviors=(INNER,),
            blackboards=(INNER_KEYS,),
            seconds=0.2,
        )
    )
    assert spans(take, "us") == [(0, 1, "success")]
    assert spans(take, "us/hold") == [(0, 1, "success")]
    assert values(take, "n") == [(0, 5.0)]
    assert take.agents["a"].keys["n"].values[-1].row_id == "us/add"


def test_used_twice_a_behavior_has_its_own_keys_each_time() -> None:
    take = played(
        project(
            row("ss", "sequence"),
            row("u1", "use_behavior", "ss", behavior="inner"),
            row(
                "u2",
                "use_behavior",
                "ss",
                behavior="inner",
                binds={"step": 3.0},
            ),
            behaviors=(INNER,),
            blackboards=(INNER_KEYS,),
            seconds=0.3,
        )
    )
    assert values(take, "u1/total")[-1][1] == 1.0
    assert values(take, "u2/total")[-1][1] == 3.0


def test_a_behavior_that_uses_itself_is_not_put_in_and_says_so() -> None:
    made = project(row("us", "use_behavior", behavior="b"), seconds=0.1)
    take = played(made)
    assert record(take, "us").spans[0].cause.kind == "nothing_inside"  # type: ignore[union-attr]


def test_a_variant_follows_its_original_but_for_its_overrides() -> None:
    variant = Behavior(
        name="v",
        title="V",
        blackboard="k",
        variant_of="b",
        overrides=(
            Override(row="aa", args={"ticks": 5.0}),
            Override(row="bb", muted=True),
            Override(
                row="cc",
                instead=(row("cc", "last", ticks=1), row("zz", "last", "cc")),
            ),
        ),
    )
    made = project(
        row("ss", "sequence"),
        row("aa", "last", "ss", ticks=1),
        row("bb", "last", "ss", ticks=1),
        row("cc", "selector", "ss"),
        row("dd", "last", "cc", ticks=7),
        behaviors=(variant,),
        cast=(Member(name="second", behavior="v", start=(5, 5)),),
    )
    take = played(made)
    rows = take.agents["second"].rows
    assert (rows["aa"].spans[0].start, rows["aa"].spans[0].end) == (0, 5)
    assert "bb" not in rows
    assert (rows["cc"].spans[0].start, rows["cc"].spans[0].end) == (5, 6)
    assert "dd" not in rows
    assert spans(take, "aa")[0] == (0, 1, "success"), (
        "the original is as it was"
    )


def test_keys_of_a_group_and_of_the_world_are_shared_and_know_who_wrote_them() -> (
    None
):
    keys = (
        Key(
            name="alarm", type=KeyType.NUMBER, default=0.0, scope=Sharing.WORLD
        ),
        Key(
            name="mark", type=KeyType.NUMBER, default=0.0, scope=Sharing.GROUP
        ),
    )
    take = played(
        project(
            row("ss", "sequence"),
            row("w1", "count", "ss", key=key("alarm"), amount=1),
            row("w2", "count", "ss", key=key("mark"), amount=1),
            row("xx", "last", "ss", ticks=50),
            keys=keys,
            group="guards",
            cast=(
                Member(name="b", behavior="b", start=(5, 5), group="guards"),
                Member(name="c", behavior="b", start=(6, 5), group="birds"),
            ),
            seconds=0.2,
        )
    )
    assert values(take, "alarm", "a")[-1] == (0, 3.0)
    assert values(take, "mark", "a")[-1] == (0, 2.0)
    assert values(take, "mark", "c")[-1] == (0, 1.0)
    assert take.agents["a"].keys["alarm"].values[-1].agent == "c"
    assert take.agents["a"].keys["mark"].values[-1].agent == "b"


def test_a_derived_key_follows_its_formula_and_cannot_be_written() -> None:
    keys = (
        N,
        Key(name="twice", type=KeyType.NUMBER, formula="n * 2"),
        Key(name="many", type=KeyType.YES_NO, formula="twice > 3"),
    )
    take = played(
        project(
            row("ss", "sequence"),
            row("nn", "count", "ss", key=key("n"), amount=1),
            row("no", "set_number", "ss", key=key("twice"), value=99),
            row("xx", "last", "ss", ticks=1),
            keys=keys,
            seconds=0.6,
        )
    )
    assert values(take, "twice")[-3:] == [(0, 2.0), (2, 4.0), (4, 6.0)]
    assert [value for _, value in values(take, "many")] == [False, True]


def test_a_blackboard_has_the_keys_of_the_one_it_extends() -> None:
    base = Blackboard(name="base", title="Base", keys=(N,))
    made = project(
        row("nn", "count", key=key("n"), amount=1),
        blackboards=(base,),
        seconds=0.1,
    )
    extended = made.blackboards[0].model_copy(update={"extends": "base"})
    take = played(made.model_copy(update={"blackboards": (extended, base)}))
    assert values(take, "n") == [(0, 1.0)]
