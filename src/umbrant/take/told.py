"""What is told of one place: each of these keeps what is news, until it goes to disk as one row of a table."""

import math
from collections.abc import Mapping

from umbrant.catalog.causes import Cause
from umbrant.catalog.language.found import Found
from umbrant.catalog.work import FAILURE, SUCCESS, Gauge, Measured, Status
from umbrant.model.values import Literal
from umbrant.take.gathered import Gathered, Place
from umbrant.take.record import Outcome, Refusal
from umbrant.take.tables import NO_NUMBERS, What, listed, packed_numbers, packed_ticks, plain

NO_CAUSE = Cause("guard")
"""Stands for the refusal before the first."""

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


class Listed(Told):
    """Told with something to each tick, which is kept as a list."""

    def __init__(self, place: Place, what: What, gathered: Gathered) -> None:
        super().__init__(place, what, gathered)
        self._listed: list[tuple[object, ...]] = []

    def _list(self, entry: tuple[object, ...]) -> None:
        self._now()
        self._listed.append(entry)

    def _rest(self) -> Rest:
        return NO_NUMBERS, NO_NUMBERS, listed(self._listed)

    def clear(self) -> bool:
        self._listed.clear()
        return super().clear()


class Finds(Listed):
    """What the atoms of a condition found."""

    def __init__(self, place: Place, gathered: Gathered) -> None:
        super().__init__(place, What.FOUND, gathered)

    def add(self, atom: int, found: Found | None) -> None:
        """An atom found something else than before, or was passed over."""
        told = (found.truth, found.left, found.right, plain(found.cause)) if found else ()
        self._list((atom, *told))


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
