"""The rows of which machines are made. The words and the rules are those of
the W3C's SCXML Recommendation.

These classes say how an author set a row up; how machines run is told in
`engine.chart` and `engine.machines`.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from umbrant.catalog.declare import composite, part
from umbrant.catalog.kind import RUNS, ChildOrder, Family, NumberKind
from umbrant.catalog.outcomes import PossibleOutcomes, any_end, never_ends
from umbrant.catalog.params import (
    EventName,
    Fixed,
    Live,
    SpreadSeconds,
    StateName,
)
from umbrant.catalog.world import Condition
from umbrant.model.kind_ids import (
    AFTER,
    FINAL,
    HISTORY,
    MACHINE,
    ON_DONE,
    ON_ENTER,
    ON_EVENT,
    ON_LEAVE,
    REGIONS,
    STATE,
    WHEN,
)
from umbrant.model.values import ParamValue

INSIDE = (*RUNS, Family.STATE, Family.TRANSITION, Family.HOOK)
ANY, DONE = "at any time", "when it is done"

Leaving = Literal["at any time", "when it is done"]
Depth = Literal["shallow", "deep"]
FinalResult = Literal["success", "failure"]
DoneHow = Literal["either way", "success", "failure"]


@composite(
    "[begins in {initial}]",
    success="when a final state that says success is entered",
    failure="when a final state that says failure is entered",
    summary="is in one of its states",
    can_end=any_end,
    number=NumberKind.CHOICE,
    name=MACHINE,
    holds=(Family.STATE, Family.TRANSITION, Family.HOOK),
)
@dataclass(frozen=True)
class MachineSetup:
    """Is in one of its states at a time. Transitions lead from one to another; those written under
    the machine itself hold in every state.

    Example: *Doze* until the visitor is seen, then *Circle*, and after 2 s *Bark*.

    For: state machine, states, modes, phases, statechart, moods, fsm, finite state machine, hsm,
    behavior states.

    initial: the state it begins in; the first one unless another is named
    """

    initial: StateName = ""


@part(
    Family.STATE,
    "[begins in {initial}][ · may be left {leaving}]",
    name=STATE,
    number=NumberKind.ACTIVE_FOR,
    can_end=never_ends,
    holds=INSIDE,
    running="it is active",
)
@dataclass(frozen=True)
class StateSetup:
    """One of the ways a machine can be. The rows in it are done in order while it is active, once;
    it may hold states of its own, of which one is active as long as it is.

    Example: *Circle*, with the row *Keep a ring around the visitor* in it.

    For: mode, phase, mood, stance.

    initial: of the states in it, the one it begins in; the first one unless another is named
    leaving: whether transitions may leave it before the rows in it are done
    """

    initial: StateName = ""
    leaving: Leaving = "at any time"


@part(
    Family.STATE,
    "",
    name=REGIONS,
    number=NumberKind.ACTIVE_FOR,
    can_end=never_ends,
    holds=(Family.STATE, Family.TRANSITION, Family.HOOK),
    order=ChildOrder.TOGETHER,
    running="it is active",
)
@dataclass(frozen=True)
class RegionsSetup:
    """A state whose states are all active at once, each a region of its own. It is done when all of
    them are.

    Example: *Legs* (stand, walk) and *Mouth* (quiet, bark) side by side.

    For: orthogonal, parallel states, layers, both at once.
    """


def _can_end(
    args: Mapping[str, ParamValue], inside: Sequence[PossibleOutcomes]
) -> PossibleOutcomes:
    """A final state ends its machine in one way."""
    succeeds = args.get("result", "success") == "success"
    return PossibleOutcomes(succeeds, not succeeds)


@part(
    Family.STATE,
    "ends with {result}",
    name=FINAL,
    number=NumberKind.ACTIVE_FOR,
    can_end=_can_end,
    holds=(Family.HOOK,),
    running="it has been reached",
)
@dataclass(frozen=True)
class FinalSetup:
    """A state in which the one around it is done. Directly under a machine it ends the machine.

    Example: *Caught*, ends with success.

    For: end, finish, done, exit, finished, die, dead, game over, caught, give up, over.

    result: how what is around it ends
    """

    result: FinalResult = "success"


@part(
    Family.STATE,
    "{depth}[, else {otherwise}]",
    name=HISTORY,
    number=NumberKind.PROGRESS,
    can_end=never_ends,
    holds=(),
    running="never: it stands for another",
)
@dataclass(frozen=True)
class HistorySetup:
    """Stands for the state that was active when the one around it was last left: a transition to it
    goes back there.

    Example: *Cower* at thunder, then back to whatever it did.

    For: resume, back to, remember, return to, where it was.

    depth: shallow goes back to the state, deep also to the states that were active inside it
    otherwise: where it leads when there is nothing to go back to; the state it begins in unless
    another is named
    """

    depth: Depth = "shallow"
    otherwise: StateName = ""


@part(
    Family.HOOK,
    "",
    name=ON_ENTER,
    number=NumberKind.PROGRESS,
    holds=RUNS,
    success="they have been done",
)
@dataclass(frozen=True)
class OnEnterSetup:
    """Rows that are done at once when the state around it is entered, before anything else in it.

    Example: on entering *Cower*, set `mood` to *afraid*.

    For: entry, start, begin, setup, when entered, enter.
    """


@part(
    Family.HOOK,
    "",
    name=ON_LEAVE,
    number=NumberKind.PROGRESS,
    holds=RUNS,
    success="they have been done",
)
@dataclass(frozen=True)
class OnLeaveSetup:
    """Rows that are done at once when the state around it is left, however it is left.

    Example: on leaving *Carry*, drop what is carried.

    For: exit, cleanup, undo, when left, leave, end.
    """


@part(
    Family.TRANSITION,
    "→ {to}[ and {also}] when {when}[ · {kind}]",
    name=WHEN,
    number=NumberKind.CONDITION,
    holds=RUNS,
    success="it fired",
    failure="not so",
)
@dataclass(frozen=True)
class WhenSetup:
    """Leads to another state as soon as a condition holds. Asked at every tick. Rows in it are done
    as it fires.

    Example: in *Doze*: when can see visitor within 9 m → *Circle*.

    For: condition, if, switch, change state, transition, as soon as.

    when: the condition, in the condition language
    to: the state it leads to; without one only the rows in it are done
    also: a state of another region that it leads to as well
    kind: whether the state it starts from is left when it leads to a state inside it
    """

    when: Condition
    to: StateName = ""
    also: StateName = ""
    kind: Literal["external", "internal"] = "external"


@part(
    Family.TRANSITION,
    "→ {to}[ and {also}] on event {event}[ if {when}][ · {kind}]",
    name=ON_EVENT,
    number=NumberKind.CONDITION,
    holds=RUNS,
    success="it fired",
    failure="not heard, or not so",
)
@dataclass(frozen=True)
class OnEventSetup:
    """Leads to another state when an event is heard; at once, when it is raised in this machine.
    Who listens for `alarm` also hears `alarm.bell`.

    Example: under the machine: on thunder → *Cower*, from any state.

    For: signal, message, trigger, notified, react, hear an event, receive, listen for.

    event: the event; `*` is any, `done.state.` with a state's id that this state is done
    to: the state it leads to; without one only the rows in it are done
    also: a state of another region that it leads to as well
    when: a condition that must hold as well
    kind: whether the state it starts from is left when it leads to a state inside it
    """

    event: EventName
    to: StateName = ""
    also: StateName = ""
    when: Condition | None = None
    kind: Literal["external", "internal"] = "external"


@part(
    Family.TRANSITION,
    "→ {to}[ and {also}] after {time}[ if {when}]",
    name=AFTER,
    number=NumberKind.DUE_IN,
    holds=RUNS,
    success="it fired",
    failure="the time is not up, or not so",
)
@dataclass(frozen=True)
class AfterSetup:
    """Leads to another state when the state it starts from has been active for a while.

    Example: in *Circle*: after 2 s ± 0.5 → *Bark*.

    For: timer, timeout, delay, elapsed, later, wait, seconds later, timed, expire.

    time: how long; drawn anew each time the state is entered
    to: the state it leads to; without one only the rows in it are done
    also: a state of another region that it leads to as well
    when: a condition that must hold as well
    """

    time: Live[SpreadSeconds] = Fixed(2.0)
    to: StateName = ""
    also: StateName = ""
    when: Condition | None = None


@part(
    Family.TRANSITION,
    "→ {to}[ and {also}] once done[ with {result}][ if {when}]",
    name=ON_DONE,
    number=NumberKind.CONDITION,
    holds=RUNS,
    success="it fired",
    failure="not done, or not so",
)
@dataclass(frozen=True)
class OnDoneSetup:
    """Leads to another state when the state it starts from is done: its rows have ended, or a final
    state in it is reached.

    Example: in *Bark*: on done → *Circle*.

    For: finished, completed, afterwards, next, done, ended.

    to: the state it leads to; without one only the rows in it are done
    also: a state of another region that it leads to as well
    result: which way of ending counts
    when: a condition that must hold as well
    """

    to: StateName = ""
    also: StateName = ""
    result: DoneHow = "either way"
    when: Condition | None = None
