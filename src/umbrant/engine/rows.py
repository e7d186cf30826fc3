"""A row at work: how it is entered, kept up and left, exactly once for each
time it is entered.
"""

from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import dataclass

from umbrant.catalog.causes import Cause, cause, cause_of_row
from umbrant.catalog.codegen.path import PathFunction
from umbrant.catalog.kinds.decorators import SLACK_S, DecoratorBase
from umbrant.catalog.protocols import (
    FAILURE,
    RUNNING,
    SUCCESS,
    Gate,
    GateCheck,
    GeneratedCondition,
    GuardTakeOver,
    GuardWhileRunning,
    InstantWork,
    Renewable,
    Status,
    TimedCheck,
    Unbound,
    Weighted,
    Work,
    Wrapper,
    discard,
)
from umbrant.catalog.world import Me
from umbrant.engine.path import PathCache, PathTable
from umbrant.engine.recorder import Recorder
from umbrant.model.behaviors import Upkeep, UpkeepMoment, Watch
from umbrant.model.parts import ROW


class UpkeepTask:
    """An upkeep of a row: done when the row is entered, then every so many
    seconds while it is active. With a half-width each interval is drawn anew.
    What is done once, on entry or on leaving, is done by the row itself.
    """

    def __init__(
        self,
        work: InstantWork,
        upkeep: Upkeep,
        row_id: str,
        part: str,
        recorder: Recorder,
    ) -> None:
        self.work = work
        self.at = upkeep.at
        self.due_s = 0.0
        """When it is next due, less what times may be missed by."""
        self.timed = TimedCheck(self, self.do)
        self._every_s = upkeep.every_s
        self._half_width_s = upkeep.half_width_s
        self._tick = work.tick
        self._count = recorder.counting(row_id, part)
        self._refused = recorder.refusing(row_id, part)
        self._next_s = 0.0

    def entered(self, now_s: float) -> None:
        """Restart the interval: the row has been entered, so the task is due
        at once.
        """
        self._next_s = now_s
        # A moment early, for ticks are added up in floating point and a tick
        # may come a hair before its time.
        self.due_s = now_s - SLACK_S

    def do(self, me: Me) -> None:
        """Do the task and set the next deadline. A failure is recorded and has
        no other effect.
        """
        half_width_s = self._half_width_s
        drawn_s = 0.0
        if half_width_s:
            drawn_s = me.random.uniform(-half_width_s, half_width_s)
        self._next_s = next_s = self._next_s + (self._every_s + drawn_s)
        self.due_s = next_s - SLACK_S
        count, tick = self._count, self._tick
        if count is not discard:
            count()
        if tick(me) is FAILURE and self.work.cause is not None:
            self._refused(self.work.cause)


class RowSequence(Wrapper):
    """The work of a state or an option: its rows in order. It keeps RUNNING
    when they have ended, until the state or the option is left.

    `ended` is the status with which the rows ended, None before; without rows
    it is SUCCESS from the start.
    """

    def __init__(self, rows: Sequence["LiveRow"]) -> None:
        self.rows = rows
        self.ended: Status | None = None
        self.cause: Cause | None = None
        self._at = 0

    def start(self, me: Me) -> None:
        self._at, self.cause = 0, None
        self.ended = None if self.rows else SUCCESS

    def tick(self, me: Me) -> Status:
        # Rows that end at once follow each other within the tick: no tick
        # passes without the state doing something.
        while self.ended is None:
            status = self.rows[self._at].visit(me)
            if status is RUNNING:
                break
            self._go_past(status)
        return RUNNING

    def stop(self, me: Me) -> None: ...

    def inside(self) -> "LiveRow | None":
        if self.ended is None and self.rows[self._at].active:
            return self.rows[self._at]
        return None

    def after(self, me: Me, status: Status) -> Status:
        self._go_past(status)
        return self.tick(me)

    def _go_past(self, status: Status) -> None:
        """The row it was at has ended."""
        row = self.rows[self._at]
        self._at += 1
        if status is FAILURE:
            self.ended, self.cause = status, cause_of_row("child", row.id)
        elif self._at == len(self.rows):
            self.ended = status


class RepeatedWork(DecoratorBase):
    """Work under a decorator that can start it again. Rows that still run at
    the end of a turn are stopped.
    """

    def __init__(
        self,
        work: Work,
        rows: Sequence["LiveRow"],
        row_id: str,
        path_cache: PathCache,
    ) -> None:
        super().__init__(work)
        self._rows = rows
        self._path_cache = path_cache
        self._over = cause_of_row("round_over", row_id)

    def start(self, me: Me) -> None:
        super().start(me)
        self._path_cache.invalidate()

    def stop(self, me: Me) -> None:
        super().stop(me)
        self._end_turn(me)

    def after(self, me: Me, status: Status) -> Status:
        status = super().after(me, status)
        self._end_turn(me)
        return status

    def _end_turn(self, me: Me) -> None:
        # What a turn has left running is of that turn: the next one begins as
        # the first did.
        for row in self._rows:
            row.halt(me, self._over)
        # Between two turns what is inside the decorator changes though no row
        # is entered or left: the path must not lead past a decorator that has
        # to begin the next turn.
        self._path_cache.invalidate()


class HeldWork:
    """Work whose result a cue holds: ends at once with it. The row's gates
    find that it has ended.
    """

    def __init__(self, status: Status, gates: Sequence[Gate]) -> None:
        self.cause: Cause | None = HELD
        self._status = status
        self._gates = gates

    def start(self, me: Me) -> None: ...
    def stop(self, me: Me) -> None: ...

    def tick(self, me: Me) -> Status:
        for gate in self._gates:
            gate.row_ended(me, self._status)
        return self._status


HELD = cause("held")
HELD_BACK = cause("held_back")


@dataclass(frozen=True)
class DecoratorParts:
    """The decorators of a row by what they do besides wrapping its work."""

    gates: Sequence[Gate] = ()
    renewed: Sequence[Renewable] = ()
    weighted: Weighted | None = None


NO_DECORATORS = DecoratorParts()
GUARD_SAID_NO = cause("guard")
"""Made once: it is the reason given at nearly every tick."""


class LiveRow(Wrapper):
    """A row with its guard, gates, decorated work and upkeep; the `Child` of
    the composite that holds it.

    While it is active it goes on along a path. `path_cache` is shared by all
    rows of the agent.
    """

    def __init__(
        self,
        row_id: str,
        work: Work,
        recorder: Recorder,
        path_cache: PathCache,
        *,
        guard: GeneratedCondition | None = None,
        watch: Watch = Watch.ON_ENTRY,
        wrapping: DecoratorParts = NO_DECORATORS,
        upkeep_tasks: Sequence[UpkeepTask] = (),
        children: Sequence["LiveRow"] = (),
    ) -> None:
        self.id = row_id
        self.active = False
        self.entered_s = 0.0
        """When it was entered last, in seconds of the world."""
        self.work = work
        self._running = recorder.running(row_id)
        self._path_cache = path_cache
        self._refused = recorder.refusing(row_id, ROW)
        self._guard = guard
        self._watches_running = watch.while_running
        self._watches_over = watch.take_over
        self.wrapping = wrapping
        by_moment: dict[UpkeepMoment, list[UpkeepTask]] = {
            each: [] for each in UpkeepMoment
        }
        for task in upkeep_tasks:
            by_moment[task.at].append(task)
        self._upkeep_tasks = by_moment[UpkeepMoment.EVERY]
        self._entry_tasks = by_moment[UpkeepMoment.ENTRY]
        self._leaving_tasks = by_moment[UpkeepMoment.LEAVING]
        self._children = children
        self._is_kept_out = guard is not None or bool(wrapping.gates)
        self.reason: Cause | None = None
        """Why it was refused when it was last asked, if it was."""
        self._was_open = False
        self._is_let_in = False
        self._roll: Cause | None = None
        self._has_rolled = False
        """Whether the gates that draw have answered since the guard came true,
        with `_roll`.
        """
        self._written_work = work
        """What it does when nothing holds its result."""
        self._is_held_back = False
        self._paths = PathTable()
        self._beginning, self._going_on = self._begin, self._go_on
        self.visit: PathFunction = self._beginning
        """Enters the row if it may be entered, or goes on with it. A refusal
        is FAILURE.

        Whoever calls it often takes it from the row first: CPython 3.11 is
        slow to call what an attribute holds.
        """

    def become(self, made: "LiveRow") -> None:
        """Take over all of a row that was made anew for this row's place, so
        that whoever holds this one runs that one. Nothing else may refer to
        the other, and neither may have been visited.
        """
        vars(self).update(vars(made))
        self._beginning, self._going_on = self._begin, self._go_on
        self.visit = self._beginning

    @property
    def weight(self) -> float:
        """Its weight among its siblings. Raises Unbound."""
        if self.wrapping.weighted:
            return self.wrapping.weighted.weight()
        return 1.0

    def _begin(self, me: Me) -> Status:
        """Enter the row if it may be entered."""
        if self._is_kept_out and not self.opens(me):
            return FAILURE
        failed = self.enter(me)
        if failed:
            self.leave(me, FAILURE, failed)
            return FAILURE
        # Upkeep comes before the first tick, so that the work finds keys that
        # are up to date.
        for task in self._upkeep_tasks:
            task.do(me)
        try:
            status = self.work.tick(me)
        except Unbound as unbound:
            return self.fail_unbound(me, unbound.reason)
        if status is RUNNING:
            return status
        return self.after(me, status)

    def halt(self, me: Me, reason: Cause) -> None:
        """Stop the row and all that is active in it, the innermost first."""
        if self.active:
            self.work.stop(me)
            self.leave(me, None, reason)

    def keep_out(self, reason: Cause) -> None:
        """Record that the row around it does not let it be entered at this
        tick.
        """
        self._refuse(reason)

    def hold(self, me: Me, status: Status | None) -> None:
        """Have the row end with this status as soon as it runs, instead of
        doing its work; None for what is written. What it is doing now is
        stopped. Called between two ticks of the agent.
        """
        self._is_held_back = False
        if status is None:
            work = self._written_work
        else:
            work = HeldWork(status, self.wrapping.gates)
        self._swap_work(me, work)

    def hold_back(self, me: Me) -> None:
        """Keep the row from being entered. One that runs goes on until it
        ends.
        """
        self._swap_work(me, self._written_work)
        self._is_held_back = self._is_kept_out = True

    def _swap_work(self, me: Me, work: Work) -> None:
        if work is self.work:
            return
        if self.active:
            self.work.stop(me)
            with suppress(Unbound):
                work.start(me)
        self.work = work
        # A path that leads on through the row leads to the work that has just
        # been stopped.
        self._path_cache.invalidate()

    def taking_over(self, take: Callable[[Me], Status]) -> GateCheck | None:
        """The check that calls `take` when the row turns from closed to open;
        None if its guard is not watched for a take-over.
        """
        guard = self._guard
        if guard is None or not self._watches_over:
            return None

        def opens(me: Me) -> Status | None:
            # A take-over happens at an edge only: a row that could already run
            # at the tick before was passed over for a reason, and taking over
            # at each tick would make it flip.
            before = self._was_open
            if not self._gates_let(me, again=True) or before:
                return None
            # Noted for `opens`, which the take-over is about to ask: see
            # there.
            self._is_let_in = True
            return take(me)

        return GuardTakeOver(
            guard, self, opens, self._closes, GUARD_SAID_NO, self._refused
        )

    def opens(self, me: Me) -> bool:
        """Whether the guard and the gates let the row be entered now; a
        refusal is recorded.
        """
        if self._is_let_in:
            # A take-over has just evaluated guard and gates within this tick.
            # Gates may draw a chance or count an entry, so they must not be
            # asked a second time.
            self._is_let_in = False
            return True
        # The guard comes before the gates: no chance is rolled and no entry
        # counted for a row that its guard keeps out anyway.
        if self._guard is not None:
            evaluate = self._guard.evaluate
            if not evaluate():
                self._refuse(GUARD_SAID_NO)
                return False
        return self._gates_let(me)

    def enter(self, me: Me) -> Cause | None:
        """Enter the row without evaluating guard and gates. Returns the cause
        if its work could not start; the row is active all the same, and must
        be left.
        """
        # Active before anything may fail: whatever `start` has begun must be
        # undone by `leave`.
        self.active = True
        self.visit = self._going_on
        if self._path_cache.holders:
            self._path_cache.invalidate()
        self._running.entered()
        self.entered_s = now_s = me.world.now_s
        for task in self._upkeep_tasks:
            task.entered(now_s)
        for child in self._children:
            for part in child.wrapping.renewed:
                part.renew()
        for gate in self.wrapping.gates:
            gate.row_entered()
        # Before the work starts, which may bind its arguments to what is
        # written here.
        for task in self._entry_tasks:
            task.do(me)
        try:
            self.work.start(me)
        except Unbound as unbound:
            return unbound.reason
        return None

    def leave(
        self, me: Me, status: Status | None, reason: Cause | None
    ) -> None:
        """Leave the row. Rows in it that are still active are stopped first,
        the innermost first.
        """
        # Composites stop their children themselves; this is for those that a
        # decorator ended, such as a time limit. No row may stay active inside
        # one that is not.
        for child in self._children:
            if child.active:
                child.halt(me, cause_of_row("parent_left", self.id))
        # After its children, before the row is recorded as left: what is
        # written here is written by a row that is active, and by the last one
        # that is.
        for task in self._leaving_tasks:
            task.do(me)
        self.active = False
        self.visit = self._beginning
        if self._path_cache.holders:
            self._path_cache.invalidate()
        self._running.left(status, reason)

    # going on

    def _go_on(self, me: Me) -> Status:
        """Find the path that leads on, and take it until the next beat."""
        path = self.visit = self._paths.find(self)
        self._path_cache.holders.append(self)
        return path(me)

    def forget_path(self) -> None:
        if self.active:
            self.visit = self._going_on

    def inside(self) -> Work:
        return self.work

    def checks(self) -> Sequence[GateCheck]:
        if self._guard is not None and self._watches_running:
            watched = [GuardWhileRunning(self._guard, self._falls)]
        else:
            watched = []
        return [*watched, *(task.timed for task in self._upkeep_tasks)]

    def after(self, me: Me, status: Status) -> Status:
        if status is FAILURE:
            self.leave(me, status, self.work.cause)
        else:
            self.leave(me, status, None)
        return status

    def fail_unbound(self, me: Me, reason: Cause) -> Status:
        self.work.stop(me)
        self.leave(me, FAILURE, reason)
        return FAILURE

    def _falls(self, me: Me) -> Status:
        """The guard, which is watched, has turned to no."""
        self.halt(me, cause("guard_ended"))
        self._was_open = False
        return FAILURE

    def _closes(self, me: Me) -> None:
        """The guard no longer lets it take over."""
        self._refuse(GUARD_SAID_NO)

    def _refuse(self, reason: Cause) -> None:
        self.reason = reason
        if reason is GUARD_SAID_NO:
            self._has_rolled = False
        self._was_open = False
        self._refused(reason)

    def _gates_let(self, me: Me, *, again: bool = False) -> bool:
        """Whether the gates let the row be entered; a refusal is recorded.
        `again` says that the guard is watched: what was drawn when it came
        true then stands.
        """
        reason = None
        if self._is_held_back:
            reason = HELD_BACK
        if reason is None and self.wrapping.gates:
            reason = self._refusal(me, again=again)
        if reason is not None:
            self._refuse(reason)
            return False
        self.reason = None
        self._was_open = True
        return True

    def _refusal(self, me: Me, *, again: bool) -> Cause | None:
        """Why a gate does not let the row be entered."""
        keeps = again and self._has_rolled
        try:
            for gate in self.wrapping.gates:
                if gate.rolls and keeps:
                    reason = self._roll
                else:
                    reason = gate.refusal(me)
                if gate.rolls:
                    self._roll, self._has_rolled = reason, True
                if reason is not None:
                    return reason
        except Unbound as unbound:
            return unbound.reason
        return None
