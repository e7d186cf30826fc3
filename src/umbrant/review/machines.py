"""Findings about machines: states without a way in or out, transitions that cannot fire, thresholds
that clash.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import partial

from umbrant.catalog.declare import RUNS, Family
from umbrant.catalog.language.tree import Comparison, NumberTerm
from umbrant.model.behaviors import Row
from umbrant.model.edits import Edit, set_muted
from umbrant.model.kind_ids import (
    AFTER,
    FINAL,
    HISTORY,
    MACHINE,
    ON_DONE,
    ON_EVENT,
    REGIONS,
    STATE,
    WHEN,
)
from umbrant.model.values import number_text
from umbrant.review.behavior_analysis import BehaviorAnalysis, constant, tree_of
from umbrant.review.findings import RuleMatch, Severity
from umbrant.review.rules import behavior_rule


def _machines(reading: BehaviorAnalysis) -> Iterator[Row]:
    return (row for row in reading.rows if row.kind == MACHINE)


def _states(reading: BehaviorAnalysis, row: Row) -> Iterator[Row]:
    """The states in a machine or a state, at whatever depth."""
    for child in reading.children(row.id, Family.STATE):
        yield child
        yield from _states(reading, child)


def _transitions(reading: BehaviorAnalysis, row: Row) -> list[Row]:
    return reading.children(row.id, Family.TRANSITION)


def _all_transitions(reading: BehaviorAnalysis, machine: Row) -> list[Row]:
    return [
        each for row in (machine, *_states(reading, machine)) for each in _transitions(reading, row)
    ]


@behavior_rule(
    "A state that nothing leads to",
    why="It is never entered: no transition names it, and nothing begins in it.",
    severity=Severity.WARNING,
)
def unreached_state(reading: BehaviorAnalysis) -> Iterator[RuleMatch]:
    """A state that is neither where something begins nor where a transition leads."""
    for machine in _machines(reading):
        aims = {str(each.args.get("to", "")) for each in _all_transitions(reading, machine)}
        entered = set(aims)
        for row in (machine, *_states(reading, machine)):
            entered.update(_begun_in(reading, row))
        for state in _states(reading, machine):
            inside = {each.id for each in _states(reading, state)}
            if state.id not in entered and not inside & aims and state.kind != HISTORY:
                yield RuleMatch("Nothing leads to this state.", state.id)


def _begun_in(reading: BehaviorAnalysis, row: Row) -> list[str]:
    """The states in a row that are entered when it is."""
    proper = [each for each in reading.children(row.id, Family.STATE) if each.kind != HISTORY]
    if row.kind == REGIONS:
        return [each.id for each in proper]
    first = str(row.args.get("initial", "")) or (proper[0].id if proper else "")
    remembered = [
        str(each.args.get("otherwise", "")) for each in reading.children(row.id, Family.STATE)
    ]
    return [first, *remembered]


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
    for machine in _machines(reading):
        states = list(_states(reading, machine))
        if _transitions(reading, machine):
            continue
        for state in states:
            siblings = reading.children(state.under or machine.id, Family.STATE)
            in_regions = (
                state.under is not None and reading.behavior.row(state.under).kind == REGIONS
            )
            if state.kind in (FINAL, HISTORY) or len(siblings) < 2 or in_regions:
                continue
            around = [reading.behavior.row(each) for each in reading.outline.path(state.id)]
            inner = [each for row in _states(reading, state) for each in _transitions(reading, row)]
            if (
                not any(
                    each.args.get("to") for row in around for each in _transitions(reading, row)
                )
                and not inner
            ):
                yield RuleMatch("Nothing leads out of this state.", state.id)


@behavior_rule(
    "A state that waits to be done with nothing to do",
    why="Its only ways out are 'on done', and a state without rows is never told to be done.",
    severity=Severity.WARNING,
)
def nothing_to_do(reading: BehaviorAnalysis) -> Iterator[RuleMatch]:
    """A state without rows whose transitions all wait for it to be done."""
    for machine in _machines(reading):
        for state in _states(reading, machine):
            ways = _transitions(reading, state)
            empty = not reading.children(state.id, *RUNS, Family.STATE)
            if (
                state.kind == STATE
                and empty
                and ways
                and all(each.kind == ON_DONE for each in ways)
            ):
                yield RuleMatch("It waits to be done, and has no rows that could be.", state.id)


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
    for machine in _machines(reading):
        for state in _states(reading, machine):
            empty = not state.upkeep and not reading.children(
                state.id, *RUNS, Family.STATE, Family.HOOK
            )
            waits = [each.kind == ON_DONE for each in _transitions(reading, state)]
            if state.kind == STATE and empty and not (waits and all(waits)):
                yield RuleMatch("While it is active nothing is done.", state.id)


@behavior_rule(
    "A transition that an earlier one always beats",
    why="Of two that could fire, the one written first does.",
    severity=Severity.WARNING,
)
def beaten_transition(reading: BehaviorAnalysis) -> Iterator[RuleMatch]:
    """A transition that waits for what an earlier one of the same state waits for too, with no more
    conditions.
    """
    for machine in _machines(reading):
        for row in (machine, *_states(reading, machine)):
            before: list[Row] = []
            for each in _transitions(reading, row):
                winner = next((other for other in before if _beats(other, each)), None)
                if winner is not None:
                    fix = Edit(
                        "Mute the transition",
                        partial(set_muted, behavior=reading.name, row_ids=[each.id], muted=True),
                    )
                    number = reading.outline.number[winner.id]
                    yield RuleMatch(
                        f"It never fires, for {number} before it does whenever it could.",
                        each.id,
                        fix=fix,
                    )
                before.append(each)


def _beats(first: Row, second: Row) -> bool:
    if first.kind == WHEN:
        said = str(first.args.get("when", ""))
        same = (
            second.kind == WHEN
            and tree_of(said) is not None
            and tree_of(said) == tree_of(str(second.args.get("when")))
        )
        return constant(said) is True or same
    if first.kind != second.kind:
        return False
    if first.kind == ON_EVENT:
        mine, other = str(first.args.get("event", "")), str(second.args.get("event", ""))
        hears = bool(mine) and (other == mine or other.startswith(f"{mine}."))
        return hears and _asks_no_more(first, second)
    if first.kind == AFTER:
        one, other_time = first.args.get("time"), second.args.get("time")
        if isinstance(one, int | float) and isinstance(other_time, int | float):
            return one <= other_time and _asks_no_more(first, second)
        return False
    if not _asks_no_more(first, second):
        return False
    results = first.args.get("result", "either way"), second.args.get("result", "either way")
    return results[0] in ("either way", results[1])


def _asks_no_more(first: Row, second: Row) -> bool:
    """Whether the condition of a transition holds whenever that of another does."""
    said = str(first.args.get("when") or "")
    if not said or constant(said) is True:
        return True
    tree = tree_of(said)
    return tree is not None and tree == tree_of(str(second.args.get("when") or ""))


@dataclass(frozen=True)
class _Bound:
    """A transition that fires where a value is above or below a number."""

    row: Row
    to: str
    value: object
    sign: str
    number: float

    @property
    def above(self) -> bool:
        return self.sign in (">", ">=")


def _bound(row: Row) -> _Bound | None:
    tree = tree_of(str(row.args.get("when", ""))) if row.kind == WHEN else None
    if not isinstance(tree, Comparison) or tree.sign not in ("<", "<=", ">", ">="):
        return None
    if isinstance(tree.right, NumberTerm):
        return _Bound(row, str(row.args.get("to", "")), tree.left, tree.sign, tree.right.value)
    return None


@behavior_rule(
    "Thresholds that overlap",
    why=(
        "Where both conditions hold the machine changes to and fro at every tick. Leave a "
        "distance between them."
    ),
    severity=Severity.WARNING,
)
def overlapping_thresholds(reading: BehaviorAnalysis) -> Iterator[RuleMatch]:
    """Two transitions that lead to and fro between two states, on the same value, both of which can
    hold at once.
    """
    for machine in _machines(reading):
        states = {state.id: state for state in _states(reading, machine)}
        for state in states.values():
            for one in filter(None, map(_bound, _transitions(reading, state))):
                other = states.get(one.to)
                if other is None or not one.above:
                    continue
                for back in filter(None, map(_bound, _transitions(reading, other))):
                    both = back.number > one.number or (
                        back.number == one.number and "=" in back.sign and "=" in one.sign
                    )
                    if back.to == state.id and back.value == one.value and not back.above and both:
                        numbers = f"{number_text(one.number)} and {number_text(back.number)}"
                        yield RuleMatch(
                            f"Between {numbers} it leads to {other.name or other.id} and that "
                            "leads back at once.",
                            one.row.id,
                            about=back.row.id,
                        )


@behavior_rule(
    "A gap between thresholds",
    why=(
        "A state with nothing to do that is left above one number or below another is stuck at "
        "what lies between."
    ),
    severity=Severity.WARNING,
)
def threshold_gap(reading: BehaviorAnalysis) -> Iterator[RuleMatch]:
    """A state without rows whose only two ways out leave a gap on one value."""
    for machine in _machines(reading):
        for state in _states(reading, machine):
            ways = _transitions(reading, state)
            bounds = [each for each in map(_bound, ways) if each is not None]
            if (
                reading.children(state.id, *RUNS, Family.STATE)
                or len(ways) != 2
                or len(bounds) != 2
            ):
                continue
            low, high = sorted(bounds, key=lambda each: each.above)
            if (
                low.value == high.value
                and not low.above
                and high.above
                and low.number < high.number
            ):
                numbers = f"{number_text(low.number)} and {number_text(high.number)}"
                yield RuleMatch(
                    f"Between {numbers} nothing leads out of it, and it has nothing to do.",
                    state.id,
                )


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
    for machine in _machines(reading):
        states = {state.id: state for state in _states(reading, machine)}
        at_once = {name: _at_once(reading, state) for name, state in states.items()}
        for start in states:
            seen, at = [start], at_once[start]
            while at in at_once and at not in seen:
                seen.append(at)
                at = at_once[at]
            if at == start and min(seen, key=lambda each: reading.outline.number[each]) == start:
                names = " → ".join(states[each].name or each for each in (*seen, start))
                yield RuleMatch(f"It never comes to rest: {names}.", start)


def _at_once(reading: BehaviorAnalysis, state: Row) -> str:
    """Where a state leads in the very tick it is entered; empty if nowhere."""
    for each in _transitions(reading, state):
        if each.kind == WHEN and constant(str(each.args.get("when", ""))) is True:
            return str(each.args.get("to", ""))
    return ""
