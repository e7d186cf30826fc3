"""Arguments and options that several commands share."""

from pathlib import Path
from typing import Annotated

import typer

ProjectArg = Annotated[
    Path, typer.Argument(metavar="PROJECT", help="the folder of a project")
]
TakeArg = Annotated[
    Path, typer.Argument(metavar="TAKE", help="a take, as `roll` writes it")
]
AgentOption = Annotated[
    str, typer.Option("--agent", metavar="A", help="one of the cast")
]
AtOption = Annotated[
    float,
    typer.Option(
        "--at", metavar="SECONDS", min=0, help="the time in the take"
    ),
]
TrustOption = Annotated[
    bool,
    typer.Option(
        "--trust", help="let the nodes run that the project brings along"
    ),
]
JobsOption = Annotated[
    int | None,
    typer.Option(
        "--jobs",
        metavar="N",
        min=1,
        max=256,
        help="processes; as many as cores",
    ),
]
JsonOption = Annotated[
    bool, typer.Option("--json", help="print JSON, for a program to read")
]
