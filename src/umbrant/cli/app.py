"""The command line: its commands, and what becomes of an error.

Exit codes: 0 fine, 1 something in the input is wrong, 2 wrong usage, 3 what
was asked for was done with a take that was cut short, 130 and 143 stopped by a
signal.
"""

import os
import signal
import sys
from contextlib import suppress
from typing import Any

import typer
from typer.core import TyperGroup

from umbrant.cli.branch import branch
from umbrant.cli.compare import compare
from umbrant.cli.expect import expect
from umbrant.cli.export import export
from umbrant.cli.find import find
from umbrant.cli.map import map_
from umbrant.cli.nodes import nodes
from umbrant.cli.open import open_
from umbrant.cli.output import CutShortError, InputError, StoppedError
from umbrant.cli.review import review_
from umbrant.cli.roll import roll_
from umbrant.cli.schema import schema
from umbrant.cli.show import show
from umbrant.cli.study.command import study
from umbrant.cli.why import why
from umbrant.model.printable import escaped
from umbrant.model.problems import ProjectError
from umbrant.rolling.parent import end_with_parent
from umbrant.take.errors import TakeError


class _OpensByDefault(TyperGroup):
    """`umbrant PROJECT` and plain `umbrant` open the window: what is no
    command is a project.
    """

    def parse_args(self, ctx: Any, args: list[str]) -> list[str]:
        known = set(self.commands)
        if args != ["--help"] and not any(arg in known for arg in args[:1]):
            args = ["open", *args]
        return super().parse_args(ctx, args)


app = typer.Typer(
    cls=_OpensByDefault,
    help=(
        "Write how an NPC makes up its mind, watch it happen, and ask why.\n\n`umbrant PROJECT` "
        "opens the window."
    ),
    add_completion=False,
    no_args_is_help=False,
    rich_markup_mode=None,
)
app.command("open")(open_)
app.command("roll")(roll_)
app.command("show")(show)
app.command("why")(why)
app.command("review")(review_)
app.command("branch")(branch)
app.command("compare")(compare)
app.command("find")(find)
app.command("expect")(expect)
app.command("study")(study)
app.command("map")(map_)
app.command("export")(export)
app.command("nodes")(nodes)
app.command("schema")(schema)


def main() -> None:
    """Run the command line. Mistakes in the input are said on stderr, and
    nothing else is.
    """
    end_with_parent()
    try:
        try:
            app()
        finally:
            sys.stdout.flush()
    except (ProjectError, TakeError, InputError) as error:
        print(escaped(str(error)), file=sys.stderr)
        raise SystemExit(1) from None
    except CutShortError as cut:
        print(escaped(str(cut)), file=sys.stderr)
        raise SystemExit(3) from None
    except StoppedError as stopped:
        print(escaped(str(stopped)), file=sys.stderr)
        raise SystemExit(stopped.code) from None
    except KeyboardInterrupt:
        raise SystemExit(128 + signal.SIGINT) from None
    except BrokenPipeError:
        _give_up_output()
        raise SystemExit(0) from None
    except OSError as error:
        # Files that are read or written have errors of their own; what is left
        # is what is printed.
        _give_up_output()
        print(
            f"The output could not be written: {error.strerror or error}.",
            file=sys.stderr,
        )
        raise SystemExit(1) from None


def _give_up_output() -> None:
    """Print into nothing from now on, or Python would complain of the same
    once more as it ends.
    """
    with suppress(OSError, ValueError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
