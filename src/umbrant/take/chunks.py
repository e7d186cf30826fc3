"""The events of one kind at one place: each of these keeps what is news until
the chunk ends.

Its columns are lists that only grow, but for an entry at the end that may
still change; that is what lets a piece of them be handed over at any time.
"""

import math
from collections.abc import Mapping, Sequence
from typing import Any

from umbrant.catalog.causes import Cause
from umbrant.catalog.language.atom_results import AtomResult
from umbrant.catalog.protocols import FAILURE, SUCCESS, Gauge, Measured, Status
from umbrant.catalog.written_facts import (
    GAUGE,
    NO_FACTS,
    WrittenFacts,
    without_written,
)
from umbrant.model.values import Value
from umbrant.take.buffer import ChunkKey, StepCounter, TakeBuffer
from umbrant.take.pieces import ChunkPiece
from umbrant.take.record import Outcome
from umbrant.take.tables import What

NO_CAUSE = Cause("guard")
"""Stands for the refusal before the first."""

_OUTCOMES = {
    SUCCESS: Outcome.SUCCESS.value,
    FAILURE: Outcome.FAILURE.value,
    None: Outcome.STOPPED.value,
}


class ChunkBuffer:
    """The events of one kind at one place since the chunk began, and at which
    ticks they came.
    """

    unsettled = 0
    """How many entries at the end of each column may still change: they are
    sent again.
    """

    def __init__(
        self, place: ChunkKey, what: What | Measured, buffer: TakeBuffer
    ) -> None:
        self._place = place
        self._what = what.value
        self._buffer = buffer
        self.written: WrittenFacts = NO_FACTS
        """What of its causes stands in the documents, and is left out."""
        self._ticks: list[int] = []
        self._sent: tuple[int, ...] = ()
        """How many entries of each column need not be sent any more; empty
        before the first piece.
        """

    def _now(self) -> None:
        """Something comes at the present tick."""
        ticks, buffer = self._ticks, self._buffer
        if not ticks:
            buffer.chunks.append(self)
        ticks.append(buffer.tick)

    def _plain(self, cause: Cause | None) -> Mapping[str, Value] | None:
        """A cause as it is kept."""
        if cause is None:
            return None
        if self.written:
            cause = without_written(cause, self.written)
        return cause.plain

    def piece(self) -> ChunkPiece | None:
        """What came since the piece before; None if nothing did."""
        columns = self._columns()
        sent = self._sent or (0,) * len(columns)
        added = [
            (start, column[start:])
            for start, column in zip(sent, columns, strict=True)
        ]
        if not any(entries for _, entries in added):
            return None
        self._sent = tuple(
            max(0, len(column) - self.unsettled) for column in columns
        )
        return ChunkPiece(*self._place, self._what, added)

    def begin(self) -> bool:
        """Start the next chunk. Returns whether an entry is still open and
        continues in it.
        """
        self._sent = ()
        return self._keep_on()

    def _columns(self) -> tuple[Sequence[Any], ...]:
        """The whole chunk so far, as `tables.encode_chunk` takes it."""
        raise NotImplementedError

    def _keep_on(self) -> bool:
        """Remove all entries but the open ones; returns whether there are any."""
        self._ticks.clear()
        return False


class OrderedChunk(ChunkBuffer):
    """Events that have their place in the order of what the agent did within
    the tick.
    """

    def __init__(
        self,
        place: ChunkKey,
        what: What,
        buffer: TakeBuffer,
        counter: StepCounter,
    ) -> None:
        super().__init__(place, what, buffer)
        self._counter = counter
        self._steps: list[int] = []

    def _now(self) -> None:
        ticks, buffer, counter = self._ticks, self._buffer, self._counter
        if not ticks:
            buffer.chunks.append(self)
        tick = buffer.tick
        ticks.append(tick)
        # As `StepCounter.next`, without a call: this is done for nearly all
        # that is recorded.
        if tick == counter.tick:
            counter.count += 1
        else:
            counter.tick, counter.count = tick, 1
        self._steps.append(counter.count)

    def _keep_on(self) -> bool:
        self._steps.clear()
        return super()._keep_on()


class SpanChunk(OrderedChunk):
    """When a row ran. What runs on over the end of a chunk belongs to each,
    until it has ended.
    """

    entered = OrderedChunk._now

    def __init__(
        self, place: ChunkKey, buffer: TakeBuffer, counter: StepCounter
    ) -> None:
        super().__init__(place, What.RAN, buffer, counter)
        self._ended: list[
            tuple[int, int, str, Mapping[str, Value] | None]
        ] = []
        """The tick, the step, the outcome and the cause of each span that has
        ended.
        """

    def left(self, status: Status | None, cause: Cause | None) -> None:
        """It has ended with a status, or was stopped."""
        self._ended.append(
            (
                self._buffer.tick,
                self._counter.next(),
                _OUTCOMES[status],
                self._plain(cause),
            )
        )

    def _columns(self) -> tuple[Sequence[Any], ...]:
        ended = tuple(zip(*self._ended, strict=True)) or ((), (), (), ())
        return self._ticks, self._steps, *ended

    def _keep_on(self) -> bool:
        # A row runs once at a time, so spans end in the order in which they
        # begin: those that have ended are the first, and at most the last is
        # open.
        ended = len(self._ended)
        del self._ticks[:ended], self._steps[:ended]
        self._ended.clear()
        return bool(self._ticks)


class RefusalChunk(OrderedChunk):
    """The refusals of one part of a row. Said again tick after tick, one only
    gets longer.
    """

    unsettled = 1

    def __init__(
        self, place: ChunkKey, buffer: TakeBuffer, counter: StepCounter
    ) -> None:
        super().__init__(place, What.REFUSED, buffer, counter)
        self.clock = buffer
        self.until = -2
        self._last = NO_CAUSE
        self._ends: list[int] = []
        """When each ended; of the last, when it ended as far as was known at
        the piece before.
        """
        self._causes: list[Mapping[str, Value] | None] = []

    def __call__(self, cause: Cause, /) -> None:
        last, tick = self._last, self.clock.tick
        # By identity first: the causes that come at nearly every tick are made
        # once.
        if self.until >= tick - 1 and (last is cause or last == cause):
            self.until = tick
        else:
            self._now()
            if self._ends:
                self._ends[-1] = self.until
            self.until, self._last = tick, cause
            self._ends.append(tick)
            self._causes.append(self._plain(cause))

    def _columns(self) -> tuple[Sequence[Any], ...]:
        # How long the last refusal is changes until the next begins; its end
        # is looked up only as the column is handed over.
        if self._ends:
            self._ends[-1] = self.until
        return self._ticks, self._steps, self._ends, self._causes

    def _keep_on(self) -> bool:
        # One that may be said again at the next tick is the same refusal, and
        # belongs to the next chunk as well.
        goes_on = self.until >= self._buffer.tick - 1
        keeps = 0
        if goes_on:
            keeps = 1
        for column in (self._ticks, self._steps, self._ends, self._causes):
            del column[: len(column) - keeps]
        return goes_on


class EntryChunk(ChunkBuffer):
    """Events with an entry each, which is kept as a list."""

    def __init__(
        self, place: ChunkKey, what: What, buffer: TakeBuffer
    ) -> None:
        super().__init__(place, what, buffer)
        self._entries: list[tuple[object, ...]] = []

    def _enter(self, entry: tuple[object, ...]) -> None:
        self._now()
        self._entries.append(entry)

    def _columns(self) -> tuple[Sequence[Any], ...]:
        return self._ticks, self._entries

    def _keep_on(self) -> bool:
        self._entries.clear()
        return super()._keep_on()


class AtomChunk(OrderedChunk):
    """What the atoms of a condition found."""

    def __init__(
        self, place: ChunkKey, buffer: TakeBuffer, counter: StepCounter
    ) -> None:
        super().__init__(place, What.FOUND, buffer, counter)
        self._entries: list[tuple[object, ...]] = []

    def add(self, atom: int, found: AtomResult | None) -> None:
        """An atom found something else than before, or was passed over."""
        result = (
            (found.truth, found.left, found.right, self._plain(found.cause))
            if found
            else ()
        )
        self._now()
        self._entries.append((atom, *result))

    def _columns(self) -> tuple[Sequence[Any], ...]:
        return self._ticks, self._steps, self._entries

    def _keep_on(self) -> bool:
        self._entries.clear()
        return super()._keep_on()


class GaugeChunk(ChunkBuffer):
    """The numbers of one measure that a part of a row noted, each when it was
    news.
    """

    def __init__(
        self, place: ChunkKey, measured: Measured, buffer: TakeBuffer
    ) -> None:
        super().__init__(place, measured, buffer)
        self.measured = measured
        self._last: Gauge | None = None
        self._values: list[float] = []
        self._totals: list[float] = []
        self._abouts: list[str] = []

    def add(self, gauge: Gauge) -> None:
        """It is so much now."""
        last = self._last
        if (
            last is not None
            and gauge.value == last.value
            and gauge.of == last.of
            and gauge.about == last.about
        ):
            return
        self._last = gauge
        self._now()
        self._values.append(gauge.value)
        total, written = gauge.of, self.written.get(GAUGE)
        if total is None or (written is not None and total == written.value):
            total = math.nan
        self._totals.append(total)
        self._abouts.append(gauge.about)

    def _columns(self) -> tuple[Sequence[Any], ...]:
        return self._ticks, self._values, self._totals, self._abouts

    def _keep_on(self) -> bool:
        for kept in (self._values, self._totals, self._abouts):
            kept.clear()
        return super()._keep_on()


class CountChunk(OrderedChunk):
    """How often a part of a row has done something: a gauge that goes up by
    one each time.
    """

    add = OrderedChunk._now

    def __init__(
        self, place: ChunkKey, buffer: TakeBuffer, counter: StepCounter
    ) -> None:
        super().__init__(place, What.COUNTED, buffer, counter)
        self._before = 0
        """How many of them belong to the chunks before."""

    def _columns(self) -> tuple[Sequence[Any], ...]:
        return self._ticks, self._steps, [self._before]

    def _keep_on(self) -> bool:
        self._before += len(self._ticks)
        return super()._keep_on()
