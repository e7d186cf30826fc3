"""The SQLite file of a take being written: pieces come in, and whole chunks go
to disk.
"""

import os
import sqlite3
import struct
from collections.abc import Callable, Collection, Iterator, Sequence
from contextlib import closing, contextmanager, suppress
from itertools import zip_longest
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from umbrant.take.errors import TakeError
from umbrant.take.header import Header
from umbrant.take.pieces import Columns, TakePiece
from umbrant.take.tables import (
    APPLICATION_ID,
    COMPLETE,
    ENDED,
    GOES_ON_FROM,
    HEADER,
    RECORDED,
    SCHEMA,
    What,
    encode_chunk,
)

POSE_BYTES, LEVEL_BYTES = 12, 4
"""How many bytes a body's pose, and a level, take at a tick."""

PLAIN = {
    "keys": "INSERT INTO key VALUES (?,?,?,?,?,?,?,?,?)",
    "received": "INSERT INTO received VALUES (?,?,?,?,?)",
    "raised": "INSERT INTO raised VALUES (?,?,?,?,?,?,?)",
    "cues": "INSERT INTO cue VALUES (?,?,?)",
    "props": "INSERT INTO prop VALUES (?,?,?,?,?)",
    "said": "INSERT INTO said VALUES (?,?,?,?)",
    "notices": "INSERT INTO notice VALUES (?,?,?,?)",
}
"""The fields of a piece that hold rows of a table as they are."""


class TakeFile:
    """The file of one take, open for writing in this process alone.

    Raises TakeError where the file cannot be written, and ValueError or
    TypeError for a piece that does not fit.
    """

    def __init__(self, path: Path, header: Header) -> None:
        self.path = path
        self.ticks = 0
        """How many ticks have come in."""
        self._header = header.model_dump_json()
        self._chunk = _OpenChunk(0)
        self._since: list[_OpenChunk] = []
        """What has come in since it goes on apart; empty if it does not."""
        self._file = self._create(path)
        self._guarded(self._begin, self._file)

    def push(self, piece: TakePiece) -> None:
        """Take in a piece; with the last of a chunk all of it goes to disk."""
        if self._since:
            self._since[-1].add(piece)
            if piece.ends_chunk:
                self._since.append(_OpenChunk(piece.ticks))
        self._chunk.add(piece)
        self.ticks = piece.ticks
        if piece.ends_chunk:
            self._guarded(self._write_chunk)

    def close(self, ended: str = COMPLETE) -> None:
        """Finish the file with all that has come in, and with how the take
        ended.

        What came in last is left out if it is no part of a take: a player that
        went mad may have sent anything.
        """
        try:
            with suppress(ValueError, TypeError, OverflowError, struct.error):
                self._guarded(self._write_chunk)
            self._guarded(self._end, ended)
        finally:
            self._file.close()

    def copy_so_far(self, path: Path) -> None:
        """Write what has come in so far into another file: a take that has not
        ended.

        So nobody has to read this file while it is written, which would keep
        SQLite from closing it. The chunk that is open goes on as if it had not
        been asked for.
        """
        self._write_copy(path, self._copy_into)

    def go_on_apart(self) -> bool:
        """Have what comes in from now on be kept apart as well, for
        `copy_since`: what came in before is known to whoever reads that, from
        another take. Returns whether it can be.
        """
        # What the end of a chunk leaves open the next one settles: by then it
        # is too late to say that it was open.
        if self._chunk.first == self.ticks:
            return False
        self._since = [self._chunk.going_on(self.ticks)]
        return True

    def copy_since(self, path: Path) -> None:
        """Write what has come in since `go_on_apart`, once, into a file that
        goes on from there.
        """
        self._write_copy(path, self._write_since)
        self._since = []

    def _write_copy(
        self, path: Path, write: Callable[[sqlite3.Connection], None]
    ) -> None:
        copy = self._create(path)
        try:
            self._guarded(write, copy)
        finally:
            copy.close()

    def remove(self) -> None:
        """Close the file and delete it."""
        self._file.close()
        for each in _names(self.path):
            each.unlink(missing_ok=True)

    def _create(self, path: Path) -> sqlite3.Connection:
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            _make_room(path)
            file = sqlite3.connect(path, isolation_level=None)
            # Before anything else: whoever waits for a take need not wait for
            # the disk.
            file.execute("PRAGMA synchronous=OFF")
        except (OSError, sqlite3.Error) as error:
            raise self._cannot(error) from error
        return file

    def _cannot(self, error: Exception) -> TakeError:
        if isinstance(error, OSError) and error.errno:
            reason = os.strerror(error.errno)
        else:
            reason = str(error)
        return TakeError(
            f"{self.path}: the take cannot be written: {reason}. Choose another place, or make "
            "room."
        )

    def _guarded(self, work: Any, *args: object) -> None:
        try:
            work(*args)
        except (sqlite3.ProgrammingError, sqlite3.InterfaceError) as error:
            raise ValueError(f"this is no part of a take: {error}") from error
        except sqlite3.Error as error:
            raise self._cannot(error) from error

    def _begin(self, file: sqlite3.Connection) -> None:
        file.execute("PRAGMA journal_mode=WAL")
        with _at_once(file):
            self._make_tables(file)

    def _make_tables(self, file: sqlite3.Connection) -> None:
        file.execute(f"PRAGMA application_id={APPLICATION_ID}")
        for table in SCHEMA.split(";"):
            file.execute(table)
        _put_meta(file, HEADER, self._header)
        _put_meta(file, RECORDED, "0")

    def _end(self, ended: str) -> None:
        _put_meta(self._file, ENDED, ended)
        self._file.execute("PRAGMA journal_mode=DELETE")

    def _write_chunk(self) -> None:
        chunk, self._chunk = self._chunk, _OpenChunk(self.ticks)
        with _at_once(self._file):
            _put_chunk(self._file, chunk, self.ticks)

    def _copy_into(self, copy: sqlite3.Connection) -> None:
        self._file.backup(copy)
        # The copy has this file's journal, whose own files would be left lying
        # beside it.
        copy.execute("PRAGMA journal_mode=DELETE")
        with _at_once(copy):
            _put_chunk(copy, self._chunk, self.ticks)

    def _write_since(self, copy: sqlite3.Connection) -> None:
        # Whoever waits for it is told of it once all of it is there, and never
        # if that fails.
        copy.execute("PRAGMA journal_mode=MEMORY")
        with _at_once(copy):
            self._make_tables(copy)
            _put_meta(copy, GOES_ON_FROM, str(self._since[0].first))
            for chunk in self._since:
                _put_chunk(copy, chunk, self.ticks)


class Content(NamedTuple):
    """What one place adds to a chunk, as it is written."""

    ticks: bytes | bytearray
    """The int32 ticks of its events; empty for what is no list of events."""
    rest: object


_EventKey = tuple[str, str, str, str]
"""An agent, a row, a part of it, and the kind of event."""

_SENT_AGAIN = (What.REFUSED, What.PROGRESS)
"""Of these the last entry may still change, and comes with each piece."""


class _Beginning(NamedTuple):
    """What a chunk that goes on from another one begins with at one place, and
    how many entries of each column it leaves to that.
    """

    columns: list[list[Any]]
    left: list[int]


def _beginning_after(what: str, columns: list[list[Any]]) -> _Beginning:
    """With what events of a kind go on as if a chunk had ended with these."""
    if what == What.COUNTED:
        ticks, _, (before,) = columns
        done = len(ticks)
        return _Beginning([[], [], [before + done]], [done, done, 0])
    left = len(columns[0])
    if what == What.RAN:  # those without an end are in both
        left = len(columns[2])
    elif what in _SENT_AGAIN:
        left -= 1
    return _Beginning([each[left:] for each in columns], [left] * len(columns))


class _OpenChunk:
    """A chunk as far as its pieces have come in."""

    def __init__(self, first: int) -> None:
        self.first = first
        """Its first tick."""
        self.rows: dict[str, list[Columns]] = {field: [] for field in PLAIN}
        self.poses: dict[str, bytearray] = {}
        self.levels: dict[str, bytearray] = {}
        self._events: dict[_EventKey, list[list[Any]]] = {}
        self._beginnings: dict[_EventKey, _Beginning] = {}
        """Where it goes on from another one, with what at each place."""
        self._tracks_before: Collection[str] = ()
        self._ticks_before = 0
        """The things whose numbers that has, and its ticks: the numbers of
        others begin where it does.
        """

    def going_on(self, first: int) -> "_OpenChunk":
        """A chunk that goes on from this one as it is now, from a tick on."""
        found = _OpenChunk(first)
        found._beginnings = {
            key: _beginning_after(key[-1], columns)
            for key, columns in self._events.items()
        }
        # What may still change is said as it was, for the other take may know
        # more of it.
        found._events = {
            key: begins.columns
            for key, begins in found._beginnings.items()
            if key[-1] in _SENT_AGAIN
        }
        found._tracks_before = {*self.poses, *self.levels}
        found._ticks_before = first - self.first
        return found

    def add(self, piece: TakePiece) -> None:
        """Append a piece that the player sent to the chunk it belongs to."""
        for *place, columns in piece.chunks:
            key: Any = tuple(place)
            begins = self._beginnings.get(key)
            if begins is None:
                begins = _Beginning([[] for _ in columns], [0] * len(columns))
            known = self._events.setdefault(key, begins.columns)
            for column, (start, entries), left in zip(
                known, columns, begins.left, strict=True
            ):
                # Pieces count entries from where the chunk began that this one
                # goes on from.
                column[start - left :] = entries
        for field, rows in self.rows.items():
            rows.extend(getattr(piece, field))
        for tracks, added, size in (
            (self.poses, piece.poses, POSE_BYTES),
            (self.levels, piece.levels, LEVEL_BYTES),
        ):
            for name, numbers in added:
                track = tracks.get(name)
                if track is None:
                    track = tracks[name] = bytearray()
                    if name not in self._tracks_before:
                        track.extend(numbers[self._ticks_before * size :])
                        continue
                track.extend(numbers)

    def contents(self) -> dict[str, Content]:
        """All of the chunk as it is written, by what it is about."""
        found = {}
        for (agent, row, part, what), columns in self._events.items():
            ticks, *rest = encode_chunk(what, columns)
            found[f"{what} of {agent}/{row}{f' ({part})' if part else ''}"] = (
                Content(ticks, rest)
            )
        for field, rows in self.rows.items():
            if rows:
                found[field] = Content(b"", [list(row) for row in rows])
        for what, tracks in (("poses", self.poses), ("levels", self.levels)):
            for name, numbers in tracks.items():
                found[f"{what} of {name}"] = Content(b"", bytes(numbers))
        return found

    def events(self) -> list[Columns]:
        """The rows of the table of events."""
        return [
            (*place, *encode_chunk(place[-1], columns))
            for place, columns in self._events.items()
        ]


def first_difference(
    one: Sequence[TakePiece], other: Sequence[TakePiece]
) -> str:
    """Where two recordings of whole chunks first differ: a thing of the take
    and when, such as 'ran of dog/woof at tick 120'; empty where they are
    equal, whatever their pieces.
    """
    for here, there in zip_longest(_chunks_of(one), _chunks_of(other)):
        chunk = here or there
        ours, theirs = _contents_of(here), _contents_of(there)
        differing = [
            place
            for place in dict.fromkeys([*ours, *theirs])
            if ours.get(place) != theirs.get(place)
        ]
        known = {
            place: tick
            for place in differing
            if (tick := _first_tick(ours.get(place), theirs.get(place)))
            is not None
        }
        if known:
            first = min(known, key=lambda place: known[place])
            return f"{first} at tick {known[first]}"
        if differing and chunk is not None:
            return f"{differing[0]} after tick {chunk.first}"
    return ""


def _first_tick(one: Content | None, other: Content | None) -> int | None:
    """The first tick at which one of two contents has an event and the other
    none; None where they differ in something else.
    """
    ticks = [_ticks_of(each) for each in (one, other)]
    shared = min(map(len, ticks))
    unlike = np.flatnonzero(ticks[0][:shared] != ticks[1][:shared])
    longer = max(ticks, key=len)
    at = int(unlike[0]) if len(unlike) else shared
    if at < len(longer):
        return int(longer[at])
    return None


def _contents_of(chunk: _OpenChunk | None) -> dict[str, Content]:
    if chunk is None:
        return {}
    return chunk.contents()


def _ticks_of(content: Content | None) -> NDArray[np.int32]:
    if content is None:
        return np.empty(0, "<i4")
    return np.frombuffer(content.ticks, "<i4")


def _chunks_of(pieces: Sequence[TakePiece]) -> list[_OpenChunk]:
    chunks = [_OpenChunk(0)]
    for piece in pieces:
        chunks[-1].add(piece)
        if piece.ends_chunk:
            chunks.append(_OpenChunk(piece.ticks))
    return chunks


def _put_meta(file: sqlite3.Connection, name: str, value: str) -> None:
    file.execute("INSERT OR REPLACE INTO meta VALUES (?, ?)", (name, value))


@contextmanager
def _at_once(file: sqlite3.Connection) -> Iterator[None]:
    """All that is written meanwhile is written, or nothing."""
    file.execute("BEGIN")
    try:
        yield
        file.execute("COMMIT")
    except BaseException:
        if file.in_transaction:
            file.execute("ROLLBACK")
        raise


def _put_chunk(
    file: sqlite3.Connection, chunk: _OpenChunk, ticks: int
) -> None:
    """Write a chunk, and that so many ticks are there with it."""
    _put_rows(
        file, "INSERT INTO chunk VALUES (?,?,?,?,?,?,?,?,?)", chunk.events()
    )
    for field, statement in PLAIN.items():
        _put_rows(file, statement, chunk.rows[field])
    for table, tracks in (("pose", chunk.poses), ("level", chunk.levels)):
        found = [
            (name, chunk.first, numbers) for name, numbers in tracks.items()
        ]
        _put_rows(file, f"INSERT INTO {table} VALUES (?,?,?)", found)  # noqa: S608
    _put_meta(file, RECORDED, str(ticks))


def _put_rows(
    file: sqlite3.Connection, statement: str, rows: Sequence[Sequence[object]]
) -> None:
    if rows:
        file.executemany(statement, rows)


def _names(path: Path) -> list[Path]:
    """The paths of a take's file and of SQLite's files beside it."""
    return [
        Path(f"{path}{ending}") for ending in ("", "-wal", "-shm", "-journal")
    ]


def _make_room(path: Path) -> None:
    """Delete an older take of this name, with SQLite's files beside it. Raises
    TakeError for any other file.
    """
    names = _names(path)
    found = next((each for each in names if os.path.lexists(each)), None)
    if found is None:
        return
    if not _is_take(path):
        raise TakeError(
            f"{found}: this is no take, so it is not replaced by one. Choose another name for "
            "the take."
        )
    for each in names:
        each.unlink(missing_ok=True)


def _is_take(path: Path) -> bool:
    """Whether there is a take of this name, whole or not; also a file in which
    nothing stands.
    """
    if path.is_symlink() or not path.is_file():
        return False
    if path.stat().st_size == 0:
        return True
    try:
        with closing(
            sqlite3.connect(f"{path.resolve().as_uri()}?mode=ro", uri=True)
        ) as file:
            return bool(
                file.execute(
                    "SELECT 1 FROM meta WHERE name = ?", (HEADER,)
                ).fetchall()
            )
    except sqlite3.Error:
        return False
