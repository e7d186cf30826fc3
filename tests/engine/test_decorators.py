"""What decorators do to a row, each alone and one inside the other."""

import pytest

from tests.kinds import LEFT
from tests.small import played, project, record, refusals, row, spans

Spans = list[tuple[int, int | None, str | None]]


def once(
    success: bool, *decorators: tuple[str, dict[str, object]], ticks: int = 0
) -> Spans:
    made = project(
        row(
            "top", "last", ticks=ticks, success=success, decorators=decorators
        ),
        seconds=1.0,
    )
    return spans(played(made), "top")


@pytest.mark.parametrize(
    ("decorator", "success", "outcome"),
    [
        ("always_succeed", True, "success"),
        ("always_succeed", False, "success"),
        ("always_fail", True, "failure"),
        ("always_fail", False, "failure"),
    ],
)
def test_an_outcome_that_is_given_beforehand(
    decorator: str, success: bool, outcome: str
) -> None:
    assert once(success, (decorator, {}), ticks=2)[0] == (0, 2, outcome)


def test_repeat_does_a_row_again_until_it_has_succeeded_so_many_times() -> (
    None
):
    assert once(True, ("repeat", {"times": 3.0}))[0] == (0, 2, "success")
    assert once(True, ("repeat", {"times": 3.0}), ticks=2)[0] == (
        0,
        8,
        "success",
    )
    assert once(False, ("repeat", {"times": 3.0}))[0] == (0, 0, "failure")


def test_repeat_for_ever_goes_on_until_the_row_fails() -> None:
    assert once(True, ("repeat_for_ever", {}), ticks=2)[0] == (0, None, None)
    assert once(False, ("repeat_for_ever", {}))[0] == (0, 0, "failure")


def test_retry_tries_a_row_again_until_it_has_failed_so_many_times() -> None:
    assert once(False, ("retry", {"times": 3.0}))[0] == (0, 2, "failure")
    assert once(True, ("retry", {"times": 3.0}))[0] == (0, 0, "success")


def test_a_repeated_sequence_begins_with_its_first_child_each_time() -> None:
    take = played(
        project(
            row("top", "sequence", decorators=[("repeat", {"times": 2.0})]),
            row("r1", "last", "top", ticks=0),
            row("r2", "last", "top", ticks=1),
            seconds=0.5,
        )
    )
    assert spans(take, "r1")[:2] == [(0, 0, "success"), (2, 2, "success")]
    assert spans(take, "top")[0] == (0, 3, "success")


def test_delay_waits_before_the_row_begins_and_runs_meanwhile() -> None:
    assert once(True, ("delay", {"delay": 0.3}), ticks=2)[0] == (
        0,
        5,
        "success",
    )


def test_what_never_began_is_not_undone_when_a_delay_is_cut_short() -> None:
    LEFT.clear()
    decorators = [("time_limit", {"limit": 0.2}), ("delay", {"delay": 0.5})]
    take = played(
        project(
            row("top", "tidy", text="late", decorators=decorators), seconds=0.3
        )
    )
    assert spans(take, "top")[0] == (0, 2, "failure")
    assert LEFT == []


def test_chance_refuses_with_its_roll_and_the_bound() -> None:
    take = played(
        project(
            row("top", "selector"),
            row(
                "r1",
                "last",
                "top",
                ticks=0,
                decorators=[("chance", {"share": 0.3})],
            ),
            row("r2", "last", "top", ticks=0),
            seconds=20,
        )
    )
    entered, tried = len(spans(take, "r1")), 200
    assert 0.2 < entered / tried < 0.4
    rolls = [
        each.cause.facts["roll"] for each in record(take, "r1").refusals[""]
    ]
    assert all(isinstance(roll, float) and roll >= 0.3 for roll in rolls)


@pytest.mark.parametrize(("share", "entered"), [(0.0, 0), (1.0, 3)])
def test_chance_0_is_never_and_1_is_always(share: float, entered: int) -> None:
    take = played(
        project(
            row(
                "top",
                "last",
                ticks=0,
                decorators=[("chance", {"share": share})],
            ),
            seconds=0.3,
        )
    )
    assert len(spans(take, "top")) == entered
    assert (
        sum(end - start + 1 for start, end, _ in refusals(take, "top"))
        == 3 - entered
    )


def test_decorators_of_one_row_work_together() -> None:
    """Retried inside, repeated outside: each repetition has its own three
    tries.
    """
    inside = [("always_succeed", {}), ("retry", {"times": 3.0})]
    assert once(False, *inside)[0] == (0, 2, "success")
    assert once(False, ("repeat", {"times": 2.0}), *inside)[0] == (
        0,
        5,
        "success",
    )


@pytest.mark.parametrize(
    "decorator",
    [("repeat", {"times": 2.0}), ("repeat_until", {"result": "failure"})],
)
def test_what_still_runs_at_the_end_of_a_round_is_stopped(
    decorator: tuple[str, dict[str, object]],
) -> None:
    take = played(
        project(
            row("pp", "parallel", successes=1.0, decorators=[decorator]),
            row("r1", "last", "pp", ticks=1),
            row("r2", "last", "pp", ticks=9),
            seconds=0.4,
        )
    )
    assert spans(take, "r1") == [(0, 1, "success"), (2, 3, "success")]
    assert spans(take, "r2") == [(0, 1, "stopped"), (2, 3, "stopped")]
    why = record(take, "r2").spans[0].cause
    assert why is not None
    assert (why.kind, why.facts["row"]) == ("round_over", "pp")


def test_a_selector_that_is_retried_after_its_time_was_up_begins_with_its_first_child() -> (
    None
):
    take = played(
        project(
            row(
                "top",
                "selector",
                decorators=[
                    ("retry", {"times": 2.0}),
                    ("time_limit", {"limit": 0.3}),
                ],
            ),
            row("r1", "last", "top", ticks=1, success=False),
            row("r2", "last", "top", ticks=9),
            seconds=0.8,
        )
    )
    assert spans(take, "r2")[0] == (1, 3, "stopped")
    assert spans(take, "r1")[:2] == [(0, 1, "failure"), (4, 5, "failure")]
