"""The review: findings from the documents before anything is played, and from
takes afterwards.
"""

from collections.abc import Iterator
from dataclasses import dataclass

from umbrant.catalog.kind import Catalog
from umbrant.model.documents import Project
from umbrant.review import (
    events,
    journeys,
    keys,
    machines,
    names,
    nodes,
    rows,
    stages,
    takes,
    targets,
    thresholds,
    utilities,
)
from umbrant.review.agent_take import AgentTake
from umbrant.review.behavior_analysis import BehaviorAnalysis
from umbrant.review.findings import Finding, Rule, RuleMatch
from umbrant.review.project_analysis import ProjectAnalysis
from umbrant.review.rules import behavior_rule, project_rule, take_rule
from umbrant.take.reader import Take

MODULES = (
    rows,
    machines,
    thresholds,
    utilities,
    keys,
    names,
    targets,
    events,
    stages,
    nodes,
    takes,
    journeys,
)
"""The modules that declare rules: importing them fills the rule sets."""


def review(project: Project, catalog: Catalog) -> list[Finding]:
    """All findings in a valid project that have not been dismissed, file by
    file: behaviors in their order, then other documents by name. Raises
    KeyError for a broken one.
    """
    analysis = ProjectAnalysis(project, catalog)
    found = [*_of_behaviors(analysis), *_of_project(analysis)]
    dismissed = {each.finding for each in project.cover.dismissed}
    order = {each.file: index for index, each in enumerate(analysis.readings)}
    kept = [each for each in found if each.key not in dismissed]
    return sorted(
        kept, key=lambda each: (order.get(each.file, len(order)), each.file)
    )


def review_take(take: Take, catalog: Catalog) -> dict[str, list[Finding]]:
    """The findings in a take, for each agent of it. Any thread."""
    found: dict[str, list[Finding]] = {}
    for agent in take.agents:
        subject = AgentTake(take, agent, catalog)
        if subject.behavior is not None:
            file = f"behaviors/{subject.behavior.name}.json"
            found[agent] = []
            for rule, match in take_rule.matches(subject):
                row = ""
                if match.row_id:
                    row = subject.called(match.row_id)
                found[agent].append(_finding(rule, match, file, row))
    return found


@dataclass(frozen=True)
class CastFinding:
    """A finding in a take, and the agents it was found in: copies of one of
    the cast share it.
    """

    finding: Finding
    agents: tuple[str, ...]

    def __str__(self) -> str:
        more = len(self.agents) - 1
        others = ""
        if more:
            others = f" (and {more} more like it)"
        return f"{self.agents[0]}{others}: {self.finding}"

    def as_json(self) -> dict[str, object]:
        """The finding as JSON has it."""
        return {"agents": list(self.agents), **self.finding.as_json()}


def review_cast(take: Take, catalog: Catalog) -> list[CastFinding]:
    """The findings in a take that have not been dismissed, in the order of the
    cast; those of copies once.
    """
    dismissed = {each.finding for each in take.header.project.cover.dismissed}
    found: dict[tuple[str, str, str, str], list[tuple[str, Finding]]] = {}
    origin = {
        copy.name: each.name
        for each in take.header.played.cast
        for copy in each.each()
    }
    for agent, findings in review_take(take, catalog).items():
        for each in findings:
            key = (
                origin.get(agent, agent),
                each.rule.id,
                each.row_id,
                each.about,
            )
            if each.key not in dismissed:
                found.setdefault(key, []).append((agent, each))
    return [
        CastFinding(
            each[0][1], tuple(dict.fromkeys(agent for agent, _ in each))
        )
        for each in found.values()
    ]


def _of_behaviors(analysis: ProjectAnalysis) -> Iterator[Finding]:
    """The findings in each behavior; in a variant only those that its original
    does not have.
    """
    found = {
        each.name: [
            _finding(rule, match, each.file, _called(each, match.row_id))
            for rule, match in behavior_rule.matches(each)
        ]
        for each in analysis.readings
    }
    for each in analysis.readings:
        original = found.get(each.behavior.variant_of or "", [])
        known = {_identity(finding) for finding in original}
        yield from (
            finding
            for finding in found[each.name]
            if _identity(finding) not in known
        )


def _identity(finding: Finding) -> tuple[str, str, str, str]:
    return finding.rule.id, finding.row_id, finding.about, finding.message


def _of_project(analysis: ProjectAnalysis) -> Iterator[Finding]:
    """The findings in the project as a whole. Each names its file."""
    by_file = {each.file: each for each in analysis.readings}
    for rule, match in project_rule.matches(analysis):
        behavior = by_file.get(match.file)
        yield _finding(
            rule, match, match.file, _called(behavior, match.row_id)
        )


def _called(behavior: BehaviorAnalysis | None, row_id: str) -> str:
    row = None
    if behavior is not None:
        row = behavior.behavior.by_id.get(row_id)
    if behavior is not None and row is not None:
        return behavior.called(row)
    return ""


def _finding(rule: Rule, match: RuleMatch, file: str, called: str) -> Finding:
    return Finding(
        rule, file, match.row_id, called, match.message, match.about, match.fix
    )
