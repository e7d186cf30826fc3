"""Findings about a project's own nodes, from what their files say: none of
them is run.
"""

import ast
from collections.abc import Iterator

from umbrant.catalog.python_text import parse_python
from umbrant.model.folder import NODES
from umbrant.review.findings import RuleMatch, Severity
from umbrant.review.project_analysis import ProjectAnalysis
from umbrant.review.rules import project_rule

UNREPEATABLE = {
    "random": "use `me.random`, which belongs to the agent and goes by the seed",
    "secrets": "use `me.random`, which goes by the seed",
    "uuid": "use `me.random`, which goes by the seed",
    "time": "use `me.world.now_s`, the time of the take",
    "datetime": "use `me.world.now_s`, the time of the take",
}
"""Modules of the standard library that give something else each time, and what
a node takes instead.
"""


@project_rule(
    "A node that is another one each time",
    why=(
        "The same project, scenario and seed give the same take only if nothing in it goes by "
        "chance or by the clock."
    ),
    severity=Severity.WARNING,
)
def unrepeatable_node(analysis: ProjectAnalysis) -> Iterator[RuleMatch]:
    """A file of the project's own nodes that imports a module of chance or of
    the clock.
    """
    for file in analysis.project.nodes:
        for line, name in _imports(file.text):
            instead = UNREPEATABLE.get(name)
            if instead:
                message = f"Line {line} imports `{name}`: {instead}."
                yield RuleMatch(
                    message, file=f"{NODES}/{file.name}", about=name
                )


def _imports(text: str) -> Iterator[tuple[int, str]]:
    """The lines at which modules are imported, and their outermost names; none
    where the file cannot be read.
    """
    try:
        tree = parse_python(text, NODES)
    except (SyntaxError, ValueError):
        return
    for node in ast.walk(tree):
        if isinstance(node, ast.Import):
            yield from (
                (node.lineno, each.name.partition(".")[0])
                for each in node.names
            )
        elif (
            isinstance(node, ast.ImportFrom) and node.module and not node.level
        ):
            yield node.lineno, node.module.partition(".")[0]
