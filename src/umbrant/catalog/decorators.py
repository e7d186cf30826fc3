"""What can be wrapped around a row. Several apply from the outside in, in the order in which they are written."""

from typing import Literal

from umbrant.catalog.causes import Cause, cause
from umbrant.catalog.declare import Seconds, Share, Times, decorator
from umbrant.catalog.geometry import to_grid
from umbrant.catalog.work import Status, Work
from umbrant.catalog.world import Me


class _Wrapped:
    """Passes everything on to the work inside."""

    def __init__(self, inner: Work) -> None:
        self.inner = inner
        self.cause: Cause | None = None

    def start(self, me: Me) -> None:
        self.cause = None
        self.inner.start(me)

    def tick(self, me: Me) -> Status:
        status = self.inner.tick(me)
        self.cause = self.inner.cause
        return status

    def stop(self, me: Me) -> None:
        self.inner.stop(me)


After = Literal["any end", "success", "failure"]


@decorator("cooldown {duration}[ after {ending}]", failure="refused while it cools")
class Cooldown(_Wrapped):
    """Keeps a row from being entered again for a while after it ended.

    duration: how long it cools
    ending: which way of ending starts the cooling; being stopped counts only as any end
    """

    def __init__(self, inner: Work, duration: Seconds = 4.0, ending: After = "any end") -> None:
        super().__init__(inner)
        self.duration_s = duration
        self.ending = ending
        self.ended_s: float | None = None

    def refusal(self, me: Me) -> Cause | None:
        """Why the row may not be entered now."""
        if self.ended_s is None or me.world.now_s >= self.ended_s + self.duration_s - 1e-9:
            return None
        return cause("cooling", since_s=self.ended_s, until_s=self.ended_s + self.duration_s)

    def tick(self, me: Me) -> Status:
        status = super().tick(me)
        wanted = {Status.SUCCESS: ("any end", "success"), Status.FAILURE: ("any end", "failure")}
        if self.ending in wanted.get(status, ()):
            self.ended_s = me.world.now_s
        return status

    def stop(self, me: Me) -> None:
        super().stop(me)
        if self.ending == "any end":
            self.ended_s = me.world.now_s


@decorator("time limit {limit}", failure="as the row, or when the time is up")
class TimeLimit(_Wrapped):
    """Stops a row that takes too long, and fails.

    limit: how long the row may run
    """

    def __init__(self, inner: Work, limit: Seconds = 5.0) -> None:
        super().__init__(inner)
        self.limit_s = limit
        self.until_s = 0.0

    def start(self, me: Me) -> None:
        self.until_s = me.world.now_s + self.limit_s
        super().start(me)

    def tick(self, me: Me) -> Status:
        if me.world.now_s >= self.until_s - 1e-9:
            self.inner.stop(me)
            self.cause = cause("time_limit", limit_s=self.limit_s)
            return Status.FAILURE
        return super().tick(me)


@decorator("invert", success="when the row fails", failure="when the row succeeds")
class Invert(_Wrapped):
    """Turns success into failure and failure into success."""

    def __init__(self, inner: Work) -> None:
        super().__init__(inner)

    def tick(self, me: Me) -> Status:
        status = self.inner.tick(me)
        if status is Status.RUNNING:
            return status
        turned = Status.FAILURE if status is Status.SUCCESS else Status.SUCCESS
        self.cause = cause("inverted") if turned is Status.FAILURE else None
        return turned


@decorator("always succeed", failure="never")
class AlwaysSucceed(_Wrapped):
    """Turns failure into success, so that what comes after goes on."""

    def __init__(self, inner: Work) -> None:
        super().__init__(inner)

    def tick(self, me: Me) -> Status:
        status = self.inner.tick(me)
        return status if status is Status.RUNNING else Status.SUCCESS


@decorator("always fail", success="never")
class AlwaysFail(_Wrapped):
    """Turns success into failure, so that the next one is tried."""

    def __init__(self, inner: Work) -> None:
        super().__init__(inner)

    def tick(self, me: Me) -> Status:
        status = self.inner.tick(me)
        if status is Status.SUCCESS:
            self.cause = cause("always_fails")
            return Status.FAILURE
        self.cause = self.inner.cause
        return status


class _Again(_Wrapped):
    """Begins the work anew, at the next tick, as long as it ends the way `again_after` says and turns are left."""

    again_after: Status

    def __init__(self, inner: Work, times: float) -> None:
        super().__init__(inner)
        self.times = max(1, round(times))
        self.done = 0

    def start(self, me: Me) -> None:
        self.done = 0
        super().start(me)

    def tick(self, me: Me) -> Status:
        status = super().tick(me)
        if status is not self.again_after:
            return status
        self.done += 1
        if self.done >= self.times:
            return status
        self.inner.start(me)
        return Status.RUNNING


@decorator("repeat {times}", success="when it has succeeded so many times", failure="as soon as it fails")
class Repeat(_Again):
    """Does a row again, at the next tick, each time it has succeeded.

    times: how many times in all
    """

    again_after = Status.SUCCESS

    def __init__(self, inner: Work, times: Times = 2.0) -> None:
        super().__init__(inner, times)


@decorator("retry {times}", success="as soon as it succeeds", failure="when it has failed so many times")
class Retry(_Again):
    """Tries a row again, at the next tick, each time it has failed.

    times: how many times in all
    """

    again_after = Status.FAILURE

    def __init__(self, inner: Work, times: Times = 2.0) -> None:
        super().__init__(inner, times)


@decorator("delay {delay}")
class Delay(_Wrapped):
    """Waits before a row begins. The row counts as running while it waits.

    delay: how long it waits
    """

    def __init__(self, inner: Work, delay: Seconds = 1.0) -> None:
        super().__init__(inner)
        self.delay_s = delay
        self.from_s = 0.0
        self.began = False

    def start(self, me: Me) -> None:
        self.cause = None
        self.began = False
        self.from_s = me.world.now_s + self.delay_s

    def tick(self, me: Me) -> Status:
        if not self.began:
            if me.world.now_s < self.from_s - 1e-9:
                return Status.RUNNING
            self.began = True
            self.inner.start(me)
        return super().tick(me)

    def stop(self, me: Me) -> None:
        if self.began:
            super().stop(me)


@decorator("chance {share}", failure="refused when the roll is not under the chance")
class Chance(_Wrapped):
    """Lets a row be entered only so often. Rolled anew each time the row is tried.

    share: how often: 0 is never, 1 is always
    """

    def __init__(self, inner: Work, share: Share = 0.5) -> None:
        super().__init__(inner)
        self.share = share

    def refusal(self, me: Me) -> Cause | None:
        """Why the row may not be entered now."""
        roll = to_grid(me.random.random())
        return None if roll < self.share else cause("chance", roll=roll, share=self.share)
