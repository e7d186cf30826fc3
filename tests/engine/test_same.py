"""Two ways to write the same come to the same: a behavior used or written out, a row muted or deleted, one wrapped."""

from hypothesis import given, settings
from hypothesis import strategies as st

from tests.engine.trees import trees
from tests.kinds import CATALOG
from tests.small import played, project, spans
from umbrant.catalog.declare import ROWS, RUNS
from umbrant.model.behaviors import Row
from umbrant.model.clipboard import extract_rows, wrap_rows
from umbrant.model.edits import delete_rows, set_muted


def that_run(rows: list[Row]) -> list[Row]:
    """Rows that run on their own and are nested; those with a guard may watch to take over, which what is put around
    them does not.
    """
    kinds = {row.id: CATALOG.get(row.kind, *ROWS) for row in rows}
    return [row for row in rows if row.under and row.guard is None and kinds[row.id].family in RUNS]


@settings(max_examples=25, deadline=None)
@given(trees(), st.data())
def test_a_behavior_that_is_used_runs_as_if_it_were_written_out(rows: list[Row], data: st.DataObject) -> None:
    if not that_run(rows):
        return
    made, one = project(*rows, seconds=1.2), data.draw(st.sampled_from(that_run(rows)))
    using, use = extract_rows(made, "b", [one.id], "part", "Part")
    inside = set(made.behaviors[0].outline.within(one.id))
    written_out, used = played(made), played(using)
    for row in rows:
        assert spans(used, f"{use}/{row.id}" if row.id in inside else row.id) == spans(written_out, row.id)


@settings(max_examples=25, deadline=None)
@given(trees(), st.data())
def test_a_muted_row_is_as_good_as_none(rows: list[Row], data: st.DataObject) -> None:
    nested = [row for row in rows if row.under]
    if not nested:
        return
    made, one = project(*rows, seconds=1.2), data.draw(st.sampled_from(nested))
    inside = set(made.behaviors[0].outline.within(one.id))
    muted, deleted = played(set_muted(made, "b", [one.id], True)), played(delete_rows(made, "b", [one.id]))
    for row in rows:
        assert spans(muted, row.id) == ([] if row.id in inside else spans(deleted, row.id))


@settings(max_examples=25, deadline=None)
@given(trees(), st.data())
def test_a_row_alone_in_a_sequence_runs_as_by_itself(rows: list[Row], data: st.DataObject) -> None:
    if not that_run(rows):
        return
    made, one = project(*rows, seconds=1.2), data.draw(st.sampled_from(that_run(rows)))
    wrapped, _ = wrap_rows(made, "b", [one.id], "sequence", "Alone")
    alone, by_itself = played(wrapped), played(made)
    for row in rows:
        assert spans(alone, row.id) == spans(by_itself, row.id)
