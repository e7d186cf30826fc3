"""The command line: its commands, and what becomes of an error.

Exit codes: 0 fine, 1 something in the input is wrong, 2 wrong usage, 3 what
was asked for was done with a take that was cut short, 130 and 143 stopped by a
signal.
"""

import os
import signal
import sys
from contextlib import suppress
from importlib import import_module
from pathlib import Path
from typing import Any

import typer
from typer.core import TyperGroup
from typer.main import get_command_from_info
from typer.models import CommandInfo

from umbrant.cli.output import CutShortError, InputError, StoppedError
from umbrant.model.printable import escaped
from umbrant.model.problems import ProjectError, did_you_mean
from umbrant.rolling.parent import end_with_parent
from umbrant.take.errors import TakeError

COMMANDS = {
    "open": "umbrant.cli.open:open_",
    "roll": "umbrant.cli.roll:roll_",
    "show": "umbrant.cli.show:show",
    "why": "umbrant.cli.why:why",
    "review": "umbrant.cli.review:review_",
    "branch": "umbrant.cli.branch:branch",
    "compare": "umbrant.cli.compare:compare",
    "find": "umbrant.cli.find:find",
    "expect": "umbrant.cli.expect:expect",
    "study": "umbrant.cli.study.command:study",
    "map": "umbrant.cli.map:map_",
    "export": "umbrant.cli.export:export",
    "nodes": "umbrant.cli.nodes:nodes",
    "schema": "umbrant.cli.schema:schema",
}
"""The commands in the order of the help, and where each is. A module is loaded
when its command is called, so that none waits for what only others need.
"""


class _Commands(TyperGroup):
    """`umbrant PROJECT` and plain `umbrant` open the window: what is no
    command is a project.
    """

    def parse_args(self, ctx: Any, args: list[str]) -> list[str]:
        is_command = any(arg in COMMANDS for arg in args[:1])
        if args != ["--help"] and not is_command:
            for word in args[:1]:
                _refuse_misspelt(ctx, word)
            args = ["open", *args]
        return super().parse_args(ctx, args)

    def list_commands(self, ctx: Any) -> list[str]:
        return list(COMMANDS)

    def get_command(self, ctx: Any, cmd_name: str) -> Any:
        if cmd_name not in COMMANDS:
            return None
        module, _, function = COMMANDS[cmd_name].partition(":")
        info = CommandInfo(
            cmd_name, callback=getattr(import_module(module), function)
        )
        return get_command_from_info(
            info, pretty_exceptions_short=True, rich_markup_mode=None
        )


def _refuse_misspelt(ctx: Any, word: str) -> None:
    """End with a message for a plain word that names no folder: whoever types
    one means a command.
    """
    path = Path(word)
    if path.name == word and not path.suffix and word[:1] not in ("", "-"):
        with suppress(OSError):
            if path.is_dir():
                return
        meant = did_you_mean(word, list(COMMANDS), "See umbrant --help.")
        ctx.fail(
            f"'{escaped(word)}' is neither a command nor a folder here. {meant}"
        )


app = typer.Typer(
    cls=_Commands,
    add_completion=False,
    no_args_is_help=False,
    rich_markup_mode=None,
)


@app.callback()
def umbrant() -> None:
    """Write how an NPC makes up its mind, watch it happen, and ask why.

    `umbrant PROJECT` opens the window.
    """


def main() -> None:
    """Run the command line. Mistakes in the input are said on stderr, and
    nothing else is.
    """
    end_with_parent()
    # Whoever has started this may ignore that its children end, and what is
    # ignored is inherited: nobody here could wait for a process.
    signal.signal(signal.SIGCHLD, signal.SIG_DFL)
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
