"""Reading a take back, whole or as far as it was written when a crash cut it short."""

import json
import sqlite3
from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import ValidationError

from umbrant.catalog.causes import Cause
from umbrant.catalog.language.ask import Found
from umbrant.model.problems import ProjectError
from umbrant.take.header import FORMAT, Header
from umbrant.take.record import AgentRecord, Changes, Done, Outcome, Refusal, RowRecord, Span, Written
from umbrant.take.tables import ENDED, HEADER, RECORDED, WHOLE, loaded
from umbrant.take.writer import TakeError

Floats = NDArray[np.float32]


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
    """For each prop: its level at each tick."""

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
    names = {member.name for member in header.cast if member.behavior}
    agents = {member.name: AgentRecord() for member in header.cast}
    for name in sorted(names):
        _read_agent(file, name, agents[name])
    for agent, tick, text in file.execute("SELECT agent, tick, text FROM said ORDER BY rowid"):
        agents[agent].said.append((tick, text))
    for agent, tick, what, cause in file.execute("SELECT agent, tick, what, cause FROM notice ORDER BY rowid"):
        agents[agent].notices.append((tick, what, Cause.from_json(cause)))
    poses = {name: flat.reshape(-1, 3) for name, flat in _arrays(file, "pose", "agent", "poses").items()}
    levels = _arrays(file, "level", "prop", "levels")
    ended = meta.get(ENDED, "it was cut short while it was being rolled")
    return Take(path, header, int(meta[RECORDED]), ended, agents, poses, levels)


def _read_agent(file: sqlite3.Connection, name: str, record: AgentRecord) -> None:
    rows: defaultdict[str, RowRecord] = defaultdict(RowRecord)
    keys: defaultdict[str, Changes[Written]] = defaultdict(Changes)

    def select(columns: str, table: str, order: str) -> Iterator[Any]:
        return file.execute(f"SELECT {columns} FROM {table} WHERE agent = ? ORDER BY {order}", (name,))  # noqa: S608

    for row_id, start, end, outcome, cause in select("row, start, end, outcome, cause", "span", "id"):
        rows[row_id].spans.append(Span(start, end, Outcome(outcome) if outcome else None, _cause(cause)))
    for row_id, part, start, end, cause in select("row, part, start, end, cause", "refusal", "id"):
        rows[row_id].refusals.setdefault(part, []).append(Refusal(start, end, Cause.from_json(cause)))
    columns = "row, part, atom, tick, asked, truth, left, right, cause"
    for row_id, part, atom, tick, asked, *found in select(columns, "sensed", "rowid"):
        kept = rows[row_id].sensed
        if (part, atom) not in kept:
            kept[part, atom] = Changes()
        kept[part, atom].add(tick, _found(*found) if asked else None)
    for row_id, tick, left, whole, unit in select("row, tick, left, whole, unit", "progress", "rowid"):
        rows[row_id].progress.add(tick, Done(left, whole, unit))
    for row_id, tick, corners in select("row, tick, corners", "way", "rowid"):
        rows[row_id].ways.add(tick, tuple((x, y) for x, y in json.loads(corners)))
    for key, tick, value, row_id, part in select("key, tick, value, row, part", "key", "rowid"):
        written = Written(loaded(value), row_id, part)
        keys[key].add(tick, written)
    record.rows.update(rows)
    record.keys.update(keys)


def _arrays(file: sqlite3.Connection, table: str, name: str, column: str) -> dict[str, Floats]:
    chunks: dict[str, list[bytes]] = {}
    for each, chunk in file.execute(f"SELECT {name}, {column} FROM {table} ORDER BY rowid"):  # noqa: S608
        chunks.setdefault(each, []).append(chunk)
    return {each: np.frombuffer(b"".join(parts), dtype="<f4") for each, parts in chunks.items()}


def _found(truth: int | None, left: float | str | None, right: float | str | None, cause: str | None) -> Found:
    known = None if truth is None else bool(truth)
    return Found(known, loaded(left), loaded(right), _cause(cause))


def _cause(text: str | None) -> Cause | None:
    return Cause.from_json(text) if text else None
