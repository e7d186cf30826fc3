"""A limit to each call of a project's own code, in a process without another
that watches it.
"""

import signal

from umbrant.rolling.watch import CallPlace


class CallLimit:
    """An engine's `CallWatch` that has this process signalled, by SIGALRM,
    when a call takes too long; that ends it, unless it handles the signal.

    Only calls are limited. What a tick takes besides is the program's own, and
    takes longer on a machine that is busy.
    """

    def __init__(self, node_limit_s: float) -> None:
        self._node_limit_s = node_limit_s
        self._depth = 0
        self._place = b""

    def enter(self, place: bytes) -> None:
        # Of calls inside each other the outermost has the limit.
        if not self._depth:
            self._place = place
            signal.setitimer(signal.ITIMER_REAL, self.limit_s)
        self._depth += 1

    def leave(self) -> None:
        self._depth -= 1
        if not self._depth:
            signal.setitimer(signal.ITIMER_REAL, 0)

    @property
    def place(self) -> CallPlace:
        """Where the last call was made."""
        return CallPlace.of(self._place)

    @property
    def limit_s(self) -> float:
        """How long that call may take."""
        return self.place.limit_s(self._node_limit_s)
