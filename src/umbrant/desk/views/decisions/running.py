"""A decision map that is drawn in a process of its own, round by round."""

from functools import partial

from pydantic import ValidationError
from PySide6.QtCore import (
    QObject,
    QProcess,
    QProcessEnvironment,
    QTimer,
    Signal,
)

from umbrant.desk.logs import log
from umbrant.desk.session.roller import KILLED_MS
from umbrant.mapping.field import MapPicture
from umbrant.mapping.worker import COMMAND, MapQuestion, MapReply
from umbrant.rolling.client import ENVIRONMENT

SETTLED_MS = 300
"""How long the playhead must stand before a map is drawn for it."""


class RunningMap(QObject):
    """Draws one map at a time, the newest that is asked for. Lives in the
    window's thread.

    A process takes longer to start than to draw a coarse map, so the next one
    is started ahead, and waits for its question.
    """

    changed = Signal()
    """There is more of the map, or it is known that there is none."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.question: MapQuestion | None = None
        self.picture: MapPicture | None = None
        """The map as far as it is known; that of the question before until
        there is more.
        """
        self.error = ""
        """Why there is no map."""
        self._process: QProcess | None = None
        self._spare: QProcess | None = None
        """One that has been started ahead."""
        self._is_seen = False
        """Whether anybody looks, so that there may be a next question."""
        self._timer = QTimer(self, singleShot=True, interval=SETTLED_MS)
        self._timer.timeout.connect(self._start)

    @property
    def is_running(self) -> bool:
        """Whether more of the map will come."""
        return self._process is not None or self._timer.isActive()

    def ask(self, question: MapQuestion) -> None:
        """Draw this map instead of any other, once no other is asked for."""
        if question == self.question:
            return
        self.question, self.error, self._is_seen = question, "", True
        self._end()
        self.prepare()
        self._timer.start()

    def prepare(self) -> None:
        """Somebody looks: have a process ready for the next question."""
        if self._spare is None:
            self._spare = self._started()

    def rest(self) -> None:
        """Nobody looks any more: keep no process ready."""
        self._is_seen = False
        spare, self._spare = self._spare, None
        if spare is not None:
            _kill(spare)

    def close(self) -> None:
        """Draw nothing more."""
        self._timer.stop()
        self._end()
        self.rest()

    def _start(self) -> None:
        if self.question is None:
            return
        process, self._spare = self._spare or self._started(), None
        self._process = process
        process.write((self.question.model_dump_json() + "\n").encode())
        process.closeWriteChannel()

    def _started(self) -> QProcess:
        """A process that waits for a question."""
        process = QProcess(self)
        environment = QProcessEnvironment.systemEnvironment()
        for name, value in ENVIRONMENT.items():
            environment.insert(name, value)
        process.setProcessEnvironment(environment)
        process.readyReadStandardOutput.connect(self._read)
        process.finished.connect(partial(self._ended, process))
        process.errorOccurred.connect(partial(self._could_not, process))
        program, *arguments = COMMAND
        process.start(program, arguments)
        return process

    def _end(self) -> None:
        process, self._process = self._process, None
        if process is not None:
            _kill(process)

    def _read(self) -> None:
        while self._process is not None and self._process.canReadLine():
            line = bytes(self._process.readLine().data())
            try:
                reply = MapReply.model_validate_json(line)
            except ValidationError:
                log.exception("a decision map could not be read")
                continue
            self.error = reply.error
            if reply.error:
                self.picture = None
            else:
                self.picture = reply.picture
            self.changed.emit()

    def _ended(
        self, process: QProcess, code: int, status: QProcess.ExitStatus
    ) -> None:
        process.deleteLater()
        if process is self._spare:
            # It was ended while it waited. The next question has one started
            # for it.
            self._spare = None
            return
        self._process = None
        if code and not self.error:
            said = bytes(process.readAllStandardError().data()).decode(
                errors="replace"
            )
            self.error = (
                "The map could not be drawn. "
                + said.strip().rpartition("\n")[2]
            )
        if self._is_seen:
            self.prepare()
        self.changed.emit()

    def _could_not(
        self, process: QProcess, error: QProcess.ProcessError
    ) -> None:
        if error is not QProcess.ProcessError.FailedToStart:
            return
        process.deleteLater()
        self._process = self._spare = None
        self._timer.stop()
        self.error = "The map could not be started."
        self.changed.emit()


def _kill(process: QProcess) -> None:
    """End a process, and with it those that it has forked, without a word."""
    process.blockSignals(True)
    process.kill()
    process.waitForFinished(KILLED_MS)
    process.deleteLater()
