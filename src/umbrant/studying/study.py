"""A study: many takes of one scenario, counted into one SQLite file.

A take is counted as soon as it has been read, in the order of the study
whoever played it, so equal inputs give equal results. What has been counted is
not played again.
"""

import hashlib
import json
import sqlite3
from collections.abc import Iterator, Mapping, Sequence
from contextlib import closing, contextmanager
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from umbrant.model.documents import Project
from umbrant.model.folder import document_texts
from umbrant.studying.clusters import TakeCluster, clusters
from umbrant.studying.counts import CountedTake
from umbrant.studying.summaries import (
    FindingSummary,
    KeySummary,
    RowSummary,
    ShareSummary,
    TakeSpread,
    row_summary,
)

APPLICATION_ID = 0x756D7374
VERSION = 2
"""Of the tables. A study with others is not taken up."""
SCHEMA = """
CREATE TABLE meta (name TEXT PRIMARY KEY, value TEXT NOT NULL) STRICT;
CREATE TABLE run (number INTEGER PRIMARY KEY, seed INTEGER NOT NULL, given TEXT NOT NULL,
    ticks INTEGER NOT NULL, fault TEXT NOT NULL) STRICT;
CREATE TABLE row (run INTEGER NOT NULL, agent TEXT NOT NULL, row TEXT NOT NULL,
    entered INTEGER NOT NULL, ticks INTEGER NOT NULL, succeeded INTEGER NOT NULL,
    failed INTEGER NOT NULL, stopped INTEGER NOT NULL, first INTEGER, longest INTEGER NOT NULL,
    PRIMARY KEY (run, agent, row)) STRICT;
CREATE TABLE chance (run INTEGER NOT NULL, agent TEXT NOT NULL, row TEXT NOT NULL,
    part TEXT NOT NULL, rolled INTEGER NOT NULL, passed INTEGER NOT NULL, expected REAL NOT NULL,
    PRIMARY KEY (run, agent, row, part)) STRICT;
CREATE TABLE draw (run INTEGER NOT NULL, agent TEXT NOT NULL, row TEXT NOT NULL,
    child TEXT NOT NULL, times INTEGER NOT NULL, share REAL,
    PRIMARY KEY (run, agent, row, child)) STRICT;
CREATE TABLE key (run INTEGER NOT NULL, agent TEXT NOT NULL, key TEXT NOT NULL,
    changes INTEGER NOT NULL, low REAL NOT NULL, high REAL NOT NULL, last REAL NOT NULL,
    PRIMARY KEY (run, agent, key)) STRICT;
CREATE TABLE lead (run INTEGER NOT NULL, agent TEXT NOT NULL, row TEXT NOT NULL,
    ticks INTEGER NOT NULL, PRIMARY KEY (run, agent, row)) STRICT;
CREATE TABLE finding (run INTEGER NOT NULL, key TEXT NOT NULL, agent TEXT NOT NULL,
    says TEXT NOT NULL, PRIMARY KEY (run, key, agent)) STRICT;
"""
FILE = "study.sqlite"
COUNTS_ONLY = "counts_only"
"""What is noted of a study in whose takes nothing was looked for but what is
counted.
"""


class StudyError(ValueError):
    """Raised for a study that cannot be taken up or read, with the way out."""


@dataclass(frozen=True)
class Run:
    """One take of a study: its number from 0 on, its seed, and the varied
    values.
    """

    number: int
    seed: int
    given: Mapping[str, float]


@dataclass(frozen=True)
class RunTally:
    """What a row did in one take."""

    seed: int
    given: str
    """The varied values, as `groups` has them."""
    entered: int
    ticks: int
    first: int | None
    """The tick at which it was entered first; None if it never was."""


def identity(
    project: Project,
    scenario: str,
    seeds: range,
    vary: Sequence[str],
    *,
    counts_only: bool = False,
) -> str:
    """What makes two studies the same one."""
    made_of = [
        document_texts(project),
        scenario,
        [seeds.start, seeds.stop],
        list(vary),
    ]
    if counts_only:
        made_of.append(COUNTS_ONLY)
    return hashlib.sha256(
        json.dumps(made_of, sort_keys=True).encode()
    ).hexdigest()


class StudyFile:
    """The results of a study in a folder. Use as a context. Raises StudyError."""

    def __init__(self, folder: Path, identity: str = "") -> None:
        self.path = folder / FILE
        if not identity and not self.path.exists():
            raise self._there_is_none()
        try:
            folder.mkdir(parents=True, exist_ok=True)
            self._file = sqlite3.connect(self.path, isolation_level=None)
        except (OSError, sqlite3.Error) as error:
            raise StudyError(
                f"{self.path}: the study cannot be kept there: {error}."
            ) from None
        try:
            # Whoever makes a study makes its file first, and then all that is
            # in it at once: who looks meanwhile, or after it was killed there,
            # finds an empty one.
            if self._is_empty() and not identity:
                raise self._there_is_none()
            if self._is_empty():
                self._make(identity)
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

    def _there_is_none(self) -> StudyError:
        return StudyError(
            f"{self.path.parent}: there is no study. "
            "`umbrant study PROJECT` makes one."
        )

    def _is_empty(self) -> bool:
        """Whether nothing stands in the file: it is nobody's yet."""
        (tables,) = self._file.execute(
            "SELECT count(*) FROM sqlite_master"
        ).fetchone()
        (application,) = self._file.execute("PRAGMA application_id").fetchone()
        return not tables and not application

    def _make(self, identity: str) -> None:
        """Write all that an empty study holds, at once: who is killed here
        leaves none behind, and who reads it sees none or all of it.
        """
        with self._transaction():
            # Another process may have made it while this one waited.
            if not self._is_empty():
                return
            self._file.execute(f"PRAGMA application_id={APPLICATION_ID}")
            self._file.execute(f"PRAGMA user_version={VERSION}")
            for statement in filter(str.strip, SCHEMA.split(";")):
                self._file.execute(statement)
            self._put_meta("identity", identity)

    def _rows(
        self, statement: str, given: Sequence[object] = ()
    ) -> list[tuple[Any, ...]]:
        """What the file answers. Raises StudyError where it cannot."""
        with (
            self._guarded(),
            closing(self._file.execute(statement, given)) as found,
        ):
            return found.fetchall()

    @contextmanager
    def _guarded(self) -> Iterator[None]:
        """What SQLite has to say against what is done inside, with the way
        out.
        """
        try:
            yield
        except sqlite3.Error as error:
            raise StudyError(
                f"{self.path}: the study cannot be kept or read ({error}). "
                "Make room, choose another folder, or remove the file."
            ) from None

    def _check(self, identity: str) -> None:
        (found,) = self._file.execute("PRAGMA application_id").fetchone()
        if found != APPLICATION_ID:
            raise StudyError(
                f"{self.path}: this is no study. Choose another folder."
            )
        (version,) = self._file.execute("PRAGMA user_version").fetchone()
        if version != VERSION:
            raise StudyError(
                f"{self.path}: this study was made by another version. Choose another folder, or "
                "remove the file."
            )
        # What has been counted for other documents, seeds or values must not
        # be mixed with this.
        known = self.meta("identity")
        if identity and known != identity:
            raise StudyError(
                f"{self.path}: this is a study of something else. Choose another folder, or remove "
                "the file."
            )

    def meta(self, name: str) -> str:
        """Something that is noted of the study; empty if it is not."""
        rows = self._rows("SELECT value FROM meta WHERE name = ?", (name,))
        if rows:
            return str(rows[0][0])
        return ""

    def _put_meta(self, name: str, value: str) -> None:
        self._file.execute(
            "INSERT OR REPLACE INTO meta VALUES (?, ?)", (name, value)
        )

    def note(self, **values: object) -> None:
        """Note something of the study."""
        with self._guarded():
            for name, value in values.items():
                self._put_meta(name, str(value))

    def counted(self) -> set[int]:
        """The numbers of the takes that have been counted."""
        return {number for (number,) in self._rows("SELECT number FROM run")}

    def count(
        self, run: Run, counted: CountedTake | None, fault: str = ""
    ) -> None:
        """Keep what a take was counted as, or note why there is none."""
        given = json.dumps(dict(run.given), sort_keys=True)
        ticks = 0
        if counted is not None:
            ticks = counted.ticks
        line = run.number, run.seed, given, ticks, fault
        # A take is counted whole or not at all: who is killed here takes the
        # study up again.
        with self._guarded(), self._transaction():
            self._file.execute("INSERT INTO run VALUES (?,?,?,?,?)", line)
            if counted is not None:
                for table, lines in counted.lines.items():
                    self._insert(
                        table, [(run.number, *each) for each in lines]
                    )

    @contextmanager
    def _transaction(self) -> Iterator[None]:
        """All that is written inside, or none of it."""
        self._file.execute("BEGIN IMMEDIATE")
        try:
            yield
            self._file.execute("COMMIT")
        finally:
            # Where the disk is full SQLite has gone back by itself.
            if self._file.in_transaction:
                self._file.execute("ROLLBACK")

    def _insert(self, table: str, lines: list[tuple[object, ...]]) -> None:
        if lines:
            places = ",".join("?" * len(lines[0]))
            # The table is one of TABLES.
            add = f"INSERT INTO {table} VALUES ({places})"  # noqa: S608
            self._file.executemany(add, lines)

    def faults(self) -> list[tuple[int, str]]:
        """The seeds of which there is no take, and why."""
        return self._rows(
            "SELECT seed, fault FROM run WHERE fault != '' ORDER BY number"
        )

    def agents(self) -> list[str]:
        """The agents of which anything is counted, by name."""
        found = self._rows("SELECT DISTINCT agent FROM row ORDER BY 1")
        return [agent for (agent,) in found]

    def groups(self) -> list[str]:
        """The combinations of varied values, as they are kept, in the order of
        the study.
        """
        return [
            given
            for (given,) in self._rows(
                "SELECT given FROM run GROUP BY given ORDER BY min(number)"
            )
        ]

    def runs(self, agent: str, row: str) -> list[RunTally]:
        """What a row of an agent did in each take, in the order of the study."""
        return [
            RunTally(*each)
            for each in self._rows(
                "SELECT seed, given, coalesce(entered, 0), coalesce(row.ticks, 0), first FROM run "
                "LEFT JOIN row ON run = number AND agent = ? AND row = ? "
                "WHERE fault = '' ORDER BY number",
                (agent, row),
            )
        ]

    def summary(
        self, given: str | None = None, agent: str | None = None
    ) -> list[RowSummary]:
        """What the takes say of each row, of those with some values or of all;
        of one agent or of all.
        """
        ticks_of = self._ticks_of(given)
        rate = float(self.meta("ticks_per_s") or 1)
        found: dict[tuple[str, str], list[tuple[int, ...]]] = {}
        for run, who, row, *numbers in self._lines(
            "row",
            "run, agent, row, entered, ticks, succeeded, failed, stopped, first, longest",
            agent,
        ):
            # Takes that failed, or have other values, are no part of this
            # summary.
            if run in ticks_of:
                found.setdefault((who, row), []).append((run, *numbers))
        return [
            row_summary(*place, lines, ticks_of, rate)
            for place, lines in found.items()
        ]

    def chances(
        self, given: str | None = None, agent: str | None = None
    ) -> list[ShareSummary]:
        """How often each chance let its row in, against how often it should
        have.
        """
        ticks_of = self._ticks_of(given)
        found: dict[tuple[str, str, str], list[tuple[float, ...]]] = {}
        for run, who, row, part, *numbers in self._lines(
            "chance", "run, agent, row, part, rolled, passed, expected", agent
        ):
            if run in ticks_of:
                found.setdefault((who, row, part), []).append(tuple(numbers))
        summed = {
            place: [sum(each) for each in zip(*lines, strict=True)]
            for place, lines in found.items()
        }
        return [
            ShareSummary(*place, int(rolled), int(passed), expected / rolled)
            for place, (rolled, passed, expected) in summed.items()
        ]

    def draws(
        self, given: str | None = None, agent: str | None = None
    ) -> list[ShareSummary]:
        """How often each child of a row that draws was drawn first, against
        its weight.
        """
        ticks_of = self._ticks_of(given)
        found: dict[
            tuple[str, str], dict[str, list[tuple[int, float | None]]]
        ] = {}
        for run, who, row, child, times, share in self._lines(
            "draw", "run, agent, row, child, times, share", agent
        ):
            if run in ticks_of:
                found.setdefault((who, row), {}).setdefault(child, []).append(
                    (times, share)
                )
        return [
            each
            for place, children in found.items()
            for each in _draw_summaries(place, children)
        ]

    def key_summaries(
        self, given: str | None = None, agent: str | None = None
    ) -> list[KeySummary]:
        """How each key fared that holds numbers, or yes and no."""
        ticks_of = self._ticks_of(given)
        found: dict[tuple[str, str], list[tuple[float, ...]]] = {}
        for run, who, key, *numbers in self._lines(
            "key", "run, agent, key, changes, low, high, last", agent
        ):
            if run in ticks_of:
                found.setdefault((who, key), []).append(tuple(numbers))
        return [
            KeySummary(
                *place,
                len(lines),
                TakeSpread.of([line[0] for line in lines]),
                min(line[1] for line in lines),
                max(line[2] for line in lines),
                TakeSpread.of([line[3] for line in lines]),
            )
            for place, lines in found.items()
        ]

    def findings(
        self, given: str | None = None, agent: str | None = None
    ) -> list[FindingSummary]:
        """What the review found in takes, that in most takes first."""
        ticks_of = self._ticks_of(given)
        seeds = dict(self._rows("SELECT number, seed FROM run"))
        found: dict[tuple[str, str], list[tuple[int, str]]] = {}
        for run, key, who, says in self._lines(
            "finding", "run, key, agent, says", agent
        ):
            if run in ticks_of:
                found.setdefault((key, who), []).append((run, says))
        summed = [
            FindingSummary(
                *place,
                lines[0][1],
                len(lines),
                len(ticks_of),
                seeds[lines[0][0]],
            )
            for place, lines in found.items()
        ]
        return sorted(summed, key=lambda each: -each.takes)

    def clusters(
        self, agent: str, given: str | None = None
    ) -> list[TakeCluster]:
        """The takes sorted by what led an agent, the odd ones first; the runs
        are told by their seeds.
        """
        ticks_of = self._ticks_of(given)
        leads: dict[int, dict[str, int]] = {run: {} for run in ticks_of}
        for run, row, ticks in self._lines("lead", "run, row, ticks", agent):
            if run in ticks_of:
                leads[run][row] = ticks
        seeds = dict(self._rows("SELECT number, seed FROM run"))
        return [
            replace(each, runs=tuple(seeds[run] for run in each.runs))
            for each in clusters(leads, ticks_of)
        ]

    def _ticks_of(self, given: str | None) -> dict[int, int]:
        """How many ticks each take has of which something was counted."""
        where, having = (
            ("", ()) if given is None else (" AND given = ?", (given,))
        )
        return dict(
            self._rows(
                f"SELECT number, ticks FROM run WHERE fault = ''{where} "  # noqa: S608
                "ORDER BY number",
                having,
            )
        )

    def _lines(
        self, table: str, columns: str, agent: str | None
    ) -> Iterator[tuple[Any, ...]]:
        """Lines of a table, those of one agent or of all, in the order of the
        study.
        """
        yield from self._rows(
            f"SELECT {columns} FROM {table} WHERE agent = ?1 OR ?1 IS NULL "  # noqa: S608
            "ORDER BY agent, run, rowid",
            (agent,),
        )


def _draw_summaries(
    place: tuple[str, str], children: dict[str, list[tuple[int, float | None]]]
) -> Iterator[ShareSummary]:
    """The children of one row that draws. Where any was refused as it was
    drawn, weights alone do not say how often each is entered first.
    """
    times = {
        child: sum(each[0] for each in lines)
        for child, lines in children.items()
    }
    agent, row = place
    for child, lines in children.items():
        if child:
            shares = [share for _, share in lines]
            known = [each for each in shares if each is not None]
            is_clean = "" not in children and len(known) == len(shares)
            expected = None
            if is_clean:
                expected = sum(known) / len(known)
            yield ShareSummary(
                agent, child, row, sum(times.values()), times[child], expected
            )
