"""Searching in the background for what would have made a row run, in a process
that is kept warm. What was searched for before is given up as soon as
something else is asked.
"""

import sys

from pydantic import ValidationError
from PySide6.QtCore import (
    QObject,
    QProcess,
    QProcessEnvironment,
    QTemporaryDir,
    QTimer,
    Signal,
)

from umbrant.desk.logs import log
from umbrant.desk.session.roller import KILLED_MS
from umbrant.desk.session.visits import folder_template
from umbrant.nearest.search import NearestChange
from umbrant.nearest.worker import NearestQuestion, NearestReply
from umbrant.rolling.client import ENVIRONMENT

WORKER = (sys.executable, "-P", "-m", "umbrant.nearest.worker")
"""What starts the process that searches."""
SETTLED_MS = 150
"""How long a question must stand before its search begins: who steps through
ticks asks many.
"""


class NearestChanges(QObject):
    """The changes that would have made a row run, as they are found. Lives in
    the window's thread.

    A process that dies is started again with the next question; its own is
    then without an answer.
    """

    COMMAND = WORKER

    changed = Signal()
    """More has been found, or the search has ended."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.question: NearestQuestion | None = None
        self.found: list[NearestChange] = []
        """What has been found so far, the nearest first."""
        self.is_searching = False
        """Whether more may still be found."""
        self._number = 0
        self._is_closed = False
        self._process: QProcess | None = None
        self._folder = QTemporaryDir(folder_template())
        """Where trials are kept while they are played."""
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self._send)

    @property
    def process_id(self) -> int:
        """The id of the process that searches, 0 if it does not run."""
        if self._process:
            return int(self._process.processId())
        return 0

    def ask(self, question: NearestQuestion | None) -> None:
        """Search for this instead of whatever is being searched for; None for
        nothing. The number in the question does not count.
        """
        if question == self.question:
            return
        self.question, self.found = question, []
        if (
            self.is_searching
            and self._process is not None
            and not self._timer.isActive()
        ):
            self._process.write(b"\n")
        self.is_searching = question is not None
        self._number += 1
        if question is not None:
            self.start()
            self._timer.start(SETTLED_MS)
        else:
            self._timer.stop()

    def start(self) -> None:
        """Start the process, so that it is warm when the first question comes.
        Once closed, it starts none any more.
        """
        if self._process is not None or self._is_closed:
            return
        process = QProcess(self)
        environment = QProcessEnvironment.systemEnvironment()
        for name, value in {
            **ENVIRONMENT,
            "TMPDIR": self._folder.path(),
        }.items():
            environment.insert(name, value)
        process.setProcessEnvironment(environment)
        process.setWorkingDirectory(self._folder.path())
        process.readyReadStandardOutput.connect(self._read)
        process.finished.connect(self._ended)
        process.errorOccurred.connect(self._could_not)
        self._process = process
        program, *arguments = self.COMMAND
        process.start(program, arguments)

    def close(self) -> None:
        """End the process, and wait until it is gone."""
        self._timer.stop()
        self._is_closed = True
        self.is_searching = False
        process, self._process = self._process, None
        if process is not None:
            process.blockSignals(True)
            process.kill()
            process.waitForFinished(KILLED_MS)
        # Not left to Python, which need not get to it as the window ends.
        self._folder.remove()

    def _send(self) -> None:
        if self.question is not None and self._process is not None:
            numbered = self.question.model_copy(
                update={"number": self._number}
            )
            self._process.write((numbered.model_dump_json() + "\n").encode())

    def _read(self) -> None:
        while self._process is not None and self._process.canReadLine():
            line = bytes(self._process.readLine().data())
            try:
                self._take(NearestReply.model_validate_json(line))
            except ValidationError:
                log.exception("a nearest change could not be read")

    def _take(self, reply: NearestReply) -> None:
        if reply.number != self._number or not self.is_searching:
            return
        if reply.change is None:
            self.is_searching = False
        else:
            self.found.append(reply.change)
            self.found.sort(key=lambda each: each.distance)
        self.changed.emit()

    def _ended(self) -> None:
        process, self._process = self._process, None
        if process is not None:
            process.deleteLater()
        self.is_searching = False
        self.changed.emit()

    def _could_not(self, error: QProcess.ProcessError) -> None:
        if error is QProcess.ProcessError.FailedToStart:
            self._process = None
            self.is_searching = False
            self.changed.emit()
