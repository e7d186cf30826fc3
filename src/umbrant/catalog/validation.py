"""Whether a project's documents fit together and fit the catalog. Finds every problem, and changes nothing.

A project with such problems can still be opened, edited and saved: a row that cannot run fails with its reason.
"""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path

from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.declare import RUNS, Catalog, Family, Kind, Param, ParamType
from umbrant.catalog.language.check import faults
from umbrant.model.behaviors import Behavior, Blackboard, Key, Row
from umbrant.model.documents import Project
from umbrant.model.edits import GUARD, part_name
from umbrant.model.folder import COVER_FILE, read_project
from umbrant.model.problems import Problem, ProjectError, did_you_mean
from umbrant.model.staging import Member, Scenario
from umbrant.model.values import KeyRef, KeyType, ParamValue, PlaceRef, Spread

_FITS: Mapping[ParamType, tuple[type, ...]] = {
    ParamType.NUMBER: (float, int),
    ParamType.SPREAD: (float, int, Spread),
    ParamType.TEXT: (str,),
    ParamType.YES_NO: (bool,),
    ParamType.CHOICE: (str,),
    ParamType.PLACE: (str, tuple, PlaceRef),
    ParamType.AGENT: (str,),
    ParamType.PROP: (str,),
    ParamType.KEY: (),
    ParamType.GROUP: (str,),
    ParamType.CONDITION: (str,),
}
"""What a chip may hold besides a key. A text in a PLACE, AGENT or PROP chip names one of the cast or a prop."""

_HOLDS: Mapping[KeyType, type | tuple[type, ...]] = {
    KeyType.YES_NO: bool,
    KeyType.NUMBER: (float, int),
    KeyType.TEXT: str,
    KeyType.POINT: tuple,
    KeyType.AGENT: str,
    KeyType.PROP: str,
}


def open_project(folder: Path, catalog: Catalog = BUILTIN) -> Project:
    """Read a project in which nothing is wrong. Raises ProjectError with every problem of every file."""
    project = read_project(folder)
    problems = validate(project, catalog)
    if problems:
        raise ProjectError(problems)
    return project


def validate(project: Project, catalog: Catalog = BUILTIN) -> list[Problem]:
    """Every problem of a project, in the order of its files and rows."""
    found = list(_cover_problems(project))
    for behavior in project.behaviors:
        found.extend(_BehaviorCheck(project, behavior, catalog).problems())
    for board in project.blackboards:
        found.extend(_board_problems(board))
    for scenario in project.scenarios:
        found.extend(_scenario_problems(project, scenario))
    return found


def value_fits(key: Key, value: object) -> bool:
    """Whether a key can hold a value, by its type and its range."""
    wanted = _HOLDS[key.type]
    if not isinstance(value, wanted) or (isinstance(value, bool) and key.type is not KeyType.YES_NO):
        return False
    if not isinstance(value, int | float):
        return True
    return (key.low is None or value >= key.low) and (key.high is None or value <= key.high)


def _cover_problems(project: Project) -> Iterator[Problem]:
    names = [scenario.name for scenario in project.scenarios]
    if project.cover.format != "umbrant project 1":
        remedy = "It was made by another version of Umbrant; open it with that one."
        yield Problem(COVER_FILE, "", f"`format` is '{project.cover.format}', not 'umbrant project 1'.", remedy)
    if project.cover.scenario not in names:
        message = f"`scenario`: there is no scenario '{project.cover.scenario}'."
        yield Problem(COVER_FILE, "", message, did_you_mean(project.cover.scenario, names))


def _board_problems(board: Blackboard) -> Iterator[Problem]:
    file = f"blackboards/{board.name}.json"
    seen: set[str] = set()
    for key in board.keys:
        if key.name in seen:
            yield Problem(file, "", f"the key `{key.name}` is declared twice.", "Remove or rename one of them.")
        seen.add(key.name)
        if key.default is not None and not value_fits(key, key.default):
            yield Problem(
                file, "", f"the default of `{key.name}` is no {key.type} in its range.", "Change or remove it."
            )


def _scenario_problems(project: Project, scenario: Scenario) -> Iterator[Problem]:
    file = f"scenarios/{scenario.name}.json"
    stages = [stage.name for stage in project.stages]
    if scenario.stage not in stages:
        yield Problem(file, "", f"there is no stage '{scenario.stage}'.", did_you_mean(scenario.stage, stages))
    seen: set[str] = set()
    for member in scenario.cast:
        if member.name in seen:
            yield Problem(file, "", f"two of the cast are called '{member.name}'.", "Rename one of them.")
        seen.add(member.name)
        yield from _member_problems(project, file, member)


def _member_problems(project: Project, file: str, member: Member) -> Iterator[Problem]:
    times = [point.at_s for point in member.walk]
    if times != sorted(times):
        yield Problem(file, "", f"the walk of '{member.name}' goes back in time.", "Put its points in order of `at_s`.")
    if member.behavior is None:
        return
    behaviors = {behavior.name: behavior for behavior in project.behaviors}
    if member.behavior not in behaviors:
        message = f"'{member.name}' has the behavior '{member.behavior}', which is not there."
        yield Problem(file, "", message, did_you_mean(member.behavior, list(behaviors)))
        return
    keys = project.keys_of(behaviors[member.behavior])
    for name, value in member.keys.items():
        if name not in keys:
            message = f"'{member.name}' starts with the key `{name}`, which its blackboard does not have."
            yield Problem(file, "", message, did_you_mean(name, list(keys)))
        elif not value_fits(keys[name], value):
            message = f"'{member.name}' starts with `{name}` as {value!r}, which is no {keys[name].type} in its range."
            yield Problem(file, "", message, "Change it.")


@dataclass(frozen=True)
class _Part:
    """A row's kind, or one of its decorators or upkeeps, with its arguments."""

    kind: str
    args: Mapping[str, ParamValue]
    label: str


class _BehaviorCheck:
    """The problems of one behavior's rows."""

    def __init__(self, project: Project, behavior: Behavior, catalog: Catalog) -> None:
        self.behavior = behavior
        self.catalog = catalog
        self.keys = project.keys_of(behavior)
        self.boards = [board.name for board in project.blackboards]
        self.places = {place.name for stage in project.stages for place in stage.places}
        self.names = {member.name for scenario in project.scenarios for member in scenario.players}
        self.names |= {prop.name for stage in project.stages for prop in stage.props}
        self.groups = {prop.group for stage in project.stages for prop in stage.props}
        self.file = f"behaviors/{behavior.name}.json"

    def problems(self) -> Iterator[Problem]:
        if self.behavior.blackboard not in self.boards:
            message = f"there is no blackboard '{self.behavior.blackboard}'."
            yield Problem(self.file, "", message, did_you_mean(self.behavior.blackboard, self.boards))
        for extra in self.behavior.outline.tops[1:]:
            row = self.behavior.row(extra)
            yield self._at(row, "stands beside the first row, so it is never reached.", "Nest it in that row.")
        for row in self.behavior.rows:
            yield from self._row(row)

    def _at(self, row: Row, message: str, remedy: str = "") -> Problem:
        return Problem(self.file, f"{self.behavior.outline.number[row.id]} '{row.name}'", message, remedy, row.id)

    def _row(self, row: Row) -> Iterator[Problem]:
        kind = self.catalog.get(row.kind, *RUNS)
        if kind and kind.family is not Family.COMPOSITE and self.behavior.outline.children[row.id]:
            yield self._at(row, f"is a {kind.family}, which holds no rows.", "Move the rows in it elsewhere.")
        yield from self._part(row, _Part(row.kind, row.args, ""), *RUNS)
        if row.guard:
            yield from self._condition(row, row.guard.when, GUARD)
        for place, wrapped in enumerate(row.decorators):
            label = part_name("decorator", place)
            yield from self._part(row, _Part(wrapped.kind, wrapped.args, label), Family.DECORATOR)
        for place, work in enumerate(row.upkeep):
            label = part_name("upkeep", place)
            yield from self._part(row, _Part(work.kind, work.args, label), Family.ACTION, Family.CONDITION)

    def _part(self, row: Row, part: _Part, *families: Family) -> Iterator[Problem]:
        kind = self.catalog.get(part.kind, *families)
        if kind is None:
            known = [each.id for each in self.catalog.family(*families)]
            wanted = "decorator" if families == (Family.DECORATOR,) else "kind of node"
            yield self._at(row, f"`{part.kind}` is no {wanted}.", did_you_mean(part.kind, known))
            return
        if kind.takes_time and part.label.startswith("upkeep"):
            yield self._at(row, f"`{kind.id}` takes time and cannot be upkeep.", "Use one that is done at once.")
        for name in part.args:
            if kind.param(name) is None:
                known = [param.name for param in kind.params]
                yield self._at(row, f"`{kind.id}` has no `{name}`.", did_you_mean(name, known))
        for param in kind.params:
            yield from self._value(row, kind, param, part.args.get(param.name))

    def _value(self, row: Row, kind: Kind, param: Param, value: ParamValue | None) -> Iterator[Problem]:
        if value is None:
            if param.required:
                yield self._at(row, f"`{param.label}` of `{kind.title}` is not filled in.", f"It is {param.help}.")
        elif isinstance(value, KeyRef):
            yield from self._key(row, param, value.key)
        elif not isinstance(value, _FITS[param.type]) or (
            isinstance(value, bool) and param.type is not ParamType.YES_NO
        ):
            yield self._at(row, f"`{param.label}` cannot be {value!r}.", f"It is {param.help}.")
        elif param.type is ParamType.CONDITION:
            yield from self._condition(row, str(value), param.label)
        else:
            yield from self._literal(row, param, value)

    def _key(self, row: Row, param: Param, name: str) -> Iterator[Problem]:
        key = self.keys.get(name)
        if key is None:
            message = f"`{name}` is no key of blackboard '{self.behavior.blackboard}'."
            yield self._at(row, message, did_you_mean(name, list(self.keys)))
        elif key.type not in param.keys:
            wanted = " or ".join(param.keys) or "value, not a key"
            yield self._at(row, f"`{param.label}` wants a {wanted}, and `{name}` holds a {key.type}.", "Pick another.")

    def _literal(self, row: Row, param: Param, value: ParamValue) -> Iterator[Problem]:
        known: set[str] = set()
        match param.type:
            case ParamType.CHOICE:
                known = set(param.choices)
            case ParamType.GROUP:
                known = self.groups
            case ParamType.AGENT | ParamType.PROP | ParamType.PLACE:
                known = self.places if isinstance(value, PlaceRef) else self.names
            case ParamType.NUMBER | ParamType.SPREAD:
                yield from self._range(row, param, value)
        name = value.place if isinstance(value, PlaceRef) else value
        if known and isinstance(name, str) and name not in known:
            yield self._at(row, f"`{param.label}` cannot be '{name}'.", did_you_mean(name, sorted(known)))

    def _range(self, row: Row, param: Param, value: ParamValue) -> Iterator[Problem]:
        number = value.mid if isinstance(value, Spread) else value
        if not isinstance(number, int | float):
            return
        low, high = param.quantity.low, param.quantity.high
        if (low is not None and number < low) or (high is not None and number > high):
            bounds = f"from {low:g}" if high is None else f"from {low:g} to {high:g}"
            yield self._at(row, f"`{param.label}` is {number:g}, and may be {bounds}.", "Change it.")

    def _condition(self, row: Row, when: str, place: str) -> Iterator[Problem]:
        for fault in faults(when, self.keys, self.catalog, self.behavior.blackboard):
            message = fault.message if fault.message.endswith(".") else f"{fault.message}."
            yield self._at(row, f"{place} `{when}`, at character {fault.span[0] + 1}: {message}", fault.remedy)
