"""A study that goes on in a process of its own, and what it has found so far."""

import sys
from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import QObject, QProcess, QProcessEnvironment, QTemporaryDir, QTimer, Signal

from umbrant.desk.session.background import NewestOnlyWorker
from umbrant.desk.session.desk import Desk
from umbrant.desk.session.roller import KILLED_MS
from umbrant.model.folder import save_project
from umbrant.rolling.client import ENVIRONMENT
from umbrant.studying.study import RunTally, StudyError, StudyFile
from umbrant.studying.summaries import RowSummary

LOOK_MS = 700
"""How often what has been found is read while the study goes on."""


@dataclass(frozen=True)
class StudyLook:
    """What has been found so far of one of the cast."""

    agent: str
    counted: int
    rows: tuple[RowSummary, ...]


@dataclass(frozen=True)
class _Question:
    folder: Path
    agent: str


def look(question: _Question) -> StudyLook:
    """Read what has been found so far. Runs in any thread. Raises StudyError."""
    with StudyFile(question.folder) as file:
        return StudyLook(
            question.agent, len(file.counted()), tuple(file.summary(agent=question.agent))
        )


class RunningStudy(QObject):
    """Studies the project as it is when it is started, one study at a time."""

    changed = Signal()
    """It began or ended, or more has been found."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._desk = desk
        self.seeds = 0
        """How many takes the study has; 0 before the first."""
        self.found: StudyLook | None = None
        self.scenario = ""
        self._process: QProcess | None = None
        self._folder: QTemporaryDir | None = None
        self._timer = QTimer(self)
        self._timer.setInterval(LOOK_MS)
        self._timer.timeout.connect(self.read)
        self._reader = NewestOnlyWorker("Reading the study", look, (StudyError,), self)
        self._reader.answered.connect(self._answered)
        desk.agent_changed.connect(self.read)

    @property
    def is_running(self) -> bool:
        """Whether takes are still played."""
        return self._process is not None

    @property
    def results(self) -> Path | None:
        """The folder of its results; None before the first study."""
        return Path(self._folder.path()) / "results" if self._folder is not None else None

    def start(self, seeds: int) -> None:
        """Study the scenario that is looked at with so many seeds, instead of any other study."""
        self.stop()
        self._folder = QTemporaryDir()
        project = Path(self._folder.path()) / "project"
        save_project(self._desk.project, project)
        self.seeds, self.found, self.scenario = seeds, None, self._desk.scenario_name
        process = QProcess(self)
        environment = QProcessEnvironment.systemEnvironment()
        for name, value in ENVIRONMENT.items():
            environment.insert(name, value)
        process.setProcessEnvironment(environment)
        process.setWorkingDirectory(self._folder.path())
        process.setStandardOutputFile(QProcess.nullDevice())
        process.finished.connect(self._ended)
        process.errorOccurred.connect(self._could_not)
        arguments = ["-P", "-m", "umbrant", "study", str(project), "--scenario", self.scenario]
        arguments += ["--seeds", str(seeds), "--out", str(self.results)]
        if self._desk.documents.may_run_nodes:
            arguments.append("--trust")
        self._process = process
        process.start(sys.executable, arguments)
        self._timer.start()
        self.changed.emit()

    def stop(self) -> None:
        """Play no more takes; what has been found stays."""
        process, self._process = self._process, None
        self._timer.stop()
        if process is not None:
            process.blockSignals(True)
            # It closes its own processes when it is asked to end.
            process.terminate()
            if not process.waitForFinished(2000):
                process.kill()
                process.waitForFinished(KILLED_MS)
            process.deleteLater()
            self.read()
            self.changed.emit()

    def close(self) -> None:
        """End it, and forget what it has found."""
        self.stop()
        self._reader.close()

    def read(self) -> None:
        """Read what has been found so far of the one who is looked at."""
        if self.results is not None and (self.results / "study.sqlite").exists():
            self._reader.request(_Question(self.results, self._desk.agent))

    def runs(self, row: str) -> list[RunTally]:
        """What a row of the one who is looked at did in each take."""
        if self.results is None:
            return []
        with StudyFile(self.results) as file:
            return file.runs(self._desk.agent, row)

    def _answered(self, found: StudyLook) -> None:
        self.found = found
        self.changed.emit()

    def _ended(self) -> None:
        process, self._process = self._process, None
        self._timer.stop()
        if process is not None:
            said = bytes(process.readAllStandardError().data()).decode(errors="replace").strip()
            if process.exitCode():
                self._desk.message.emit(f"The study has ended early: {said.splitlines()[-1:]}.")
            process.deleteLater()
        self.read()
        self.changed.emit()

    def _could_not(self, error: QProcess.ProcessError) -> None:
        if error is QProcess.ProcessError.FailedToStart:
            self._process = None
            self._timer.stop()
            self._desk.message.emit("The study could not be started.")
            self.changed.emit()
