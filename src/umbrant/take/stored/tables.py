"""The tables of a take's file, read into the records of its agents."""

import sqlite3
from collections.abc import Callable, Iterator, Mapping, Sequence
from functools import lru_cache
from typing import Any, NamedTuple

import numpy as np

from umbrant.catalog.causes import Cause
from umbrant.catalog.written_facts import WrittenFacts, with_written
from umbrant.model.values import Value
from umbrant.take.header import Header
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
from umbrant.take.stored.chunks import (
    add_change,
    kept,
    reading_of,
    stored_chunk,
)
from umbrant.take.stored.documents import WrittenNumbers, WrittenParts
from umbrant.take.stored.values import (
    FARTHEST,
    PLAIN,
    DamagedTake,
    DecodedValues,
    Float32Array,
    cause_of_text,
    decoded,
    plain_point,
    plain_value,
    stored_rows,
)
from umbrant.take.tables import NUMBER_OF, What, loaded


def read_agents(
    file: sqlite3.Connection,
    header: Header,
    agents: dict[str, AgentRecord],
    ticks: range,
    only: str | None,
) -> None:
    """The rows of every agent, or of one, in the order in which they were
    written. `ticks` are those of the file; what still went on from before is
    in it as well.
    """
    last: dict[tuple[str, ...], int] = {}
    rows_of, written = _rows_of(header), WrittenNumbers(header)
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
        place = (agent, row_id, part, what)
        first = 0 if what in MAY_GO_ON else ticks.start
        after = last.get(place, first)
        _check_order(chunk.ticks, after, place)
        last[place] = max(chunk.ticks, default=after)
        times = chunk.ticks + chunk.ends
        if times and not (min(times) >= 0 and max(times) <= ticks.stop):
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


MAY_GO_ON = (What.RAN, What.REFUSED, What.PROGRESS)
"""What may have begun before the file that it stands in."""


def _check_order(ticks: list[int], after: int, place: tuple[str, ...]) -> None:
    """Raise DamagedTake where ticks are not in the order of time, or do not
    come after what was read before at their place.
    """
    if ticks and (ticks[0] < after or ticks != sorted(ticks)):
        raise DamagedTake(
            f"{place[-1][:40]} of {place[1][:40]} does not go on in the order of time"
        )


def read_keys(
    file: sqlite3.Connection,
    header: Header,
    agents: dict[str, AgentRecord],
    shared: dict[str, dict[str, Changes[KeyWrite]]],
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


class Samples(NamedTuple):
    """Numbers of a thing from a tick on, so many for each tick."""

    name: str
    tick: int
    numbers: Float32Array


def read_samples(
    file: sqlite3.Connection, table: str, name: str, column: str
) -> Iterator[Samples]:
    """The numbers in a table, each stretch as it was written."""
    for each, tick, chunk in stored_rows(
        file, table, **{name: str, "tick": int, column: bytes}
    ):
        numbers: Float32Array = decoded(
            f"the {column} of {each}", np.frombuffer, chunk, "<f4"
        )
        if np.any(np.abs(numbers[~np.isnan(numbers)]) > FARTHEST):
            raise DamagedTake(f"the {column} of {each} are beyond all measure")
        yield Samples(each, tick, numbers)


def sample_arrays(
    samples: Sequence[Samples], width: int, ticks: int, memory: DecodedValues
) -> dict[str, Float32Array]:
    """Each thing's numbers over the whole take, so many for each tick, NaN
    where none were written.
    """
    found: dict[str, Float32Array] = {}
    length = width * ticks
    for name, tick, numbers in samples:
        track = found.get(name)
        if track is None:
            track = found[name] = memory.take(length)
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


def read_events(
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


def read_said(
    file: sqlite3.Connection, agents: dict[str, AgentRecord]
) -> None:
    """What each agent said."""
    for agent, *said in stored_rows(
        file, "said", agent=str, tick=int, step=int, text=str
    ):
        _of(agents, agent).said.append(SaidStep(*said))


def read_notices(
    file: sqlite3.Connection,
    agents: dict[str, AgentRecord],
    nobody: AgentRecord,
) -> None:
    """What of the scenario could not be done. What is about none of the
    agents goes to `nobody`.
    """
    for agent, tick, what, cause in stored_rows(
        file, "notice", agent=str, tick=int, what=str, cause=str
    ):
        agents.get(agent, nobody).notices.append(
            (tick, what, decoded("a cause", cause_of_text, cause))
        )


def read_cues(file: sqlite3.Connection) -> list[CueStep]:
    """The cues that were done."""
    return [
        CueStep(tick, cue, whom)
        for tick, cue, whom in stored_rows(
            file, "cue", tick=int, cue=int, agent=str
        )
    ]


def read_props(
    file: sqlite3.Connection, props: dict[str, Changes[PropPlace]]
) -> None:
    """Where each prop is, and who carries it."""
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


def by_thing(
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
