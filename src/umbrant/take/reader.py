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
from umbrant.catalog.work import Gauge, Measured
from umbrant.engine.recorder import WORLD
from umbrant.model.problems import ProjectError
from umbrant.take.header import FORMAT, Header
from umbrant.take.record import AgentRecord, Changes, Done, Outcome, PropPlace, Refusal, RowRecord, Span, Written
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
    names = {member.name for member in header.cast if member.behavior}
    agents = {member.name: AgentRecord() for member in header.cast}
    nobody = AgentRecord()
    shared = _shared_keys(file)
    for member in header.cast:
        if member.name in names:
            _read_agent(file, member.name, agents[member.name])
            for board in (member.group or "", WORLD):
                agents[member.name].keys.update(shared.get(board, {}))
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
    _read_gauges(file, name, rows)
    for board, key, tick, value, row_id, part in select("board, key, tick, value, row, part", "key", "rowid"):
        if not board:
            keys[key].add(tick, Written(loaded(value), row_id, part))
    record.rows.update(rows)
    record.keys.update(keys)


def _read_gauges(file: sqlite3.Connection, name: str, rows: defaultdict[str, RowRecord]) -> None:
    columns = "row, part, tick, measured, value, whole, about"
    for row_id, part, tick, measured, value, whole, about in file.execute(
        f"SELECT {columns} FROM gauge WHERE agent = ? ORDER BY rowid",  # noqa: S608
        (name,),
    ):
        kept = rows[row_id].gauges
        if part not in kept:
            kept[part] = Changes()
        kept[part].add(tick, Gauge(Measured(measured), value, whole, about))


def _shared_keys(file: sqlite3.Connection) -> dict[str, dict[str, Changes[Written]]]:
    """The keys that several agents share, by board and name."""
    found: dict[str, dict[str, Changes[Written]]] = {}
    columns = "agent, board, key, tick, value, row, part"
    for agent, board, key, tick, value, row_id, part in file.execute(
        f"SELECT {columns} FROM key WHERE board <> '' ORDER BY rowid"  # noqa: S608
    ):
        written = Written(loaded(value), row_id, part, agent)
        found.setdefault(board, {}).setdefault(key, Changes()).add(tick, written)
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


def _found(truth: int | None, left: float | str | None, right: float | str | None, cause: str | None) -> Found:
    known = None if truth is None else bool(truth)
    return Found(known, loaded(left), loaded(right), _cause(cause))


def _cause(text: str | None) -> Cause | None:
    return Cause.from_json(text) if text else None
