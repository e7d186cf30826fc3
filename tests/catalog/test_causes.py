"""Causes: every sentence can be said, and every cause survives being written
down.
"""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from umbrant.catalog.causes import SENTENCES, Cause, cause, fact_text

FACTS = st.dictionaries(
    st.sampled_from(["key", "row", "limit_s", "distance_m", "goal", "name"]),
    st.one_of(
        st.booleans(),
        st.floats(-1e6, 1e6),
        st.text(max_size=8),
        st.tuples(st.floats(0, 9), st.floats(0, 9)),
    ),
)


@given(st.sampled_from(sorted(SENTENCES)), FACTS)
def test_a_cause_survives_being_written_down(
    kind: str, facts: dict[str, object]
) -> None:
    made = Cause(kind, facts)  # type: ignore[arg-type]
    assert Cause.from_json(made.json) == made
    assert "\n" not in made.json


@pytest.mark.parametrize("kind", sorted(SENTENCES))
def test_every_sentence_can_be_said(kind: str) -> None:
    parts = list(Cause(kind, {}).parts())
    assert "".join(text for _, text in parts).strip()
    assert not any("{" in text for _, text in parts)


def test_facts_are_said_with_the_unit_their_name_ends_in() -> None:
    assert fact_text("since_s", 0.8) == "0.80 s"
    assert fact_text("distance_m", 9.4263) == "9.43 m"
    assert fact_text("range_m", 8.0) == "8 m"
    assert fact_text("off_deg", 70.0) == "70°"
    assert fact_text("goal", (14.21, 6.09)) == "(14.2, 6.1)"
    assert fact_text("key", "lamp") == "lamp"


def test_a_row_in_a_sentence_is_told_apart() -> None:
    assert list(cause("taken_over", row="esc").parts()) == [
        ("row", "esc"),
        ("", " took its place"),
    ]


def test_a_kind_without_a_sentence_is_a_mistake() -> None:
    with pytest.raises(ValueError, match="declare its sentence"):
        cause("bored")
