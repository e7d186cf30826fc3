"""Playing and counting the takes of a study with processes of this machine.

A take is played by one process, written by another, and counted by a third, so
that counting holds up neither who plays nor who keeps the results.
"""

import os
import signal
from collections.abc import Iterator, Sequence
from concurrent.futures import BrokenExecutor, Executor, ProcessPoolExecutor
from functools import partial
from multiprocessing import get_context
from pathlib import Path

from umbrant.rolling.many_takes import played_orders
from umbrant.rolling.parent import die_with
from umbrant.rolling.roll import RollOrder
from umbrant.studying.counts import CountedTake, count_take
from umbrant.take.errors import TakeError
from umbrant.take.reader import read_take


def counted_here(
    orders: Sequence[RollOrder], jobs: int
) -> Iterator[CountedTake | str]:
    """Play orders with so many processes, and count their takes: what each is
    counted as, or why there is none, in the order in which they are given.
    """
    counters = ProcessPoolExecutor(
        jobs, get_context("fork"), _end_with, (os.getpid(),)
    )
    with counters:
        # Forked now, while this process has no threads: who is forked beside
        # some may never get on.
        counters.submit(os.getpid).result()
        for _, found in played_orders(
            orders, jobs, partial(_counted, counters)
        ):
            yield found


def count_file(path: Path) -> CountedTake | str:
    """What the take in a file is counted as, or why it cannot be read."""
    try:
        return count_take(read_take(path))
    except TakeError as error:
        return str(error)


def _counted(counters: Executor, path: Path) -> CountedTake | str:
    try:
        return counters.submit(count_file, path).result()
    except BrokenExecutor:
        # One that counts has been killed, and with it the pool: the rest is
        # counted right here.
        return count_file(path)


def _end_with(parent: int) -> None:
    """However the one who asks ends, those who count for it end as well."""
    die_with(parent, signal.SIGKILL)
