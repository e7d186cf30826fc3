"""How far a running action is, and on which way: what follows from before is
not kept.
"""

import math
from collections.abc import Sequence

from umbrant.catalog.protocols import Progress
from umbrant.model.values import Point
from umbrant.take.buffer import ChunkKey, TakeBuffer
from umbrant.take.chunks import EntryChunk
from umbrant.take.tables import What

EVEN = 1e-6
"""How far off what is left may be from going on evenly and still count as
doing so.
"""


class RouteChunk(EntryChunk):
    """The corners of the ways that a row took."""

    def __init__(self, place: ChunkKey, buffer: TakeBuffer) -> None:
        super().__init__(place, What.WAY, buffer)

    def add(self, way: Sequence[Point]) -> None:
        """It is on another way now."""
        self._enter(tuple(way))


class ProgressRecorder(EntryChunk):
    """How far one row is. What follows from before is not kept, for most
    things go on evenly.

    An entry's rate shows only at the tick after it. So the last entry is
    unsettled, and where a chunk ends between the two, it stands once more in
    the next chunk, with its rate; the reader takes the later of two for one
    tick.
    """

    unsettled = 1

    def __init__(self, place: ChunkKey, buffer: TakeBuffer) -> None:
        super().__init__(place, What.PROGRESS, buffer)
        self._ways = RouteChunk(place, buffer)
        self._since = 0
        self._left: float | None = None
        self._begins = math.nan
        """How much was left at the last entry; NaN where nobody knows."""
        self._of: float | None = None
        self._unit: str | None = None
        self._way: Sequence[Point] | None = None
        self._rate = 0.0
        self._goes_on: Progress | None = None
        """The last progress if it goes on by itself, repeated or not."""

    def add(self, progress: Progress) -> None:
        """Record the progress at this tick. What is even says nothing new."""
        # As `_add` finds, but here for nearly all progress.
        if (
            progress.left
            == self._begins - self._rate * (self._buffer.tick - self._since)
            and progress.of == self._of
            and progress.unit is self._unit
            and (progress.way is self._way or progress.way == self._way)
            and not progress.per_s
        ):
            return
        if progress.per_s:
            self._go_on(progress)
        else:
            self._add(progress, self._buffer.tick)

    def _go_on(self, progress: Progress) -> None:
        """Keep it the first time."""
        if progress is not self._goes_on:
            self._goes_on = progress
            self._set_out(progress.way)
            self._take(
                progress,
                self._buffer.tick,
                progress.per_s / self._buffer.ticks_per_s,
            )
            # Whatever comes after it is looked at closely.
            self._begins = math.nan

    def _add(self, progress: Progress, tick: int) -> None:
        left = progress.left
        self._goes_on = None
        self._set_out(progress.way)
        goes_on = progress.unit == self._unit and progress.of == self._of
        if not goes_on or not self._is_even(left, tick):
            self._keep(progress, tick, goes_on=goes_on)

    def _is_even(self, left: float | None, tick: int) -> bool:
        """Whether the amount left follows from the last entry and its rate."""
        if self._left is None or left is None:
            return self._left is left
        return (
            abs(self._left - self._rate * (tick - self._since) - left) < EVEN
        )

    def _keep(self, progress: Progress, tick: int, *, goes_on: bool) -> None:
        """Keep it. A step right after the one that was kept last shows how
        fast that goes.
        """
        before = None
        if goes_on and tick == self._since + 1:
            before = self._left
        rate = 0.0
        if before is not None and progress.left is not None:
            rate = before - progress.left
        if rate and not self._rate:
            self._set_rate(rate)
            self._remember(progress, tick, rate)
        else:
            self._take(progress, tick, rate)

    def _set_rate(self, rate: float) -> None:
        """Give the last entry a rate. It may be in the chunk before."""
        entry = (self._left, self._of, self._unit, rate)
        if self._entries:
            self._entries[-1] = entry
        else:
            self._buffer.chunks.append(self)
            self._ticks.append(self._since)
            self._entries.append(entry)

    def _take(self, progress: Progress, tick: int, rate: float) -> None:
        self._remember(progress, tick, rate)
        self._enter((progress.left, progress.of, progress.unit, rate))

    def _remember(self, progress: Progress, tick: int, rate: float) -> None:
        self._since, self._rate = tick, rate
        self._left, self._of, self._unit = (
            progress.left,
            progress.of,
            progress.unit,
        )
        self._begins = math.nan if self._left is None else self._left

    def _set_out(self, way: Sequence[Point]) -> None:
        if way != self._way:
            self._way = way
            self._ways.add(way)
