"""Findings about names: of bodies, things, groups, places, areas and numbers
that nothing bears.
"""

from collections.abc import Iterator

from umbrant.catalog.language.tree import ConditionTree, SenseCall, TextTerm
from umbrant.catalog.params import ParamType
from umbrant.catalog.references import conditions, param_uses, sense_calls_in
from umbrant.catalog.validation.names import Known, names_in
from umbrant.model.behaviors import Row
from umbrant.model.documents import Project
from umbrant.model.problems import did_you_mean
from umbrant.model.values import KeyType, PlaceRef
from umbrant.review.behavior_analysis import BehaviorAnalysis
from umbrant.review.findings import RuleMatch, Severity
from umbrant.review.project_analysis import ProjectAnalysis
from umbrant.review.rules import project_rule

SORTS = {
    ParamType.AGENT: "Nobody in any scenario",
    ParamType.PROP: "Nothing on any stage",
    ParamType.GROUP: "No group",
    ParamType.PLACE: "No place",
    ParamType.ZONE: "No area of any stage",
    ParamType.STAT: "No number of any body",
}
"""What the parameters that hold names name, to begin a sentence with."""
NAMING = {KeyType.AGENT: ParamType.AGENT, KeyType.PROP: ParamType.PROP}


@project_rule(
    "A name that nothing bears",
    why="Whoever asks for it finds nothing, and what depends on it never happens.",
    severity=Severity.WARNING,
)
def unknown_name(analysis: ProjectAnalysis) -> Iterator[RuleMatch]:
    """A name in a row, a condition, a key's default or a bind that is not in
    any scenario. Of a project without scenarios nothing is known.
    """
    if not analysis.project.scenarios:
        return
    known = names_in(analysis.project)
    for reading in analysis.readings:
        for row in reading.rows:
            for sort, name in dict.fromkeys(_named(analysis, reading, row)):
                if name and name not in known.get(sort, ()):
                    message = _message(sort, name, known)
                    yield RuleMatch(message, row.id, reading.file, about=name)
    yield from _of_boards(analysis.project, known)
    yield from _of_cast(analysis.project, known)


def _message(sort: ParamType, name: str, known: Known) -> str:
    near = did_you_mean(name, sorted(known.get(sort, ())))
    return " ".join(
        part for part in (f"{SORTS[sort]} is called '{name}'.", near) if part
    )


def _named(
    analysis: ProjectAnalysis, reading: BehaviorAnalysis, row: Row
) -> Iterator[tuple[ParamType, str]]:
    """The names that a row gives, with what they name."""
    for each in param_uses(row, reading.catalog):
        if isinstance(each.value, PlaceRef):
            yield ParamType.PLACE, each.value.place
        elif isinstance(each.value, str) and each.param.type in SORTS:
            yield each.param.type, each.value
    for _, tree in conditions(row, reading.catalog):
        for ask in sense_calls_in(tree):
            yield from _in_question(reading, ask)
    for name, value in row.binds.items():
        inner = analysis.project.find_behavior(
            str(row.args.get("behavior", ""))
        )
        key = None
        if inner:
            key = analysis.project.keys_of(inner).get(name)
        if key is not None and isinstance(value, str) and key.type in NAMING:
            yield NAMING[key.type], value


def _in_question(
    reading: BehaviorAnalysis, ask: SenseCall
) -> Iterator[tuple[ParamType, str]]:
    kind = reading.catalog.kinds.get(ask.sense)
    params = kind.params if kind else ()
    given: dict[str, ConditionTree] = dict(ask.named)
    given.update(zip((each.name for each in params), ask.args, strict=False))
    for param in params:
        value = given.get(param.name)
        if isinstance(value, TextTerm) and param.type in SORTS:
            yield param.type, value.value


def _of_boards(project: Project, known: Known) -> Iterator[RuleMatch]:
    for board in project.blackboards:
        for key in board.keys:
            sort = NAMING.get(key.type)
            if (
                sort
                and isinstance(key.default, str)
                and key.default not in known[sort]
            ):
                file = f"blackboards/{board.name}.json"
                said = f"{key.name} begins with it. {_message(sort, key.default, known)}"
                yield RuleMatch(said, "", file, about=key.name)


def _of_cast(project: Project, known: Known) -> Iterator[RuleMatch]:
    for scenario in project.scenarios:
        for member in scenario.cast:
            keys = project.keys_of_member(member)
            for name, value in member.keys.items():
                sort = None
                if name in keys:
                    sort = NAMING.get(keys[name].type)
                if (
                    sort
                    and isinstance(value, str)
                    and value not in known[sort]
                ):
                    said = f"{name} of {member.name} begins with it. {_message(sort, value, known)}"
                    file = f"scenarios/{scenario.name}.json"
                    yield RuleMatch(
                        said, "", file, about=f"{member.name}/{name}"
                    )
