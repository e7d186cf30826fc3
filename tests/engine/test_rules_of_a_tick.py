"""The rules of a tick that docs/semantics.md settles, each where it is easily
got wrong.
"""

import math
import re
from pathlib import Path
from types import SimpleNamespace

from tests.small import (
    key,
    played,
    project,
    received,
    record,
    row,
    spans,
    values,
)
from umbrant.catalog.kinds.decorators import Chance
from umbrant.catalog.protocols import Gauge
from umbrant.engine.leaf import IdleLeaf
from umbrant.model.behaviors import Key, Row, UpkeepMoment, Watch
from umbrant.model.staging import Cue, HeldResult, HoldResult, Member
from umbrant.model.values import KeyType
from umbrant.take.reader import Take


def test_chance_is_rolled_once_each_time_the_guard_of_a_take_over_comes_true() -> (
    None
):
    """A chance of 0.1 that were rolled at every tick would take over in nearly
    every take.
    """
    rows = (
        row("top", "selector"),
        row(
            "jump",
            "last",
            "top",
            ticks=99,
            guard=("clock() > 0.15", Watch.TAKE_OVER),
            decorators=[("chance", {"share": 0.1})],
        ),
        row("idle", "last", "top", ticks=99),
    )
    took_over = [
        bool(
            record(
                played(project(*rows, seconds=4.0, seed=seed)), "jump"
            ).spans
        )
        for seed in range(1, 41)
    ]
    assert 0 < sum(took_over) <= 10


def test_a_chance_of_one_always_lets_in_whatever_is_rolled() -> None:
    """Rolls just below 1 must not be rounded up to it."""

    class HighRolls:
        def random(self) -> float:
            return math.nextafter(1.0, 0.0)

    me = SimpleNamespace(random=HighRolls())
    gauges: list[Gauge] = []
    always = Chance.run(IdleLeaf(), gauges.append, lambda: 1.0)
    assert always.refusal(me) is None
    assert gauges[0].value < 1.0
    assert (
        Chance.run(IdleLeaf(), gauges.append, lambda: 0.9999).refusal(me)
        is not None
    )


def test_chance_is_rolled_anew_when_the_guard_comes_true_again() -> None:
    rows = (
        row("top", "selector"),
        row(
            "jump",
            "last",
            "top",
            ticks=99,
            guard=(
                "between(0.2, 0.4) or between(0.6, 0.8) or between(1, 1.2)",
                Watch.TAKE_OVER,
            ),
            decorators=[("chance", {"share": 0.5})],
        ),
        row("idle", "last", "top", ticks=99),
    )
    begins = {
        found[0].start
        for seed in range(1, 31)
        if (
            found := record(
                played(project(*rows, seconds=1.5, seed=seed)), "jump"
            ).spans
        )
    }
    assert begins == {2, 6, 10}, (
        "each time the guard came true, and at no other tick"
    )


def test_a_second_turn_has_all_of_its_time() -> None:
    turns = [("repeat", {"times": 3.0}), ("time_limit", {"limit": 0.3})]
    take = played(
        project(row("rr", "last", ticks=2, decorators=turns), seconds=2.0)
    )
    assert spans(take, "rr")[0] == (0, 8, "success"), (
        "each turn lasts two ticks and ends in a third"
    )


def test_a_second_turn_waits_as_long_as_the_first() -> None:
    turns = [("repeat", {"times": 2.0}), ("delay", {"delay": 0.2})]
    take = played(
        project(row("rr", "last", ticks=0, decorators=turns), seconds=2.0)
    )
    assert spans(take, "rr")[0] == (0, 5, "success"), (
        "two ticks of waiting, and then once more"
    )


def test_a_held_result_counts_in_the_turns_of_a_repeat_as_well() -> None:
    turns = [("repeat", {"times": 3.0}), ("hold", {"duration": 9.0})]
    rows = (
        row("top", "sequence", decorators=turns),
        row("one", "count", "top", key=key("n")),
    )
    number = Key(name="n", type=KeyType.NUMBER, default=0.0)
    take = played(project(*rows, keys=(number,), seconds=0.6))
    assert spans(take, "top")[0] == (0, 2, "success")
    assert [value for tick, value in values(take, "n") if tick <= 2] == [
        1.0
    ], "it was done only once"


def test_a_row_that_a_cue_holds_cools_after_each_end() -> None:
    made = project(
        row("top", "selector"),
        row(
            "held",
            "last",
            "top",
            ticks=3,
            decorators=[("cooldown", {"duration": 0.5})],
        ),
        row("rest", "last", "top", ticks=1),
        seconds=1.6,
    )
    holds = HoldResult(holds="held", of="a", result=HeldResult.SUCCESS)
    scenario = made.scenarios[0].model_copy(
        update={"cues": (Cue(at_s=0.0, does=holds),)}
    )
    take = played(made.with_scenario(scenario))
    assert [start for start, _, _ in spans(take, "held")] == [0, 5, 10, 15]
    assert {end for _, _, end in spans(take, "held")} == {"success"}


def test_a_parallel_that_bears_failures_goes_on_until_all_have_ended() -> None:
    rows = (
        row("pp", "parallel", failures=2.0),
        row("aa", "last", "pp", ticks=1, success=False),
        row("bb", "last", "pp", ticks=4),
    )
    take = played(project(*rows, seconds=0.7))
    assert spans(take, "pp")[0] == (0, 4, "failure")
    assert spans(take, "bb")[0] == (0, 4, "success")


def test_what_may_be_left_only_when_it_is_done_is_not_left_by_another_states_end() -> (
    None
):
    rows = (
        row("mm", "machine"),
        row("gg", "regions", "mm"),
        row("s1", "state", "gg"),
        row("s11", "state", "s1"),
        row("x1", "last", "s11", ticks=1),
        row("t1", "on_done", "s11", to="ff"),
        row("ff", "final", "s1"),
        row("s2", "state", "gg"),
        row("s21", "state", "s2", leaving="when it is done"),
        row("x2", "last", "s21", ticks=5),
        row("out", "state", "mm"),
        row("ww", "last", "out", ticks=99),
        row("td", "on_done", "s1", to="out"),
    )
    take = played(project(*rows, seconds=1.0))
    assert record(take, "x2").spans[0].outcome is not None
    assert record(take, "x2").spans[0].outcome.value == "success", (
        "it was not cut short"
    )


def test_a_guard_that_is_yes_all_along_takes_over_when_the_cooldown_ends() -> (
    None
):
    rows = (
        row("top", "selector"),
        row(
            "warn",
            "last",
            "top",
            ticks=1,
            guard=("clock() < 9", Watch.TAKE_OVER),
            decorators=[("cooldown", {"duration": 0.5})],
        ),
        row("idle", "last", "top", ticks=99),
    )
    take = played(project(*rows, seconds=1.5))
    assert [span[0] for span in spans(take, "warn")] == [0, 6, 12]


def test_a_watched_guard_is_asked_before_the_upkeep() -> None:
    number = Key(name="n", type=KeyType.NUMBER, default=0.0)
    rows = (
        row(
            "ww",
            "last",
            ticks=99,
            guard=("clock() < 0.25", Watch.WHILE_RUNNING),
            upkeep=[("count", 0.1, {"key": key("n")})],
        ),
    )
    take = played(project(*rows, keys=(number,), seconds=0.6))
    assert spans(take, "ww") == [(0, 3, "stopped")]
    assert values(take, "n")[-1] == (2, 3.0), (
        "not once more at the tick at which it was stopped"
    )


def test_turns_are_one_entry_for_at_most() -> None:
    for parts in (
        [("repeat", {"times": 3.0}), ("at_most", {"times": 2.0})],
        [("at_most", {"times": 2.0}), ("repeat", {"times": 3.0})],
    ):
        take = played(
            project(row("rr", "last", ticks=0, decorators=parts), seconds=1.0)
        )
        assert [span[:2] for span in spans(take, "rr")] == [(0, 2), (3, 5)]


def test_a_time_limit_comes_before_a_success_at_the_same_tick() -> None:
    limit = [("time_limit", {"limit": 0.3})]
    take = played(
        project(row("rr", "last", ticks=3, decorators=limit), seconds=0.5)
    )
    assert spans(take, "rr")[0] == (0, 3, "failure")


def test_a_refusal_is_a_failure_though_the_row_is_inverted() -> None:
    rows = (
        row("top", "sequence"),
        row(
            "one",
            "last",
            "top",
            ticks=0,
            guard="no",
            decorators=[("invert", {})],
        ),
        row("two", "last", "top", ticks=9),
    )
    take = played(project(*rows, seconds=0.4))
    assert spans(take, "two") == []
    assert spans(take, "top")[0] == (0, 0, "failure")


def test_a_parallel_without_children_succeeds_and_a_refused_child_has_failed() -> (
    None
):
    assert spans(played(project(row("pp", "parallel"), seconds=0.2)), "pp")[
        0
    ] == (0, 0, "success")
    rows = (
        row("pp", "parallel", failures=9.0),
        row("aa", "last", "pp", ticks=2, guard="no"),
        row("bb", "last", "pp", ticks=2),
    )
    take = played(project(*rows, seconds=0.4))
    assert spans(take, "pp")[0] == (0, 2, "failure")


def utility(*options: tuple[str, str], **setup: object) -> tuple[Row, ...]:
    """A utility of options, each with the input that it is scored by."""
    rows = [row("uu", "utility", **setup)]
    for name, what in options:
        rows.append(row(name, "option", "uu"))
        rows.append(row(f"{name}c", "consider", name, input=what, high=1.0))
        rows.append(row(f"{name}w", "last", name, ticks=99))
    return tuple(rows)


def test_a_least_hold_keeps_an_option_though_another_scores_more() -> None:
    rows = utility(("aa", "0.5"), ("bb", "clock() * 2"), hold=0.5)
    take = played(project(*rows, seconds=1.5))
    assert spans(take, "aa")[0] == (0, 5, "stopped"), (
        "bb scores more from 0.3 s on"
    )


def test_the_stay_bonus_counts_against_the_threshold_and_among_equals_the_first_wins() -> (
    None
):
    rows = utility(
        ("aa", "0.6 - clock()"), ("bb", "0.1"), threshold=0.4, stay_bonus=0.2
    )
    take = played(project(*rows, seconds=0.8))
    assert spans(take, "aa")[0] == (0, 4, "stopped"), (
        "0.3 + 0.2 is above 0.4, 0.2 + 0.2 is not"
    )
    equal = played(
        project(*utility(("aa", "0.5"), ("bb", "0.5")), seconds=0.3)
    )
    assert spans(equal, "aa")[0][0] == 0
    assert spans(equal, "bb") == []


def test_a_drawn_winner_is_kept_for_as_long_as_it_is_among_those_drawn_from() -> (
    None
):
    rows = utility(
        ("aa", "0.5"), ("bb", "0.5"), winner="among the best", best=2.0
    )
    first = set()
    for seed in range(1, 13):
        take = played(project(*rows, seconds=1.0, seed=seed))
        began = [len(spans(take, name)) for name in ("aa", "bb")]
        assert sorted(began) == [0, 1], "drawn once"
        first.add(began[0])
    assert first == {0, 1}, "each of them is drawn by some seed"


def test_scores_have_a_make_up_unknown_inputs_and_options_without_considerations() -> (
    None
):
    rows = (
        *utility(("aa", "0.5")),
        row("aac2", "consider", "aa", input="0.5", high=1.0),
        row("bb", "option", "uu", weight=0.2),
        row("bbw", "last", "bb", ticks=99),
        row("cc", "option", "uu"),
        row("ccc", "consider", "cc", input="n", high=1.0),
    )
    unset = Key(name="n", type=KeyType.NUMBER)
    take = played(project(*rows, keys=(unset,), seconds=0.3))
    scores = {
        name: record(take, name).gauge_at(0) for name in ("aa", "bb", "cc")
    }
    assert {name: gauge.value for name, gauge in scores.items() if gauge} == {
        "aa": 0.34375,
        "bb": 0.2,
        "cc": 0.0,
    }


def test_a_state_without_rows_is_done_from_the_start() -> None:
    rows = (
        row("mm", "machine"),
        row("s1", "state", "mm", leaving="when it is done"),
        row("t1", "when", "s1", to="s2", when="clock() > 0.15"),
        row("s2", "state", "mm"),
    )
    assert spans(played(project(*rows, seconds=0.5)), "s1") == [
        (0, 2, "stopped")
    ]


def test_a_behavior_that_has_ended_begins_again_at_the_next_tick() -> None:
    take = played(project(row("one", "last", ticks=0), seconds=0.4))
    assert [span[:2] for span in spans(take, "one")] == [
        (0, 0),
        (1, 1),
        (2, 2),
        (3, 3),
    ]


def test_an_event_raised_in_a_machine_is_handled_by_its_machine_at_once() -> (
    None
):
    rows = (
        row("mm", "machine"),
        row("aa", "state", "mm"),
        row("ring", "raise_event", "aa", event="bell"),
        row("on", "on_event", "aa", event="bell", to="bb"),
        row("bb", "state", "mm"),
        row("again", "on_event", "bb", event="bell", to="aa"),
    )
    take = played(project(*rows, seconds=0.4))
    assert spans(take, "on") == [(0, 0, "success")]
    assert spans(take, "again") == []


def test_an_event_is_received_at_the_next_tick_whatever_the_order_of_the_cast() -> (
    None
):
    rows = (
        row("top", "sequence"),
        row("ring", "raise_event", "top", event="bell"),
        row("ww", "last", "top", ticks=99),
    )
    made = project(
        *rows,
        cast=(Member(name="z", behavior="ears", start=(5.0, 5.0)),),
        seconds=0.5,
    )
    deaf = made.behaviors[0].with_rows([row("ww", "last", ticks=99)])
    both = (*made.behaviors, deaf.model_copy(update={"name": "ears"}))
    for cast in (
        made.scenarios[0].cast,
        tuple(reversed(made.scenarios[0].cast)),
    ):
        scenario = made.scenarios[0].model_copy(update={"cast": cast})
        again = made.model_copy(
            update={"behaviors": both, "scenarios": (scenario,)}
        )
        take = played(again)
        assert received(take, "a") == received(take, "z") == [(1, "bell", "a")]


def busy(
    at: UpkeepMoment, value: float
) -> tuple[str, UpkeepMoment, dict[str, object]]:
    return "set_number", at, {"key": key("n"), "value": value}


AROUND = [busy(UpkeepMoment.ENTRY, 1.0), busy(UpkeepMoment.LEAVING, 2.0)]
N = Key(name="n", type=KeyType.NUMBER, default=0.0)


def written(take: Take) -> list[tuple[int, object]]:
    """Each write of a key by a row: its tick and the value, in their order."""
    return [
        (each.tick, each.value)
        for each in take.agents["a"].writes
        if each.row_id
    ]


def test_upkeep_is_done_once_as_a_row_is_entered_and_left() -> None:
    again = [("repeat", {"times": 2.0})]
    take = played(
        project(
            row("top", "sequence"),
            row("aa", "last", "top", ticks=2, upkeep=AROUND, decorators=again),
            row("bb", "last", "top", ticks=9),
            keys=(N,),
            seconds=1.0,
        )
    )
    assert values(take, "n") == [(0, 1.0), (5, 2.0)], "a turn is no entry"
    _, one, other = take.agents["a"].writes
    assert (one.row_id, one.part, other.part) == ("aa", "upkeep 0", "upkeep 1")


def test_what_is_left_by_a_take_over_is_wound_up_from_the_inside_out() -> None:
    inner = [busy(UpkeepMoment.ENTRY, 3.0), busy(UpkeepMoment.LEAVING, 4.0)]
    take = played(
        project(
            row("top", "selector"),
            row(
                "up",
                "last",
                "top",
                ticks=9,
                guard=("clock() > 0.25", Watch.TAKE_OVER),
            ),
            row("out", "sequence", "top", upkeep=AROUND),
            row("in", "last", "out", ticks=9, upkeep=inner),
            keys=(N,),
            seconds=0.5,
        )
    )
    assert written(take) == [(0, 1.0), (0, 3.0), (3, 4.0), (3, 2.0)]


def test_what_is_set_on_entry_is_what_the_row_is_given() -> None:
    take = played(
        project(
            row("aa", "last", ticks=key("n"), upkeep=AROUND),
            keys=(N,),
            seconds=0.35,
        )
    )
    assert spans(take, "aa")[0] == (0, 1, "success")


def test_a_row_that_cannot_start_is_entered_and_left_all_the_same() -> None:
    unset = Key(name="m", type=KeyType.NUMBER)
    take = played(
        project(
            row("aa", "last", ticks=key("m"), upkeep=AROUND),
            keys=(N, unset),
            seconds=0.05,
        )
    )
    assert spans(take, "aa")[0] == (0, 0, "failure")
    assert written(take) == [(0, 1.0), (0, 2.0)]


def test_states_and_options_do_what_is_due_on_entry_and_on_leaving() -> None:
    machine = (
        row("mm", "machine"),
        row("aa", "state", "mm", upkeep=AROUND),
        row("t1", "after", "aa", time=0.3, to="bb"),
        row("bb", "state", "mm"),
    )
    take = played(project(*machine, keys=(N,), seconds=0.8))
    assert values(take, "n") == [(0, 1.0), (3, 2.0)]
    utility = (
        row("uu", "utility"),
        row("aa", "option", "uu", upkeep=AROUND),
        row("c1", "consider", "aa", input="0.5"),
        row("bb", "option", "uu"),
        row("c2", "consider", "bb", input="clock()"),
    )
    take = played(project(*utility, keys=(N,), seconds=0.8))
    assert values(take, "n") == [(0, 1.0), (6, 2.0)]


RULES = {
    "What a take-over is an edge of": "yes_all_along_takes_over_when_the_cooldown_ends",
    "When chance is rolled": "chance_is_rolled_once",
    "Guard, decorators, upkeep": "watched_guard_is_asked_before_the_upkeep",
    "On entry, on leaving": "done_once_as_a_row_is_entered_and_left",
    "Turns of a repeat": "turns_are_one_entry",
    "Time limit and success at the same tick": "time_limit_comes_before_a_success",
    "Invert and a refusal": "refusal_is_a_failure_though",
    "A held result": "held_result_counts",
    "A row that a cue holds": "row_that_a_cue_holds_cools",
    "Thresholds of a parallel": "parallel_that_bears_failures",
    "When a utility decides": "least_hold_keeps",
    "Stay bonus and threshold": "stay_bonus_counts_against",
    "A drawn winner": "drawn_winner_is_kept",
    "Scores": "scores_have_a_make_up",
    "A state that must be done": "not_left_by_another_states_end",
    "A behavior that has ended": "behavior_that_has_ended",
    "Events inside a machine": "handled_by_its_machine_at_once",
    "Events between agents": "received_at_the_next_tick",
}
"""The test of each rule on the page, by a part of its name."""


def test_every_rule_on_the_page_has_a_test() -> None:
    page = (Path(__file__).parents[2] / "docs" / "semantics.md").read_text()
    assert re.findall(r"^## (.*)$", page, re.MULTILINE) == list(RULES)
    tests = [name for name in globals() if name.startswith("test_")]
    for rule, part in RULES.items():
        assert [name for name in tests if part in name], rule
