"""Where the takes of one visit lie. What a visit that crashed left behind is
removed by the next.
"""

import os
import shutil
import tempfile
from pathlib import Path

from platformdirs import user_cache_path


def folder_for_takes() -> Path:
    """A new folder for the takes of this visit. The caller removes it."""
    cache = user_cache_path("umbrant") / "visits"
    try:
        cache.mkdir(parents=True, exist_ok=True)
        _sweep(cache)
        return Path(tempfile.mkdtemp(prefix=f"{os.getpid()}-", dir=cache))
    except OSError:
        return Path(tempfile.mkdtemp(prefix="umbrant-"))


def _sweep(cache: Path) -> None:
    """Remove the folders of processes that are no more."""
    for folder in cache.iterdir():
        owner = folder.name.partition("-")[0]
        if owner.isdigit() and not lives(int(owner)):
            shutil.rmtree(folder, ignore_errors=True)


def lives(process_id: int) -> bool:
    """Whether there is a process of this id."""
    try:
        os.kill(process_id, 0)
    except ProcessLookupError:
        return False
    except (PermissionError, OverflowError):
        return True
    return True
