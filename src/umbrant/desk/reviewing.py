"""Reviewing the project off the window's thread, each time it has changed."""

from PySide6.QtCore import QObject, QRunnable, QThreadPool, QTimer, Signal

from umbrant.catalog.declare import Catalog
from umbrant.model.documents import Project
from umbrant.review import review
from umbrant.review.findings import Finding

PAUSE_MS = 150
"""How long after an edit the review begins."""


class Reviewer(QObject):
    """Looks for findings in a thread; only what was asked last is answered, in the window's thread."""

    reviewed = Signal(object)
    """A list of findings."""
    _done = Signal(int, object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(1)
        self._newest = self._answered = 0
        self._done.connect(self._take)
        self._asked: tuple[Project, Catalog] | None = None
        self._pause = QTimer(self, singleShot=True, interval=PAUSE_MS)
        self._pause.timeout.connect(self._start)

    @property
    def busy(self) -> bool:
        """Whether what was asked last has not been answered yet."""
        return self._answered != self._newest

    def request(self, project: Project, catalog: Catalog) -> None:
        """Review a project, once the author pauses: while a chip is dragged there are many."""
        self._newest += 1
        self._asked = project, catalog
        self._pause.start()

    def _start(self) -> None:
        if self._asked is not None:
            self._pool.clear()
            self._pool.start(_Task(self, self._newest, *self._asked))

    def close(self) -> None:
        """Wait for what is being reviewed, and forget it."""
        self._newest += 1
        self._pause.stop()
        self._pool.clear()
        self._pool.waitForDone()

    def finish(self, number: int, found: list[Finding]) -> None:
        """Hand a result over to the window's thread. Called from the reviewing thread."""
        self._done.emit(number, found)

    def _take(self, number: int, found: list[Finding]) -> None:
        if number == self._newest:
            self._answered = number
            self.reviewed.emit(found)


class _Task(QRunnable):
    def __init__(self, reviewer: Reviewer, number: int, project: Project, catalog: Catalog) -> None:
        super().__init__()
        self._reviewer = reviewer
        self._number = number
        self._project = project
        self._catalog = catalog

    def run(self) -> None:
        try:
            found = review(self._project, self._catalog)
        except KeyError:
            found = []  # a document that another one names is missing: validation tells of that
        self._reviewer.finish(self._number, found)
