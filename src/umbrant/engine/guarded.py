"""Calling a project's own code: what it raises, or that it does not come back, becomes an answer with its line."""

import signal
import threading
import traceback
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from types import FrameType
from typing import TypeVar

from umbrant.catalog.causes import Cause, cause
from umbrant.catalog.declare import Kind
from umbrant.catalog.work import Unbound

T = TypeVar("T")


class Hung(BaseException):
    """The time is up. No `Exception`, so that code which catches those does not catch it."""


def called(kind: Kind, limit_s: float, work: Callable[[], T]) -> T:
    """What `work`, which runs this kind's code, gives. Raises Unbound with the reason where a project's own code fails.

    What comes with the program is called as it is. The limit holds in the main thread only, which is where takes are
    made; elsewhere own code is waited for.
    """
    if not kind.own:
        return work()
    try:
        with at_most(limit_s):
            return work()
    except (Unbound, StopIteration):
        raise
    except Hung as hung:
        raise Unbound(cause("hung", file=kind.own, line=_line(hung, kind.own), limit_s=limit_s)) from None
    except Exception as error:
        message = f"{type(error).__name__}: {error}" if str(error) else type(error).__name__
        raise Unbound(cause("raised", file=kind.own, line=_line(error, kind.own), message=message)) from error


def nonsense(kind: Kind, value: object) -> Cause:
    """The reason for a failure by what a project's own code gave back."""
    return cause("nonsense", file=kind.own, value=repr(value)[:80])


@contextmanager
def at_most(limit_s: float) -> Iterator[None]:
    """Raise Hung in what is inside once the time is up, in the main thread; in others it is waited for."""
    if threading.current_thread() is not threading.main_thread():
        yield
        return

    def stop(number: int, frame: FrameType | None) -> None:
        raise Hung

    before = signal.signal(signal.SIGALRM, stop)
    signal.setitimer(signal.ITIMER_REAL, limit_s, 0.1)
    try:
        yield
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
        signal.signal(signal.SIGALRM, before)


def _line(error: BaseException, file: str) -> float:
    """The last line of the project's file on the way to the error; 0 if it is not on the way."""
    lines = [step.lineno for step in traceback.extract_tb(error.__traceback__) if step.filename == file]
    return float(lines[-1] or 0) if lines else 0.0
