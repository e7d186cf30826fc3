"""What an engine tells of itself while it runs."""

from collections.abc import Callable
from typing import Protocol

from umbrant.catalog.causes import Cause
from umbrant.catalog.language.ask import Found
from umbrant.catalog.work import Gauge, Progress, Status
from umbrant.model.values import Literal

WORLD = "*"
"""The board of the keys that all agents share."""


class Recorder(Protocol):
    """Hears of everything one agent does. Whoever implements it knows which tick it is.

    `part` is ROW, 'guard', 'decorator n' or 'upkeep n', as in `model.edits.Slot`.
    """

    def entered(self, row_id: str) -> None:
        """A row became active."""

    def left(self, row_id: str, status: Status | None, cause: Cause | None) -> None:
        """A row ended with a status, or was stopped (None)."""

    def refused(self, row_id: str, part: str, cause: Cause) -> None:
        """A row was tried and not entered, or its upkeep failed. Said again at every tick that it is so."""

    def refusals(self, row_id: str, part: str) -> Callable[[Cause], None]:
        """What tells of refusals in one place, as `refused` does: for where it is done at nearly every tick."""

    def progressing(self, row_id: str) -> Callable[[Progress], None]:
        """What tells how far one row is, as `progress` does."""

    def sensed(self, row_id: str, part: str, atom: int, found: Found | None) -> None:
        """A condition was asked, and one of its atoms gave another answer than before; None: it was not asked."""

    def progress(self, row_id: str, progress: Progress) -> None:
        """A running action said how far it is."""

    def gauged(self, row_id: str, part: str, gauge: Gauge) -> None:
        """A part of a row noted a number it goes by."""

    def wrote(self, board: str, key: str, value: Literal | None, row_id: str, part: str) -> None:
        """A key got another value. `row_id` is empty for values set before the first tick.

        `board` is empty for the agent's own keys, WORLD, or the name of the group that shares the key.
        """

    def heard(self, event: str, sender: str) -> None:
        """An event came to the agent's ears. `sender` is who raised it, empty for the scenario or the author."""


def nothing(told: object) -> None:
    """Keeps nothing of what it is told."""


class Unrecorded:
    """Hears everything and keeps nothing."""

    def entered(self, row_id: str) -> None: ...
    def left(self, row_id: str, status: Status | None, cause: Cause | None) -> None: ...
    def refused(self, row_id: str, part: str, cause: Cause) -> None: ...
    def sensed(self, row_id: str, part: str, atom: int, found: Found | None) -> None: ...
    def progress(self, row_id: str, progress: Progress) -> None: ...

    def refusals(self, row_id: str, part: str) -> Callable[[Cause], None]:
        return nothing

    def progressing(self, row_id: str) -> Callable[[Progress], None]:
        return nothing

    def gauged(self, row_id: str, part: str, gauge: Gauge) -> None: ...
    def wrote(self, board: str, key: str, value: Literal | None, row_id: str, part: str) -> None: ...
    def heard(self, event: str, sender: str) -> None: ...
