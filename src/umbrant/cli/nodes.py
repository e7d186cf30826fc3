"""`umbrant nodes`: every kind of node."""

from pathlib import Path
from typing import Annotated

import typer
from pydantic import BaseModel
from rich.table import Table

from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.kind import Kind
from umbrant.catalog.params import Param
from umbrant.cli.options import JsonOption
from umbrant.cli.output import console, print_json
from umbrant.model.folder import read_project
from umbrant.model.problems import ProjectError
from umbrant.project_nodes import project_catalog

OwnNodesArg = Annotated[
    Path | None,
    typer.Argument(
        help="the folder of a project, for its own nodes alone; none of them is run"
    ),
]


def nodes(project: OwnNodesArg = None, as_json: JsonOption = False) -> None:
    """List every kind of node, with its phrase and what it does; or a
    project's own nodes.
    """
    kinds = list(BUILTIN.kinds.values())
    if project is not None:
        declared = project_catalog(read_project(project))
        if declared.problems:
            raise ProjectError(list(declared.problems))
        kinds = [kind for kind in declared.catalog.kinds.values() if kind.own]
    if as_json:
        print_json([_kind_data(kind) for kind in kinds])
        return
    table = Table("kind", "family", "reads as", box=None, pad_edge=False)
    for kind in kinds:
        table.add_row(
            kind.id,
            kind.family,
            kind.phrase.replace("[", "(").replace("]", ")") or "-",
        )
    console().print(table)


def _kind_data(kind: Kind) -> dict[str, object]:
    return {
        "id": kind.id,
        "family": kind.family,
        "phrase": kind.phrase,
        "help": kind.help,
        "example": kind.example,
        "own": kind.own,
        "outcomes": dict(kind.outcomes),
        "params": [_param_data(param) for param in kind.params],
    }


def _param_data(param: Param) -> dict[str, object]:
    default: object = param.default
    if isinstance(default, BaseModel):
        default = default.model_dump(mode="json")
    return {
        "name": param.name,
        "type": param.type,
        "unit": param.quantity.unit,
        "choices": param.choices,
        "default": default,
        "required": param.required,
        "help": param.help,
    }
