"""What a study takes: takes of the demo's whole cast a second, with one
process and with two.
"""

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

from benchmarks.figure import Figure, timed
from umbrant.model.documents import Project
from umbrant.rolling.many_takes import takes_of
from umbrant.rolling.roll import RollOrder
from umbrant.studying.counts import count_take
from umbrant.studying.local import counted_here

TAKES = 12


def study_figures(demo: Project, place: Path) -> Iterator[Figure]:
    """Play the same takes with one process and with two, and count each as a
    study does.
    """
    folder = place / "studied"
    folder.mkdir()
    first = RollOrder(demo, "dusk", folder / "take")
    orders = [
        replace(first, path=folder / f"{seed}.take", seed=seed)
        for seed in range(TAKES)
    ]
    one_s, two_s = (
        timed(lambda jobs=jobs: _study(orders, jobs)) for jobs in (1, 2)
    )
    yield Figure(
        "takes of a study with two processes, times those with one",
        f"{one_s / two_s:.2f} ×",
        "1.8 ×",
        f"{TAKES / one_s:.2f} and {TAKES / two_s:.2f} takes a second",
    )
    light = [replace(each, counts_only=True) for each in orders]
    light_s = timed(lambda: _study(light, 2))
    ratio = f"{TAKES / light_s:.2f} takes a second with two processes"
    yield Figure(
        "takes of which only counts are wanted, times those",
        f"{two_s / light_s:.2f} ×",
        "none",
        ratio,
    )
    kept = orders[0]
    ((_, take),) = takes_of([kept], 1, keep=True)
    counted_s = timed(
        lambda: None if isinstance(take, str) else count_take(take)
    )
    ratio = f"{counted_s * TAKES / one_s:.2f} × the time of a take with one process"
    yield Figure(
        "a take is counted", f"{counted_s * 1000:.0f} ms", "none", ratio
    )


def _study(orders: list[RollOrder], jobs: int) -> None:
    assert not any(
        isinstance(each, str) for each in counted_here(orders, jobs)
    )
