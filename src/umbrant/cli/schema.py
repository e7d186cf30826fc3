"""`umbrant schema`: the JSON Schema of a project's files."""

from pathlib import Path
from typing import Annotated

import typer

from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.schema import project_schema
from umbrant.cli.output import print_json
from umbrant.expecting.expectation import FOLDER, Expectation
from umbrant.model.folder import read_project
from umbrant.model.problems import ProjectError
from umbrant.project_nodes import project_catalog

ALSO = {FOLDER: Expectation}
"""The documents of a project that are no part of what is played."""


def schema(
    project: Annotated[
        Path | None,
        typer.Argument(
            metavar="[PROJECT]", help="a project whose own nodes to include"
        ),
    ] = None,
) -> None:
    """Print the JSON Schema (2020-12) of a project's files."""
    if project is None:
        print_json(project_schema(BUILTIN, ALSO))
        return
    own = project_catalog(read_project(project))
    if own.problems:
        raise ProjectError([*own.problems])
    print_json(project_schema(own.catalog, ALSO))
