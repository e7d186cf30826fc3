"""`umbrant review`: what looks like a mistake in a project, or in what
happened in a take.
"""

from pathlib import Path
from typing import Annotated

import typer

from umbrant.catalog.validation import validate
from umbrant.cli.options import JsonOption
from umbrant.cli.output import print_json, refuse_cut_take, say
from umbrant.model.folder import read_project
from umbrant.model.values import count_text
from umbrant.project_nodes import project_catalog
from umbrant.review import review, review_cast
from umbrant.review.findings import Severity
from umbrant.take.reader import read_take

SubjectArg = Annotated[
    Path,
    typer.Argument(
        metavar="PROJECT|TAKE", help="the folder of a project, or a take"
    ),
]


def review_(subject: SubjectArg, as_json: JsonOption = False) -> None:
    """Say what looks like a mistake in a project or a take. Exits with 1 when
    there are errors.
    """
    if subject.is_file():
        _review_take(subject, as_json=as_json)
    else:
        _review_project(subject, as_json=as_json)


def _review_take(path: Path, *, as_json: bool) -> None:
    take = read_take(path)
    found = review_cast(take, project_catalog(take.header.project).catalog)
    if as_json:
        print_json(
            {
                "findings": [each.as_json() for each in found],
                "ended": take.ended,
            }
        )
    else:
        for each in found:
            say(f"{each}\n    {each.finding.rule.why}")
        words = "Nothing was found."
        if found:
            words = count_text(len(found), "finding")
        say(words)
    refuse_cut_take(take)
    errors = any(
        each.finding.rule.severity is Severity.ERROR for each in found
    )
    code = 0
    if errors:
        code = 1
    raise SystemExit(code)


def _review_project(project: Path, *, as_json: bool) -> None:
    document = read_project(project)
    own = project_catalog(document)
    problems = [*validate(document, own.catalog), *own.problems]
    if any(not problem.row_id for problem in problems):
        found = []
    else:
        found = review(document, own.catalog)
    errors = bool(problems) or any(
        each.rule.severity is Severity.ERROR for each in found
    )
    if as_json:
        print_json(
            {
                "problems": [each.as_json() for each in problems],
                "findings": [each.as_json() for each in found],
            }
        )
    else:
        for problem in problems:
            say(f"error: {problem}")
        for each in found:
            say(f"{each}\n    {each.rule.why}")
        words = "Nothing was found."
        if problems or found:
            words = count_text(len(problems) + len(found), "finding")
        say(words)
    code = 0
    if errors:
        code = 1
    raise SystemExit(code)
