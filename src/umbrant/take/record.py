"""What one agent did during a take, as spans and change points, in memory. All
ticks count from 0.

Lookups are binary searches, so asking at any tick of a long take costs the
same.
"""

from bisect import bisect_left, bisect_right
from collections.abc import Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from operator import lt
from typing import Generic, NamedTuple, TypeVar

from umbrant.catalog.causes import Cause
from umbrant.catalog.language.atom_results import AtomResult
from umbrant.catalog.protocols import Gauge
from umbrant.model.parts import ROW
from umbrant.model.values import Point, Value


class Outcome(StrEnum):
    """How a row that was entered ended."""

    SUCCESS = "success"
    FAILURE = "failure"
    STOPPED = "stopped"


class RowState(StrEnum):
    """What a row was at a tick."""

    RUNNING = "running"
    SUCCESS = "success"
    FAILURE = "failure"
    STOPPED = "stopped"
    REFUSED = "refused"
    NOT_REACHED = "not reached"


@dataclass(slots=True)
class Span:
    """A row from the tick it was entered at to the tick it ended at. `end` and
    `outcome` are None while it runs on. The steps are the places of entering
    and leaving in the order of their ticks.
    """

    start: int
    end: int | None = None
    outcome: Outcome | None = None
    cause: Cause | None = None
    start_step: int = 0
    end_step: int = 0

    def covers(self, tick: int) -> bool:
        """Whether the row was active or ended at this tick."""
        return self.start <= tick and (self.end is None or tick <= self.end)

    def last_ran(self, ticks: int) -> int:
        """The last tick at which the row ran, in a take of so many; before
        `start` if it never did. At the tick it was stopped at, something else
        ran in its place.
        """
        if self.end is None:
            return ticks - 1
        if self.outcome is Outcome.STOPPED:
            return self.end - 1
        return self.end


@dataclass(slots=True)
class Refusal:
    """Ticks in a row, both ends included, at which a row was tried and not
    entered, for the same cause. `step` is the place of the first in the order
    of its tick.
    """

    start: int
    end: int
    cause: Cause
    step: int = 0


T = TypeVar("T")


@dataclass(slots=True)
class Changes(Generic[T]):
    """A value that is kept when it changes: from `ticks[i]` on it is
    `values[i]`.
    """

    ticks: list[int] = field(default_factory=list)
    values: list[T] = field(default_factory=list)

    def add(self, tick: int, value: T) -> None:
        """Keep a value that is another one than before; of several within one
        tick the last counts.
        """
        if self.ticks and self.ticks[-1] == tick:
            self.values[-1] = value
        else:
            self.ticks.append(tick)
            self.values.append(value)

    def extend(self, ticks: Sequence[int], values: Sequence[T]) -> None:
        """Keep many values, in the order of time."""
        if self.ticks and ticks and self.ticks[-1] == ticks[0]:
            del self.ticks[-1], self.values[-1]
        # Most have a tick each: then there is nothing to look at one by one.
        if all(map(lt, ticks, ticks[1:])):
            self.ticks.extend(ticks)
            self.values.extend(values)
        else:
            for tick, value in zip(ticks, values, strict=True):
                self.add(tick, value)

    def index(self, tick: int) -> int:
        """Which change holds at a tick; -1 before the first."""
        return bisect_right(self.ticks, tick) - 1

    def at(self, tick: int) -> T | None:
        """The value at a tick, None before the first."""
        index = self.index(tick)
        if index >= 0:
            return self.values[index]
        return None


class KeyWrite(NamedTuple):
    """A key's value, and the row and part that wrote it; no row for values
    that were there at the start.
    """

    value: Value | None
    row_id: str
    part: str
    agent: str = ""
    """Who wrote a key that several share; empty for an agent's own keys, and
    for what no agent wrote.
    """
    cause: Cause | None = None
    """What the one who wrote it found, where that says more than the value."""


class WriteStep(NamedTuple):
    """One write of a key, with its place in the order of the tick."""

    tick: int
    step: int
    key: str
    value: Value | None
    row_id: str
    part: str
    board: str
    """Empty for the agent's own keys, WORLD, or the group that shares the key.
    """
    cause: Cause | None = None


class AtomStep(NamedTuple):
    """One change of what an atom of a condition found, with its place in the
    order of the tick.
    """

    tick: int
    step: int
    atom: int
    found: AtomResult | None


class EventStep(NamedTuple):
    """An event that an agent received or raised, with its place in the order
    of the tick.
    """

    tick: int
    step: int
    event: str
    other: str
    """Of a received event who raised it: empty for the scenario or the author.
    Of a raised one for whom it is: empty for everybody.
    """
    row_id: str = ""
    part: str = ""


class SaidStep(NamedTuple):
    """What a body said at a tick, with its place in the order of the tick."""

    tick: int
    step: int
    text: str


class CueStep(NamedTuple):
    """A cue that was done at a tick: its number from 1 on (0 for the author's
    hand), and for whom it was.
    """

    tick: int
    cue: int
    whom: str


class ProgressSample(NamedTuple):
    """The progress of an action at a tick: `left` of `of`, in `unit`. Until
    the next sample each tick takes `rate` off `left`.
    """

    left: float | None
    of: float | None
    unit: str
    rate: float = 0.0


@dataclass(frozen=True, slots=True)
class PropPlace:
    """Where a prop is at a tick, and the name of the body that carries it."""

    at: Point
    carrier: str | None = None


@dataclass(slots=True)
class RowRecord:
    """All that is kept of one row. `refusals` and `sensed` are by part of the
    row; `sensed` by (part, atom).
    """

    spans: list[Span] = field(default_factory=list)
    refusals: dict[str, list[Refusal]] = field(default_factory=dict)
    sensed: dict[tuple[str, int], Changes[AtomResult | None]] = field(
        default_factory=dict
    )
    progress: Changes[ProgressSample] = field(default_factory=Changes)
    gauges: dict[str, Changes[Gauge]] = field(default_factory=dict)
    """What each part of the row noted."""
    ways: Changes[tuple[Point, ...]] = field(default_factory=Changes)
    atom_steps: dict[str, list[AtomStep]] = field(default_factory=dict)
    """For each part every change of `sensed`, also several within one tick."""
    times_done: dict[str, list[tuple[int, int]]] = field(default_factory=dict)
    """For each part that is counted, such as an upkeep: the tick and step of
    each time.
    """

    def span_at(self, tick: int) -> Span | None:
        """The span that covers a tick; of two that meet there, the later."""
        span = self.last_span(tick)
        if span is not None and span.covers(tick):
            return span
        return None

    def last_span(self, tick: int) -> Span | None:
        """The last span that began at or before a tick."""
        index = bisect_right(self.spans, tick, key=_start) - 1
        if index >= 0:
            return self.spans[index]
        return None

    def last_ended(self, until: tuple[int, int]) -> Span | None:
        """The last span that ended at or before a tick and step. At the end of
        it the row may run already again.
        """
        index = bisect_right(self.spans, until[0], key=_start)
        ended = (
            span
            for span in reversed(self.spans[:index])
            if span.end is not None and (span.end, span.end_step) <= until
        )
        return next(ended, None)

    def spans_at(self, tick: int) -> list[Span]:
        """The spans that began at a tick: several where it was entered again
        within it.
        """
        first = bisect_left(self.spans, tick, key=_start)
        return self.spans[first : bisect_right(self.spans, tick, key=_start)]

    def refusal_at(self, tick: int, part: str = ROW) -> Refusal | None:
        """The refusal that covers a tick."""
        refusal = self.last_refusal(tick, part)
        if refusal is not None and tick <= refusal.end:
            return refusal
        return None

    def last_refusal(self, tick: int, part: str = ROW) -> Refusal | None:
        """The last refusal that began at or before a tick."""
        found = self.refusals.get(part, [])
        index = bisect_right(found, tick, key=_start) - 1
        if index >= 0:
            return found[index]
        return None

    def state_at(self, tick: int) -> RowState:
        """What the row was at a tick. A row that ended and was tried again in
        one tick counts as ended.
        """
        span = self.span_at(tick)
        if span is not None:
            if span.end is None or tick < span.end:
                return RowState.RUNNING
            return RowState(span.outcome or "stopped")
        if self.refusal_at(tick):
            return RowState.REFUSED
        return RowState.NOT_REACHED

    def gauge_at(self, tick: int, part: str = ROW) -> Gauge | None:
        """What a part of the row last noted at or before a tick."""
        changes = self.gauges.get(part)
        if changes:
            return changes.at(tick)
        return None

    def done_at(self, tick: int) -> ProgressSample | None:
        """How far the row was at a tick, None before it first said so since it
        was entered.
        """
        index, span = self.progress.index(tick), self.span_at(tick)
        if index < 0:
            return None
        done = self.progress.values[index]
        if done.left is None or not done.rate:
            return done
        # A row that is entered anew with as much left as before says nothing
        # new, so what stood still before stands yet; what was going on was of
        # the stay before.
        if span is not None and self.progress.ticks[index] < span.start:
            return None
        return done._replace(
            left=max(
                0.0,
                done.left - done.rate * (tick - self.progress.ticks[index]),
            )
        )

    def found_at(
        self, part: str, atom: int, tick: int, step: int | None = None
    ) -> AtomResult | None:
        """The last result of an atom at or before a tick; with a step that
        which it had by then.
        """
        changes = self.sensed.get((part, atom))
        if not changes:
            return None
        if step is None or changes.ticks[changes.index(tick)] < tick:
            return changes.at(tick)
        # It was found anew within the tick, maybe only after the step.
        steps = self.atom_steps.get(part, [])
        before = bisect_right(
            steps, (tick, step), key=lambda each: (each.tick, each.step)
        )
        return next(
            (
                each.found
                for each in reversed(steps[:before])
                if each.atom == atom
            ),
            None,
        )


def _start(item: Span | Refusal) -> int:
    return item.start


@dataclass(slots=True)
class AgentRecord:
    """All that is kept of one agent."""

    rows: dict[str, RowRecord] = field(default_factory=dict)
    keys: dict[str, Changes[KeyWrite]] = field(default_factory=dict)
    """Its own keys, and those it shares with others."""
    writes: list[WriteStep] = field(default_factory=list)
    """Every write of a key by the agent or, on its own blackboard, by a cue.
    """
    received: list[EventStep] = field(default_factory=list)
    raised: list[EventStep] = field(default_factory=list)
    said: list[SaidStep] = field(default_factory=list)
    notices: list[tuple[int, str, Cause]] = field(default_factory=list)

    def row(self, row_id: str) -> RowRecord:
        """The record of a row; an empty one if nothing is kept of it."""
        return self.rows.get(row_id) or RowRecord()
