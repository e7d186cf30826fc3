"""Unsaved changes, kept where a crash cannot reach them, until they are saved or discarded."""

import hashlib
import json
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from platformdirs import user_state_path
from PySide6.QtCore import QObject, QTimer

from umbrant.desk.state import Desk
from umbrant.model.documents import Project
from umbrant.model.folder import document_texts, parse_project, write_whole
from umbrant.model.problems import ProjectError

DELAY_MS = 700
"""How long after the last edit the changes are written; at the most this much is lost."""


def recovery_path(folder: Path) -> Path:
    """Where the unsaved changes of a project are kept."""
    name = hashlib.sha256(str(folder.resolve()).encode()).hexdigest()[:16]
    return user_state_path("umbrant") / "recovery" / f"{name}.json"


def kept_changes(folder: Path, project: Project) -> Project | None:
    """The project with the changes that were kept; None if there are none, or they are what was saved anyway."""
    try:
        data = json.loads(recovery_path(folder).read_text(encoding="utf-8"))
        kept = parse_project(data["documents"])
    except (OSError, ValueError, KeyError, TypeError, AttributeError, ProjectError):
        return None
    return kept if document_texts(kept) != document_texts(project) else None


def forget_changes(folder: Path) -> None:
    """Remove what was kept for a project."""
    recovery_path(folder).unlink(missing_ok=True)


class Keeper(QObject):
    """Keeps one desk's unsaved changes, writing them in a thread a moment after each edit."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._desk = desk
        self._thread = ThreadPoolExecutor(max_workers=1, thread_name_prefix="keeper")
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(DELAY_MS)
        self._timer.timeout.connect(self.keep_now)
        desk.project_changed.connect(self._later)
        desk.about_to_save.connect(self._keep_before_saving)

    def keep_now(self) -> None:
        """Write the changes, or remove them if everything is saved."""
        folder = self._desk.folder
        if folder is None:
            return
        if self._desk.history.unsaved:
            self._thread.submit(_write, folder, self._desk.project)
        else:
            self._thread.submit(forget_changes, folder)

    def _later(self) -> None:
        """Keep the changes soon. While an edit follows upon the other, as in a drag, that is not put off."""
        if not self._timer.isActive():
            self._timer.start()

    def _keep_before_saving(self) -> None:
        """Keep the changes now: a crash between two files of a save must not leave half of them."""
        if self._desk.folder is not None and self._desk.history.unsaved:
            self._thread.submit(_write, self._desk.folder, self._desk.project).result()

    def close(self) -> None:
        """Stop keeping: everything is saved, or the author chose to discard it."""
        self._timer.stop()
        self._thread.shutdown(wait=True)
        if self._desk.folder is not None:
            forget_changes(self._desk.folder)

    def abandon(self) -> None:
        """Stop keeping, and leave what was kept for the next visit."""
        self._timer.stop()
        self._thread.shutdown(wait=True)


def _write(folder: Path, project: Project) -> None:
    text = json.dumps({"folder": str(folder), "documents": document_texts(project)})
    try:
        write_whole(recovery_path(folder), text)
    except OSError:
        # Where nothing can be kept the author still has the window; saving tells of the full or read-only disk.
        return
