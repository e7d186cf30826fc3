"""Where the takes of one visit lie, and all else that is to be gone with it.
What a visit that crashed left behind is removed by the next.
"""

import os
import shutil
import tempfile
from pathlib import Path

from platformdirs import user_cache_path

WITHOUT_CACHE = "umbrant-"
"""How the names of folders begin where there is no room for a cache."""


def folder_for_takes() -> Path:
    """A new folder for the takes of this visit. The caller removes it."""
    try:
        return Path(tempfile.mkdtemp(prefix=_of_this_visit(), dir=_visits()))
    except OSError:
        return Path(tempfile.mkdtemp(prefix=WITHOUT_CACHE))


def folder_template() -> str:
    """What a QTemporaryDir of this visit is made of: one that a killed window
    leaves goes with its takes.
    """
    try:
        return str(_visits() / f"{_of_this_visit()}XXXXXX")
    except OSError:
        return str(Path(tempfile.gettempdir(), f"{WITHOUT_CACHE}XXXXXX"))


def _visits() -> Path:
    """Where the folders of visits lie, without those of processes that are no
    more. Raises OSError.
    """
    cache = user_cache_path("umbrant") / "visits"
    cache.mkdir(parents=True, exist_ok=True)
    if not os.access(cache, os.W_OK):
        # Qt would go on with a folder that is not there.
        raise PermissionError(cache)
    _sweep(cache)
    return cache


def _of_this_visit() -> str:
    """How the names of this visit's folders begin."""
    return f"{os.getpid()}-"


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
