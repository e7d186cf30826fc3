"""What a recording of a take hands over at a time, as plain data that can
cross a pipe.

A take is written in chunks, which end at fixed ticks. Each chunk comes in one
or more pieces. Where a piece ends says nothing about what was played: a chunk
put together from its pieces is the same however many there were.
"""

from collections.abc import Sequence
from typing import Any, NamedTuple

Columns = tuple[object, ...]
"""One row of a table of the take."""


class ChunkPiece(NamedTuple):
    """What one place adds to its chunk of one kind of event."""

    agent: str
    row: str
    part: str
    what: str
    """A `What`, or the `Measured` whose numbers they are."""
    columns: Sequence[tuple[int, Sequence[Any]]]
    """For each column of the chunk: from which entry on it is replaced or
    extended, and with which entries.

    An entry that may still change at the next tick is sent as it is now, and
    once more in the next piece.
    """


class TakePiece(NamedTuple):
    """What was recorded since the piece before. `ticks` are over by now."""

    ticks: int
    ends_chunk: bool
    chunks: Sequence[ChunkPiece]
    keys: Sequence[Columns]
    received: Sequence[Columns]
    raised: Sequence[Columns]
    cues: Sequence[Columns]
    props: Sequence[Columns]
    said: Sequence[Columns]
    notices: Sequence[Columns]
    poses: Sequence[tuple[str, bytes | bytearray]]
    """For each body the float32 numbers of the ticks that the piece adds."""
    levels: Sequence[tuple[str, bytes | bytearray]]
