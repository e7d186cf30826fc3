"""What is recorded does not depend on when it is handed over: any pieces give
the same file.
"""

import sqlite3
from collections.abc import Callable, Iterator
from contextlib import closing
from functools import cache
from pathlib import Path
from tempfile import TemporaryDirectory

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import DEMO
from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.validation import open_project
from umbrant.rolling.roll import Play, RollOrder, header_of, played
from umbrant.take.export import ExportFormat, export_text
from umbrant.take.reader import read_take
from umbrant.take.recorder import TakeRecorder
from umbrant.take.take_file import TakeFile

SECONDS = 5.0
TICKS = 100
SCENARIOS = [each.name for each in open_project(DEMO).scenarios]


def recorded(
    scenario: str, chunk_ticks: int, due: Callable[[], bool], path: Path
) -> Path:
    """Play the beginning of a scenario of the demo, handing over when `due`
    says so.
    """
    order = RollOrder(open_project(DEMO), scenario, path, seconds=SECONDS)
    setup = played(order)
    file = TakeFile(path, header_of(order.project, setup))
    recorder = TakeRecorder(setup.ticks_per_s, chunk_ticks, file.push, due)
    play = Play(order.project, setup, recorder, BUILTIN)
    for tick in range(setup.tick_count):
        play.tick(tick)
    recorder.end_chunk()
    file.close()
    return path


def tables(path: Path) -> Iterator[tuple[str, list[object]]]:
    with closing(sqlite3.connect(path)) as file:
        for (name,) in file.execute(
            "SELECT name FROM sqlite_master WHERE type = 'table' ORDER BY name"
        ).fetchall():
            # A name from the file's own schema.
            yield name, file.execute(f"SELECT * FROM {name}").fetchall()  # noqa: S608


@cache
def in_full_chunks(
    scenario: str, chunk_ticks: int
) -> tuple[dict[str, list[object]], str]:
    with TemporaryDirectory() as folder:
        path = recorded(
            scenario, chunk_ticks, lambda: False, Path(folder) / "t.take"
        )
        return dict(tables(path)), export_text(
            read_take(path), ExportFormat.JSONL
        )


@settings(max_examples=7)
@given(
    st.sampled_from(SCENARIOS),
    st.sampled_from([24, TICKS]),
    st.lists(st.booleans(), max_size=TICKS),
)
def test_any_pieces_give_equal_rows_in_every_table(
    scenario: str, chunk_ticks: int, due: list[bool]
) -> None:
    schedule = iter(due)
    with TemporaryDirectory() as folder:
        path = recorded(
            scenario,
            chunk_ticks,
            lambda: next(schedule, False),
            Path(folder) / "t.take",
        )
        assert dict(tables(path)) == in_full_chunks(scenario, chunk_ticks)[0]
        assert read_take(path).ticks == TICKS


@settings(max_examples=5)
@given(st.sampled_from(SCENARIOS), st.integers(1, TICKS))
def test_chunks_of_any_length_give_equal_exports(
    scenario: str, chunk_ticks: int
) -> None:
    assert (
        in_full_chunks(scenario, chunk_ticks)[1]
        == in_full_chunks(scenario, 10 * TICKS)[1]
    )


@pytest.mark.parametrize("scenario", SCENARIOS)
def test_a_piece_at_each_tick_gives_equal_rows(
    tmp_path: Path, scenario: str
) -> None:
    path = recorded(scenario, TICKS, lambda: True, tmp_path / "t.take")
    assert dict(tables(path)) == in_full_chunks(scenario, TICKS)[0]
