"""The files of a project's folder: read without waiting for what is no file,
and saved all or none of them.

A save of several files is a transaction. Each new text is first written beside
the file it is for. Then a journal that names them all is put into the folder
in one step: from then on the save counts as done. What is left is renaming,
which whoever reads or saves next finishes if a crash came between. Without a
journal nothing has happened, and what lies beside the files is swept away.

Whoever saves holds a lock on the folder, and whoever reads shares one. The
system releases it however a process ends.
"""

import fcntl
import json
import os
import re
import stat
import tempfile
import time
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path

JOURNAL = ".umbrant-save.json"
"""The file that says which files a save has yet to rename or remove."""
PART = ".part"
LARGEST = 64 * 1024 * 1024
"""How many bytes a file of a project may have."""
LOCKED_S = 3.0
"""How long is waited for another process that saves or reads."""

_JOURNALED = re.compile(
    r"(project|events|(behaviors|blackboards|stages|scenarios)/[a-z][a-z0-9_-]{0,59})\.json"
)
_IS_PART = re.compile(r"\..+\.(json|py)(\.\w+)?\.part")
_NODE_FILE = re.compile(r"nodes/[^/\0.][^/\0]*\.py")


class BusyError(Exception):
    """Another process is saving to the folder. Raised by `locked`."""


def read_text(path: Path) -> str:
    """The text of a plain file. Raises OSError, also for what is no plain file
    or too large, and UnicodeDecodeError.

    A pipe or a device is not waited for.
    """
    # Opened first and looked at then: between a look at the name and the
    # opening it could become something else. O_NONBLOCK, since a pipe would
    # wait for somebody who writes.
    handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    with os.fdopen(handle, "rb") as file:
        about = os.fstat(handle)
        if not stat.S_ISREG(about.st_mode):
            raise OSError(0, "it is no plain file", str(path))
        if about.st_size > LARGEST:
            raise OSError(
                0, f"it is larger than {LARGEST // 1024 // 1024} MB", str(path)
            )
        return (
            file.read(LARGEST + 1)
            .decode("utf-8")
            .replace("\r\n", "\n")
            .replace("\r", "\n")
        )


def names_in(folder: Path, ending: str) -> list[str]:
    """The names of the files in a folder that end so, in order, hidden ones
    left out; none where there is no folder.

    Raises OSError where the folder cannot be read: that is not the same as an
    empty one.
    """
    try:
        with os.scandir(folder) as entries:
            return sorted(
                each.name
                for each in entries
                if each.name.endswith(ending) and each.name[0] != "."
            )
    except FileNotFoundError:
        return []


@contextmanager
def locked(folder: Path, *, shared: bool = False) -> Iterator[None]:
    """Keep other processes from saving to the folder meanwhile, or, if it is
    not `shared`, from reading it as well.

    Raises BusyError where another keeps it for longer than is waited. Where
    nothing can be locked nothing is.
    """
    try:
        handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
    except OSError:
        yield
        return
    try:
        if shared:
            _lock(handle, fcntl.LOCK_SH)
        else:
            _lock(handle, fcntl.LOCK_EX)
        yield
    finally:
        os.close(handle)


def _lock(handle: int, how: int) -> None:
    until_s = time.monotonic() + LOCKED_S
    while True:
        try:
            fcntl.flock(handle, how | fcntl.LOCK_NB)
        except BlockingIOError:
            if time.monotonic() > until_s:
                raise BusyError from None
            time.sleep(0.02)
        except OSError:  # a file system without locks
            return
        else:
            return


def save_files(
    folder: Path, texts: Mapping[str, str], removed: list[str]
) -> None:
    """Write these files and remove those, all or none. Names are paths within
    the folder. To be called in `locked`.

    Raises OSError. Nothing has been changed then, or, where only renaming
    failed, `finish_save` goes on with it.
    """
    folder.mkdir(parents=True, exist_ok=True)
    finish_save(folder)
    if not texts and not removed:
        return
    try:
        for name, text in texts.items():
            _write_part(folder / name, text)
        write_atomically(
            folder / JOURNAL,
            json.dumps({"write": list(texts), "remove": removed}, indent=2)
            + "\n",
        )
    except BaseException:
        # The journal goes first: with it in place what lies beside the files
        # is the save.
        (folder / JOURNAL).unlink(missing_ok=True)
        _sweep(folder)
        raise
    finish_save(folder)


def finish_save(folder: Path) -> None:
    """Finish a save that was cut short after it counted as done; else remove
    what one left behind. Raises OSError.
    """
    if not os.path.lexists(folder / JOURNAL):
        _sweep(folder)
        return
    written, removed = _journal(folder)
    for name in written:
        path = folder / name
        part = _part(path)
        # A part that is gone was renamed before the crash: finishing a save
        # twice comes to the same.
        if part.is_file() and not part.is_symlink():
            os.replace(part, path)
    for name in removed:
        (folder / name).unlink(missing_ok=True)
    # The renames must be on the disk before the journal goes: nobody would
    # finish them without it.
    for place in sorted(
        {(folder / name).parent for name in (*written, *removed)}
    ):
        _settle(place)
    (folder / JOURNAL).unlink()
    _sweep(folder)


def is_unfinished(folder: Path) -> bool:
    """Whether a save was cut short, or left something behind."""
    return (
        os.path.lexists(folder / JOURNAL)
        or next(_parts(folder), None) is not None
    )


def _journal(folder: Path) -> tuple[list[str], list[str]]:
    """What a journal names. It may come with a stranger's project: only files
    of this project can be meant.
    """
    try:
        data = json.loads(read_text(folder / JOURNAL))
        written, removed = data["write"], data["remove"]
    except (ValueError, KeyError, TypeError, RecursionError):
        return [], []
    return _project_files(folder, written), _project_files(folder, removed)


def _project_files(folder: Path, names: object) -> list[str]:
    """Those of the names that can be files of a project in a folder.

    A symbolic link in place of a collection's folder would lead a save out of
    the project, so the real folder of each file is looked at, not only its
    name.
    """
    if not isinstance(names, list):
        return []
    inside = os.path.realpath(folder)
    found: list[str] = []
    for name in names:
        if not isinstance(name, str):
            continue
        if not _JOURNALED.fullmatch(name) and not _NODE_FILE.fullmatch(name):
            continue
        collection = os.path.join(inside, name.partition("/")[0])
        if os.path.realpath((folder / name).parent) in (inside, collection):
            found.append(name)
    return found


def _part(path: Path) -> Path:
    return path.with_name(f".{path.name}{PART}")


def _write_part(path: Path, text: str) -> None:
    """Write the new text of a file beside it, with the file's permissions."""
    path.parent.mkdir(parents=True, exist_ok=True)
    part = _part(path)
    # Left by a save that never counted. Made anew, with O_EXCL: a link in its
    # place would lead the writing out of the project.
    part.unlink(missing_ok=True)
    handle = os.open(
        part, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC, 0o644
    )
    with os.fdopen(handle, "w", encoding="utf-8", newline="\n") as file:
        file.write(text)
        file.flush()
        if path.exists():
            os.fchmod(handle, path.stat().st_mode & 0o777)
        os.fsync(handle)


def _parts(folder: Path) -> Iterator[Path]:
    """The files that a save has left beside those of the project."""
    for place in (
        "",
        "behaviors",
        "blackboards",
        "stages",
        "scenarios",
        "nodes",
    ):
        try:
            with os.scandir(folder / place) as entries:
                names = sorted(
                    each.name
                    for each in entries
                    if _IS_PART.fullmatch(each.name)
                )
        except OSError:
            continue
        yield from (folder / place / name for name in names)


def _sweep(folder: Path) -> None:
    for part in list(_parts(folder)):
        part.unlink(missing_ok=True)


def _settle(folder: Path) -> None:
    """See that what was renamed in a folder is on the disk."""
    try:
        handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
    except FileNotFoundError:
        return
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def write_atomically(path: Path, text: str) -> None:
    """Put `text` at `path` in one step: a reader, or a crash, sees the old
    file or the new one. Raises OSError.
    """
    path.parent.mkdir(parents=True, exist_ok=True)
    handle, temporary = tempfile.mkstemp(
        dir=path.parent, prefix=f".{path.name}.", suffix=PART
    )
    try:
        with os.fdopen(handle, "w", encoding="utf-8", newline="\n") as file:
            file.write(text)
            file.flush()
            os.fsync(file.fileno())
        mode = 0o644
        if path.exists():
            mode = path.stat().st_mode & 0o777
        os.chmod(temporary, mode)
        os.replace(temporary, path)
        _settle(path.parent)
    except BaseException:
        Path(temporary).unlink(missing_ok=True)
        raise
