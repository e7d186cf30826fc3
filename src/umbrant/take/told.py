"""What is told of one place: each of these keeps what is news, until it goes to disk as one row of a table."""

import math
from collections.abc import Mapping, Sequence

from umbrant.catalog.causes import Cause
from umbrant.catalog.language.found import Found
from umbrant.catalog.work import FAILURE, SUCCESS, Gauge, Measured, Progress, Status
from umbrant.model.values import Literal, Point
from umbrant.take.gathered import Gathered, Place
from umbrant.take.record import Outcome, Refusal
from umbrant.take.tables import NO_NUMBERS, What, listed, packed_numbers, packed_ticks, plain

NO_CAUSE = Cause("guard")
"""Stands for the refusal before the first."""

EVEN = 1e-6
"""How far off what is left may be from going on evenly and still count as doing so."""

_OUTCOMES = {SUCCESS: Outcome.SUCCESS.value, FAILURE: Outcome.FAILURE.value, None: Outcome.STOPPED.value}


Rest = tuple[bytearray, bytearray, str]
"""The ticks at which what was told ended, numbers, and what else there is as JSON; empty where there is none."""


class Told:
    """What one place has told of one thing since the last flush, and at which ticks."""

    def __init__(self, place: Place, what: What | Measured, gathered: Gathered) -> None:
        self._place = place
        self._what = what.value
        self._gathered = gathered
        self._ticks: list[int] = []

    def _now(self) -> None:
        """Something is told at the present tick."""
        ticks, gathered = self._ticks, self._gathered
        if not ticks:
            gathered.told.append(self)
        ticks.append(gathered.tick)

    def columns(self) -> tuple[object, ...]:
        """All of it as one row of the table."""
        return (*self._place, self._what, packed_ticks(self._ticks), *self._rest())

    def _rest(self) -> Rest:
        raise NotImplementedError

    def clear(self) -> bool:
        """It is on disk. Gives whether something is still going on, and will be told again at the next flush."""
        self._ticks.clear()
        return False


class Spans(Told):
    """When a row ran. What runs on over a flush is told again, until it has ended."""

    entered = Told._now

    def __init__(self, place: Place, gathered: Gathered) -> None:
        super().__init__(place, What.RAN, gathered)
        self._ends: list[int] = []
        self._outcomes: list[str] = []
        self._causes: list[Mapping[str, Literal] | None] = []

    def left(self, status: Status | None, cause: Cause | None) -> None:
        """It has ended with a status, or was stopped."""
        self._ends.append(self._gathered.tick)
        self._outcomes.append(_OUTCOMES[status])
        self._causes.append(cause.plain if cause else None)

    def _rest(self) -> Rest:
        return packed_ticks(self._ends), NO_NUMBERS, listed([self._outcomes, self._causes])

    def clear(self) -> bool:
        del self._ticks[: len(self._ends)]
        self._ends.clear()
        self._outcomes.clear()
        self._causes.clear()
        return bool(self._ticks)


class Refusals(Told):
    """The refusals of one part of a row. Said again tick after tick, one only gets longer."""

    def __init__(self, place: Place, gathered: Gathered) -> None:
        super().__init__(place, What.REFUSED, gathered)
        self.clock = gathered
        self.last = Refusal(-2, -2, NO_CAUSE)
        self._refusals: list[Refusal] = []

    def __call__(self, cause: Cause, /) -> None:
        last, tick = self.last, self.clock.tick
        if last.end >= tick - 1 and (last.cause is cause or last.cause == cause):
            last.end = tick
        else:
            self._now()
            self.last = Refusal(tick, tick, cause)
            self._refusals.append(self.last)

    def _rest(self) -> Rest:
        ends = [refusal.end for refusal in self._refusals]
        return packed_ticks(ends), NO_NUMBERS, listed([refusal.cause.plain for refusal in self._refusals])

    def clear(self) -> bool:
        goes_on = self.last.end >= self._gathered.tick - 1
        keeps = 1 if goes_on else 0
        del self._ticks[: len(self._ticks) - keeps], self._refusals[: len(self._refusals) - keeps]
        return goes_on


class Finds(Told):
    """What the atoms of a condition found."""

    def __init__(self, place: Place, gathered: Gathered) -> None:
        super().__init__(place, What.FOUND, gathered)
        self._finds: list[tuple[object, ...]] = []

    def add(self, atom: int, found: Found | None) -> None:
        """An atom found something else than before, or was passed over."""
        self._now()
        told = (found.truth, found.left, found.right, plain(found.cause)) if found else ()
        self._finds.append((atom, *told))

    def _rest(self) -> Rest:
        return NO_NUMBERS, NO_NUMBERS, listed(self._finds)

    def clear(self) -> bool:
        self._finds.clear()
        return super().clear()


class Ways(Told):
    """The corners of the ways that a row took."""

    def __init__(self, place: Place, gathered: Gathered) -> None:
        super().__init__(place, What.WAY, gathered)
        self._ways: list[Sequence[Point]] = []

    def add(self, way: Sequence[Point]) -> None:
        """It is on another way now."""
        self._now()
        self._ways.append(way)

    def _rest(self) -> Rest:
        return NO_NUMBERS, NO_NUMBERS, listed(self._ways)

    def clear(self) -> bool:
        self._ways.clear()
        return super().clear()


class Headway(Told):
    """How far one row is. What could be told from before is not kept, for most things go on evenly."""

    def __init__(self, place: Place, gathered: Gathered) -> None:
        super().__init__(place, What.PROGRESS, gathered)
        self._ways = Ways(place, gathered)
        self._since = 0
        self._left: float | None = None
        self._of: float | None = None
        self._unit: str | None = None
        self._way: Sequence[Point] | None = None
        self._rate = 0.0
        self._next, self._expected = -1, 0.0
        """The tick after that at which it was told last, and how much is left then if it goes on just as it did."""
        self._kept: list[tuple[float | None, float | None, str, float]] = []
        """What has been kept since the last flush: how much is left, of how much, the unit, and the rate."""
        self._goes_on: Progress | None = None
        """What was told last and goes on by itself, told again or not."""

    def add(self, progress: Progress) -> None:
        """It is so far now."""
        if (
            progress.left == self._expected
            and self._gathered.tick == self._next
            and progress.of == self._of
            and progress.unit is self._unit
            and (progress.way is self._way or progress.way == self._way)
            and not progress.per_s
        ):
            self._next += 1
            self._expected -= self._rate
        elif progress.per_s:
            self._go_on(progress)
        else:
            self._add(progress, self._gathered.tick)

    def _go_on(self, progress: Progress) -> None:
        """Keep it when it is told first."""
        if progress is not self._goes_on:
            self._goes_on = progress
            self._set_out(progress.way)
            self._take(progress, self._gathered.tick, progress.per_s / self._gathered.ticks_per_s)

    def _add(self, progress: Progress, tick: int) -> None:
        left = progress.left
        self._goes_on = None
        self._set_out(progress.way)
        goes_on = progress.unit == self._unit and progress.of == self._of
        if not goes_on or not self._is_even(left, tick):
            self._keep(progress, tick, goes_on=goes_on)
        if left is not None:
            self._next, self._expected = tick + 1, left - self._rate

    def _is_even(self, left: float | None, tick: int) -> bool:
        """Whether what is left can be told from what was kept last."""
        if self._left is None or left is None:
            return self._left is left
        return abs(self._left - self._rate * (tick - self._since) - left) < EVEN

    def _keep(self, progress: Progress, tick: int, *, goes_on: bool) -> None:
        """Keep it. A step right after the one that was kept last tells how fast that goes."""
        before = self._left if goes_on and tick == self._since + 1 else None
        rate = before - progress.left if before is not None and progress.left is not None else 0.0
        if rate and not self._rate and self._kept:
            left, of, unit, _ = self._kept[-1]
            self._kept[-1] = left, of, unit, rate
            self._remember(progress, tick, rate)
        else:
            self._take(progress, tick, rate)

    def _take(self, progress: Progress, tick: int, rate: float) -> None:
        self._remember(progress, tick, rate)
        self._now()
        self._kept.append((progress.left, progress.of, progress.unit, rate))

    def _remember(self, progress: Progress, tick: int, rate: float) -> None:
        self._since, self._rate = tick, rate
        self._left, self._of, self._unit = progress.left, progress.of, progress.unit

    def _set_out(self, way: Sequence[Point]) -> None:
        if way != self._way:
            self._way = way
            self._ways.add(way)

    def _rest(self) -> Rest:
        return NO_NUMBERS, NO_NUMBERS, listed(self._kept)

    def clear(self) -> bool:
        self._kept.clear()
        return super().clear()


class Gauges(Told):
    """The numbers of one measure that a part of a row has told, each when it was news."""

    def __init__(self, place: Place, measured: Measured, gathered: Gathered) -> None:
        super().__init__(place, measured, gathered)
        self.measured = measured
        self._last: Gauge | None = None
        self._values: list[float] = []
        self._wholes: list[float] = []
        self._abouts: list[str] = []

    def add(self, gauge: Gauge) -> None:
        """It is so much now."""
        last = self._last
        if last is not None and gauge.value == last.value and gauge.of == last.of and gauge.about == last.about:
            return
        self._last = gauge
        self._now()
        self._values.append(gauge.value)
        self._wholes.append(math.nan if gauge.of is None else gauge.of)
        self._abouts.append(gauge.about)

    def _rest(self) -> Rest:
        abouts = listed(self._abouts) if any(self._abouts) else ""
        return NO_NUMBERS, packed_numbers([*self._values, *self._wholes]), abouts

    def clear(self) -> bool:
        for kept in (self._values, self._wholes, self._abouts):
            kept.clear()
        return super().clear()


class Counts(Told):
    """How often a part of a row has done something: a gauge that goes up by one each time it is told."""

    add = Told._now

    def __init__(self, place: Place, gathered: Gathered) -> None:
        super().__init__(place, What.COUNTED, gathered)
        self._before = 0
        """How many of them are on disk."""

    def _rest(self) -> Rest:
        return NO_NUMBERS, packed_numbers([self._before]), ""

    def clear(self) -> bool:
        self._before += len(self._ticks)
        return super().clear()
