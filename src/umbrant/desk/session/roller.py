"""The window's side of rolling: orders go to a worker process, replies come
back as signals in the window's thread.
"""

from pathlib import Path

from PySide6.QtCore import (
    QObject,
    QProcess,
    QProcessEnvironment,
    QTemporaryDir,
    Signal,
)

from umbrant.desk.session.visits import folder_template
from umbrant.rolling.client import ENVIRONMENT, SUPERVISOR
from umbrant.rolling.orders import (
    Look,
    Reply,
    end_line,
    look_line,
    order_line,
    read_reply,
    step_line,
    stop_line,
)
from umbrant.rolling.rehearse import SteeringInput
from umbrant.rolling.roll import RollOrder

STOPPED_BY_AUTHOR = "stopped by the author"
"""The reason that a take gives which was stopped in the window."""
SEND_MS = 4
"""How long an order may take to be written. What is left of it then is written
later.
"""
KILLED_MS = 20_000
"""How long is waited for a worker that was killed to be gone, on a machine
that is busy beyond measure.
"""


class Roller(QObject):
    """Keeps one worker process warm. Only the reply to the newest order is
    told of.

    A worker that dies is started again with the next order; what it was
    rolling is reported as failed.
    """

    COMMAND = SUPERVISOR

    rolled = Signal(object)
    """A `Reply` with a take."""
    failed = Signal(str)
    """What went wrong with the newest order, and the way out."""
    busy_changed = Signal(bool)
    progressed = Signal(int, int)
    """How many ticks of the newest order have been played, and of how many."""
    looked = Signal(object)
    """A `Reply` with what had been played of an order when that was asked for,
    or with the first part of it.
    """
    differed = Signal(str, bool)
    """Where a take that went on from a snapshot was another one than that from
    its first tick, and whether it is that of the newest order. From now on all
    are played from there.
    """
    stepped = Signal(object)
    """A `Reply` in a rehearsal: that it is ready, a frame, or with the take
    what the hand did.
    """

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._newest = 0
        self._busy = False
        self._closing = False
        self._rehearsing = False
        self._process: QProcess | None = None
        self._errors = ""
        self._folder = QTemporaryDir(folder_template())
        """The working folder of the worker: nothing of anybody's lies in it.
        """

    @property
    def busy(self) -> bool:
        """Whether an order is being rolled."""
        return self._busy

    @property
    def process_id(self) -> int:
        """The worker's process id, 0 if it does not run."""
        if self._process:
            return int(self._process.processId())
        return 0

    def start(self) -> None:
        """Start the worker, so that it is warm when the first order comes.
        Once closed, it starts none any more.
        """
        if self._process is not None or self._closing:
            return
        process = QProcess(self)
        environment = QProcessEnvironment.systemEnvironment()
        for name, value in ENVIRONMENT.items():
            environment.insert(name, value)
        process.setProcessEnvironment(environment)
        process.readyReadStandardOutput.connect(self._read)
        process.readyReadStandardError.connect(self._read_errors)
        process.finished.connect(self._ended)
        process.errorOccurred.connect(self._could_not)
        self._process = process
        process.setWorkingDirectory(self._folder.path())
        program, *arguments = self.COMMAND
        process.start(program, arguments)

    def order(self, order: RollOrder, look: Look | None = None) -> int:
        """Roll this instead of whatever is being rolled, with a look at it on
        the way; returns the order's number.
        """
        self.start()
        self._newest += 1
        self._errors = ""
        self._rehearsing = False
        self._write(order_line(self._newest, order, keeps=True, look=look))
        self._send_at_once()
        self._set_busy(True)
        return self._newest

    def rehearse(
        self, order: RollOrder, puppet: str, from_tick: int = 0
    ) -> None:
        """Rehearse instead of whatever is being rolled, from a tick on;
        `stepped` tells when it is ready, of each tick, of the end.
        """
        self.start()
        self._newest += 1
        self._rehearsing = True
        self._write(
            order_line(self._newest, order, puppet, from_tick=from_tick)
        )

    def step(self, hand: SteeringInput) -> None:
        """Play the next tick of a rehearsal."""
        self._write(step_line(self._newest, hand))

    def end_rehearsal(self) -> None:
        """Have the worker end the rehearsal; the reply holds the take and what
        the hand did.
        """
        self._write(end_line(self._newest))

    def look(self, path: Path) -> None:
        """Have what has been played of the newest order written into a file,
        which `looked` tells of. Nothing comes if the order is over, or has not
        begun.
        """
        self._write(look_line(self._newest, path))

    def stop(self) -> None:
        """Stop the newest order; what has been played until then is kept and
        comes as a take.
        """
        if self._busy:
            self._write(stop_line(self._newest, STOPPED_BY_AUTHOR))

    def _write(self, line: str) -> None:
        if self._process is not None:
            self._process.write((line + "\n").encode())

    def _send_at_once(self) -> None:
        """Have the worker read what was written now, instead of once this
        thread rests: what else an edit changes is painted first.
        """
        process = self._process
        if (
            process is not None
            and process.state() is QProcess.ProcessState.Running
        ):
            process.waitForBytesWritten(SEND_MS)

    def close(self) -> None:
        """End the worker process and wait until it is gone."""
        self._closing = True
        process, self._process = self._process, None
        if process is not None:
            # Qt would hand over what it has still to say while it is waited
            # for.
            process.readyReadStandardOutput.disconnect(self._read)
            process.kill()
            # A killed process is gone at once, unless the machine has no time
            # for it; without waiting Qt would complain.
            process.waitForFinished(KILLED_MS)
        # Not left to Python, which need not get to it as the window ends.
        self._folder.remove()

    def _read(self) -> None:
        while self._process is not None and self._process.canReadLine():
            line = bytes(self._process.readLine().data()).decode()
            self._take(read_reply(line))

    def _take(self, reply: Reply) -> None:
        if reply.look is not None:
            self.looked.emit(reply)
            return
        if reply.differs:
            self.differed.emit(reply.differs, reply.number == self._newest)
            return
        if reply.number != self._newest:
            return
        if reply.of:
            self.progressed.emit(reply.ticks, reply.of)
            return
        if self._rehearsing and not reply.error:
            self._rehearsing = reply.take is None
            self.stepped.emit(reply)
            return
        was_rehearsing, self._rehearsing = self._rehearsing, False
        self._set_busy(False)
        if reply.error and (reply.take is None or was_rehearsing):
            self.failed.emit(reply.error)
        if reply.take is not None:
            # Of a take that was cut short its file says why.
            self.rolled.emit(reply)

    def _read_errors(self) -> None:
        if self._process is not None:
            printed = bytes(
                self._process.readAllStandardError().data()
            ).decode(errors="replace")
            self._errors = (self._errors + printed)[-4000:]

    def _ended(self) -> None:
        process, self._process = self._process, None
        if process is not None:
            process.deleteLater()
        if (self._busy or self._rehearsing) and not self._closing:
            self._rehearsing = False
            self._set_busy(False)
            last = self._errors.strip().splitlines()[-1:] or [
                "it was ended from outside"
            ]
            self.failed.emit(
                f"The worker that rolls takes has stopped ({last[0]}). Your project is as it was; "
                "choose New take to start it again."
            )

    def _could_not(self, error: QProcess.ProcessError) -> None:
        if error is QProcess.ProcessError.FailedToStart:
            self._process = None
            self._set_busy(False)
            self.failed.emit(
                "The worker that rolls takes could not be started. Is Umbrant installed completely?"
            )

    def _set_busy(self, busy: bool) -> None:
        if busy != self._busy:
            self._busy = busy
            self.busy_changed.emit(busy)
