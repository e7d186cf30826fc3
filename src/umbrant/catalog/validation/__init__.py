"""Whether a project's documents fit together and fit the catalog. Finds every
problem, and changes nothing.

A project with such problems can still be opened, edited and saved: a row that
cannot run fails with its reason.
"""

from collections.abc import Iterator
from pathlib import Path

from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.kind import Catalog
from umbrant.catalog.validation.behaviors import behavior_problems
from umbrant.catalog.validation.boards import board_problems
from umbrant.catalog.validation.boards import value_fits as value_fits
from umbrant.catalog.validation.names import known_names
from umbrant.catalog.validation.rows import CleanBehavior
from umbrant.catalog.validation.scenarios import scenario_problems
from umbrant.model.documents import FORMAT, Project
from umbrant.model.folder import COVER_FILE, EVENTS_FILE, read_project
from umbrant.model.problems import Problem, ProjectError, did_you_mean


def open_project(folder: Path, catalog: Catalog = BUILTIN) -> Project:
    """Read a project in which nothing is wrong. Raises ProjectError with every
    problem of every file.
    """
    project = read_project(folder)
    problems = validate(project, catalog)
    if problems:
        raise ProjectError(problems)
    return project


ValidationMemory = dict[str, CleanBehavior]
"""What need not be looked at again when a project has been edited, by the name
of the behavior.
"""


def validate(
    project: Project,
    catalog: Catalog = BUILTIN,
    memory: ValidationMemory | None = None,
) -> list[Problem]:
    """Every problem of a project, in the order of its files and rows.

    With the `memory` of earlier states of the project, which is added to, only
    what an edit touched is looked at.
    """
    memory = {} if memory is None else memory
    found = [*_cover_problems(project), *_event_problems(project)]
    known = known_names(project)
    for behavior in project.behaviors:
        found.extend(
            behavior_problems(
                project,
                behavior,
                catalog,
                known,
                memory.setdefault(behavior.name, CleanBehavior()),
            )
        )
    for board in project.blackboards:
        found.extend(board_problems(project, board, catalog))
    for scenario in project.scenarios:
        found.extend(scenario_problems(project, scenario, catalog))
    return found


def _cover_problems(project: Project) -> Iterator[Problem]:
    names = [scenario.name for scenario in project.scenarios]
    if project.cover.format != FORMAT:
        remedy = (
            "It was made by another version of Umbrant; open it with that one."
        )
        yield Problem(
            COVER_FILE,
            "",
            f"`format` is '{project.cover.format}', not '{FORMAT}'.",
            remedy,
        )
    if project.cover.scenario not in names:
        message = (
            f"`scenario`: there is no scenario '{project.cover.scenario}'."
        )
        yield Problem(
            COVER_FILE,
            "",
            message,
            did_you_mean(project.cover.scenario, names),
        )


def _event_problems(project: Project) -> Iterator[Problem]:
    seen: set[str] = set()
    for event in project.event_list.events:
        if event.name in seen:
            yield Problem(
                EVENTS_FILE,
                "",
                f"the event `{event.name}` is listed twice.",
                "Remove one of them.",
            )
        seen.add(event.name)
