"""A bound for what must come to an end: a test that would hang fails instead."""

import signal
from collections.abc import Iterator
from contextlib import contextmanager
from types import FrameType


class RanOver(BaseException):
    """Not an Exception, so that no handler of the code under test takes it for
    its own.
    """


@contextmanager
def within(seconds: float) -> Iterator[None]:
    """Raise RanOver once the seconds of wall-clock time are up. The bound is
    for loops without end, not for speed.
    """

    def over(number: int, frame: FrameType | None) -> None:
        raise RanOver(f"it was still going on after {seconds:g} s")

    before = signal.signal(signal.SIGALRM, over)
    signal.setitimer(signal.ITIMER_REAL, seconds)
    try:
        yield
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
        signal.signal(signal.SIGALRM, before)
