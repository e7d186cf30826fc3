"""Rows: decorators, upkeep, leaving, and what cannot run."""

import pytest

from tests.kinds import LEFT
from tests.small import (
    gauges,
    key,
    played,
    project,
    record,
    refusals,
    row,
    spans,
)
from umbrant.model.behaviors import Key, Watch
from umbrant.model.staging import Prop
from umbrant.model.values import KeyType, Spread

NUMBER = Key(name="n", type=KeyType.NUMBER, default=0.0)
FLAG = Key(name="flag", type=KeyType.YES_NO)


def test_cooldown_refuses_a_row_until_its_time_is_over() -> None:
    take = played(
        project(
            row("top", "selector"),
            row(
                "r1",
                "last",
                "top",
                ticks=1,
                decorators=[("cooldown", {"duration": 0.5})],
            ),
            row("r2", "last", "top", ticks=0),
            seconds=1.0,
        )
    )
    assert spans(take, "r1") == [(0, 1, "success"), (6, 7, "success")]
    assert refusals(take, "r1")[0] == (2, 5, "cooling")
    facts = record(take, "r1").refusals[""][0].cause.facts
    assert facts == pytest.approx({"since_s": 0.1, "until_s": 0.6})


@pytest.mark.parametrize(
    ("ending", "cools"),
    [("success", True), ("failure", False), ("any end", True)],
)
def test_cooldown_begins_with_the_ending_it_is_told(
    ending: str, cools: bool
) -> None:
    cooldown = ("cooldown", {"duration": 5.0, "ending": ending})
    take = played(
        project(
            row("top", "selector"),
            row("r1", "last", "top", ticks=0, decorators=[cooldown]),
            seconds=0.3,
        )
    )
    assert len(spans(take, "r1")) == (1 if cools else 3)


def test_a_time_limit_stops_the_row_and_fails() -> None:
    take = played(
        project(
            row("top", "selector"),
            row(
                "r1",
                "last",
                "top",
                ticks=30,
                decorators=[("time_limit", {"limit": 0.4})],
            ),
            seconds=0.5,
        )
    )
    assert spans(take, "r1")[0] == (0, 4, "failure")
    assert record(take, "r1").spans[0].cause.kind == "time_limit"


def test_invert_turns_success_into_failure_and_failure_into_success() -> None:
    take = played(
        project(
            row("top", "selector"),
            row("r1", "last", "top", ticks=0, decorators=[("invert", {})]),
            row(
                "r2",
                "last",
                "top",
                ticks=0,
                success=False,
                decorators=[("invert", {})],
            ),
            seconds=0.1,
        )
    )
    assert spans(take, "r1") == [(0, 0, "failure")]
    assert spans(take, "r2") == [(0, 0, "success")]


def test_decorators_apply_from_the_outside_in() -> None:
    """Inverted inside, then limited: running out of time is failure. Limited
    inside, then inverted: it is success.
    """
    limit, invert = ("time_limit", {"limit": 0.2}), ("invert", {})
    for decorators, outcome in (
        ([limit, invert], "failure"),
        ([invert, limit], "success"),
    ):
        take = played(
            project(
                row("top", "last", ticks=30, decorators=decorators),
                seconds=0.3,
            )
        )
        assert spans(take, "top")[0] == (0, 2, outcome)


def test_upkeep_is_done_on_entry_and_then_every_so_often_while_the_row_is_active() -> (
    None
):
    upkeep = [("set_yes_no", 0.3, {"key": key("flag"), "value": True})]
    clearing = row("r2", "clear", "top", key=key("flag"))
    take = played(
        project(
            row("top", "sequence"),
            row("r1", "last", "top", ticks=4, upkeep=upkeep),
            clearing,
            row("r3", "last", "top", ticks=9),
            keys=(FLAG,),
            seconds=1.0,
        )
    )
    changes = take.agents["a"].keys["flag"]
    assert list(
        zip(
            changes.ticks, [each.value for each in changes.values], strict=True
        )
    ) == [
        (0, True),
        (4, None),
    ]
    assert (changes.values[0].row_id, changes.values[0].part) == (
        "r1",
        "upkeep 0",
    )
    assert (changes.values[1].row_id, changes.values[1].part) == ("r2", "")
    assert gauges(take, "r1", "upkeep 0") == [
        (0, 1.0, None),
        (3, 2.0, None),
    ], "each time is counted"


def test_upkeep_that_fails_says_why_and_the_row_goes_on() -> None:
    keys = (Key(name="thing", type=KeyType.PROP), NUMBER)
    upkeep = [
        (
            "pick_lowest",
            0.2,
            {"group": "none", "thing": key("thing"), "level": key("n")},
        )
    ]
    take = played(
        project(
            row("top", "last", ticks=3, upkeep=upkeep), keys=keys, seconds=0.4
        )
    )
    assert refusals(take, "top", "upkeep 0") == [
        (0, 0, "empty_group"),
        (2, 2, "empty_group"),
    ]
    assert spans(take, "top") == [(0, 3, "success")]


def test_upkeep_that_takes_time_is_refused_and_never_begun() -> None:
    LEFT.clear()
    take = played(
        project(
            row(
                "top",
                "last",
                ticks=3,
                upkeep=[("tidy", 0.1, {"text": "begun"})],
            ),
            seconds=0.4,
        )
    )
    assert {cause for _, _, cause in refusals(take, "top", "upkeep 0")} == {
        "takes_time"
    }
    assert LEFT == []


def test_what_a_row_started_is_undone_however_it_is_left() -> None:
    LEFT.clear()
    played(
        project(
            row("top", "sequence"),
            row(
                "r1",
                "tidy",
                "top",
                text="limited",
                decorators=[("time_limit", {"limit": 0.1}), ("invert", {})],
            ),
            seconds=0.2,
        )
    )
    assert LEFT == ["limited"]
    LEFT.clear()
    played(
        project(
            row("top", "selector"),
            row(
                "r1",
                "sequence",
                "top",
                guard=("between(0, 0.3)", Watch.WHILE_RUNNING),
            ),
            row("r2", "tidy", "r1", text="guarded"),
            row("r3", "last", "top", ticks=50),
            seconds=0.6,
        )
    )
    assert LEFT == ["guarded"]


def test_a_parent_that_is_left_stops_its_children_first() -> None:
    take = played(
        project(
            row("top", "selector"),
            row(
                "r1",
                "sequence",
                "top",
                guard=("between(0, 0.3)", Watch.THROUGHOUT),
            ),
            row("r2", "last", "r1", ticks=50),
            row("r3", "last", "top", ticks=50),
            seconds=0.5,
        )
    )
    assert spans(take, "r2") == [(0, 3, "stopped")]
    assert record(take, "r2").spans[0].cause.kind == "parent_left"
    assert spans(take, "r1") == [(0, 3, "stopped")]


@pytest.mark.parametrize(
    ("broken", "cause"),
    [
        (row("r1", "no_such_kind", "top"), "unknown_kind"),
        (row("r1", "move_to", "top"), "unfilled"),
        (row("r1", "check", "top", when="nothing_such > 2"), "bad_condition"),
        (row("r1", "last", "top", guard="1 +"), "bad_condition"),
        (row("r1", "move_to", "top", target=key("spot")), "not_set"),
        (row("r1", "last", "top", ticks=key("unset")), "not_set"),
        (row("r1", "move_to", "top", target="nobody"), "not_there"),
        (row("r1", "check", "top", when="flag"), "condition"),
    ],
)
def test_a_row_that_cannot_run_fails_and_says_why(
    broken: object, cause: str
) -> None:
    keys = (
        Key(name="spot", type=KeyType.POINT),
        Key(name="unset", type=KeyType.NUMBER),
        FLAG,
    )
    take = played(
        project(row("top", "selector"), broken, keys=keys, seconds=0.1)
    )  # type: ignore[arg-type]
    (span,) = record(take, "r1").spans
    assert (span.outcome, span.cause and span.cause.kind) == ("failure", cause)


def test_a_number_is_kept_within_its_keys_range_and_every_write_knows_its_writer() -> (
    None
):
    bounded = Key(name="n", type=KeyType.NUMBER, low=0, high=1)
    take = played(
        project(
            row("top", "set_number", key=key("n"), value=7.0),
            keys=(bounded,),
            seconds=0.1,
        )
    )
    written = take.agents["a"].keys["n"].at(0)
    assert written is not None
    assert (written.value, written.row_id) == (1.0, "top")


def test_a_spread_is_drawn_anew_at_each_entry_within_its_bounds() -> None:
    take = played(
        project(
            row("top", "wait", duration=Spread(mean=0.5, half_width=0.3)),
            seconds=20,
        )
    )
    lengths = [
        (span.end - span.start) / 10
        for span in record(take, "top").spans
        if span.end
    ]
    assert min(lengths) >= 0.2
    assert max(lengths) <= 0.9
    assert len(set(lengths)) > 3


def test_use_fills_a_prop_little_by_little_and_needs_to_be_near() -> None:
    lamps = (
        Prop(name="near", group="lamps", at=(2.5, 5), level=0.5),
        Prop(name="far", group="lamps", at=(12, 5), level=0.5),
    )
    take = played(
        project(
            row("top", "selector"),
            row("r1", "use", "top", target="far"),
            row("r2", "use", "top", target="near", duration=1.0),
            props=lamps,
            seconds=1.2,
        )
    )
    assert record(take, "r1").spans[0].cause.kind == "too_far"
    assert take.levels["near"][5] == pytest.approx(0.75, abs=0.06)
    assert take.levels["near"][11] == pytest.approx(1.0)
