"""Findings about what NPCs know and hear: keys nobody writes or reads, stale targets, events
without a listener.
"""

from collections.abc import Iterator

from umbrant.catalog.declare import ParamType
from umbrant.catalog.references import conditions, param_uses, sense_calls_in
from umbrant.catalog.renaming import extends
from umbrant.model.behaviors import Blackboard, Key, Row, Sharing
from umbrant.model.documents import Project
from umbrant.model.staging import MoveTo, RaiseEvent, Scenario, SetKey
from umbrant.model.values import KeyRef, KeyType, Value
from umbrant.review.behavior_analysis import BehaviorAnalysis
from umbrant.review.findings import RuleMatch, Severity
from umbrant.review.project_analysis import ProjectAnalysis
from umbrant.review.rules import behavior_rule, project_rule

RAISING = ("raise_event", "tell_agent", "tell_group")
HEARING_SENSES = ("heard", "event", "time_since_event")


def _keys(project: Project) -> Iterator[tuple[Blackboard, Key]]:
    return ((board, key) for board in project.blackboards for key in board.keys)


def _readings(analysis: ProjectAnalysis, board: str) -> list[BehaviorAnalysis]:
    """The behaviors that may use the keys of a blackboard."""
    return [
        each
        for each in analysis.readings
        if extends(analysis.project, each.behavior.blackboard, board)
    ]


def _set_elsewhere(analysis: ProjectAnalysis, board: Blackboard, key: Key) -> bool:
    """Whether a cue sets a key, or one of the cast starts with a value of its own."""
    names = {each.name for each in _readings(analysis, board.name)}
    for scenario in analysis.project.scenarios:
        if any(isinstance(cue.does, SetKey) and cue.does.sets == key.name for cue in scenario.cues):
            return True
        if any(member.behavior in names and key.name in member.keys for member in scenario.cast):
            return True
    return False


def _bound_from_outside(analysis: ProjectAnalysis, board: Blackboard, key: Key) -> bool:
    """Whether a row that uses a behavior with these keys binds this one."""
    return any(key.name in row.binds for reading in analysis.readings for row in reading.rows)


def _read_elsewhere(analysis: ProjectAnalysis, key: Key) -> bool:
    """Whether a formula of another key or a cue's condition names it."""
    written = [each.formula for _, each in _keys(analysis.project)]
    written.extend(cue.when for scenario in analysis.project.scenarios for cue in scenario.cues)
    return any(key.name in analysis.named_in(text) for text in written if text)


@project_rule(
    "A key that is read and never written",
    why="It has no value to begin with, so whoever reads it finds nothing there.",
    severity=Severity.ERROR,
)
def never_written(analysis: ProjectAnalysis) -> Iterator[RuleMatch]:
    """Read by rows, written by none, without a default, a formula or a value from cast and cues."""
    for board, key in _keys(analysis.project):
        if key.default is not None or key.formula or _set_elsewhere(analysis, board, key):
            continue
        if _bound_from_outside(analysis, board, key):
            continue
        uses = [
            (reading, row) for reading in _readings(analysis, board.name) for row in reading.rows
        ]
        readers = [
            (reading, row) for reading, row in uses if key.name in reading.uses[row.id].reads
        ]
        if readers and not any(key.name in reading.uses[row.id].writes for reading, row in uses):
            reading, row = readers[0]
            message = f"{key.name} is read here, and nothing ever writes it."
            yield RuleMatch(message, row.id, reading.file, about=key.name)


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
        uses = [reading.uses[row.id] for reading in readings for row in reading.rows]
        if any(key.name in each.reads for each in uses) or _read_elsewhere(analysis, key):
            continue
        written = any(key.name in each.writes for each in uses)
        if _bound_from_outside(analysis, board, key) or (written and key.scope is not Sharing.OWN):
            continue
        file = f"blackboards/{board.name}.json"
        said = "is written and never read" if written else "is used by nothing"
        yield RuleMatch(f"{key.name} {said}.", "", file, about=key.name)


@behavior_rule(
    "A target that goes stale",
    why=(
        "The point is noted once, and what it was taken from moves on. Note it as upkeep, or go "
        "to the thing itself."
    ),
    severity=Severity.HINT,
)
def stale_target(reading: BehaviorAnalysis) -> Iterator[RuleMatch]:
    """A point that is taken once from one that moves, or copied from a key that is kept fresh, and
    then gone to.
    """
    for row in reading.rows:
        if not (
            _moves(reading, row)
            if row.kind == "set_point"
            else row.kind == "copy" and _is_fresh(reading, row)
        ):
            continue
        taken = [each.value for each in param_uses(row, reading.catalog) if each.param.writes]
        key = next((value.key for value in taken if isinstance(value, KeyRef)), None)
        siblings = reading.outline.siblings(row.id)
        after = siblings[siblings.index(row.id) + 1 :]
        goes = any(
            isinstance(value, KeyRef) and value.key == key and name == "target"
            for each in after
            for name, value in reading.behavior.row(each).args.items()
        )
        if key is not None and goes and key not in _refreshed(reading):
            yield RuleMatch(
                f"{key} is taken once, and what it is taken from moves.", row.id, about=key
            )


def _refreshed(reading: BehaviorAnalysis) -> set[str]:
    """The keys that upkeep has to do with."""
    values = (
        value for row in reading.rows for upkeep in row.upkeep for value in upkeep.args.values()
    )
    return {value.key for value in values if isinstance(value, KeyRef)}


def _is_fresh(reading: BehaviorAnalysis, row: Row) -> bool:
    """Whether a row copies a point that an upkeep keeps up to date."""
    source = row.args.get("source")
    key = reading.keys.get(source.key) if isinstance(source, KeyRef) else None
    return key is not None and key.type is KeyType.POINT and key.name in _refreshed(reading)


def _moves(reading: BehaviorAnalysis, row: Row) -> bool:
    """Whether what a row takes a point from is one of the cast."""
    for each in param_uses(row, reading.catalog):
        if isinstance(each.value, KeyRef) and not each.param.writes:
            key = reading.keys.get(each.value.key)
            if key is None or key.type is not KeyType.AGENT:
                return False
            return any(_can_move(scenario, key.default) for scenario in reading.project.scenarios)
    return False


def _can_move(scenario: Scenario, name: Value | None) -> bool:
    """Whether one of the cast may ever be elsewhere than at its start; anyone, for no name."""
    moved = {cue.does.moves for cue in scenario.cues if isinstance(cue.does, MoveTo)}
    return any(
        member.behavior or member.walk or member.steps or member.name in moved
        for member in scenario.players
        if name in (None, member.name)
    )


@project_rule(
    "An event that nobody hears",
    why="It is raised, and no row waits for it or asks for it.",
    severity=Severity.WARNING,
)
def unheard_event(analysis: ProjectAnalysis) -> Iterator[RuleMatch]:
    """An event that a row raises and nobody listens for."""
    listened = {name for _, _, name in _heard(analysis)}
    for reading, row, event in _raised(analysis):
        if not any(event == each or event.startswith(f"{each}.") for each in listened):
            yield RuleMatch(
                f"{event} is raised here, and nobody hears it.", row.id, reading.file, about=event
            )


@project_rule(
    "An event that nobody raises",
    why="What waits for it waits for ever, unless you raise it by hand in a rehearsal.",
    severity=Severity.WARNING,
)
def never_raised(analysis: ProjectAnalysis) -> Iterator[RuleMatch]:
    """An event that a row waits for and nothing raises."""
    raised = {event for _, _, event in _raised(analysis)}
    for scenario in analysis.project.scenarios:
        raised.update(cue.does.raises for cue in scenario.cues if isinstance(cue.does, RaiseEvent))
    for reading, row, event in _heard(analysis):
        if not any(each == event or each.startswith(f"{event}.") for each in raised):
            yield RuleMatch(
                f"It waits for {event}, which nothing raises.", row.id, reading.file, about=event
            )


def _raised(analysis: ProjectAnalysis) -> Iterator[tuple[BehaviorAnalysis, Row, str]]:
    for reading in analysis.readings:
        for row in reading.rows:
            for each in param_uses(row, reading.catalog):
                if (
                    each.param.type is ParamType.EVENT
                    and each.kind.id in RAISING
                    and isinstance(each.value, str)
                ):
                    yield reading, row, each.value


def _heard(analysis: ProjectAnalysis) -> Iterator[tuple[BehaviorAnalysis, Row, str]]:
    for reading in analysis.readings:
        for row in reading.rows:
            for each in param_uses(row, reading.catalog):
                if (
                    each.param.type is ParamType.EVENT
                    and each.kind.id not in RAISING
                    and isinstance(each.value, str)
                ):
                    yield reading, row, each.value
            for _, tree in conditions(row, reading.catalog):
                for ask in sense_calls_in(tree):
                    kind = reading.catalog.kinds.get(ask.sense)
                    named = [*ask.args, *(value for _, value in ask.named)]
                    if kind is not None and any(
                        param.type is ParamType.EVENT for param in kind.params
                    ):
                        yield from ((reading, row, each) for each in analysis.words_in(named))
