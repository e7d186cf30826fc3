"""What can be wrapped around a row. Several apply from the outside in, in the order in which they are written."""

from typing import Literal

from umbrant.catalog.causes import Cause, cause
from umbrant.catalog.declare import Seconds, decorator
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
