"""`umbrant nodes`: every kind of node."""

import os
from pathlib import Path
from typing import Annotated

import typer
from pydantic import BaseModel
from rich.table import Table

from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.kind import Kind
from umbrant.catalog.params import Param
from umbrant.cli.options import JsonOption
from umbrant.cli.output import InputError, console, print_json, say
from umbrant.model.folder import read_project
from umbrant.model.problems import ProjectError, did_you_mean
from umbrant.model.values import value_text
from umbrant.project_nodes import project_catalog

WhichArg = Annotated[
    str | None,
    typer.Argument(
        metavar="PROJECT|KIND",
        help=(
            "the folder of a project, for its own nodes alone (none of them "
            "is run); or a kind, such as move_to, for all about it"
        ),
    ),
]


def nodes(which: WhichArg = None, as_json: JsonOption = False) -> None:
    """List every kind of node, with its phrase; or a project's own nodes; or
    say all about one kind.
    """
    kinds = list(BUILTIN.kinds.values())
    one = None
    if which is not None and not os.path.exists(which):
        one = _kind_called(which)
        kinds = [one]
    elif which is not None:
        declared = project_catalog(read_project(Path(which)))
        if declared.problems:
            raise ProjectError(list(declared.problems))
        kinds = [kind for kind in declared.catalog.kinds.values() if kind.own]
    if as_json:
        print_json([_kind_data(kind) for kind in kinds])
        return
    if one is not None:
        _tell(one)
        return
    table = Table("kind", "family", "reads as", box=None, pad_edge=False)
    for kind in kinds:
        table.add_row(
            kind.id,
            kind.family,
            _phrase(kind) or "-",
        )
    console().print(table)


def _kind_called(name: str) -> Kind:
    """A kind by its id. Raises InputError."""
    kind = BUILTIN.kinds.get(name)
    if kind is None:
        ways_out = did_you_mean(
            name, list(BUILTIN.kinds), "`umbrant nodes` lists every kind."
        )
        raise InputError(
            f"{name}: there is no such folder, and no such kind of node. {ways_out}"
        )
    return kind


def _phrase(kind: Kind) -> str:
    """How a row of a kind reads, with what may be left out in brackets."""
    return kind.phrase.replace("[", "(").replace("]", ")")


def _tell(kind: Kind) -> None:
    """Print all about a kind."""
    say(f"{kind.id} ({kind.family}): {_phrase(kind)}".removesuffix(": "))
    say(kind.help)
    for param in kind.params:
        facts = [str(param.type), param.quantity.unit]
        if param.choices:
            facts.append(" or ".join(f"'{each}'" for each in param.choices))
        if param.default is not None:
            facts.append(f"else {value_text(param.default)}")
        said = ", ".join(each for each in facts if each)
        say(f"  {param.name} ({said}): {param.help}")
    for outcome, when in kind.outcomes.items():
        say(f"  {outcome}: {when}")
    if kind.example:
        say(f"Example: {kind.example}")


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
