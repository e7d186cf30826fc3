"""The outline: numbers, paths, and what makes no tree; and values as they are
said.
"""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from umbrant.model.outline import Outline, OutlineError
from umbrant.model.problems import Problem, did_you_mean
from umbrant.model.values import KeyRef, Spread, number_text, value_text

LINKS = [("a", None), ("b", "a"), ("c", "b"), ("d", "b"), ("e", "a")]


def test_numbers_follow_the_order_of_the_rows() -> None:
    outline = Outline.of(LINKS)
    assert outline.number == {
        "a": "1",
        "b": "1.1",
        "c": "1.1.1",
        "d": "1.1.2",
        "e": "1.2",
    }
    assert outline.depth["d"] == 2
    assert outline.path("d") == ("a", "b", "d")
    assert outline.siblings("b") == ("b", "e")
    assert outline.siblings("a") == ("a",)
    assert list(outline.within("b")) == ["b", "c", "d"]


def test_a_row_is_found_by_its_number_or_its_id() -> None:
    outline = Outline.of(LINKS)
    assert (outline.find("1.1.2"), outline.find("d"), outline.find("7")) == (
        "d",
        "d",
        None,
    )


@pytest.mark.parametrize(
    ("links", "row_id"),
    [
        ([("a", None), ("a", None)], "a"),
        ([("a", "x")], "a"),
        ([("a", "a")], "a"),
        ([("t", None), ("a", "b"), ("b", "a")], "a"),
    ],
)
def test_what_makes_no_tree_names_the_first_row_at_fault(
    links: list[tuple[str, str | None]], row_id: str
) -> None:
    with pytest.raises(OutlineError) as caught:
        Outline.of(links)
    assert caught.value.row_id == row_id


@given(st.lists(st.integers(0, 20), min_size=1, max_size=20))
def test_any_links_make_a_tree_or_an_error(parents: list[int]) -> None:
    links = [
        (f"r{n}", f"r{parent}" if parent < len(parents) else None)
        for n, parent in enumerate(parents)
    ]
    try:
        outline = Outline.of(links)
    except OutlineError:
        return
    assert (
        len(outline.number) == len(set(outline.number.values())) == len(links)
    )
    for row_id, _ in links:
        assert outline.path(row_id)[-1] == row_id


@pytest.mark.parametrize(
    ("value", "unit", "said"),
    [
        (2.0, "s", "2 s"),
        (0.1 + 0.2, "", "0.3"),
        (-0.0001, "m", "0 m"),
        (Spread(mean=2, half_width=0.5), "s", "2 s ± 0.5"),
        (Spread(mean=2, half_width=0), "s", "2 s"),
        (KeyRef(key="lamp"), "", "lamp"),
        ((14.21, 6.0), "", "(14.2, 6.0)"),
        (True, "", "yes"),
        (None, "", "not set"),
        ("calm", "", "calm"),
    ],
)
def test_values_are_said_shortly(value: object, unit: str, said: str) -> None:
    assert value_text(value, unit) == said  # type: ignore[arg-type]


@given(st.floats(-1e6, 1e6))
def test_a_number_is_said_to_three_decimals(number: float) -> None:
    assert float(number_text(number)) == pytest.approx(number, abs=0.0006)


def test_a_problem_says_where_what_and_the_way_out() -> None:
    problem = Problem(
        "behaviors/b.json", "1.2 'Go'", "`x` is no key.", "Did you mean 'y'?"
    )
    assert (
        str(problem)
        == "behaviors/b.json: row 1.2 'Go': `x` is no key. Did you mean 'y'?"
    )
    assert (
        did_you_mean("lasst_seen", ["last_seen", "lamp"])
        == "Did you mean 'last_seen'?"
    )
    assert (
        did_you_mean("zzz", ["last_seen", "lamp"])
        == "There are: last_seen, lamp."
    )
    assert did_you_mean("zzz", []) == ""
