"""Playing the scenario with the project as it was at a revision of its git
repository.
"""

from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import QObject

from umbrant.comparing.revision import project_at
from umbrant.desk.session.background import NewestOnlyWorker
from umbrant.desk.session.desk import Desk
from umbrant.model.documents import Project
from umbrant.model.problems import ProjectError
from umbrant.rolling.roll import RollOrder


@dataclass(frozen=True)
class RevisionRequest:
    """A project's folder, and a revision of the repository that it lies in."""

    folder: Path
    revision: str


@dataclass(frozen=True)
class OlderProject:
    """The project as it was at a revision."""

    revision: str
    project: Project


class OlderVersion(QObject):
    """Reads a revision off the window's thread, plays it, and has the shown
    take compared with that. Lives in the window's thread.
    """

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._desk = desk
        self._worker = NewestOnlyWorker(
            "Reading the revision", _read, (ProjectError,), self
        )
        self._worker.answered.connect(self._play)
        self._worker.failed.connect(desk.message)

    def request(self, revision: str) -> None:
        """Compare the take that is shown with a take of the project at a
        revision.
        """
        folder = self._desk.documents.folder
        if folder is None:
            message = "A project without a folder has no older version. Save it first."
            self._desk.message.emit(message)
            return
        self._worker.request(RevisionRequest(folder, revision))

    def close(self) -> None:
        """Wait for git, without an answer."""
        self._worker.close()

    def _play(self, older: OlderProject) -> None:
        desk, project = self._desk, older.project
        if desk.take is None:
            return
        header = desk.take.header
        if project.find_scenario(header.scenario) is None:
            desk.message.emit(
                f"At {older.revision} there was no scenario “{header.scenario}” to play."
            )
            return
        trusted = (
            desk.documents.may_run_nodes
            and project.nodes == desk.project.nodes
        )
        seconds = header.ticks / header.ticks_per_s
        path = desk.takes.next_file()
        order = RollOrder(
            project, header.scenario, path, header.seed, seconds, trusted
        )
        desk.takes.order_other(order, older.revision)


def _read(request: RevisionRequest) -> OlderProject:
    return OlderProject(
        request.revision, project_at(request.folder, request.revision)
    )
