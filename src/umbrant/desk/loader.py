"""Reading a take off the window's thread: a frozen request gives a frozen response, applied if still the newest."""

from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import QObject, QRunnable, QThreadPool, Signal

from umbrant.catalog.builtin import BUILTIN
from umbrant.reasons.minds import Lead, behavior_of, changes_of_mind, leading_rows, leads
from umbrant.review import review_take
from umbrant.review.findings import Finding
from umbrant.take.compare import Stretch, different
from umbrant.take.reader import Take, read_take
from umbrant.take.writer import TakeError


@dataclass(frozen=True)
class Load:
    """What to read, and the take to compare it with."""

    number: int
    path: Path
    before: Take | None = None


@dataclass(frozen=True)
class Loaded:
    """A take, and what the window wants to know of it: all by agent."""

    number: int
    take: Take
    different: dict[str, dict[str, tuple[Stretch, ...]]]
    leading: dict[str, tuple[str, ...]]
    """The rows between which each changes its mind."""
    leads: dict[str, tuple[Lead, ...]]
    changes: dict[str, tuple[Lead, ...]]
    findings: dict[str, list[Finding]]


def load(request: Load) -> Loaded:
    """Read and work out. Runs in any thread. Raises TakeError."""
    take = read_take(request.path)
    before = request.before
    return Loaded(
        request.number,
        take,
        {name: different(before, take, name) for name in take.agents} if before else {},
        {name: leading_rows(found) for name in take.agents if (found := behavior_of(take, name)) is not None},
        {name: leads(take, name) for name in take.agents},
        {name: changes_of_mind(take, name) for name in take.agents},
        review_take(take, BUILTIN),
    )


class Loader(QObject):
    """Loads takes in a thread. Replies come as signals in the window's thread; only the newest request is answered."""

    loaded = Signal(object)
    failed = Signal(str)
    _done = Signal(object, object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(1)
        self._newest = 0
        self._done.connect(self._take)

    def request(self, path: Path, before: Take | None) -> None:
        """Load a take and compare it with the one before."""
        self._newest += 1
        self._pool.start(_Task(Load(self._newest, path, before), self))

    def close(self) -> None:
        """Wait for what is being loaded, and forget it."""
        self._newest += 1
        self._pool.waitForDone()

    def finish(self, request: Load, result: Loaded | TakeError) -> None:
        """Hand a result over to the window's thread. Called from the loading thread."""
        self._done.emit(request, result)

    def _take(self, request: Load, result: Loaded | TakeError) -> None:
        if request.number != self._newest:
            return
        if isinstance(result, TakeError):
            self.failed.emit(str(result))
        else:
            self.loaded.emit(result)


class _Task(QRunnable):
    def __init__(self, request: Load, loader: Loader) -> None:
        super().__init__()
        self._request = request
        self._loader = loader

    def run(self) -> None:
        try:
            result: Loaded | TakeError = load(self._request)
        except TakeError as error:
            result = error
        self._loader.finish(self._request, result)
