"""Small parts of the reasons, each held to what it says."""

import math

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from tests.kinds import CATALOG
from tests.small import key, played, project, row
from umbrant.catalog.protocols import Gauge, Measured
from umbrant.model.behaviors import Key
from umbrant.model.staging import Member
from umbrant.model.values import Curve, KeyType, Shape
from umbrant.reasons.machine_report import transitions_out
from umbrant.reasons.sentences import gauge_text
from umbrant.reasons.utility_decision import MOST_DIGITS, shortest
from umbrant.reasons.why import Explainer

EDGES = st.floats(-50, 50).map(lambda each: round(each, 9))


@given(edge=EDGES, room=st.floats(0.02, 30), is_above=st.booleans())
@example(edge=1.1, room=1.0, is_above=True)
def test_a_value_that_wins_has_as_few_digits_as_still_win(
    edge: float, room: float, is_above: bool
) -> None:
    """What wins lies from the edge on, up to the inside; beyond the edge it
    loses.
    """
    inside = edge + room if is_above else edge - room
    low, high = min(edge, inside), max(edge, inside)

    def wins(value: float) -> bool:
        return low <= value <= high

    found = shortest(edge, inside, wins)
    assert wins(found)
    digits = next(
        (
            each
            for each in range(2, MOST_DIGITS + 1)
            if round(found, each) == found
        ),
        MOST_DIGITS,
    )
    assert abs(found - edge) <= 10.0**-digits * (1 + 1e-9)
    for fewer in range(2, digits):
        scale = 10.0**fewer
        assert not wins(math.floor(edge * scale) / scale)
        assert not wins(math.ceil(edge * scale) / scale)


def test_only_transitions_of_its_own_machine_lead_out_of_a_state() -> None:
    take = played(
        project(
            row("outer", "machine", initial="day"),
            row("day", "state", "outer"),
            row("dusk", "after", "day", to="night", time=9.0),
            row("inner", "machine", "day", initial="up"),
            row("up", "state", "inner"),
            row("fall", "after", "up", to="down", time=9.0),
            row("down", "state", "inner"),
            row("any", "when", "inner", to="up", when="clock() > 9"),
            row("night", "state", "outer"),
        )
    )
    explainer = Explainer(take, "a", CATALOG)
    assert [each.id for each in transitions_out(explainer, "up")] == [
        "fall",
        "any",
    ]
    assert [each.id for each in transitions_out(explainer, "day")] == ["dusk"]


def test_an_option_is_held_from_the_tick_after_its_decision_to_the_end_of_the_hold() -> (
    None
):
    take = played(
        project(
            row("uu", "utility", hold=1.0),
            row("late", "option", "uu"),
            row("c1", "consider", "late", input="clock()", high=2.0),
            row("x1", "wait", "late", duration=99.0),
            row("early", "option", "uu", weight=0.3),
            row("x2", "wait", "early", duration=99.0),
            seconds=3.0,
        )
    )
    explainer = Explainer(take, "a", CATALOG)
    scores = explainer.scores("uu")
    entered = take.agents["a"].row("late").spans[0].start
    texts = {
        tick: "".join(
            getattr(bit, "text", "") for bit in scores.why_chosen("late", tick)
        )
        for tick in range(entered, entered + 12)
    }
    until_s = take.header.seconds(entered) + 1.0
    held = [
        tick
        for tick, text in texts.items()
        if f"is held until {until_s:.2f} s" in text
    ]
    assert held == list(range(entered + 1, entered + 10))


@pytest.mark.parametrize("names", [("close",), ("close", "far")])
def test_a_table_of_scores_has_a_line_for_each_candidate_where_there_are_several(
    names: tuple[str, ...],
) -> None:
    starts = {"close": (5.0, 5.0), "far": (18.0, 5.0)}
    falling = Curve(shape=Shape.LINEAR, flipped=True)
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
                curve=falling,
            ),
            row("go", "wait", "chase", duration=9.0),
            keys=(Key(name="quarry", type=KeyType.AGENT),),
            cast=tuple(
                Member(name=name, start=starts[name], group="people")
                for name in names
            ),
        )
    )
    table = Explainer(take, "a", CATALOG).why(3).table
    assert table is not None
    lines = [line[0].text.strip() for line in table.rows]
    expected = [
        "chase for close",
        *(f"for {name}" for name in names if len(names) > 1),
        "near",
    ]
    assert lines == expected


def test_a_roll_that_is_hardly_under_a_chance_reads_as_another_number() -> (
    None
):
    gauge = Gauge(Measured.ROLL, 0.29996, 0.3)
    assert gauge_text(gauge, 0.0) == "rolled 0.29996, under 0.3"
    assert gauge_text(Gauge(Measured.ROLL, 0.3, 0.3), 0.0) == (
        "rolled 0.3, not under 0.3"
    )
