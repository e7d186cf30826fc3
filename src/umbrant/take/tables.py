"""How a take lies in its SQLite file. The writer, the reader and the export
all use these names and columns.
"""

import struct
from collections.abc import Sequence
from enum import StrEnum
from typing import Any

from pydantic_core import from_json, to_json

from umbrant.catalog.causes import Cause
from umbrant.model.values import Value

SCHEMA = """
CREATE TABLE meta (name TEXT PRIMARY KEY, value TEXT NOT NULL) WITHOUT ROWID;
CREATE TABLE chunk (agent TEXT, row TEXT, part TEXT, what TEXT,
    ticks BLOB, steps BLOB, ends BLOB, numbers BLOB, more TEXT);
CREATE TABLE key (agent TEXT, board TEXT, key TEXT, tick INTEGER, step INTEGER, value, row TEXT,
    part TEXT, cause TEXT);
CREATE TABLE received (agent TEXT, tick INTEGER, step INTEGER, event TEXT, sender TEXT);
CREATE TABLE raised (agent TEXT, tick INTEGER, step INTEGER, event TEXT, receiver TEXT, row TEXT,
    part TEXT);
CREATE TABLE cue (tick INTEGER, cue INTEGER, agent TEXT);
CREATE TABLE prop (prop TEXT, tick INTEGER, x REAL, y REAL, carrier TEXT);
CREATE TABLE said (agent TEXT, tick INTEGER, step INTEGER, text TEXT);
CREATE TABLE notice (agent TEXT, tick INTEGER, what TEXT, cause TEXT);
CREATE TABLE pose (agent TEXT, tick INTEGER, poses BLOB);
CREATE TABLE level (prop TEXT, tick INTEGER, levels BLOB);
"""
"""`chunk` holds the events of one kind at one part of one row, over a stretch
of ticks: the int32 `ticks` at which they happened, and `more` as a JSON list
with an entry for each of them, as `What` says. A measured number has float64
`numbers` instead: first what was measured each time, then of how much in all
(NaN where that is not known); `more` is then what each is about.

`steps` says in which order an agent did things within a tick. It is an uint16
for each event, from 1 on; an agent that does more than 65,535 things in a tick
gives the rest that number. Agents tick in the order of the cast, cues before
them. What is kept of repeated events is their last tick alone, so only the
first of them has a step. Numbers and progress have none: they belong to their
row.

Causes leave out the facts that are written in the documents in the header,
and so do measured numbers, whose total is NaN then: `catalog.written_facts`.

`cue` holds the number of each cue that was done, from 1 on as the scenario
lists them, and for whom it was; cues that bring on a spawner's copies follow
those that are written.

`pose` holds float32 triples (x m, y m, heading deg), `level` float32 numbers,
one a tick, from `tick` on; NaN where the body or the prop is not on the stage.
A `level` of `tam.energy` is the number `energy` of the body `tam`. All numbers
have their least significant byte first. `board` is empty for an agent's own
keys, `*` for the world's, or a group; their values are numbers, or else JSON.
"""


class What(StrEnum):
    """The kinds of chunks, besides measured numbers."""

    RAN = "ran"
    """Spans: of those that ended the `ends`, and as `more` their outcomes,
    then their causes, as a list each.

    One that ran on stands again in the next chunk. `steps` are those of the
    ticks, then those of the ends.
    """
    REFUSED = "refused"
    """Refusals: their `ends`, and the cause of each. One that went on stands
    again in the next chunk.
    """
    FOUND = "found"
    """What atoms of a condition found: the atom, its truth, both sides, and a
    cause; the atom alone if not asked. A side that is written in the condition
    is null, and the cause `too_far` of a sense has no `range_m` where that is
    written: the documents in the header have them.
    """
    PROGRESS = "progress"
    """How far an action was: what is left, of how much, the unit, and how much
    less is left at each further tick.
    """
    WAY = "way"
    """The corners of the way it was on."""
    COUNTED = "counted"
    """That something has been done once more; the one of `numbers` is how
    often it had been before.
    """


HEADER, RECORDED, ENDED = "header", "recorded", "ended"
"""The rows of `meta`: the header as JSON; how many ticks are over at the end
of the file; how the take ended ('complete' or a message).
"""

GOES_ON_FROM = "goes on from"
"""Another row of `meta`, of the second part of a look alone: at which tick it
goes on from what is in the first.
"""

NUMBER_OF = "."
"""Between a body and its number, where levels are named. Names have no dots
themselves.
"""

COMPLETE = "complete"
APPLICATION_ID = 0x554D4254
"""`PRAGMA application_id` of a take, by which tools tell SQLite files apart:
the letters UMBT.
"""


def packed(numbers: Sequence[float]) -> bytearray:
    """Numbers as float32. (A column is given a bytearray, for it takes bytes
    only by way of an adapter.)
    """
    return bytearray(struct.pack(f"<{len(numbers)}f", *numbers))


def packed_numbers(numbers: Sequence[float]) -> bytearray:
    """Numbers as float64."""
    return bytearray(struct.pack(f"<{len(numbers)}d", *numbers))


def packed_ticks(ticks: Sequence[int]) -> bytearray:
    """Ticks as int32."""
    return bytearray(struct.pack(f"<{len(ticks)}i", *ticks))


NOTHING = bytearray()
"""For a column that holds nothing. (Nothing at all would also go by way of an
adapter.)
"""


def cause_text(cause: Cause | None) -> str | None:
    """A cause as a column holds it."""
    if cause:
        return cause.json
    return None


def listed(values: Sequence[object]) -> str:
    """A sequence as a JSON list."""
    return to_json(values).decode()


MOST_STEPS = 2**16 - 1


def packed_steps(steps: Sequence[int]) -> bytearray:
    """Steps as uint16; those beyond MOST_STEPS as that."""
    try:
        return bytearray(struct.pack(f"<{len(steps)}H", *steps))
    except struct.error:
        return bytearray(
            struct.pack(
                f"<{len(steps)}H", *(min(each, MOST_STEPS) for each in steps)
            )
        )


ChunkColumns = tuple[bytearray, bytearray, bytearray, bytearray, str]
"""The columns `ticks`, `steps`, `ends`, `numbers` and `more` of the table of
chunks.
"""


def encode_chunk(what: str, columns: Sequence[Sequence[Any]]) -> ChunkColumns:
    """A chunk of events of one kind as the table of chunks holds it."""
    ticks = packed_ticks(columns[0])
    if what == What.RAN:
        _, steps, ends, end_steps, outcomes, causes = columns
        order = packed_steps([*steps, *end_steps])
        return (
            ticks,
            order,
            packed_ticks(ends),
            NOTHING,
            listed([outcomes, causes]),
        )
    if what == What.REFUSED:
        _, steps, ends, causes = columns
        return (
            ticks,
            packed_steps(steps),
            packed_ticks(ends),
            NOTHING,
            listed(causes),
        )
    if what == What.COUNTED:
        _, steps, before = columns
        return ticks, packed_steps(steps), NOTHING, packed_numbers(before), ""
    if what == What.FOUND:
        _, steps, entries = columns
        return ticks, packed_steps(steps), NOTHING, NOTHING, listed(entries)
    if what in (What.PROGRESS, What.WAY):
        return ticks, NOTHING, NOTHING, NOTHING, listed(columns[1])
    _, values, totals, abouts = columns
    more = ""
    if any(abouts):
        more = listed(abouts)
    return ticks, NOTHING, NOTHING, packed_numbers([*values, *totals]), more


_NUMBERS = (float, int)


def stored(value: Value | None) -> float | str | None:
    """A value as a column without a type holds it: numbers and nothing as they
    are, all else as JSON.
    """
    if value is None or value.__class__ in _NUMBERS:
        return value
    return to_json(value).decode()


def loaded(value: float | str | None) -> Value | None:
    """The reverse of `stored`: a list of two numbers is a point."""
    found: Any = from_json(value) if isinstance(value, str) else value
    return tuple(found) if isinstance(found, list) else found
