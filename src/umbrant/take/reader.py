"""Reading a take back, whole or as far as it was written when a crash cut it short."""

import json
import math
import sqlite3
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray
from pydantic import ValidationError

from umbrant.catalog.causes import Cause
from umbrant.catalog.language.found import Found
from umbrant.catalog.work import Gauge, Measured
from umbrant.engine.recorder import WORLD
from umbrant.model.problems import ProjectError
from umbrant.take.header import FORMAT, Header
from umbrant.take.record import AgentRecord, Changes, Done, Outcome, PropPlace, Refusal, RowRecord, Span, Written
from umbrant.take.tables import ENDED, HEADER, RECORDED, WHOLE, loaded
from umbrant.take.writer import TakeError

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
        with sqlite3.connect(f"file:{path}?mode=ro", uri=True) as file:
            take = _read(path, file)
        file.close()
    except (sqlite3.Error, ValidationError, ProjectError, ValueError, KeyError) as error:
        raise TakeError(
            f"{path}: this is no take, or it is damaged ({str(error).splitlines()[0]}). Roll the scenario again."
        ) from error
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
    """What every agent did: each table is read once, in the order in which it was written."""

    def select(columns: str, table: str, order: str = "rowid") -> Iterator[Any]:
        return file.execute(f"SELECT agent, {columns} FROM {table} ORDER BY {order}")  # noqa: S608

    def row(agent: str, row_id: str) -> RowRecord:
        rows = agents[agent].rows
        return rows.get(row_id) or rows.setdefault(row_id, RowRecord())

    for agent, row_id, start, end, outcome, cause in select("row, start, end, outcome, cause", "span", "id"):
        span = Span(start, end, Outcome(outcome) if outcome else None, _cause(cause))
        row(agent, row_id).spans.append(span)
    for agent, row_id, part, start, end, cause in select("row, part, start, end, cause", "refusal", "id"):
        row(agent, row_id).refusals.setdefault(part, []).append(Refusal(start, end, Cause.from_json(cause)))
    for agent, row_id, part, atom, tick, asked, *found in select(
        "row, part, atom, tick, asked, truth, left, right, cause", "sensed"
    ):
        _kept(row(agent, row_id).sensed, (part, atom)).add(tick, _found(*found) if asked else None)
    for agent, row_id, tick, left, whole, unit, rate in select("row, tick, left, whole, unit, rate", "progress"):
        row(agent, row_id).progress.add(tick, Done(left, whole, unit, rate))
    for agent, row_id, tick, corners in select("row, tick, corners", "way"):
        row(agent, row_id).ways.add(tick, tuple((x, y) for x, y in json.loads(corners)))
    for agent, row_id, part, *columns in select("row, part, measured, ticks, numbers, wholes, abouts", "gauge"):
        changes = _kept(row(agent, row_id).gauges, part)
        for tick, gauge in _gauges(*columns):
            changes.add(tick, gauge)


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


def _gauges(
    measured: str, ticks: bytes, numbers: bytes, wholes: bytes, abouts: str | None
) -> Iterator[tuple[int, Gauge]]:
    """The changes that lie in one row of the table of gauges."""
    measure, at = Measured(measured), np.frombuffer(ticks, "<i4").tolist()
    whole = [None if math.isnan(each) else each for each in np.frombuffer(wholes, "<f8").tolist()]
    about = json.loads(abouts) if abouts else [""] * len(at)
    for tick, *told in zip(at, np.frombuffer(numbers, "<f8").tolist(), whole, about, strict=True):
        yield tick, Gauge(measure, *told)


def _found(truth: int | None, left: float | str | None, right: float | str | None, cause: str | None) -> Found:
    known = None if truth is None else bool(truth)
    return Found(known, loaded(left), loaded(right), _cause(cause))


def _cause(text: str | None) -> Cause | None:
    return Cause.from_json(text) if text else None
