"""Paths: the shortest way from a row down to the work that runs in it.

Most ticks change nothing: a few guards are evaluated, and the innermost work
goes on. A path is one generated function that does what such a tick does, in
the order in which the rows themselves would, so that composites and decorators
are not called at all. When the work ends, each wrapper around it is called in
turn, the innermost first.
"""

from collections.abc import Sequence
from typing import Protocol, cast

from umbrant.catalog.codegen.path import (
    REPORTED_STEP,
    STEP,
    TICK,
    PathEnd,
    PathFunction,
    generate_path,
)
from umbrant.catalog.protocols import RUNNING, Status, Unbound, Work, Wrapper
from umbrant.catalog.world import Me
from umbrant.engine.leaf import LastingLeaf


class PathHolder(Protocol):
    """A row that goes on along a path."""

    def forget_path(self) -> None:
        """Find a path anew at the next tick: this one may no longer lead to
        what runs.
        """


class PathCache:
    """The rows of one agent that go on along a path."""

    # The invariant of paths: what lies between a row and the work at its end
    # changes only when some row of the same agent is entered or left. So each
    # of these invalidates all paths of the agent. Finding the same path again
    # is one look-up, in PathTable; what would cost is to ask at each tick
    # whether it still holds.

    def __init__(self) -> None:
        self.holders: list[PathHolder] = []
        """The rows that go on along a path now."""

    def invalidate(self) -> None:
        """A row of the agent has been entered or left."""
        for row in self.holders:
            row.forget_path()
        self.holders.clear()


class PathTable:
    """The paths that lead on from one row, by the work at their ends.

    One end suffices as a key: the wrappers between the row and a work are
    always the same.
    """

    def __init__(self) -> None:
        self._known: dict[object, PathFunction] = {}

    def find(self, top: Wrapper) -> PathFunction:
        """The path down to what is active now; made at its first use."""
        end: object = top
        while isinstance(end, Wrapper) and (inner := end.inside()) is not None:
            end = inner
        # Generated once for each end: a take visits few of them, and each
        # again and again.
        known = self._known.get(end)
        if known is None:
            known = self._known[end] = _path(
                _wrappers(top, end), cast(Work, end)
            )
        return known


def _wrappers(top: Wrapper, end: object) -> Sequence[Wrapper]:
    """The wrappers on the way from a row down to its end, the outermost first."""
    wrappers: list[Wrapper] = []
    at: object = top
    while at is not end:
        wrappers.append(cast(Wrapper, at))
        at = wrappers[-1].inside()
    return wrappers


def _path(wrappers: Sequence[Wrapper], end: Work) -> PathFunction:
    """A path through these wrappers, the outermost first, down to `end`."""

    def unwind(me: Me, index: int, status: Status) -> Status:
        """What is inside the wrapper `index - 1` has ended: hand its status on
        outwards, until a wrapper goes on with something else.
        """
        while index and status is not RUNNING:
            index -= 1
            try:
                status = wrappers[index].after(me, status)
            except Unbound as unbound:
                index, status = fail_unbound(me, index, unbound)
        return status

    def fail_unbound(
        me: Me, index: int, unbound: Unbound
    ) -> tuple[int, Status]:
        """Something at an index raised Unbound: the innermost row around it
        fails.
        """
        # Rows alone take the failure, and a wrapper between two of them hands
        # it on.
        for outer in range(min(index, len(wrappers) - 1), -1, -1):
            status = wrappers[outer].fail_unbound(me, unbound.reason)
            if status is not None:
                return outer, status
        raise unbound

    checks = [
        (index, check)
        for index, each in enumerate(wrappers)
        for check in each.checks()
    ]
    return generate_path(
        checks, end, _end_form(end), len(wrappers), unwind, fail_unbound
    )


def _end_form(end: Work) -> PathEnd:
    """How a path goes on with its end. A project's own node is called through
    its leaf, which watches it; steps of the program's own actions are taken in
    the path itself.
    """
    if not isinstance(end, LastingLeaf) or end.kind.own:
        return TICK
    if end.is_recorded:
        return REPORTED_STEP
    return STEP
