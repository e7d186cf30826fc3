"""Writing a take as it goes, so that a crash keeps what was recorded up to a moment before."""

import os
import sqlite3
from collections.abc import Sequence
from contextlib import closing
from pathlib import Path

from umbrant.catalog.causes import Cause
from umbrant.model.values import Point
from umbrant.take.agent_writer import AgentWriter
from umbrant.take.gathered import Gathered
from umbrant.take.header import Header
from umbrant.take.tables import ENDED, HEADER, RECORDED, SCHEMA, WHOLE, cause_text
from umbrant.take.tracks import Levels, Poses, Posing

FLUSH_S = 5.0
"""How many seconds of what is played are gathered before they go to disk."""


class TakeError(Exception):
    """A take cannot be written or read. The message names the file and the way out."""


class TakeWriter(Gathered):
    """One take's file. `tick` is set by whoever plays; everything that is heard belongs to it.

    Raises TakeError where the file cannot be written. Use as a context: an exception inside is noted in the file.
    """

    def __init__(self, path: Path, header: Header, flush_s: float = FLUSH_S) -> None:
        super().__init__(header.ticks_per_s)
        self.path = path
        self._props: list[tuple[object, ...]] = []
        self._places: dict[str, tuple[Point, str | None]] = {}
        self._said: list[tuple[str, int, str]] = []
        self._notices: list[tuple[str, int, str, str | None]] = []
        self._spoken_at, self._spoken = -1, list[tuple[str, str]]()
        """The last tick at which anything was said, and what was said then."""
        self._poses: dict[str, Poses] = {}
        self._levels: dict[str, Levels] = {}
        self._flushed = 0
        self._flush_ticks = max(1, round(flush_s * header.ticks_per_s))
        self._flush_at = self._flush_ticks
        self._file = self._create(path)
        self._guarded(self._begin, header)

    def __enter__(self) -> "TakeWriter":
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: object) -> None:
        if error is None:
            self.close()
        else:
            self.close(f"{type(error).__name__}: {error}")

    def agent(self, name: str) -> AgentWriter:
        """A recorder for one agent."""
        return AgentWriter(name, self)

    def said(self, name: str, text: str) -> None:
        """A body said something."""
        self._said.append((name, self.tick, text))
        if self._spoken_at != self.tick:
            self._spoken_at, self._spoken = self.tick, []
        self._spoken.append((name, text))

    def just_said(self) -> list[tuple[str, str]]:
        """What was said in the tick that is just over: who, and what."""
        return self._spoken if self._spoken_at == self.tick - 1 else []

    def noticed(self, name: str, what: str, cause: Cause) -> None:
        """Something of the scenario could not be done as written."""
        self._notices.append((name, self.tick, what, cause_text(cause)))

    def posing(self, name: str) -> Posing:
        """For where a body is at each tick."""
        return self._poses.setdefault(name, Poses(self, self._flushed)).tell

    def prop(self, name: str, level: float | None, place: Point, carrier: str | None) -> None:
        """How full a prop is at this tick, and where; a level of None where it is not there."""
        levels = self._levels.get(name)
        if levels is None:
            levels = self._levels[name] = Levels(self, self._flushed)
        levels.tell(level)
        if self._places.get(name) != (place, carrier):
            self._places[name] = place, carrier
            self._props.append((name, self.tick, place[0], place[1], carrier))

    def tick_done(self) -> None:
        """The tick is over, and the next begins; what is gathered goes to disk every so often."""
        self.tick = tick = self.tick + 1
        if tick >= self._flush_at:
            self.flush()

    def flush(self) -> None:
        """Put all that is gathered on disk. Raises TakeError."""
        self._guarded(self._write_all)

    def close(self, ended: str = WHOLE) -> None:
        """Finish the file, with how the take ended. Raises TakeError."""
        try:
            self._guarded(self._end, ended)
        finally:
            self._file.close()

    def _create(self, path: Path) -> sqlite3.Connection:
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            _make_room(path)
            return sqlite3.connect(path, isolation_level=None)
        except (OSError, sqlite3.Error) as error:
            raise self._cannot(error) from error

    def _cannot(self, error: Exception) -> TakeError:
        reason = os.strerror(error.errno) if isinstance(error, OSError) and error.errno else str(error)
        return TakeError(f"{self.path}: the take cannot be written: {reason}. Choose another place, or make room.")

    def _guarded(self, work: object, *args: object) -> None:
        try:
            work(*args)  # type: ignore[operator]
        except sqlite3.Error as error:
            raise self._cannot(error) from error

    def _begin(self, header: Header) -> None:
        self._file.execute("PRAGMA journal_mode=WAL")
        self._file.execute("PRAGMA synchronous=OFF")
        self._file.executescript(SCHEMA)
        self._meta(HEADER, header.model_dump_json())
        self._meta(RECORDED, "0")

    def _end(self, ended: str) -> None:
        self._write_all()
        self._meta(ENDED, ended)
        self._file.execute("PRAGMA journal_mode=DELETE")

    def _meta(self, name: str, value: str) -> None:
        self._file.execute("INSERT OR REPLACE INTO meta VALUES (?, ?)", (name, value))

    def _write_all(self) -> None:
        first, until = self._flushed, self.tick
        self._file.execute("BEGIN")
        self._put("INSERT INTO told VALUES (?,?,?,?,?,?,?,?)", [told.columns() for told in self.told])
        self._put("INSERT INTO key VALUES (?,?,?,?,?,?,?)", self.keys)
        self._put("INSERT INTO heard VALUES (?,?,?,?)", self.heard)
        self._put("INSERT INTO prop VALUES (?,?,?,?,?)", self._props)
        self._put("INSERT INTO said VALUES (?,?,?)", self._said)
        self._put("INSERT INTO notice VALUES (?,?,?,?)", self._notices)
        self._put("INSERT INTO pose VALUES (?,?,?)", [(n, first, p.packed(until)) for n, p in self._poses.items()])
        self._put("INSERT INTO level VALUES (?,?,?)", [(n, first, p.packed(until)) for n, p in self._levels.items()])
        self._flushed, self._flush_at = until, until + self._flush_ticks
        self._meta(RECORDED, str(self._flushed))
        self._file.execute("COMMIT")
        self.clear()

    def clear(self) -> None:
        super().clear()
        for track in (*self._poses.values(), *self._levels.values()):
            track.clear()
        for listed in (self._props, self._said, self._notices):
            listed.clear()

    def _put(self, statement: str, rows: Sequence[Sequence[object]]) -> None:
        if rows:
            self._file.executemany(statement, rows)


def _make_room(path: Path) -> None:
    """Remove an older take of this name, with what SQLite keeps beside it. Raises TakeError for anything else."""
    names = [Path(f"{path}{ending}") for ending in ("", "-wal", "-shm", "-journal")]
    found = next((each for each in names if os.path.lexists(each)), None)
    if found is None:
        return
    if not _is_take(path):
        raise TakeError(f"{found}: this is no take, so it is not replaced by one. Choose another name for the take.")
    for each in names:
        each.unlink(missing_ok=True)


def _is_take(path: Path) -> bool:
    """Whether there is a take of this name, whole or not; also a file in which nothing stands."""
    if path.is_symlink() or not path.is_file():
        return False
    if path.stat().st_size == 0:
        return True
    try:
        with closing(sqlite3.connect(f"{path.resolve().as_uri()}?mode=ro", uri=True)) as file:
            return bool(file.execute("SELECT 1 FROM meta WHERE name = ?", (HEADER,)).fetchall())
    except sqlite3.Error:
        return False
