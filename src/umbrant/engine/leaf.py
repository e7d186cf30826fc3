"""The work of rows that do something themselves: actions and conditions."""

from collections.abc import Callable, Generator
from typing import Any

from umbrant.catalog.causes import Cause, cause
from umbrant.catalog.declare import Family, Kind
from umbrant.catalog.protocols import FAILURE, RUNNING, SUCCESS, Progress, Status, Unbound, discard
from umbrant.catalog.world import Me
from umbrant.engine.binding import Binder, BindingScope, bound, fixed_values

NOT_SO = cause("condition")

StepGenerator = Generator[Progress | None, None, object]


class Leaf:
    """An action or a condition that is done at once: calls its kind's function."""

    def __init__(
        self, kind: Kind, binders: dict[str, Binder], scope: BindingScope, row_id: str, part: str
    ) -> None:
        self.kind = kind
        self.cause: Cause | None = None
        self.board = scope.me.board
        self.writer = (row_id, part)
        """On whose account it writes keys."""
        self._me = scope.me
        self._binders = binders
        self._fixed = fixed_values(binders)
        self._run = self._ask if self._fixed is None else bound(kind.run, self._me, self._fixed)
        """Calls the function. Where there is more to that than to give it the same arguments each
        time, it asks.
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
        return SUCCESS if result is True else self.ended(result)

    def stop(self, me: Me) -> None: ...

    def ended(self, result: object) -> Status:
        """What it comes to, now that its function has returned."""
        if isinstance(result, Cause):
            self.cause = result
            return FAILURE
        if result is False:
            self.cause = NOT_SO if self.kind.family is Family.CONDITION else None
            return FAILURE
        return SUCCESS

    def fail_unbound(self, unbound: Unbound) -> Status:
        """What it comes to, now that something was unbound."""
        self.cause = unbound.reason
        return FAILURE

    def _ask(self) -> Any:
        """Call the function with arguments that are asked for now."""
        return self.kind.run(self._me, **{name: binder() for name, binder in self._binders.items()})


class LastingLeaf(Leaf):
    """An action that takes time: goes on with what its kind's function yields, step by step."""

    def __init__(
        self, kind: Kind, binders: dict[str, Binder], scope: BindingScope, row_id: str, part: str
    ) -> None:
        super().__init__(kind, binders, scope, row_id, part)
        self.step: Callable[[None], Progress | None] | None = None
        """Takes the next step and gives what is told of it; None while it has not been begun."""
        self.told: Progress | None = None
        """What was told last. A step that tells the same object again says that it goes on as it
        did.
        """
        self.progressed = scope.recorder.progressing(row_id)
        self.is_told = self.progressed is not discard
        """Whether anybody is told."""
        self._steps: StepGenerator | None = None

    def start(self, me: Me) -> None:
        self.cause = self.step = self.told = self._steps = None

    def tick(self, me: Me) -> Status:
        """Begin, or take the next step. A path that leads here takes later steps by itself."""
        self.board.writer = self.writer
        try:
            if self.step is None:
                self.step = self._begin()
            told = self.step(None)
        except StopIteration as stop:
            return self.ended(stop.value)
        except Unbound as unbound:
            return self.fail_unbound(unbound)
        if self.is_told and isinstance(told, Progress) and told is not self.told:
            self.told = told
            self.progressed(told)
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
        """Begin with the function; gives what takes its steps."""
        steps = self._steps = self._run()
        return steps.send  # type: ignore[no-any-return]

    def _close(self, steps: StepGenerator) -> None:
        """Let the function tidy up where it was cut short."""
        steps.close()


class BrokenLeaf:
    """Stands for work that cannot run: it fails at once and says why."""

    def __init__(self, reason: Cause) -> None:
        self.cause: Cause | None = reason

    def start(self, me: Me) -> None: ...
    def stop(self, me: Me) -> None: ...

    def tick(self, me: Me) -> Status:
        return FAILURE


class IdleLeaf:
    """The work of an option that has no rows: it is merely at it."""

    cause: Cause | None = None

    def start(self, me: Me) -> None: ...
    def stop(self, me: Me) -> None: ...

    def tick(self, me: Me) -> Status:
        return RUNNING
