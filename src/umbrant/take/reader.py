"""Reading a take back, whole or as far as it was written when a crash cut it
short.
"""

import sqlite3
from collections.abc import Callable, Mapping
from contextlib import closing
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np

from umbrant.catalog.causes import Cause
from umbrant.catalog.written_facts import WrittenFacts, with_written
from umbrant.engine.recorder import WORLD
from umbrant.model.printable import printable
from umbrant.model.values import Value
from umbrant.take.documents import WrittenNumbers, WrittenParts
from umbrant.take.errors import TakeError
from umbrant.take.header import FORMAT, Header
from umbrant.take.record import (
    AgentRecord,
    Changes,
    CueStep,
    EventStep,
    KeyWrite,
    PropPlace,
    RowRecord,
    SaidStep,
    WriteStep,
)
from umbrant.take.stored import (
    FARTHEST,
    PLAIN,
    DamagedTake,
    DecodedValues,
    Float32Array,
    cause_of_text,
    check_tables,
    decoded,
    plain_point,
    plain_value,
    stored_rows,
)
from umbrant.take.stored_chunks import (
    add_change,
    kept,
    reading_of,
    stored_chunk,
)
from umbrant.take.tables import (
    COMPLETE,
    ENDED,
    HEADER,
    NUMBER_OF,
    RECORDED,
    SCHEMA,
    What,
    loaded,
)

META_TABLE, *TABLES = (
    each.strip() for each in SCHEMA.strip().split(";") if each.strip()
)
"""How the tables are made. A file in which one is made in another way is not
ours.
"""


@dataclass(frozen=True)
class Take:
    """One recorded run, in memory. Never changed after it was read, so it may
    be shared between threads.
    """

    path: Path
    header: Header
    ticks: int
    """How many ticks were recorded."""
    ended: str
    """'complete', or what cut it short."""
    agents: dict[str, AgentRecord]
    poses: dict[str, Float32Array]
    """For each body: (ticks, 3) with x and y in metres and the heading in
    degrees.
    """
    levels: dict[str, Float32Array]
    """For each prop: its level at each tick, NaN where it is not there."""
    body_numbers: dict[str, dict[str, Float32Array]]
    """For each body that has some: its numbers, such as its energy, at each
    tick; NaN where it is not there.
    """
    props: dict[str, Changes[PropPlace]]
    """Where each prop was, and who carried it."""
    notices: list[tuple[int, str, Cause]]
    """What of the scenario could not be done: tick, what, why."""
    cues: list[CueStep]
    """The cues that were done, in the order in which they were."""

    def number_changes(self, body: str, number: str) -> Changes[float]:
        """A number of a body in hundredths, where it changes: as keys are
        kept. Numbers that drift change at nearly every tick, which nobody can
        see.
        """
        values = self.body_numbers.get(body, {}).get(number)
        if values is None or not len(values):
            return Changes()
        rounded = np.round(values.astype(np.float64), 2)
        # NaN is unlike itself, so where the body is away is no change but a
        # gap.
        known = ~np.isnan(rounded)
        differs = np.concatenate(([True], rounded[1:] != rounded[:-1])) & known
        ticks = np.flatnonzero(differs)
        return Changes(ticks.tolist(), rounded[ticks].tolist())

    @property
    def is_complete(self) -> bool:
        """Whether the scenario was played to its end."""
        return self.ended == COMPLETE

    @property
    def last_tick(self) -> int:
        """The last tick that can be looked at."""
        return max(0, self.ticks - 1)

    def clamp(self, tick: int) -> int:
        """The nearest tick that can be looked at."""
        return max(0, min(self.last_tick, tick))


def read_take(path: Path, only: str | None = None) -> Take:
    """Read a take. Raises TakeError, with the way out, if the file is no take
    or is damaged.

    With `only` the rows of that agent alone are read: enough to ask about it,
    and several times sooner where the cast is large. The records of the others
    then hold no rows.
    """
    if not path.is_file():
        raise TakeError(
            f"{path}: there is no such take. `umbrant roll PROJECT` makes one."
        )
    try:
        with closing(
            sqlite3.connect(f"{path.resolve().as_uri()}?mode=ro", uri=True)
        ) as file:
            take = _read(path, file, only)
    except (sqlite3.Error, UnicodeDecodeError, OSError, DamagedTake) as error:
        # SQLite quotes what it finds in a damaged file, which need not be
        # text.
        reason = printable(
            (str(error) or type(error).__name__).splitlines()[0]
        )
        raise TakeError(
            f"{path}: this is no take, or it is damaged ({reason}). Roll the scenario again."
        ) from error
    return take


def _by_thing(
    found: Mapping[str, Float32Array],
) -> tuple[dict[str, Float32Array], dict[str, dict[str, Float32Array]]]:
    """The levels of props, and the numbers of bodies, which stand in one table
    with them.
    """
    levels: dict[str, Float32Array] = {}
    body_numbers: dict[str, dict[str, Float32Array]] = {}
    for name, numbers in found.items():
        body, dot, number = name.partition(NUMBER_OF)
        if dot:
            body_numbers.setdefault(body, {})[number] = numbers
        else:
            levels[name] = numbers
    return levels, body_numbers


def _read_props(file: sqlite3.Connection) -> dict[str, Changes[PropPlace]]:
    """Where each prop is, and who carries it."""
    props: dict[str, Changes[PropPlace]] = {}
    for prop, tick, x, y, carrier in stored_rows(
        file,
        "prop",
        prop=str,
        tick=int,
        x=float,
        y=float,
        carrier=(str, type(None)),
    ):
        where = f"where {prop[:40]} is"
        at = decoded(where, plain_point, (x, y))
        add_change(
            props.setdefault(prop, Changes()),
            tick,
            PropPlace(at, carrier),
            where,
        )
    return props


def _read(path: Path, file: sqlite3.Connection, only: str | None) -> Take:
    check_tables(file, META_TABLE)
    meta = dict(stored_rows(file, "meta", name=str, value=str))
    header = _header(meta)
    check_tables(file, *TABLES)
    ticks = decoded("the number of ticks", int, meta.get(RECORDED))
    if not 0 <= ticks <= header.ticks:
        raise DamagedTake(
            f"it says that {ticks} of {header.ticks} ticks were recorded"
        )
    agents = {member.name: AgentRecord() for member in header.cast}
    nobody = AgentRecord()
    _read_agents(file, header, agents, ticks, only)
    _read_keys(file, header, agents)
    for agent, *said in stored_rows(
        file, "said", agent=str, tick=int, step=int, text=str
    ):
        _of(agents, agent).said.append(SaidStep(*said))
    _read_events(file, agents)
    cues = [
        CueStep(tick, cue, whom)
        for tick, cue, whom in stored_rows(
            file, "cue", tick=int, cue=int, agent=str
        )
    ]
    for agent, tick, what, cause in stored_rows(
        file, "notice", agent=str, tick=int, what=str, cause=str
    ):
        agents.get(agent, nobody).notices.append(
            (tick, what, decoded("a cause", cause_of_text, cause))
        )
    memory = DecodedValues(path.stat().st_size)
    flat = _arrays(file, "pose", "agent", "poses", 3, ticks, memory)
    poses = {name: numbers.reshape(-1, 3) for name, numbers in flat.items()}
    levels, body_numbers = _by_thing(
        _arrays(file, "level", "prop", "levels", 1, ticks, memory)
    )
    props = _read_props(file)
    ended = meta.get(ENDED, "it was cut short while it was being rolled")
    notices = nobody.notices
    return Take(
        path,
        header,
        ticks,
        ended,
        agents,
        poses,
        levels,
        body_numbers,
        props,
        notices,
        cues,
    )


def _read_events(
    file: sqlite3.Connection, agents: dict[str, AgentRecord]
) -> None:
    """The events that each agent received and raised."""
    for agent, *received in stored_rows(
        file, "received", agent=str, tick=int, step=int, event=str, sender=str
    ):
        _of(agents, agent).received.append(EventStep(*received))
    for agent, *raised in stored_rows(
        file,
        "raised",
        agent=str,
        tick=int,
        step=int,
        event=str,
        receiver=str,
        row=str,
        part=str,
    ):
        _of(agents, agent).raised.append(EventStep(*raised))


def _header(meta: Mapping[str, str]) -> Header:
    """What the take says of itself, with documents that can be read."""
    header = decoded(
        "the header", Header.model_validate_json, meta.get(HEADER)
    )
    if header.format != FORMAT:
        raise DamagedTake(f"its format is '{header.format}', not '{FORMAT}'")
    decoded("the documents", lambda each: each.played.players, header)
    return header


def _read_agents(
    file: sqlite3.Connection,
    header: Header,
    agents: dict[str, AgentRecord],
    ticks: int,
    only: str | None,
) -> None:
    """The rows of every agent, or of one, in the order in which they were
    written.
    """
    rows_of, written = _rows_of(header), WrittenNumbers(header)
    last: dict[tuple[str, ...], int] = {}
    columns = {
        "agent": str,
        "row": str,
        "part": str,
        "what": str,
        "ticks": bytes,
        "steps": bytes,
        "ends": bytes,
        "numbers": bytes,
    }
    for agent, row_id, part, what, *stored, more in stored_rows(
        file, "chunk", **columns, more=str
    ):
        rows = _of(agents, agent).rows
        if only not in (None, agent):
            continue
        record = rows.get(row_id) or rows.setdefault(row_id, RowRecord())
        if row_id not in rows_of[agent]:
            raise DamagedTake(f"'{row_id[:40]}' is no row of {agent}")
        chunk = decoded(f"{what} of {row_id}", stored_chunk, *stored, more)
        _check_order(last, (agent, row_id, part, what), chunk.ticks)
        times = chunk.ticks + chunk.ends
        if times and not (min(times) >= 0 and max(times) <= ticks):
            raise DamagedTake(f"{what} of {row_id} is not within the take")
        facts: WrittenFacts
        parts: WrittenParts = ()
        if what == What.FOUND:
            facts = written.of_body(agent)
            parts = written.of_condition(agent, row_id, part)
        else:
            facts = written.of_row(agent, row_id, part)
        decode, put = decoded("a measure", reading_of, what, facts, parts)
        put(record, part, decoded(f"{what} of {row_id}", decode, chunk))


def _check_order(
    last: dict[tuple[str, ...], int], place: tuple[str, ...], ticks: list[int]
) -> None:
    """Raise DamagedTake where a chunk, or what goes before it at its place, is
    not in the order of time.
    """
    if not ticks:
        return
    if ticks[0] < last.get(place, 0) or ticks != sorted(ticks):
        raise DamagedTake(
            f"{place[-1][:40]} of {place[1][:40]} does not go on in the order of time"
        )
    last[place] = ticks[-1]


def _read_keys(
    file: sqlite3.Connection, header: Header, agents: dict[str, AgentRecord]
) -> None:
    """The agents' own keys, and those they share."""
    rows_of = _rows_of(header)
    columns: dict[str, type | tuple[type, ...]] = {
        "agent": str,
        "board": str,
        "key": str,
        "tick": int,
        "step": int,
        "value": object,
        "row": str,
        "part": str,
        "cause": (str, type(None)),
    }
    shared: dict[str, dict[str, Changes[KeyWrite]]] = {}
    # Keys take few values that are no numbers, and most of them again and
    # again, for few causes.
    text_of, cause_of = lru_cache(_key_value), _key_causes(header)
    for (
        agent,
        board,
        key,
        tick,
        step,
        stored,
        row_id,
        part,
        found,
    ) in stored_rows(file, "key", **columns):
        cause = cause_of(found, agent)
        if isinstance(stored, str):
            value = text_of(stored)
        elif stored.__class__ in PLAIN:
            value = stored
        else:
            value = _key_value(stored)
        if row_id and row_id not in rows_of.get(agent, ()):
            raise DamagedTake(f"'{row_id[:40]}' is no row of '{agent[:40]}'")
        if agent in agents:
            agents[agent].writes.append(
                WriteStep(tick, step, key, value, row_id, part, board, cause)
            )
        if board:
            add_change(
                kept(shared.setdefault(board, {}), key),
                tick,
                KeyWrite(value, row_id, part, agent, cause),
                key,
            )
        elif agent in agents:
            add_change(
                kept(agents[agent].keys, key),
                tick,
                KeyWrite(value, row_id, part, cause=cause),
                key,
            )
    for member in header.cast:
        for board in (member.group or "", WORLD) if member.behavior else ():
            agents[member.name].keys.update(shared.get(board, {}))


def _key_value(stored: Any) -> Value | None:
    """A key's value, as its column holds it. Raises DamagedTake."""
    what = "the value of a key"
    return decoded(what, plain_value, decoded(what, loaded, stored))


def _key_causes(
    header: Header,
) -> Callable[[str | None, str], Cause | None]:
    """What reads what the one who wrote a key found, of an agent with this
    name.
    """
    written = WrittenNumbers(header)

    @lru_cache
    def cause_of(text: str | None, agent: str) -> Cause | None:
        cause = _key_cause(text)
        if cause is None:
            return None
        return with_written(cause, written.of_body(agent))

    return cause_of


def _key_cause(text: str | None) -> Cause | None:
    """What the one who wrote a key found. Raises DamagedTake."""
    if not text:
        return None
    return decoded("a cause", cause_of_text, text)


def _arrays(
    file: sqlite3.Connection,
    table: str,
    name: str,
    column: str,
    width: int,
    ticks: int,
    memory: DecodedValues,
) -> dict[str, Float32Array]:
    """Each thing's numbers over the whole take, so many for each tick, NaN
    where none were written.
    """
    found: dict[str, Float32Array] = {}
    length = width * ticks
    for each, tick, chunk in stored_rows(
        file, table, **{name: str, "tick": int, column: bytes}
    ):
        track = found.get(each)
        if track is None:
            track = found[each] = memory.take(length)
        numbers = decoded(
            f"the {column} of {each}", np.frombuffer, chunk, "<f4"
        )
        if np.any(np.abs(numbers[~np.isnan(numbers)]) > FARTHEST):
            raise DamagedTake(f"the {column} of {each} are beyond all measure")
        start = max(0, min(length, tick * width))
        end = min(length, start + len(numbers))
        track[start:end] = numbers[: end - start]
    return found


def _rows_of(header: Header) -> dict[str, Mapping[str, object]]:
    """The rows that each of the cast has, by its name."""
    found: dict[str, Mapping[str, object]] = {}
    for member in header.cast:
        behavior = member.behavior
        known = behavior is not None and any(
            each.name == behavior for each in header.project.behaviors
        )
        if behavior and known:
            found[member.name] = header.expanded(behavior).behavior.by_id
        else:
            found[member.name] = {}
    return found


def _of(agents: dict[str, AgentRecord], name: str) -> AgentRecord:
    if name not in agents:
        raise DamagedTake(f"'{name[:40]}' is not among its cast")
    return agents[name]
