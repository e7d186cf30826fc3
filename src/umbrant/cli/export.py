"""`umbrant export`: a take as text."""

import sys
from typing import Annotated

import typer

from umbrant.cli.options import TakeArg
from umbrant.cli.output import refuse_cut_take
from umbrant.take.export import ExportFormat, export_text
from umbrant.take.reader import read_take


def export(
    take: TakeArg,
    form: Annotated[
        ExportFormat, typer.Option("--format", help="the format to print")
    ] = ExportFormat.CSV,
) -> None:
    """Print a take as CSV or JSON Lines: one line for each span, refusal,
    change and pose.
    """
    found = read_take(take)
    sys.stdout.write(export_text(found, form))
    refuse_cut_take(found)
