"""Unsaved changes, kept where a crash cannot reach them, until they are saved
or discarded.
"""

import hashlib
import json
import os
import time
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import suppress
from itertools import count
from pathlib import Path

from platformdirs import user_state_path
from PySide6.QtCore import QObject, QTimer

from umbrant.desk.logs import log
from umbrant.desk.session.desk import Desk
from umbrant.desk.session.visits import lives
from umbrant.model.documents import Project
from umbrant.model.files import write_atomically
from umbrant.model.folder import document_texts, parse_project
from umbrant.model.problems import ProjectError

DELAY_MS = 700
"""How long after the last edit the changes are written; at the most this much
is lost.
"""
STALE_S = 60.0
"""How long ago something was last written to if nobody is still at it."""
NEW = "new-"
"""How the files begin in which projects are kept that have no folder yet."""
_numbers = count(1)


def recovery_path(folder: Path) -> Path:
    """Where the unsaved changes of a project are kept."""
    name = hashlib.sha256(str(folder.resolve()).encode()).hexdigest()[:16]
    return _folder() / f"{name}.json"


def kept_changes(folder: Path, project: Project) -> Project | None:
    """The project with the changes that were kept; None if there are none, or
    they are what was saved anyway.
    """
    kept = _read(recovery_path(folder))
    if kept is not None and document_texts(kept) != document_texts(project):
        return kept
    return None


def forget_changes(folder: Path) -> None:
    """Remove what was kept for a project."""
    recovery_path(folder).unlink(missing_ok=True)


def kept_new_projects() -> list[tuple[Path, Project]]:
    """The projects without a folder that visits left which are no more, each
    with the file it is kept in.
    """
    found = []
    _sweep()
    for path in sorted(_folder().glob(f"{NEW}*.json")):
        owner = path.stem.removeprefix(NEW).partition("-")[0]
        if owner.isdigit() and lives(int(owner)):
            project = None
        else:
            project = _read(path)
        if project is not None:
            found.append((path, project))
    return found


class Autosave(QObject):
    """Keeps one desk's unsaved changes, writing them in a thread a moment
    after each edit.
    """

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._desk = desk
        self._new_path = (
            _folder() / f"{NEW}{os.getpid()}-{next(_numbers)}.json"
        )
        self._thread = ThreadPoolExecutor(
            max_workers=1, thread_name_prefix="keeper"
        )
        self._has_stopped = False
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(DELAY_MS)
        self._timer.timeout.connect(self.keep_now)
        desk.project_changed.connect(self._later)
        desk.documents.about_to_save.connect(self._keep_before_saving)

    @property
    def path(self) -> Path:
        """Where the changes are kept."""
        if self._desk.documents.folder is not None:
            return recovery_path(self._desk.documents.folder)
        return self._new_path

    def keep_now(self) -> Future[bool]:
        """Write the changes, or remove them if everything is saved. The
        answer: whether nothing can be lost now.

        Once it has stopped keeping, nothing is written and the answer is no.
        """
        if self._has_stopped:
            nothing: Future[bool] = Future()
            nothing.set_result(False)
            return nothing
        if self._desk.documents.history.unsaved:
            return self._thread.submit(
                _write,
                self.path,
                self._desk.documents.folder,
                self._desk.project,
            )
        return self._thread.submit(_forget, self.path, self._new_path)

    def _later(self) -> None:
        """Keep the changes soon. While an edit follows upon the other, as in a
        drag, that is not put off.
        """
        if not self._timer.isActive():
            self._timer.start()

    def _keep_before_saving(self) -> None:
        """Keep the changes now: a crash between two files of a save must not
        leave half of them.
        """
        if (
            self._desk.documents.folder is not None
            and self._desk.documents.history.unsaved
        ):
            self.keep_now().result()

    def close(self) -> None:
        """Stop keeping: everything is saved, or the author chose to discard
        it.
        """
        self.abandon()
        _forget(self.path, self._new_path)

    def abandon(self) -> None:
        """Stop keeping, and leave what was kept for the next visit."""
        self._has_stopped = True
        self._timer.stop()
        self._thread.shutdown(wait=True)


def _sweep() -> None:
    """Remove files whose writing was cut off by a crash. Recent ones are left,
    since another window may still be writing them.
    """
    for part in _folder().glob(".*.part"):
        with suppress(OSError):
            if time.time() - part.stat().st_mtime > STALE_S:
                part.unlink()


def _folder() -> Path:
    return user_state_path("umbrant") / "recovery"


def _read(path: Path) -> Project | None:
    """The project kept in a file; None if there is none, or it cannot be read."""
    try:
        text = path.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError):
        return None
    try:
        documents = json.loads(text)["documents"]
        return parse_project(
            {str(name): str(document) for name, document in documents.items()}
        )
    except (
        ValueError,
        KeyError,
        TypeError,
        AttributeError,
        ProjectError,
    ) as error:
        log.warning("What was kept in %s cannot be read: %s", path, error)
        return None


def _write(path: Path, folder: Path | None, project: Project) -> bool:
    text = json.dumps(
        {"folder": str(folder or ""), "documents": document_texts(project)}
    )
    try:
        write_atomically(path, text)
    except OSError as error:
        # Where nothing can be kept the author still has the window; saving
        # tells of the full or read-only disk.
        log.warning("Unsaved changes could not be kept in %s: %s", path, error)
        return False
    return True


def _forget(*paths: Path) -> bool:
    """Remove what was kept. What cannot be removed is offered again, which
    does no harm.
    """
    for path in paths:
        try:
            path.unlink(missing_ok=True)
        except OSError as error:
            log.warning(
                "What was kept in %s could not be removed: %s", path, error
            )
    return True
