"""A take that goes on from where it first differs is the take from the first tick."""

import sqlite3
from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import DEMO
from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.kind import Family
from umbrant.catalog.validation import open_project, validate
from umbrant.model.documents import Project
from umbrant.model.edits import change_row, set_guard
from umbrant.model.staging import Cue, RaiseEvent
from umbrant.rolling.resuming import AgentRow, change_of
from umbrant.rolling.roll import Play, RollOrder, chunk_ticks, header_of, played, roll
from umbrant.take.reader import Take, read_take
from umbrant.take.writer import TakeWriter

QUAY = open_project(DEMO)
EVERY = 60


def heard_in(take: Take) -> dict[AgentRow, int]:
    """At which tick each row was first heard of."""
    found = {}
    for agent, record in take.agents.items():
        for row_id, row in record.rows.items():
            ticks = [
                *(span.start for span in row.spans),
                *(each.start for refusals in row.refusals.values() for each in refusals),
                *(step[0] for steps in row.atom_steps.values() for step in steps),
                *(step[0] for steps in row.times_done.values() for step in steps),
                *(tick for gauge in row.gauges.values() for tick in gauge.ticks),
            ]
            if ticks:
                found[agent, row_id] = min(ticks)
    return found


@pytest.fixture(scope="module")
def heard(tmp_path_factory: pytest.TempPathFactory) -> dict[AgentRow, int]:
    return heard_in(read_take(roll(order_of(QUAY, tmp_path_factory.mktemp("first") / "a.take"))))


def order_of(project: Project, path: Path, seconds: float | None = None) -> RollOrder:
    return RollOrder(project, "dusk", path, seconds=seconds)


def resumed(before: RollOrder, after: RollOrder, heard: dict[AgentRow, int]) -> int:
    """Play an order from the tick on at which it can first differ from another; returns that tick.
    Fails where it must be played from its first one.
    """
    change = change_of(before, after)
    assert change is not None
    tick = change.first_tick(heard) // EVERY * EVERY
    scenario, last = played(before), played(after)
    flush_s = chunk_ticks(scenario) / scenario.ticks_per_s
    with TakeWriter(after.path, header_of(after.project, last), flush_s) as writer:
        play = Play(before.project, scenario, writer, BUILTIN)
        for at in range(tick):
            play.tick(at)
        assert play.take_up(after.project, last, change.rows)
        for at in range(tick, last.tick_count):
            play.tick(at)
    return tick


def assert_same(one: Path, other: Path) -> None:
    """Every table has the same rows in the same order."""
    assert tables(one) == tables(other)


def tables(path: Path) -> dict[str, list[object]]:
    with sqlite3.connect(path) as file:
        names = [name for (name,) in file.execute("SELECT name FROM sqlite_master ORDER BY name")]
        return {
            name: file.execute(f"SELECT * FROM {name} ORDER BY rowid").fetchall()  # noqa: S608
            for name in names
            if not name.startswith("sqlite_") and name != "meta"
        } | {"meta": sorted(file.execute("SELECT * FROM meta").fetchall())}


def numbers(project: Project) -> Iterator[tuple[str, str, str, float]]:
    """The numbers that leaves are given."""
    for behavior in project.behaviors:
        around = {row.under for row in behavior.rows}
        for row in behavior.rows:
            for name, value in row.args.items():
                if isinstance(value, float | int) and not isinstance(value, bool):
                    kind = BUILTIN.get(row.kind, Family.ACTION)
                    if row.id not in around and kind is not None:
                        yield behavior.name, row.id, name, float(value)


NUMBERS = sorted(numbers(QUAY))


def with_number(project: Project, place: tuple[str, str, str, float], value: float) -> Project:
    behavior, row, name, _ = place
    return change_row(
        project,
        behavior,
        row,
        lambda found: found.model_copy(update={"args": {**found.args, name: value}}),
    )


@settings(max_examples=15)
@given(place=st.sampled_from(NUMBERS), share=st.floats(0.4, 1.9))
def test_a_resumed_take_is_the_take_from_the_first_tick(
    tmp_path_factory: pytest.TempPathFactory,
    heard: dict[AgentRow, int],
    place: tuple[str, str, str, float],
    share: float,
) -> None:
    folder = tmp_path_factory.mktemp("resumed")
    changed = with_number(QUAY, place, round(place[-1] * share, 2))
    if validate(changed, BUILTIN):
        return
    order = order_of(changed, folder / "resumed.take")
    resumed(order_of(QUAY, folder / "none.take"), order, heard)
    assert_same(order.path, roll(order_of(changed, folder / "first.take")))


def test_much_of_the_demo_need_not_be_played_again(
    tmp_path: Path, heard: dict[AgentRow, int]
) -> None:
    """Each leaf that is reached late is found to be so."""
    before = order_of(QUAY, tmp_path / "none.take")
    ticks = []
    for place in NUMBERS:
        change = change_of(before, order_of(with_number(QUAY, place, place[-1] + 0.1), before.path))
        assert change is not None
        ticks.append(change.first_tick(heard))
    assert len(ticks) > 20
    assert sum(tick >= EVERY for tick in ticks) > len(ticks) / 2


def test_a_guard_has_to_be_played_from_the_first_tick(tmp_path: Path) -> None:
    guarded = set_guard(QUAY, "warden", "esc", "can_see(visitor, within=9)")
    assert change_of(order_of(QUAY, tmp_path), order_of(guarded, tmp_path)) is None


def test_a_cue_is_resumed_before_its_time(tmp_path: Path, heard: dict[AgentRow, int]) -> None:
    dusk = QUAY.scenario("dusk")
    added = Cue(at_s=30.0, does=RaiseEvent(raises="thunder"))
    for cues in ((*dusk.cues, added), (added, *dusk.cues), dusk.cues[:-1]):
        scenario = dusk.model_copy(update={"cues": cues})
        others = tuple(scenario if each is dusk else each for each in QUAY.scenarios)
        changed = QUAY.model_copy(update={"scenarios": others})
        order = order_of(changed, tmp_path / "resumed.take")
        change = change_of(order_of(QUAY, tmp_path), order)
        if change is None:
            assert any(cue.when for cue in {*dusk.cues} ^ {*cues})
            continue
        tick = resumed(order_of(QUAY, tmp_path), order, heard)
        assert tick <= 600
        assert_same(order.path, roll(order_of(changed, tmp_path / "first.take")))


@pytest.mark.parametrize("seconds", [20.0, 60.0])
def test_another_length_is_resumed_at_the_end_of_the_shorter(
    tmp_path: Path, heard: dict[AgentRow, int], seconds: float
) -> None:
    order = order_of(QUAY, tmp_path / "resumed.take", seconds)
    tick = resumed(order_of(QUAY, tmp_path), order, heard)
    assert tick == min(seconds, 42) * 20 // EVERY * EVERY
    assert_same(order.path, roll(order_of(QUAY, tmp_path / "first.take", seconds)))
