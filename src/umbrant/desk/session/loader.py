"""Reading a take off the window's thread: a frozen request gives a frozen response, applied if
still the newest.
"""

from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from umbrant.desk.session.background import NewestOnlyWorker
from umbrant.project_nodes import project_catalog
from umbrant.reasons.decision_changes import (
    LeadingSpan,
    behavior_of,
    changes_among,
    leading_rows,
    leading_spans,
)
from umbrant.review import review_take
from umbrant.review.findings import Finding
from umbrant.take.compare import TickRange, different
from umbrant.take.errors import TakeError
from umbrant.take.reader import Take, read_take


@dataclass(frozen=True)
class Load:
    """What to read, and the take to compare it with."""

    path: Path
    before: Take | None = None


@dataclass(frozen=True)
class Loaded:
    """A take, and what the window wants to know of it: all by agent."""

    take: Take
    different: dict[str, dict[str, tuple[TickRange, ...]]]
    leading: dict[str, tuple[str, ...]]
    """The rows between which each changes its mind."""
    leading_spans: dict[str, tuple[tuple[LeadingSpan, ...], ...]]
    """For each branch of each agent's behavior what led it."""
    changes: dict[str, tuple[LeadingSpan, ...]]
    findings: dict[str, list[Finding]]


def load(request: Load) -> Loaded:
    """Read and work out. Runs in any thread. Raises TakeError."""
    take = read_take(request.path)
    before = request.before
    # The take's own nodes are known by their declarations; nothing of them runs.
    catalog = project_catalog(take.header.project).catalog
    behaviors = {name: behavior_of(take, name) for name in take.agents}
    spans = {name: leading_spans(take, name) for name in take.agents}
    return Loaded(
        take,
        different={name: different(before, take, name) for name in take.agents} if before else {},
        leading={name: leading_rows(found) for name, found in behaviors.items() if found},
        leading_spans=spans,
        changes={name: changes_among(found) for name, found in spans.items()},
        findings=review_take(take, catalog),
    )


class Loader(QObject):
    """Loads takes in a thread. Replies come as signals in the window's thread; only the newest
    request is answered.
    """

    loaded = Signal(object)
    failed = Signal(str)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._background = NewestOnlyWorker("Reading the take", load, (TakeError,), self)
        self._background.answered.connect(self.loaded)
        self._background.failed.connect(self.failed)

    def request(self, path: Path, before: Take | None) -> None:
        """Load a take and compare it with the one before."""
        self._background.request(Load(path, before))

    def close(self) -> None:
        """Wait for the running request, without answering it."""
        self._background.close()
