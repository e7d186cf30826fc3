"""Findings about what NPCs know: keys that nobody writes or reads."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from math import inf

from umbrant.catalog.kind import RUNS, Catalog, ChildOrder
from umbrant.catalog.language.tree import tree_of
from umbrant.catalog.references import (
    ParamUse,
    key_references,
    keys_needed,
    param_uses,
)
from umbrant.catalog.renaming.keys import extends
from umbrant.model.behaviors import (
    Blackboard,
    Guard,
    Key,
    Row,
    Sharing,
    Watch,
)
from umbrant.model.documents import Project
from umbrant.model.edits import Edit, set_guard
from umbrant.model.expanded import BEHAVIOR, resolve_variant
from umbrant.model.kind_ids import CLEAR, USE_BEHAVIOR
from umbrant.model.parts import ROW, part_index
from umbrant.model.staging import SetKey
from umbrant.model.values import KeyRef, KeyType, number_text
from umbrant.review.behavior_analysis import BehaviorAnalysis
from umbrant.review.findings import RuleMatch, Severity
from umbrant.review.project_analysis import ProjectAnalysis
from umbrant.review.rules import project_rule
from umbrant.review.value_ranges import Case, ValueRange, together
from umbrant.take.record import Outcome

NAMING = (KeyType.AGENT, KeyType.PROP)


def _keys(project: Project) -> Iterator[tuple[Blackboard, Key]]:
    return (
        (board, key) for board in project.blackboards for key in board.keys
    )


def _readings(analysis: ProjectAnalysis, board: str) -> list[BehaviorAnalysis]:
    """The behaviors that may use the keys of a blackboard."""
    return [
        each
        for each in analysis.readings
        if extends(analysis.project, each.behavior.blackboard, board)
    ]


def _set_elsewhere(
    analysis: ProjectAnalysis, board: Blackboard, key: Key
) -> bool:
    """Whether a cue sets a key, or one of the cast starts with a value of its
    own.
    """
    names = {each.name for each in _readings(analysis, board.name)}
    for scenario in analysis.project.scenarios:
        if any(
            isinstance(cue.does, SetKey) and cue.does.sets == key.name
            for cue in scenario.cues
        ):
            return True
        if any(
            member.behavior in names and key.name in member.keys
            for member in scenario.cast
        ):
            return True
    return False


def _bound_from_outside(
    analysis: ProjectAnalysis, board: Blackboard, key: Key
) -> bool:
    """Whether a row that uses a behavior with these keys binds this one."""
    return any(
        key.name in row.binds
        for reading in analysis.readings
        for row in reading.rows
    )


def _read_elsewhere(analysis: ProjectAnalysis, key: Key) -> bool:
    """Whether a formula of another key or a cue's condition names it."""
    written = [each.formula for _, each in _keys(analysis.project)]
    written.extend(
        cue.when
        for scenario in analysis.project.scenarios
        for cue in scenario.cues
    )
    return any(key.name in analysis.named_in(text) for text in written if text)


@project_rule(
    "A key that is read and never written",
    why="It has no value to begin with, so whoever reads it finds nothing there.",
    severity=Severity.ERROR,
)
def never_written(analysis: ProjectAnalysis) -> Iterator[RuleMatch]:
    """Read by rows, written by none, without a default, a formula or a value
    from cast and cues.
    """
    for board, key in _keys(analysis.project):
        if (
            key.default is not None
            or key.formula
            or _set_elsewhere(analysis, board, key)
        ):
            continue
        if _bound_from_outside(analysis, board, key):
            continue
        uses = [
            (reading, row)
            for reading in _readings(analysis, board.name)
            for row in reading.rows
        ]
        readers = [
            (reading, row)
            for reading, row in uses
            if key.name in reading.uses[row.id].reads
        ]
        if not readers or any(
            _gives_value(reading, row, key.name) for reading, row in uses
        ):
            continue
        writers = [
            (each, row)
            for each, row in uses
            if key.name in each.uses[row.id].writes
        ]
        reading, row = readers[0]
        how = "nothing ever writes it"
        if writers:
            how = (
                f"{writers[0][0].called(writers[0][1])} never gives it a value"
            )
        yield RuleMatch(
            f"{key.name} is read here, and {how}.",
            row.id,
            reading.file,
            about=key.name,
        )


def _gives_value(reading: BehaviorAnalysis, row: Row, key: str) -> bool:
    """Whether a row may give a key a value that it did not have: not by
    clearing it, nor by copying it from itself. One that is bound in a behavior
    that is used may be written there.
    """
    bound = {name for name, to in row.binds.items() if to == KeyRef(key=key)}
    inside: Sequence[Row] = ()
    used = str(row.args.get(BEHAVIOR, ""))
    if row.kind == USE_BEHAVIOR and reading.project.find_behavior(used):
        inside = resolve_variant(reading.project, used).rows
    # Besides, a row that uses a behavior may have upkeep like any other.
    return any(
        bound & key_references(each, reading.catalog).writes for each in inside
    ) or any(
        each.param.writes
        and each.value == KeyRef(key=key)
        and not _is_idle(row, each)
        for each in param_uses(row, reading.catalog)
    )


def _is_idle(row: Row, use: ParamUse) -> bool:
    if use.kind.id == CLEAR:
        return True
    if use.part == ROW:
        args = row.args
    else:
        args = row.upkeep[part_index(use.part)[1]].args
    return use.kind.id == "copy" and args.get("source") == use.value


@project_rule(
    "A guard that needs what only the row behind it sets",
    why=(
        "A guard is asked before the row and its upkeep are begun, and a key without a value "
        "makes it no. Have the key set by a row around it, or by one that comes before."
    ),
    severity=Severity.ERROR,
)
def locked_by_itself(analysis: ProjectAnalysis) -> Iterator[RuleMatch]:
    """A guard that cannot hold while a key has no value, which only rows set
    that cannot be entered before this one.
    """
    for reading in analysis.readings:
        rows = list(reading.rows)
        writers = {
            key: found
            for key in sorted(_needed_by_guards(rows, reading.catalog))
            if (found := _only_writers(analysis, reading, key))
        }
        if not writers:
            continue
        open_rows = _rows_to_enter(rows, writers, reading.catalog)
        for row in rows:
            if row.id in open_rows or not (
                row.under is None or row.under in open_rows
            ):
                continue
            key = next(
                each
                for each in sorted(_needed(row, reading.catalog))
                if each in writers and open_rows.isdisjoint(writers[each])
            )
            yield RuleMatch(
                f"Its guard needs {key}, and only "
                f"{_how_set(reading, row, writers[key])}.",
                row.id,
                reading.file,
                about=key,
            )


def _how_set(
    reading: BehaviorAnalysis, row: Row, writers: Sequence[str]
) -> str:
    """Which rows give what the guard of a row needs a value, and when."""
    others = [
        reading.called(reading.behavior.row(each))
        for each in dict.fromkeys(writers)
        if each != row.id
    ]
    if not others:
        return "this row gives that a value, once it runs"
    gives = "give" if len(others) > 1 else "gives"
    return (
        f"{' and '.join(others)} {gives} that a value, which cannot run "
        "before this row has"
    )


@project_rule(
    "A guard that its own row ends",
    why=(
        "A guard that is watched is asked at each tick, and what the row itself has set makes it "
        "no. Have it not asked while the row runs, or set the key last."
    ),
    severity=Severity.WARNING,
)
def ends_own_guard(analysis: ProjectAnalysis) -> Iterator[RuleMatch]:
    """A sequence whose watched guard cannot hold any more once a row in it has
    set a key, while others that take time are still to come.
    """
    cues = {
        cue.does.sets
        for scenario in analysis.project.scenarios
        for cue in scenario.cues
        if isinstance(cue.does, SetKey)
    }
    for reading in analysis.readings:
        for row in reading.rows:
            if row.guard is None or not _is_watched_sequence(reading, row):
                continue
            holds = reading.cases(row.guard.when)
            inside = reading.children(row.id, *RUNS)
            for index, setter in enumerate(inside):
                found = _set_for_certain(analysis, reading, setter)
                if found is None or not holds or found.key in cues:
                    continue
                later = [
                    each
                    for after in inside[index + 1 :]
                    for each in reading.outline.within(after.id)
                    if each in reading.live
                ]
                if (
                    together(holds, (found.case,)) is None
                    and any(map(partial(_takes_time, reading), later))
                    and not _may_change(reading, found.key, later)
                ):
                    yield _ends_guard(reading, row, row.guard, setter, found)
                    break


@dataclass(frozen=True)
class _Setting:
    """What a row does to a key: in words, and as a case of what is so then."""

    key: str
    does: str
    case: Case


def _is_watched_sequence(reading: BehaviorAnalysis, row: Row) -> bool:
    """Whether the guard of a row is watched while its rows are done one after
    the other, and nothing runs beside them.
    """
    kind = reading.kind(row)
    if (
        row.guard is None
        or not row.guard.watch.while_running
        or kind is None
        or kind.goes_on_after != Outcome.SUCCESS
    ):
        return False
    around = map(reading.behavior.row, reading.outline.path(row.id))
    kinds = map(reading.kind, around)
    return all(
        each is not None and each.order is not ChildOrder.TOGETHER
        for each in kinds
    )


def _set_for_certain(
    analysis: ProjectAnalysis, reading: BehaviorAnalysis, row: Row
) -> _Setting | None:
    """What a row sets once it has succeeded; None for a row that sets nothing,
    or a key that others may write.
    """
    key, value = row.args.get("key"), row.args.get("value")
    if not isinstance(key, KeyRef) or row.decorators:
        return None
    declared = reading.keys.get(key.key)
    if (
        declared is None
        or declared.scope is not Sharing.OWN
        or declared.formula
        or any(
            key.key in user.binds
            for each in analysis.readings
            for user in each.rows
        )
    ):
        return None
    name = key.key
    if row.kind == CLEAR:
        unset = Case(answers={f"is_set({name})": False})
        return _Setting(name, f"clears {name}", unset)
    if row.kind == "set_yes_no" and isinstance(value, bool):
        said = f"sets {name} to {'yes' if value else 'no'}"
        return _Setting(name, said, Case(answers={name: value}))
    if row.kind == "set_number" and isinstance(value, int | float):
        low = -inf if declared.low is None else declared.low
        high = inf if declared.high is None else declared.high
        kept = min(high, max(low, float(value)))
        case = Case({name: ValueRange(kept, kept)})
        return _Setting(name, f"sets {name} to {number_text(kept)}", case)
    return None


def _takes_time(reading: BehaviorAnalysis, row_id: str) -> bool:
    row = reading.behavior.row(row_id)
    kind = reading.kind(row)
    return row.kind == USE_BEHAVIOR or (kind is not None and kind.takes_time)


def _may_change(
    reading: BehaviorAnalysis, key: str, later: Sequence[str]
) -> bool:
    """Whether a key may be written before a guard is asked again: by rows that
    come later within the tick, or by upkeep.
    """
    return any(
        key in reading.uses[row.id].writes and (row.id in later or row.upkeep)
        for row in reading.rows
    )


def _ends_guard(
    reading: BehaviorAnalysis,
    row: Row,
    guard: Guard,
    setter: Row,
    found: _Setting,
) -> RuleMatch:
    # Whether it may take over from others is no part of the mistake.
    watch = Watch.ON_ENTRY
    if guard.watch.take_over:
        watch = Watch.TAKE_OVER
    put = partial(
        set_guard,
        behavior=reading.name,
        row_id=row.id,
        when=guard.when,
        watch=watch,
    )
    return RuleMatch(
        f"{reading.called(setter)} {found.does}, with which this guard holds no more: at the next "
        "tick the row is left, whatever is still to be done in it.",
        row.id,
        reading.file,
        about=found.key,
        fix=Edit("Do not ask it while the row runs", put),
    )


def _needed_by_guards(rows: Iterable[Row], catalog: Catalog) -> set[str]:
    """The keys that the guards of some rows need."""
    return {key for row in rows for key in _needed(row, catalog)}


def _needed(row: Row, catalog: Catalog) -> frozenset[str]:
    """The keys each of which keeps the guard of a row from holding as long as
    it has no value.
    """
    tree = tree_of(row.guard.when) if row.guard is not None else None
    if tree is None:
        return frozenset()
    return keys_needed(tree, catalog)


def _only_writers(
    analysis: ProjectAnalysis, reading: BehaviorAnalysis, key: str
) -> list[str]:
    """The rows of a behavior that give a key a value, by id; none where it has
    one to begin with, or may get it elsewhere.
    """
    found = next(
        (
            (board, each)
            for board, each in _keys(analysis.project)
            if each.name == key
            and extends(
                analysis.project, reading.behavior.blackboard, board.name
            )
        ),
        None,
    )
    if found is None:
        return []
    board, declared = found
    if (
        declared.default is not None
        or declared.formula
        or _set_elsewhere(analysis, board, declared)
        or _bound_from_outside(analysis, board, declared)
    ):
        return []
    writers = [
        (each, row.id)
        for each in _readings(analysis, board.name)
        for row in each.rows
        # What a row writes at all is kept, and most write nothing.
        if key in each.uses[row.id].writes and _gives_value(each, row, key)
    ]
    if any(each is not reading for each, _ in writers):
        return []
    return [row_id for _, row_id in writers]


def _rows_to_enter(
    rows: Sequence[Row],
    writers: Mapping[str, Sequence[str]],
    catalog: Catalog,
) -> set[str]:
    """The rows that can be entered at some time, as far as keys without a
    value go: those whose guards need none that only others can set. Rows come
    after those that they are in.
    """
    found: set[str] = set()
    # What can be entered may set what lets others in, so it is gone through
    # until nothing is added; rows that only wait for each other never are.
    while True:
        before = len(found)
        for row in rows:
            is_set = all(
                key not in writers or not found.isdisjoint(writers[key])
                for key in _needed(row, catalog)
            )
            if is_set and (row.under is None or row.under in found):
                found.add(row.id)
        if len(found) == before:
            return found


@project_rule(
    "A key that is written and never read",
    why=(
        "What is noted and never looked at changes nothing. It may be a leftover, or the wrong "
        "name somewhere."
    ),
    severity=Severity.HINT,
)
def never_read(analysis: ProjectAnalysis) -> Iterator[RuleMatch]:
    """A key that rows write and nothing reads, or that nothing uses at all."""
    for board, key in _keys(analysis.project):
        readings = _readings(analysis, board.name)
        uses = [
            reading.uses[row.id]
            for reading in readings
            for row in reading.rows
        ]
        if any(key.name in each.reads for each in uses) or _read_elsewhere(
            analysis, key
        ):
            continue
        written = any(key.name in each.writes for each in uses)
        if not written and (
            key.formula or (key.type in NAMING and key.default is not None)
        ):
            # A formula may be there to be watched, and a name ready to be
            # used.
            continue
        if _bound_from_outside(analysis, board, key) or (
            written and key.scope is not Sharing.OWN
        ):
            continue
        file = f"blackboards/{board.name}.json"
        said = "is used by nothing"
        if written:
            said = "is written and never read"
        yield RuleMatch(f"{key.name} {said}.", "", file, about=key.name)
