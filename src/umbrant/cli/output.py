"""What a command prints, and what ends it early. Everything that files or
nodes may have put into a text is escaped.
"""

import json
from typing import IO

from rich.console import Console

from umbrant.model.printable import escaped, escaped_json, printable
from umbrant.take.reader import Take


class InputError(Exception):
    """Something in the input is wrong. The message names it and the way out;
    the program exits with 1.
    """


class StoppedError(Exception):
    """A signal has stopped what was being done. `code` is what the program
    exits with.
    """

    def __init__(self, message: str, number: int) -> None:
        super().__init__(message)
        self.code = 128 + number


class CutShortError(Exception):
    """What was asked for has been done, with a take that was cut short. The
    program exits with 3.
    """

    def __init__(self, take: Take) -> None:
        super().__init__(
            f"{take.path}: this take is not whole: {printable(take.ended, 500)}"
        )


def refuse_cut_take(take: Take) -> None:
    """Nobody is to take what was recorded for all that would have happened.
    Raises CutShortError.
    """
    if not take.is_complete:
        raise CutShortError(take)


def say(text: str = "", file: IO[str] | None = None) -> None:
    """Print text with what files or nodes may have put into it escaped."""
    print(escaped(text), file=file)


def print_json(data: object) -> None:
    """Print a value as indented JSON."""
    print(escaped_json(json.dumps(data, indent=2, ensure_ascii=False)))


def console() -> Console:
    """A console for tables, which wraps no lines and reads no markup."""
    return Console(highlight=False, markup=False, soft_wrap=True)
