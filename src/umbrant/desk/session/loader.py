"""Reading a take off the window's thread: a frozen request gives a frozen
response, applied if still the newest.
"""

from dataclasses import dataclass, field, replace
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from umbrant.branching.branch import check_past
from umbrant.comparing.comparison import TakeComparison, compared
from umbrant.desk.garbage import making_what_lives_long, without_search
from umbrant.desk.session.background import NewestOnlyWorker
from umbrant.expecting.expectation import (
    BrokenExpectation,
    NamedExpectation,
    broken_expectations,
)
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
from umbrant.take.reader import Take, read_on, read_take


@dataclass(frozen=True)
class Load:
    """What to read, and the take to compare it with."""

    path: Path
    before: Take | Path | None = None
    """A take, or the file of one that has not been read yet."""
    is_branch: bool = False
    """Whether `before` is its parent, so that both must be the same up to
    where it leaves it.
    """
    is_live: bool = False
    """Whether it is a look at a take that is still being played."""
    past: Take | None = None
    """What the file goes on from, where it is no take by itself."""
    compares: bool = False
    """Whether more is wanted than which rows differ: where the two part, and
    what followed.
    """
    expectations: tuple[NamedExpectation, ...] = ()
    """What must be so in it."""
    shown: "Loaded | None" = None
    """The take itself where it has been read already: it is compared with
    another one then.
    """


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
    request: Load
    broken: tuple[BrokenExpectation, ...] = ()
    """What it breaks of what must be so."""
    before: Take | None = None
    """The take that it was compared with."""
    comparison: TakeComparison | None = None
    before_spans: dict[str, tuple[tuple[LeadingSpan, ...], ...]] = field(
        default_factory=dict
    )
    """What led each branch of each agent's behavior in the other take; with a
    comparison only.
    """


def load(request: Load) -> Loaded:
    """Read and work out. Runs in any thread. Raises TakeError."""
    if request.is_live:
        # It is wanted at once, and soon gone.
        with without_search():
            return _load(request)
    with making_what_lives_long():
        return _load(request)


def _load(request: Load) -> Loaded:
    take = _take_of(request)
    if request.shown is not None:
        return _compared_anew(request.shown, request)
    before = _other(request)
    if request.is_branch and before is not None:
        check_past(before, take)
    compares = before is not None and request.compares
    # The take's own nodes are known by their declarations; nothing of them
    # runs.
    catalog = project_catalog(take.header.project).catalog
    behaviors = {name: behavior_of(take, name) for name in take.agents}
    spans = {name: leading_spans(take, name) for name in take.agents}
    apart: dict[str, dict[str, tuple[TickRange, ...]]] = {}
    if before is not None:
        apart = {
            name: different(before, take, name, so_far=request.is_live)
            for name in take.agents
        }
    comparison, before_spans = None, {}
    if before is not None and compares:
        comparison, before_spans = compared(before, take), _spans(before)
    findings: dict[str, list[Finding]] = {}
    if not request.is_live:
        # What a take does not do by a tick it may still do.
        findings = review_take(take, catalog)
    return Loaded(
        take,
        different=apart,
        leading={
            name: leading_rows(found)
            for name, found in behaviors.items()
            if found
        },
        leading_spans=spans,
        changes={name: changes_among(found) for name, found in spans.items()},
        findings=findings,
        request=request,
        broken=tuple(broken_expectations(request.expectations, take)),
        before=before,
        comparison=comparison,
        before_spans=before_spans,
    )


def _take_of(request: Load) -> Take:
    if request.past is None:
        return read_take(request.path)
    return read_on(request.path, request.past)


def _compared_anew(shown: Loaded, request: Load) -> Loaded:
    """A take that has been read already, compared with another one."""
    before, take = _other(request), shown.take
    if before is None:
        return replace(
            shown,
            request=request,
            before=None,
            comparison=None,
            before_spans={},
        )
    return replace(
        shown,
        different={
            name: different(before, take, name) for name in take.agents
        },
        request=request,
        before=before,
        comparison=compared(before, take),
        before_spans=_spans(before),
    )


def _other(request: Load) -> Take | None:
    """The take to compare with, read if it has not been. Raises TakeError."""
    before = request.before
    if isinstance(before, Path):
        return read_take(before)
    return before


def _spans(take: Take) -> dict[str, tuple[tuple[LeadingSpan, ...], ...]]:
    return {name: leading_spans(take, name) for name in take.agents}


class Loader(QObject):
    """Loads takes in a thread. Replies come as signals in the window's thread;
    only the newest request is answered.
    """

    loaded = Signal(object)
    failed = Signal(str)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._background = NewestOnlyWorker(
            "Reading the take", load, (TakeError,), self
        )
        self._background.answered.connect(self.loaded)
        self._background.failed.connect(self.failed)

    @property
    def busy(self) -> bool:
        """Whether the newest take has not been read yet."""
        return self._background.busy

    def request(self, load: Load) -> None:
        """Load a take, and compare it with another."""
        self._background.request(load)

    def drop(self) -> None:
        """Give up what is being read; something else will be requested soon."""
        self._background.expect()

    def close(self) -> None:
        """Wait for the running request, without answering it."""
        self._background.close()
