"""Findings about where NPCs go: points that go stale, and distances that do
not fit together.
"""

from collections.abc import Iterator

from umbrant.catalog.kind import RUNS
from umbrant.catalog.references import param_uses
from umbrant.model.behaviors import Row, UpkeepMoment
from umbrant.model.kind_ids import MACHINE, STATE, STATES
from umbrant.model.parts import ROW
from umbrant.model.staging import MoveTo, Scenario
from umbrant.model.values import KeyRef, KeyType, PlaceRef, Value, number_text
from umbrant.review.behavior_analysis import BehaviorAnalysis
from umbrant.review.findings import RuleMatch, Severity
from umbrant.review.rules import behavior_rule
from umbrant.review.value_ranges import ValueRange

NOTING = ("set_point", "look_out")
"""The actions that note where something is now."""
DRAWING = "pick_point"
"""The action that draws a point around something."""
SLACK_M = 0.3
"""How much further in than asked for a body may come to stand, within one
tick.
"""


@behavior_rule(
    "A target that goes stale",
    why=(
        "The point is noted once, and what it was taken from moves on. Note it as upkeep, or go "
        "to the thing itself."
    ),
    severity=Severity.HINT,
)
def stale_target(reading: BehaviorAnalysis) -> Iterator[RuleMatch]:
    """A point that is taken once from what moves, or copied from a key that is
    kept fresh, and then gone to: by a row after it, or in another state.
    """
    refreshed = _refreshed(reading)
    for row in reading.rows:
        key = _point_taken(reading, row)
        if not key or key in refreshed:
            continue
        # A point that is drawn for the very rows after it is drawn anew in
        # each round of them.
        if row.kind == DRAWING:
            after = []
        else:
            after = _after(reading, row)
        used_later = [*after, *_in_other_states(reading, row)]
        if any(_goes_to(reading, each, key) for each in used_later):
            yield RuleMatch(
                f"{key} is taken once, and what it is taken from moves.",
                row.id,
                about=key,
            )


def _point_taken(reading: BehaviorAnalysis, row: Row) -> str:
    """The key into which a row takes a point that is soon out of date; empty
    if it takes none.
    """
    # To copy what is kept up to date is to stop keeping it up to date.
    is_copy = row.kind == "copy" and _is_fresh(reading, row)
    if not is_copy and not (
        row.kind in (*NOTING, DRAWING) and _moves(reading, row)
    ):
        return ""
    for each in param_uses(row, reading.catalog):
        holds_point = is_copy or KeyType.POINT in each.param.keys
        is_written = each.part == ROW and each.param.writes
        if is_written and holds_point and isinstance(each.value, KeyRef):
            return each.value.key
    return ""


def _after(reading: BehaviorAnalysis, row: Row) -> list[str]:
    """The rows that are done after a row, in what it is in."""
    siblings = reading.outline.siblings(row.id)
    return [
        each
        for sibling in siblings[siblings.index(row.id) + 1 :]
        for each in reading.outline.within(sibling)
    ]


def _in_other_states(reading: BehaviorAnalysis, row: Row) -> list[str]:
    """The rows of the other states of the machine that a row is in."""
    path = [
        reading.behavior.row(each) for each in reading.outline.path(row.id)
    ]
    machine = next(
        (each for each in reversed(path) if each.kind == MACHINE), None
    )
    own = next((each for each in reversed(path) if each.kind in STATES), None)
    if machine is None or own is None:
        return []
    # Whether the other state comes before or after is for the machine to
    # decide, so any of them may be late.
    inside = set(reading.outline.within(own.id))
    return [
        each
        for each in reading.outline.within(machine.id)
        if each not in inside
    ]


def _goes_to(reading: BehaviorAnalysis, row_id: str, key: str) -> bool:
    row = reading.behavior.row(row_id)
    return (
        row_id in reading.live
        and row.args.get("target") == KeyRef(key=key)
        # A row that notes the target anew goes to where it is now.
        and not any(
            each.param.writes
            for each in param_uses(row, reading.catalog)
            if each.part == ROW
        )
    )


def _refreshed(reading: BehaviorAnalysis) -> set[str]:
    """The keys that upkeep has to do with again and again."""
    values = (
        value
        for row in reading.rows
        for upkeep in row.upkeep
        if upkeep.at is UpkeepMoment.EVERY
        for value in upkeep.args.values()
    )
    return {value.key for value in values if isinstance(value, KeyRef)}


def _is_fresh(reading: BehaviorAnalysis, row: Row) -> bool:
    """Whether a row copies a point that an upkeep keeps up to date."""
    source = row.args.get("source")
    key = None
    if isinstance(source, KeyRef):
        key = reading.keys.get(source.key)
    return (
        key is not None
        and key.type is KeyType.POINT
        and key.name in _refreshed(reading)
    )


def _moves(reading: BehaviorAnalysis, row: Row) -> bool:
    """Whether what a row takes a point from is one of the cast that moves."""
    aim = row.args.get("target")
    scenarios = reading.project.scenarios
    if isinstance(aim, PlaceRef):
        return any(_can_move(each, aim.place) for each in scenarios)
    if isinstance(aim, str) and aim:
        return any(_can_move(each, aim) for each in scenarios)
    key = None
    if isinstance(aim, KeyRef):
        key = reading.keys.get(aim.key)
    if key is None or key.type is not KeyType.AGENT:
        return False
    return any(_can_move(each, key.default) for each in scenarios)


def _can_move(scenario: Scenario, name: Value | None) -> bool:
    """Whether one of the cast may ever be elsewhere than at its start; anyone,
    for no name.
    """
    done = [
        action
        for cue in scenario.cues
        for _, action in scenario.spelled_out(cue.does)
    ]
    moved = {action.moves for action in done if isinstance(action, MoveTo)}
    return any(
        # Steps are what a hand did in a rehearsal that was kept.
        member.behavior or member.walk or member.steps or member.name in moved
        for member in scenario.players
        if name in (None, member.name)
    )


@behavior_rule(
    "It stops too far away",
    why="A row that goes somewhere ends as soon as it is near enough, so what needs to be nearer "
    "comes too early.",
    severity=Severity.WARNING,
)
def out_of_reach(reading: BehaviorAnalysis) -> Iterator[RuleMatch]:
    """What follows a 'move to' in a sequence or a state, and must be nearer to
    its target than that row goes.
    """
    for row in reading.rows:
        kind = reading.kind(row)
        if kind is None or (
            kind.goes_on_after != "success" and row.kind != STATE
        ):
            continue
        stop: tuple[Row, str, float] | None = None
        for child in reading.children(row.id, *RUNS):
            if stop is not None:
                needed = _needed_m(reading, child, stop[1])
                if needed is not None and needed <= stop[2] - SLACK_M:
                    yield RuleMatch(
                        f"{reading.called(stop[0])} stops {number_text(stop[2])} m away, and this "
                        f"asks for {number_text(needed)} m.",
                        child.id,
                    )
            # What stands still leaves the body where it was; whatever else may
            # move it, and then nothing is known.
            stop = _stop(reading, child) or (
                stop if _stands(reading, child) else None
            )


def _stop(
    reading: BehaviorAnalysis, row: Row
) -> tuple[Row, str, float] | None:
    """The row, its target and the distance at which it stops, for a row that
    goes to a target.
    """
    reach = _reach(reading, row)
    if row.kind != "move_to" or reach is None:
        return None
    return row, _target_text(row), reach


def _reach(reading: BehaviorAnalysis, row: Row) -> float | None:
    """How near to its target a row must be; None for a kind without a reach,
    or one from a key.
    """
    kind = reading.kind(row)
    param = None
    if kind is not None:
        param = kind.param("reach")
    reach = None
    if param is not None:
        reach = row.args.get("reach", param.default)
    if isinstance(reach, int | float):
        return float(reach)
    return None


def _target_text(row: Row) -> str:
    """The target of a row as conditions write it; empty for none."""
    match row.args.get("target"):
        case KeyRef(key=key):
            return key
        case PlaceRef(place=name) | str(name):
            return repr(name)
    return ""


def _stands(reading: BehaviorAnalysis, row: Row) -> bool:
    """Whether a row leaves the body where it is: it takes no time, and nothing
    is in it.
    """
    kind = reading.kind(row)
    return kind is not None and not kind.takes_time and not kind.holds


def _needed_m(reading: BehaviorAnalysis, row: Row, aim: str) -> float | None:
    """How near to a target a row must be, by its guard, its condition or its
    reach; None for one that does not say.
    """
    needed: list[float] = []
    reach = _reach(reading, row)
    if (
        row.kind != "move_to"
        and _target_text(row) == aim
        and reach is not None
    ):
        needed.append(reach)
    for when in (
        row.guard.when if row.guard else "",
        str(row.args.get("when") or ""),
    ):
        found = None
        if when:
            found = reading.cases(when)
        nearest = [
            each.ranges.get(f"distance({aim})", ValueRange()).high
            for each in found or ()
        ]
        needed.extend([max(nearest)] if nearest else [])
    return min(needed, default=None)
