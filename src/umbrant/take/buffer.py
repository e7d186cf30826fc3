"""What was recorded of all agents of a take and has not been handed over yet."""

from typing import Protocol

from umbrant.take.pieces import ChunkPiece, Columns

ChunkKey = tuple[str, str, str]
"""An agent, a row and a part of it."""


class EventChunk(Protocol):
    """The events of one kind at one place since the chunk began."""

    def piece(self) -> ChunkPiece | None:
        """What came since the piece before; None if nothing did."""

    def begin(self) -> bool:
        """Start the next chunk. Returns whether an entry is still open and
        continues in it.
        """


class StepCounter:
    """Counts what one agent does within a tick, so that its events can be put
    in order.

    Only what is stored is counted: a refusal that is repeated, say, adds
    nothing to the take.
    """

    __slots__ = ("_clock", "count", "tick")

    def __init__(self, clock: "TakeBuffer") -> None:
        self._clock = clock
        self.tick = self.count = 0
        """How many events there were in the tick with this number."""

    def next(self) -> int:
        """The number of the next event within the tick, from 1 on."""
        # Begun anew when something is stored, which is seldom, rather than at
        # every tick.
        tick = self._clock.tick
        if tick != self.tick:
            self.tick, self.count = tick, 0
        self.count = count = self.count + 1
        return count


class TakeBuffer:
    """Events in the order in which they came.

    All that is recorded belongs to `tick`, which is being played; those before
    it are over.
    """

    def __init__(self, ticks_per_s: float) -> None:
        self.ticks_per_s = ticks_per_s
        self.tick = 0
        self.chunks: list[EventChunk] = []
        """The places at which anything happened since the chunk began, or
        where something still goes on.
        """
        self.keys: list[Columns] = []
        self.received: list[Columns] = []
        self.raised: list[Columns] = []
        self.said_lines: list[Columns] = []
