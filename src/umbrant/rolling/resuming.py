"""From which tick on a take differs from another one that was played before,
so that it need not be played from its first tick.

What is compared are the documents, and what was recorded. A row that was not
heard of has no state, and nothing that is recorded knows of it. A number in a
condition changes nothing before something is found that gives another answer
by it.
"""

from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from operator import is_not
from typing import NamedTuple, Protocol

from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.kind import RUNS, Family
from umbrant.catalog.kinds.decorators import SLACK_S
from umbrant.catalog.language.tree import LanguageError, parse
from umbrant.catalog.language.written import ConditionChange, changed_numbers
from umbrant.catalog.references import conditions_by_part
from umbrant.engine.behavior_change import BehaviorChange
from umbrant.model.behaviors import Decorator, Row
from umbrant.model.documents import Project
from umbrant.model.expanded import (
    ExpandedBehavior,
    expand_behavior,
    resolve_variant,
    used_behaviors,
)
from umbrant.model.staging import HoldResult, MoveTo, Scenario, WalkPoint
from umbrant.rolling.cues import numbered
from umbrant.rolling.roll import RollOrder, played

AgentRow = tuple[str, str]
"""The name of an agent, and the id of a row that it runs."""


class RecordedAnswer(NamedTuple):
    """What an atom of a condition found, as it was recorded."""

    tick: int
    atom: int
    truth: bool | None
    left: object
    right: object


class RecordedRows(Protocol):
    """What has been recorded of the rows of a take."""

    @property
    def heard(self) -> Mapping[AgentRow, int]:
        """At which tick each row of each agent was first heard of."""

    def answers(
        self, agent: str, row_id: str, part: str
    ) -> Iterable[RecordedAnswer]:
        """What the condition of a part of a row found, in the order of time."""


@dataclass(frozen=True)
class OrderChange:
    """How an order differs from one that was played before it."""

    behaviors: Mapping[str, BehaviorChange] = field(default_factory=dict)
    """For each agent whose behavior is another one, how it differs."""
    from_tick: int = 0
    """The first tick at which something else is done by the scenario, or its
    end.
    """

    def first_tick(self, recorded: RecordedRows) -> int:
        """The first tick that may differ."""
        return min([self.from_tick, *self._ticks(recorded)])

    def _ticks(self, recorded: RecordedRows) -> Iterator[int]:
        for agent, change in self.behaviors.items():
            for row_id in change.within:
                if (agent, row_id) in recorded.heard:
                    yield recorded.heard[agent, row_id]
            for condition in change.renumbered:
                answers = recorded.answers(
                    agent, condition.row_id, condition.part
                )
                yield from _first_changed(condition, answers)


def _first_changed(
    condition: ConditionChange, answers: Iterable[RecordedAnswer]
) -> list[int]:
    """The first tick at which a condition may find something else; empty where
    it never does.
    """
    numbers = {each.atom: each for each in condition.numbers}
    for answer in answers:
        number = numbers.get(answer.atom)
        if number is not None and number.may_change(
            answer.truth, answer.left, answer.right
        ):
            return [answer.tick]
    return []


def change_of(before: RollOrder, after: RollOrder) -> OrderChange | None:
    """How an order differs from one before it; None where it must be played
    from its first tick.
    """
    if (
        before.project.nodes
        or after.project.nodes
        or before.scenario != after.scenario
    ):
        return None
    one, other = played(before), played(after)
    from_tick: int | None = one.tick_count
    if one != other:
        from_tick = _scenario_tick(one, other)
    keys = [each.project.world_keys() for each in (before, after)]
    stages = [
        before.project.stage(one.stage),
        after.project.stage(other.stage),
    ]
    if from_tick is None or keys[0] != keys[1] or stages[0] != stages[1]:
        return None
    behaviors: dict[str, BehaviorChange] = {}
    known: dict[str, BehaviorChange | None] = {}
    changed = _changed_behaviors(before.project, after.project)
    for member in other.players:
        name = member.behavior
        if name is None or name not in changed:
            continue
        if name not in known:
            known[name] = behavior_change(
                expand_behavior(before.project, name),
                expand_behavior(after.project, name),
            )
        change = known[name]
        if change is None:
            return None
        if change.rebuilt or change.renumbered:
            behaviors[member.name] = change
    # A row whose result a cue holds remembers that without having been heard
    # of.
    if any(each.rebuilt for each in behaviors.values()) and any(
        isinstance(each, HoldResult) for each in _actions(one, other)
    ):
        return None
    return OrderChange(behaviors, from_tick)


def _changed_behaviors(before: Project, after: Project) -> Collection[str]:
    """The behaviors that may be others than before: those of which a document
    is another one, and those that are made of them.
    """
    # Documents that have not changed are the very same objects: their texts
    # are parsed once. So most behaviors need not be compared, nor expanded.
    boards = [each.blackboards for each in (before, after)]
    if len(boards[0]) != len(boards[1]) or any(map(is_not, *boards)):
        return [each.name for each in after.behaviors]
    # One that is gone leaves a hole in those that are made of it.
    changed = {
        each.name
        for each in (*before.behaviors, *after.behaviors)
        if before.find_behavior(each.name)
        is not after.find_behavior(each.name)
    }
    # What a variant does instead of its original may use others as well.
    made_of = {
        each.name: {
            each.variant_of,
            *(
                used
                for _, used in used_behaviors(
                    resolve_variant(after, each.name)
                )
            ),
        }
        for each in after.behaviors
    }
    while more := [
        name
        for name, others in made_of.items()
        if name not in changed and not changed.isdisjoint(others)
    ]:
        changed.update(more)
    return changed


def _actions(*scenarios: Scenario) -> Iterator[object]:
    """All that the cues of scenarios do."""
    for scenario in scenarios:
        for cue in scenario.cues:
            yield from (action for _, action in scenario.spelled_out(cue.does))


def _scenario_tick(one: Scenario, other: Scenario) -> int | None:
    """The first tick at which two scenarios do something else; None where they
    differ at once.
    """
    if _without_times(one) != _without_times(other):
        return None
    ticks = [one.tick_count, other.tick_count]
    moved = {
        each.moves for each in _actions(one, other) if isinstance(each, MoveTo)
    }
    for was, now in zip(one.cast, other.cast, strict=True):
        if was.walk == now.walk:
            continue
        # From where a cue puts a puppet it goes on in another way than it
        # would have gone.
        if was.behavior is not None or was.copies > 1 or was.name in moved:
            return None
        ticks.append(_tick_of(_first_other_leg_s(was.walk, now.walk), one))
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


def _without_times(scenario: Scenario) -> Scenario:
    """A scenario without its title, and without what is done in it in the
    course of time.
    """
    cast = tuple(
        each.model_copy(update={"walk": ()}) for each in scenario.cast
    )
    return scenario.model_copy(
        update={"title": "", "seconds": 1.0, "cues": (), "cast": cast}
    )


def _first_other_leg_s(
    one: Sequence[WalkPoint], other: Sequence[WalkPoint]
) -> float:
    """When the first stretch begins in which two walks differ: with the last
    point they share.
    """
    times = [[point.at_s for point in walk] for walk in (one, other)]
    if any(each != sorted(each) for each in times):
        return 0.0
    begins_s = 0.0
    for was, now in zip(one, other, strict=False):
        if was != now:
            break
        begins_s = was.at_s
    return begins_s


def scenario_ticks(scenario: Scenario) -> list[int]:
    """The last ticks before which nothing of each cue that has a time, and of
    each stretch of a walk, can have been done.
    """
    cues = [cue.at_s for cue in scenario.cues if cue.at_s is not None]
    legs = [
        point.at_s for member in scenario.cast for point in member.walk[:-1]
    ]
    return [_tick_of(at_s, scenario) for at_s in (*cues, *legs)]


def _tick_of(at_s: float, scenario: Scenario) -> int:
    return max(0, int((at_s - SLACK_S) * scenario.ticks_per_s))


def behavior_change(
    one: ExpandedBehavior, other: ExpandedBehavior
) -> BehaviorChange | None:
    """How a behavior differs from another one; None where play cannot go on
    with it.
    """
    is_alike = (
        one.keys == other.keys
        and one.given == other.given
        and one.root_scope == other.root_scope
        and all(
            other.key_scopes.get(row_id, scope) == scope
            for row_id, scope in one.key_scopes.items()
        )
    )
    if not is_alike:
        return None
    changes = _RowChanges(one, other)
    if not changes.read():
        return None
    rebuilt = changes.outermost()
    within = [
        row_id
        for root in rebuilt
        for each in (one, other)
        for row_id in each.behavior.outline.within(root)
    ]
    renumbered = [
        each for each in changes.renumbered if each.row_id not in within
    ]
    return BehaviorChange(
        other, rebuilt, tuple(dict.fromkeys(within)), tuple(renumbered)
    )


class _RowChanges:
    """Goes through the rows of two behaviors and finds where they differ."""

    def __init__(self, one: ExpandedBehavior, other: ExpandedBehavior) -> None:
        self.renumbered: list[ConditionChange] = []
        self._roots: dict[str, None] = {}
        self._before, self._after = one.behavior, other.behavior

    def read(self) -> bool:
        """Compare all rows. Returns False where play cannot go on with what
        differs.
        """
        before, after = self._before, self._after
        if before.outline.tops != after.outline.tops:
            return False
        shared = [row for row in before.rows if row.id in after.by_id]
        for row in shared:
            is_same = (
                before.outline.children[row.id]
                == after.outline.children[row.id]
            )
            if not is_same and not self._rebuild(row.id):
                return False
        return all(self._compare(row, after.row(row.id)) for row in shared)

    def outermost(self) -> tuple[str, ...]:
        """The rows that must be made anew, without those that are nested in
        others of them.
        """
        above = self._after.outline.path
        return tuple(
            each
            for each in self._roots
            if not any(up in self._roots for up in above(each)[:-1])
        )

    def _compare(self, was: Row, now: Row) -> bool:
        # Most rows are the very same, and copies of all of them would take
        # longer than the rest.
        if was is now or was == now or _as_played(was) == _as_played(now):
            return True
        if was.name != now.name:
            # Conditions anywhere, and cues, may ask for a row by its name.
            return False
        renumbered = _renumbered(was, now)
        if renumbered is not None:
            self.renumbered.extend(renumbered)
            return True
        around = self._after.outline.parent[now.id]
        if _is_seen_from_outside(was, now):
            return around is not None and self._rebuild(around)
        return self._rebuild(now.id)

    def _rebuild(self, row_id: str) -> bool:
        """Have a row made anew, or the innermost around it that can be made by
        itself: states, options and the like are made with what holds them.
        """
        for each in reversed(self._after.outline.path(row_id)):
            rows = [
                found.by_id.get(each) for found in (self._before, self._after)
            ]
            if all(
                row is not None and BUILTIN.get(row.kind, *RUNS)
                for row in rows
            ):
                self._roots[each] = None
                return True
        return False


def _as_played(row: Row) -> Row:
    """A row without what is read by nobody who plays. Where it stands is
    compared by the rows that are nested in each.
    """
    return row.model_copy(update={"note": "", "under": None})


def _is_seen_from_outside(was: Row, now: Row) -> bool:
    """Whether the row around two versions of a row sees a difference before it
    is visited: whether it is there, whether its guard is asked while others
    run, how likely it is drawn.
    """
    take_over = [
        bool(each.guard and each.guard.watch.take_over) for each in (was, now)
    ]
    weights = [
        [each for each in row.decorators if _weighs(each)]
        for row in (was, now)
    ]
    return (
        was.muted != now.muted
        or take_over[0] != take_over[1]
        or weights[0] != weights[1]
    )


def _weighs(decorator: Decorator) -> bool:
    kind = BUILTIN.get(decorator.kind, Family.DECORATOR)
    return kind is not None and kind.weighs


def _renumbered(was: Row, now: Row) -> list[ConditionChange] | None:
    """The conditions of a row that differ in numbers; None where it differs in
    anything else.
    """
    one, other = (
        conditions_by_part(was, BUILTIN),
        conditions_by_part(now, BUILTIN),
    )
    if one.keys() != other.keys() or _without_conditions(
        was
    ) != _without_conditions(now):
        return None
    found = []
    for part, when in other.items():
        if one[part] == when:
            continue
        try:
            tree = parse(when)
            numbers = changed_numbers(parse(one[part]), tree, BUILTIN)
        except LanguageError:
            return None
        if numbers is None:
            return None
        found.append(ConditionChange(now.id, part, tree, numbers))
    return found


def _without_conditions(row: Row) -> object:
    """All of a row that is played but for its conditions."""
    written = conditions_by_part(row, BUILTIN).values()

    def plain(args: Mapping[str, object]) -> dict[str, object]:
        kept = dict(args)
        for name, value in args.items():
            if value in written:
                kept[name] = ""
        return kept

    guard = None
    if row.guard:
        guard = row.guard.model_copy(update={"when": ""})
    decorators = [
        each.model_copy(update={"args": plain(each.args)})
        for each in row.decorators
    ]
    upkeep = [
        each.model_copy(update={"args": plain(each.args)})
        for each in row.upkeep
    ]
    update = {
        "args": plain(row.args),
        "guard": guard,
        "decorators": decorators,
        "upkeep": upkeep,
    }
    return _as_played(row).model_copy(update=update)
