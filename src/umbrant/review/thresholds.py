"""Findings about numbers that clash: conditions that hold at once, never, or
only where an earlier one does.
"""

from collections.abc import Iterator
from functools import partial
from math import inf

from umbrant.catalog.kind import RUNS, Family
from umbrant.catalog.language.phrases import spoken
from umbrant.catalog.language.tree import tree_of
from umbrant.catalog.references import key_references
from umbrant.model.behaviors import Row
from umbrant.model.edits import Edit, set_muted
from umbrant.model.kind_ids import AFTER, ON_EVENT, STATE, WHEN
from umbrant.model.values import KeyRef, number_text
from umbrant.review.behavior_analysis import BehaviorAnalysis, constant
from umbrant.review.findings import RuleMatch, Severity
from umbrant.review.machine_shape import (
    all_states,
    machines_in,
    states_in,
    target,
    transitions_of,
    ways_out,
)
from umbrant.review.rules import behavior_rule
from umbrant.review.value_ranges import (
    ALWAYS,
    Case,
    Cases,
    ValueRange,
    implies,
    together,
)


def _when(row: Row) -> str:
    return str(row.args.get("when") or "")


@behavior_rule(
    "A transition that an earlier one always beats",
    why="Of two that could fire, the one written first does.",
    severity=Severity.WARNING,
)
def beaten_transition(reading: BehaviorAnalysis) -> Iterator[RuleMatch]:
    """A transition that waits for what an earlier one of the same state waits
    for too, whose condition holds whenever its own does.
    """
    for row in (*machines_in(reading), *all_states(reading)):
        ways = transitions_of(reading, row)
        for place, each in enumerate(ways):
            winner = next(
                (
                    other
                    for other in ways[:place]
                    if _beats(reading, other, each)
                ),
                None,
            )
            if winner is None:
                continue
            mute = partial(
                set_muted, behavior=reading.name, row_ids=[each.id], muted=True
            )
            number = reading.outline.number[winner.id]
            yield RuleMatch(
                f"It never fires, for {number} before it does whenever it could.",
                each.id,
                fix=Edit("Mute the transition", mute),
            )


def _beats(reading: BehaviorAnalysis, first: Row, second: Row) -> bool:
    """Whether a transition fires whenever a later one of the same state could."""
    if first.kind == WHEN and constant(_when(first)) is True:
        return True
    # Of different kinds each may fire while the other waits for something
    # else: nothing can be said.
    if first.kind != second.kind or not _asks_no_more(reading, first, second):
        return False
    if first.kind == ON_EVENT:
        mine, other = (
            str(first.args.get("event", "")),
            str(second.args.get("event", "")),
        )
        # `yard` hears `yard.open` as well, so it beats what waits for that.
        return bool(mine) and (other == mine or other.startswith(f"{mine}."))
    if first.kind == AFTER:
        one, other_time = first.args.get("time"), second.args.get("time")
        if isinstance(one, int | float) and isinstance(
            other_time, int | float
        ):
            return one <= other_time
        return False
    if first.kind == WHEN:
        return True
    results = (
        first.args.get("result", "either way"),
        second.args.get("result", "either way"),
    )
    return results[0] in ("either way", results[1])


def _asks_no_more(reading: BehaviorAnalysis, first: Row, second: Row) -> bool:
    """Whether the condition of a transition holds whenever that of another
    does.
    """
    wide, narrow = reading.cases(_when(first)), reading.cases(_when(second))
    # A condition that can never hold is beaten by nothing: that is another
    # finding.
    return (
        wide is not None
        and narrow is not None
        and bool(narrow)
        and implies(narrow, wide)
    )


@behavior_rule(
    "Thresholds that overlap",
    why=(
        "Where both conditions hold the machine changes to and fro at every tick. Leave a "
        "distance between them."
    ),
    severity=Severity.WARNING,
)
def overlapping_thresholds(reading: BehaviorAnalysis) -> Iterator[RuleMatch]:
    """Two transitions that lead to and fro between two states, whose
    conditions can hold at once.
    """
    reported: set[frozenset[str]] = set()
    for machine in machines_in(reading):
        states = {
            state.id: state
            for state in states_in(reading, machine)
            if _is_free(reading, state)
        }
        for state, one, there, back in _ways_to_and_fro(reading, states):
            # The two are met once from each side.
            pair = frozenset((one.id, back.id))
            both = None
            if pair not in reported:
                both = _both(reading, (state, one), (there, back))
            if both is not None:
                reported.add(pair)
                yield RuleMatch(
                    f"{_where(reading, both)} it leads to {there.name or there.id} and that "
                    "leads back at once.",
                    one.id,
                    about=back.id,
                )


def _ways_to_and_fro(
    reading: BehaviorAnalysis, states: dict[str, Row]
) -> Iterator[tuple[Row, Row, Row, Row]]:
    """A state, a transition that leads out of it, the state that it leads to,
    and a transition that leads back.
    """
    for state in states.values():
        for one, there in _moves(reading, state, states):
            for back, home in _moves(reading, there, states):
                if home.id == state.id:
                    yield state, one, there, back


def _is_free(reading: BehaviorAnalysis, state: Row) -> bool:
    """Whether a state has no states in it and may be left at any time."""
    # A state that must be done first does not change to and fro at every tick,
    # whatever both conditions say.
    at_any_time = state.args.get("leaving", "at any time") == "at any time"
    return (
        state.kind == STATE
        and at_any_time
        and not reading.children(state.id, Family.STATE)
    )


def _moves(
    reading: BehaviorAnalysis, state: Row, states: dict[str, Row]
) -> Iterator[tuple[Row, Row]]:
    """The transitions that ask a condition at every tick, and the other states
    they lead to.
    """
    for each in ways_out(reading, state):
        if (
            each.kind == WHEN
            and target(each) in states
            and target(each) != state.id
        ):
            yield each, states[target(each)]


def _both(
    reading: BehaviorAnalysis, one: tuple[Row, Row], other: tuple[Row, Row]
) -> Case | None:
    """Where a transition of each of two states would fire, if neither state
    changes what they ask and nothing before them fires first.
    """
    conditions = [reading.cases(_when(way)) for _, way in (one, other)]
    if conditions[0] is None or conditions[1] is None:
        return None
    reads = {
        key
        for _, way in (one, other)
        for key in key_references(way, reading.catalog).reads
    }
    written = _written(reading, *one, *other)
    both = together(conditions[0], conditions[1])
    # What a state or its way writes may be just what the way back reads: then
    # it need not hold any more.
    if both is None or reads & written:
        return None
    beaten = any(
        _fires_first(reading, state, way, both) for state, way in (one, other)
    )
    if beaten:
        return None
    return both


def _fires_first(
    reading: BehaviorAnalysis, state: Row, way: Row, where: Case
) -> bool:
    """Whether a transition that is asked earlier may fire in this case."""
    ways = ways_out(reading, state)
    for each in ways[: ways.index(way)]:
        found = None
        if each.kind == WHEN:
            found = reading.cases(_when(each))
        # Of a condition that nothing is known about it is assumed that it may
        # hold: a finding that might be false is none.
        if each.kind == WHEN and (
            found is None or together(found, (where,)) is not None
        ):
            return True
    return False


def _where(reading: BehaviorAnalysis, case: Case) -> str:
    """The numbers of a case in words, to begin a sentence with."""
    parts = [
        _range_words(_words(reading, value), found)
        for value, found in case.ranges.items()
    ]
    for question, yes in case.answers.items():
        words = _words(reading, question)
        parts.append(words if yes else f"not {words}")
    if parts:
        return f"Where {' and '.join(parts)},"
    return "Always"


def _words(reading: BehaviorAnalysis, text: str) -> str:
    """A value or a question as rows read it."""
    tree = tree_of(text)
    if tree is not None:
        return spoken(tree, reading.catalog)
    return text


def _range_words(value: str, found: ValueRange) -> str:
    low, high = number_text(found.low), number_text(found.high)
    if found.low == found.high:
        return f"{value} is {low}"
    if found.low == -inf:
        return f"{value} is below {high}"
    if found.high == inf:
        return f"{value} is above {low}"
    return f"{value} is {low} to {high}"


@behavior_rule(
    "A state that leads to itself over and over",
    why=(
        "A transition that is asked at every tick and leads to the state that is active leaves it "
        "and enters it again, so nothing in it gets any further."
    ),
    severity=Severity.WARNING,
)
def reentered_state(reading: BehaviorAnalysis) -> Iterator[RuleMatch]:
    """A 'when' transition of a state, or of what is around it, that leads to
    this very state.
    """
    for state in all_states(reading):
        for way in ways_out(reading, state):
            if _reenters(reading, state, way):
                number = reading.outline.number[way.id]
                yield RuleMatch(
                    f"While the condition of {number} holds, it is left and entered again at once.",
                    state.id,
                    about=way.id,
                )


def _reenters(reading: BehaviorAnalysis, state: Row, way: Row) -> bool:
    """Whether a transition leads from a state to that state, at every tick
    once it holds.
    """
    if (
        way.kind != WHEN
        or target(way) != state.id
        or not _is_free(reading, state)
    ):
        return False
    found = reading.cases(_when(way))
    reads = key_references(way, reading.catalog).reads
    # What the state or the way writes may be just what makes it hold.
    if not found or reads & _written(reading, state, way):
        return False
    # Another transition may fire first in each case in which this one would.
    return not all(_fires_first(reading, state, way, each) for each in found)


def _written(reading: BehaviorAnalysis, *rows: Row) -> set[str]:
    """The keys that are written in some rows, or in what is in them."""
    within = [
        row_id for row in rows for row_id in reading.outline.within(row.id)
    ]
    return {key for row_id in within for key in reading.uses[row_id].writes}


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
    for state in all_states(reading):
        ways = ways_out(reading, state)
        found = [
            reading.cases(_when(each)) for each in ways if each.kind == WHEN
        ]
        gap = None
        if len(found) == len(ways) == 2:
            gap = _gap(found)
        if gap and not reading.children(state.id, *RUNS, Family.STATE):
            numbers = " and ".join(map(number_text, gap))
            yield RuleMatch(
                f"Between {numbers} nothing leads out of it, and it has nothing to do.",
                state.id,
            )


def _gap(found: list[Cases | None]) -> tuple[float, float] | None:
    """The numbers between which neither of two conditions holds; None unless
    each is one bound of the same value.
    """
    single = [
        each[0].ranges for each in found if each is not None and len(each) == 1
    ]
    if (
        len(single) != 2
        or any(len(each) != 1 for each in single)
        or set(single[0]) != set(single[1])
    ):
        return None
    (value,) = single[0]
    low, high = sorted(
        (each[value] for each in single), key=lambda each: each.low
    )
    if low.low == -inf and low.high < high.low < inf:
        return (low.high, high.low)
    return None


@behavior_rule(
    "A guard that holds only where an earlier one does",
    why=(
        "A selector tries its rows in order. The narrower of two conditions belongs before the "
        "wider one."
    ),
    severity=Severity.WARNING,
)
def hidden_band(reading: BehaviorAnalysis) -> Iterator[RuleMatch]:
    """In a selector, a row with a guard whose numbers lie within those of a
    row before it. One that watches to take over need not wait for its turn.
    """
    for row in reading.rows:
        kind = reading.kind(row)
        if (
            kind is None
            or kind.goes_on_after != "failure"
            or not kind.allows_take_over
        ):
            continue
        before: list[tuple[Row, Cases]] = []
        for child in reading.children(row.id, *RUNS):
            own = None
            if child.guard:
                own = reading.cases(child.guard.when)
            wider = next(
                (
                    each
                    for each, found in before
                    if own and _is_wider(found, own)
                ),
                None,
            )
            if (
                wider is not None
                and child.guard
                and not child.guard.watch.take_over
            ):
                yield RuleMatch(
                    f"It is tried only where {reading.called(wider)} fails, for whenever its guard "
                    "holds, so does that one's.",
                    child.id,
                    about=wider.id,
                )
            # A gate keeps a row out though its guard holds, so what comes
            # after it has its turn.
            if own and not _is_gated(reading, child):
                before.append((child, own))


def _is_wider(wide: Cases, narrow: Cases) -> bool:
    """Whether a condition holds wherever another does, and on more numbers of
    one value.
    """
    # A row without a condition of its own is found by another rule.
    if wide == ALWAYS or not implies(narrow, wide):
        return False
    return any(
        value in theirs.ranges and not theirs.ranges[value].holds(found)
        for mine in wide
        for value, found in mine.ranges.items()
        for theirs in narrow
    )


def _is_gated(reading: BehaviorAnalysis, row: Row) -> bool:
    kinds = (
        reading.catalog.get(each.kind, Family.DECORATOR)
        for each in row.decorators
    )
    return any(kind is not None and kind.is_gate for kind in kinds)


@behavior_rule(
    "A guard that lets go too early",
    why=(
        "Its row would go on until a certain distance, and the guard that is watched ends it "
        "before, so it never succeeds."
    ),
    severity=Severity.WARNING,
)
def early_guard(reading: BehaviorAnalysis) -> Iterator[RuleMatch]:
    """A row that goes to or away from something until a distance that its own
    watched guard rules out.
    """
    for row in reading.rows:
        aim, until = row.args.get("target"), _until(row)
        if (
            row.guard is None
            or not row.guard.watch.while_running
            or not isinstance(aim, KeyRef)
        ):
            continue
        found = reading.cases(row.guard.when)
        value = f"distance({aim.key})"
        ranges = [each.ranges.get(value, ValueRange()) for each in found or ()]
        if (
            until is not None
            and ranges
            and all(each.meet(until).is_empty for each in ranges)
        ):
            if until.high == inf:
                side = until.low
            else:
                side = until.high
            yield RuleMatch(
                f"It would end at {number_text(side)} m, and its guard stops it before that.",
                row.id,
            )


def _until(row: Row) -> ValueRange | None:
    """The distances from its target at which a row ends; None for one without."""
    distance = None
    if row.kind == "move_away":
        distance = row.args.get("distance", 6.0)
    reach = None
    if row.kind == "move_to":
        reach = row.args.get("reach", 0.5)
    if isinstance(distance, int | float):
        return ValueRange(low=float(distance))
    if isinstance(reach, int | float):
        return ValueRange(high=float(reach))
    return None
