"""Going on with what runs: the shortest way from a row down to the work that is being done.

Most ticks change nothing: a few guards are asked, and the innermost work goes on. A path keeps what such a tick looks
at, in the order in which the rows themselves would, so that composites and decorators are not asked each time what
they are at. When something does come to an end, each of those around it says in turn what it makes of that.
"""

from collections.abc import Sequence
from typing import cast

from umbrant.catalog.work import Check, Passing, Status, Unbound, Work
from umbrant.catalog.world import Me


class Pulse:
    """Beats each time one of an agent's rows is entered or left: a path is good for as long as it has not."""

    def __init__(self) -> None:
        self.beat = 0


class Path:
    """What a tick looks at while a row that is active goes on as before. Good as of a beat of the pulse."""

    def __init__(self, passed: Sequence[Passing], end: Work) -> None:
        self.beat = 0
        self._passed = passed
        self._end = end
        self._checks: list[tuple[int, Check]] = []
        for place, passing in enumerate(self._passed):
            self._checks.extend((place, check) for check in passing.checks())

    def go_on(self, me: Me) -> Status:
        """Go on for one tick; returns what the row at the top comes to."""
        place = 0
        try:
            for place, check in self._checks:  # noqa: B007  (told of where something is unbound)
                status = check(me)
                if status is not None:
                    break
            else:
                place = len(self._passed)
                status = self._end.tick(me)
        except Unbound as unbound:
            place, status = self._gave_out(me, place, unbound)
        return status if status is Status.RUNNING else self._outwards(me, place, status)

    def _outwards(self, me: Me, place: int, status: Status) -> Status:
        """What was at a place has come to a status: what becomes of those around it, the innermost first."""
        while place and status is not Status.RUNNING:
            place -= 1
            try:
                status = self._passed[place].after(me, status)
            except Unbound as unbound:
                place, status = self._gave_out(me, place, unbound)
        return status

    def _gave_out(self, me: Me, place: int, unbound: Unbound) -> tuple[int, Status]:
        """Something at a place was unbound: the row that this is in fails."""
        for outer in range(min(place, len(self._passed) - 1), -1, -1):
            status = self._passed[outer].gave_out(me, unbound.reason)
            if status is not None:
                return outer, status
        raise unbound


class Paths:
    """The paths that lead on from a row, by the work at their ends: what lies between is always the same."""

    def __init__(self) -> None:
        self._known: dict[object, Path] = {}

    def find(self, top: Passing, pulse: Pulse) -> Path:
        """The path down to what is active now."""
        passed, at = [top], top.inside()
        while isinstance(at, Passing) and (inner := at.inside()) is not None:
            passed.append(at)
            at = inner
        path = self._known.get(at)
        if path is None:
            path = self._known[at] = Path(passed, cast(Work, at))
        path.beat = pulse.beat
        return path
