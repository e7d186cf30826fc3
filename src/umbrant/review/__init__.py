"""Being told of mistakes: findings from the documents before anything is rolled, and from takes
afterwards.
"""

from collections.abc import Iterable, Iterator
from typing import Any

from umbrant.catalog.declare import Catalog
from umbrant.model.documents import Project
from umbrant.review import keys, machines, nodes, rows, stages, takes, utilities
from umbrant.review.findings import RULES, Finding, Rule, RuleMatch, Subject
from umbrant.review.project_analysis import ProjectAnalysis
from umbrant.review.takes import AgentTake
from umbrant.take.reader import Take

MODULES = (rows, machines, utilities, keys, stages, nodes, takes)
"""Where findings are declared."""


def review(project: Project, catalog: Catalog) -> list[Finding]:
    """All findings in a valid project that have not been dismissed, file by file. Raises KeyError
    for a broken one.
    """
    analysis = ProjectAnalysis(project, catalog)
    found = list(_of_behaviors(analysis))
    for sort in _sorts(Subject.PROJECT):
        found.extend(_found(sort, analysis, analysis, ""))
    dismissed = {each.finding for each in project.cover.dismissed}
    order = [*(reading.file for reading in analysis.readings)]
    kept = [each for each in found if each.key not in dismissed]
    return sorted(
        kept,
        key=lambda each: (order.index(each.file) if each.file in order else len(order), each.file),
    )


def review_take(take: Take, catalog: Catalog) -> dict[str, list[Finding]]:
    """The findings in a take, for each agent of it. Any thread."""
    found: dict[str, list[Finding]] = {}
    for agent in take.agents:
        run = AgentTake(take, agent, catalog)
        behavior = run.behavior
        if behavior is not None:
            file = f"behaviors/{behavior.name}.json"
            found[agent] = [
                Finding(
                    sort,
                    file,
                    each.row_id,
                    run.called(each.row_id) if each.row_id else "",
                    each.message,
                    each.about,
                )
                for sort in _sorts(Subject.TAKE)
                for each in sort.find(run)
            ]
    return found


def _of_behaviors(analysis: ProjectAnalysis) -> Iterator[Finding]:
    """What each behavior has; of a variant only what the one it is made from has not."""
    found = {
        reading.name: [
            each
            for sort in _sorts(Subject.BEHAVIOR)
            for each in _found(sort, reading, None, reading.file)
        ]
        for reading in analysis.readings
    }
    for reading in analysis.readings:
        original = found.get(reading.behavior.variant_of or "", [])
        known = {(each.sort.id, each.row_id, each.about, each.message) for each in original}
        for each in found[reading.name]:
            if (each.sort.id, each.row_id, each.about, each.message) not in known:
                yield each


def _sorts(scope: Subject) -> Iterable[Rule]:
    return (sort for sort in RULES.values() if sort.scope is scope)


def _found(
    sort: Rule, looked_at: Any, analysis: ProjectAnalysis | None, file: str
) -> Iterator[Finding]:
    for each in sort.find(looked_at):
        yield _finding(sort, each, file or each.file, analysis, looked_at)


def _finding(
    sort: Rule, each: RuleMatch, file: str, analysis: ProjectAnalysis | None, looked_at: Any
) -> Finding:
    readings = analysis.readings if analysis is not None else [looked_at]
    reading = next((one for one in readings if one.file == file), None)
    row = reading.behavior.by_id.get(each.row_id) if reading is not None else None
    called = reading.called(row) if reading is not None and row is not None else ""
    return Finding(sort, file, each.row_id, called, each.message, each.about, each.fix)
