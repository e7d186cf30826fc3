"""Reading a take back, whole or as far as it was written when a crash cut it short."""

import math
import sqlite3
from collections.abc import Callable, Iterator, Mapping
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray
from pydantic import ValidationError
from pydantic_core import from_json

from umbrant.catalog.causes import Cause
from umbrant.catalog.language.found import Found
from umbrant.catalog.work import Gauge, Measured
from umbrant.engine.recorder import WORLD
from umbrant.model.printable import printable
from umbrant.model.problems import ProjectError
from umbrant.model.values import Literal, Point
from umbrant.take.errors import TakeError
from umbrant.take.header import FORMAT, Header
from umbrant.take.record import AgentRecord, Changes, Done, Outcome, PropPlace, Refusal, RowRecord, Span, Written
from umbrant.take.tables import ENDED, HEADER, RECORDED, SCHEMA, WHOLE, What, loaded

MALFORMED = (
    ValueError,
    TypeError,
    KeyError,
    AttributeError,
    OverflowError,
    RecursionError,
    ValidationError,
    ProjectError,
)
"""What turning a stored value into what it stands for may raise where it holds something else."""

META = "SELECT name, name, value FROM meta ORDER BY name"
"""The one table that has no order in which it was written."""

META_TABLE, *TABLES = (each.strip() for each in SCHEMA.strip().split(";") if each.strip())
"""How the tables are made. A file in which one is made in another way is not ours."""

FARTHEST = 1e7
"""How large the numbers of a place can be, in metres: more than the largest stage, and what is dropped beside it."""

Floats = NDArray[np.float32]
K = TypeVar("K")
T = TypeVar("T")


@dataclass(frozen=True)
class Take:
    """One recorded run, in memory. Never changed after it was read, so it may be shared between threads."""

    path: Path
    header: Header
    ticks: int
    """How many ticks were recorded."""
    ended: str
    """'whole', or what cut it short."""
    agents: dict[str, AgentRecord]
    poses: dict[str, Floats]
    """For each body: (ticks, 3) with x and y in metres and the heading in degrees."""
    levels: dict[str, Floats]
    """For each prop: its level at each tick, NaN where it is not there."""
    props: dict[str, Changes[PropPlace]]
    """Where each prop was, and who carried it."""
    notices: list[tuple[int, str, Cause]]
    """What of the scenario could not be done: tick, what, why."""

    @property
    def whole(self) -> bool:
        """Whether it was played to its end."""
        return self.ended == WHOLE

    @property
    def last_tick(self) -> int:
        """The last tick that can be looked at."""
        return max(0, self.ticks - 1)

    def clamp(self, tick: int) -> int:
        """The nearest tick that can be looked at."""
        return max(0, min(self.last_tick, tick))


class Damaged(Exception):  # noqa: N818  (it says what the file is)
    """Something in a take's file is not what it should be. Raised and caught in this module only.

    It is raised where a stored value is decoded, and nowhere else: a mistake of ours in what is done with the values
    stays what it is.
    """


def read_take(path: Path) -> Take:
    """Read a take. Raises TakeError, with the way out, if the file is no take or is damaged."""
    if not path.is_file():
        raise TakeError(f"{path}: there is no such take. `umbrant roll PROJECT` makes one.")
    try:
        with closing(sqlite3.connect(f"{path.resolve().as_uri()}?mode=ro", uri=True)) as file:
            take = _read(path, file)
    except (sqlite3.Error, UnicodeDecodeError, OSError, Damaged) as error:
        # SQLite quotes what it finds in a damaged file, which need not be text.
        reason = printable((str(error) or type(error).__name__).splitlines()[0])
        raise TakeError(f"{path}: this is no take, or it is damaged ({reason}). Roll the scenario again.") from error
    return take


def _read(path: Path, file: sqlite3.Connection) -> Take:
    _check_tables(file, META_TABLE)
    meta = dict(_rows(file, "meta", name=str, value=str))
    header = _header(meta)
    _check_tables(file, *TABLES)
    ticks = _decoded("the number of ticks", int, meta.get(RECORDED))
    if not 0 <= ticks <= header.ticks:
        raise Damaged(f"it says that {ticks} of {header.ticks} ticks were recorded")
    agents = {member.name: AgentRecord() for member in header.cast}
    nobody = AgentRecord()
    _read_agents(file, header, agents, ticks)
    _read_keys(file, header, agents)
    for agent, tick, text in _rows(file, "said", agent=str, tick=int, text=str):
        _of(agents, agent).said.append((tick, text))
    for agent, tick, event, sender in _rows(file, "heard", agent=str, tick=int, event=str, sender=str):
        _of(agents, agent).heard.append((tick, event, sender))
    for agent, tick, what, cause in _rows(file, "notice", agent=str, tick=int, what=str, cause=str):
        agents.get(agent, nobody).notices.append((tick, what, _decoded("a cause", _cause_of_text, cause)))
    memory = _Memory(path.stat().st_size)
    flat = _arrays(file, "pose", "agent", "poses", 3, ticks, memory)
    poses = {name: numbers.reshape(-1, 3) for name, numbers in flat.items()}
    levels = _arrays(file, "level", "prop", "levels", 1, ticks, memory)
    props: dict[str, Changes[PropPlace]] = {}
    for prop, tick, x, y, carrier in _rows(
        file, "prop", prop=str, tick=int, x=float, y=float, carrier=(str, type(None))
    ):
        _add(props.setdefault(prop, Changes()), tick, PropPlace(_point((x, y)), carrier), f"where {prop} is")
    ended = meta.get(ENDED, "it was cut short while it was being rolled")
    return Take(path, header, ticks, ended, agents, poses, levels, props, nobody.notices)


def _header(meta: Mapping[str, str]) -> Header:
    """What the take says of itself, with documents that can be read."""
    header = _decoded("the header", Header.model_validate_json, meta.get(HEADER))
    if header.format != FORMAT:
        raise Damaged(f"its format is '{header.format}', not '{FORMAT}'")
    _decoded("the documents", lambda each: each.played.players, header)
    return header


def _read_agents(file: sqlite3.Connection, header: Header, agents: dict[str, AgentRecord], ticks: int) -> None:
    """What every agent did, in the order in which it was written."""
    rows_of = _rows_of(header)
    columns = {"agent": str, "row": str, "part": str, "what": str, "ticks": bytes, "ends": bytes, "numbers": bytes}
    for agent, row_id, part, what, starts, ends, numbers, more in _rows(file, "told", **columns, more=str):
        rows = _of(agents, agent).rows
        record = rows.get(row_id) or rows.setdefault(row_id, RowRecord())
        if row_id not in rows_of[agent]:
            raise Damaged(f"'{row_id[:40]}' is no row of {agent}")
        chunk = _decoded(f"{what} of {row_id}", _chunk, starts, ends, numbers, more)
        if any(not 0 <= tick <= ticks for tick in (*chunk.ticks, *chunk.ends)):
            raise Damaged(f"{what} of {row_id} is not within the take")
        if what in _READ:
            decode, put = _READ[what]
        else:
            decode, put = _gauges_of(_decoded("a measure", Measured, what)), _put_gauges
        put(record, part, _decoded(f"{what} of {row_id}", decode, chunk))


@dataclass(frozen=True, slots=True)
class Chunk:
    """What one row of the table of what was told holds."""

    ticks: list[int]
    ends: list[int]
    numbers: list[float]
    more: list[Any]


def _chunk(ticks: bytes, ends: bytes, numbers: bytes, more: str) -> Chunk:
    found = from_json(more) if more else []
    if not isinstance(found, list):
        raise TypeError("no list")
    return Chunk(_integers(ticks), _integers(ends), np.frombuffer(numbers, "<f8").tolist(), found)


# Each sort of chunk is decoded, which may find damage, and then put into a record, which may not.


def _spans_of(chunk: Chunk) -> list[Span]:
    outcomes, causes = chunk.more
    ended = [
        Span(start, end, Outcome(outcome), _cause(cause))
        for start, end, outcome, cause in zip(chunk.ticks[: len(chunk.ends)], chunk.ends, outcomes, causes, strict=True)
    ]
    goes_on = chunk.ticks[len(chunk.ends) :]
    if len(goes_on) > 1:
        raise ValueError("more than one span without an end")
    return [*ended, *(Span(start) for start in goes_on)]


def _put_spans(record: RowRecord, part: str, spans: list[Span]) -> None:
    if record.spans and record.spans[-1].end is None:
        record.spans.pop()
    for span in spans:
        last = record.spans[-1] if record.spans else None
        if (span.end is not None and span.end < span.start) or (last and (last.end is None or last.end > span.start)):
            raise Damaged("a row ran twice at one time")
        record.spans.append(span)


def _refusals_of(chunk: Chunk) -> list[Refusal]:
    return [
        Refusal(start, end, found)
        for start, end, cause in zip(chunk.ticks, chunk.ends, chunk.more, strict=True)
        if (found := _cause(cause)) is not None
    ]


def _put_refusals(record: RowRecord, part: str, found: list[Refusal]) -> None:
    refusals = record.refusals.setdefault(part, [])
    if refusals and found and refusals[-1].start == found[0].start:
        refusals.pop()
    for refusal in found:
        if refusal.end < refusal.start or (refusals and refusals[-1].end >= refusal.start):
            raise Damaged("a row was refused twice at one time")
        refusals.append(refusal)


def _finds_of(chunk: Chunk) -> list[tuple[int, int, Found | None]]:
    return [
        (tick, int(atom), _found(*found) if found else None)
        for tick, (atom, *found) in zip(chunk.ticks, chunk.more, strict=True)
    ]


def _put_finds(record: RowRecord, part: str, finds: list[tuple[int, int, Found | None]]) -> None:
    for tick, atom, found in finds:
        _add(_kept(record.sensed, (part, atom)), tick, found, "what was sensed")


def _progress_of(chunk: Chunk) -> list[tuple[int, Done]]:
    return [(tick, _done(*done)) for tick, done in zip(chunk.ticks, chunk.more, strict=True)]


def _done(left: float | None, of: float | None, unit: str, rate: float) -> Done:
    numbers = [float(each) for each in (left, of) if each is not None]
    if any(math.isnan(each) for each in numbers):
        raise ValueError("no number")
    return Done(left, of, str(unit), float(rate))


def _put_progress(record: RowRecord, part: str, progress: list[tuple[int, Done]]) -> None:
    for tick, done in progress:
        _add(record.progress, tick, done, "progress")


def _ways_of(chunk: Chunk) -> list[tuple[int, tuple[Point, ...]]]:
    return [
        (tick, tuple(_point(corner) for corner in corners))
        for tick, corners in zip(chunk.ticks, chunk.more, strict=True)
    ]


def _put_ways(record: RowRecord, part: str, ways: list[tuple[int, tuple[Point, ...]]]) -> None:
    for tick, corners in ways:
        _add(record.ways, tick, corners, "a way")


def _counts_of(chunk: Chunk) -> list[tuple[int, Gauge]]:
    (before,) = chunk.numbers
    return [(tick, Gauge(Measured.COUNT, before + times)) for times, tick in enumerate(chunk.ticks, 1)]


def _gauges_of(measured: Measured) -> Callable[[Chunk], list[tuple[int, Gauge]]]:
    def decode(chunk: Chunk) -> list[tuple[int, Gauge]]:
        count = len(chunk.ticks)
        values, wholes, abouts = chunk.numbers[:count], chunk.numbers[count:], chunk.more or [""] * count
        return [
            (tick, Gauge(measured, value, None if math.isnan(whole) else whole, str(about)))
            for tick, value, whole, about in zip(chunk.ticks, values, wholes, abouts, strict=True)
        ]

    return decode


def _put_gauges(record: RowRecord, part: str, gauges: list[tuple[int, Gauge]]) -> None:
    changes = _kept(record.gauges, part)
    for tick, gauge in gauges:
        _add(changes, tick, gauge, "a measure")


_READ: Mapping[str, tuple[Callable[[Chunk], Any], Callable[[RowRecord, str, Any], None]]] = {
    What.RAN: (_spans_of, _put_spans),
    What.REFUSED: (_refusals_of, _put_refusals),
    What.FOUND: (_finds_of, _put_finds),
    What.PROGRESS: (_progress_of, _put_progress),
    What.WAY: (_ways_of, _put_ways),
    What.COUNTED: (_counts_of, _put_gauges),
}


def _integers(packed: bytes) -> list[int]:
    found: list[int] = np.frombuffer(packed, "<i4").tolist()
    return found


def _read_keys(file: sqlite3.Connection, header: Header, agents: dict[str, AgentRecord]) -> None:
    """The agents' own keys, and those they share."""
    rows_of = _rows_of(header)
    columns = {"agent": str, "board": str, "key": str, "tick": int, "value": object, "row": str, "part": str}
    shared: dict[str, dict[str, Changes[Written]]] = {}
    for agent, board, key, tick, stored, row_id, part in _rows(file, "key", **columns):
        value = _decoded(f"the value of {key}", _side, _decoded(f"the value of {key}", loaded, stored))
        if row_id and row_id not in rows_of.get(agent, ()):
            raise Damaged(f"'{row_id[:40]}' is no row of '{agent[:40]}'")
        if board:
            _add(_kept(shared.setdefault(board, {}), key), tick, Written(value, row_id, part, agent), key)
        elif agent in agents:
            _add(_kept(agents[agent].keys, key), tick, Written(value, row_id, part), key)
    for member in header.cast:
        for board in (member.group or "", WORLD) if member.behavior else ():
            agents[member.name].keys.update(shared.get(board, {}))


def _kept(place: dict[K, Changes[T]], key: K) -> Changes[T]:
    found = place.get(key)
    if found is None:
        found = place[key] = Changes()
    return found


class _Memory:
    """How much memory the arrays of a take may take up: what its file could hold, and some room.

    Numbers that were not written are NaN in them. A small file that asks for large arrays is no take of ours.
    """

    def __init__(self, size: int) -> None:
        self._left = 32 * size + 16 * 1024 * 1024

    def take(self, count: int) -> Floats:
        """An array of so many numbers. Raises Damaged."""
        self._left -= 4 * count
        if self._left < 0:
            raise Damaged("it asks for far more memory than it can have written")
        return np.full(count, np.nan, dtype=np.float32)


def _arrays(
    file: sqlite3.Connection, table: str, name: str, column: str, width: int, ticks: int, memory: _Memory
) -> dict[str, Floats]:
    """Each thing's numbers over the whole take, so many for each tick, NaN where none were written."""
    found: dict[str, Floats] = {}
    length = width * ticks
    for each, tick, chunk in _rows(file, table, **{name: str, "tick": int, column: bytes}):
        whole = found.get(each)
        if whole is None:
            whole = found[each] = memory.take(length)
        numbers = _decoded(f"the {column} of {each}", np.frombuffer, chunk, "<f4")
        if np.any(np.abs(numbers[~np.isnan(numbers)]) > FARTHEST):
            raise Damaged(f"the {column} of {each} are beyond all measure")
        start = max(0, min(length, tick * width))
        end = min(length, start + len(numbers))
        whole[start:end] = numbers[: end - start]
    return found


# what is stored


def _rows(file: sqlite3.Connection, table: str, **columns: type | tuple[type, ...]) -> Iterator[tuple[Any, ...]]:
    """A table's rows, in the order in which they were written. Raises Damaged where a column holds another type."""
    kinds = tuple(columns.values())
    last: Any = None
    for place, *row in file.execute(
        f"SELECT rowid, {', '.join(columns)} FROM {table} ORDER BY rowid" if table != "meta" else META  # noqa: S608
    ):
        # In a damaged file the same page can be found in many places, and reading it would go on and on.
        if last is not None and (type(place) is not type(last) or place <= last):
            raise Damaged(f"the rows of the table '{table}' go round in circles")
        last = place
        for value, kind, column in zip(row, kinds, columns, strict=True):
            if not isinstance(value, kind) and not (kind is float and isinstance(value, int)):
                raise Damaged(f"'{column}' of the table '{table}' holds {str(value)[:40]!r}")
        yield tuple(row)


def _check_tables(file: sqlite3.Connection, *wanted: str) -> None:
    """Raise Damaged where a table is not just as it is written: a view, say, could make rows without end."""
    found = {str(sql) for _, sql in file.execute("SELECT name, sql FROM sqlite_master")}
    missing = [sql for sql in wanted if sql not in found]
    if missing:
        raise Damaged(f"there is no table as in '{missing[0][:60]}'")


def _rows_of(header: Header) -> dict[str, Mapping[str, object]]:
    """The rows that each of the cast has, by its name."""
    found: dict[str, Mapping[str, object]] = {}
    for member in header.cast:
        behavior = member.behavior
        known = behavior is not None and any(each.name == behavior for each in header.project.behaviors)
        found[member.name] = header.whole(behavior).behavior.by_id if behavior and known else {}
    return found


def _add(changes: Changes[T], tick: int, value: T, what: str) -> None:
    """Add a change, which must not come before the last. Raises Damaged."""
    if tick < 0 or (changes.ticks and tick < changes.ticks[-1]):
        raise Damaged(f"{what} does not go on in the order of time")
    changes.add(tick, value)


def _decoded(what: str, decode: Callable[..., T], *stored: object) -> T:
    """What stored values stand for. Raises Damaged where they stand for nothing: `what` names them."""
    try:
        return decode(*stored)
    except MALFORMED as error:
        raise Damaged(f"{what}: {(str(error) or type(error).__name__).splitlines()[0]}") from error


def _of(agents: dict[str, AgentRecord], name: str) -> AgentRecord:
    if name not in agents:
        raise Damaged(f"'{name[:40]}' is not among its cast")
    return agents[name]


def _found(truth: bool | None, left: Any, right: Any, cause: Mapping[str, Any] | None) -> Found:
    return Found(truth, _side(left), _side(right), _cause(cause))


def _side(value: Any) -> Literal | None:
    """A plain value: a list of two numbers is a point. Raises ValueError for anything else."""
    if value is None or isinstance(value, bool | int | float | str):
        return value
    return _point(value)


def _point(value: Any) -> Point:
    """A point. Raises ValueError for anything else."""
    x, y = value
    if not all(isinstance(each, int | float) and abs(each) <= FARTHEST for each in (x, y)):
        raise ValueError("no point")
    return float(x), float(y)


def _cause(data: Mapping[str, Any] | None) -> Cause | None:
    if not data:
        return None
    for fact in data.values():
        _side(fact)
    return Cause.from_plain(data)


def _cause_of_text(text: str) -> Cause:
    """A cause that is there. Raises ValueError."""
    cause = _cause(from_json(text))
    if cause is None:
        raise ValueError("no cause")
    return cause
