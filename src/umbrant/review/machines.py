"""Findings about machines: states without a way in or out, and ends that
nothing takes up.
"""

from collections.abc import Iterator, Mapping

from umbrant.catalog.kind import RUNS, Family
from umbrant.catalog.outcomes import PossibleOutcomes, all_succeed
from umbrant.model.behaviors import Row, targets_of
from umbrant.model.kind_ids import (
    FINAL,
    HISTORY,
    ON_DONE,
    REGIONS,
    STATE,
    WHEN,
)
from umbrant.review.behavior_analysis import BehaviorAnalysis, constant
from umbrant.review.findings import RuleMatch, Severity
from umbrant.review.machine_shape import (
    all_states,
    begun_in,
    machines_in,
    reached_from,
    states_in,
    target,
    transitions_of,
    ways_out,
)
from umbrant.review.rules import behavior_rule

EITHER_WAY = "either way"
"""The result that an 'on done' transition waits for, if it waits for any."""


@behavior_rule(
    "A state that nothing leads to",
    why="It is never entered: nothing begins in it, and no state that is entered leads to it.",
    severity=Severity.WARNING,
)
def unreached_state(reading: BehaviorAnalysis) -> Iterator[RuleMatch]:
    """A state that is not reached from where its machine begins, by whatever
    transitions.
    """
    for machine in machines_in(reading):
        reached = reached_from(reading, begun_in(reading, machine))
        for state in states_in(reading, machine):
            # Of states in one that is never entered nothing is said: it is
            # said of that one.
            is_within_unreached = (
                state.under != machine.id and state.under not in reached
            )
            if (
                state.kind == HISTORY
                or state.id in reached
                or is_within_unreached
            ):
                continue
            sources = [
                reading.called(other)
                for other in states_in(reading, machine)
                if other.id != state.id and _leads_to(reading, other, state)
            ]
            says = "Nothing leads to this state."
            if sources:
                never = "It is never entered: what leads to it is never entered either"
                says = f"{never}, {' and '.join(sources)}."
            yield RuleMatch(says, state.id)


def _leads_to(reading: BehaviorAnalysis, state: Row, other: Row) -> bool:
    """Whether a transition that is written under a state leads to another one."""
    return any(
        other.id in targets_of(each) for each in transitions_of(reading, state)
    )


@behavior_rule(
    "A state that nothing leads out of",
    why=(
        "Once it is entered the machine stays in it for good. If that is meant, make it a final "
        "state."
    ),
    severity=Severity.WARNING,
)
def stuck_state(reading: BehaviorAnalysis) -> Iterator[RuleMatch]:
    """A state without a way out, in a machine that has other states."""
    for state in all_states(reading):
        if _has_others(reading, state) and not _leads_on(reading, state):
            yield RuleMatch("Nothing leads out of this state.", state.id)


def _has_others(reading: BehaviorAnalysis, state: Row) -> bool:
    """Whether a state is one of several of which one at a time is active, and
    no final one.
    """
    around = None
    if state.under:
        around = reading.behavior.row(state.under)
    return (
        state.kind not in (FINAL, HISTORY)
        and around is not None
        and around.kind != REGIONS
        and len(reading.children(around.id, Family.STATE)) > 1
    )


def _leads_on(reading: BehaviorAnalysis, state: Row) -> bool:
    """Whether any transition that may fire in a state leads anywhere."""
    inner = [
        each
        for row in states_in(reading, state)
        for each in transitions_of(reading, row)
    ]
    return bool(inner) or any(
        target(each) for each in ways_out(reading, state)
    )


@behavior_rule(
    "States that nothing leads out of",
    why=(
        "Once one of them is entered the machine stays among them for good, and the others are "
        "never entered again."
    ),
    severity=Severity.HINT,
)
def closed_ring(reading: BehaviorAnalysis) -> Iterator[RuleMatch]:
    """States that lead to each other alone, in a machine that has other states
    and begins there.
    """
    for machine in machines_in(reading):
        begun = reached_from(reading, begun_in(reading, machine))
        for around in (machine, *states_in(reading, machine)):
            siblings = [
                each
                for each in reading.children(around.id, Family.STATE)
                if each.id in begun
            ]
            if around.kind == REGIONS or len(siblings) < 2:
                continue
            yield from _rings_among(reading, siblings)


def _rings_among(
    reading: BehaviorAnalysis, siblings: list[Row]
) -> Iterator[RuleMatch]:
    """The groups of states of one level that cannot be left any more."""
    names = [each.id for each in siblings]
    after: dict[str, list[str]] = {}
    for name in names:
        reached = reached_from(reading, [name])
        after[name] = [each for each in names if each in reached]
    reported: set[str] = set()
    for state in siblings:
        ring = after[state.id]
        closed = all(after[each] == ring for each in ring)
        ends = any(reading.behavior.row(each).kind == FINAL for each in ring)
        if (
            not closed
            or ends
            or len(ring) == len(names)
            or state.id in reported
        ):
            continue
        reported.update(ring)
        if _leads_on(reading, state):
            called = " and ".join(
                reading.called(reading.behavior.row(each)) for each in ring
            )
            others = "the others are never entered again"
            yield RuleMatch(
                f"Nothing leads out of {called}: {others}.", state.id
            )


@behavior_rule(
    "A state whose end nothing takes up",
    why="Its rows can end in a way that no transition waits for. The machine then stands still.",
    severity=Severity.WARNING,
)
def unhandled_end(reading: BehaviorAnalysis) -> Iterator[RuleMatch]:
    """A state with rows whose only ways out are 'on done', and that can end in
    another way, or not at all.
    """
    for state in all_states(reading):
        rows = reading.children(state.id, *RUNS)
        ways = [each for each in ways_out(reading, state) if target(each)]
        # Any other transition may lead out of it whatever its rows do.
        if rows and _all_wait_for_done(ways):
            ends = all_succeed({}, [reading.ends(each) for each in rows])
            says = _not_taken_up(
                ends, ways, reading.outline.number[ways[0].id]
            )
            if says:
                yield RuleMatch(says, state.id)


def _all_wait_for_done(ways: list[Row]) -> bool:
    """Whether there are transitions, and all of them wait for their state to
    be done.
    """
    return bool(ways) and all(each.kind == ON_DONE for each in ways)


def _not_taken_up(ends: PossibleOutcomes, ways: list[Row], number: str) -> str:
    """How a state can end without any of its 'on done' transitions taking it
    up; empty if it cannot. `number` is that of the first of them.
    """
    if not ends.ends:
        return f"Its rows never end, and {number} waits for that."
    taken = {str(each.args.get("result", EITHER_WAY)) for each in ways}
    possible = {"success": ends.succeeds, "failure": ends.fails}
    for result, can in possible.items():
        if can and not taken & {EITHER_WAY, result}:
            waits = " and ".join(sorted(taken))
            return (
                f"It can end with {result}, and nothing leads out then: "
                f"{number} waits for {waits}."
            )
    return ""


@behavior_rule(
    "A state that waits to be done with nothing to do",
    why="Its only ways out are 'on done', and a state without rows is never told to be done.",
    severity=Severity.WARNING,
)
def nothing_to_do(reading: BehaviorAnalysis) -> Iterator[RuleMatch]:
    """A state without rows whose transitions all wait for it to be done."""
    for state in all_states(reading):
        ways = [each for each in ways_out(reading, state) if target(each)]
        is_empty = not reading.children(state.id, *RUNS, Family.STATE)
        if state.kind == STATE and is_empty and _all_wait_for_done(ways):
            yield RuleMatch(
                "It waits to be done, and has no rows that could be.", state.id
            )


@behavior_rule(
    "A state with nothing in it",
    why=(
        "While it is active nothing is done. If that is meant, a row such as wait says so to "
        "whoever reads it."
    ),
    severity=Severity.HINT,
)
def empty_state(reading: BehaviorAnalysis) -> Iterator[RuleMatch]:
    """A state without rows, states, upkeep or work on entering or leaving it."""
    for state in all_states(reading):
        inside = reading.children(state.id, *RUNS, Family.STATE, Family.HOOK)
        # One that waits to be done is found by the rule above.
        is_reported = _all_wait_for_done(transitions_of(reading, state))
        if (
            state.kind == STATE
            and not state.upkeep
            and not inside
            and not is_reported
        ):
            yield RuleMatch("While it is active nothing is done.", state.id)


@behavior_rule(
    "States that lead round without time",
    why=(
        "Transitions that always hold are taken at once: a ring of them never comes to rest "
        "within a tick."
    ),
    severity=Severity.ERROR,
)
def timeless_loop(reading: BehaviorAnalysis) -> Iterator[RuleMatch]:
    """A ring of states whose transitions always hold."""
    for machine in machines_in(reading):
        states = {state.id: state for state in states_in(reading, machine)}
        at_once = {
            name: _at_once(reading, state) for name, state in states.items()
        }
        for start in states:
            ring = _ring_from(start, at_once)
            # A ring is met from each of its states, and told of at the first.
            if (
                ring
                and min(ring, key=lambda each: reading.outline.number[each])
                == start
            ):
                names = " → ".join(
                    states[each].name or each for each in (*ring, start)
                )
                yield RuleMatch(f"It never comes to rest: {names}.", start)


def _ring_from(start: str, at_once: Mapping[str, str]) -> list[str]:
    """The states that lead on at once from one, back to that one; none if they
    do not.
    """
    ring, at = [start], at_once[start]
    while at in at_once and at not in ring:
        ring.append(at)
        at = at_once[at]
    if at == start:
        return ring
    return []


def _at_once(reading: BehaviorAnalysis, state: Row) -> str:
    """Where a state leads in the very tick it is entered; empty if nowhere."""
    for each in transitions_of(reading, state):
        if (
            each.kind == WHEN
            and constant(str(each.args.get("when", ""))) is True
        ):
            return target(each)
    return ""
