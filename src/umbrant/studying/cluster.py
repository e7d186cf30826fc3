"""Takes of a study that are played and counted by the workers of a Dask
cluster.

A worker gets batches: the documents of a project, by content, and the seeds.
Like the window it never runs a project's code itself: each batch has a
supervised process of its own. A worker needs Umbrant installed, and nothing
else of it.
"""

import hashlib
import json
from collections import deque
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import groupby
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from umbrant.model.documents import Project
from umbrant.model.folder import document_texts, parse_project
from umbrant.rolling.many_takes import takes_of
from umbrant.rolling.roll import RollOrder
from umbrant.studying.counts import CountedTake, count_take
from umbrant.studying.study import StudyError

BATCH = 8
"""How many takes a worker is given at a time: a process is started for each
batch.
"""
AHEAD = 3
"""How many batches for each worker are on their way before the first of them
has come back.
"""
TRIES = 3
"""How often a batch is given to another worker, where one after the other dies
of it.
"""
REACHED_S = 10


@dataclass(frozen=True)
class TakeOrder:
    """A take that is to be played and counted."""

    project: Project
    scenario: str
    seed: int
    trusted: bool
    counts_only: bool = False


def play_batch(
    documents: dict[str, str],
    scenario: str,
    seeds: Sequence[int],
    trusted: bool,
    counts_only: bool = False,
) -> list[CountedTake | str]:
    """Play a scenario with each seed and count the takes; of one that fails
    say why. This is what a worker does.
    """
    project = parse_project(documents)
    with TemporaryDirectory(prefix="umbrant-") as folder:
        orders = [
            RollOrder(
                project,
                scenario,
                Path(folder) / f"{seed}.take",
                seed,
                trusted=trusted,
                counts_only=counts_only,
            )
            for seed in seeds
        ]
        counted: list[CountedTake | str] = []
        for _, take in takes_of(orders, 1):
            if isinstance(take, str):
                counted.append(take)
            else:
                counted.append(count_take(take))
        return counted


def counted_on_cluster(
    address: str, orders: Sequence[TakeOrder]
) -> Iterator[CountedTake | str]:
    """Have the workers of the scheduler at an address play takes; what they
    are counted as comes in the order in which they are asked for. Raises
    StudyError where there is no such scheduler.
    """
    client = _connected(address)
    try:
        waiting: deque[tuple[Any, int]] = deque()
        left = _batches(orders)
        while True:
            most = AHEAD * max(1, len(client.scheduler_info()["workers"]))
            while (
                len(waiting) < most and (batch := next(left, None)) is not None
            ):
                waiting.append((_submitted(client, batch), len(batch)))
            if not waiting:
                return
            # The oldest, not the first that is done: results come in one order
            # for any cluster.
            future, count = waiting.popleft()
            yield from _result(future, count)
    finally:
        for future, _ in waiting:
            future.cancel()
        client.close()


def _connected(address: str) -> Any:
    try:
        from distributed import Client
    except ImportError:
        raise StudyError(
            "A cluster needs Dask: install Umbrant with its extra `cluster`."
        ) from None
    try:
        make: Any = Client
        return make(address, timeout=REACHED_S, set_as_default=False)
    except (OSError, ValueError) as error:
        raise StudyError(
            f"{address}: no scheduler answers there ({error}). Start one with `dask scheduler`, "
            "and workers with `dask worker ADDRESS`."
        ) from None


def _batches(orders: Sequence[TakeOrder]) -> Iterator[list[TakeOrder]]:
    """The takes in their order, in batches of one project each."""
    for _, group in groupby(orders, key=lambda each: id(each.project)):
        takes = list(group)
        for first in range(0, len(takes), BATCH):
            yield takes[first : first + BATCH]


def _submitted(client: Any, batch: list[TakeOrder]) -> Any:
    first = batch[0]
    texts = document_texts(first.project)
    # By content: the documents of one project are sent once, however many
    # batches are played of it. As a task, not as data on a worker, so that
    # they are there again after a worker has died.
    name = hashlib.sha256(
        json.dumps(texts, sort_keys=True).encode()
    ).hexdigest()
    documents = client.submit(dict, texts, key=f"umbrant-{name}")
    seeds = [each.seed for each in batch]
    return client.submit(
        play_batch,
        documents,
        first.scenario,
        seeds,
        first.trusted,
        first.counts_only,
        pure=False,
        retries=TRIES,
    )


def _result(future: Any, count: int) -> list[CountedTake | str]:
    """What became of a batch. One that nobody could play costs its takes, not
    the study.
    """
    try:
        found: list[CountedTake | str] = future.result()
    except Exception as error:
        return [
            f"the workers could not play it ({type(error).__name__}: {error})"
        ] * count
    return found
