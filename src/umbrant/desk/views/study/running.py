"""A study that goes on in a process of its own, and what it has found so far."""

import os
import sys
from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import (
    QElapsedTimer,
    QObject,
    QProcess,
    QProcessEnvironment,
    QTemporaryDir,
    QTimer,
    Signal,
)

from umbrant.desk.session.background import NewestOnlyWorker
from umbrant.desk.session.desk import Desk
from umbrant.desk.session.roller import KILLED_MS
from umbrant.desk.session.visits import folder_template
from umbrant.desk.views.study.lines import StudyLook
from umbrant.model.folder import save_project
from umbrant.rolling.client import ENVIRONMENT
from umbrant.rolling.parent import ENDS_WITH
from umbrant.studying.study import FILE, RunTally, StudyError, StudyFile
from umbrant.studying.summaries import RowSummary
from umbrant.studying.vary import read_vary

LOOK_MS = 700
"""How often what has been found is read while the study goes on."""


@dataclass(frozen=True)
class _Question:
    folder: Path
    agent: str
    before: Path | None


def look(question: _Question) -> StudyLook:
    """Read what has been found so far. Runs in any thread. Raises StudyError."""
    agent, before = question.agent, tuple[RowSummary, ...]()
    if question.before is not None:
        with StudyFile(question.before) as file:
            before = tuple(file.summary(agent=agent))
    with StudyFile(question.folder) as file:
        groups = file.groups()
        by_value = {each: tuple(file.summary(each, agent)) for each in groups}
        if len(groups) > 1:
            values = by_value
        else:
            values = {}
        return StudyLook(
            agent,
            len(file.counted()),
            tuple(file.summary(agent=agent)),
            (*file.chances(agent=agent), *file.draws(agent=agent)),
            tuple(file.findings(agent=agent)),
            tuple(file.clusters(agent)),
            values,
            before,
        )


class RunningStudy(QObject):
    """Studies the project as it is when it is started, one study at a time."""

    changed = Signal()
    """It began or ended, or more has been found."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._desk = desk
        self.seeds = 0
        """With how many seeds it plays; 0 before the first study."""
        self.takes = 0
        """How many takes the study has."""
        self.found: StudyLook | None = None
        self.scenario = ""
        self.vary = ""
        """What is varied, as `--vary` says it; empty for nothing."""
        self._process: QProcess | None = None
        self._folder: QTemporaryDir | None = None
        self._before: QTemporaryDir | None = None
        """The study before this one, of the same scenario."""
        self._clock = QElapsedTimer()
        self._timer = QTimer(self)
        self._timer.setInterval(LOOK_MS)
        self._timer.timeout.connect(self.read)
        self._reader = NewestOnlyWorker(
            "Reading the study", look, (StudyError,), self
        )
        self._reader.answered.connect(self._answered)
        desk.agent_changed.connect(self.read)

    @property
    def is_running(self) -> bool:
        """Whether takes are still played."""
        return self._process is not None

    @property
    def results(self) -> Path | None:
        """The folder of its results; None before the first study."""
        if self._folder is not None:
            return Path(self._folder.path()) / "results"
        return None

    @property
    def left_s(self) -> float | None:
        """How many seconds it will go on, as far as can be told; None before
        the first takes.
        """
        counted = 0
        if self.found is not None:
            counted = self.found.counted
        if not self.is_running or not counted:
            return None
        return self._clock.elapsed() / 1000 * (self.takes - counted) / counted

    def start(self, seeds: int, vary: str = "") -> None:
        """Study the scenario that is looked at with so many seeds, instead of
        any other study; for each value of a number, where one is varied.
        Raises VaryError.
        """
        values = 1
        if vary:
            values = len(read_vary(vary, self._desk.project).values)
        self.stop()
        # A study of the same scenario stays to be compared with; of a varied
        # number nothing is.
        is_same = (
            self.scenario == self._desk.scenario_name
            and not vary
            and not self.vary
        )
        self._before = self._folder if is_same else None
        self._folder, self.vary, self.takes = (
            QTemporaryDir(folder_template()),
            vary,
            seeds * values,
        )
        self._clock.start()
        project = Path(self._folder.path()) / "project"
        save_project(self._desk.project, project)
        self.seeds, self.found, self.scenario = (
            seeds,
            None,
            self._desk.scenario_name,
        )
        process = QProcess(self)
        environment = QProcessEnvironment.systemEnvironment()
        for name, value in ENVIRONMENT.items():
            environment.insert(name, value)
        # A window that is killed cannot end it any more.
        environment.insert(ENDS_WITH, str(os.getpid()))
        process.setProcessEnvironment(environment)
        process.setWorkingDirectory(self._folder.path())
        process.setStandardOutputFile(QProcess.nullDevice())
        process.finished.connect(self._ended)
        process.errorOccurred.connect(self._could_not)
        arguments = [
            "-P",
            "-m",
            "umbrant",
            "study",
            str(project),
            "--scenario",
            self.scenario,
        ]
        arguments += ["--seeds", str(seeds), "--out", str(self.results)]
        if vary:
            arguments += ["--vary", vary]
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
        for folder in (self._folder, self._before):
            if folder is not None:
                folder.remove()
        self._folder = self._before = None

    def read(self) -> None:
        """Read what has been found so far of the one who is looked at."""
        if self.results is not None and (self.results / FILE).exists():
            before = None
            if self._before is not None:
                before = Path(self._before.path()) / "results"
            has_before = before is not None and (before / FILE).exists()
            held_against = None
            if has_before:
                held_against = before
            question = _Question(self.results, self._desk.agent, held_against)
            self._reader.request(question)

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
            said = (
                bytes(process.readAllStandardError().data())
                .decode(errors="replace")
                .strip()
            )
            if process.exitCode():
                self._desk.message.emit(
                    f"The study has ended early: {said.splitlines()[-1:]}."
                )
            process.deleteLater()
        self.read()
        self.changed.emit()

    def _could_not(self, error: QProcess.ProcessError) -> None:
        if error is QProcess.ProcessError.FailedToStart:
            self._process = None
            self._timer.stop()
            self._desk.message.emit("The study could not be started.")
            self.changed.emit()
