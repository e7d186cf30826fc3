"""`umbrant schema`: the JSON Schema of a project's files."""

from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.schema import project_schema
from umbrant.cli.output import print_json


def schema() -> None:
    """Print the JSON Schema (2020-12) of a project's files."""
    print_json(project_schema(BUILTIN))
