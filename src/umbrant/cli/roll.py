"""`umbrant roll`: plays a scenario into a take."""

from pathlib import Path
from typing import Annotated

import typer

from umbrant.cli.options import JsonOption, ProjectArg, TrustOption
from umbrant.cli.output import print_json, refuse_cut_take
from umbrant.cli.roll_project import rolled
from umbrant.cli.story import changes_data, print_story


def roll_(
    project: ProjectArg,
    scenario: Annotated[
        str | None,
        typer.Option(metavar="S", help="which scenario; the project's first"),
    ] = None,
    seed: Annotated[
        int | None, typer.Option(metavar="N", min=0, help="another seed")
    ] = None,
    seconds: Annotated[
        float | None,
        typer.Option(metavar="T", min=0.01, max=86_400, help="another length"),
    ] = None,
    out: Annotated[
        Path | None,
        typer.Option(metavar="FILE", help="where to write the take"),
    ] = None,
    trust: TrustOption = False,
    as_json: JsonOption = False,
) -> None:
    """Play a scenario as fast as it goes, and record a take."""
    take = rolled(project, scenario, seed, seconds, out, trust=trust)
    if as_json:
        print_json(
            {
                "take": str(take.path),
                "ticks": take.ticks,
                "ended": take.ended,
                "agents": changes_data(take),
            }
        )
    else:
        print_story(take)
    refuse_cut_take(take)
