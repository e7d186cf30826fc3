"""Reviewing the project off the window's thread, each time it has changed."""

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import QObject, QTimer, Signal

from umbrant.catalog.kind import Catalog
from umbrant.catalog.validation import validate
from umbrant.desk.session.background import NewestOnlyWorker
from umbrant.model.documents import Project
from umbrant.review import review
from umbrant.review.findings import Finding

PAUSE_MS = 150
"""How long after an edit the review begins."""
MOST_PAUSES = 12
"""After how many pauses it begins though something else is waited for."""


@dataclass(frozen=True)
class Reviewed:
    """One request to the review: a project, and the kinds that its rows are
    of.
    """

    project: Project
    catalog: Catalog


def findings_of(request: Reviewed) -> list[Finding]:
    """The findings in a project; none while a document names another that does
    not exist, which validation reports. Any thread.
    """
    try:
        return review(request.project, request.catalog)
    except KeyError:
        if not validate(request.project, request.catalog):
            raise
        return []


class Reviewer(QObject):
    """Reviews the project in a thread. Only the newest state is answered, by a
    signal in the window's thread.
    """

    reviewed = Signal(object)
    """A list of findings."""
    failed = Signal(str)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._background = NewestOnlyWorker(
            "Reviewing the project", findings_of, (), self
        )
        self._background.answered.connect(self.reviewed)
        self._background.failed.connect(self.failed)
        self.lets_go_first: Callable[[], bool] = lambda: False
        """Whether something is under way that the author waits for more: a
        take that a thread beside it would keep back.
        """
        self._pending: Reviewed | None = None
        self._pauses = 0
        self._pause = QTimer(self, singleShot=True, interval=PAUSE_MS)
        self._pause.timeout.connect(self._start)

    @property
    def busy(self) -> bool:
        """Whether the newest state has not been answered yet."""
        return self._background.busy

    def request(self, project: Project, catalog: Catalog) -> None:
        """Review a project, once the author pauses: while a chip is dragged
        there are many.
        """
        self._background.expect()
        self._pending, self._pauses = Reviewed(project, catalog), 0
        self._pause.start()

    def _start(self) -> None:
        self._pauses += 1
        if self._pauses < MOST_PAUSES and self.lets_go_first():
            self._pause.start()
        elif self._pending is not None:
            self._background.request(self._pending)

    def close(self) -> None:
        """Wait for the running review, without answering it."""
        self._pause.stop()
        self._background.close()
