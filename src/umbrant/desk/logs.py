"""Where the program writes what went wrong: its own log, and beside it what
Python says when the process dies.
"""

import faulthandler
import logging
import os
from pathlib import Path
from typing import TextIO

from platformdirs import user_log_path

from umbrant.desk.session.visits import lives

log = logging.getLogger("umbrant")


def log_file() -> Path:
    """Where mistakes of the program are logged."""
    return user_log_path("umbrant") / "umbrant.log"


def log_to_file() -> None:
    """Log to a file from now on; to stderr where there can be none."""
    try:
        log_file().parent.mkdir(parents=True, exist_ok=True)
        log.addHandler(logging.FileHandler(log_file(), encoding="utf-8"))
    except OSError:
        log.addHandler(logging.StreamHandler())


class CrashWatch:
    """Has the stacks of all threads written to a file of this process when it
    dies of a signal.

    `crashed` says whether a visit before died so. What it left goes to the
    log, so that it is told of once.
    """

    def __init__(self) -> None:
        self.crashed = _take_up_crashes()
        self._path = log_file().parent / f"crash-{os.getpid()}.log"
        self._file: TextIO | None = None
        try:
            self._path.parent.mkdir(parents=True, exist_ok=True)
            self._file = self._path.open("w", encoding="utf-8")
        except OSError:
            faulthandler.enable()
        else:
            faulthandler.enable(self._file)

    def close(self) -> None:
        """Remove the marker by which the next start would know of a crash."""
        faulthandler.disable()
        if self._file is not None:
            self._file.close()
            self._path.unlink(missing_ok=True)


def _take_up_crashes() -> bool:
    """Log what processes left that are no more, and remove it. Says whether
    one of them died of a signal.
    """
    found = False
    for path in sorted(log_file().parent.glob("crash-*.log")):
        owner = path.stem.removeprefix("crash-")
        try:
            if owner.isdigit() and lives(int(owner)):
                continue
            text = path.read_text(encoding="utf-8", errors="replace").strip()
            path.unlink()
        except OSError:
            continue
        if text:
            log.error("An earlier visit ended in a crash:\n%s", text)
            found = True
    return found
