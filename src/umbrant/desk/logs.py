"""Where the program writes what went wrong: its own log, and beside it what Python says when the process dies."""

import faulthandler
import logging
from pathlib import Path
from typing import TextIO

from platformdirs import user_log_path

log = logging.getLogger("umbrant")


def log_file() -> Path:
    """Where mistakes of the program are logged."""
    return user_log_path("umbrant") / "umbrant.log"


def crash_file() -> Path:
    """Where the stacks of all threads are written when the process dies of a signal. Empty as long as it did not."""
    return user_log_path("umbrant") / "crash.log"


def log_to_file() -> None:
    """Log to a file from now on; to stderr where there can be none."""
    try:
        log_file().parent.mkdir(parents=True, exist_ok=True)
        log.addHandler(logging.FileHandler(log_file(), encoding="utf-8"))
    except OSError:
        log.addHandler(logging.StreamHandler())


def watch_for_crashes() -> tuple[TextIO | None, bool]:
    """Write native crashes to their own log from now on. Gives that file, to be kept open, and whether the last visit
    ended in one.

    What the last crash left goes to the log, so that it is told of once. The file is None where none can be written.
    """
    path = crash_file()
    try:
        before = path.read_text(encoding="utf-8", errors="replace") if path.exists() else ""
        if before.strip():
            log.error("The visit before ended in a crash:\n%s", before)
        file = path.open("w", encoding="utf-8")
    except OSError:
        faulthandler.enable()
        return None, False
    faulthandler.enable(file)
    return file, bool(before.strip())
