"""Two ways to write the same come to the same: a behavior used or written out,
a row muted or deleted, one wrapped.
"""

from hypothesis import assume, given, settings
from hypothesis import strategies as st

from tests.engine.trees import trees
from tests.kinds import CATALOG
from tests.small import played, project, spans
from umbrant.catalog.kind import ROWS, RUNS
from umbrant.model.behaviors import Row
from umbrant.model.clipboard import extract_rows, wrap_rows
from umbrant.model.edits import delete_rows, set_muted

Tree = tuple[list[Row], Row]
"""The rows of a tree, and one of them."""


@st.composite
def nested(draw: st.DrawFn) -> Tree:
    """A tree, and one of its rows that is in another."""
    rows = draw(trees())
    inside = [row for row in rows if row.under]
    assume(inside)
    return rows, draw(st.sampled_from(inside))


def runs_alone(tree: Tree) -> bool:
    """Whether the row runs on its own, and does not watch to take over: what
    is put around it would not.
    """
    _, one = tree
    kind = CATALOG.get(one.kind, *ROWS)
    return one.guard is None and kind is not None and kind.family in RUNS


@settings(max_examples=15, deadline=None)
@given(nested().filter(runs_alone))
def test_a_behavior_that_is_used_runs_as_if_it_were_written_out(
    tree: Tree,
) -> None:
    rows, one = tree
    made = project(*rows, seconds=1.2)
    using, use = extract_rows(made, "b", [one.id], "part", "Part")
    inside = set(made.behaviors[0].outline.within(one.id))
    written_out, used = played(made), played(using)
    for row in rows:
        assert spans(
            used, f"{use}/{row.id}" if row.id in inside else row.id
        ) == spans(written_out, row.id)


@settings(max_examples=15, deadline=None)
@given(nested())
def test_a_muted_row_is_as_good_as_none(tree: Tree) -> None:
    rows, one = tree
    made = project(*rows, seconds=1.2)
    inside = set(made.behaviors[0].outline.within(one.id))
    muted, deleted = (
        played(set_muted(made, "b", [one.id], True)),
        played(delete_rows(made, "b", [one.id])),
    )
    for row in rows:
        assert spans(muted, row.id) == (
            [] if row.id in inside else spans(deleted, row.id)
        )


@settings(max_examples=15, deadline=None)
@given(nested().filter(runs_alone))
def test_a_row_alone_in_a_sequence_runs_as_by_itself(tree: Tree) -> None:
    rows, one = tree
    made = project(*rows, seconds=1.2)
    wrapped, _ = wrap_rows(made, "b", [one.id], "sequence", "Alone")
    alone, by_itself = played(wrapped), played(made)
    for row in rows:
        assert spans(alone, row.id) == spans(by_itself, row.id)
