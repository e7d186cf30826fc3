"""Machines at work: rows, hooks, times, events and what is recorded of them."""

import pytest

from tests.small import (
    key,
    played,
    project,
    received,
    record,
    refusals,
    row,
    spans,
    values,
)
from umbrant.model.behaviors import Key, Row
from umbrant.model.staging import Cue, RaiseEvent
from umbrant.model.values import KeyType, Spread
from umbrant.take.reader import Take

N = Key(name="n", type=KeyType.NUMBER, default=0.0)


def machine(*rows: Row, **more: object) -> Take:
    """A take of a machine `m` with these rows in it."""
    return played(project(row("mm", "machine"), *rows, keys=(N,), **more))  # type: ignore[arg-type]


def test_it_begins_in_the_first_state_and_an_after_leads_on_when_its_time_is_up() -> (
    None
):
    take = machine(
        row("aa", "state", "mm"),
        row("t1", "after", "aa", time=0.5, to="bb"),
        row("bb", "state", "mm"),
    )
    assert spans(take, "aa") == [(0, 5, "stopped")]
    assert spans(take, "bb") == [(5, None, None)]
    assert spans(take, "t1") == [(5, 5, "success")]
    assert refusals(take, "t1") == [(0, 4, "not_yet")]
    assert record(take, "aa").spans[0].cause.kind == "fired"  # type: ignore[union-attr]


def test_a_when_is_asked_at_every_tick_and_fires_as_soon_as_it_holds() -> None:
    take = machine(
        row("aa", "state", "mm"),
        row("t1", "when", "aa", when="clock() >= 0.7", to="bb"),
        row("bb", "state", "mm"),
    )
    assert spans(take, "t1") == [(7, 7, "success")]
    assert refusals(take, "t1") == [(0, 6, "guard")]
    assert record(take, "t1").found_at("", 0, 3).left == 0.3  # type: ignore[union-attr, operator]


def test_the_rows_of_a_state_run_while_it_is_active_and_being_done_can_lead_on() -> (
    None
):
    take = machine(
        row("aa", "state", "mm"),
        row("x1", "last", "aa", ticks=2),
        row("x2", "last", "aa", ticks=1),
        row("t1", "on_done", "aa", to="bb"),
        row("bb", "state", "mm"),
        row("y1", "last", "bb", ticks=30),
    )
    assert spans(take, "x1") == [(0, 2, "success")]
    assert spans(take, "x2") == [(2, 3, "success")]
    assert spans(take, "aa") == [(0, 3, "success")]
    assert spans(take, "y1") == [(3, None, None)], (
        "the next state's rows run in the same tick"
    )


def test_on_done_may_listen_for_one_way_of_ending_only() -> None:
    take = machine(
        row("aa", "state", "mm"),
        row("x1", "last", "aa", ticks=1, success=False),
        row("t1", "on_done", "aa", to="bb", result="success"),
        row("t2", "on_done", "aa", to="cc", result="failure"),
        row("bb", "state", "mm"),
        row("cc", "state", "mm"),
    )
    assert spans(take, "bb") == []
    assert spans(take, "aa") == [(0, 1, "failure")]
    assert spans(take, "cc") == [(1, None, None)]
    assert refusals(take, "t1") == [(1, 1, "done_otherwise")]


def test_hooks_and_the_rows_of_a_transition_are_done_in_the_order_of_the_standard() -> (
    None
):
    take = machine(
        row("aa", "state", "mm"),
        row("in", "on_enter", "aa"),
        row("i1", "count", "in", key=key("n"), amount=1),
        row("out", "on_leave", "aa"),
        row("o1", "set_number", "out", key=key("n"), value=10),
        row("t1", "after", "aa", time=0.2, to="bb"),
        row("w1", "count", "t1", key=key("n"), amount=5),
        row("bb", "state", "mm"),
        row("in2", "on_enter", "bb"),
        row("j1", "count", "in2", key=key("n"), amount=100),
    )
    assert [value for _, value in values(take, "n")][-1] == 115.0
    written = take.agents["a"].keys["n"].values[-1]
    assert (written.row_id, written.part) == ("j1", "")


def test_an_event_is_heard_from_any_state_and_history_goes_back() -> None:
    take = machine(
        row("t0", "on_event", "mm", event="thunder", to="cower"),
        row("aa", "state", "mm"),
        row("a1", "state", "aa"),
        row("ta", "after", "a1", time=0.3, to="a2"),
        row("a2", "state", "aa"),
        row("hist", "history", "aa", depth="shallow"),
        row("cower", "state", "mm"),
        row("tb", "after", "cower", time=0.4, to="hist"),
        cues=(Cue(at_s=0.8, does=RaiseEvent(raises="thunder.near")),),
    )
    assert spans(take, "t0") == [(8, 8, "success")]
    assert spans(take, "cower") == [(8, 12, "stopped")]
    assert spans(take, "a2") == [(3, 8, "stopped"), (12, None, None)]
    assert received(take, "a") == [(8, "thunder.near", "")]


def test_an_event_without_its_condition_is_refused_with_both_sides() -> None:
    take = machine(
        row("aa", "state", "mm"),
        row("t1", "on_event", "aa", event="e", to="bb", when="n > 3"),
        row("bb", "state", "mm"),
        cues=(Cue(at_s=0.5, does=RaiseEvent(raises="e", to="a")),),
    )
    assert refusals(take, "t1") == [(5, 5, "guard")]
    assert spans(take, "bb") == []


def test_regions_run_side_by_side_and_are_done_together() -> None:
    take = machine(
        row("pp", "regions", "mm"),
        row("legs", "state", "pp"),
        row("l1", "state", "legs"),
        row("tl", "after", "l1", time=0.3, to="lf"),
        row("lf", "final", "legs"),
        row("mouth", "state", "pp"),
        row("m1", "state", "mouth"),
        row("tm", "after", "m1", time=0.6, to="mf"),
        row("mf", "final", "mouth", result="failure"),
        row("td", "on_done", "pp", to="end", result="failure"),
        row("end", "state", "mm"),
    )
    assert spans(take, "l1") == [(0, 3, "stopped")]
    assert spans(take, "m1") == [(0, 6, "stopped")]
    assert spans(take, "pp") == [(0, 6, "stopped")]
    assert spans(take, "end") == [(6, None, None)]


def test_a_final_state_of_the_machine_ends_the_row_with_its_result() -> None:
    take = machine(
        row("aa", "state", "mm"),
        row("t1", "after", "aa", time=0.2, to="ff"),
        row("ff", "final", "mm", result="failure"),
        seconds=0.3,
    )
    assert spans(take, "mm") == [(0, 2, "failure")]
    assert spans(take, "ff") == [(2, 2, "stopped")]


def test_a_state_that_must_finish_holds_back_what_would_leave_it() -> None:
    take = machine(
        row("t0", "when", "mm", when="clock() >= 0.2", to="bb"),
        row("aa", "state", "mm", leaving="when it is done"),
        row("x1", "last", "aa", ticks=6),
        row("bb", "state", "mm"),
        seconds=0.9,
    )
    assert refusals(take, "t0")[:2] == [(0, 1, "guard"), (2, 6, "must_finish")]
    assert spans(take, "bb")[0][0] == 6, (
        "once its rows are done it is asked again in the same tick"
    )


def test_states_inside_a_tree_inside_a_machine_are_left_when_the_outer_row_is() -> (
    None
):
    take = played(
        project(
            row("sel", "selector"),
            row(
                "esc",
                "wait",
                "sel",
                duration=5.0,
                guard=("between(0.5, 0.7)", "take over"),
            ),
            row("mm", "machine", "sel"),
            row("aa", "state", "mm"),
            row("out", "on_leave", "aa"),
            row("o1", "set_number", "out", key=key("n"), value=3),
            row("in", "sequence", "aa"),
            row("m2", "machine", "in"),
            row("bb", "state", "m2"),
            row("y1", "last", "bb", ticks=50),
            keys=(N,),
        )
    )
    for row_id in ("mm", "aa", "in", "m2", "bb", "y1"):
        assert spans(take, row_id) == [(0, 5, "stopped")], row_id
    assert values(take, "n")[-1] == (5, 3.0)


def test_an_after_with_a_spread_is_drawn_anew_at_each_entry() -> None:
    take = machine(
        row("aa", "state", "mm"),
        row(
            "t1", "after", "aa", time=Spread(mean=0.5, half_width=0.3), to="bb"
        ),
        row("bb", "state", "mm"),
        row("t2", "after", "bb", time=0.1, to="aa"),
        seconds=20.0,
    )
    lengths = {
        end - start for start, end, _ in spans(take, "aa") if end is not None
    }
    assert len(lengths) >= 4
    assert min(lengths) >= 2
    assert max(lengths) <= 9


def test_a_loop_without_time_is_cut_off_and_told_of() -> None:
    take = machine(
        row("aa", "state", "mm"),
        row("t1", "when", "aa", when="n == 0", to="bb"),
        row("bb", "state", "mm"),
        row("t2", "when", "bb", when="n == 0", to="aa"),
        seconds=0.5,
    )
    assert refusals(take, "mm", "machine") == [(0, 4, "ring")]


def test_a_hook_that_takes_time_is_stopped_with_the_reason() -> None:
    take = machine(
        row("aa", "state", "mm"),
        row("in", "on_enter", "aa"),
        row("i1", "wait", "in", duration=3.0),
    )
    assert record(take, "in").spans[0].cause.kind == "takes_time"  # type: ignore[union-attr]
    assert spans(take, "i1") == [(0, 0, "stopped")]


def test_a_transition_to_nowhere_is_told_of_and_the_rest_runs() -> None:
    take = machine(
        row("aa", "state", "mm"),
        row("t1", "after", "aa", time=0.1, to="gone"),
        row("x1", "last", "aa"),
    )
    assert refusals(take, "t1") == [(0, 0, "no_state")]
    assert spans(take, "x1") == [(0, 1, "success")]


def test_upkeep_of_a_state_is_done_while_it_is_active() -> None:
    take = machine(
        row("aa", "state", "mm", upkeep=[("count", 0.5, {"key": key("n")})]),
        row("t1", "after", "aa", time=1.2, to="bb"),
        row("bb", "state", "mm"),
    )
    assert [tick for tick, value in values(take, "n") if value] == [0, 5, 10]


@pytest.mark.parametrize(
    ("depth", "inner"), [("deep", "s112"), ("shallow", "s111")]
)
def test_history_goes_back_as_deep_as_it_says(depth: str, inner: str) -> None:
    take = played(
        project(
            row("mm", "machine"),
            row("s1", "state", "mm"),
            row("hh", "history", "s1", depth=depth),
            row("s11", "state", "s1"),
            row("s111", "state", "s11"),
            row("t1", "when", "s111", to="s112", when="between(0.1, 0.2)"),
            row("s112", "state", "s11"),
            row("out", "when", "s1", to="s2", when="between(0.3, 0.4)"),
            row("s2", "state", "mm"),
            row("back", "when", "s2", to="hh", when="clock() > 0.55"),
            seconds=1.0,
        )
    )
    again = [
        name
        for name in ("s111", "s112")
        if any(span[0] >= 6 for span in spans(take, name))
    ]
    assert again == [inner]
