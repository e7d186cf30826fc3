"""Calls of the system that fail at any moment of a save: the folder holds one
state, whole, and the next save works.
"""

import errno
import os
import random
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from benchmarks.fuzz.saves import states
from benchmarks.fuzz.tally import Tally
from umbrant.model.folder import read_project, save_project
from umbrant.model.problems import ProjectError

CALLS = (
    "open",
    "fsync",
    "replace",
    "unlink",
    "fchmod",
    "write",
    "fdopen",
    "close",
    "scandir",
    "mkdir",
    "chmod",
    "stat",
)
ERRORS = (
    errno.ENOSPC,
    errno.EACCES,
    errno.EIO,
    errno.EROFS,
    errno.EDQUOT,
    errno.EMFILE,
)


@contextmanager
def _failing(
    call: str, after: int, error: int, lasting: bool
) -> Iterator[None]:
    """Have a call of `os` fail once, or from then on, after so many that work."""
    real: Callable[..., Any] = getattr(os, call)
    count = 0

    def patched(*args: Any, **named: Any) -> Any:
        nonlocal count
        count += 1
        if count > after and (lasting or count == after + 1):
            if call == "close":
                real(*args, **named)
            raise OSError(
                error, os.strerror(error), str(args[0]) if args else ""
            )
        return real(*args, **named)

    setattr(os, call, patched)
    try:
        yield
    finally:
        setattr(os, call, real)


def attack(attempts: int, seed: int, folder: Path, tally: Tally) -> Tally:
    """Have so many saves fail."""
    one, other = states()
    place = folder / "project"
    save_project(one, place)

    def attempt(rng: random.Random) -> str:
        before = read_project(place)
        after = other if before == one else one
        failed = False
        try:
            with _failing(
                rng.choice(CALLS),
                rng.randrange(40),
                rng.choice(ERRORS),
                rng.random() < 0.3,
            ):
                save_project(after, place)
        except ProjectError as error:
            failed = "could not be written" in str(error)
            if not failed:
                return f"it said {error}"
        found = read_project(place)
        if found not in (before, after) or (not failed and found != after):
            return (
                "the project is half old and half new"
                if found not in (before, after)
                else "it said nothing"
            )
        save_project(after, place)
        return (
            ""
            if read_project(place) == after
            else "the next save does not work"
        )

    rngs = (
        (f"{seed}/{number}", random.Random(f"{seed}/{number}"))
        for number in range(attempts)
    )
    return tally.each(rngs, attempt)
