"""A take does not store a number that stands in its documents: its reader
fills it in.
"""

import math
import sqlite3
from collections.abc import Callable
from pathlib import Path
from typing import Any, NamedTuple

import pytest

from tests.small import causes_of, project, row
from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.written_facts import GAUGE
from umbrant.model.behaviors import Decorator, Key, Row
from umbrant.model.documents import Project
from umbrant.model.staging import Body, Member, Prop
from umbrant.model.values import KeyRef, KeyType
from umbrant.rolling.roll import RollOrder, roll
from umbrant.take.reader import Take, read_take

FAR = Prop(name="far", group="things", at=(18, 9))
NEAR = Prop(name="near", group="things", at=(2, 5.5))
OTHER = Member(name="other", start=(15, 5))


def made(*rows: Row, **more: Any) -> Project:
    return project(*rows, props=(FAR, NEAR), cast=(OTHER,), **more)


class Case(NamedTuple):
    """A project made of a number that is written, and the row that is asked."""

    make: Callable[[float], Project]
    value: float
    other: float | None = None
    """Another one that comes to the same, if there is one."""
    row_id: str = "top"


def wrapped(
    kind: str, param: str, duration_s: float = 5.0
) -> Callable[[float], Project]:
    """A row that waits, with one decorator."""
    return lambda value: made(
        row(
            "top",
            "wait",
            duration=duration_s,
            decorators=((kind, {param: value}),),
        )
    )


def reaching(
    kind: str, target: str, **more: Any
) -> Callable[[float], Project]:
    """A row that reaches for something."""
    return lambda reach: made(
        row("top", kind, target=target, reach=reach, **more)
    )


def hidden(within: float) -> Project:
    return made(row("top", "take_cover", watcher="other", within=within))


def thrown(reach: float) -> Project:
    return made(
        row("top", "sequence"),
        row("carry", "carry", "top", target="near", reach=1.5),
        row("throw", "throw", "top", target=(19.0, 9.0), reach=reach),
    )


def side_by_side(at_once: float) -> Project:
    return made(
        row("top", "parallel", at_once=at_once),
        row("one", "wait", "top", duration=5.0),
        row("two", "wait", "top", duration=5.0),
    )


def scoring(threshold: float) -> Project:
    return made(
        row("top", "utility", threshold=threshold),
        row("one", "option", "top"),
        row("score", "consider", "one", input="0.1 + 0"),
    )


def used_up(amount: float) -> Project:
    return made(
        row("top", "sequence"),
        row("all", "use_up", "top", target="near", amount=1.0),
        row("more", "use_up", "top", target="near", amount=amount),
    )


def picked(within: float) -> Project:
    return made(
        row("top", "pick", group="things", key=KeyRef(key="t"), within=within),
        keys=(Key(name="t", type=KeyType.PROP),),
    )


REACH = "too_far.range_m"
CASES: dict[str, Case] = {
    f"use:{REACH}": Case(reaching("use", "far", duration=1.0), 1.5, 1.75),
    f"use_up:{REACH}": Case(reaching("use_up", "far"), 1.5, 1.75),
    f"carry:{REACH}": Case(reaching("carry", "far"), 1.5, 1.75),
    f"strike:{REACH}": Case(reaching("strike", "other"), 1.25, 2.5),
    f"throw:{REACH}": Case(thrown, 6.0, 7.0, "throw"),
    "use_up:too_little.amount": Case(used_up, 0.5, 0.75, "more"),
    "take_cover:no_cover.range_m": Case(hidden, 5.0, 6.0),
    "pick:none_near.range_m": Case(picked, 0.125, 0.25),
    "parallel:in_turn.most": Case(side_by_side, 1.0, None, "two"),
    "utility:below_threshold.threshold": Case(scoring, 0.5, 0.75),
    "time_limit:time_limit.limit_s": Case(wrapped("time_limit", "limit"), 0.5),
    "chance:chance.share": Case(wrapped("chance", "share"), 0.03125, 0.046875),
    "at_most:at_most.times": Case(wrapped("at_most", "times", 0.2), 2.0),
    "cooldown:gauge.of": Case(wrapped("cooldown", "duration", 0.2), 0.5),
    "time_limit:gauge.of": Case(wrapped("time_limit", "limit"), 0.5),
    "delay:gauge.of": Case(wrapped("delay", "delay", 0.2), 0.5),
    "hold:gauge.of": Case(wrapped("hold", "duration", 0.2), 0.5),
    "chance:gauge.of": Case(wrapped("chance", "share"), 0.03125, 0.046875),
    "at_most:gauge.of": Case(wrapped("at_most", "times"), 2.0, 3.0),
    "repeat:gauge.of": Case(wrapped("repeat", "times"), 2.0, 3.0),
    "retry:gauge.of": Case(wrapped("retry", "times"), 2.0, 3.0),
}
"""By kind and what of its causes or gauges it is."""


def taken(
    made: Project, path: Path
) -> tuple[Take, list[list[tuple[Any, ...]]]]:
    """A take, and all rows of its tables but for the header."""
    roll(RollOrder(made, "s", path))
    with sqlite3.connect(path) as file:
        names = [
            name
            for (name,) in file.execute(
                "SELECT name FROM sqlite_master WHERE type = 'table' ORDER BY name"
            )
        ]
        tables = [
            file.execute(f"SELECT * FROM {name}").fetchall()  # noqa: S608
            for name in names
            if name != "meta"
        ]
    file.close()
    return read_take(path), tables


def facts(take: Take, row_id: str, place: str) -> set[object]:
    """What is read of a fact of a row's causes, or of its gauges."""
    kind, _, fact = place.partition(".")
    record = take.agents["a"].row(row_id)
    if kind == GAUGE:
        return {
            gauge.of
            for changes in record.gauges.values()
            for gauge in changes.values
        }
    found = [each.cause for each in record.spans]
    found += [each.cause for all_ in record.refusals.values() for each in all_]
    return {
        each.facts.get(fact) for each in found if each and each.kind == kind
    }


def test_each_number_that_a_kind_declares_is_tried() -> None:
    declared = {
        f"{kind.id}:{place}"
        for kind in BUILTIN.kinds.values()
        for place in kind.facts
    }
    assert declared == set(CASES)


@pytest.mark.parametrize("case", CASES)
def test_a_written_number_is_not_stored_and_read_all_the_same(
    case: str, tmp_path: Path
) -> None:
    make, value, other, row_id = CASES[case]
    place = case.partition(":")[2]
    take, tables = taken(make(value), tmp_path / "one.take")
    assert facts(take, row_id, place) == {value}
    kind, _, fact = place.partition(".")
    stored = " ".join(str(each) for table in tables for each in table)
    assert kind == GAUGE or f"'{fact}'" not in stored
    assert f'"{fact}":' not in stored
    if other is not None:
        again, same = taken(make(other), tmp_path / "other.take")
        assert facts(again, row_id, place) == {other}
        assert same == tables


def test_the_totals_of_gauges_are_not_stored(tmp_path: Path) -> None:
    _, tables = taken(wrapped("time_limit", "limit")(0.5), tmp_path / "a.take")
    [numbers] = [
        each[7] for each in tables[0] if each[2] == "decorator 0" and each[7]
    ]
    values = memoryview(numbers).cast("d").tolist()
    assert values[0] == 0.5
    assert all(math.isnan(each) for each in values[len(values) // 2 :])


@pytest.mark.parametrize(
    ("field", "numbers", "start", "kind", "fact"),
    [
        ("sight_m", (5.0, 6.0), (2, 5), "beyond_sight", "range_m"),
        ("cone_deg", (100.0, 90.0), (19, 5), "outside_cone", "cone_deg"),
    ],
)
def test_a_body_s_sight_is_not_stored_with_what_it_did_not_see(
    field: str,
    numbers: tuple[float, float],
    start: tuple[float, float],
    kind: str,
    fact: str,
    tmp_path: Path,
) -> None:
    keys = (
        Key(name="seen", type=KeyType.YES_NO, default=True),
        Key(name="where", type=KeyType.POINT),
    )
    looking = {
        "target": "other",
        "seen": KeyRef(key="seen"),
        "where": KeyRef(key="where"),
    }
    guarded = row("top", "wait", guard='can_see("other")')
    watching = row("top", "wait", upkeep=(("look_out", 0.1, looking),))
    for top in (guarded, watching):
        found = []
        for number in numbers:
            body = Body(**{field: number})
            made_of = made(top, keys=keys, body=body, start=start)
            take, tables = taken(made_of, tmp_path / "t.take")
            assert {
                cause.facts[fact]
                for cause in causes_of(take)
                if cause.kind == kind
            } == {number}
            found.append(tables)
        assert found[0] == found[1]


def test_which_of_two_time_limits_ran_out_shows_in_its_number(
    tmp_path: Path,
) -> None:
    for first, second in ((0.5, 1.0), (1.0, 0.5)):
        limits = tuple(
            Decorator(kind="time_limit", args={"limit": each})
            for each in (first, second)
        )
        top = row("top", "wait", duration=5.0).model_copy(
            update={"decorators": limits}
        )
        take, _ = taken(made(top), tmp_path / "t.take")
        assert facts(take, "top", "time_limit.limit_s") == {0.5}


def test_a_number_that_a_key_gives_is_stored(tmp_path: Path) -> None:
    far = Key(name="far", type=KeyType.NUMBER, default=1.5)
    top = row("top", "use_up", target="far", reach=KeyRef(key="far"))
    take, tables = taken(made(top, keys=(far,)), tmp_path / "t.take")
    assert facts(take, "top", "too_far.range_m") == {1.5}
    assert '"range_m":1.5' in " ".join(
        str(each) for table in tables for each in table
    )


def test_a_default_stands_in_no_document_and_is_stored(tmp_path: Path) -> None:
    take, tables = taken(
        made(row("top", "carry", target="far")), tmp_path / "t.take"
    )
    assert facts(take, "top", "too_far.range_m") == {1.0}
    stored = " ".join(str(each) for table in tables for each in table)
    assert '"range_m":1.0' in stored


def test_the_scores_of_an_option_are_not_taken_for_those_of_its_decorator(
    tmp_path: Path,
) -> None:
    """What a score is of is what is added to it for staying."""
    rows = (
        row("top", "utility", stay_bonus=0.5),
        row(
            "one",
            "option",
            "top",
            decorators=(("cooldown", {"duration": 0.5}),),
        ),
        row("score", "consider", "one", input="1 + 0"),
        row("wait", "wait", "one", duration=0.3),
        row("two", "option", "top"),
        row("other", "consider", "two", input="0.25 + 0"),
        row("stay", "wait", "two", duration=5.0),
    )
    take, tables = taken(made(*rows), tmp_path / "t.take")
    [numbers] = [
        each[7] for each in tables[0] if each[1:4] == ("one", "", "score")
    ]
    assert 0.5 in memoryview(numbers).cast("d").tolist()
    assert 0.5 in {
        each.of for each in take.agents["a"].row("one").gauges[""].values
    }
