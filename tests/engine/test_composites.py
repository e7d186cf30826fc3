"""Selector and sequence: order, resuming, restarting, and being taken over."""

import pytest

from tests.small import played, project, record, refusals, row, spans
from umbrant.model.behaviors import Watch


def test_a_selector_tries_its_children_in_order_until_one_succeeds() -> None:
    take = played(
        project(
            row("top", "selector"),
            row("r1", "last", "top", ticks=0, success=False),
            row("r2", "last", "top", ticks=2),
            row("r3", "last", "top"),
            seconds=0.3,
        )
    )
    assert spans(take, "r1") == [(0, 0, "failure")]
    assert spans(take, "r2") == [(0, 2, "success")]
    assert spans(take, "r3") == []
    assert spans(take, "top") == [(0, 2, "success")]


def test_a_selector_fails_when_all_children_have_failed_and_begins_again_at_the_next_tick() -> (
    None
):
    take = played(
        project(
            row("top", "selector"),
            row("r1", "last", "top", ticks=0, success=False),
            seconds=0.2,
        )
    )
    assert spans(take, "top") == [(0, 0, "failure"), (1, 1, "failure")]
    assert record(take, "top").spans[0].cause.kind == "all_failed"


def test_a_sequence_does_its_children_one_after_the_other() -> None:
    take = played(
        project(
            row("top", "sequence"),
            row("r1", "last", "top", ticks=1),
            row("r2", "last", "top", ticks=1),
            seconds=0.3,
        )
    )
    assert spans(take, "r1") == [(0, 1, "success")]
    assert spans(take, "r2") == [(1, 2, "success")]
    assert spans(take, "top") == [(0, 2, "success")]


def test_a_sequence_fails_with_its_first_failing_child_and_names_it() -> None:
    take = played(
        project(
            row("top", "sequence"),
            row("r1", "last", "top", ticks=0, success=False),
            row("r2", "last", "top"),
            seconds=0.1,
        )
    )
    assert spans(take, "top") == [(0, 0, "failure")]
    assert dict(record(take, "top").spans[0].cause.facts) == {"row": "r1"}
    assert spans(take, "r2") == []


def test_a_running_child_is_resumed_without_asking_the_earlier_ones_again() -> (
    None
):
    take = played(
        project(
            row("top", "selector"),
            row("r1", "last", "top", guard="between(0.3, 9)", ticks=5),
            row("r2", "last", "top", ticks=9),
            seconds=0.6,
        )
    )
    assert refusals(take, "r1") == [(0, 0, "guard")]
    assert spans(take, "r2") == [(0, None, None)]


def test_restart_makes_a_selector_start_from_its_first_child_at_each_tick() -> (
    None
):
    take = played(
        project(
            row("top", "selector", resumes_at="the first"),
            row("r1", "last", "top", guard="between(0.3, 9)", ticks=5),
            row("r2", "last", "top", ticks=9),
            seconds=0.6,
        )
    )
    assert refusals(take, "r1") == [(0, 2, "guard")]
    assert spans(take, "r2") == [(0, 3, "stopped")]
    assert record(take, "r2").spans[0].cause.kind == "taken_over"
    assert spans(take, "r1") == [(3, None, None)]


@pytest.mark.parametrize(
    ("watch", "taken_over", "stopped"),
    [
        (Watch.ON_ENTRY, False, False),
        (Watch.WHILE_RUNNING, False, False),
        (Watch.TAKE_OVER, True, False),
        (Watch.THROUGHOUT, True, True),
    ],
)
def test_what_a_guard_does_follows_from_its_watch(
    watch: Watch, taken_over: bool, stopped: bool
) -> None:
    take = played(
        project(
            row("top", "selector"),
            row(
                "r1",
                "last",
                "top",
                guard=("between(0.3, 0.6)", watch),
                ticks=30,
            ),
            row("r2", "last", "top", ticks=50),
            seconds=1.0,
        )
    )
    if not taken_over:
        assert spans(take, "r1") == []
        assert spans(take, "r2") == [(0, None, None)]
        return
    assert spans(take, "r1")[0] == (
        (3, 6, "stopped") if stopped else (3, None, None)
    )
    assert spans(take, "r2")[0] == (0, 3, "stopped")
    if stopped:
        assert record(take, "r1").spans[0].cause.kind == "guard_ended"
        assert spans(take, "r2")[1] == (6, None, None)


@pytest.mark.parametrize("watch", list(Watch))
def test_a_guard_that_watches_while_running_stops_its_row(
    watch: Watch,
) -> None:
    take = played(
        project(
            row("top", "selector"),
            row(
                "r1", "last", "top", guard=("between(0, 0.4)", watch), ticks=30
            ),
            row("r2", "last", "top", ticks=50),
            seconds=1.0,
        )
    )
    ends = {
        Watch.WHILE_RUNNING: (0, 4, "stopped"),
        Watch.THROUGHOUT: (0, 4, "stopped"),
    }
    assert spans(take, "r1") == [ends.get(watch, (0, None, None))]


def test_a_take_over_needs_the_guard_to_turn_to_yes() -> None:
    """A row that failed with its guard still yes does not interrupt the later
    row at every tick.
    """
    take = played(
        project(
            row("top", "selector"),
            row(
                "r1",
                "last",
                "top",
                guard=("between(0, 0.5) or between(0.8, 9)", Watch.TAKE_OVER),
                ticks=0,
                success=False,
            ),
            row("r2", "last", "top", ticks=50),
            seconds=1.2,
        )
    )
    assert [start for start, _, _ in spans(take, "r1")] == [0, 8]


def test_an_earlier_child_of_a_sequence_takes_over_too_and_the_sequence_goes_on_from_there() -> (
    None
):
    take = played(
        project(
            row("top", "sequence"),
            row(
                "r1",
                "last",
                "top",
                guard=("between(0, 0.1) or between(0.5, 9)", Watch.TAKE_OVER),
                ticks=1,
            ),
            row("r2", "last", "top", ticks=6),
            seconds=1.0,
        )
    )
    assert spans(take, "r1") == [(0, 1, "success"), (5, 6, "success")]
    assert spans(take, "r2") == [(1, 5, "stopped"), (6, None, None)]


def test_a_muted_row_is_passed_over() -> None:
    take = played(
        project(
            row("top", "sequence"),
            row("r1", "last", "top", ticks=5, muted=True),
            row("r2", "last", "top"),
            seconds=0.2,
        )
    )
    assert spans(take, "r1") == []
    assert spans(take, "r2") == [(0, 1, "success")]


def test_a_behavior_without_rows_does_nothing_and_says_nothing() -> None:
    take = played(project(seconds=0.5))
    assert take.is_complete
    assert take.agents["a"].rows == {}
