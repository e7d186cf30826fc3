"""`umbrant map`: which row would lead at a tick, over two inputs."""

import os
import subprocess
import sys
from pathlib import Path
from typing import Annotated

import typer

from umbrant.cli.ask import explainer_at
from umbrant.cli.options import (
    AgentOption,
    AtOption,
    JsonOption,
    TakeArg,
    TrustOption,
)
from umbrant.cli.output import InputError, print_json, refuse_cut_take, say
from umbrant.mapping.drawing import svg
from umbrant.mapping.field import MapPicture
from umbrant.mapping.worker import COMMAND, MapQuestion, MapReply
from umbrant.rolling.client import ENVIRONMENT


def map_(
    take: TakeArg,
    agent: AgentOption,
    at: AtOption,
    x: Annotated[
        str,
        typer.Option("--x", metavar="INPUT=LOW:HIGH", help="what goes across"),
    ],
    y: Annotated[
        str, typer.Option("--y", metavar="INPUT=LOW:HIGH", help="what goes up")
    ],
    out: Annotated[
        Path | None, typer.Option(metavar="FILE", help="write the map as SVG")
    ] = None,
    trust: TrustOption = False,
    as_json: JsonOption = False,
) -> None:
    """Say which row would lead an agent at a tick, for each pair of values of
    two inputs.

    An input is a sense, such as distance(visitor); a key; a number of the
    body; visitor.x, .y or .distance, where one of the cast stands; or a number
    of a row, such as 1.1.guard.within.
    """
    explainer, tick = explainer_at(take, agent, at)
    refuse_cut_take(explainer.take)
    if out is not None and not out.parent.is_dir():
        # Told before anything is played for it.
        raise InputError(
            f"{out}: it cannot be written (there is no folder {out.parent})"
        )
    question = MapQuestion(
        take=take.absolute(), agent=agent, tick=tick, x=x, y=y, trusted=trust
    )
    picture = _mapped(question)
    if out is not None:
        try:
            out.write_text(svg(picture))
        except OSError as error:
            raise InputError(
                f"{out}: it cannot be written ({error.strerror})"
            ) from None
    if as_json:
        print_json(picture.model_dump(mode="json"))
    else:
        _tell(picture)


def _mapped(question: MapQuestion) -> MapPicture:
    """The final map. Raises InputError."""
    done = subprocess.run(  # noqa: S603  (our own module)
        COMMAND,
        input=question.model_dump_json() + "\n",
        capture_output=True,
        text=True,
        check=False,
        env={**os.environ, **ENVIRONMENT},
    )
    lines = done.stdout.splitlines()
    if lines:
        reply = MapReply.model_validate_json(lines[-1])
    else:
        reply = MapReply()
    if reply.picture is None or not reply.picture.is_final:
        raise InputError(
            reply.error or f"the map could not be drawn: {done.stderr[-500:]}"
        )
    return reply.picture


def _tell(picture: MapPicture) -> None:
    say(
        f"across {picture.x}, up {picture.y}; {picture.played} places were played"
    )
    for label, share in picture.shares():
        say(f"  {share * 100:5.1f} %  {label}")
    for each in picture.borders:
        x, y = each.at
        sides = f"{picture.labels[each.one]} | {picture.labels[each.other]}"
        say(f"  {sides}, as at {x:.2f}, {y:.2f}: by {each.says}")
    if "?" in picture.leads:
        print("Where '?' stands nothing came back.", file=sys.stderr)
