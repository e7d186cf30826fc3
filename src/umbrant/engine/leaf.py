"""The work of rows without rows in them: actions and conditions."""

from collections.abc import Callable, Generator
from typing import Any

from umbrant.catalog.causes import Cause, cause
from umbrant.catalog.kind import Family, Kind
from umbrant.catalog.protocols import (
    FAILURE,
    RUNNING,
    SUCCESS,
    Progress,
    Status,
    Unbound,
    discard,
)
from umbrant.catalog.world import Me
from umbrant.engine.binding import (
    Binder,
    BindingScope,
    fixed_values,
    with_arguments,
)

NOT_SO = cause("condition")

StepGenerator = Generator[Progress | None, None, object]


class Leaf:
    """An action or a condition that ends within its tick: calls its kind's
    function.
    """

    def __init__(
        self,
        kind: Kind,
        binders: dict[str, Binder],
        scope: BindingScope,
        row_id: str,
        part: str,
    ) -> None:
        self.kind = kind
        self.cause: Cause | None = None
        self.board = scope.me.board
        self.writer = (row_id, part)
        """The row and the part that are recorded as the writer of keys."""
        self._me = scope.me
        self._binders = binders
        self._fixed = fixed = fixed_values(binders)
        if fixed is None:
            self._run = self._ask
        else:
            self._run = with_arguments(kind.run, scope.me, fixed)
        """Calls the function: with arguments bound once where they are always
        the same.
        """

    def start(self, me: Me) -> None:
        self.cause = None

    def tick(self, me: Me) -> Status:
        self.board.writer = self.writer
        run = self._run
        try:
            result = run()
        except Unbound as unbound:
            return self.fail_unbound(unbound)
        if result is True:
            return SUCCESS
        return self.ended(result)

    def stop(self, me: Me) -> None: ...

    def ended(self, result: object) -> Status:
        """The status of the row for the value that its function returned."""
        if isinstance(result, Cause):
            self.cause = result
            return FAILURE
        if result is False:
            if self.kind.family is Family.CONDITION:
                self.cause = NOT_SO
            else:
                self.cause = None
            return FAILURE
        return SUCCESS

    def fail_unbound(self, unbound: Unbound) -> Status:
        """The status for an argument that has no value."""
        self.cause = unbound.reason
        return FAILURE

    def _ask(self) -> Any:
        """Call the function with the arguments' present values. Raises
        Unbound.
        """
        return self.kind.run(
            self._me,
            **{name: binder() for name, binder in self._binders.items()},
        )


class LastingLeaf(Leaf):
    """An action that takes time: its kind's function yields once for each
    tick.
    """

    def __init__(
        self,
        kind: Kind,
        binders: dict[str, Binder],
        scope: BindingScope,
        row_id: str,
        part: str,
    ) -> None:
        super().__init__(kind, binders, scope, row_id, part)
        self.step: Callable[[None], Progress | None] | None = None
        """Takes the next step and returns its progress; None before the first
        tick.
        """
        self.last_progress: Progress | None = None
        """The progress reported last. A step that yields the same object again
        goes on as it did.
        """
        self.progressed = scope.recorder.progressing(row_id)
        self.is_recorded = self.progressed is not discard
        """Whether progress is recorded."""
        self._steps: StepGenerator | None = None

    def start(self, me: Me) -> None:
        self.cause = self.step = self.last_progress = self._steps = None

    def tick(self, me: Me) -> Status:
        """Take the first step, or the next one. Later steps are mostly taken
        by a generated path, as `codegen.path.STEP`, which must do the same as
        this.
        """
        self.board.writer = self.writer
        try:
            if self.step is None:
                self.step = self._begin()
            progress = self.step(None)
        except StopIteration as stop:
            return self.ended(stop.value)
        except Unbound as unbound:
            return self.fail_unbound(unbound)
        if (
            self.is_recorded
            and isinstance(progress, Progress)
            and progress is not self.last_progress
        ):
            self.last_progress = progress
            self.progressed(progress)
        return RUNNING

    def stop(self, me: Me) -> None:
        steps, self._steps, self.step = self._steps, None, None
        if steps is not None:
            self.board.writer = self.writer
            self._close(steps)

    def ended(self, result: object) -> Status:
        self.step = self._steps = None
        return super().ended(result)

    def fail_unbound(self, unbound: Unbound) -> Status:
        self.step = self._steps = None
        return super().fail_unbound(unbound)

    def _begin(self) -> Callable[[None], Progress | None]:
        """Call the function; returns the generator or method that takes its
        further steps.
        """
        steps = self._steps = self._run()
        return steps.send  # type: ignore[no-any-return]

    def _close(self, steps: StepGenerator) -> None:
        """End the function where it was cut short: its `finally` clauses run."""
        steps.close()


class BrokenLeaf:
    """The work of a row that cannot run: fails at once with the reason."""

    def __init__(self, reason: Cause) -> None:
        self.cause: Cause | None = reason

    def start(self, me: Me) -> None: ...
    def stop(self, me: Me) -> None: ...

    def tick(self, me: Me) -> Status:
        return FAILURE


class IdleLeaf:
    """The work of an option without rows: runs until another option is chosen."""

    cause: Cause | None = None

    def start(self, me: Me) -> None: ...
    def stop(self, me: Me) -> None: ...

    def tick(self, me: Me) -> Status:
        return RUNNING
