"""What can be wrapped around a row. Several apply from the outside in, in the
order in which they are written.
"""

import math
from collections.abc import Sequence
from typing import Literal

from umbrant.catalog.causes import Cause, cause
from umbrant.catalog.declare import decorator
from umbrant.catalog.outcomes import (
    as_inside,
    failure_as_inside,
    inverted,
    may_also_fail,
    only_failure,
    only_success,
    until_result,
)
from umbrant.catalog.params import (
    Amount,
    Fixed,
    Live,
    Seconds,
    Share,
    SpreadSeconds,
    Times,
)
from umbrant.catalog.protocols import (
    FAILURE,
    RUNNING,
    SUCCESS,
    GateCheck,
    Gauge,
    GaugeSink,
    Measured,
    Status,
    TimedCheck,
    Work,
    Wrapper,
)
from umbrant.catalog.world import Me

ROLLS = 2**24
"""How many different numbers a chance can roll."""
SLACK_S = 1e-9
"""Times are sums of ticks; a moment counts as reached when it is missed by no
more than this.
"""


class DecoratorBase(Wrapper):
    """Passes everything on to the work inside."""

    begins_anew = False
    """Whether it may begin the work inside anew, with the row around it going
    on.
    """
    rolls = False
    """Whether it draws if its row may be entered, where it is a gate."""

    def __init__(self, inner: Work) -> None:
        self.inner = inner
        self.cause: Cause | None = None

    def row_entered(self) -> None:
        """The row around it has been entered: asked of gates only."""

    def row_ended(self, me: Me, status: Status) -> None:
        """The row is held at a status by a cue: asked of gates only."""

    def start(self, me: Me) -> None:
        self.cause = None
        self.inner.start(me)

    def tick(self, me: Me) -> Status:
        status = self.inner.tick(me)
        if status is RUNNING:
            return status
        return self.after(me, status)

    def stop(self, me: Me) -> None:
        self.inner.stop(me)

    def inside(self) -> Work | None:
        return self.inner

    def after(self, me: Me, status: Status) -> Status:
        self.cause = self.inner.cause
        return status


RetryEnding = Literal["any end", "success", "failure"]
First = Literal["ready", "cooling"]
Result = Literal["success", "failure"]
Counted = Literal["in all", "per entry"]

_ENDS = {SUCCESS: "success", FAILURE: "failure"}


@decorator(
    "cooldown {duration}[ after {ending}][, at first {first}]",
    failure="refused while it cools",
    can_end=as_inside,
    keeps_work=True,
    facts={"gauge.of": "duration"},
)
class Cooldown(DecoratorBase):
    """Keeps a row from being entered again for a while after it ended.

    Example: *Warn*, cooldown 4 s, is not said again for four seconds.

    For: recharge, rate limit, not again, rest between, throttle, wait between, pause between,
    reload, every few seconds, not too often, seconds between.

    duration: how long it cools
    ending: which way of ending starts the cooling; being stopped counts only as any end
    first: whether it may be entered at once in the beginning, or must cool first
    """

    def __init__(
        self,
        inner: Work,
        report: GaugeSink,
        duration: Live[SpreadSeconds] = Fixed(4.0),
        ending: RetryEnding = "any end",
        first: First = "ready",
    ) -> None:
        super().__init__(inner)
        self.report = report
        self.duration = duration
        self.ending = ending
        self.cools_first = first == "cooling"
        self.since_s: float | None = None
        """When the row ended last; None while it cools without having run."""
        self.until_s = 0.0

    def refusal(self, me: Me) -> Cause | None:
        """Why the row may not be entered now."""
        if self.cools_first:
            self.cools_first = False
            self._cool(me.began_s)
            self.since_s = None
        if me.world.now_s >= self.until_s - SLACK_S:
            return None
        if self.since_s is None:
            return cause("cooling_first", until_s=self.until_s)
        return cause("cooling", since_s=self.since_s, until_s=self.until_s)

    def after(self, me: Me, status: Status) -> Status:
        self.row_ended(me, status)
        return super().after(me, status)

    def row_ended(self, me: Me, status: Status) -> None:
        if self.ending in ("any end", _ENDS[status]):
            self._cool(me.world.now_s)

    def stop(self, me: Me) -> None:
        super().stop(me)
        if self.ending == "any end":
            self._cool(me.world.now_s)

    def _cool(self, from_s: float) -> None:
        duration_s = self.duration()
        self.since_s, self.until_s = from_s, from_s + duration_s
        self.report(Gauge(Measured.UNTIL, self.until_s, duration_s))


@decorator(
    "time limit {limit}",
    failure="as the row, or when the time is up",
    can_end=may_also_fail,
    keeps_work=True,
    facts={"time_limit.limit_s": "limit", "gauge.of": "limit"},
)
class TimeLimit(DecoratorBase):
    """Stops a row that takes too long, and fails.

    Example: *Go there*, time limit 9 s, gives up when it is not there in nine seconds.

    For: timeout, give up, at most so long, deadline, max time, abort, too long.

    limit: how long the row may run
    """

    def __init__(
        self,
        inner: Work,
        report: GaugeSink,
        limit: Live[SpreadSeconds] = Fixed(5.0),
    ) -> None:
        super().__init__(inner)
        self.report = report
        self.limit = limit
        self.limit_s = self.due_s = 0.0
        self._is_up = TimedCheck(self, self._overrun)

    def start(self, me: Me) -> None:
        super().start(me)
        self.limit_s = self.limit()
        until_s = me.world.now_s + self.limit_s
        self.due_s = until_s - SLACK_S
        self.report(Gauge(Measured.UNTIL, until_s, self.limit_s))

    def tick(self, me: Me) -> Status:
        return self._is_up.check(me) or super().tick(me)

    def checks(self) -> Sequence[GateCheck]:
        return (self._is_up,)

    def _overrun(self, me: Me) -> Status:
        self.inner.stop(me)
        self.cause = cause("time_limit", limit_s=self.limit_s)
        return FAILURE


@decorator(
    "invert",
    success="when the row fails",
    failure="when the row succeeds",
    can_end=inverted,
)
class Invert(DecoratorBase):
    """Turns success into failure and failure into success.

    Example: *All bright?*, inverted, succeeds when a lamp is dim.

    For: not, opposite, negate, unless, fails.
    """

    def __init__(self, inner: Work) -> None:
        super().__init__(inner)

    def after(self, me: Me, status: Status) -> Status:
        if status is SUCCESS:
            self.cause = cause("inverted")
            return FAILURE
        self.cause = None
        return SUCCESS


@decorator("always succeed", failure="never", can_end=only_success)
class AlwaysSucceed(DecoratorBase):
    """Turns failure into success, so that what comes after goes on.

    Example: *Greet*, always succeed: whoever cannot be greeted is walked past all the same.

    For: ignore failure, optional, never fail, force success.
    """

    def __init__(self, inner: Work) -> None:
        super().__init__(inner)

    def after(self, me: Me, status: Status) -> Status:
        return SUCCESS


@decorator("always fail", success="never", can_end=only_failure)
class AlwaysFail(DecoratorBase):
    """Turns success into failure, so that the next one is tried.

    Example: *Note the time*, always fail, as a first child that never keeps a selector from trying
    the others.

    For: force failure, never succeed, ignore success.
    """

    def __init__(self, inner: Work) -> None:
        super().__init__(inner)

    def after(self, me: Me, status: Status) -> Status:
        if status is SUCCESS:
            self.cause = cause("always_fails")
        else:
            self.cause = self.inner.cause
        return FAILURE


class _InTurns(DecoratorBase):
    """Begins the work inside anew, one turn after the other."""

    begins_anew = True

    def __init__(self, inner: Work) -> None:
        super().__init__(inner)
        self.begins = False
        """Whether the next turn has yet to begin."""

    def start(self, me: Me) -> None:
        self.begins = False
        super().start(me)

    def begin_next(self) -> Status:
        """Have the next turn begin at the next tick: what is inside must not
        count this tick as its first, as a time limit would.
        """
        self.begins = True
        return RUNNING

    def tick(self, me: Me) -> Status:
        if self.begins:
            self.begins = False
            self.inner.start(me)
        return super().tick(me)

    def stop(self, me: Me) -> None:
        if not self.begins:
            super().stop(me)

    def inside(self) -> Work | None:
        if self.begins:
            return None
        return self.inner


class _Counted(_InTurns):
    """Begins the work anew and reports how many turns are done, as long as it
    is not over.
    """

    def __init__(self, inner: Work, report: GaugeSink) -> None:
        super().__init__(inner)
        self.report = report
        self.done = 0

    def start(self, me: Me) -> None:
        self.done = 0
        super().start(me)

    def count_turn(self) -> None:
        """One more turn is done."""
        self.done += 1
        self.report(Gauge(Measured.COUNT, float(self.done)))


class _Again(_InTurns):
    """Begins the work anew as long as it ends the way `again_after` says and
    turns are left.
    """

    again_after: Status

    def __init__(
        self, inner: Work, report: GaugeSink, times: Live[Times]
    ) -> None:
        super().__init__(inner)
        self.report = report
        self.times = times
        self.most = self.done = 0

    def start(self, me: Me) -> None:
        self.most, self.done = max(1, round(self.times())), 0
        self.report(Gauge(Measured.COUNT, 0.0, float(self.most)))
        super().start(me)

    def after(self, me: Me, status: Status) -> Status:
        super().after(me, status)
        if status is not self.again_after:
            return status
        self.done += 1
        self.report(Gauge(Measured.COUNT, float(self.done), float(self.most)))
        if self.done >= self.most:
            return status
        return self.begin_next()


@decorator(
    "repeat {times}",
    success="when it has succeeded so many times",
    failure="as soon as it fails",
    can_end=as_inside,
    facts={"gauge.of": "times"},
)
class Repeat(_Again):
    """Does a row again, at the next tick, each time it has succeeded.

    Example: *Ring the bell*, repeat 3 times.

    For: loop, again, times, iterate, cycle.

    times: how many times in all
    """

    again_after = SUCCESS

    def __init__(
        self, inner: Work, report: GaugeSink, times: Live[Times] = Fixed(2.0)
    ) -> None:
        super().__init__(inner, report, times)


@decorator(
    "repeat for ever",
    success="never",
    failure="as soon as it fails",
    can_end=failure_as_inside,
)
class RepeatForEver(_Counted):
    """Does a row again, at the next tick, each time it has succeeded, until it fails.

    Example: *Walk the round*, repeat for ever.

    For: loop, forever, endless, infinite, always, again, keep on, for ever, eternal, while.
    """

    def __init__(self, inner: Work, report: GaugeSink) -> None:
        super().__init__(inner, report)

    def after(self, me: Me, status: Status) -> Status:
        super().after(me, status)
        if status is FAILURE:
            return status
        self.count_turn()
        return self.begin_next()


@decorator(
    "retry {times}",
    success="as soon as it succeeds",
    failure="when it has failed so many times",
    can_end=as_inside,
    facts={"gauge.of": "times"},
)
class Retry(_Again):
    """Tries a row again, at the next tick, each time it has failed.

    Example: *Open the door*, retry 3 times, then give up.

    For: try again, attempts, again, persist, keep trying.

    times: how many times in all
    """

    again_after = FAILURE

    def __init__(
        self, inner: Work, report: GaugeSink, times: Live[Times] = Fixed(2.0)
    ) -> None:
        super().__init__(inner, report, times)


@decorator(
    "repeat until {result}",
    success="when the row has ended that way",
    failure="never",
    can_end=until_result,
)
class RepeatUntil(_Counted):
    """Does a row again, at the next tick, until it ends in a certain way.

    Example: *Pull at the rope*, repeat until failure: until it comes loose.

    For: loop, while, until, keep, forever, again, endless, loop until, keep doing, while true,
    infinite.

    result: which way of ending is the last
    """

    def __init__(
        self, inner: Work, report: GaugeSink, result: Result = "success"
    ) -> None:
        super().__init__(inner, report)
        if result == "success":
            self.last = SUCCESS
        else:
            self.last = FAILURE

    def after(self, me: Me, status: Status) -> Status:
        super().after(me, status)
        self.count_turn()
        if status is self.last:
            return SUCCESS
        return self.begin_next()


@decorator(
    "delay {delay}",
    can_end=as_inside,
    facts={"gauge.of": "delay"},
)
class Delay(DecoratorBase):
    """Waits before a row begins. The row counts as running while it waits.

    Example: *Turn round*, delay 0.4 s, for someone slow to notice.

    For: wait before, reaction time, hesitate, later, late, slow to react, pause before, reaction,
    react late, surprise.

    delay: how long it waits
    """

    def __init__(
        self,
        inner: Work,
        report: GaugeSink,
        delay: Live[SpreadSeconds] = Fixed(1.0),
    ) -> None:
        super().__init__(inner)
        self.report = report
        self.delay = delay
        self.from_s = 0.0
        self.began = False

    def start(self, me: Me) -> None:
        self.cause = None
        self.began = False
        delay_s = self.delay()
        self.from_s = me.world.now_s + delay_s
        self.report(Gauge(Measured.UNTIL, self.from_s, delay_s))

    def tick(self, me: Me) -> Status:
        if not self.began:
            if me.world.now_s < self.from_s - SLACK_S:
                return RUNNING
            self.began = True
            self.inner.start(me)
        return super().tick(me)

    def stop(self, me: Me) -> None:
        if self.began:
            super().stop(me)

    def inside(self) -> None:
        """It must be ticked itself, for it waits at first."""


@decorator(
    "chance {share}",
    failure="refused when the roll is not under the chance",
    can_end=as_inside,
    keeps_work=True,
    facts={"chance.share": "share", "gauge.of": "share"},
)
class Chance(DecoratorBase):
    """Lets a row be entered only so often. Rolled anew each time the row is tried.

    A row that waits to take over is rolled for once each time its guard comes true.

    Example: *Whistle*, chance 0.3, is begun about three times in ten.

    For: random, probability, sometimes, dice, odds, luck, percent, maybe, occasionally, rarely,
    now and then, dance, percentage, probabilistic.

    share: how often: 0 is never, 1 is always
    """

    rolls = True

    def __init__(
        self, inner: Work, report: GaugeSink, share: Live[Share] = Fixed(0.5)
    ) -> None:
        super().__init__(inner)
        self.report = report
        self.share = share

    def refusal(self, me: Me) -> Cause | None:
        """Why the row may not be entered now."""
        # As fine as a take keeps numbers, and never 1: a chance of 1 must
        # always let in, and one of 0.3 no more often than it says, which rolls
        # on a coarser grid do.
        roll, share = (
            math.floor(me.random.random() * ROLLS) / ROLLS,
            self.share(),
        )
        self.report(Gauge(Measured.ROLL, roll, share))
        if roll < share:
            return None
        return cause("chance", roll=roll, share=share)


@decorator(
    "at most {times}[ {counted}]",
    failure="refused when it has been entered so many times",
    can_end=as_inside,
    keeps_work=True,
    facts={"at_most.times": "times", "gauge.of": "times"},
)
class AtMost(DecoratorBase):
    """Lets a row be entered only so many times.

    The turns of a repeat are one entry.

    Example: *Bark*, at most 3 times per entry of the row around it.

    For: once, limit, only, maximum, one time, never again, only once, first time, only the first
    time, one shot.

    times: how many times
    counted: in all, or anew each time the row around it is entered
    """

    def __init__(
        self,
        inner: Work,
        report: GaugeSink,
        times: Live[Times] = Fixed(1.0),
        counted: Counted = "in all",
    ) -> None:
        super().__init__(inner)
        self.report = report
        self.times = times
        self.renews = counted == "per entry"
        self.done = 0

    def refusal(self, me: Me) -> Cause | None:
        """Why the row may not be entered now."""
        most = round(self.times())
        if self.done < most:
            return None
        return cause("at_most", times=float(most))

    def renew(self) -> None:
        """Count anew: the row around it has been entered."""
        if self.renews:
            self.done = 0

    def row_entered(self) -> None:
        self.done += 1
        self.report(
            Gauge(Measured.COUNT, float(self.done), float(round(self.times())))
        )


@decorator(
    "hold result {duration}",
    can_end=as_inside,
    facts={"gauge.of": "duration"},
)
class Hold(DecoratorBase):
    """Keeps a row's result for a while: entered again within that time, it ends at once the same
    way, and does nothing.

    Example: *Is there a way out?*, hold result 1 s, searches for a way once a second at the most.

    For: cache, remember result, sticky, keep result, memoize, store result, for a while.

    duration: how long the result is kept
    """

    def __init__(
        self,
        inner: Work,
        report: GaugeSink,
        duration: Live[Seconds] = Fixed(1.0),
    ) -> None:
        super().__init__(inner)
        self.report = report
        self.duration = duration
        self.until_s = 0.0
        self.kept: tuple[Status, Cause | None] | None = None
        self.holding = False

    def start(self, me: Me) -> None:
        self.holding = (
            self.kept is not None and me.world.now_s < self.until_s - SLACK_S
        )
        if not self.holding:
            super().start(me)

    def tick(self, me: Me) -> Status:
        if self.holding and self.kept is not None:
            status, self.cause = self.kept
            return status
        return super().tick(me)

    def inside(self) -> Work | None:
        if self.holding:
            return None
        return self.inner

    def after(self, me: Me, status: Status) -> Status:
        duration_s = self.duration()
        self.until_s = me.world.now_s + duration_s
        self.kept = status, self.inner.cause
        self.report(Gauge(Measured.UNTIL, self.until_s, duration_s))
        return super().after(me, status)

    def stop(self, me: Me) -> None:
        if not self.holding:
            super().stop(me)


@decorator("weight {weight}", can_end=as_inside, keeps_work=True, weighs=True)
class Weight(DecoratorBase):
    """How often a row is drawn by the random selector it is in, against the others.

    Example: *Yawn*, weight 3, beside *Whistle*, weight 1: three times out of four it yawns.

    For: odds, likelihood, probability, likely, bias, rarely, often.

    weight: the weight; 0 is never
    """

    def __init__(self, inner: Work, weight: Live[Amount] = Fixed(1.0)) -> None:
        super().__init__(inner)
        self.weight = weight
