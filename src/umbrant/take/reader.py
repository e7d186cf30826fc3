"""Reading a take back, whole or as far as it was written when a crash cut it short."""

import math
import sqlite3
from collections.abc import Callable, Mapping
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
from umbrant.model.problems import ProjectError
from umbrant.model.values import Literal
from umbrant.take.header import FORMAT, Header
from umbrant.take.record import AgentRecord, Changes, Done, Outcome, PropPlace, Refusal, RowRecord, Span, Written
from umbrant.take.tables import ENDED, HEADER, RECORDED, WHOLE, What, loaded
from umbrant.take.writer import TakeError

DAMAGE = (ValueError, LookupError, TypeError, AttributeError)
"""What reading a column may raise that holds something else than it should."""

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


def read_take(path: Path) -> Take:
    """Read a take. Raises TakeError, with the way out, if the file is no take or is damaged."""
    if not path.is_file():
        raise TakeError(f"{path}: there is no such take. `umbrant roll PROJECT` makes one.")
    try:
        with closing(sqlite3.connect(f"file:{path}?mode=ro", uri=True)) as file:
            take = _read(path, file)
    except (sqlite3.Error, ValidationError, ProjectError, *DAMAGE) as error:
        reason = (str(error) or type(error).__name__).splitlines()[0]
        raise TakeError(f"{path}: this is no take, or it is damaged ({reason}). Roll the scenario again.") from error
    return take


def _read(path: Path, file: sqlite3.Connection) -> Take:
    meta = dict(file.execute("SELECT name, value FROM meta"))
    header = Header.model_validate_json(meta[HEADER])
    if header.format != FORMAT:
        raise ValueError(f"its format is '{header.format}', not '{FORMAT}'")
    agents = {member.name: AgentRecord() for member in header.cast}
    nobody = AgentRecord()
    _read_agents(file, agents)
    _read_keys(file, header, agents)
    for agent, tick, text in file.execute("SELECT agent, tick, text FROM said ORDER BY rowid"):
        agents[agent].said.append((tick, text))
    for agent, tick, event, sender in file.execute("SELECT agent, tick, event, sender FROM heard ORDER BY rowid"):
        agents[agent].heard.append((tick, event, sender))
    for agent, tick, what, cause in file.execute("SELECT agent, tick, what, cause FROM notice ORDER BY rowid"):
        agents.get(agent, nobody).notices.append((tick, what, Cause.from_json(cause)))
    ticks = int(meta[RECORDED])
    poses = {name: flat.reshape(-1, 3) for name, flat in _arrays(file, "pose", "agent", "poses", 3 * ticks).items()}
    levels = _arrays(file, "level", "prop", "levels", ticks)
    props: dict[str, Changes[PropPlace]] = {}
    for prop, tick, x, y, carrier in file.execute("SELECT prop, tick, x, y, carrier FROM prop ORDER BY rowid"):
        props.setdefault(prop, Changes()).add(tick, PropPlace((x, y), carrier))
    ended = meta.get(ENDED, "it was cut short while it was being rolled")
    return Take(path, header, ticks, ended, agents, poses, levels, props, nobody.notices)


def _read_agents(file: sqlite3.Connection, agents: dict[str, AgentRecord]) -> None:
    """What every agent did, in the order in which it was written."""
    told = "SELECT agent, row, part, what, ticks, ends, numbers, more FROM told ORDER BY rowid"
    for agent, row_id, part, what, ticks, ends, numbers, more in file.execute(told):
        rows = agents[agent].rows
        record = rows.get(row_id) or rows.setdefault(row_id, RowRecord())
        chunk = Chunk(_integers(ticks), _integers(ends), numbers, from_json(more) if more else [])
        if what in _READ:
            _READ[what](record, part, chunk)
        else:
            _read_gauges(record, part, Measured(what), chunk)


@dataclass(frozen=True, slots=True)
class Chunk:
    """What one row of the table of what was told holds."""

    ticks: list[int]
    ends: list[int]
    numbers: bytes
    more: list[Any]


def _read_spans(record: RowRecord, part: str, chunk: Chunk) -> None:
    if record.spans and record.spans[-1].end is None:
        record.spans.pop()
    for start, end, outcome, cause in zip(chunk.ticks, chunk.ends, *chunk.more, strict=False):
        record.spans.append(Span(start, end, Outcome(outcome), _cause(cause)))
    if len(chunk.ends) < len(chunk.ticks):
        record.spans.append(Span(chunk.ticks[-1]))


def _read_refusals(record: RowRecord, part: str, chunk: Chunk) -> None:
    refusals = record.refusals.setdefault(part, [])
    if refusals and refusals[-1].start == chunk.ticks[0]:
        refusals.pop()
    for start, end, cause in zip(chunk.ticks, chunk.ends, chunk.more, strict=True):
        refusals.append(Refusal(start, end, Cause.from_plain(cause)))


def _read_finds(record: RowRecord, part: str, chunk: Chunk) -> None:
    for tick, (atom, *found) in zip(chunk.ticks, chunk.more, strict=True):
        _kept(record.sensed, (part, atom)).add(tick, _found(*found) if found else None)


def _read_progress(record: RowRecord, part: str, chunk: Chunk) -> None:
    for tick, done in zip(chunk.ticks, chunk.more, strict=True):
        record.progress.add(tick, Done(*done))


def _read_ways(record: RowRecord, part: str, chunk: Chunk) -> None:
    for tick, corners in zip(chunk.ticks, chunk.more, strict=True):
        record.ways.add(tick, tuple((x, y) for x, y in corners))


def _read_counts(record: RowRecord, part: str, chunk: Chunk) -> None:
    (before,) = _numbers(chunk)
    for times, tick in enumerate(chunk.ticks, 1):
        _kept(record.gauges, part).add(tick, Gauge(Measured.COUNT, before + times))


_READ: Mapping[str, Callable[[RowRecord, str, Chunk], None]] = {
    What.RAN: _read_spans,
    What.REFUSED: _read_refusals,
    What.FOUND: _read_finds,
    What.PROGRESS: _read_progress,
    What.WAY: _read_ways,
    What.COUNTED: _read_counts,
}


def _read_gauges(record: RowRecord, part: str, measured: Measured, chunk: Chunk) -> None:
    changes = _kept(record.gauges, part)
    numbers, count = _numbers(chunk), len(chunk.ticks)
    abouts = chunk.more or [""] * count
    for tick, value, whole, about in zip(chunk.ticks, numbers[:count], numbers[count:], abouts, strict=True):
        changes.add(tick, Gauge(measured, value, None if math.isnan(whole) else whole, about))


def _numbers(chunk: Chunk) -> list[float]:
    found: list[float] = np.frombuffer(chunk.numbers, "<f8").tolist()
    return found


def _integers(packed: bytes) -> list[int]:
    found: list[int] = np.frombuffer(packed, "<i4").tolist()
    return found


def _read_keys(file: sqlite3.Connection, header: Header, agents: dict[str, AgentRecord]) -> None:
    """The agents' own keys, and those they share."""
    columns = "agent, board, key, tick, value, row, part"
    shared: dict[str, dict[str, Changes[Written]]] = {}
    for agent, board, key, tick, value, row_id, part in file.execute(
        f"SELECT {columns} FROM key ORDER BY rowid"  # noqa: S608
    ):
        if board:
            _kept(shared.setdefault(board, {}), key).add(tick, Written(loaded(value), row_id, part, agent))
        elif agent in agents:
            _kept(agents[agent].keys, key).add(tick, Written(loaded(value), row_id, part))
    for member in header.cast:
        for board in (member.group or "", WORLD) if member.behavior else ():
            agents[member.name].keys.update(shared.get(board, {}))


def _kept(place: dict[K, Changes[T]], key: K) -> Changes[T]:
    found = place.get(key)
    if found is None:
        found = place[key] = Changes()
    return found


def _arrays(file: sqlite3.Connection, table: str, name: str, column: str, length: int) -> dict[str, Floats]:
    """Each thing's numbers over the whole take, NaN where none were written."""
    found: dict[str, Floats] = {}
    for each, tick, chunk in file.execute(f"SELECT {name}, tick, {column} FROM {table} ORDER BY rowid"):  # noqa: S608
        whole = found.setdefault(each, np.full(length, np.nan, dtype=np.float32))
        numbers = np.frombuffer(chunk, dtype="<f4")
        start = tick * (3 if table == "pose" else 1)
        whole[start : start + len(numbers)] = numbers[: max(0, length - start)]
    return found


def _found(truth: bool | None, left: Any, right: Any, cause: Mapping[str, Any] | None) -> Found:
    return Found(truth, _side(left), _side(right), _cause(cause))


def _side(value: Any) -> Literal | None:
    """A side of a comparison: a list of two numbers is a point."""
    return tuple(value) if isinstance(value, list) else value


def _cause(data: Mapping[str, Any] | None) -> Cause | None:
    return Cause.from_plain(data) if data else None
