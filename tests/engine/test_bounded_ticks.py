"""No tick runs for ever, whatever a machine is written like; what was cut off
is recorded and can be read.
"""

from tests.bounded import within
from tests.small import (
    key,
    played,
    project,
    record,
    refusals,
    row,
    spans,
    values,
)
from umbrant.model.behaviors import Key
from umbrant.model.staging import Cue, Member, RaiseEvent
from umbrant.model.values import KeyType

N = Key(name="n", type=KeyType.NUMBER, default=0.0)
EACH_S = 20.0
OVERLAPPING = (
    row("mm", "machine"),
    row("aa", "state", "mm"),
    row("t1", "when", "aa", when="n < 5", to="bb"),
    row("bb", "state", "mm"),
    row("t2", "when", "bb", when="n < 7", to="aa"),
)
"""Two states that each lead to the other for the same values."""


def test_a_state_that_is_done_at_once_and_leads_to_itself_does_not_hang_on_an_event() -> (
    None
):
    with within(EACH_S):
        take = played(
            project(
                row("mm", "machine"),
                row("aa", "state", "mm"),
                row("fi", "final", "aa"),
                row("t1", "on_done", "aa", to="aa"),
                row("t2", "on_event", "aa", event="go", to="aa"),
                keys=(N,),
                cues=(Cue(at_s=0.3, does=RaiseEvent(raises="go")),),
                seconds=0.6,
            )
        )
    assert take.ticks == 6


def test_a_configuration_that_comes_back_within_a_tick_ends_it_with_the_ring_recorded() -> (
    None
):
    take = played(
        project(
            *OVERLAPPING,
            keys=(N,),
            seconds=0.5,
        )
    )
    assert spans(take, "t1") == [(tick, tick, "success") for tick in range(5)]
    assert refusals(take, "mm", "machine") == [(0, 4, "ring")]
    reason = record(take, "mm").refusals["machine"][0].cause
    assert reason.facts["rows"] == "t1 t2"
    assert reason.facts["times"] == 2


def test_machines_in_machines_share_the_budget_of_their_agent() -> None:
    """Each ring counts up, so that no configuration comes back with the same
    values.
    """
    rows = []
    under = None
    for depth in range(3):
        machine, state = f"m{depth}", f"s{depth}"
        rows.extend(
            [
                row(machine, "machine", under),
                row(state, "state", machine),
                row(f"in{depth}", "on_enter", state),
                row(
                    f"c{depth}", "count", f"in{depth}", key=key("n"), amount=1
                ),
                row(f"t{depth}", "when", state, when="n >= 0", to=state),
            ]
        )
        under = state
    with within(EACH_S):
        take = played(project(*rows, keys=(N,), seconds=0.1))
    assert refusals(take, "m0", "machine") == [(0, 0, "endless")]
    assert values(take, "n")[-1][1] <= 110  # type: ignore[operator]


def test_an_event_may_lead_back_to_where_it_came_from_within_one_tick() -> (
    None
):
    take = played(
        project(
            row("mm", "machine"),
            row("aa", "state", "mm"),
            row("t1", "on_event", "aa", event="go", to="bb"),
            row("bb", "state", "mm"),
            row("t2", "on_event", "bb", event="back", to="aa"),
            cues=(
                Cue(at_s=0.2, does=RaiseEvent(raises="go")),
                Cue(at_s=0.2, does=RaiseEvent(raises="back")),
                Cue(at_s=0.2, does=RaiseEvent(raises="go")),
            ),
            seconds=0.4,
        )
    )
    assert spans(take, "t1") == [(2, 2, "success"), (2, 2, "success")]
    assert spans(take, "bb")[-1] == (2, None, None)
    assert refusals(take, "mm", "machine") == []


def test_a_state_that_does_its_work_again_when_it_is_done_goes_round_no_ring() -> (
    None
):
    take = played(
        project(
            row("mm", "machine"),
            row("aa", "state", "mm"),
            row("x1", "last", "aa", ticks=2),
            row("t1", "on_done", "aa", to="aa"),
            seconds=0.9,
        )
    )
    assert spans(take, "t1") == [
        (2, 2, "success"),
        (4, 4, "success"),
        (6, 6, "success"),
        (8, 8, "success"),
    ]
    assert refusals(take, "mm", "machine") == []


def test_a_state_that_is_done_again_at_once_is_taken_up_at_the_next_tick() -> (
    None
):
    take = played(
        project(
            row("mm", "machine"),
            row("aa", "state", "mm"),
            row("x1", "last", "aa", ticks=0),
            row("t1", "on_done", "aa", to="aa"),
            seconds=0.4,
        )
    )
    assert spans(take, "t1") == [(tick, tick, "success") for tick in range(4)]
    assert refusals(take, "mm", "machine") == [(0, 3, "ring")]


def test_a_machine_may_count_within_a_tick_as_long_as_something_changes() -> (
    None
):
    take = played(
        project(
            row("mm", "machine"),
            row("aa", "state", "mm"),
            row("t1", "when", "aa", when="n < 5", to="aa"),
            row("c1", "count", "t1", key=key("n"), amount=1),
            keys=(N,),
            seconds=0.3,
        )
    )
    assert values(take, "n") == [(0, 5.0)]
    assert spans(take, "t1") == [(0, 0, "success")] * 5
    assert refusals(take, "mm", "machine") == []


def test_a_crowd_with_overlapping_thresholds_writes_a_small_take() -> None:
    crowd = Member(name="c", behavior="b", start=(5, 5), copies=5)
    made = project(
        *OVERLAPPING,
        keys=(N,),
        cast=(crowd,),
        seconds=6.0,
    )
    take = played(made)
    assert len(take.agents["c_4"].row("t1").spans) == take.ticks
