"""Events that are raised inside a machine, clause by clause of the SCXML
Recommendation of 1 September 2015, and where they go beyond it.
"""

import pytest

from tests.kinds import CATALOG
from tests.small import played, project, received, row, spans
from umbrant.catalog.validation import validate
from umbrant.engine.recorder import CUT_OFF
from umbrant.model.behaviors import Behavior, Event, EventList, Key, Row
from umbrant.model.documents import Project
from umbrant.model.staging import Cue, Member, RaiseEvent
from umbrant.model.values import KeyRef, KeyType
from umbrant.take.reader import Take

LISTENER = Member(name="other", behavior="listens", start=(5.0, 5.0))
LISTENS = Behavior(
    name="listens",
    title="Listens",
    blackboard="k",
    rows=(
        row("mm", "machine"),
        row("aa", "state", "mm"),
        row("t1", "on_event", "aa", event="bell", to="bb"),
        row("bb", "state", "mm"),
    ),
)
NUMBER = Key(name="n", type=KeyType.NUMBER, default=0.0)
COUNTS = {"key": KeyRef(key="n"), "amount": 1.0}


def made(*rows: Row, **more: object) -> Project:
    cast, behaviors = (LISTENER,), (LISTENS,)
    found = project(
        *rows, keys=(NUMBER,), cast=cast, behaviors=behaviors, **more
    )  # type: ignore[arg-type]
    names = ("bell", "bell.low", "gong")
    return found.model_copy(
        update={
            "event_list": EventList(
                events=tuple(Event(name=each) for each in names)
            )
        }
    )


def machine(*rows: Row, **more: object) -> Take:
    return played(made(row("mm", "machine"), *rows, **more))


def bell(under: str, **args: object) -> Row:
    """A row that raises a bell."""
    made = row("ri", "raise_event", under)
    return made.model_copy(update={"args": {"event": "bell", **args}})


def rings(*more: Row, **args: object) -> tuple[Row, ...]:
    """A state that raises a bell at its first tick, and one that the bell
    leads to.
    """
    return (
        row("aa", "state", "mm"),
        bell("aa", **args),
        row("t1", "on_event", "aa", event="bell", to="bb"),
        row("bb", "state", "mm"),
        *more,
    )


def test_3_13_an_internal_event_is_handled_within_the_macrostep() -> None:
    take = machine(*rings())
    assert spans(take, "t1") == [(0, 0, "success")]
    assert spans(take, "bb") == [(0, None, None)]
    assert received(take, "a")[0] == (0, "bell", "a")


def test_others_receive_it_at_their_next_tick() -> None:
    take = machine(*rings())
    assert received(take, "other") == [(1, "bell", "a")]
    fired = take.agents["other"].row("t1").spans
    assert [(each.start, each.end) for each in fired] == [(1, 1)]


def test_no_machine_receives_it_twice() -> None:
    back = (
        row("t2", "on_event", "bb", event="bell", to="cc"),
        row("cc", "state", "mm"),
    )
    assert spans(machine(*rings(*back)), "cc") == []


def test_the_innermost_machine_handles_it_and_the_one_around_it_at_the_next_tick() -> (
    None
):
    take = machine(
        row("oo", "state", "mm"),
        row("o1", "on_event", "oo", event="bell", to="ou"),
        row("in", "machine", "oo"),
        row("aa", "state", "in"),
        row("ri", "raise_event", "aa", event="bell"),
        row("t1", "on_event", "aa", event="bell", to="bb"),
        row("bb", "state", "in"),
        row("ou", "state", "mm"),
    )
    assert spans(take, "t1") == [(0, 0, "success")]
    assert spans(take, "o1") == [(1, 1, "success")]


def test_one_that_is_internal_stays_inside() -> None:
    take = machine(*rings(kind="internal"))
    assert spans(take, "bb") == [(0, None, None)]
    assert received(take, "other") == []
    assert received(take, "a") == [(0, "bell", "a")]


def test_outside_of_a_machine_one_that_is_internal_is_for_the_agent_itself() -> (
    None
):
    rows = (row("top", "sequence"), bell("top", kind="internal"))
    take = played(made(*rows, row("ww", "wait", "top", duration=9.0)))
    assert received(take, "a") == [(1, "bell", "a")]
    assert received(take, "other") == []


def test_what_is_raised_as_a_machine_ends_is_for_the_machine_around_it() -> (
    None
):
    take = machine(
        row("oo", "state", "mm"),
        row("o1", "on_event", "oo", event="bell", to="ou"),
        row("in", "machine", "oo"),
        row("aa", "state", "in"),
        row("t1", "after", "aa", time=0.2, to="ff"),
        row("ff", "final", "in"),
        row("ol", "on_leave", "ff"),
        bell("ol"),
        row("ou", "state", "mm"),
    )
    assert spans(take, "o1") == [(2, 2, "success")]
    assert received(take, "other") == [(3, "bell", "a")]


def test_with_an_addressee_or_a_delay_it_is_no_internal_one() -> None:
    assert spans(machine(*rings(delay=0.3)), "t1") == [(3, 3, "success")]
    rows = (
        row("aa", "state", "mm"),
        row("ri", "tell_agent", "aa", target="a", event="bell"),
        row("t1", "on_event", "aa", event="bell", to="bb"),
        row("bb", "state", "mm"),
    )
    assert spans(machine(*rows), "t1") == [(1, 1, "success")]


def test_3_13_transitions_that_ask_a_condition_come_before_internal_events() -> (
    None
):
    take = machine(
        row("aa", "state", "mm"),
        row("oe", "on_enter", "aa"),
        row("ri", "raise_event", "oe", event="bell"),
        row("t1", "on_event", "aa", event="bell", to="bb"),
        row("t2", "when", "aa", when="clock() < 9", to="cc"),
        row("bb", "state", "mm"),
        row("cc", "state", "mm"),
        row("t3", "on_event", "cc", event="bell", to="dd"),
        row("dd", "state", "mm"),
    )
    assert spans(take, "bb") == []
    assert spans(take, "dd") == [(0, None, None)], (
        "the event waits for the state that comes next"
    )


def test_internal_events_are_handled_in_the_order_in_which_they_were_raised() -> (
    None
):
    take = machine(
        row("aa", "state", "mm"),
        row("r1", "raise_event", "aa", event="gong"),
        row("r2", "raise_event", "aa", event="bell"),
        row("t1", "on_event", "mm", event="bell", to="bb"),
        row("t2", "on_event", "mm", event="gong", to="cc"),
        row("bb", "state", "mm"),
        row("cc", "state", "mm"),
    )
    assert [spans(take, each)[0][0] for each in ("t2", "t1")] == [0, 0]
    assert spans(take, "bb") == [(0, None, None)], "the bell came last"


def test_what_a_transition_raises_is_handled_within_the_tick() -> None:
    take = machine(
        row("aa", "state", "mm"),
        row("t1", "when", "aa", when="clock() >= 0.2", to="bb"),
        row("ri", "raise_event", "t1", event="bell"),
        row("bb", "state", "mm"),
        row("t2", "on_event", "bb", event="bell", to="cc"),
        row("cc", "state", "mm"),
    )
    assert spans(take, "cc") == [(2, None, None)]


def test_a_ring_of_internal_events_is_cut_and_goes_on_at_the_next_tick() -> (
    None
):
    def turn(
        name: str, other: str, event: str, to_raise: str
    ) -> tuple[Row, ...]:
        return (
            row(name, "state", "mm"),
            row(f"t{name}", "on_event", name, event=event, to=other),
            row(f"r{name}", "raise_event", f"t{name}", event=to_raise),
        )

    first = (
        row("oe", "on_enter", "aa"),
        row("r0", "raise_event", "oe", event="bell"),
    )
    take = machine(
        *turn("aa", "bb", "bell", "gong"),
        *first,
        *turn("bb", "aa", "gong", "bell"),
    )
    assert take.ticks == 20
    cut = take.agents["a"].row("mm").refusals[CUT_OFF]
    assert {each.cause.kind for each in cut} == {"ring"}


@pytest.mark.parametrize("event", ["*", "bell", "bell.*", "bell.low"])
def test_3_12_1_a_descriptor_matches_by_its_dots_and_a_star_matches_all(
    event: str,
) -> None:
    rows = (
        row("aa", "state", "mm"),
        row("t1", "on_event", "aa", event=event, to="bb"),
        row("bb", "state", "mm"),
    )
    rung = made(
        row("mm", "machine"),
        *rows,
        cues=(Cue(at_s=0.5, does=RaiseEvent(raises="bell.low")),),
    )
    assert validate(rung, CATALOG) == []
    assert spans(played(rung), "t1") == [(5, 5, "success")]


@pytest.mark.parametrize("event", ["gong", "gong.*", "bell.high"])
def test_3_12_1_a_descriptor_of_another_event_does_not_match(
    event: str,
) -> None:
    rows = (
        row("aa", "state", "mm"),
        row("t1", "on_event", "aa", event=event, to="aa"),
    )
    take = machine(
        *rows, cues=(Cue(at_s=0.5, does=RaiseEvent(raises="bell.low")),)
    )
    assert spans(take, "t1") == []


def test_3_7_1_that_a_state_is_done_is_an_event_that_any_transition_may_wait_for() -> (
    None
):
    take_rows = (
        row("pp", "regions", "mm"),
        row("l0", "state", "pp"),
        row("l1", "state", "l0"),
        row("lw", "last", "l1", ticks=2),
        row("r0", "state", "pp"),
        row("r1", "state", "r0"),
        row("t1", "on_event", "r1", event="done.state.l1", to="r2"),
        row("r2", "state", "r0"),
    )
    assert validate(made(row("mm", "machine"), *take_rows), CATALOG) == []
    take = machine(*take_rows)
    assert spans(take, "t1") == [(2, 2, "success")]
    assert spans(take, "r2") == [(2, None, None)]


def test_3_10_a_state_may_begin_in_its_history() -> None:
    rows = (
        row("aa", "state", "mm", initial="hh"),
        row("hh", "history", "aa"),
        row("a1", "state", "aa"),
        row("t1", "after", "a1", time=0.2, to="a2"),
        row("a2", "state", "aa"),
        row("t2", "when", "aa", when="between(0.5, 0.6)", to="bb"),
        row("bb", "state", "mm"),
        row("t3", "after", "bb", time=0.3, to="aa"),
    )
    take = machine(*rows)
    assert spans(take, "a1") == [(0, 2, "stopped")]
    assert [each[0] for each in spans(take, "a2")] == [2, 8], (
        "it goes back to where it was"
    )


def test_3_5_a_transition_may_lead_to_states_of_several_regions() -> None:
    rows = (
        row("aa", "state", "mm"),
        row("t1", "after", "aa", time=0.3, to="l2", also="r2"),
        row("pp", "regions", "mm"),
        row("l0", "state", "pp"),
        row("l1", "state", "l0"),
        row("l2", "state", "l0"),
        row("r0", "state", "pp"),
        row("r1", "state", "r0"),
        row("r2", "state", "r0"),
    )
    assert validate(made(row("mm", "machine"), *rows), CATALOG) == []
    take = machine(*rows)
    active = ("pp", "l0", "l2", "r0", "r2")
    assert [spans(take, each) for each in active] == [[(3, None, None)]] * 5
    assert spans(take, "l1") == spans(take, "r1") == []
    wrong = [
        each.model_copy(update={"args": {**each.args, "also": "l1"}})
        for each in rows[1:2]
    ]
    (problem,) = validate(
        made(row("mm", "machine"), rows[0], *wrong, *rows[2:]), CATALOG
    )
    assert "not in regions beside each other" in str(problem)


def test_5_9_1_whether_a_state_is_active_can_be_asked() -> None:
    take = played(
        made(
            row("top", "parallel"),
            row("mm", "machine", "top"),
            row("aa", "state", "mm"),
            row("t1", "after", "aa", time=0.4, to="bb"),
            row("bb", "state", "mm", name="Alert"),
            row(
                "ss",
                "selector",
                "top",
                decorators=[("repeat_until", {"result": "success"})],
            ),
            row("cc", "count", "ss", guard='in_state("Alert")', **COUNTS),
        )
    )
    assert spans(take, "cc")[0][0] == 4


def test_delayed_events_come_by_the_time_at_which_they_are_due() -> None:
    rows = (
        row("top", "sequence"),
        row("r1", "raise_event", "top", event="bell", delay=0.5),
        row("ww", "last", "top", ticks=1),
        row("r2", "raise_event", "top", event="gong", delay=0.3),
        row("r3", "raise_event", "top", event="bell.low", delay=0.4),
        row("xx", "wait", "top", duration=9.0),
    )
    take = played(made(*rows))
    assert [each[:2] for each in received(take, "other")] == [
        (4, "gong"),
        (5, "bell"),
        (5, "bell.low"),
    ]
