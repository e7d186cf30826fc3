"""Going on with what runs: the shortest way from a row down to the work that is being done.

Most ticks change nothing: a few guards are asked, and the innermost work goes on. A path is one
straight-line function that does what such a tick does, in the order in which the rows themselves
would, so that composites and decorators are not asked each time what they are at. When something
does come to an end, each of those around it says in turn what it makes of that.
"""

from collections.abc import Sequence
from typing import Protocol, cast

from umbrant.catalog.codegen.path import PathFunction, generate_path
from umbrant.catalog.protocols import RUNNING, Status, Unbound, Work, Wrapper
from umbrant.catalog.world import Me


class PathHolder(Protocol):
    """A row that goes on along a path."""

    def forget_path(self) -> None:
        """The path may no longer be the right one."""


class PathCache:
    """Beats each time one of an agent's rows is entered or left: a path is good for as long as it
    has not.
    """

    def __init__(self) -> None:
        self.on_paths: list[PathHolder] = []
        """The rows that go on along a path, and must find another at the next beat."""

    def invalidate(self) -> None:
        """A row has been entered or left."""
        for row in self.on_paths:
            row.forget_path()
        self.on_paths.clear()


class PathTable:
    """The paths that lead on from a row, by the work at their ends: what lies between is always the
    same.
    """

    def __init__(self) -> None:
        self._known: dict[object, PathFunction] = {}

    def find(self, top: Wrapper) -> PathFunction:
        """The path down to what is active now."""
        end: object = top
        while isinstance(end, Wrapper) and (inner := end.inside()) is not None:
            end = inner
        known = self._known.get(end)
        if known is None:
            known = self._known[end] = _path(_passed(top, end), cast(Work, end))
        return known


def _passed(top: Wrapper, end: object) -> Sequence[Wrapper]:
    """What is passed on the way down, the outermost first."""
    passed: list[Wrapper] = []
    at: object = top
    while at is not end:
        passed.append(cast(Wrapper, at))
        at = passed[-1].inside()
    return passed


def _path(passed: Sequence[Wrapper], end: Work) -> PathFunction:
    """What goes on with `end`, and with what is passed on the way to it, the outermost first."""

    def unwind(me: Me, place: int, status: Status) -> Status:
        """What was at a place has come to a status: what becomes of those around it, the innermost
        first.
        """
        while place and status is not RUNNING:
            place -= 1
            try:
                status = passed[place].after(me, status)
            except Unbound as unbound:
                place, status = fail_unbound(me, place, unbound)
        return status

    def fail_unbound(me: Me, place: int, unbound: Unbound) -> tuple[int, Status]:
        """Something at a place was unbound: the row that this is in fails."""
        for outer in range(min(place, len(passed) - 1), -1, -1):
            status = passed[outer].fail_unbound(me, unbound.reason)
            if status is not None:
                return outer, status
        raise unbound

    checks = [(place, check) for place, passing in enumerate(passed) for check in passing.checks()]
    return generate_path(checks, end, len(passed), unwind, fail_unbound)
