"""`umbrant open`: the window, or without a display the story of a take."""

import os
from pathlib import Path
from typing import Annotated

import typer

from umbrant.cli.options import TrustOption
from umbrant.cli.output import InputError, refuse_cut_take
from umbrant.cli.roll_project import rolled
from umbrant.cli.story import print_story


def open_(
    project: Annotated[
        Path | None,
        typer.Argument(metavar="[PROJECT]", help="the folder of a project"),
    ] = None,
    headless: Annotated[
        bool,
        typer.Option(
            "--headless", help="play it and print what happened, no window"
        ),
    ] = False,
    trust: TrustOption = False,
) -> None:
    """Open the window on a project. Without a display, play its scenario and
    print what happened.
    """
    if headless or not (
        os.environ.get("DISPLAY")
        or os.environ.get("WAYLAND_DISPLAY")
        or _has_platform()
    ):
        if project is None:
            raise InputError(
                "Without a window there is nothing to open: name the folder of a project to play."
            )
        take = rolled(project, None, None, None, None, trust=trust)
        print_story(take)
        refuse_cut_take(take)
        return
    # Qt is loaded only for the window, so that all other commands work where
    # its libraries are missing.
    from umbrant.desk.app import run_desk

    raise SystemExit(run_desk(project, trust=trust))


def _has_platform() -> bool:
    return os.environ.get("QT_QPA_PLATFORM", "") != ""
