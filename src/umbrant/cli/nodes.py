"""`umbrant nodes`: every kind of node."""

from rich.table import Table

from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.declare import Kind
from umbrant.cli.options import JsonOption
from umbrant.cli.output import console, print_json


def nodes(as_json: JsonOption = False) -> None:
    """List every kind of node, with its phrase and what it does."""
    kinds = BUILTIN.kinds.values()
    if as_json:
        print_json([_kind_data(kind) for kind in kinds])
        return
    table = Table("kind", "family", "reads as", box=None, pad_edge=False)
    for kind in kinds:
        table.add_row(kind.id, kind.family, kind.phrase.replace("[", "(").replace("]", ")") or "-")
    console().print(table)


def _kind_data(kind: Kind) -> dict[str, object]:
    params = [
        {
            "name": param.name,
            "type": param.type,
            "unit": param.quantity.unit,
            "choices": param.choices,
            "required": param.required,
            "help": param.help,
        }
        for param in kind.params
    ]
    return {
        "id": kind.id,
        "family": kind.family,
        "phrase": kind.phrase,
        "help": kind.help,
        "example": kind.example,
        "own": kind.own,
        "outcomes": dict(kind.outcomes),
        "params": params,
    }
