"""A row at work: how it is entered, kept up and left, exactly once for each time it is entered."""

from collections.abc import Sequence

from umbrant.catalog.causes import Cause, cause
from umbrant.catalog.declare import Family, Kind
from umbrant.catalog.work import Gate, Progress, Status, Work
from umbrant.catalog.world import Me, Question
from umbrant.engine.binding import Binder, Unbound
from umbrant.engine.board import Board
from umbrant.engine.recorder import Recorder
from umbrant.model.documents import Watch
from umbrant.model.edits import ROW


class Leaf:
    """An action or a condition: calls its kind's function, and goes on with it as long as it yields."""

    def __init__(
        self, kind: Kind, binders: dict[str, Binder], board: Board, recorder: Recorder, row_id: str, part: str = ROW
    ) -> None:
        self.kind = kind
        self.cause: Cause | None = None
        self._binders = binders
        self._board = board
        self._recorder = recorder
        self._writer = (row_id, part)
        self._steps: object = None

    def start(self, me: Me) -> None:
        self._steps = None
        self.cause = None

    def tick(self, me: Me) -> Status:
        self._board.writer = self._writer
        if self._steps is None:
            try:
                args = {name: binder() for name, binder in self._binders.items()}
            except Unbound as unbound:
                self.cause = unbound.reason
                return Status.FAILURE
            result = self.kind.run(me, **args)
            if not self.kind.takes_time:
                return self._ended(result)
            self._steps = result
        return self._step()

    def stop(self, me: Me) -> None:
        if self._steps is not None:
            self._steps.close()  # type: ignore[attr-defined]
            self._steps = None

    def _step(self) -> Status:
        try:
            progress = next(self._steps)  # type: ignore[call-overload]
        except StopIteration as stop:
            self._steps = None
            return self._ended(stop.value)
        if isinstance(progress, Progress):
            self._recorder.progress(self._writer[0], progress)
        return Status.RUNNING

    def _ended(self, result: bool | Cause | None) -> Status:
        if isinstance(result, Cause):
            self.cause = result
            return Status.FAILURE
        if result is False:
            self.cause = cause("condition") if self.kind.family is Family.CONDITION else None
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


class Chore:
    """A row's upkeep: done when the row is entered, and then every so many seconds while it is active."""

    def __init__(self, work: Work, every_s: float, part: str) -> None:
        self.work = work
        self.part = part
        self._every_s = every_s
        self._due_s = 0.0

    def entered(self, now_s: float) -> None:
        self._due_s = now_s

    def do(self, me: Me) -> Cause | None:
        """Do it if it is due. Returns why it failed, if it did."""
        now_s = me.world.now_s
        if now_s < self._due_s - 1e-9:
            return None
        self._due_s += self._every_s
        self.work.start(me)
        return self.work.cause if self.work.tick(me) is Status.FAILURE else None


class LiveRow:
    """A row with its guard, gates, decorated work and upkeep. The `Child` of the composite it is nested in."""

    def __init__(
        self,
        row_id: str,
        work: Work,
        recorder: Recorder,
        *,
        guard: Question | None = None,
        watch: Watch = Watch.ON_ENTRY,
        gates: Sequence[Gate] = (),
        chores: Sequence[Chore] = (),
        children: Sequence["LiveRow"] = (),
    ) -> None:
        self.id = row_id
        self.cause: Cause | None = None
        self.active = False
        self._work = work
        self._recorder = recorder
        self._guard = guard
        self._watches_running = guard is not None and watch.while_running
        self._watches_over = guard is not None and watch.take_over
        self._gates = gates
        self._chores = chores
        self._children = children
        self._was_open = False
        self._just_asked = False

    def visit(self, me: Me) -> Status:
        """Enter the row if it may be entered, or resume it. A refusal is FAILURE."""
        if not self.active:
            if not self._opens(me):
                return Status.FAILURE
            self._enter(me)
        elif self._watches_running and self._guard is not None and not self._guard.ask():
            self.halt(me, cause("guard_ended"))
            self._was_open = False
            return Status.FAILURE
        for chore in self._chores:
            failed = chore.do(me)
            if failed:
                self._recorder.refused(self.id, chore.part, failed)
        status = self._work.tick(me)
        if status is not Status.RUNNING:
            self._leave(me, status, self._work.cause if status is Status.FAILURE else None)
        return status

    def halt(self, me: Me, reason: Cause) -> None:
        """Stop the row and all that is active in it, the innermost first."""
        if self.active:
            self._work.stop(me)
            self._leave(me, None, reason)

    def wants_over(self, me: Me) -> bool:
        """Whether it watches for a take-over and its chance has just come: it may be entered, and could not before."""
        if not self._watches_over:
            return False
        before = self._was_open
        opened = self._opens(me)
        self._just_asked = opened and not before
        return self._just_asked

    def _opens(self, me: Me) -> bool:
        """Whether the guard and the gates let the row be entered now; a refusal is recorded."""
        if self._just_asked:
            self._just_asked = False
            return True
        self.cause = self._refusal(me)
        self._was_open = self.cause is None
        if self.cause is not None:
            self._recorder.refused(self.id, ROW, self.cause)
        return self._was_open

    def _refusal(self, me: Me) -> Cause | None:
        if self._guard is not None and not self._guard.ask():
            return cause("guard")
        for gate in self._gates:
            reason = gate.refusal(me)
            if reason is not None:
                return reason
        return None

    def _enter(self, me: Me) -> None:
        self.active = True
        self._recorder.entered(self.id)
        for chore in self._chores:
            chore.entered(me.world.now_s)
        self._work.start(me)

    def _leave(self, me: Me, status: Status | None, reason: Cause | None) -> None:
        for child in self._children:
            child.halt(me, cause("parent_left", row=self.id))
        self.active = False
        self.cause = reason
        self._recorder.left(self.id, status, reason)
