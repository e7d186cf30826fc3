"""What an engine tells of itself while it runs."""

from collections.abc import Callable
from typing import Protocol

from umbrant.catalog.causes import Cause
from umbrant.catalog.language.atom_results import AtomResult
from umbrant.catalog.protocols import NO_REFUSAL_LOG, Gauge, Progress, RefusalLog, Status, discard
from umbrant.model.values import Value

WORLD = "*"
"""The board of the keys that all agents share."""

CUT_OFF = "machine"
"""The part of a machine's row that is refused, with the reason, at each tick of it that was cut
off.
"""


class RowLog(Protocol):
    """Is told when a row runs."""

    def entered(self) -> None:
        """It became active."""

    def left(self, status: Status | None, cause: Cause | None) -> None:
        """It ended with a status, or was stopped (None)."""


class Recorder(Protocol):
    """Hears of everything one agent does. Whoever implements it knows which tick it is.

    `part` is ROW, 'guard', 'decorator n' or 'upkeep n', as in `model.edits.Slot`, or CUT_OFF. What
    is told at nearly every tick is told to one place each: the methods whose names end in -ing give
    what is called there, or `discard`.
    """

    def running(self, row_id: str) -> RowLog:
        """For when a row runs."""

    def refusing(self, row_id: str, part: str) -> RefusalLog:
        """For a row that was tried and not entered, or whose upkeep failed. Said again at every
        tick that it is so.
        """

    def sensing(self, row_id: str, part: str) -> Callable[[int, AtomResult | None], None]:
        """For an atom of a condition that gave another answer than before; None: it was not
        asked.
        """

    def progressing(self, row_id: str) -> Callable[[Progress], None]:
        """For how far a running action is."""

    def gauging(self, row_id: str, part: str) -> Callable[[Gauge], None]:
        """For the numbers that a part of a row goes by."""

    def counting(self, row_id: str, part: str) -> Callable[[], None]:
        """For each time that something has been done."""

    def wrote(self, board: str, key: str, value: Value | None, row_id: str, part: str) -> None:
        """A key got another value. `row_id` is empty for values set before the first tick.

        `board` is empty for the agent's own keys, WORLD, or the name of the group that shares the
        key.
        """

    def heard(self, event: str, sender: str) -> None:
        """An event came to the agent's ears. `sender` is who raised it, empty for the scenario or
        the author.
        """


class _NullRowLog:
    """Is told when a row runs, and keeps nothing."""

    def entered(self) -> None: ...
    def left(self, status: Status | None, cause: Cause | None) -> None: ...


_UNNOTICED = _NullRowLog()


class NullRecorder:
    """Hears everything and keeps nothing."""

    def wrote(self, board: str, key: str, value: Value | None, row_id: str, part: str) -> None: ...
    def heard(self, event: str, sender: str) -> None: ...

    def running(self, row_id: str) -> RowLog:
        return _UNNOTICED

    def refusing(self, row_id: str, part: str) -> RefusalLog:
        return NO_REFUSAL_LOG

    def sensing(self, row_id: str, part: str) -> Callable[[int, AtomResult | None], None]:
        return discard

    def progressing(self, row_id: str) -> Callable[[Progress], None]:
        return discard

    def gauging(self, row_id: str, part: str) -> Callable[[Gauge], None]:
        return discard

    def counting(self, row_id: str, part: str) -> Callable[[], None]:
        return discard
