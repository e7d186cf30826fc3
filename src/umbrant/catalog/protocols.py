"""The protocols between a row and the work it does: status, progress, gates
and checks.

Kinds in the catalog implement them, the engine calls them. All calls come from
the thread that ticks.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from enum import IntEnum, StrEnum
from typing import NamedTuple, Protocol, runtime_checkable

from umbrant.catalog.causes import Cause
from umbrant.catalog.codegen.expression import GeneratedExpression
from umbrant.catalog.world import Me
from umbrant.model.values import Point


class Status(IntEnum):
    """How a tick of a row ended."""

    RUNNING = 0
    SUCCESS = 1
    FAILURE = 2


RUNNING, SUCCESS, FAILURE = Status
"""Module names for the members: the engine compares statuses several times for
each row and tick, and looking up a global costs half of looking up a member of
a class.
"""


@dataclass(slots=True)
class Progress:
    """What an action yields while it runs: `left` out of `of`, in `unit`, and
    the route ahead.

    With `per_s` an action may yield the same object at each tick: that much
    less is left of it each second.
    """

    # Not frozen, though nobody changes one: it is made at nearly every tick,
    # and a frozen dataclass takes three times as long to make. The same holds
    # for Gauge and Reading.

    left: float | None = None
    of: float | None = None
    unit: str = ""
    way: tuple[Point, ...] = ()
    per_s: float = 0.0


def lasting(left_s: float, of_s: float) -> Progress:
    """The progress of an action that only takes time: yield the same object
    until `left_s` is up.
    """
    return Progress(left_s, of_s, "s", per_s=1.0)


class Unbound(Exception):  # noqa: N818  (it is an answer, with its reason, rather than an error)
    """Raised by a parameter that has no value now, such as one bound to a key
    that is not set.

    The engine catches it: the row that asked for the value fails, with
    `reason`.
    """

    def __init__(self, reason: Cause) -> None:
        super().__init__(reason.kind)
        self.reason = reason


class Measured(StrEnum):
    """What a gauge's number means."""

    COUNT = "count"
    """How many of how many."""
    UNTIL = "until"
    """Until which second, of how many seconds in all."""
    ROLL = "roll"
    """The number rolled, and the bound it had to be under."""
    SCORE = "score"
    """An option's score, and what is added to it for staying."""
    INPUT = "input"
    """What a consideration is worth, and its input."""


@dataclass(slots=True)
class Gauge:
    """A number that a part of a row decides by, such as a roll or a score;
    recorded as it changes.

    What `value` and `of` are depends on `measured`.
    """

    measured: Measured
    value: float
    of: float | None = None
    about: str = ""
    """The candidate that a score is for; empty for any other gauge."""


GaugeSink = Callable[[Gauge], None]
"""Records a gauge of the part of a row that it was made for."""


def discard(*values: object) -> None:
    """Record nothing: the callback of a recorder that keeps nothing.

    Callers compare with it (`sink is discard`) to leave out working out what
    to record.
    """


class Work(Protocol):
    """What a row does. The row calls `start` once, then `tick` until it
    returns another status than RUNNING; or `stop`, if the row is left before.
    """

    cause: Cause | None
    """Why the last tick failed; None if it did not, or gave no reason."""

    def start(self, me: Me) -> None: ...
    def tick(self, me: Me) -> Status: ...
    def stop(self, me: Me) -> None: ...


class InstantWork(Protocol):
    """Work that ends within its first tick, so that it needs neither `start`
    nor `stop`.
    """

    cause: Cause | None

    def tick(self, me: Me) -> Status: ...


@runtime_checkable
class Gate(Protocol):
    """A decorator that can keep its row from being entered, such as a
    cooldown.
    """

    rolls: bool
    """Whether its answer is drawn. A row that waits to take over asks such a
    gate once for each time that its guard comes true, the others at every
    tick.
    """

    def refusal(self, me: Me) -> Cause | None:
        """Why the row may not be entered now; None if it may."""

    def row_entered(self) -> None:
        """The row has been entered; a further turn of a repeat is no entry."""

    def row_ended(self, me: Me, status: Status) -> None:
        """The row ends with a status at which a cue holds it, and without the
        gate, which wraps what it does not do.
        """


@runtime_checkable
class Renewable(Protocol):
    """A decorator whose count starts anew each time the row around its row is
    entered.
    """

    def renew(self) -> None: ...


@runtime_checkable
class Weighted(Protocol):
    """A decorator that gives its row a weight among its siblings."""

    def weight(self) -> float:
        """The weight now. Raises Unbound."""


CheckAction = Callable[[Me], Status | None]
"""What a check does when it applies: returns the status that its wrapper ends
with, or None if the work inside goes on.
"""


class Deadline(Protocol):
    """A time that may be moved at any moment."""

    @property
    def due_s(self) -> float: ...


class TimedCheck(NamedTuple):
    """A check with nothing to do before its deadline: an upkeep, a time limit."""

    deadline: Deadline
    action: CheckAction

    def check(self, me: Me) -> Status | None:
        if me.world.now_s >= self.deadline.due_s:
            return self.action(me)
        return None


class GeneratedCondition(Protocol):
    """A condition that can be evaluated by a call, or put into generated
    source.
    """

    @property
    def expression(self) -> GeneratedExpression: ...
    def evaluate(self) -> bool: ...


class GuardWhileRunning(NamedTuple):
    """The check of a guard that is watched while its row runs: `no` is called
    when it is false.
    """

    question: GeneratedCondition
    no: CheckAction

    def check(self, me: Me) -> Status | None:
        if self.question.evaluate():
            return None
        return self.no(me)


class TickCounter(Protocol):
    """The number of the present tick."""

    @property
    def tick(self) -> int: ...


class RefusalLog(Protocol):
    """Records why a row is not entered; called with the reason at each tick
    that it is not.
    """

    # Whoever would report the same reason as at the tick before may extend the
    # last refusal instead, by `log.until = log.clock.tick`. That is the case
    # at most ticks of a row that is watched for a take-over, and costs a tenth
    # of a call.

    until: int
    """The last tick of the last refusal so far."""

    @property
    def clock(self) -> TickCounter: ...
    def __call__(self, reason: Cause, /) -> None: ...


class _NoRefusalLog:
    """A RefusalLog that keeps nothing. It is its own clock."""

    tick = until = 0

    @property
    def clock(self) -> "_NoRefusalLog":
        return self

    def __call__(self, reason: Cause, /) -> None: ...


NO_REFUSAL_LOG: RefusalLog = _NoRefusalLog()
"""The log of a recorder that keeps nothing; callers compare with it to leave
out reporting.
"""


class ChanceGate(Protocol):
    """A row that waits to take over from a later sibling."""

    reason: Cause | None
    """Why it could not when it was last checked, as recorded; None if it
    could.
    """


class GuardTakeOver(NamedTuple):
    """The check of a guard that is watched for a take-over, while a later
    sibling runs.

    `yes` is called when the condition is true, `no` when it has turned to
    false. While `gate` is refused for `reason` already, the refusal in
    `refused` is only extended.
    """

    question: GeneratedCondition
    gate: ChanceGate
    yes: CheckAction
    no: Callable[[Me], None]
    reason: Cause
    refused: RefusalLog

    def check(self, me: Me) -> Status | None:
        if self.question.evaluate():
            return self.yes(me)
        if self.gate.reason is not self.reason:
            self.no(me)
        else:
            self.refused.until = self.refused.clock.tick
        return None


GateCheck = TimedCheck | GuardWhileRunning | GuardTakeOver
"""What a wrapper checks at each tick before the work inside goes on. A closed
set, since the engine writes each of them into generated source instead of
calling `check`.
"""


class Wrapper:
    """Work, or a row, that does nothing but its checks while the work inside
    it runs.

    So the engine need not tick it: a path does the checks of all wrappers on
    the way down and ticks the innermost work alone.
    """

    # A path stays valid for as long as no row of the agent is entered or left.
    # `inside` and `checks` must therefore change at no other time.

    def inside(self) -> object | None:
        """The work, or the active row, that goes on next; None if the wrapper
        itself must be ticked. Changes only when a row in it is entered or
        left.
        """
        return None

    def checks(self) -> Sequence[GateCheck]:
        """What is checked before the inside goes on, in order. Changes only
        when `inside` does.
        """
        return ()

    def after(self, me: Me, status: Status) -> Status:
        """The wrapper's status, now that the inside has ended with SUCCESS or
        FAILURE. May start something else and return RUNNING. Raises Unbound.
        """
        raise NotImplementedError

    def fail_unbound(self, me: Me, reason: Cause) -> Status | None:
        """The wrapper's status, now that something inside raised Unbound; None
        to leave that to the wrapper around it.
        """
        return None


class Child(Protocol):
    """A nested row, as the composite that holds it sees it."""

    id: str
    active: bool

    @property
    def weight(self) -> float:
        """Its weight among its siblings; 1 unless a decorator gives another.
        Raises Unbound.
        """

    def visit(self, me: Me) -> Status:
        """Enter it if it may be entered, or go on with it. A refusal is
        FAILURE.
        """

    def halt(self, me: Me, cause: Cause) -> None:
        """Stop the row if it is active, and before it everything active inside
        it.
        """

    def keep_out(self, cause: Cause) -> None:
        """Record that it is not visited at this tick, and why. It is not
        active.
        """

    def taking_over(self, take: Callable[[Me], Status]) -> GateCheck | None:
        """The check that calls `take` as soon as the row may take over; None
        if its guard is not watched for that.
        """


Children = Sequence[Child]
"""The rows nested in a composite, without the muted ones."""
