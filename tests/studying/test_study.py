"""Studies: counted as the takes say, whoever plays them, and taken up where they were stopped."""

import json
import shutil
import sqlite3
import sys
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import DEMO
from umbrant import cli
from umbrant.catalog.validation import open_project
from umbrant.expecting.share import wilson
from umbrant.rolling.roll import RollOrder, roll
from umbrant.studying.counts import count_take, row_counts
from umbrant.studying.study import Run, StudyError, StudyFile, identity
from umbrant.studying.summaries import TakeSpread
from umbrant.take.reader import Take, read_take
from umbrant.take.record import Outcome

QUAY = open_project(DEMO)


def take_of(folder: Path, seed: int, seconds: float = 12.0) -> Take:
    path = folder / f"{seed}.take"
    return read_take(roll(RollOrder(QUAY, "dusk", path, seed=seed, seconds=seconds)))


@pytest.fixture(scope="module")
def takes(tmp_path_factory: pytest.TempPathFactory) -> list[Take]:
    folder = tmp_path_factory.mktemp("studied")
    return [take_of(folder, seed) for seed in range(11, 15)]


@pytest.fixture
def short(tmp_path: Path) -> Path:
    """The demo, four seconds long at dusk."""
    folder = Path(shutil.copytree(DEMO, tmp_path / "short"))
    dusk = folder / "scenarios" / "dusk.json"
    scenario = json.loads(dusk.read_text())
    scenario["seconds"] = 4
    dusk.write_text(json.dumps(scenario))
    return folder


def test_a_take_is_counted_tick_by_tick(takes: list[Take]) -> None:
    take = takes[0]
    counted = {(agent, row): numbers for agent, row, *numbers in row_counts(take)}
    for agent, record in take.agents.items():
        for row_id, row in record.rows.items():
            if not row.spans:
                assert (agent, row_id) not in counted
                continue
            entered, ticks, succeeded, failed, stopped, first, longest = counted[agent, row_id]
            at_work = {
                tick
                for tick in range(take.ticks)
                for span in row.spans
                if span.covers(tick) and not (tick == span.end and span.outcome is Outcome.STOPPED)
            }
            assert ticks == len(at_work)
            assert entered == len(row.spans)
            going_on = sum(each.end is None for each in row.spans)
            assert succeeded + failed + stopped == entered - going_on  # type: ignore[operator]
            assert first == row.spans[0].start
            assert 0 <= longest <= ticks  # type: ignore[operator]


def test_a_summary_is_made_of_all_takes(tmp_path: Path, takes: list[Take]) -> None:
    with StudyFile(tmp_path / "study", "one") as file:
        file.note(ticks_per_s=20)
        for number, take in enumerate(takes):
            file.count(Run(number, take.header.seed, {}), count_take(take))
        file.count(Run(99, 99, {}), None, "it went wrong")
        assert file.counted() == {0, 1, 2, 3, 99}
        assert file.faults() == [(99, "it went wrong")]
        found = {(each.agent, each.row): each for each in file.summary()}
    esc = found["odo", "esc"]
    entered = [len(take.agents["odo"].row("esc").spans) for take in takes]
    assert (esc.takes, esc.of) == (sum(count > 0 for count in entered), 4)
    assert esc.share == wilson(esc.takes, 4)
    assert esc.entered == TakeSpread.of(entered)
    assert esc.entered.low <= esc.entered.median <= esc.entered.high
    starts = [take.agents["odo"].row("esc").spans[0].start / 20 for take in takes]
    assert esc.first_s == TakeSpread.of(starts)
    top = found["odo", "keep"]
    assert top.time == TakeSpread(1.0, 1.0, 1.0)
    assert top.longest_s.high <= 12.0


def test_what_is_kept_is_a_study_of_the_same(tmp_path: Path) -> None:
    one = identity(QUAY, "dusk", range(11, 20), [])
    assert one == identity(QUAY, "dusk", range(11, 20), [])
    others = {
        identity(QUAY, "dusk", range(11, 21), []),
        identity(QUAY, "evening", range(11, 20), []),
        identity(QUAY, "dusk", range(11, 20), ["a=1"]),
    }
    assert len({one, *others}) == 4
    with StudyFile(tmp_path, one):
        pass
    with pytest.raises(StudyError, match="a study of something else"):
        StudyFile(tmp_path, "other")
    with pytest.raises(StudyError, match="there is no study"):
        StudyFile(tmp_path / "nowhere")
    (tmp_path / "odd").mkdir()
    (tmp_path / "odd" / "study.sqlite").write_bytes(b"no database" * 400)
    with pytest.raises(StudyError, match="no study"):
        StudyFile(tmp_path / "odd", one)
    with sqlite3.connect(tmp_path / "other.sqlite") as file:
        file.execute("CREATE TABLE x (y)")
    (tmp_path / "db").mkdir()
    shutil.copy(tmp_path / "other.sqlite", tmp_path / "db" / "study.sqlite")
    with pytest.raises(StudyError, match="no study"):
        StudyFile(tmp_path / "db", one)


def rows_of(folder: Path) -> list[list[tuple[object, ...]]]:
    with sqlite3.connect(folder / "study.sqlite") as file:
        return [
            file.execute(f"SELECT * FROM {table} ORDER BY rowid").fetchall()  # noqa: S608
            for table in ("run", "tally")
        ]


def test_results_are_equal_whatever_plays_them(umbrant: Any, short: Path, tmp_path: Path) -> None:
    args = ("study", short, "--seeds", "5", "--vary", "warden/1.1.guard.within=6,10", "--json")
    one = umbrant(*args, "--jobs", "1", "--out", tmp_path / "one")
    two = umbrant(*args, "--jobs", "2", "--out", tmp_path / "two")
    assert one == two
    assert one[0] == 0
    assert rows_of(tmp_path / "one") == rows_of(tmp_path / "two")
    groups = json.loads(one[1])["groups"]
    assert [each["given"] for each in groups] == [
        {"warden/1.1.guard.within": 6.0},
        {"warden/1.1.guard.within": 10.0},
    ]
    top = next(
        each for each in groups[0]["rows"] if (each["agent"], each["row"]) == ("odo", "keep")
    )
    assert (top["takes"], top["of"]) == (5, 5)


def test_a_study_is_taken_up_where_it_was_stopped(
    umbrant: Any, short: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    args = ("study", short, "--seeds", "6", "--jobs", "1", "--json", "--out")
    full = umbrant(*args, tmp_path / "all")
    count, real = [0], StudyFile.count

    def interrupted(self: StudyFile, *more: Any) -> None:
        count[0] += 1
        if count[0] > 3:
            raise KeyboardInterrupt
        real(self, *more)

    with monkeypatch.context() as patch:
        patch.setattr(StudyFile, "count", interrupted)
        monkeypatch.setattr(sys, "argv", ["umbrant", *map(str, (*args, tmp_path / "part"))])
        with pytest.raises((SystemExit, KeyboardInterrupt)):
            cli.main()
    assert len(rows_of(tmp_path / "part")[0]) == 3
    counted = []
    with monkeypatch.context() as patch:
        patch.setattr(
            StudyFile,
            "count",
            lambda self, run, *more: (counted.append(run.number), real(self, run, *more)),
        )
        assert umbrant(*args, tmp_path / "part")[1] == full[1]
    assert counted == [3, 4, 5]


def test_a_study_says_what_is_wrong(umbrant: Any, short: Path, tmp_path: Path) -> None:
    out = tmp_path / "out"
    code, _, err = umbrant("study", short, "--vary", "warden/9=1", "--out", out)
    assert code == 1
    assert "has no such row" in err
    vary = ("--vary", "warden/1.1.1.reach=0:10:0.01", "--seeds", "200")
    code, _, err = umbrant("study", short, *vary, "--out", out)
    assert code == 1
    assert "these are 200,200 takes, and a study has at most 100,000" in err
    (tmp_path / "file").write_text("no folder")
    code, _, err = umbrant("study", short, "--seeds", "1", "--out", tmp_path / "file" / "x")
    assert code == 1
    assert "cannot be kept there" in err
    code, said, err = umbrant("study", short, "--seeds", "2", "--out", out)
    assert (code, err) == (0, "")
    assert said.splitlines()[0].startswith("  odo 1 Keep the quay: in 2 of 2 takes (34 to 100 %)")
