"""The work of rows that do something themselves: actions and conditions."""

from collections.abc import Callable, Generator
from functools import partial
from typing import Any

from umbrant.catalog.causes import Cause, cause
from umbrant.catalog.declare import Family, Kind
from umbrant.catalog.work import (
    FAILURE,
    RUNNING,
    SUCCESS,
    Progress,
    Status,
    Unbound,
    nothing,
)
from umbrant.catalog.world import Me
from umbrant.engine.binding import Binder, fixed_values, in_order
from umbrant.engine.board import Board
from umbrant.engine.guarded import called, nonsense
from umbrant.engine.recorder import Recorder
from umbrant.model.edits import ROW


class Leaf:
    """An action or a condition: calls its kind's function, and goes on with it as long as it yields."""

    def __init__(
        self,
        kind: Kind,
        binders: dict[str, Binder],
        board: Board,
        recorder: Recorder,
        row_id: str,
        part: str = ROW,
        *,
        limit_s: float = 2.0,
    ) -> None:
        self.kind = kind
        self.cause: Cause | None = None
        self._binders = binders
        self._board = board
        self._writer = (row_id, part)
        self._limit_s = limit_s
        self._refused = recorder.refusing(row_id, part)
        self._progressed = recorder.progressing(row_id)
        self._is_told = self._progressed is not nothing
        self._fixed = fixed_values(binders)
        self._asks = bool(kind.own) or self._fixed is None
        """Whether there is more to beginning than to call its function with the same arguments each time."""
        self._placed, self._named = in_order(kind.run, self._fixed or {})
        self._steps: Generator[Progress | None, None, object] | None = None
        self._next: Callable[[], Progress | None] = unbegun
        self._args: dict[str, object] | None = None
        """The arguments of a row that has been begun and not left."""

    def start(self, me: Me) -> None:
        self._steps = None
        self.cause = None

    def tick(self, me: Me) -> Status:
        self._board.writer = self._writer
        try:
            if self._steps is None:
                return self._begin(me)
            progress = self._next()
        except StopIteration as stop:
            self._steps = None
            return self._ended(me, stop.value)
        except Unbound as unbound:
            self._steps = None
            self.cause = unbound.reason
            self._left(me, "failure")
            return FAILURE
        if self._is_told and progress.__class__ is Progress:
            self._progressed(progress)
        return RUNNING

    def stop(self, me: Me) -> None:
        steps, self._steps = self._steps, None
        if steps is not None:
            self._board.writer = self._writer
            try:
                called(self.kind, self._limit_s, steps.close)
            except Unbound as unbound:
                self._refused(unbound.reason)
            self._left(me, "stopped")

    def _left(self, me: Me, how: str) -> None:
        """Call the hook for leaving, once for each time the row was begun. What it raises is told of, and no more."""
        args, self._args = self._args, None
        hook = self.kind.hooks.left
        if hook is None or args is None:
            return
        try:
            called(self.kind, self._limit_s, lambda: hook(me, how, **args))
        except Unbound as unbound:
            self._refused(unbound.reason)

    def _begin(self, me: Me) -> Status:
        kind = self.kind
        result = self._begin_asking(me) if self._asks else kind.run(me, *self._placed, **self._named)
        if not kind.takes_time:
            return self._ended(me, result)
        self._steps = result
        self._next = partial(called, kind, self._limit_s, result.__next__) if kind.own else result.__next__
        return self.tick(me)

    def _begin_asking(self, me: Me) -> Any:
        """Call the function with arguments that are asked for now, and the hook for entering before it."""
        args = self._fixed if self._fixed is not None else {name: binder() for name, binder in self._binders.items()}
        kind = self.kind
        hook = kind.hooks.entered
        if hook is not None:
            called(kind, self._limit_s, lambda: hook(me, **args))
        self._args = args if kind.hooks.left is not None else None
        return called(kind, self._limit_s, lambda: kind.run(me, **args)) if kind.own else kind.run(me, **args)

    def _ended(self, me: Me, result: object) -> Status:
        if result is True and self._args is None:
            return SUCCESS
        status = self._status(result)
        self._left(me, status.name.lower())
        return status

    def _status(self, result: object) -> Status:
        if isinstance(result, Cause):
            self.cause = result
            return FAILURE
        if result is False:
            self.cause = cause("condition") if self.kind.family is Family.CONDITION else None
            return FAILURE
        if self.kind.own and result is not True and (result is not None or self.kind.family is Family.CONDITION):
            self.cause = nonsense(self.kind, result)
            return FAILURE
        return SUCCESS


def unbegun() -> None:
    """The next step of work that has not been begun."""


class Broken:
    """Stands for work that cannot run: it fails at once and says why."""

    def __init__(self, reason: Cause) -> None:
        self.cause: Cause | None = reason

    def start(self, me: Me) -> None: ...
    def stop(self, me: Me) -> None: ...

    def tick(self, me: Me) -> Status:
        return FAILURE


class Idle:
    """The work of an option that has no rows: it is merely at it."""

    cause: Cause | None = None

    def start(self, me: Me) -> None: ...
    def stop(self, me: Me) -> None: ...

    def tick(self, me: Me) -> Status:
        return RUNNING
