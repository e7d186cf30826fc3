"""Playing a scenario with many seeds, by several processes at once."""

import os
from collections.abc import Callable, Generator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import closing
from pathlib import Path
from queue import SimpleQueue
from tempfile import TemporaryDirectory
from typing import TypeVar

from umbrant.model.documents import Project
from umbrant.rolling.client import SupervisedRolls
from umbrant.rolling.orders import Reply
from umbrant.rolling.roll import RollOrder
from umbrant.take.errors import TakeError
from umbrant.take.reader import Take, read_take

T = TypeVar("T")
AHEAD = 2
"""How many takes each process is ahead of what has been read, so that disks
stay empty.
"""


def default_jobs() -> int:
    """As many processes as this one may use cores."""
    return max(1, len(os.sched_getaffinity(0)))


def takes_of(
    orders: Sequence[RollOrder], jobs: int, *, keep: bool = False
) -> Generator[tuple[RollOrder, Take | str], None, None]:
    """Play orders and read their takes, in the order in which they are given,
    whoever plays them. Where there is no take there is what went wrong. Files
    are removed once read, unless `keep`. Whoever needs no more closes it, and
    nothing is written any more from then on.
    """
    with closing(played_orders(orders, jobs, _nothing, keep=keep)) as played:
        # Read here, one at a time: takes are large, and those that are ahead
        # stay on disk.
        for order, fault in played:
            yield order, fault or read_take(order.path)


def _nothing(path: Path) -> str:
    """No work on a take: it is as it should be."""
    return ""


def played_orders(
    orders: Sequence[RollOrder],
    jobs: int,
    work: Callable[[Path], T],
    *,
    keep: bool = False,
) -> Generator[tuple[RollOrder, T | str], None, None]:
    """Play orders, and do some work on the file of each take as soon as it is
    there; what it gives comes in the order in which they are given, whoever
    plays them. Where there is no take there is what went wrong. `work` is done
    in `jobs` threads.
    """
    with _Supervisors(min(jobs, len(orders))) as supervisors:

        def play(order: RollOrder) -> T | str:
            reply = supervisors.roll(order)
            if reply.take is None or reply.error:
                return reply.error or "nothing came of it"
            return work(order.path)

        with ThreadPoolExecutor(max(1, jobs)) as pool:
            waiting: list[tuple[RollOrder, Future[T | str]]] = []
            left = iter(orders)
            try:
                while True:
                    while (
                        len(waiting) < jobs * AHEAD
                        and (order := next(left, None)) is not None
                    ):
                        waiting.append((order, pool.submit(play, order)))
                    if not waiting:
                        return
                    # The oldest, not the first that is done: what comes has
                    # one order for any jobs.
                    order, future = waiting.pop(0)
                    yield order, future.result()
                    if not keep:
                        order.path.unlink(missing_ok=True)
            finally:
                for _, future in waiting:
                    future.cancel()


class _Supervisors:
    """Supervisors that wait for orders, as a context. Any thread may have one
    do an order.
    """

    def __init__(self, count: int) -> None:
        self._all = [SupervisedRolls() for _ in range(count)]
        self._idle: SimpleQueue[SupervisedRolls] = SimpleQueue()
        for each in self._all:
            self._idle.put(each)

    def __enter__(self) -> "_Supervisors":
        return self

    def __exit__(self, *_: object) -> None:
        for each in self._all:
            each.__exit__()

    def roll(self, order: RollOrder) -> Reply:
        """What comes of an order, done by whichever is idle, or is so first."""
        supervisor = self._idle.get()
        try:
            return supervisor.roll(order)
        except TakeError as error:
            # A supervisor that has ended costs the take that it was at, no
            # other.
            supervisor = SupervisedRolls()
            self._all.append(supervisor)
            return Reply(number=0, error=str(error))
        finally:
            # Put back also where it has failed: there are as many threads as
            # supervisors, and each takes one.
            self._idle.put(supervisor)


def seeds_of(
    project: Project, scenario: str, first: int, seeds: int, *, trust: bool
) -> "_SeedOrders":
    """The orders to play a scenario with so many seeds, as a context with a
    folder of its own.
    """
    return _SeedOrders(project, scenario, range(first, first + seeds), trust)


class _SeedOrders:
    """Orders for takes in a folder that is removed at the end."""

    def __init__(
        self, project: Project, scenario: str, seeds: range, trust: bool
    ) -> None:
        self._made_of = project, scenario, seeds, trust
        self._folder: TemporaryDirectory[str] | None = None

    def __enter__(self) -> list[RollOrder]:
        project, scenario, seeds, trust = self._made_of
        self._folder = TemporaryDirectory(prefix="umbrant-")
        place = Path(self._folder.name)
        return [
            RollOrder(
                project, scenario, place / f"{seed}.take", seed, trusted=trust
            )
            for seed in seeds
        ]

    def __exit__(self, *_: object) -> None:
        if self._folder is not None:
            self._folder.cleanup()
