"""How a take lies in its SQLite file. The writer, the reader and the export all use these names and columns."""

import json
import struct
from collections.abc import Sequence

from umbrant.catalog.causes import Cause, one_line
from umbrant.model.values import Literal

SCHEMA = """
CREATE TABLE meta (name TEXT PRIMARY KEY, value TEXT NOT NULL) WITHOUT ROWID;
CREATE TABLE span (id INTEGER PRIMARY KEY, agent TEXT, row TEXT, start INTEGER, end INTEGER, outcome TEXT, cause TEXT);
CREATE TABLE refusal (id INTEGER PRIMARY KEY, agent TEXT, row TEXT, part TEXT, start INTEGER, end INTEGER, cause TEXT);
CREATE TABLE sensed (agent TEXT, row TEXT, part TEXT, atom INTEGER, tick INTEGER, asked INTEGER, truth INTEGER,
                     left, right, cause TEXT);
CREATE TABLE progress (agent TEXT, row TEXT, tick INTEGER, left REAL, whole REAL, unit TEXT, rate REAL);
CREATE TABLE way (agent TEXT, row TEXT, tick INTEGER, corners TEXT);
CREATE TABLE gauge (agent TEXT, row TEXT, part TEXT, measured TEXT, ticks BLOB, numbers BLOB, wholes BLOB, abouts TEXT);
CREATE TABLE key (agent TEXT, board TEXT, key TEXT, tick INTEGER, value, row TEXT, part TEXT);
CREATE TABLE heard (agent TEXT, tick INTEGER, event TEXT, sender TEXT);
CREATE TABLE prop (prop TEXT, tick INTEGER, x REAL, y REAL, carrier TEXT);
CREATE TABLE said (agent TEXT, tick INTEGER, text TEXT);
CREATE TABLE notice (agent TEXT, tick INTEGER, what TEXT, cause TEXT);
CREATE TABLE pose (agent TEXT, tick INTEGER, poses BLOB);
CREATE TABLE level (prop TEXT, tick INTEGER, levels BLOB);
"""
"""`pose` holds float32 triples (x m, y m, heading deg), `level` float32 numbers, one a tick, from `tick` on; NaN where
the body or the prop is not on the stage. `gauge` holds some changes in a row: int32 ticks, float64 numbers, of how much
in all as float64 (NaN where that is not said), and what they are about as a JSON list, if anything. All numbers have
their least significant byte first. `board` is empty for an agent's own keys, `*` for the world's, or a group.

Values and sides of comparisons are numbers, or else JSON, as corners are; `asked` is 0 where an
atom of a condition was passed over.
"""

HEADER, RECORDED, ENDED = "header", "recorded", "ended"
"""The rows of `meta`: the header as JSON; how many ticks are in the file; how the take ended ('whole' or a message)."""

WHOLE = "whole"


def packed(numbers: Sequence[float]) -> bytes:
    """Numbers as float32."""
    return struct.pack(f"<{len(numbers)}f", *numbers)


def packed_numbers(numbers: Sequence[float]) -> bytes:
    """Numbers as float64."""
    return struct.pack(f"<{len(numbers)}d", *numbers)


def packed_ticks(ticks: Sequence[int]) -> bytes:
    """Ticks as int32."""
    return struct.pack(f"<{len(ticks)}i", *ticks)


def cause_text(cause: Cause | None) -> str | None:
    """A cause as a column holds it."""
    return cause.json if cause else None


def stored(value: Literal | None) -> float | str | None:
    """A value as a column without a type holds it: numbers and nothing as they are, all else as JSON."""
    if value is None or (isinstance(value, int | float) and not isinstance(value, bool)):
        return value
    return one_line(value)


def loaded(value: float | str | None) -> Literal | None:
    """The reverse of `stored`: a list of two numbers is a point."""
    found = json.loads(value) if isinstance(value, str) else value
    return tuple(found) if isinstance(found, list) else found
