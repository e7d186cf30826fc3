"""Rows that choose among the rows nested in them."""

from typing import Literal

from umbrant.catalog.causes import Cause, cause
from umbrant.catalog.declare import composite
from umbrant.catalog.work import Child, Children, Status
from umbrant.catalog.world import Me

Start = Literal["where it was", "the first"]


class _InOrder:
    """Children one after the other. A child that was running is resumed, unless a watched guard says otherwise."""

    goes_on_after: Status

    def __init__(self, children: Children, resumes_at: str) -> None:
        self.children = children
        self.restarts = resumes_at == "the first"
        self.at = 0
        self.cause: Cause | None = None

    def start(self, me: Me) -> None:
        self.at = 0
        self.cause = None

    def tick(self, me: Me) -> Status:
        if self.restarts:
            return self._from_the_first(me)
        for place in range(self.at):
            if self.children[place].wants_over(me):
                self._halt_current(me, place)
                self.at = place
                break
        return self._run_on(me, len(self.children))

    def stop(self, me: Me) -> None:
        pass

    def _run_on(self, me: Me, end: int) -> Status:
        while self.at < end:
            child = self.children[self.at]
            status = child.visit(me)
            if status is not self.goes_on_after:
                self.cause = _failed(child) if status is Status.FAILURE else None
                return status
            self.at += 1
        self.cause = cause("all_failed") if self.goes_on_after is Status.FAILURE else None
        return self.goes_on_after

    def _from_the_first(self, me: Me) -> Status:
        before = self.at
        self.at = 0
        status = self._run_on(me, before)
        if self.at == before:
            return self._run_on(me, len(self.children))
        if before < len(self.children):
            self.children[before].halt(me, cause("taken_over", row=self.children[self.at].id))
        return status

    def _halt_current(self, me: Me, by: int) -> None:
        self.children[self.at].halt(me, cause("taken_over", row=self.children[by].id))


def _failed(child: Child) -> Cause:
    return cause("child", row=child.id)


@composite(
    "[at each tick go on from {resumes_at}]",
    success="as soon as a child succeeds",
    failure="when every child has failed or was refused",
    told="tries its children in order",
    moves_on="fails",
)
class Selector(_InOrder):
    """Tries its children in order until one succeeds; stays with a child that runs.

    resumes_at: where a tick starts: at the child that was running, or at the first one again
    """

    goes_on_after = Status.FAILURE

    def __init__(self, children: Children, resumes_at: Start = "where it was") -> None:
        super().__init__(children, resumes_at)


@composite(
    "[at each tick go on from {resumes_at}]",
    success="when every child has succeeded, one after the other",
    failure="as soon as a child fails or is refused",
    told="does its children in order",
    moves_on="has succeeded",
)
class Sequence(_InOrder):
    """Does its children in order, each after the one before it has succeeded.

    resumes_at: where a tick starts: at the child that was running, or at the first one again
    """

    goes_on_after = Status.SUCCESS

    def __init__(self, children: Children, resumes_at: Start = "where it was") -> None:
        super().__init__(children, resumes_at)
