"""The work of rows whose node is the project's own: its code is called with
care, and with the hooks it declares.
"""

from collections.abc import Callable
from typing import Any

from umbrant.catalog.causes import Cause
from umbrant.catalog.kind import Kind
from umbrant.catalog.protocols import Progress, Status, Unbound
from umbrant.engine.binding import Binder, BindingScope
from umbrant.engine.leaf import LastingLeaf, Leaf, StepGenerator
from umbrant.engine.project_calls import (
    CallSite,
    progress_of,
    result_of,
    steps_of,
)
from umbrant.engine.project_view import AgentOfNode, as_node_argument


class ProjectLeaf(Leaf):
    """An action or a condition of the project's own that is done at once."""

    def __init__(
        self,
        kind: Kind,
        binders: dict[str, Binder],
        scope: BindingScope,
        row_id: str,
        part: str,
        called: str,
    ) -> None:
        """`called` is the row's number and name, by which its author knows it."""
        super().__init__(kind, binders, scope, row_id, part)
        self._agent = AgentOfNode(scope.me)
        self._call = CallSite(
            kind, scope.me.name, called, scope.watch
        ).caller()
        self._refused = scope.recorder.refusing(row_id, part)
        self._run = self._ask
        self._args: dict[str, object] | None = None
        """The arguments of a row that has been begun and not left, where a
        hook for leaving is given them.
        """

    def ended(self, result: object) -> Status:
        status = super().ended(result)
        self._left(status.name.lower())
        return status

    def fail_unbound(self, unbound: Unbound) -> Status:
        status = super().fail_unbound(unbound)
        self._left("failure")
        return status

    def tick(self, me: Any) -> Status:
        self.board.writer = self.writer
        try:
            result = self._ask()
        except Unbound as unbound:
            return self.fail_unbound(unbound)
        return self.ended(result)

    def _ask(self) -> bool | Cause | None:
        return self._call(lambda: result_of(self.kind, self._entered()))

    def _entered(self) -> Any:
        """Call the hook for entering, and then the function."""
        kind, agent = self.kind, self._agent
        args = {
            name: as_node_argument(binder())
            for name, binder in self._binders.items()
        }
        if kind.hooks.entered is not None:
            kind.hooks.entered(agent, **args)
        if kind.hooks.left is not None:
            self._args = args
        else:
            self._args = None
        return kind.run(agent, **args)

    def _left(self, how: str) -> None:
        """Call the hook for leaving, once for each call of the hook for
        entering. An exception in it is reported as a notice only.
        """
        args, self._args = self._args, None
        hook = self.kind.hooks.left
        if hook is None or args is None:
            return
        try:
            self._call(lambda: hook(self._agent, how, **args))
        except Unbound as unbound:
            self._refused(unbound.reason)


class LastingProjectLeaf(ProjectLeaf, LastingLeaf):
    """An action of the project's own that takes time."""

    _yielded: object = None
    """What was yielded last."""
    _copy: Progress | None = None
    """What was told of it, if that goes on by itself for as long as the same
    is yielded again.
    """

    def tick(self, me: Any) -> Status:
        return LastingLeaf.tick(self, me)

    def stop(self, me: Any) -> None:
        was_begun = self._steps is not None
        LastingLeaf.stop(self, me)
        if was_begun:
            self._left("stopped")

    def _begin(self) -> Callable[[None], Progress | None]:
        steps = self._steps = self._call(lambda: steps_of(self._entered()))

        def step(_: None) -> Progress | None:
            is_over, gave = self._call(lambda: self._advanced(steps))
            if is_over:
                raise StopIteration(gave)
            return gave  # type: ignore[return-value]

        return step

    def _advanced(
        self, steps: StepGenerator
    ) -> tuple[bool, Progress | bool | Cause | None]:
        """Take one step: whether the function has returned, and its result or
        progress as plain data.
        """
        try:
            progress = next(steps)
        except StopIteration as stop:
            return True, result_of(self.kind, stop.value)
        if (
            progress is not None
            and progress is self._yielded
            and self._copy is not None
            and progress == self._copy
        ):
            return False, self._copy
        # What is yielded again may have been changed in place meanwhile, so
        # that what was told is a copy.
        self._yielded, copy = progress, progress_of(progress)
        if copy is not None and copy.per_s:
            self._copy = copy
        else:
            self._copy = None
        return False, copy

    def _close(self, steps: StepGenerator) -> None:
        try:
            self._call(steps.close)
        except Unbound as unbound:
            self._refused(unbound.reason)
