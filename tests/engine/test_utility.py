"""Utilities: scores, winners, staying, candidates, and the same numbers one at
a time and in arrays.
"""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.kinds import CATALOG
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
from umbrant.catalog.causes import Cause
from umbrant.catalog.curves import worth, worth_grid
from umbrant.engine.recorder import NullRecorder
from umbrant.engine.runner import CastContext, Runner
from umbrant.engine.scoring import combined, combined_grid
from umbrant.model.behaviors import Key, Watch
from umbrant.model.documents import Project
from umbrant.model.parts import candidate_part
from umbrant.model.staging import Cue, Member, Prop, TakeAway
from umbrant.model.values import Curve, KeyType, Shape
from umbrant.stage.world import StageWorld

N = Key(name="n", type=KeyType.NUMBER, default=0.0)
RISING = Curve(shape=Shape.LINEAR)
FALLING = Curve(shape=Shape.LINEAR, flipped=True)


def two(**setup: object) -> list[object]:
    """A utility of an option that gets better with time, from 0 to 2 s, and
    one that gets worse.
    """
    return [
        row("uu", "utility", **setup),
        row("late", "option", "uu"),
        row("c1", "consider", "late", input="clock()", high=2.0, curve=RISING),
        row("x1", "last", "late", ticks=100),
        row("early", "option", "uu"),
        row(
            "c2", "consider", "early", input="clock()", high=2.0, curve=FALLING
        ),
        row("x2", "last", "early", ticks=100),
    ]


def test_the_highest_score_wins_and_the_loser_is_stopped_with_both_scores() -> (
    None
):
    take = played(project(*two()))
    assert spans(take, "early") == [(0, 11, "stopped")]
    assert spans(take, "late") == [(11, None, None)]
    assert spans(take, "x2") == [(0, 11, "stopped")]
    why = record(take, "early").spans[0].cause
    assert why is not None
    assert (why.kind, why.facts["row"]) == ("outscored", "late")
    assert why.facts["score"] == pytest.approx(0.55, abs=0.01)
    assert why.facts["own"] == pytest.approx(0.45, abs=0.01)


def test_scores_and_what_was_considered_are_recorded() -> None:
    take = played(project(*two()))
    assert gauges(take, "late")[0] == (0, 0.0, 0.0)
    tick, worth_then, given_then = gauges(take, "c1")[5]
    assert (tick, worth_then, given_then) == (
        5,
        pytest.approx(0.25, abs=0.01),
        pytest.approx(0.5, abs=0.01),
    )


def test_a_stay_bonus_and_a_least_hold_keep_it_from_changing_too_soon() -> (
    None
):
    assert spans(played(project(*two(stay_bonus=0.2))), "early")[0][1] == 13
    assert spans(played(project(*two(hold=1.5))), "early")[0][1] == 15
    assert spans(played(project(*two(every=0.8))), "early")[0][1] == 16


def test_below_the_threshold_nothing_is_chosen_and_it_fails() -> None:
    take = played(project(*two(threshold=0.9), seconds=0.5))
    assert spans(take, "early")[0] == (0, 2, "stopped")
    assert record(take, "uu").spans[0].cause.kind == "below_threshold"  # type: ignore[union-attr]


def test_a_weight_and_a_key_bound_to_it_count() -> None:
    rows = two()
    rows[1] = row("late", "option", "uu", weight=key("n"))
    assert spans(played(project(*rows, keys=(N,))), "late") == []
    assert (
        spans(
            played(project(*rows, keys=(N,), start_keys={"n": 5.0})), "late"
        )[0][0]
        == 4
    )


def test_an_option_whose_guard_says_no_is_not_chosen() -> None:
    rows = two()
    rows[4] = row("early", "option", "uu", guard="not between(0, 0.3)")
    take = played(project(*rows))
    assert refusals(take, "early") == [(0, 2, "guard")]
    assert spans(take, "late")[0] == (1, 3, "stopped")
    assert spans(take, "early")[0][0] == 3


def test_when_an_option_ends_it_decides_again_or_ends_with_it() -> None:
    def rows(then: str) -> list[object]:
        return [
            row("uu", "utility", then=then),
            row("oo", "option", "uu"),
            row("x1", "last", "oo", ticks=2, success=False),
        ]

    again = played(project(*rows("decide again"), seconds=0.9))
    assert spans(again, "uu") == [(0, None, None)]
    assert spans(again, "oo")[:2] == [(0, 2, "failure"), (3, 5, "failure")]
    ends = played(project(*rows("end with it"), seconds=0.9))
    assert spans(ends, "uu")[0] == (0, 2, "failure")


def test_drawn_among_the_best_it_takes_each_about_as_often_as_its_score_says() -> (
    None
):
    rows = [row("uu", "utility", winner="among the best", best=2)]
    for name, worth_of in (("aa", 0.6), ("bb", 0.3), ("cc", 0.1)):
        rows += [
            row(name, "option", "uu"),
            row(f"c{name}", "consider", name, input=str(worth_of)),
            row(f"x{name}", "last", name, ticks=0),
        ]
    take = played(project(*rows, seconds=60.0))
    counts = {name: len(spans(take, name)) for name in ("aa", "bb", "cc")}
    assert counts["cc"] == 0
    assert counts["aa"] / (counts["aa"] + counts["bb"]) == pytest.approx(
        2 / 3, abs=0.06
    )


def test_within_a_margin_only_those_near_the_best_are_drawn() -> None:
    rows = [row("uu", "utility", winner="within a margin", margin=0.15)]
    for name, worth_of in (("aa", 0.6), ("bb", 0.5), ("cc", 0.4)):
        rows += [
            row(name, "option", "uu"),
            row(f"c{name}", "consider", name, input=str(worth_of)),
            row(f"x{name}", "last", name, ticks=0),
        ]
    take = played(project(*rows, seconds=10.0))
    assert spans(take, "aa")
    assert spans(take, "bb")
    assert not spans(take, "cc")


def test_an_option_is_scored_for_each_candidate_and_keeps_the_best_in_a_key() -> (
    None
):
    quarry = Key(name="quarry", type=KeyType.AGENT)
    take = played(
        project(
            row("uu", "utility"),
            row("chase", "option", "uu", among="people", target=key("quarry")),
            row(
                "near",
                "consider",
                "chase",
                input="distance(quarry)",
                high=20.0,
                curve=FALLING,
            ),
            row("go", "move_to", "chase", target=key("quarry"), reach=1.0),
            keys=(quarry,),
            cast=(
                Member(name="far", start=(18, 5), group="people"),
                Member(name="close", start=(5, 5), group="people"),
                Member(name="other", start=(3, 5), group="birds"),
            ),
        )
    )
    assert values(take, "quarry") == [(0, "close")]
    assert take.agents["a"].keys["quarry"].values[0].row_id == "chase"
    assert record(take, "chase").gauges[""].values[0].about == "close"


def test_the_stay_bonus_is_for_the_candidate_that_it_stays_with() -> None:
    quarry = Key(name="quarry", type=KeyType.AGENT)
    take = played(
        project(
            row("uu", "utility", stay_bonus=0.2),
            row("chase", "option", "uu", among="people", target=key("quarry")),
            row(
                "near",
                "consider",
                "chase",
                input="distance(quarry)",
                high=20.0,
                curve=FALLING,
            ),
            row("go", "wait", "chase", duration=9.0),
            row("rest", "option", "uu", weight=0.01),
            keys=(quarry,),
            cast=(
                Member(name="far", start=(18, 5), group="people"),
                Member(name="close", start=(5, 5), group="people"),
            ),
        )
    )
    bonuses = {
        name: [
            each.of
            for each in record(take, "chase")
            .gauges[candidate_part(name)]
            .values
        ]
        for name in ("far", "close")
    }
    assert bonuses == {"far": [0.0], "close": [0.0, 0.2]}
    assert [each.of for each in record(take, "rest").gauges[""].values] == [
        0.0
    ]
    assert [each.of for each in record(take, "chase").gauges[""].values] == [
        0.0,
        0.2,
    ]


def test_without_a_candidate_an_option_is_out() -> None:
    quarry = Key(name="quarry", type=KeyType.PROP)
    take = played(
        project(
            row("uu", "utility"),
            row("eat", "option", "uu", among="fish", target=key("quarry")),
            row("rest", "option", "uu", weight=0.1),
            keys=(quarry,),
            props=(Prop(name="lamp", group="lamps", at=(1, 1)),),
        )
    )
    assert spans(take, "rest") == [(0, None, None)]
    assert spans(take, "eat") == []


def test_an_option_whose_last_candidate_goes_is_left_for_that() -> None:
    quarry = Key(name="quarry", type=KeyType.AGENT)
    take = played(
        project(
            row("uu", "utility"),
            row("greet", "option", "uu", among="people", target=key("quarry")),
            row("w1", "wait", "greet", duration=9.0),
            row("rest", "option", "uu", weight=0.1),
            row("w2", "wait", "rest", duration=9.0),
            keys=(quarry,),
            cast=(Member(name="z", start=(5, 5), group="people"),),
            cues=(Cue(at_s=0.5, does=TakeAway(removes="z")),),
        )
    )
    (left,) = record(take, "greet").spans
    assert left.cause is not None
    assert (left.cause.kind, left.cause.facts) == (
        "empty_group",
        {"group": "people"},
    )


@pytest.mark.parametrize(
    "combine", ["product", "mean", "minimum", "weighted sum"]
)
def test_an_option_scores_whole_grids_as_it_scores_one_at_a_time(
    combine: str,
) -> None:
    rows = [
        row("uu", "utility"),
        row("oo", "option", "uu", combine=combine, weight=1.3),
        row(
            "c1",
            "consider",
            "oo",
            input="n * 2 + 1",
            high=20.0,
            curve=RISING,
            weight=0.7,
        ),
        row(
            "c2",
            "consider",
            "oo",
            input="distance(spot)",
            high=9.0,
            curve=Curve(shape=Shape.LOGISTIC),
            weight=0.2,
        ),
    ]
    keys = (N, Key(name="spot", type=KeyType.POINT))
    grid = {
        "n": np.linspace(-3, 12, 5)[:, None],
        "distance(spot)": np.array([0.5, 4.0, 8.0, math.nan])[None, :],
    }
    for across, n in enumerate(grid["n"][:, 0].tolist()):
        made = project(
            *rows,
            keys=keys,
            start_keys={"n": n, "spot": (6.0, 5.0)},
            start=(2, 5),
            seconds=0.1,
        )
        runner = Runner(
            CastContext(made, CATALOG, 1),
            made.scenarios[0].cast[0],
            world_of(made),
            NullRecorder(),
        )
        option = runner._root.work.options[0]  # type: ignore[union-attr]
        many = option.scores(grid)
        assert many.shape == (5, 4)
        assert (
            option.scores(
                {"n": np.asarray(n), "distance(spot)": np.asarray(4.0)}
            )
            == many[across, 1]
        )
        one = record(played(made), "oo").gauges[""].values[0].value
        assert one == pytest.approx(float(many[across, 1]), abs=1e-12)
        assert many[across, 3] == 0.0


def world_of(made: Project) -> StageWorld:
    """The stage of a small project."""

    class Silent:
        def said(self, name: str, text: str) -> None: ...
        def noticed(self, name: str, what: str, cause: Cause) -> None: ...

    return StageWorld(made.stages[0], made.scenarios[0], Silent())


numbers = st.floats(-50, 50, allow_nan=False)
curves = st.builds(
    Curve,
    shape=st.sampled_from(list(Shape)),
    flipped=st.booleans(),
    low=st.floats(0, 1),
    high=st.floats(0, 1),
    exponent=st.floats(0.1, 8),
    middle=st.floats(0, 1),
    steepness=st.floats(0.5, 80),
    width=st.floats(0.02, 1),
    sign=st.sampled_from(["<", "<=", ">", ">=", "==", "!="]),
    threshold=numbers,
    points=st.lists(
        st.tuples(st.floats(0, 1), st.floats(0, 1)), max_size=5
    ).map(tuple),
)


@given(curves, st.lists(numbers, min_size=1, max_size=8), numbers, numbers)
def test_a_curve_gives_the_same_worth_one_at_a_time_and_in_arrays(
    curve: Curve, inputs: list[float], low: float, high: float
) -> None:
    many = worth_grid(curve, np.array(inputs), low, high)
    for each, found in zip(inputs, many.tolist(), strict=True):
        assert worth(curve, each, low, high) == pytest.approx(found, abs=1e-12)
        assert 0.0 <= found <= 1.0


@given(
    st.sampled_from(["product", "mean", "minimum", "weighted sum"]),
    st.lists(
        st.tuples(st.floats(0, 1), st.floats(0, 3)), min_size=1, max_size=6
    ),
)
def test_scores_combine_the_same_one_at_a_time_and_in_arrays(
    how: str, given_: list[tuple[float, float]]
) -> None:
    worths, weights = (
        [each for each, _ in given_],
        [weight for _, weight in given_],
    )
    many = combined_grid(
        how, [np.array([each, math.nan]) for each in worths], weights
    )
    assert combined(how, worths, weights) == pytest.approx(
        float(many[0]), abs=1e-12
    )
    assert many[1] == 0.0 == combined(how, [math.nan], [1.0])


def test_the_shapes_are_what_they_are_called() -> None:
    def at(t: float, **more: object) -> float:
        return worth(Curve.model_validate(more), t * 20, 0, 20)

    assert at(0.25, shape="linear") == 0.25
    assert at(0.25, shape="linear", low=1.0, high=0.0) == 0.75
    assert at(0.5, shape="power", exponent=2.0) == 0.25
    assert at(0.5, shape="logistic", steepness=12.0) == 0.5
    assert at(0.9, shape="logistic", steepness=12.0) > 0.99
    assert at(0.5, shape="logit") == 0.5
    assert at(0.1, shape="logit") < 0.3
    assert at(0.5, shape="bell") == 1.0
    assert at(0.7, shape="bell", width=0.2) == pytest.approx(math.exp(-0.5))
    assert at(0.5, shape="step", sign=">=", threshold=10.0) == 1.0
    assert at(0.5, shape="step", sign=">", threshold=10.0) == 0.0
    assert (
        at(0.5, shape="points", points=[[0, 0], [0.25, 1], [0.75, 0]]) == 0.5
    )
    assert at(0.25, shape="linear", flipped=True) == 0.75
    assert at(7.0, shape="linear") == 1.0, (
        "beyond the range it stays at the end"
    )


def test_the_product_makes_up_for_many_considerations() -> None:
    assert combined("product", [0.5], [1]) == 0.5
    assert combined("product", [0.8, 0.8], [1, 1]) == pytest.approx(
        0.64 + 0.36 * 0.5 * 0.64
    )
    assert combined("product", [], []) == 1.0


def test_a_utility_that_is_left_stops_the_option_it_is_at() -> None:
    danger = row(
        "dd",
        "last",
        "top",
        ticks=2,
        guard=("between(0.5, 0.8)", Watch.TAKE_OVER),
    )
    utility = [
        row("uu", "utility", "top"),
        row("oo", "option", "uu"),
        row("cc", "consider", "oo", input="1"),
        row("xx", "last", "oo", ticks=30),
    ]
    take = played(
        project(row("top", "selector"), danger, *utility, seconds=1.5)
    )
    assert [spans(take, each) for each in ("uu", "oo", "xx")] == [
        [(0, 5, "stopped"), (8, None, None)]
    ] * 3
    why = record(take, "oo").spans[0].cause
    assert why is not None
    assert (why.kind, why.facts["row"]) == ("parent_left", "uu")
