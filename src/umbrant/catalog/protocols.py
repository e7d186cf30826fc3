"""What nodes give back while they run, and the protocol between a row and what it does."""

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
"""By names of their own: they are looked at several times a tick, and a member of a class costs
more to look up.
"""


@dataclass(slots=True)
class Progress:
    """Yielded by an action that runs on: how much is `left` of how much in all, and where it is
    heading.

    With `per_s` the same one may be yielded at each tick: so much less is left of it each second.

    Like a Gauge and a `Reading` it is made at nearly every tick, so it is not frozen, which would
    cost three times as much; but nobody changes it.
    """

    left: float | None = None
    of: float | None = None
    unit: str = ""
    way: tuple[Point, ...] = ()
    per_s: float = 0.0


def lasting(left_s: float, of_s: float) -> Progress:
    """How far an action is that merely takes its time, to be yielded until the time is up."""
    return Progress(left_s, of_s, "s", per_s=1.0)


class Unbound(Exception):  # noqa: N818  (it is an answer, with its reason, rather than an error)
    """A parameter has no value now. It becomes the failure of the row that asked, and is never seen
    outside.
    """

    def __init__(self, reason: Cause) -> None:
        super().__init__(reason.kind)
        self.reason = reason


class Measured(StrEnum):
    """What a gauge tells of."""

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
    """A number that a part of a row goes by, told when it changes."""

    measured: Measured
    value: float
    of: float | None = None
    about: str = ""
    """Of a score: the candidate that it is for."""


GaugeSink = Callable[[Gauge], None]
"""Notes a gauge of the part of a row that is given it."""


def discard(*told: object) -> None:
    """Keeps nothing of what it is told. Whoever is given this to tell need not work out what there
    is to tell.
    """


class Work(Protocol):
    """What a row does. The row calls `start` once, `tick` while it gives RUNNING, and `stop` if it
    is cut short.
    """

    cause: Cause | None
    """Why the last tick failed."""

    def start(self, me: Me) -> None: ...
    def tick(self, me: Me) -> Status: ...
    def stop(self, me: Me) -> None: ...


class InstantWork(Protocol):
    """Work that is over with one tick, so that it needs no start."""

    cause: Cause | None

    def tick(self, me: Me) -> Status: ...


@runtime_checkable
class Gate(Protocol):
    """What may keep a row from being entered: a decorator that has a `refusal`."""

    def refusal(self, me: Me) -> Cause | None:
        """Why the row may not be entered now, None if it may."""


@runtime_checkable
class Renewable(Protocol):
    """What starts afresh each time the row around its row is entered: a decorator that has
    `renew`.
    """

    def renew(self) -> None: ...


@runtime_checkable
class Weighted(Protocol):
    """What gives its row a weight among its siblings: a decorator that has `weight`."""

    def weight(self) -> float:
        """The weight now. Raises Unbound."""


CheckAction = Callable[[Me], Status | None]
"""Looks at something while work goes on. It gives None to go on, or the status that the work has
come to.
"""


class Deadline(Protocol):
    """What is due at some time. It may be put off at any moment."""

    @property
    def due_s(self) -> float: ...


class TimedCheck(NamedTuple):
    """A check that has nothing to look at before it is due."""

    due: Deadline
    look: CheckAction

    def check(self, me: Me) -> Status | None:
        return self.look(me) if me.world.now_s >= self.due.due_s else None


class GeneratedCondition(Protocol):
    """A question that may be asked, or be written out."""

    @property
    def written(self) -> GeneratedExpression: ...
    def ask(self) -> bool: ...


class GuardWhileRunning(NamedTuple):
    """A check that a question is still answered with yes, and what comes of it when it is not."""

    question: GeneratedCondition
    no: CheckAction

    def check(self, me: Me) -> Status | None:
        return None if self.question.ask() else self.no(me)


class TickCounter(Protocol):
    """Counts ticks."""

    @property
    def tick(self) -> int: ...


class OpenRefusal(Protocol):
    """What has been told to be so at ticks in a row."""

    end: int
    """The last of them."""


class RefusalLog(Protocol):
    """Is told why something is not done, at each tick that it is so.

    Whoever would tell the same as at the tick before may put off the end of what was told `last`
    instead.
    """

    @property
    def clock(self) -> TickCounter: ...
    @property
    def last(self) -> OpenRefusal: ...
    def __call__(self, reason: Cause, /) -> None: ...


class _NoRefusalLog:
    """Is told, and keeps nothing."""

    tick = end = 0

    @property
    def clock(self) -> "_NoRefusalLog":
        return self

    @property
    def last(self) -> "_NoRefusalLog":
        return self

    def __call__(self, reason: Cause, /) -> None: ...


NO_REFUSAL_LOG: RefusalLog = _NoRefusalLog()
"""For refusals that nobody keeps."""


class ChanceGate(Protocol):
    """What has a chance to be done, or has not."""

    reason: Cause | None
    """Why it could not be done when that was last looked at; that has been told. None if it could.
    """


class GuardTakeOver(NamedTuple):
    """A check whether a chance has come: it looks when the answer is yes, and when it has turned to
    no.

    As long as it is refused for that `reason`, that merely goes on.
    """

    question: GeneratedCondition
    chance: ChanceGate
    yes: CheckAction
    no: Callable[[Me], None]
    reason: Cause
    refused: RefusalLog

    def check(self, me: Me) -> Status | None:
        if self.question.ask():
            return self.yes(me)
        if self.chance.reason is not self.reason:
            self.no(me)
        else:
            self.refused.last.end = self.refused.clock.tick
        return None


GateCheck = TimedCheck | GuardWhileRunning | GuardTakeOver
"""What is looked at while work goes on, in a form that an engine can write out in full instead of
calling `check`.
"""


class Wrapper:
    """Work, or a row, that does nothing itself while what is inside it runs on, but for its checks.

    So it need not be ticked as long as that is so: an engine may do the checks, and tick what is
    inside.
    """

    def inside(self) -> object | None:
        """The work, or the active row, that it would go on with now; None if it must be ticked
        itself.

        May change only when a row in it is entered or left.
        """
        return None

    def checks(self) -> Sequence[GateCheck]:
        """What it looks at before it goes on with that, in this order. May change only as `inside`
        may.
        """
        return ()

    def after(self, me: Me, status: Status) -> Status:
        """What it comes to, now that what is inside has come to SUCCESS or FAILURE. Raises
        Unbound.
        """
        raise NotImplementedError

    def fail_unbound(self, me: Me, reason: Cause) -> Status | None:
        """What it comes to where something in it was unbound; None to leave that to what is around
        it.
        """
        return None


class Child(Protocol):
    """A nested row, as the composite that holds it sees it."""

    id: str
    active: bool

    @property
    def weight(self) -> float:
        """Its weight among its siblings; 1 unless it says otherwise. Raises Unbound."""

    def visit(self, me: Me) -> Status:
        """Enter it if it may be entered, or resume it. A refusal is FAILURE."""

    def halt(self, me: Me, cause: Cause) -> None:
        """Leave it, if it is active, with what is active in it."""

    def taking_over(self, take: Callable[[Me], Status]) -> GateCheck | None:
        """What has it `take` over as soon as its chance has come; None if it does not watch for
        that.
        """


Children = Sequence[Child]
"""The rows nested in a composite, muted ones left out."""
