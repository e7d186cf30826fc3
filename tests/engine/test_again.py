"""What happens again within a tick, or after a restart, is told apart from
what happened before.
"""

from tests.kinds import CATALOG
from tests.small import played, project, record, refusals, row, spans
from umbrant.model.behaviors import Watch
from umbrant.reasons.why import Explainer
from umbrant.take.record import RowState


def test_a_row_that_ends_and_is_refused_in_one_tick_has_ended_and_says_that_it_was_refused() -> (
    None
):
    take = played(
        project(
            row("mm", "machine"),
            row("aa", "state", "mm"),
            row(
                "x1",
                "last",
                "aa",
                ticks=2,
                decorators=[("cooldown", {"duration": 1.0})],
            ),
            row("t1", "on_done", "aa", to="aa"),
            seconds=0.3,
        )
    )
    assert spans(take, "x1") == [(0, 2, "success")]
    assert refusals(take, "x1") == [(2, 2, "cooling")]
    assert record(take, "x1").state_at(2) is RowState.SUCCESS
    answer = Explainer(take, "a", CATALOG).why_not(2, "x1")
    assert any(
        "x1 was refused: it cools: it ended 0.00 s ago" in line.text
        for line in answer.lines
    )


def test_a_machine_that_is_started_again_has_forgotten_what_was_done_in_it_before() -> (
    None
):
    """A tick that is cut off leaves a state to be told of as done; the machine
    is stopped before it is.
    """
    when = ("between(0, 0.25) or between(0.5, 1)", Watch.THROUGHOUT)
    take = played(
        project(
            row("top", "selector"),
            row("mm", "machine", "top", guard=when),
            row("aa", "state", "mm"),
            row("x1", "last", "aa", ticks=0),
            row("t1", "on_done", "aa", to="aa"),
            row("w1", "wait", "top", duration=9.0),
            seconds=0.8,
        )
    )
    restarted = [span for span in spans(take, "aa") if span[0] >= 5]
    assert restarted[0] == (5, 5, "success"), (
        "its rows are done before anything leads out of it"
    )
