"""Going on with what runs: the shortest way from a row down to the work that is being done.

Most ticks change nothing: a few guards are asked, and the innermost work goes on. A path is one
straight-line function that does what such a tick does, in the order in which the rows themselves
would, so that composites and decorators are not asked each time what they are at. When something
does come to an end, each of those around it says in turn what it makes of that.
"""

from collections.abc import Sequence
from typing import Protocol, cast

from umbrant.catalog.work import RUNNING, Passing, Status, Unbound, Work
from umbrant.catalog.world import Me
from umbrant.engine.path_source import GoOn, written_out


class Strays(Protocol):
    """A row that goes on along a path."""

    def stray(self) -> None:
        """The path may no longer be the right one."""


class Pulse:
    """Beats each time one of an agent's rows is entered or left: a path is good for as long as it
    has not.
    """

    def __init__(self) -> None:
        self.on_paths: list[Strays] = []
        """The rows that go on along a path, and must find another at the next beat."""

    def beat(self) -> None:
        """A row has been entered or left."""
        for row in self.on_paths:
            row.stray()
        self.on_paths.clear()


class Paths:
    """The paths that lead on from a row, by the work at their ends: what lies between is always the
    same.
    """

    def __init__(self) -> None:
        self._known: dict[object, GoOn] = {}

    def find(self, top: Passing) -> GoOn:
        """The path down to what is active now."""
        end: object = top
        while isinstance(end, Passing) and (inner := end.inside()) is not None:
            end = inner
        known = self._known.get(end)
        if known is None:
            known = self._known[end] = _path(_passed(top, end), cast(Work, end))
        return known


def _passed(top: Passing, end: object) -> Sequence[Passing]:
    """What is passed on the way down, the outermost first."""
    passed: list[Passing] = []
    at: object = top
    while at is not end:
        passed.append(cast(Passing, at))
        at = passed[-1].inside()
    return passed


def _path(passed: Sequence[Passing], end: Work) -> GoOn:
    """What goes on with `end`, and with what is passed on the way to it, the outermost first."""

    def outwards(me: Me, place: int, status: Status) -> Status:
        """What was at a place has come to a status: what becomes of those around it, the innermost
        first.
        """
        while place and status is not RUNNING:
            place -= 1
            try:
                status = passed[place].after(me, status)
            except Unbound as unbound:
                place, status = gave_out(me, place, unbound)
        return status

    def gave_out(me: Me, place: int, unbound: Unbound) -> tuple[int, Status]:
        """Something at a place was unbound: the row that this is in fails."""
        for outer in range(min(place, len(passed) - 1), -1, -1):
            status = passed[outer].gave_out(me, unbound.reason)
            if status is not None:
                return outer, status
        raise unbound

    checks = [(place, check) for place, passing in enumerate(passed) for check in passing.checks()]
    return written_out(checks, end, len(passed), outwards, gave_out)
