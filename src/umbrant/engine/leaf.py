"""The work of rows that do something themselves: actions and conditions."""

from collections.abc import Generator

from umbrant.catalog.causes import Cause, cause
from umbrant.catalog.declare import Family, Kind
from umbrant.catalog.work import Progress, Status, Unbound
from umbrant.catalog.world import Me
from umbrant.engine.binding import Binder, fixed_values
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
        self._recorder = recorder
        self._writer = (row_id, part)
        self._limit_s = limit_s
        self._progressed = recorder.progressing(row_id)
        self._fixed = fixed_values(binders)
        self._steps: Generator[Progress | None, None, object] | None = None
        self._args: dict[str, object] | None = None
        """The arguments of a row that has been begun and not left."""

    def start(self, me: Me) -> None:
        self._steps = None
        self.cause = None

    def tick(self, me: Me) -> Status:
        self._board.writer = self._writer
        steps = self._steps
        try:
            if steps is None:
                return self._begin(me)
            progress = called(self.kind, self._limit_s, steps.__next__) if self.kind.own else next(steps)
        except StopIteration as stop:
            self._steps = None
            return self._ended(me, stop.value)
        except Unbound as unbound:
            self._steps = None
            self.cause = unbound.reason
            self._left(me, "failure")
            return Status.FAILURE
        if isinstance(progress, Progress):
            self._progressed(progress)
        return Status.RUNNING

    def stop(self, me: Me) -> None:
        steps, self._steps = self._steps, None
        if steps is not None:
            self._board.writer = self._writer
            try:
                called(self.kind, self._limit_s, steps.close)
            except Unbound as unbound:
                self._recorder.refused(*self._writer, unbound.reason)
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
            self._recorder.refused(*self._writer, unbound.reason)

    def _begin(self, me: Me) -> Status:
        args = self._fixed if self._fixed is not None else {name: binder() for name, binder in self._binders.items()}
        kind = self.kind
        hook = kind.hooks.entered
        if hook is not None:
            called(kind, self._limit_s, lambda: hook(me, **args))
        self._args = args
        result = called(kind, self._limit_s, lambda: kind.run(me, **args)) if kind.own else kind.run(me, **args)
        if not kind.takes_time:
            return self._ended(me, result)
        self._steps = result
        return self.tick(me)

    def _ended(self, me: Me, result: object) -> Status:
        status = self._status(result)
        self._left(me, status.name.lower())
        return status

    def _status(self, result: object) -> Status:
        if isinstance(result, Cause):
            self.cause = result
            return Status.FAILURE
        if result is False:
            self.cause = cause("condition") if self.kind.family is Family.CONDITION else None
            return Status.FAILURE
        if self.kind.own and result is not True and (result is not None or self.kind.family is Family.CONDITION):
            self.cause = nonsense(self.kind, result)
            return Status.FAILURE
        return Status.SUCCESS


class Broken:
    """Stands for work that cannot run: it fails at once and says why."""

    def __init__(self, reason: Cause) -> None:
        self.cause: Cause | None = reason

    def start(self, me: Me) -> None: ...
    def stop(self, me: Me) -> None: ...

    def tick(self, me: Me) -> Status:
        return Status.FAILURE


class Idle:
    """The work of an option that has no rows: it is merely at it."""

    cause: Cause | None = None

    def start(self, me: Me) -> None: ...
    def stop(self, me: Me) -> None: ...

    def tick(self, me: Me) -> Status:
        return Status.RUNNING
