"""Studies: counted as the takes say, whoever plays them, and taken up where
they were stopped.
"""

import json
import multiprocessing
import os
import shutil
import signal
import sqlite3
import subprocess
import sys
from contextlib import closing
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import DEMO
from tests.small import key, played, project, row
from tests.waiting import until
from umbrant import cli
from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.validation import open_project
from umbrant.expecting.share import wilson
from umbrant.model.behaviors import Key, Row, Sharing
from umbrant.model.staging import Member
from umbrant.model.values import KeyType
from umbrant.review import review_cast
from umbrant.rolling.parent import ENDS_WITH
from umbrant.rolling.roll import RollOrder, roll
from umbrant.studying.clusters import clusters
from umbrant.studying.counts import TABLES, CountedTake, count_take, row_counts
from umbrant.studying.local import count_file, counted_here
from umbrant.studying.study import Run, StudyError, StudyFile, identity
from umbrant.studying.summaries import ShareSummary, TakeSpread
from umbrant.take.reader import Take, read_take
from umbrant.take.record import Outcome

QUAY = open_project(DEMO)


def take_of(folder: Path, seed: int, seconds: float = 12.0) -> Take:
    path = folder / f"{seed}.take"
    return read_take(
        roll(RollOrder(QUAY, "dusk", path, seed=seed, seconds=seconds))
    )


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


def orders_for(folder: Path, seeds: range) -> list[RollOrder]:
    return [
        RollOrder(
            QUAY, "dusk", folder / f"{seed}.take", seed=seed, seconds=3.0
        )
        for seed in seeds
    ]


def counted_one_by_one(folder: Path, seeds: range) -> list[CountedTake]:
    return [count_take(take_of(folder, seed, 3.0)) for seed in seeds]


@pytest.mark.parametrize("jobs", [1, 3])
def test_takes_are_counted_beside_those_that_are_played(
    tmp_path: Path, jobs: int
) -> None:
    seeds = range(11, 16)
    (tmp_path / "alone").mkdir()
    expected = counted_one_by_one(tmp_path / "alone", seeds)
    assert list(counted_here(orders_for(tmp_path, seeds), jobs)) == expected
    assert multiprocessing.active_children() == []
    assert [path.name for path in tmp_path.iterdir()] == ["alone"]


def test_counts_alone_are_those_of_takes_in_full(
    tmp_path: Path, takes: list[Take]
) -> None:
    """All tables but the findings, over 12 s of the whole demo and over 3 s by
    the supervisor.
    """
    assert any(count_take(each).lines["finding"] for each in takes)
    for take in takes:
        seed = take.header.seed
        order = RollOrder(
            QUAY,
            "dusk",
            tmp_path / "light.take",
            seed,
            seconds=12.0,
            counts_only=True,
        )
        light = read_take(roll(order))
        assert light.poses == {}
        assert not any(
            row.sensed
            for record in light.agents.values()
            for row in record.rows.values()
        )
        wanted = dict(count_take(take).lines)
        del wanted["finding"]
        assert count_take(light) == CountedTake(take.ticks, wanted)
        assert order.path.stat().st_size < 0.8 * take.path.stat().st_size
    orders = [
        replace(each, counts_only=True)
        for each in orders_for(tmp_path, range(11, 13))
    ]
    (tmp_path / "alone").mkdir()
    for light, full in zip(
        counted_here(orders, 2),
        counted_one_by_one(tmp_path / "alone", range(11, 13)),
        strict=True,
    ):
        assert not isinstance(light, str)
        assert dict(full.lines) == {
            "finding": full.lines["finding"],
            **light.lines,
        }


def test_a_study_of_counts_alone_says_that_nothing_was_looked_for(
    umbrant: Any, short: Path, tmp_path: Path
) -> None:
    both = [
        ("--out", tmp_path / "full"),
        ("--out", tmp_path / "light", "--counts-only"),
    ]
    full, light = (
        json.loads(umbrant("study", short, "--seeds", 2, "--json", *each)[1])
        for each in both
    )
    assert light["groups"][0].pop("findings") is None
    assert full["groups"][0].pop("findings") != []
    assert light == full
    code, out, _ = umbrant("study", short, "--seeds", 2, *both[1])
    assert (code, "Findings were not looked for: --counts-only." in out) == (
        0,
        True,
    )
    code, _, err = umbrant(
        "study", short, "--seeds", 2, "--out", tmp_path / "light"
    )
    assert (code, "this is a study of something else" in err) == (1, True)


def test_who_counts_may_be_killed(tmp_path: Path) -> None:
    seeds = range(11, 17)
    (tmp_path / "alone").mkdir()
    expected = counted_one_by_one(tmp_path / "alone", seeds)
    found = counted_here(orders_for(tmp_path, seeds), 2)
    seen = [next(found)]
    for each in multiprocessing.active_children():
        os.kill(each.pid or 0, signal.SIGKILL)
    assert [*seen, *found] == expected


def test_what_cannot_be_read_costs_one_take(tmp_path: Path) -> None:
    (tmp_path / "odd.take").write_text("no take")
    assert "this is no take" in str(count_file(tmp_path / "odd.take"))
    orders = orders_for(tmp_path, range(11, 13))
    broken = replace(orders[0], scenario="no such")
    first, second = counted_here([broken, orders[1]], 1)
    assert isinstance(first, str)
    assert isinstance(second, CountedTake)


def test_a_take_is_counted_tick_by_tick(takes: list[Take]) -> None:
    take = takes[0]
    counted = {
        (agent, row): numbers for agent, row, *numbers in row_counts(take)
    }
    for agent, record in take.agents.items():
        for row_id, kept in record.rows.items():
            if not kept.spans:
                assert (agent, row_id) not in counted
                continue
            entered, ticks, succeeded, failed, stopped, first, longest = (
                counted[agent, row_id]
            )
            at_work = {
                tick
                for tick in range(take.ticks)
                for span in kept.spans
                if span.covers(tick)
                and not (tick == span.end and span.outcome is Outcome.STOPPED)
            }
            assert ticks == len(at_work)
            assert entered == len(kept.spans)
            going_on = sum(each.end is None for each in kept.spans)
            assert succeeded + failed + stopped == entered - going_on  # type: ignore[operator]
            assert first == kept.spans[0].start
            assert 0 <= longest <= ticks  # type: ignore[operator]


def test_a_summary_is_made_of_all_takes(
    tmp_path: Path, takes: list[Take]
) -> None:
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
    starts = [
        take.agents["odo"].row("esc").spans[0].start / 20 for take in takes
    ]
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


def test_a_study_that_is_being_made_is_none_yet_and_is_made_at_once(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "study.sqlite").touch()
    with pytest.raises(StudyError, match="there is no study"):
        StudyFile(tmp_path)
    seen = []
    put = StudyFile._put_meta

    def watched(file: StudyFile, name: str, value: str) -> None:
        # Of all that is made before this nothing is there for another yet.
        with closing(sqlite3.connect(tmp_path / "study.sqlite")) as other:
            seen.extend(other.execute("SELECT name FROM sqlite_master"))
        put(file, name, value)

    with monkeypatch.context() as patch:
        patch.setattr(StudyFile, "_put_meta", watched)
        StudyFile(tmp_path, "one").__exit__()
    assert seen == []
    with StudyFile(tmp_path) as made:
        assert (made.counted(), made.agents(), made.groups()) == (
            set(),
            [],
            [],
        )


def test_a_study_whose_maker_was_killed_as_it_was_written_is_made_anew(
    tmp_path: Path,
) -> None:
    """What was half written stands in the file until it is opened again."""
    path = tmp_path / "study.sqlite"
    script = (
        "import os, sqlite3\n"
        f"file = sqlite3.connect({str(path)!r}, isolation_level=None)\n"
        "file.execute('PRAGMA cache_size=1')\n"
        "file.execute('BEGIN')\n"
        "for each in range(200):\n"
        "    file.execute(f'CREATE TABLE t{each} (x)')\n"
        "os._exit(1)\n"
    )
    subprocess.run([sys.executable, "-c", script], check=False)
    assert path.stat().st_size
    with StudyFile(tmp_path, "one") as made:
        assert (made.counted(), made.agents()) == (set(), [])


def test_a_study_that_cannot_be_read_or_kept_says_so(tmp_path: Path) -> None:
    with StudyFile(tmp_path, "one"):
        pass
    with closing(sqlite3.connect(tmp_path / "study.sqlite")) as file:
        file.execute("DROP TABLE lead")
        file.execute("DROP TABLE run")
    with StudyFile(tmp_path) as broken:
        for what in (
            lambda: broken.findings(agent="odo"),
            lambda: broken.clusters("odo"),
            lambda: broken.count(Run(0, 1, {}), None, "gone"),
            broken.groups,
        ):
            with pytest.raises(StudyError, match="cannot be kept or read"):
                list(what())


def rows_of(folder: Path) -> list[list[tuple[object, ...]]]:
    with sqlite3.connect(folder / "study.sqlite") as file:
        return [
            file.execute(f"SELECT * FROM {table} ORDER BY rowid").fetchall()  # noqa: S608
            for table in ("run", *TABLES)
        ]


def test_results_are_equal_whatever_plays_them(
    umbrant: Any, short: Path, tmp_path: Path
) -> None:
    args = (
        "study",
        short,
        "--seeds",
        "5",
        "--vary",
        "warden/1.1.guard.within=6,10",
        "--json",
    )
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
        each
        for each in groups[0]["rows"]
        if (each["agent"], each["row"]) == ("odo", "keep")
    )
    assert (top["takes"], top["of"]) == (5, 5)


def is_made(out: Path) -> bool:
    """Whether there is a study that can be read: its file is there first."""
    try:
        with StudyFile(out):
            return True
    except StudyError:
        return False


def test_a_study_ends_with_the_process_that_it_is_to_end_with(
    short: Path, tmp_path: Path
) -> None:
    """So that a window that is killed leaves none running."""
    out = tmp_path / "out"
    command = ["-m", "umbrant", "study", str(short), "--seeds", "900"]
    script = (
        "import os, subprocess, sys, time\n"
        f"command = [sys.executable, *{command!r}, '--out', {str(out)!r}]\n"
        f"ends_with = {{{ENDS_WITH!r}: str(os.getpid())}}\n"
        "study = subprocess.Popen(command, env={**os.environ, **ends_with})\n"
        "print(study.pid, flush=True)\n"
        "time.sleep(600)\n"
    )
    with subprocess.Popen(
        [sys.executable, "-c", script], stdout=subprocess.PIPE, text=True
    ) as window:
        assert window.stdout is not None
        study = Path("/proc", window.stdout.readline().strip())
        until(lambda: is_made(out))
        window.kill()
    until(lambda: not study.exists())
    with StudyFile(out) as found:
        assert len(found.counted()) < 900


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
        monkeypatch.setattr(
            sys, "argv", ["umbrant", *map(str, (*args, tmp_path / "part"))]
        )
        with pytest.raises((SystemExit, KeyboardInterrupt)):
            cli.main()
    assert len(rows_of(tmp_path / "part")[0]) == 3
    counted = []
    with monkeypatch.context() as patch:
        patch.setattr(
            StudyFile,
            "count",
            lambda self, run, *more: (
                counted.append(run.number),
                real(self, run, *more),
            ),
        )
        assert umbrant(*args, tmp_path / "part")[1] == full[1]
    assert counted == [3, 4, 5]


def test_a_study_says_what_is_wrong(
    umbrant: Any, short: Path, tmp_path: Path
) -> None:
    out = tmp_path / "out"
    code, _, err = umbrant(
        "study", short, "--vary", "warden/9=1", "--out", out
    )
    assert code == 1
    assert "has no such row" in err
    vary = ("--vary", "warden/1.1.1.reach=0:10:0.01", "--seeds", "200")
    code, _, err = umbrant("study", short, *vary, "--out", out)
    assert code == 1
    assert "these are 200,200 takes, and a study has at most 100,000" in err
    (tmp_path / "file").write_text("no folder")
    code, _, err = umbrant(
        "study", short, "--seeds", "1", "--out", tmp_path / "file" / "x"
    )
    assert code == 1
    assert "cannot be kept there" in err
    code, said, err = umbrant("study", short, "--seeds", "2", "--out", out)
    assert (code, err) == (0, "")
    assert said.splitlines()[0].startswith(
        "  odo 1 Keep the quay: in 2 of 2 takes (34 to 100 %)"
    )


def test_a_study_is_held_against_one_from_before(
    umbrant: Any, short: Path, tmp_path: Path
) -> None:
    before, after = tmp_path / "before", tmp_path / "after"
    args = ("study", short, "--seeds", "4")
    assert umbrant(*args, "--out", before)[0] == 0
    code, said, _ = umbrant(*args, "--out", before, "--against", before)
    assert (code, said) == (0, "Nothing is otherwise than before.\n")
    path = short / "behaviors" / "gull.json"
    gull = json.loads(path.read_text())
    top = next(each for each in gull["rows"] if "under" not in each)
    path.write_text(
        json.dumps(
            {**gull, "rows": [{**top, "muted": True}, *gull["rows"][1:]]}
        )
    )
    code, said, _ = umbrant(*args, "--out", after, "--against", before)
    lines = said.splitlines()
    assert (code, lines[0]) == (0, "Otherwise than before:")
    assert "gull_1 1 " in lines[1]
    assert "in 4 of 4 takes, now in 0 of 4" in lines[1]
    found = json.loads(
        umbrant(*args, "--out", after, "--against", before, "--json")[1]
    )
    gone = {
        (each["agent"], each["row"])
        for each in found["differences"]
        if each["is_likely"]
    }
    assert ("gull_1", top["id"]) in gone


def counted(
    folder: Path, *rows: Row, seeds: int = 30, **more: Any
) -> StudyFile:
    """A study of a small behavior. Takes of counts alone come to the same."""
    file = StudyFile(folder / "study", "small")
    file.note(ticks_per_s=10)
    for number in range(seeds):
        made = project(*rows, seed=number + 1, **more)
        found = count_take(played(made))
        file.count(Run(number, number + 1, {}), found)
        if number < 3:
            light = count_take(played(made, counts_only=True))
            assert {"finding": found.lines["finding"], **light.lines} == dict(
                found.lines
            )
    return file


def test_a_chance_is_counted_against_what_it_was_set_to(
    tmp_path: Path,
) -> None:
    rows = (
        row("top", "selector"),
        row(
            "aa",
            "last",
            "top",
            ticks=0,
            decorators=[("chance", {"share": 0.3})],
        ),
        row("bb", "last", "top", ticks=0),
    )
    with counted(tmp_path, *rows, seconds=3.0) as file:
        (found,) = file.chances()
        (first,) = file.chances(agent="a")
        assert file.chances(agent="nobody") == []
    assert found == first
    assert (found.row, found.around, found.tried) == (
        "aa",
        "decorator 0",
        30 * 30,
    )
    assert found.expected == pytest.approx(0.3)
    assert found.share == wilson(found.happened, found.tried)
    assert found.share[0] < 0.3 < found.share[1]
    assert not found.is_odd
    assert ShareSummary("a", "aa", "", 900, 400, 0.3).is_odd
    assert not ShareSummary("a", "aa", "", 900, 400, None).is_odd


def test_a_draw_is_counted_against_the_weights(tmp_path: Path) -> None:
    rows = (
        row("top", "random_selector"),
        row(
            "aa",
            "last",
            "top",
            ticks=0,
            decorators=[("weight", {"weight": 3.0})],
        ),
        row("bb", "last", "top", ticks=0),
    )
    with counted(tmp_path, *rows, seconds=3.0) as file:
        found = {each.row: each for each in file.draws()}
    assert [found[each].expected for each in ("aa", "bb")] == [0.75, 0.25]
    assert (
        found["aa"].happened + found["bb"].happened
        == found["aa"].tried
        == 30 * 30
    )
    assert not found["aa"].is_odd
    refused = (
        *rows[:2],
        row("bb", "last", "top", ticks=0, guard="not between(0, 1)"),
    )
    with counted(tmp_path / "refused", *refused, seconds=3.0) as file:
        kept_out = {each.row: each for each in file.draws()}
    assert kept_out["aa"].expected is None, (
        "weights alone do not say how often it comes"
    )
    assert (
        kept_out["aa"].happened + kept_out["bb"].happened
        < kept_out["aa"].tried
    )


def test_keys_are_counted_once_for_all_who_share_them(tmp_path: Path) -> None:
    keys = (
        Key(name="own", type=KeyType.NUMBER, default=0.0),
        Key(
            name="all", type=KeyType.YES_NO, default=False, scope=Sharing.WORLD
        ),
    )
    rows = (
        row("top", "sequence"),
        row("aa", "set_number", "top", key=key("own"), value=2.0),
        row("bb", "set_yes_no", "top", key=key("all"), value=True),
        row("cc", "wait", "top", duration=9.0),
    )
    cast = tuple(
        Member(name=name, behavior="b", start=(5, 5)) for name in ("z",)
    )
    with counted(
        tmp_path, *rows, keys=keys, cast=cast, seeds=3, seconds=1.0
    ) as file:
        found = {(each.agent, each.key): each for each in file.key_summaries()}
    assert set(found) == {("a", "own"), ("z", "own"), ("everyone", "all")}
    own = found["z", "own"]
    assert (own.takes, own.lowest, own.highest, own.last.median) == (
        3,
        2.0,
        2.0,
        2.0,
    )


def test_findings_are_told_by_how_many_takes_have_them(
    tmp_path: Path, takes: list[Take]
) -> None:
    with StudyFile(tmp_path / "study", "one") as file:
        file.note(ticks_per_s=20)
        for number, take in enumerate(takes):
            file.count(Run(number, take.header.seed, {}), count_take(take))
        found, of_odo = file.findings(), file.findings(agent="odo")
    reviewed = [review_cast(take, BUILTIN) for take in takes]
    first = found[0]
    having = [
        take.header.seed
        for take, findings in zip(takes, reviewed, strict=True)
        if any(
            (each.finding.key, each.agents[0]) == (first.key, first.agent)
            for each in findings
        )
    ]
    assert (first.takes, first.of, first.seed) == (len(having), 4, having[0])
    assert [each.takes for each in found] == sorted(
        (each.takes for each in found), reverse=True
    )
    assert of_odo == [each for each in found if each.agent == "odo"]


def test_takes_that_went_alike_are_told_together_the_odd_ones_first() -> None:
    usual = {
        number: {"walk": 80 + number % 3, "rest": 20 - number % 3}
        for number in range(12)
    }
    leads = {**usual, 5: {"walk": 10, "flee": 90}}
    odd, many = clusters(leads, dict.fromkeys(range(12), 100))
    assert (odd.runs, dict(odd.shares)) == ((5,), {"flee": 0.9, "walk": 0.1})
    assert (len(many.runs), list(many.shares)) == (11, ["walk", "rest"])
    assert clusters({}, {}) == []
    assert len(clusters({1: {"walk": 5}}, {1: 10})) == 1


def test_very_many_takes_are_sorted_in_bounded_memory(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr("umbrant.studying.clusters.MOST", 8)
    leads = {
        number: {"walk": number % 20, "rest": 100 - number % 20}
        for number in range(200)
    }
    leads[7] = {"flee": 100}
    found = clusters(leads, dict.fromkeys(leads, 100))
    assert sorted(run for each in found for run in each.runs) == sorted(leads)
    assert found[0].runs == (7,)


def test_a_study_of_another_version_is_not_taken_up(tmp_path: Path) -> None:
    with StudyFile(tmp_path, "one"):
        pass
    with sqlite3.connect(tmp_path / "study.sqlite") as file:
        file.execute("PRAGMA user_version = 1")
    with pytest.raises(StudyError, match="made by another version"):
        StudyFile(tmp_path, "one")
