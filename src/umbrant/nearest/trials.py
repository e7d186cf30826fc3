"""Playing a project with something changed, up to the tick that is asked
about.
"""

import os
import signal
from collections.abc import Iterator, Sequence
from concurrent.futures import (
    Executor,
    ProcessPoolExecutor,
    ThreadPoolExecutor,
)
from contextlib import contextmanager
from dataclasses import dataclass
from multiprocessing import get_context
from pathlib import Path
from tempfile import TemporaryDirectory

from umbrant.catalog.validation import validate
from umbrant.model.documents import Project
from umbrant.nearest.shared_play import SharedPlay
from umbrant.project_nodes import project_catalog
from umbrant.rolling.client import SupervisedRolls
from umbrant.rolling.parent import die_with
from umbrant.rolling.roll import RollOrder, roll
from umbrant.take.errors import TakeError
from umbrant.take.header import Header
from umbrant.take.reader import Take, read_take
from umbrant.take.record import RowRecord, RowState

MOST_AT_ONCE = 4
"""How many trials are played at once, at the most."""


@dataclass(frozen=True)
class TrialTake:
    """What came of a trial: the take as far as it was played, with the rows of
    one agent alone.
    """

    take: Take

    def runs(self, agent: str, row_id: str, tick: int) -> bool:
        """Whether a row ran at a tick."""
        record = self.take.agents.get(agent)
        return record is not None and ran(record.row(row_id), tick)


def ran(record: RowRecord, tick: int) -> bool:
    """Whether a row was active at a tick and after it, or succeeded at it. Of
    one that failed there or was stopped, what would have it run on is still a
    question.
    """
    return record.state_at(tick) in (RowState.RUNNING, RowState.SUCCESS)


class TrialPlayer:
    """Plays trials of one take up to a tick. A project that cannot be played
    gives no take.
    """

    def __init__(
        self,
        header: Header,
        agent: str,
        tick: int,
        folder: Path,
        pool: Executor,
        shared: SharedPlay | None,
        *,
        trusted: bool,
    ) -> None:
        self._header = header
        self._shared = shared
        self._agent = agent
        self._seconds = (tick + 1) / header.ticks_per_s
        self._folder = folder
        self._pool = pool
        self._trusted = trusted
        # What was wrong before is none of the change's doing.
        self._known = validate(
            header.project, project_catalog(header.project).catalog
        )
        self.played = 0
        """How many trials have been played."""

    def play(self, projects: Sequence[Project]) -> list[TrialTake | None]:
        """Play several projects at once, and wait for all of them."""
        orders = [self._order(project) for project in projects]
        valid = [each for each in orders if each is not None]
        # The first are not kept waiting for what they could share.
        is_first = self.played == len(valid)
        if (
            self._shared is not None
            and valid
            and (self._shared.is_ready or not is_first)
        ):
            done = self._shared.play(valid)
        else:
            done = [False] * len(valid)
        # What could not go on from what they share is played from its first
        # tick.
        anew = [
            order
            for order, is_done in zip(valid, done, strict=True)
            if not is_done
        ]
        paths = dict(
            zip(
                [each.path for each in anew],
                self._pool.map(_played, anew),
                strict=True,
            )
        )
        return [
            self._read(paths.get(order.path, order.path))
            if order is not None
            else None
            for order in orders
        ]

    def _order(self, project: Project) -> RollOrder | None:
        """The order to play a project; None if the change has made something
        wrong with it.
        """
        problems = validate(project, project_catalog(project).catalog)
        if any(each not in self._known for each in problems):
            return None
        self.played += 1
        return RollOrder(
            project,
            self._header.scenario,
            self._folder / f"{self.played}.take",
            self._header.seed,
            self._seconds,
            self._trusted,
        )

    def _read(self, path: Path | None) -> TrialTake | None:
        if path is None:
            return None
        take = read_take(path, only=self._agent)
        path.unlink()
        return TrialTake(take)


def _played(order: RollOrder) -> Path | None:
    """Play an order; None where it failed. Nodes of the project's own run in a
    process that may be ended; all else is played right here.
    """
    try:
        if not order.project.nodes:
            return roll(order)
        with SupervisedRolls() as supervisor:
            return supervisor.roll(order).take
    except TakeError:
        return None


@contextmanager
def trial_player(
    header: Header, agent: str, tick: int, *, trusted: bool
) -> Iterator[TrialPlayer]:
    """A player of trials with processes of its own, which end with this one."""
    count = min(MOST_AT_ONCE, os.cpu_count() or 1)
    with (
        TemporaryDirectory(
            prefix="umbrant-", ignore_cleanup_errors=True
        ) as folder,
        _pool(header, count) as pool,
        _shared_play(header, agent, tick) as shared,
    ):
        yield TrialPlayer(
            header, agent, tick, Path(folder), pool, shared, trusted=trusted
        )


@contextmanager
def _shared_play(
    header: Header, agent: str, tick: int
) -> Iterator[SharedPlay | None]:
    """The play that trials share; None where own nodes would run in it, or the
    system has no room for another process.
    """
    if header.project.nodes:
        yield None
        return
    seconds = (tick + 1) / header.ticks_per_s
    order = RollOrder(
        header.project,
        header.scenario,
        Path(os.devnull),
        header.seed,
        seconds,
    )
    try:
        shared = SharedPlay(order, agent)
    except OSError:
        yield None
        return
    try:
        yield shared
    finally:
        shared.close()


def _pool(header: Header, count: int) -> Executor:
    if header.project.nodes:
        # Each waits for processes that do the work.
        return ThreadPoolExecutor(count)
    return ProcessPoolExecutor(
        count, get_context("fork"), _end_with, (os.getpid(),)
    )


def _end_with(parent: int) -> None:
    """However the one who asks ends, those who play for it end as well."""
    die_with(parent, signal.SIGKILL)
