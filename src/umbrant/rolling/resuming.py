"""From which tick on a take differs from another one that was played before, so that it need not be
played from its first tick.

What is compared are the documents, and at which tick each row was first heard of. A row that was
not heard of has no state, and nothing that is recorded knows of its arguments.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field

from umbrant.catalog.kinds.decorators import SLACK_S
from umbrant.model.behaviors import Row
from umbrant.model.expanded import ExpandedBehavior, expand_behavior
from umbrant.model.kind_ids import USE_BEHAVIOR
from umbrant.model.staging import Scenario
from umbrant.rolling.cues import numbered
from umbrant.rolling.roll import RollOrder, played

AgentRow = tuple[str, str]
"""The name of an agent, and the id of a row that it runs."""


@dataclass(frozen=True)
class OrderChange:
    """How an order differs from one that was played before it."""

    rows: Mapping[str, tuple[Row, ...]] = field(default_factory=dict)
    """For each agent the rows whose leaves have other arguments, as they are now."""
    from_tick: int = 0
    """The first tick at which something else is done by the scenario, or its end."""

    def first_tick(self, heard: Mapping[AgentRow, int]) -> int:
        """The first tick that may differ, by the ticks at which rows were first heard of."""
        known = [
            heard[agent, row.id]
            for agent, rows in self.rows.items()
            for row in rows
            if (agent, row.id) in heard
        ]
        return min([self.from_tick, *known])


def change_of(before: RollOrder, after: RollOrder) -> OrderChange | None:
    """How an order differs from one before it; None where it must be played from its first tick."""
    if before.project.nodes or after.project.nodes or before.scenario != after.scenario:
        return None
    one, other = played(before), played(after)
    from_tick = _scenario_tick(one, other)
    keys = [each.project.world_keys() for each in (before, after)]
    stages = [each.project.stage(played(each).stage) for each in (before, after)]
    if from_tick is None or keys[0] != keys[1] or stages[0] != stages[1]:
        return None
    changed: dict[str, tuple[Row, ...]] = {}
    by_behavior: dict[str, tuple[Row, ...] | None] = {}
    for member in other.players:
        name = member.behavior
        if name is None:
            continue
        if name not in by_behavior:
            by_behavior[name] = _changed_rows(
                expand_behavior(before.project, name), expand_behavior(after.project, name)
            )
        rows = by_behavior[name]
        if rows is None:
            return None
        if rows:
            changed[member.name] = rows
    return OrderChange(changed, from_tick)


def _scenario_tick(one: Scenario, other: Scenario) -> int | None:
    """The first tick at which two scenarios do something else; None where they differ at once."""
    same = {"title": "", "seconds": 1.0, "cues": ()}
    if one is not other and one.model_copy(update=same) != other.model_copy(update=same):
        return None
    ticks = [one.tick_count, other.tick_count]
    before, after = numbered(one), numbered(other)
    for number in sorted({*before, *after}):
        here = before.get(number), after.get(number)
        if here[0] != here[1]:
            for cue in here:
                if cue is not None and cue.at_s is None:
                    return None
                if cue is not None and cue.at_s is not None:
                    ticks.append(_tick_of(cue.at_s, one))
    return min(ticks)


def cue_ticks(scenario: Scenario) -> list[int]:
    """The last ticks before which nothing of each cue can have been done; of those with a time."""
    return [_tick_of(cue.at_s, scenario) for cue in scenario.cues if cue.at_s is not None]


def _tick_of(at_s: float, scenario: Scenario) -> int:
    return max(0, int((at_s - SLACK_S) * scenario.ticks_per_s))


def _changed_rows(one: ExpandedBehavior, other: ExpandedBehavior) -> tuple[Row, ...] | None:
    """The rows whose leaves have other arguments; None where anything else differs that is
    played.
    """
    before, after = one.behavior.rows, other.behavior.rows
    is_same = (
        len(before) == len(after)
        and one.keys == other.keys
        and one.given == other.given
        and one.root_scope == other.root_scope
        and one.key_scopes == other.key_scopes
    )
    if not is_same:
        return None
    changed = [(was, now) for was, now in zip(before, after, strict=True) if was != now]
    around = {row.under for row in after}
    if not all(_differ_in_leaves(was, now, around) for was, now in changed):
        return None
    # A note is read by nobody who plays.
    return tuple(now for was, now in changed if (was.args, was.upkeep) != (now.args, now.upkeep))


def _differ_in_leaves(was: Row, now: Row, around: set[str | None]) -> bool:
    """Whether two rows differ in what their actions and upkeep are given, and in nothing else but
    what is written about them.
    """
    if len(was.upkeep) != len(now.upkeep):
        return False
    if was.args != now.args and (now.id in around or now.kind == USE_BEHAVIOR):
        return False
    return _without_arguments(was) == _without_arguments(now)


def _without_arguments(row: Row) -> Row:
    upkeep = tuple(each.model_copy(update={"args": {}}) for each in row.upkeep)
    return row.model_copy(update={"args": {}, "upkeep": upkeep, "note": ""})
