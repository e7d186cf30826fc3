"""A study: many takes of one scenario, counted into one SQLite file.

A take is counted as soon as it has been read, in the order of the study whoever played it, so equal
inputs give equal results. What has been counted is not played again.
"""

import hashlib
import json
import sqlite3
from collections.abc import Iterator, Mapping, Sequence
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from umbrant.expecting.share import wilson
from umbrant.model.documents import Project
from umbrant.model.folder import document_texts
from umbrant.take.reader import Take
from umbrant.take.record import Outcome, RowRecord

APPLICATION_ID = 0x756D7374
SCHEMA = """
CREATE TABLE meta (name TEXT PRIMARY KEY, value TEXT NOT NULL) STRICT;
CREATE TABLE run (number INTEGER PRIMARY KEY, seed INTEGER NOT NULL, given TEXT NOT NULL,
    ticks INTEGER NOT NULL, fault TEXT NOT NULL) STRICT;
CREATE TABLE tally (run INTEGER NOT NULL, agent TEXT NOT NULL, row TEXT NOT NULL,
    entered INTEGER NOT NULL, ticks INTEGER NOT NULL, succeeded INTEGER NOT NULL,
    failed INTEGER NOT NULL, stopped INTEGER NOT NULL, first INTEGER, longest INTEGER NOT NULL,
    PRIMARY KEY (run, agent, row)) STRICT;
"""
FILE = "study.sqlite"


class StudyError(ValueError):
    """Raised for a study that cannot be taken up or read, with the way out."""


@dataclass(frozen=True)
class Run:
    """One take of a study: its number from 0 on, its seed, and the varied values."""

    number: int
    seed: int
    given: Mapping[str, float]


@dataclass(frozen=True)
class TakeSpread:
    """How a number is spread over takes: its median, and the middle nine tenths."""

    median: float
    low: float
    high: float

    @classmethod
    def of(cls, numbers: Sequence[float]) -> "TakeSpread":
        """The spread of some numbers, of which there is one at least."""
        low, median, high = np.percentile(np.asarray(numbers, np.float64), (5, 50, 95)).tolist()
        return cls(median, low, high)


@dataclass(frozen=True)
class RowSummary:
    """What the takes of a study say of one row of one agent."""

    agent: str
    row: str
    takes: int
    """In how many of them it was entered."""
    of: int
    share: tuple[float, float]
    """In which share of all takes it is entered, likely (Wilson, 95 %)."""
    entered: TakeSpread
    """How many times, in a take."""
    time: TakeSpread
    """Which share of the take it was active."""
    succeeded: int
    failed: int
    stopped: int
    first_s: TakeSpread | None
    """When it was entered first, of the takes in which it was."""
    longest_s: TakeSpread


@dataclass(frozen=True)
class RunTally:
    """What a row did in one take."""

    seed: int
    entered: int
    ticks: int
    first: int | None
    """The tick at which it was entered first; None if it never was."""


def identity(project: Project, scenario: str, seeds: range, vary: Sequence[str]) -> str:
    """What makes two studies the same one."""
    made_of = [document_texts(project), scenario, [seeds.start, seeds.stop], list(vary)]
    return hashlib.sha256(json.dumps(made_of, sort_keys=True).encode()).hexdigest()


class StudyFile:
    """The results of a study in a folder. Use as a context. Raises StudyError."""

    def __init__(self, folder: Path, identity: str = "") -> None:
        self.path = folder / FILE
        is_new = not self.path.exists()
        if is_new and not identity:
            raise StudyError(f"{folder}: there is no study. `umbrant study PROJECT` makes one.")
        try:
            folder.mkdir(parents=True, exist_ok=True)
            self._file = sqlite3.connect(self.path, isolation_level=None)
        except (OSError, sqlite3.Error) as error:
            raise StudyError(f"{self.path}: the study cannot be kept there: {error}.") from None
        try:
            if is_new:
                self._file.execute(f"PRAGMA application_id={APPLICATION_ID}")
                self._file.executescript(SCHEMA)
                self._put_meta("identity", identity)
            self._check(identity)
        except sqlite3.Error as error:
            self._file.close()
            raise StudyError(
                f"{self.path}: this is no study, or it is damaged ({error})."
            ) from None
        except StudyError:
            self._file.close()
            raise

    def __enter__(self) -> "StudyFile":
        return self

    def __exit__(self, *_: object) -> None:
        self._file.close()

    def _check(self, identity: str) -> None:
        (found,) = self._file.execute("PRAGMA application_id").fetchone()
        if found != APPLICATION_ID:
            raise StudyError(f"{self.path}: this is no study. Choose another folder.")
        known = self.meta("identity")
        if identity and known != identity:
            raise StudyError(
                f"{self.path}: this is a study of something else. Choose another folder, or remove "
                "the file."
            )

    def meta(self, name: str) -> str:
        """Something that is noted of the study; empty if it is not."""
        with closing(self._file.execute("SELECT value FROM meta WHERE name = ?", (name,))) as found:
            row = found.fetchone()
        return str(row[0]) if row else ""

    def _put_meta(self, name: str, value: str) -> None:
        self._file.execute("INSERT OR REPLACE INTO meta VALUES (?, ?)", (name, value))

    def note(self, **values: object) -> None:
        """Note something of the study."""
        for name, value in values.items():
            self._put_meta(name, str(value))

    def counted(self) -> set[int]:
        """The numbers of the takes that have been counted."""
        return {number for (number,) in self._file.execute("SELECT number FROM run")}

    def count(self, run: Run, take: Take | None, fault: str = "") -> None:
        """Count a take, or note why there is none."""
        given = json.dumps(dict(run.given), sort_keys=True)
        ticks = take.ticks if take is not None else 0
        # A take is counted whole or not at all: who is killed here takes the study up again.
        self._file.execute("BEGIN")
        try:
            self._file.execute(
                "INSERT INTO run VALUES (?,?,?,?,?)", (run.number, run.seed, given, ticks, fault)
            )
            if take is not None:
                rows = [(run.number, *each) for each in tallies(take)]
                self._file.executemany("INSERT INTO tally VALUES (?,?,?,?,?,?,?,?,?,?)", rows)
            self._file.execute("COMMIT")
        except BaseException:
            self._file.execute("ROLLBACK")
            raise

    def faults(self) -> list[tuple[int, str]]:
        """The seeds of which there is no take, and why."""
        return self._file.execute(
            "SELECT seed, fault FROM run WHERE fault != '' ORDER BY number"
        ).fetchall()

    def groups(self) -> list[str]:
        """The combinations of varied values, as they are kept, in the order of the study."""
        return [
            given
            for (given,) in self._file.execute(
                "SELECT given FROM run GROUP BY given ORDER BY min(number)"
            )
        ]

    def runs(self, agent: str, row: str) -> list[RunTally]:
        """What a row of an agent did in each take, in the order of the study."""
        return [
            RunTally(*each)
            for each in self._file.execute(
                "SELECT seed, coalesce(entered, 0), coalesce(tally.ticks, 0), first FROM run "
                "LEFT JOIN tally ON run = number AND agent = ? AND row = ? "
                "WHERE fault = '' ORDER BY number",
                (agent, row),
            )
        ]

    def summary(self, given: str | None = None, agent: str | None = None) -> list[RowSummary]:
        """What the takes say of each row, of those with some values or of all; of one agent or of
        all.
        """
        where, having = ("", ()) if given is None else (" AND given = ?", (given,))
        runs = self._file.execute(
            f"SELECT number, ticks FROM run WHERE fault = ''{where} ORDER BY number",  # noqa: S608
            having,
        ).fetchall()
        ticks_of = dict(runs)
        rate = float(self.meta("ticks_per_s") or 1)
        found: dict[tuple[str, str], list[tuple[int, ...]]] = {}
        for run, who, row, *numbers in self._file.execute(
            "SELECT run, agent, row, entered, ticks, succeeded, failed, stopped, first, longest "
            "FROM tally WHERE agent = ?1 OR ?1 IS NULL ORDER BY agent, row, run",
            (agent,),
        ):
            if run in ticks_of:
                found.setdefault((who, row), []).append((run, *numbers))
        return [_summary(*place, lines, ticks_of, rate) for place, lines in found.items()]


def tallies(take: Take) -> Iterator[tuple[object, ...]]:
    """What each row of each agent did in a take: as in the table of tallies, but for the run."""
    for agent, record in take.agents.items():
        for row_id, row in record.rows.items():
            if row.spans:
                yield (agent, row_id, *_tally(row, take.ticks))


def _tally(row: RowRecord, ticks: int) -> tuple[int | None, ...]:
    lengths = [span.last_ran(ticks) - span.start + 1 for span in row.spans]
    # A row that ends and begins again within a tick has that tick in two of its spans.
    covered = np.zeros(ticks, np.bool_)
    for span in row.spans:
        covered[span.start : span.last_ran(ticks) + 1] = True
    outcomes = [span.outcome for span in row.spans]
    return (
        len(row.spans),
        int(covered.sum()),
        outcomes.count(Outcome.SUCCESS),
        outcomes.count(Outcome.FAILURE),
        outcomes.count(Outcome.STOPPED),
        row.spans[0].start,
        max(lengths),
    )


def _summary(
    agent: str,
    row: str,
    lines: list[tuple[int, ...]],
    ticks_of: Mapping[int, int],
    rate: float,
) -> RowSummary:
    # A take in which the row never ran has no line, and counts all the same: with nothing.
    by_run = {line[0]: line[1:] for line in lines}
    nothing = (0, 0, 0, 0, 0, 0, 0)
    runs = [(by_run.get(run, nothing), max(1, ticks)) for run, ticks in ticks_of.items()]
    return RowSummary(
        agent,
        row,
        len(by_run),
        len(runs),
        wilson(len(by_run), len(runs)),
        TakeSpread.of([line[0] for line, _ in runs]),
        TakeSpread.of([line[1] / ticks for line, ticks in runs]),
        sum(line[2] for line, _ in runs),
        sum(line[3] for line, _ in runs),
        sum(line[4] for line, _ in runs),
        TakeSpread.of([line[5] / rate for line in by_run.values()]) if by_run else None,
        TakeSpread.of([line[6] / rate for line, _ in runs]),
    )
