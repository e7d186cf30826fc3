"""What is told of one place at nearly every tick: each of these knows what it was told last, and keeps what is news."""

import math

from umbrant.catalog.causes import Cause, one_line
from umbrant.catalog.work import Gauge, Measured, Progress
from umbrant.model.values import Point
from umbrant.take.gathered import Gathered, Place
from umbrant.take.record import Refusal
from umbrant.take.tables import packed_numbers, packed_ticks

NO_CAUSE = Cause("guard")
"""Stands for the refusal before the first."""

EVEN = 1e-6
"""How far off what is left may be from going on evenly and still count as doing so."""


class Refusals:
    """The refusals of one part of a row. Said again tick after tick, one only gets longer."""

    def __init__(self, place: Place, gathered: Gathered) -> None:
        self.clock = gathered
        self.last = Refusal(-2, -2, NO_CAUSE)
        self._place = place

    def __call__(self, cause: Cause, /) -> None:
        last, tick = self.last, self.clock.tick
        if last.end >= tick - 1 and (last.cause is cause or last.cause == cause):
            last.end = tick
        else:
            self.last = Refusal(tick, tick, cause)
            self.clock.refusals.append((self.clock.number(), *self._place, self.last))


class Headway:
    """How far one row is. What could be told from before is not kept, for most things go on evenly."""

    def __init__(self, agent: str, row_id: str, gathered: Gathered) -> None:
        self._place = agent, row_id
        self._gathered = gathered
        self._since = 0
        self._left: float | None = None
        self._of: float | None = None
        self._unit: str | None = None
        self._rate = 0.0
        self._way: tuple[Point, ...] | None = None
        self._next, self._expected = -1, 0.0
        """The tick after that at which it was told last, and how much is left then if it goes on evenly."""
        self._row: list[object] = []
        """What was kept last, which a second step that is as even as the first completes until it is on disk."""
        self._flushes = 0
        self._goes_on: Progress | None = None
        """What was told last and goes on by itself, told again or not."""

    def add(self, progress: Progress) -> None:
        if progress.per_s:
            self._go_on(progress)
            return
        tick, left = self._gathered.tick, progress.left
        if (
            tick == self._next
            and left is not None
            and -EVEN < left - self._expected < EVEN
            and progress.of == self._of
            and progress.unit == self._unit
            and progress.way == self._way
        ):
            self._next = tick + 1
            self._expected -= self._rate
        else:
            self._add(progress, tick)

    def _go_on(self, progress: Progress) -> None:
        """Keep it when it is told first."""
        if progress is self._goes_on:
            return
        tick = self._gathered.tick
        self._add_way(progress.way, tick)
        self._goes_on = progress
        self._since, self._left, self._of, self._unit = tick, progress.left, progress.of, progress.unit
        self._rate = progress.per_s / self._gathered.ticks_per_s
        self._gathered.progress.append([*self._place, tick, self._left, self._of, self._unit, self._rate])

    def _add(self, progress: Progress, tick: int) -> None:
        left, of, unit = progress.left, progress.of, progress.unit
        self._add_way(progress.way, tick)
        self._goes_on = None
        goes_on = unit == self._unit and of == self._of
        if not goes_on or not self._is_even(left, tick):
            self._keep(left, of, unit, tick, goes_on=goes_on)
        if left is not None:
            self._next, self._expected = tick + 1, left - self._rate

    def _add_way(self, way: tuple[Point, ...], tick: int) -> None:
        if way != self._way:
            self._way = way
            self._gathered.ways.append((*self._place, tick, one_line(way)))

    def _is_even(self, left: float | None, tick: int) -> bool:
        """Whether what is left can be told from what was kept last."""
        if self._left is None or left is None:
            return self._left is left
        return abs(self._left - self._rate * (tick - self._since) - left) < EVEN

    def _keep(self, left: float | None, of: float | None, unit: str, tick: int, *, goes_on: bool) -> None:
        before = self._left if goes_on and tick == self._since + 1 else None
        rate = before - left if before is not None and left is not None else 0.0
        completes = rate != 0.0 and self._rate == 0.0 and self._flushes == self._gathered.flushes
        self._since, self._left, self._of, self._unit, self._rate = tick, left, of, unit, rate
        if completes:
            self._row[-1] = rate
            return
        self._row = [*self._place, tick, left, of, unit, rate]
        self._flushes = self._gathered.flushes
        self._gathered.progress.append(self._row)


class Gauges:
    """The numbers of one measure that a part of a row has told since the last flush, each when it was news."""

    def __init__(self, place: Place, measured: Measured, gathered: Gathered) -> None:
        self.measured = measured
        self._place = place
        self._gathered = gathered
        self._last: Gauge | None = None
        self._ticks: list[int] = []
        self._values: list[float] = []
        self._wholes: list[float] = []
        self._abouts: list[str] = []

    def add(self, gauge: Gauge) -> None:
        last = self._last
        if last is not None and gauge.value == last.value and gauge.of == last.of and gauge.about == last.about:
            return
        self._last = gauge
        if not self._ticks:
            self._gathered.gauges.append(self)
        self._ticks.append(self._gathered.tick)
        self._values.append(gauge.value)
        self._wholes.append(math.nan if gauge.of is None else gauge.of)
        self._abouts.append(gauge.about)

    def columns(self) -> tuple[object, ...]:
        """All of them as one row of the table, the measure and the arrays."""
        abouts = one_line(self._abouts) if any(self._abouts) else None
        numbers = packed_ticks(self._ticks), packed_numbers(self._values), packed_numbers(self._wholes)
        return (*self._place, self.measured.value, *numbers, abouts)

    def clear(self) -> None:
        for told in (self._ticks, self._values, self._wholes, self._abouts):
            told.clear()


class Counts:
    """How often a part of a row has done something: a gauge that goes up by one each time it is told."""

    def __init__(self, place: Place, gathered: Gathered) -> None:
        self._place = place
        self._gathered = gathered
        self._before = 0
        """How many of them are on disk."""
        self._ticks: list[int] = []

    def add(self) -> None:
        ticks, gathered = self._ticks, self._gathered
        if not ticks:
            gathered.gauges.append(self)
        ticks.append(gathered.tick)

    def columns(self) -> tuple[object, ...]:
        ticks, first = self._ticks, self._before + 1
        counts = packed_numbers(range(first, first + len(ticks)))
        return (
            *self._place,
            Measured.COUNT.value,
            packed_ticks(ticks),
            counts,
            packed_numbers([math.nan] * len(ticks)),
            None,
        )

    def clear(self) -> None:
        self._before += len(self._ticks)
        self._ticks.clear()
