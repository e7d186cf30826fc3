"""What is reckoned, counted and timed is the number that an author writes."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.small import key, played, project, row, spans
from umbrant.catalog.language.atom_results import calculate
from umbrant.model.behaviors import Key
from umbrant.model.staging import Body, Stat
from umbrant.model.values import KeyType, to_millionths

HUNDREDTHS = st.integers(-5000, 5000)


@given(HUNDREDTHS, HUNDREDTHS)
def test_hundredths_are_added_and_taken_away_as_on_paper(
    one: int, other: int
) -> None:
    assert calculate("+", one / 100, other / 100) == (one + other) / 100
    assert calculate("-", one / 100, other / 100) == (one - other) / 100
    assert calculate("*", one / 100, other / 100) == one * other / 10000


def test_what_is_too_large_is_left_as_it_is() -> None:
    assert to_millionths(1e305) == 1e305
    assert to_millionths(-math.inf) == -math.inf
    assert calculate("*", 1e200, 1e200) is None
    assert calculate("+", 1e305, 1.0) == 1e305


@given(st.floats(allow_nan=False, allow_infinity=False, width=32))
def test_rounding_moves_a_number_by_less_than_a_millionth(
    number: float,
) -> None:
    assert to_millionths(number) == pytest.approx(
        number, rel=1e-15, abs=0.5000001e-6
    )


@pytest.mark.parametrize(
    "guard",
    [
        "time() == 0.2",
        "x + 0.1 == 0.3",
        "x * 3 <= 0.6",
        'stat("zest") >= 0.7',
        "counted == 0.7",
        'time_in("Rest") == 0.2',
    ],
)
def test_a_threshold_is_met_by_the_number_that_it_says(guard: str) -> None:
    made = project(
        row("top", "parallel"),
        row("rest", "last", "top", name="Rest", ticks=9),
        row("many", "sequence", "top", decorators=[("repeat", {"times": 7})]),
        row("one", "count", "many", key=key("counted"), amount=0.1),
        row("when", "sequence", "top", decorators=[("retry", {"times": 9})]),
        row("is", "last", "when", ticks=1, guard=guard),
        keys=(
            Key(name="x", type=KeyType.NUMBER, default=0.2),
            Key(name="counted", type=KeyType.NUMBER),
        ),
        body=Body(stats={"zest": Stat(value=0.7)}),
        seconds=0.8,
    )
    assert spans(played(made), "is"), guard
