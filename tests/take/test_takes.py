"""Takes on disk: what was heard is read back, a crash keeps what was written,
equal takes export equal bytes.
"""

import csv
import io
import json
import math
import os
import shutil
import sqlite3
from collections.abc import Mapping
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.review.random_projects import RandomProject
from tests.small import played, project, row
from umbrant.catalog.causes import cause
from umbrant.catalog.language.atom_results import AtomResult
from umbrant.catalog.protocols import Progress, Status, lasting
from umbrant.model.folder import document_texts
from umbrant.model.staging import Body, Stat
from umbrant.take.compare import TickRange, different
from umbrant.take.errors import TakeError
from umbrant.take.export import COLUMNS, ExportFormat, export_text
from umbrant.take.header import Header
from umbrant.take.reader import Take, read_take
from umbrant.take.record import Outcome, RowState
from umbrant.take.stored.values import DamagedTake, stored_rows
from umbrant.take.tables import packed_steps
from umbrant.take.writer import FLUSH_S, TakeWriter

MADE = project(row("top", "selector"), row("r1", "wait", "top"))


def header(ticks: int = 20) -> Header:
    return Header(
        scenario="s",
        seed=1,
        ticks=ticks,
        ticks_per_s=10,
        documents=document_texts(MADE),
    )


def write(path: Path, ticks: int, *, close: bool = True) -> TakeWriter:
    """A take in which r1 is refused at every third tick and runs else, and top
    runs all the time.
    """
    writer = TakeWriter(path, header(ticks))
    agent = writer.agent("a")
    pose = writer.posing("a")
    agent.running("top").entered()
    for tick in range(ticks):
        pose((float(tick), 2.0), 90.0)
        if tick % 3 == 0:
            agent.refusing("r1", "")(cause("guard"))
        elif tick % 3 == 1:
            agent.running("r1").entered()
            agent.progressing("r1")(Progress(1.5, 2.0, "m", ((1.0, 2.0),)))
        else:
            agent.running("r1").left(Status.FAILURE, cause("not_set", key="n"))
        agent.sensing("r1", "guard")(
            0, AtomResult(tick % 3 != 0, float(tick), 4.0)
        )
        if tick == 0:
            agent.sensing("r1", "guard")(1, None)
        agent.wrote("", "n", tick // 3, "r1", "upkeep 0")
        writer.tick_done()
    if close:
        writer.close()
    return writer


def test_what_was_heard_is_read_back(tmp_path: Path) -> None:
    write(tmp_path / "t.take", 9)
    take = read_take(tmp_path / "t.take")
    assert take.is_complete
    assert take.ticks == 9
    record = take.agents["a"].row("r1")
    states = [record.state_at(tick) for tick in range(6)]
    assert states == [
        RowState.REFUSED,
        RowState.RUNNING,
        RowState.FAILURE,
        RowState.REFUSED,
        RowState.RUNNING,
        RowState.FAILURE,
    ]
    assert record.spans[0].cause == cause("not_set", key="n")
    assert record.found_at("guard", 0, 4) == AtomResult(True, 4.0, 4.0)
    assert record.found_at("guard", 1, 4) is None
    assert record.ways.at(8) == ((1.0, 2.0),)
    written = take.agents["a"].keys["n"].at(7)
    assert written is not None
    assert (written.value, written.part) == (2, "upkeep 0")
    assert take.poses["a"].shape == (9, 3)
    assert take.poses["a"][4].tolist() == [4.0, 2.0, 90.0]
    assert take.agents["a"].row("top").state_at(8) is RowState.RUNNING


def test_a_take_is_one_file(tmp_path: Path) -> None:
    write(tmp_path / "t.take", 9)
    assert [path.name for path in tmp_path.iterdir()] == ["t.take"]


def test_a_crash_keeps_what_was_flushed(tmp_path: Path) -> None:
    flushed = round(FLUSH_S * header().ticks_per_s)
    writer = write(tmp_path / "t.take", flushed + 20, close=False)
    take = read_take(tmp_path / "t.take")
    assert take.ticks == flushed
    assert not take.is_complete
    assert "cut short" in take.ended
    assert (
        take.agents["a"].row("top").state_at(flushed - 1) is RowState.RUNNING
    )
    writer.close()


def test_an_error_while_playing_is_noted_in_the_file(tmp_path: Path) -> None:
    with (
        pytest.raises(ZeroDivisionError),
        TakeWriter(tmp_path / "t.take", header()),
    ):
        _ = 1 / 0
    assert read_take(tmp_path / "t.take").ended.startswith("ZeroDivisionError")


def test_files_that_are_no_takes_are_told_with_the_way_out(
    tmp_path: Path,
) -> None:
    with pytest.raises(TakeError, match="no such take"):
        read_take(tmp_path / "none.take")
    (tmp_path / "text.take").write_text(
        "not a database, but long enough to look at " * 20
    )
    with pytest.raises(TakeError, match="no take, or it is damaged"):
        read_take(tmp_path / "text.take")
    sqlite3.connect(tmp_path / "empty.take").executescript(
        "CREATE TABLE meta (name, value); VACUUM"
    )
    with pytest.raises(TakeError, match="Roll the scenario again"):
        read_take(tmp_path / "empty.take")


def test_a_take_cut_in_half_is_told(tmp_path: Path) -> None:
    path = tmp_path / "t.take"
    write(path, 500)
    path.write_bytes(path.read_bytes()[: path.stat().st_size // 2])
    with pytest.raises(TakeError, match="damaged"):
        read_take(path)


def test_a_place_that_cannot_be_written_is_named(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("")
    with pytest.raises(TakeError, match="cannot be written"):
        TakeWriter(tmp_path / "file" / "t.take", header())


def test_exports_have_a_line_for_everything_in_the_order_of_ticks() -> None:
    take = played(MADE)
    lines = [
        json.loads(line)
        for line in export_text(take, ExportFormat.JSONL).splitlines()
    ]
    assert [line["tick"] for line in lines] == sorted(
        line["tick"] for line in lines
    )
    assert {"ran", "pose", "progress"} <= {line["what"] for line in lines}
    rows = list(
        csv.DictReader(io.StringIO(export_text(take, ExportFormat.CSV)))
    )
    assert len(rows) == len(lines)
    assert tuple(rows[0]) == COLUMNS


def test_what_became_different_is_told_by_row_and_stretch() -> None:
    def of(ticks: int, name: str = "waiting") -> object:
        return played(
            project(
                row("top", "sequence"),
                row("r1", "last", "top", ticks=ticks, name=name),
                row("r2", "last", "top", ticks=30),
            )
        )

    before, after = of(4), of(6)
    found = different(before, after, "a")  # type: ignore[arg-type]
    assert found == {"r1": (TickRange(4, 6),), "r2": (TickRange(4, 5),)}
    assert different(before, of(4, "another name"), "a") == {}  # type: ignore[arg-type]


@settings(max_examples=15, deadline=None)
@given(st.integers(0, 10**6), st.integers(0, 10**6), st.integers(1, 400))
def test_what_is_different_is_what_each_row_is_tick_by_tick(
    one: int, other: int, ticks: int
) -> None:
    """Of two random projects, and of one with itself, cut short as a look at
    it is.
    """
    before = played(RandomProject(one).made)
    for after in (
        played(RandomProject(other).made),
        before,
        _cut(before, ticks),
    ):
        rows = {*before.agents["a"].rows, *after.agents["a"].rows}
        last = max(before.ticks, after.ticks)
        expected = {}
        for row_id in rows:
            was, now = (
                before.agents["a"].row(row_id),
                after.agents["a"].row(row_id),
            )
            differs = {
                t
                for t in range(last)
                if was.state_at(t) is not now.state_at(t)
            }
            if differs:
                expected[row_id] = differs
        for so_far, until in ((False, last), (True, after.ticks)):
            found = different(before, after, "a", so_far=so_far)
            assert _ticks_in(found) == {
                row_id: {tick for tick in differs if tick < until}
                for row_id, differs in expected.items()
                if min(differs) < until
            }


def _ticks_in(
    found: Mapping[str, tuple[TickRange, ...]],
) -> dict[str, set[int]]:
    return {
        row_id: {
            tick for each in ranges for tick in range(each.start, each.end + 1)
        }
        for row_id, ranges in found.items()
    }


def _cut(take: Take, ticks: int) -> Take:
    """What had been recorded of a take after so many ticks."""
    made = take.header.project
    scenario = made.scenarios[0]
    seconds = min(take.ticks, ticks) / scenario.ticks_per_s
    return played(
        made.with_scenario(scenario.model_copy(update={"seconds": seconds}))
    )


def test_of_two_spans_that_meet_the_later_one_counts() -> None:
    take = played(project(row("top", "last", ticks=0), seconds=0.3))
    record = take.agents["a"].row("top")
    assert [span.start for span in record.spans] == [0, 1, 2]
    assert record.span_at(1) == record.spans[1]
    assert record.spans[1].outcome is Outcome.SUCCESS


@given(
    st.lists(
        st.tuples(st.sampled_from([0.0, 0.05, 0.25, -3.0]), st.integers(1, 6)),
        min_size=1,
        max_size=8,
    )
)
def test_what_is_left_of_a_row_is_read_back_for_every_tick(
    stretches: list[tuple[float, int]],
) -> None:
    lefts, left = [], 40.0
    for step, ticks in stretches:
        for _ in range(ticks):
            lefts.append(left)
            left = max(0.0, left - step)
    with TemporaryDirectory() as folder:
        path = Path(folder) / "t.take"
        with TakeWriter(path, header(len(lefts))) as writer:
            agent = writer.agent("a")
            agent.running("r1").entered()
            for each in lefts:
                agent.progressing("r1")(Progress(each, 40.0, "m"))
                writer.tick_done()
        record = read_take(path).agents["a"].row("r1")
    for tick, each in enumerate(lefts):
        done = record.done_at(tick)
        assert done is not None
        assert done.left == pytest.approx(each, abs=1e-5)
    assert len(record.progress.ticks) <= 2 * len(stretches) + 3, (
        "what goes on evenly is kept once"
    )


def test_another_whole_is_another_progress_though_it_goes_on_evenly(
    tmp_path: Path,
) -> None:
    reported = [
        Progress(5.0, 9.0, "m"),
        Progress(4.0, 9.0, "m"),
        Progress(3.0, 6.0, "m"),
        Progress(2.0, 6.0, "s"),
    ]
    with TakeWriter(tmp_path / "t.take", header(len(reported))) as writer:
        agent = writer.agent("a")
        agent.running("r1").entered()
        for each in reported:
            agent.progressing("r1")(each)
            writer.tick_done()
    record = read_take(tmp_path / "t.take").agents["a"].row("r1")
    assert [
        (done.left, done.of, done.unit)
        for tick in range(len(reported))
        if (done := record.done_at(tick)) is not None
    ] == [(each.left, each.of, each.unit) for each in reported]


def test_steps_beyond_what_a_column_holds_are_the_last_that_it_does() -> None:
    steps = [1, 2**16 - 1, 2**16, 10**6]
    assert np.frombuffer(packed_steps(steps), "<u2").tolist() == [
        1,
        65535,
        65535,
        65535,
    ]


def test_what_merely_takes_its_time_is_told_again_and_kept_once(
    tmp_path: Path,
) -> None:
    """10 ticks a second: half a second is told twice in a row, and something
    uneven follows it.
    """
    with TakeWriter(tmp_path / "t.take", header(14), flush_s=0.3) as writer:
        agent = writer.agent("a")
        agent.running("r1").entered()
        tell = agent.progressing("r1")
        yielded = (
            [lasting(0.5, 0.5)] * 5
            + [lasting(0.5, 0.5)] * 5
            + [Progress(each, 9.0, "m") for each in (5, 4, 2, 2)]
        )
        for progress in yielded:
            tell(progress)
            writer.tick_done()
    record = read_take(tmp_path / "t.take").agents["a"].row("r1")
    lefts = [
        done.left
        for tick in range(14)
        if (done := record.done_at(tick)) is not None
    ]
    assert lefts == pytest.approx([0.5, 0.4, 0.3, 0.2, 0.1] * 2 + [5, 4, 2, 2])
    assert record.progress.ticks[:2] == [0, 5]
    assert [each.rate for each in record.progress.values[:2]] == pytest.approx(
        [0.05 * 2] * 2
    )


def test_what_merely_takes_its_time_begins_anew_after_something_even(
    tmp_path: Path,
) -> None:
    waits = lasting(0.5, 0.5)
    with TakeWriter(tmp_path / "t.take", header(4)) as writer:
        agent = writer.agent("a")
        agent.running("r1").entered()
        tell = agent.progressing("r1")
        # The second is just what is left of the first by then: 10 ticks are a
        # second.
        for progress in (waits, Progress(0.4, 0.5, "s"), waits, waits):
            tell(progress)
            writer.tick_done()
    record = read_take(tmp_path / "t.take").agents["a"].row("r1")
    assert [record.done_at(tick).left for tick in range(4)] == pytest.approx(  # type: ignore[union-attr]
        [0.5, 0.4, 0.5, 0.4]
    )


def test_counting_goes_on_after_what_was_counted_has_gone_to_disk(
    tmp_path: Path,
) -> None:
    with TakeWriter(tmp_path / "t.take", header(9), flush_s=0.3) as writer:
        count = writer.agent("a").counting("r1", "upkeep 0")
        for tick in range(9):
            if tick % 2:
                count()
            writer.tick_done()
    counts = (
        read_take(tmp_path / "t.take").agents["a"].row("r1").gauges["upkeep 0"]
    )
    assert counts.ticks == [1, 3, 5, 7]
    assert [each.value for each in counts.values] == [1, 2, 3, 4]


def test_a_refusal_that_lasts_is_read_back_to_its_end(tmp_path: Path) -> None:
    """What was told last may be put off in place of telling it again, over
    what has gone to disk meanwhile too.
    """
    with TakeWriter(tmp_path / "t.take", header(12), flush_s=0.3) as writer:
        refused = writer.agent("a").refusing("r1", "")
        for tick in range(12):
            if tick in (0, 9):
                refused(cause("guard"))
            elif tick not in (7, 8):
                refused.until = refused.clock.tick
            writer.tick_done()
    refusals = (
        read_take(tmp_path / "t.take").agents["a"].row("r1").refusals[""]
    )
    assert [(each.start, each.end) for each in refusals] == [(0, 6), (9, 11)]


@given(
    st.lists(
        st.tuples(
            st.sampled_from([None, (0.0, 1.5), (2.5, -1.0)]),
            st.sampled_from([0.0, 90.0]),
            st.booleans(),
        ),
        min_size=1,
        max_size=30,
    ),
    st.sampled_from([0.3, 60.0]),
)
def test_where_bodies_are_and_how_full_props_are_is_read_back_for_every_tick(
    message: list[tuple[tuple[float, float] | None, float, bool]],
    flush_s: float,
) -> None:
    with TemporaryDirectory() as folder:
        path = Path(folder) / "t.take"
        with TakeWriter(path, header(len(message)), flush_s) as writer:
            pose = writer.posing("a")
            for place, heading_deg, is_full in message:
                pose(place, heading_deg)
                writer.prop("lamp", 1.0 if is_full else None, (1.0, 1.0), None)
                writer.tick_done()
        take = read_take(path)
    assert take.ticks == len(message)
    nowhere = (math.nan, math.nan)
    wanted = [
        (*(place or nowhere), heading_deg) for place, heading_deg, _ in message
    ]
    np.testing.assert_array_equal(
        take.poses["a"], np.array(wanted, dtype=np.float32)
    )
    levels = [1.0 if is_full else math.nan for *_, is_full in message]
    np.testing.assert_array_equal(
        take.levels["lamp"], np.array(levels, dtype=np.float32)
    )


def test_the_numbers_of_a_body_are_kept_at_every_tick_and_told_where_they_change() -> (
    None
):
    body = Body(
        stats={
            "energy": Stat(value=1.0, per_s=-0.2),
            "huge": Stat(value=9e8, high=1e9),
        }
    )
    rows = (row("top", "sequence"), row("ww", "wait", "top", duration=0.5))
    tires = row("ch", "change_stat", "top", stat="energy", amount=-0.3)
    take = played(
        project(*rows, tires, row("xx", "wait", "top"), body=body, seconds=1.0)
    )
    energy = take.body_numbers["a"]["energy"]
    np.testing.assert_allclose(
        energy[:6], [1.0, 0.98, 0.96, 0.94, 0.92, 0.9], atol=1e-3
    )
    np.testing.assert_allclose(energy[6], 0.58, atol=1e-3)
    changes = take.number_changes("a", "energy")
    assert changes.at(5) == 0.9
    assert changes.at(6) == 0.58
    assert np.isnan(take.body_numbers["a"]["huge"]).all(), (
        "more than a take can hold"
    )
    assert take.number_changes("a", "huge").ticks == []
    assert take.number_changes("a", "none").ticks == []
    exported = map(
        json.loads, export_text(take, ExportFormat.JSONL).splitlines()
    )
    numbers = [each["value"] for each in exported if each["what"] == "number"]
    assert numbers == energy.tolist()


def test_a_body_that_comes_late_is_nowhere_before(tmp_path: Path) -> None:
    with TakeWriter(tmp_path / "t.take", header(9), flush_s=0.3) as writer:
        for tick in range(9):
            if tick == 5:
                writer.posing("a")((3.0, 4.0), 0.0)
            writer.tick_done()
    places = read_take(tmp_path / "t.take").poses["a"][:, 0].tolist()
    assert [place for place in places if place == place] == [3.0] * 4
    assert all(math.isnan(place) for place in places[:5])


def test_what_was_just_said_is_told_although_it_has_gone_to_disk(
    tmp_path: Path,
) -> None:
    with TakeWriter(tmp_path / "t.take", header(9), flush_s=0.1) as writer:
        heard = []
        for tick in range(4):
            if tick in (0, 2):
                writer.said("a", f"{tick}")
            writer.tick_done()
            heard.append(writer.just_said())
    assert heard == [[("a", "0")], [], [("a", "2")], []]


@pytest.fixture(scope="module")
def full_take(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("takes") / "whole.take"
    write(path, 9)
    return path


CHUNK_COLUMNS = (
    "agent",
    "row",
    "part",
    "what",
    "ticks",
    "steps",
    "ends",
    "numbers",
    "more",
)


@given(
    st.sampled_from(CHUNK_COLUMNS),
    st.sampled_from(["ran", "refused", "found", "progress", "way"]),
    st.one_of(
        st.none(),
        st.integers(-9, 9),
        st.text(max_size=6),
        st.binary(max_size=9),
        st.sampled_from(["[]", "[[]]"]),
    ),
)
def test_a_take_with_something_else_in_a_column_is_read_or_said_to_be_damaged(
    full_take: Path, column: str, what: str, value: object
) -> None:
    with TemporaryDirectory() as folder:
        path = Path(shutil.copy(full_take, folder))
        with sqlite3.connect(path) as file:
            change = f"UPDATE chunk SET {column} = ? WHERE what = ?"  # noqa: S608
            file.execute(change, (value, what))
        file.close()
        try:
            message = f"{read_take(path).ticks} ticks"
        except TakeError as error:
            message = str(error)
    assert message == "9 ticks" or "damaged" in message


@pytest.mark.parametrize("name", [None, 7, b"x"])
def test_a_take_whose_names_are_gone_is_said_to_be_damaged(
    name: object,
) -> None:
    """A damaged page can hold what SQLite itself would never have written
    there.
    """

    class Rows:
        """Gives rows of the meta table with something else for their names."""

        def fetchmany(self, _: int) -> list[tuple[object, ...]]:
            rows, self.rows = self.rows, []
            return rows

        rows = [(name, "header", "{}"), (name, "recorded", "9")]  # noqa: RUF012

    class Damaged:
        def execute(self, _: str) -> Rows:
            return Rows()

    with pytest.raises(DamagedTake):
        list(stored_rows(Damaged(), "meta", name=str, value=str))  # type: ignore[arg-type]


def test_a_files_handle_is_given_back_when_it_is_written_and_when_it_is_read(
    tmp_path: Path,
) -> None:
    def handles() -> list[str]:
        links = (
            Path("/proc/self/fd") / each
            for each in os.listdir("/proc/self/fd")
        )
        return [
            os.readlink(each)
            for each in links
            if os.path.islink(each) and str(tmp_path) in os.readlink(each)
        ]

    writer = write(tmp_path / "t.take", 9, close=False)
    assert handles()
    writer.close()
    assert handles() == []
    read_take(tmp_path / "t.take")
    assert handles() == []


def test_an_older_take_is_replaced_with_what_lies_beside_it(
    tmp_path: Path,
) -> None:
    write(tmp_path / "t.take", 9)
    (tmp_path / "t.take-wal").write_bytes(b"")
    write(tmp_path / "t.take", 6)
    assert read_take(tmp_path / "t.take").ticks == 6
    assert [path.name for path in tmp_path.iterdir()] == ["t.take"]


@pytest.mark.parametrize(
    "name",
    [
        "project.json",
        "notes",
        "other.db",
        "link",
        "folder",
        "pipe",
        "t.take-wal",
    ],
)
def test_what_is_no_take_is_never_replaced(tmp_path: Path, name: str) -> None:
    (tmp_path / "project.json").write_text("{}")
    (tmp_path / "notes").write_bytes(b"SQLite format 3")
    with sqlite3.connect(tmp_path / "other.db") as file:
        file.execute("CREATE TABLE meta (name TEXT, value TEXT)")
    file.close()
    write(tmp_path / "whole.take", 3)
    (tmp_path / "link").symlink_to(tmp_path / "whole.take")
    (tmp_path / "folder").mkdir()
    os.mkfifo(tmp_path / "pipe")
    (tmp_path / "t.take-wal").write_text("mine")
    before = {each.name: os.lstat(each) for each in tmp_path.iterdir()}
    with pytest.raises(TakeError, match="is not replaced"):
        write(tmp_path / name.removesuffix("-wal"), 9)
    assert {
        each.name: os.lstat(each).st_ino for each in tmp_path.iterdir()
    } == {each: stat.st_ino for each, stat in before.items()}
