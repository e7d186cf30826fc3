"""A machine at work. Which transitions are taken is the chart's affair; here
they are asked, and rows are run.

A tick of a machine is this: transitions that ask a condition or a time are
taken as long as one holds; then each event heard in this tick is given to the
machine, in the order in which the events were raised; then the rows of the
active states run, outer states first; then the internal events are handled:
those that the rows raised, and that states got done. The rows of states just
entered run too.

A tick always ends. Where the same transitions would fire a second time within
a tick, with the same keys and no event from outside in between, the machine
goes round in a ring: it stops there, and the ring is recorded. Whatever else
goes on and on is cut off by the agent's budget.
"""

import math
from collections import deque
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial
from typing import cast

from umbrant.catalog.causes import Cause, cause, cause_of_row
from umbrant.catalog.kinds.decorators import SLACK_S
from umbrant.catalog.protocols import (
    FAILURE,
    RUNNING,
    SUCCESS,
    Status,
    Unbound,
)
from umbrant.catalog.world import Condition, MachineEvents, Me
from umbrant.engine.board import Board
from umbrant.engine.budget import MOST_MICROSTEPS, TickBudget
from umbrant.engine.chart import (
    Chart,
    Microstep,
    State,
    StateType,
    Transition,
    TransitionTrigger,
)
from umbrant.engine.recorder import CUT_OFF, Recorder, RowLog
from umbrant.engine.rows import GUARD_SAID_NO, LiveRow, RowSequence
from umbrant.model.kind_ids import ANY_EVENT, STATE_DONE


@dataclass
class LiveState:
    """One state of a machine: its row, the work of the rows in it, and its
    rows for entering and leaving.
    """

    row: LiveRow
    work: RowSequence
    on_enter: Sequence[LiveRow] = ()
    on_leave: Sequence[LiveRow] = ()
    result: Status = SUCCESS
    """How what is around it ends, of a final state."""
    must_finish: bool = False
    is_reported: bool = False
    """Whether it has been told of that its rows are done."""


@dataclass
class LiveTransition:
    """What a transition of the chart waits for, and the rows that are done as
    it fires.
    """

    fires: RowLog
    """Is told when it fires, as of a row that runs for no time."""
    refused: Callable[[Cause], None]
    """Tells why it does not fire."""
    when: Condition | None = None
    event: str | None = None
    after: Callable[[], float] | None = None
    done: tuple[Status, ...] = ()
    """The ways of being done that it listens for, if it is an `on done`."""
    rows: Sequence[LiveRow] = ()
    due_s: float = 0.0
    waiting: Cause = GUARD_SAID_NO
    """Why an `after` does not fire before it is due."""


@dataclass(frozen=True)
class StateDone:
    """That a state is done: an internal event, `done.state.id`."""

    state: State
    status: Status

    @property
    def event(self) -> str:
        """Its name, for transitions that wait for an event."""
        # In a behavior that is used, ids stand behind that of the row that
        # uses it.
        return f"{STATE_DONE}.{self.state.id.rpartition('/')[2]}"


LAST_FIRED = 4
"""How many transitions are named where a tick is cut off by the budget."""

Trigger = str | StateDone | None
"""What may enable a transition: an event by its name, that a state is done, or
nothing but the present tick.
"""


class LiveMachine:
    """The work of a machine row."""

    def __init__(
        self,
        chart: Chart,
        states: dict[str, LiveState],
        transitions: dict[str, LiveTransition],
        recorder: Recorder,
        board: Board,
        budget: TickBudget,
    ) -> None:
        self.cause: Cause | None = None
        self._chart = chart
        self._states = states
        self._transitions = transitions
        self._cut_off = recorder.refusing(chart.root.id, CUT_OFF)
        self._received = recorder.received
        self._board = board
        self._budget = budget
        self._seen: list[tuple[int, object]] = []
        """With what transitions fired in this tick since the last event from
        outside, by how many fired before.

        A list, for a key may hold something of a project's own that cannot be
        hashed.
        """
        self._fired: list[str] = []
        self._is_cut = False
        self._inside: deque[str | StateDone] = deque()
        """The internal queue: events that were raised inside and not handled
        yet.
        """
        self._fresh: list[State] = []
        self._polled: list[Transition] = []
        self._polled_live: list[LiveTransition] = []
        """The transitions that are asked at every tick in the present
        configuration.
        """
        self._holds_back = any(live.must_finish for live in states.values())
        self._ended: Status | None = None

    def start(self, me: Me) -> None:
        self.cause = None
        self._inside.clear()
        self._ended = None
        events = cast(MachineEvents, me.events)
        events.begin_machine(self)
        try:
            self._entered(me, self._chart.begin())
        finally:
            events.end_machine()

    def tick(self, me: Me) -> Status:
        events = cast(MachineEvents, me.events)
        events.begin_machine(self)
        try:
            self._tick(me, events)
        finally:
            events.end_machine()
        if self._ended is None:
            return RUNNING
        # What is raised as the machine is left is for what is around it: it
        # handles nothing more.
        self._leave_all(me, cause("machine_ended"))
        return self._ended

    def raise_inside(self, event: str) -> None:
        """Handle an event that a row in the machine raised, within this tick."""
        self._inside.append(event)

    def _tick(self, me: Me, events: MachineEvents) -> None:
        self._is_cut = False
        if self._seen:
            self._forget_situations()
        # SCXML's order: eventless transitions before external events, and a
        # whole macrostep between two events. Rows run last, in states that
        # will still be active at the end of the tick.
        self._settle(me)
        if events.now:
            for event in events.offered(self):
                if self._ended is None:
                    self._offer(me, event)
        # A state that is entered while rows run, by their done events, gets
        # its own turn in this tick: no tick passes in which an active state
        # has not run.
        self._fresh = list(self._chart.active)
        while self._fresh and self._ended is None:
            ready, self._fresh = self._fresh, []
            self._run(me, ready)
            if self._inside:
                self._settle(me)

    def stop(self, me: Me) -> None:
        self._leave_all(me, cause_of_row("parent_left", self._chart.root.id))

    # transitions

    def _settle(self, me: Me) -> None:
        """A macrostep: take eventless transitions and those of internal events
        until none is enabled.
        """
        while self._ended is None and not self._is_cut:
            raised: str | StateDone | None = None
            taken = self._select_at_once(me)
            if not taken and self._inside:
                raised = self._inside.popleft()
                taken = self._chart.select(
                    partial(self._enabled, me, raised), TransitionTrigger.EVENT
                )
                if not taken:
                    continue
                if isinstance(raised, str):
                    self._received(raised, me.name)
            if not taken:
                return
            # At a cut the event has led nowhere yet, and must not be lost: the
            # next tick handles it first.
            if not self._fire(me, taken) and raised is not None:
                self._inside.appendleft(raised)

    def _select_at_once(self, me: Me) -> list[Transition]:
        """The eventless transitions that are enabled. At most ticks none is,
        so they are asked in one loop, and only from the first that is are they
        weighed against each other.
        """
        candidates = self._chart.candidates(TransitionTrigger.NOTHING)
        if candidates is not self._polled:
            self._polled = candidates
            self._polled_live = [
                self._transitions[each.id] for each in candidates
            ]
        for index, live in enumerate(self._polled_live):
            reason = self._refusal(me, candidates[index], live, None)
            if reason is None:
                enabled = partial(self._enabled, me, None)
                return self._chart.select_from(
                    index, enabled, TransitionTrigger.NOTHING
                )
            live.refused(reason)
        return []

    def _offer(self, me: Me, event: str) -> None:
        """Handle one external event. It may lead back to earlier
        configurations, so the ones seen are forgotten.
        """
        taken = self._chart.select(
            partial(self._enabled, me, event), TransitionTrigger.EVENT
        )
        if taken:
            # An event from outside is news, so what follows is no ring though
            # it looks the same. The budget still bounds the tick.
            self._forget_situations()
            self._is_cut = False
            self._fire(me, taken)
            self._settle(me)

    def _enabled(
        self, me: Me, trigger: Trigger, transition: Transition
    ) -> bool:
        live = self._transitions[transition.id]
        if trigger is not None and not _listens(live, transition, trigger):
            return False
        reason = self._refusal(me, transition, live, trigger)
        if reason is not None:
            live.refused(reason)
        return reason is None

    def _refusal(
        self,
        me: Me,
        transition: Transition,
        live: LiveTransition,
        trigger: Trigger,
    ) -> Cause | None:
        # The time first: a condition is not evaluated, nor recorded, before it
        # could matter.
        if live.after is not None and me.world.now_s < live.due_s - SLACK_S:
            return live.waiting
        if (
            live.done
            and isinstance(trigger, StateDone)
            and trigger.status not in live.done
        ):
            return cause(
                "done_otherwise",
                row=trigger.state.id,
                result=trigger.status.name.lower(),
            )
        if live.when is not None and not live.when.evaluate():
            return GUARD_SAID_NO
        unfinished = None
        if self._holds_back:
            unfinished = self._unfinished(transition)
        if unfinished:
            return cause("must_finish", row=unfinished.id)
        return None

    def _unfinished(self, transition: Transition) -> State | None:
        """A state that this transition would leave and that must be done
        first.
        """
        for state in self._chart.exit_set([transition]):
            live = self._states[state.id]
            if live.must_finish and not self._is_done(state):
                return state
        return None

    def _is_done(self, state: State) -> bool:
        if state.compound or state.type is StateType.REGIONS:
            return self._chart.is_done(state)
        return self._states[state.id].work.ended is not None

    def _fire(self, me: Me, taken: Sequence[Transition]) -> bool:
        """One microstep: leave, do the rows of the transitions, enter. None is
        taken, and No given, at a cut.
        """
        fired = [transition.id for transition in taken]
        self._is_cut = self._is_spent() or self._goes_round(fired)
        if self._is_cut:
            return False
        self._budget.spend()
        self._fired.extend(fired)
        step = self._chart.take(taken)
        for state in step.left:
            self._left(me, state, cause_of_row("fired", taken[0].id))
        for transition in taken:
            live = self._transitions[transition.id]
            live.fires.entered()
            _do_at_once(me, live.rows)
            live.fires.left(SUCCESS, None)
        self._entered(me, step)
        return True

    def _is_spent(self) -> bool:
        """Whether the agent may take no more transitions in this tick, which
        is recorded.
        """
        if self._budget.spent:
            # Those that fired last, each once: what goes on and on is among
            # them.
            last = dict.fromkeys(
                reversed(self._fired or [self._chart.root.id])
            )
            rows = " ".join(list(last)[:LAST_FIRED][::-1])
            self._cut_off(
                cause("endless", rows=rows, times=float(MOST_MICROSTEPS))
            )
        return self._budget.spent

    def _goes_round(self, fired: list[str]) -> bool:
        """Whether these transitions have fired before in this tick with
        everything as it is now: a ring, recorded.

        What counts is where the machine is, what waits inside it, and the
        keys. What else might make a difference the next time round, such as a
        roll of chance, makes it at the next tick.
        """
        here = (
            fired,
            self._chart.situation(),
            list(self._inside),
            self._board.values(),
        )
        first = next(
            (before for before, seen in self._seen if seen == here), None
        )
        if first is None:
            self._seen.append((len(self._fired), here))
            return False
        ring = self._fired[first:]
        rows = " ".join(dict.fromkeys(ring))
        self._cut_off(cause("ring", rows=rows, times=float(len(ring))))
        return True

    def _forget_situations(self) -> None:
        self._seen.clear()
        self._fired.clear()

    # states

    def _entered(self, me: Me, step: Microstep) -> None:
        for state in step.entered:
            if state is not self._chart.root:
                self._enter(me, state)
            for transition in state.transitions:
                self._wind_up(me, transition)
        for state, final in step.done:
            self._reached(state, final)
        self._fresh.extend(step.entered)

    def _enter(self, me: Me, state: State) -> None:
        live = self._states[state.id]
        live.is_reported = False
        live.row.enter(me)
        _do_at_once(me, live.on_enter)

    def _wind_up(self, me: Me, transition: Transition) -> None:
        """Set the time at which an `after` fires. One whose time is not known
        never does.
        """
        live = self._transitions[transition.id]
        if live.after is not None:
            try:
                live.due_s = me.world.now_s + live.after()
            except Unbound:
                live.due_s = math.inf
            live.waiting = cause("not_yet", until_s=live.due_s)

    def _reached(self, state: State, final: State) -> None:
        """A state is done, for a final state in it was entered; the machine
        itself ends.
        """
        if state.type is StateType.REGIONS:
            status = self._worst(state)
        else:
            status = self._states[final.id].result
        if state is not self._chart.root:
            self._inside.append(StateDone(state, status))
            return
        self._ended = status
        if status is FAILURE:
            self.cause = cause_of_row("child", final.id)
        else:
            self.cause = None

    def _worst(self, regions: State) -> Status:
        finals = [
            each
            for each in self._chart.active
            if each.type is StateType.FINAL and each.within(regions)
        ]
        failed = any(
            self._states[each.id].result is FAILURE for each in finals
        )
        if failed:
            return FAILURE
        return SUCCESS

    def _run(self, me: Me, states: Sequence[State]) -> None:
        """Tick the rows of active states. When a state's rows have ended, its
        done event is raised once.
        """
        for state in states:
            if state is self._chart.root or state not in self._chart.active:
                continue
            live = self._states[state.id]
            live.row.visit(me)
            ended = live.work.ended
            if ended is not None and not live.is_reported and live.work.rows:
                live.is_reported = True
                if state.atomic and state.type is not StateType.FINAL:
                    self._inside.append(StateDone(state, ended))

    def _left(self, me: Me, state: State, reason: Cause) -> None:
        live = self._states[state.id]
        _do_at_once(me, live.on_leave)
        # Rows that have ended by themselves keep their own outcome; a state
        # left before that was stopped by the transition.
        if live.work.ended is None or not live.work.rows:
            live.row.halt(me, reason)
        else:
            live.row.leave(me, live.work.ended, live.work.cause or reason)

    def _leave_all(self, me: Me, reason: Cause) -> None:
        for state in self._chart.end():
            if state is not self._chart.root:
                self._left(me, state, reason)


def _listens(
    live: LiveTransition, transition: Transition, trigger: str | StateDone
) -> bool:
    """Whether a transition that waits for such a trigger is one that this very
    one could enable.
    """
    if isinstance(trigger, StateDone):
        if live.event is None:
            return transition.source is trigger.state
        return matches(trigger.event, live.event)
    return live.event is not None and matches(trigger, live.event)


def matches(event: str, listened_for: str) -> bool:
    """Whether a listener receives an event: `alarm` receives `alarm` and
    `alarm.bell`, as `alarm.*` does, and `*` receives all.
    """
    if listened_for == ANY_EVENT:
        return True
    wanted = listened_for.removesuffix(f".{ANY_EVENT}")
    return event == wanted or event.startswith(f"{wanted}.")


def _do_at_once(me: Me, rows: Sequence[LiveRow]) -> None:
    """Do rows that end at once. One that runs on is stopped: there is no tick
    in which it could.
    """
    for row in rows:
        if row.visit(me) is RUNNING:
            row.halt(me, cause("takes_time"))
