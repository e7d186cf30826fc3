"""`umbrant review`: what looks like a mistake in a project."""

from umbrant.catalog.validation import validate
from umbrant.cli.options import JsonOption, ProjectArg
from umbrant.cli.output import print_json, say
from umbrant.model.folder import read_project
from umbrant.project_nodes import project_catalog
from umbrant.review import review
from umbrant.review.findings import Severity


def review_(project: ProjectArg, as_json: JsonOption = False) -> None:
    """Say what looks like a mistake in a project. Exits with 1 when there are errors."""
    document = read_project(project)
    own = project_catalog(document)
    problems = [*validate(document, own.catalog), *own.problems]
    found = [] if any(not problem.row_id for problem in problems) else review(document, own.catalog)
    errors = bool(problems) or any(each.rule.severity is Severity.ERROR for each in found)
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
        say(f"{len(problems) + len(found)} findings" if problems or found else "Nothing was found.")
    raise SystemExit(1 if errors else 0)
