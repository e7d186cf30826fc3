"""What every figure is, and how a time is taken."""

import time
from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True)
class Figure:
    """One measured figure, its aim, and a ratio to something measured in the
    same run.
    """

    name: str
    value: str
    aim: str
    ratio: str


def timed(work: Callable[[], object]) -> float:
    """How long something takes, in seconds."""
    start = time.perf_counter()
    work()
    return time.perf_counter() - start
