"""How a take lies in its SQLite file. The writer, the reader and the export all use these names and
columns.
"""

import struct
from collections.abc import Mapping, Sequence
from enum import StrEnum
from typing import Any

from pydantic_core import from_json, to_json

from umbrant.catalog.causes import Cause
from umbrant.model.values import Value

SCHEMA = """
CREATE TABLE meta (name TEXT PRIMARY KEY, value TEXT NOT NULL) WITHOUT ROWID;
CREATE TABLE told (agent TEXT, row TEXT, part TEXT, what TEXT,
    ticks BLOB, ends BLOB, numbers BLOB, more TEXT);
CREATE TABLE key (agent TEXT, board TEXT, key TEXT, tick INTEGER, value, row TEXT, part TEXT);
CREATE TABLE heard (agent TEXT, tick INTEGER, event TEXT, sender TEXT);
CREATE TABLE prop (prop TEXT, tick INTEGER, x REAL, y REAL, carrier TEXT);
CREATE TABLE said (agent TEXT, tick INTEGER, text TEXT);
CREATE TABLE notice (agent TEXT, tick INTEGER, what TEXT, cause TEXT);
CREATE TABLE pose (agent TEXT, tick INTEGER, poses BLOB);
CREATE TABLE level (prop TEXT, tick INTEGER, levels BLOB);
"""
"""`values` holds chunks of what one place told of one thing: the int32 ticks at which it was told,
and `more` as a JSON list with something for each of them, as `What` says. A measured number has
float64 `numbers` instead: first what was measured each time, then of how much in all (NaN where
that is not said); `more` is then what each is about.

`pose` holds float32 triples (x m, y m, heading deg), `level` float32 numbers, one a tick, from
`tick` on; NaN where the body or the prop is not on the stage. All numbers have their least
significant byte first. `board` is empty for an agent's own keys, `*` for the world's, or a group;
their values are numbers, or else JSON.
"""


class What(StrEnum):
    """The kinds of chunks, besides measured numbers."""

    RAN = "ran"
    """Spans: of those that ended the `ends`, and as `more` their outcomes, then their causes, as a
    list each.

    One that ran on is told again in the next chunk.
    """
    REFUSED = "refused"
    """Refusals: their `ends`, and the cause of each. One that went on is told again in the next
    chunk.
    """
    FOUND = "found"
    """What atoms of a condition found: the atom, its truth, both sides, and a cause; the atom alone
    if not asked.
    """
    PROGRESS = "progress"
    """How far an action was: what is left, of how much, the unit, and how much less is left at each
    further tick.
    """
    WAY = "way"
    """The corners of the way it was on."""
    COUNTED = "counted"
    """That something has been done once more; the one of `numbers` is how often it had been before.
    """


HEADER, RECORDED, ENDED = "header", "recorded", "ended"
"""The rows of `meta`: the header as JSON; how many ticks are in the file; how the take ended
('whole' or a message).
"""

COMPLETE = "whole"


def packed(numbers: Sequence[float]) -> bytearray:
    """Numbers as float32. (A column is given a bytearray, for it takes bytes only by way of an
    adapter.)
    """
    return bytearray(struct.pack(f"<{len(numbers)}f", *numbers))


def packed_numbers(numbers: Sequence[float]) -> bytearray:
    """Numbers as float64."""
    return bytearray(struct.pack(f"<{len(numbers)}d", *numbers))


def packed_ticks(ticks: Sequence[int]) -> bytearray:
    """Ticks as int32."""
    return bytearray(struct.pack(f"<{len(ticks)}i", *ticks))


NO_NUMBERS = bytearray()
"""For a column of numbers where there are none. (Nothing at all would also go by way of an
adapter.)
"""


def cause_text(cause: Cause | None) -> str | None:
    """A cause as a column holds it."""
    return cause.json if cause else None


def listed(values: Sequence[object]) -> str:
    """A sequence as a JSON list."""
    return to_json(values).decode()


def plain(cause: Cause | None) -> Mapping[str, Value] | None:
    """A cause as a list in a column holds it."""
    return cause.plain if cause else None


def encode_chunk(
    what: str, columns: Sequence[Sequence[Any]]
) -> tuple[bytearray, bytearray, bytearray, str]:
    """A chunk of events of one kind as the columns `ticks`, `ends`, `numbers` and `more` of the
    table hold it.
    """
    ticks = packed_ticks(columns[0])
    if what == What.RAN:
        _, ends, outcomes, causes = columns
        return ticks, packed_ticks(ends), NO_NUMBERS, listed([outcomes, causes])
    if what == What.REFUSED:
        _, ends, causes = columns
        return ticks, packed_ticks(ends), NO_NUMBERS, listed(causes)
    if what == What.COUNTED:
        return ticks, NO_NUMBERS, packed_numbers(columns[1]), ""
    if what in (What.FOUND, What.PROGRESS, What.WAY):
        return ticks, NO_NUMBERS, NO_NUMBERS, listed(columns[1])
    _, values, wholes, abouts = columns
    return (
        ticks,
        NO_NUMBERS,
        packed_numbers([*values, *wholes]),
        listed(abouts) if any(abouts) else "",
    )


_NUMBERS = (float, int)


def stored(value: Value | None) -> float | str | None:
    """A value as a column without a type holds it: numbers and nothing as they are, all else as
    JSON.
    """
    if value is None or value.__class__ in _NUMBERS:
        return value
    return to_json(value).decode()


def loaded(value: float | str | None) -> Value | None:
    """The reverse of `stored`: a list of two numbers is a point."""
    found: Any = from_json(value) if isinstance(value, str) else value
    return tuple(found) if isinstance(found, list) else found
