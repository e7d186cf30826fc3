"""Work off the window's thread: a frozen request gives a frozen response,
applied if it is still the newest.
"""

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, QRunnable, QThreadPool, Signal

from umbrant.desk.logs import log, log_file


def remove_later(path: Path) -> None:
    """Delete a file, if it is there, in a thread: a disk may take its time."""
    QThreadPool.globalInstance().start(lambda: _remove(path))


def _remove(path: Path) -> None:
    try:
        path.unlink(missing_ok=True)
    except OSError:
        log.exception("%s could not be removed", path)


class NewestOnlyWorker(QObject):
    """Runs `work` on requests in one thread, one after the other. Only the
    newest request is answered, by a signal in the window's thread.

    An exception in `expected` is reported as it is. Any other is a bug: it is
    logged with its trace, and reported as one.
    """

    answered = Signal(object)
    """What `work` gave."""
    failed = Signal(str)
    """Why there is no answer, in words for the author."""
    _done = Signal(int, object, str)

    def __init__(
        self,
        called: str,
        work: Callable[[Any], object],
        expected: tuple[type[Exception], ...],
        parent: QObject,
    ) -> None:
        super().__init__(parent)
        self.called = called
        """What is being done, as a sentence begins: 'Reading the take'."""
        self.work = work
        self.expected = expected
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(1)
        self._newest = self._answered = 0
        self._is_closed = False
        self._done.connect(self._apply)

    @property
    def busy(self) -> bool:
        """Whether the newest request has not been answered yet."""
        return self._answered != self._newest

    def expect(self) -> None:
        """Drop the request that is being worked on: another one will follow
        soon.
        """
        self._newest += 1

    def request(self, job: object) -> None:
        """Work on this instead of whatever is waiting to be worked on; not
        once it is closed.
        """
        if self._is_closed:
            return
        self._newest += 1
        self._pool.clear()
        self._pool.start(_Task(self, self._newest, job))

    def close(self) -> None:
        """Wait for the running request, without answering it, and take no more
        of them.
        """
        self._is_closed = True
        self._newest += 1
        self._pool.clear()
        self._pool.waitForDone()

    def finish(self, number: int, answer: object, fault: str = "") -> None:
        """Hand a result over to the window's thread. Called from the working
        thread.
        """
        self._done.emit(number, answer, fault)

    def _apply(self, number: int, answer: object, fault: str) -> None:
        if number != self._newest:
            return
        self._answered = number
        if fault:
            self.failed.emit(fault)
        else:
            self.answered.emit(answer)


class _Task(QRunnable):
    def __init__(
        self, background: NewestOnlyWorker, number: int, job: object
    ) -> None:
        super().__init__()
        self._background = background
        self._number = number
        self._job = job

    def run(self) -> None:
        """Do the work. No exception leaves it: Qt would only print it, and no
        answer would ever come.
        """
        background = self._background
        try:
            answer = background.work(self._job)
        except background.expected as error:
            background.finish(self._number, None, str(error))
        except Exception as error:
            log.exception("%s failed", background.called)
            what = f"{background.called} failed inside Umbrant ({type(error).__name__}: {error})."
            background.finish(
                self._number, None, f"{what} What happened is in {log_file()}."
            )
        else:
            background.finish(self._number, answer)
