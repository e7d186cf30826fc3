"""How a machine is put together: its states, and the transitions that lead out
of each.
"""

from collections.abc import Iterator

from umbrant.catalog.kind import Family
from umbrant.model.behaviors import Row, targets_of
from umbrant.model.kind_ids import HISTORY, MACHINE, REGIONS, WHEN
from umbrant.review.behavior_analysis import BehaviorAnalysis, constant


def machines_in(reading: BehaviorAnalysis) -> Iterator[Row]:
    """The machines of a behavior."""
    return (row for row in reading.rows if row.kind == MACHINE)


def states_in(reading: BehaviorAnalysis, row: Row) -> Iterator[Row]:
    """The states in a machine or a state, at whatever depth."""
    for child in reading.children(row.id, Family.STATE):
        yield child
        yield from states_in(reading, child)


def all_states(reading: BehaviorAnalysis) -> Iterator[Row]:
    """The states of all machines of a behavior, machine by machine."""
    for machine in machines_in(reading):
        yield from states_in(reading, machine)


def transitions_of(reading: BehaviorAnalysis, row: Row) -> list[Row]:
    """The transitions that are written under a machine or a state itself."""
    return reading.children(row.id, Family.TRANSITION)


def ways_out(reading: BehaviorAnalysis, state: Row) -> list[Row]:
    """The transitions that may fire while a state is active, in the order in
    which they are asked: its own as they are written, then those of what is
    around it, up to its machine.
    """
    found: list[Row] = []
    for row_id in reversed(reading.outline.path(state.id)):
        row = reading.behavior.row(row_id)
        found.extend(transitions_of(reading, row))
        if row.kind == MACHINE:
            break
    return found


def target(transition: Row) -> str:
    """The id of the state that a transition leads to; empty for one that leads
    nowhere.
    """
    return str(transition.args.get("to", "") or "")


def begun_in(reading: BehaviorAnalysis, row: Row) -> list[str]:
    """The states in a row that are entered when it is."""
    proper = [
        each
        for each in reading.children(row.id, Family.STATE)
        if each.kind != HISTORY
    ]
    if row.kind == REGIONS:
        return [each.id for each in proper]
    first = str(row.args.get("initial", "")) or (
        proper[0].id if proper else ""
    )
    # A history that has nothing to remember yet leads to the first state, as
    # the engine has it.
    if (
        first in reading.behavior.by_id
        and reading.behavior.row(first).kind == HISTORY
    ):
        first = ""
        if proper:
            first = proper[0].id
    remembered = [
        str(each.args.get("otherwise", ""))
        for each in reading.children(row.id, Family.STATE)
    ]
    return [first, *remembered]


def reached_from(reading: BehaviorAnalysis, first: list[str]) -> set[str]:
    """The states that can become active once these are entered, these and what
    is around them included. Transitions whose condition is always no lead
    nowhere.
    """
    entered: set[str] = set()
    around: set[str] = set()
    entering = [each for each in first if each]
    while entering:
        row_id = entering.pop()
        if row_id in entered or row_id not in reading.behavior.by_id:
            continue
        entered.add(row_id)
        # What is around a state becomes active with it, yet does not begin in
        # its first state.
        around.update(reading.outline.path(row_id)[:-1])
        if row_id not in reading.entered_next:
            reading.entered_next[row_id] = tuple(
                dict.fromkeys(_entered_next(reading, row_id))
            )
        entering.extend(reading.entered_next[row_id])
    return entered | around


def _entered_next(reading: BehaviorAnalysis, row_id: str) -> Iterator[str]:
    """What is entered with a state, and what the transitions that may fire in
    it lead to.
    """
    row = reading.behavior.row(row_id)
    for above in map(reading.behavior.row, reading.outline.path(row_id)[:-1]):
        # A transition into one region enters the others where they begin.
        if above.kind == REGIONS:
            yield from begun_in(reading, above)
    yield from _stands_for(reading, row)
    yield from (each for each in begun_in(reading, row) if each)
    for way in filter(_can_fire, ways_out(reading, row)):
        yield from targets_of(way)


def _stands_for(reading: BehaviorAnalysis, state: Row) -> list[str]:
    """The state that a history leads to when there is nothing to go back to."""
    if state.kind != HISTORY or state.under is None:
        return []
    otherwise = str(state.args.get("otherwise", ""))
    return [
        otherwise or begun_in(reading, reading.behavior.row(state.under))[0]
    ]


def _can_fire(transition: Row) -> bool:
    never = (
        transition.kind == WHEN
        and constant(str(transition.args.get("when", ""))) is False
    )
    return bool(target(transition)) and not never
