"""Printing: everything that files or nodes may have put into a text is escaped."""

import json
from typing import IO

from rich.console import Console

from umbrant.cli.errors import CutShortError
from umbrant.model.printable import escaped, escaped_json
from umbrant.take.reader import Take


def refuse_cut_take(take: Take) -> None:
    """Nobody is to take what was recorded for all that would have happened. Raises
    CutShortError.
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
