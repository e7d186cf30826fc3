"""Playing a scenario with many seeds, by several processes at once."""

import os
from collections.abc import Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import ExitStack
from pathlib import Path
from queue import SimpleQueue
from tempfile import TemporaryDirectory

from umbrant.model.documents import Project
from umbrant.rolling.client import SupervisedRolls
from umbrant.rolling.orders import Reply
from umbrant.rolling.roll import RollOrder
from umbrant.take.errors import TakeError
from umbrant.take.reader import Take, read_take

AHEAD = 2
"""How many takes each process is ahead of what has been read, so that disks stay empty."""


def default_jobs() -> int:
    """As many processes as this one may use cores."""
    return max(1, len(os.sched_getaffinity(0)))


def takes_of(
    orders: Sequence[RollOrder], jobs: int, *, keep: bool = False
) -> Iterator[tuple[RollOrder, Take | str]]:
    """Play orders and read their takes, in the order in which they are given, whoever plays them.
    Where there is no take there is what went wrong. Files are removed once read, unless `keep`.
    """
    with ExitStack() as stack:
        supervisors = [SupervisedRolls() for _ in range(min(jobs, len(orders)))]
        # Closed after the pool, whose threads replace those that have died.
        stack.callback(_close, supervisors)
        idle: SimpleQueue[SupervisedRolls] = SimpleQueue()
        for each in supervisors:
            idle.put(each)
        pool = stack.enter_context(ThreadPoolExecutor(max(1, jobs)))

        def play(order: RollOrder) -> Reply:
            supervisor = idle.get()
            try:
                return supervisor.roll(order)
            except TakeError as error:
                # A supervisor that has ended costs the take that it was at, no other.
                supervisor = SupervisedRolls()
                supervisors.append(supervisor)
                return Reply(number=0, error=str(error))
            finally:
                # Put back also where it has failed: the pool has as many threads as there are
                # supervisors, and each takes one.
                idle.put(supervisor)

        waiting: list[tuple[RollOrder, Future[Reply]]] = []
        left = iter(orders)
        try:
            while True:
                while len(waiting) < jobs * AHEAD and (order := next(left, None)) is not None:
                    waiting.append((order, pool.submit(play, order)))
                if not waiting:
                    return
                # The oldest, not the first that is done: results come in one order for any jobs.
                order, future = waiting.pop(0)
                reply = future.result()
                if reply.take is None or reply.error:
                    yield order, reply.error or "nothing came of it"
                else:
                    yield order, read_take(order.path)
                if not keep:
                    order.path.unlink(missing_ok=True)
        finally:
            for _, future in waiting:
                future.cancel()


def _close(supervisors: list[SupervisedRolls]) -> None:
    for each in supervisors:
        each.__exit__()


def seeds_of(
    project: Project, scenario: str, first: int, seeds: int, *, trust: bool
) -> "_SeedOrders":
    """The orders to play a scenario with so many seeds, as a context with a folder of its own."""
    return _SeedOrders(project, scenario, range(first, first + seeds), trust)


class _SeedOrders:
    """Orders for takes in a folder that is removed at the end."""

    def __init__(self, project: Project, scenario: str, seeds: range, trust: bool) -> None:
        self._made_of = project, scenario, seeds, trust
        self._folder: TemporaryDirectory[str] | None = None

    def __enter__(self) -> list[RollOrder]:
        project, scenario, seeds, trust = self._made_of
        self._folder = TemporaryDirectory(prefix="umbrant-")
        place = Path(self._folder.name)
        return [
            RollOrder(project, scenario, place / f"{seed}.take", seed, trusted=trust)
            for seed in seeds
        ]

    def __exit__(self, *_: object) -> None:
        if self._folder is not None:
            self._folder.cleanup()
