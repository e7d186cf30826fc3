"""Rows that choose among the rows nested in them."""

from collections.abc import Sequence as Several
from typing import Literal

from umbrant.catalog.causes import Cause, cause, cause_of_row
from umbrant.catalog.declare import composite
from umbrant.catalog.kind import ChildOrder
from umbrant.catalog.outcomes import all_succeed, either, first_success
from umbrant.catalog.params import BehaviorName, CountOrAll, Fixed, Live
from umbrant.catalog.protocols import (
    FAILURE,
    RUNNING,
    SUCCESS,
    Child,
    Children,
    GateCheck,
    Status,
    Unbound,
    Wrapper,
)
from umbrant.catalog.world import Me
from umbrant.model.kind_ids import USE_BEHAVIOR

ResumeAt = Literal["where it was", "the first"]
Others = Literal["once", "again and again"]


class _InOrder(Wrapper):
    """Children one after the other. A child that was running is resumed,
    unless a watched guard says otherwise.
    """

    def __init__(
        self, children: Children, resumes_at: str, goes_on_after: Status
    ) -> None:
        self.children = children
        self.goes_on_after = goes_on_after
        self.restarts = resumes_at == "the first"
        self.at = 0
        self.cause: Cause | None = None

    def start(self, me: Me) -> None:
        self.at = 0
        self.cause = None

    def tick(self, me: Me) -> Status:
        if self.restarts:
            return self._from_the_first(me)
        for check in self.checks() if self.at else ():
            status = check.check(me)
            if status is not None:
                return status
        return self._run_on(me, len(self.children))

    def stop(self, me: Me) -> None:
        pass

    def inside(self) -> Child | None:
        if self.restarts or self.at >= len(self.children):
            return None
        child = self.children[self.at]
        if child.active:
            return child
        return None

    def checks(self) -> Several[GateCheck]:
        return [
            check
            for index in range(self.at)
            if (check := self._watched(index)) is not None
        ]

    def after(self, me: Me, status: Status) -> Status:
        if status is not self.goes_on_after:
            if status is FAILURE:
                self.cause = _failed(self.children[self.at])
            else:
                self.cause = None
            return status
        self.at += 1
        return self._run_on(me, len(self.children))

    def _watched(self, index: int) -> GateCheck | None:
        """What lets the child with an index take over from the one that runs,
        if it watches for that.
        """

        def take(me: Me) -> Status:
            self.children[self.at].halt(
                me, cause_of_row("taken_over", self.children[index].id)
            )
            self.at = index
            return self._run_on(me, len(self.children))

        return self.children[index].taking_over(take)

    def _run_on(self, me: Me, end: int) -> Status:
        while self.at < end:
            child = self.children[self.at]
            visit = child.visit
            status = visit(me)
            if status is not self.goes_on_after:
                if status is FAILURE:
                    self.cause = _failed(child)
                else:
                    self.cause = None
                return status
            self.at += 1
        if self.goes_on_after is FAILURE:
            self.cause = cause("all_failed")
        else:
            self.cause = None
        return self.goes_on_after

    def _from_the_first(self, me: Me) -> Status:
        before = self.at
        self.at = 0
        status = self._run_on(me, before)
        if self.at == before:
            return self._run_on(me, len(self.children))
        self.children[before].halt(
            me, cause_of_row("taken_over", self.children[self.at].id)
        )
        return status


def _failed(child: Child) -> Cause:
    return cause_of_row("child", child.id)


@composite(
    "[at each tick go on from {resumes_at}]",
    success="as soon as a child succeeds",
    failure="when every child has failed or was refused",
    summary="tries its children in order",
    can_end=first_success,
    goes_on_after="failure",
)
class Selector(_InOrder):
    """Tries its children in order until one succeeds; stays with a child that runs.

    Example: *Fight* if there is a weapon, else *Flee*, else *Cower*.

    For: choose, fallback, priority, prefer, either, first that works, else, otherwise, decide,
    first of, if else, or, branch, order of preference, try.

    resumes_at: where a tick starts: at the child that was running, or at the first one again
    """

    def __init__(
        self, children: Children, resumes_at: ResumeAt = "where it was"
    ) -> None:
        super().__init__(children, resumes_at, FAILURE)


@composite(
    "[at each tick go on from {resumes_at}]",
    success="when every child has succeeded, one after the other",
    failure="as soon as a child fails or is refused",
    summary="does its children in order",
    can_end=all_succeed,
    goes_on_after="success",
)
class Sequence(_InOrder):
    """Does its children in order, each after the one before it has succeeded.

    Example: *Walk to the lamp*, then *Refill it*, then *Breathe*.

    For: steps, in order, one after the other, then, routine, combo, series, and then, and, all
    of, do all, plan, script, todo.

    resumes_at: where a tick starts: at the child that was running, or at the first one again
    """

    def __init__(
        self, children: Children, resumes_at: ResumeAt = "where it was"
    ) -> None:
        super().__init__(children, resumes_at, SUCCESS)


@composite(
    "",
    success="as soon as a child succeeds",
    failure="when every child has failed or was refused",
    summary="tries its children in an order that it draws anew each time it is entered",
    can_end=either,
    order=ChildOrder.DRAWN,
    goes_on_after="failure",
)
class RandomSelector(Wrapper):
    """Tries its children in an order drawn by their weights, until one succeeds; stays with a child
    that runs.

    A child's weight is 1 unless it has a `weight`. A child of weight 0 is not tried.

    Example: a guard who mostly yawns (weight 3) and at times whistles (weight 1).

    For: any of, shuffle, pick one, varied, one of, surprise, randomly, either or, mix, random
    choice.
    """

    def __init__(self, children: Children) -> None:
        self.children = children
        self.cause: Cause | None = None
        self.left: list[Child] = []
        self.current: Child | None = None

    def start(self, me: Me) -> None:
        self.left = list(self.children)
        self.current = None
        self.cause = None

    def tick(self, me: Me) -> Status:
        while True:
            if self.current is None:
                self.current = self._drawn(me)
            if self.current is None:
                self.cause = self.cause or cause("all_failed")
                return FAILURE
            status = self.current.visit(me)
            if status is not FAILURE:
                return status
            self.current = None

    def stop(self, me: Me) -> None:
        pass

    def inside(self) -> Child | None:
        if self.current and self.current.active:
            return self.current
        return None

    def after(self, me: Me, status: Status) -> Status:
        if status is not FAILURE:
            return status
        self.current = None
        return self.tick(me)

    def _drawn(self, me: Me) -> Child | None:
        """One of the children that are left, drawn by weight and taken out of
        them.
        """
        weights = [max(0.0, self._weight(child)) for child in self.left]
        point = me.random.random() * sum(weights)
        for index, weight in enumerate(weights):
            point -= weight
            if weight > 0 and point < 0:
                return self.left.pop(index)
        return None

    def _weight(self, child: Child) -> float:
        try:
            return child.weight
        except Unbound as unbound:
            self.cause = unbound.reason
            return 0.0


@composite(
    "until {successes} succeed or {failures} fail[, at most {at_once} at once]",
    success="when as many children have succeeded as it needs",
    failure="when so many children have failed, or all have ended and too few have succeeded",
    summary="runs its children side by side",
    can_end=either,
    order=ChildOrder.TOGETHER,
    rests="waits for the others",
    facts={"in_turn.most": "at_once"},
)
class Parallel:
    """Runs all of its children at once, and ends when enough of them have succeeded or failed.

    A child that has ended waits for the others. When the parallel ends, those that still run are
    stopped. With *at most* so many at once, the others wait in their order until one has ended.

    Example: *Walk to the gate* and *Call for help* until 1 succeeds.

    For: at the same time, together, both, simultaneously, meanwhile, side by side, while, and
    also, as well, multitask, concurrently, at most one branch, one at a time.

    successes: how many must succeed; 0 is all of them
    failures: how many may fail before it fails; 0 is all of them
    at_once: how many children may run at the same time; 0 is all of them
    """

    def __init__(
        self,
        children: Children,
        successes: Live[CountOrAll] = Fixed(0.0),
        failures: Live[CountOrAll] = Fixed(1.0),
        at_once: Live[CountOrAll] = Fixed(0.0),
    ) -> None:
        self.children = children
        self.successes = successes
        self.failures = failures
        self.at_once = at_once
        self.cause: Cause | None = None
        self.ended: dict[str, Status] = {}

    def start(self, me: Me) -> None:
        self.ended = {}
        self.cause = None

    def tick(self, me: Me) -> Status:
        most = round(self.at_once()) or len(self.children)
        # Those that run go on before any other may begin, wherever they stand:
        # what runs is never stopped for one that has not begun.
        room = most - sum(child.active for child in self.children)
        for child in self.children:
            if child.id in self.ended:
                continue
            if not child.active:
                if room <= 0:
                    child.keep_out(cause("in_turn", most=float(most)))
                    continue
                room -= 1
            status = child.visit(me)
            if status is not RUNNING:
                room += 1
                self.ended[child.id] = status
                if status is FAILURE:
                    self.cause = _failed(child)
        return self._ended()

    def stop(self, me: Me) -> None:
        pass

    def _ended(self) -> Status:
        number = len(self.children)
        won = sum(status is SUCCESS for status in self.ended.values())
        lost = len(self.ended) - won
        needed = min(number, round(self.successes()) or number)
        borne = min(number, round(self.failures()) or number)
        if won >= needed:
            return SUCCESS
        # Failures that it bears do not end it, even if too few are left to
        # succeed: the others are done all the same, and once all have ended it
        # fails.
        if lost >= borne or won + lost == number:
            return FAILURE
        return RUNNING


@composite(
    "[the others {others}]",
    success="when the first child succeeds",
    failure="when the first child fails or is refused",
    summary="runs its first child, and the others beside it",
    can_end=either,
    order=ChildOrder.TOGETHER,
    rests="is not begun again",
)
class Accompany:
    """Runs its first child, which leads: the row ends when that one does. The others run beside it
    as long.

    Example: *Carry the crate home* leads, *Grumble now and then* accompanies it.

    For: main and background, alongside, meanwhile, at the same time, while.

    others: whether the others are begun again when they have ended
    """

    def __init__(
        self, children: Children, others: Others = "again and again"
    ) -> None:
        self.children = children
        self.again = others == "again and again"
        self.cause: Cause | None = None
        self.ended: set[str] = set()

    def start(self, me: Me) -> None:
        self.ended = set()
        self.cause = None

    def tick(self, me: Me) -> Status:
        if not self.children:
            return SUCCESS
        lead = self.children[0]
        status = lead.visit(me)
        if status is not RUNNING:
            if status is FAILURE:
                self.cause = _failed(lead)
            else:
                self.cause = None
            return status
        for child in self.children[1:]:
            if (
                child.id not in self.ended
                and child.visit(me) is not RUNNING
                and not self.again
            ):
                self.ended.add(child.id)
        return RUNNING

    def stop(self, me: Me) -> None:
        pass


@composite(
    "{behavior}",
    success="when that behavior succeeds",
    failure="when that behavior fails",
    summary="does what the behavior it uses says",
    can_end=either,
    name=USE_BEHAVIOR,
    holds=(),
)
class UseBehavior(Wrapper):
    """Does another behavior inside this one. The keys of that behavior can be bound to keys of this
    one.

    A key that is not bound is shared where both behaviors have it from the same blackboard.
    Otherwise it is the used behavior's own.

    Example: *Go home* is written once, and used by the warden with `home` bound to `hut`.

    For: subtree, reuse, include, call, another behavior, shared, module, nested.

    behavior: which behavior
    """

    def __init__(self, children: Children, behavior: BehaviorName) -> None:
        self.children = children
        self.cause: Cause | None = None

    def start(self, me: Me) -> None:
        self.cause = None

    def tick(self, me: Me) -> Status:
        if not self.children:
            self.cause = cause("nothing_inside")
            return FAILURE
        return self.after(me, self.children[0].visit(me))

    def stop(self, me: Me) -> None:
        pass

    def inside(self) -> Child | None:
        if self.children and self.children[0].active:
            return self.children[0]
        return None

    def after(self, me: Me, status: Status) -> Status:
        if status is FAILURE:
            self.cause = _failed(self.children[0])
        else:
            self.cause = None
        return status
