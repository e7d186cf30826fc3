"""Whatever an agent did, every question about it has an answer that is in
keeping with what is recorded.
"""

import re

from hypothesis import given, settings

from tests.engine.trees import trees
from tests.kinds import CATALOG
from tests.small import played, project
from umbrant.model.behaviors import Row
from umbrant.reasons.decision_changes import decision_changes
from umbrant.reasons.now import now_value
from umbrant.reasons.sentences import Answer
from umbrant.reasons.why import Explainer
from umbrant.review import review_take
from umbrant.take.export import ExportFormat, export_text
from umbrant.take.record import RowState

UNFINISHED = re.compile(r"[{}]|None|  |\.\.| \.|,\.|: *\.")
SOME_TICKS = range(0, 12, 2)


def check_sentences(answer: Answer, known: set[str]) -> None:
    """Each line is a whole sentence, and speaks of rows that there are."""
    assert answer.lines
    for line in answer.lines:
        assert line.text.endswith(".")
        assert not UNFINISHED.search(line.text), line.text
        assert {line.row_id, *(bit.row_id for bit in line.bits)} <= {
            "",
            *known,
        }


@settings(max_examples=10, deadline=None)
@given(trees())
def test_every_question_about_a_take_has_an_answer(rows: list[Row]) -> None:
    take = played(project(*rows, seconds=1.2))
    explainer, known = (
        Explainer(take, "a", CATALOG),
        {each.id for each in rows},
    )
    for tick in SOME_TICKS:
        check_sentences(explainer.why(tick), known)
        for row_id in known:
            answer = explainer.why_not(tick, row_id)
            check_sentences(answer, known)
            runs = all(
                explainer.state_of(each, tick) is RowState.RUNNING
                for each in explainer.outline.path(row_id)
            )
            says = (
                re.search(
                    r" has been (running|active) for | has just been entered",
                    answer.lines[0].text,
                )
                is not None
            )
            assert not runs or says, answer.lines[0].text
            now_value(explainer, row_id, tick)
    for lead in decision_changes(take, "a"):
        assert explainer.change(lead).row_id in known


@settings(max_examples=25, deadline=None)
@given(trees())
def test_the_path_goes_down_from_the_root_without_a_gap(
    rows: list[Row],
) -> None:
    take = played(project(*rows, seconds=1.2))
    explainer = Explainer(take, "a", CATALOG)
    for tick in range(take.ticks):
        path = explainer.path(tick)
        for outer, inner in zip((None, *path), path, strict=False):
            assert explainer.outline.parent[inner] == outer
        last = path[-1] if path else None
        if (
            last is not None
            and explainer.state_of(last, tick) is RowState.RUNNING
        ):
            inside = explainer.outline.children[last]
            assert not any(
                explainer.state_of(each, tick) is RowState.RUNNING
                for each in inside
            )


@settings(max_examples=15, deadline=None)
@given(trees())
def test_every_take_can_be_reviewed_and_exported(rows: list[Row]) -> None:
    take = played(project(*rows, seconds=1.2))
    for findings in review_take(take, CATALOG).values():
        assert all(finding.message for finding in findings)
    ran = {
        row_id
        for row_id, record in take.agents["a"].rows.items()
        if record.spans
    }
    text = export_text(take, ExportFormat.JSONL)
    assert all(f'"{row_id}"' in text for row_id in ran)
