"""What an engine tells of itself while it runs."""

from collections.abc import Callable
from typing import Protocol

from umbrant.catalog.causes import Cause
from umbrant.catalog.language.atom_results import AtomResult
from umbrant.catalog.protocols import (
    NO_REFUSAL_LOG,
    Gauge,
    Progress,
    RefusalLog,
    Status,
    discard,
)
from umbrant.catalog.written_facts import RowFacts, WrittenFacts
from umbrant.model.values import Value

WORLD = "*"
"""The board of the keys that all agents share."""

CUT_OFF = "machine"
"""The part of a machine's row that is refused, with the reason, at each tick
of it that was cut off.
"""


class RowLog(Protocol):
    """Records the spans of one row."""

    def entered(self) -> None:
        """Record that the row was entered at this tick."""

    def left(self, status: Status | None, cause: Cause | None) -> None:
        """It ended with a status, or was stopped (None)."""


class Recorder(Protocol):
    """Records everything that one agent does. The implementation knows the
    present tick.

    `part` is as in `model.parts`, or CUT_OFF. Methods whose names end in -ing
    return the callback to use for one row and part, or `discard`: such events
    come at nearly every tick, and a callback made once costs less than a
    look-up at each.
    """

    def know(self, body: WrittenFacts, rows: RowFacts) -> None:
        """What need not be recorded, for it stands in the documents: of the
        causes that the agent's senses give, and of those of its rows. Called
        before rows are made, and again before any is made anew.
        """

    def running(self, row_id: str) -> RowLog:
        """The log of a row's spans."""

    def refusing(self, row_id: str, part: str) -> RefusalLog:
        """The log of a row that was tried and not entered, or of an upkeep
        that failed. Called at every tick of the refusal.
        """

    def sensing(
        self, row_id: str, part: str
    ) -> Callable[[int, AtomResult | None], None]:
        """The callback for an atom of a condition whose result changed: its
        index and the result, None if it was not evaluated.
        """

    def progressing(self, row_id: str) -> Callable[[Progress], None]:
        """The callback for the progress of a running action."""

    def gauging(self, row_id: str, part: str) -> Callable[[Gauge], None]:
        """The callback for the numbers that a part of a row decides by."""

    def counting(self, row_id: str, part: str) -> Callable[[], None]:
        """The callback for each time that a part was done, such as an upkeep."""

    def wrote(
        self,
        board: str,
        key: str,
        value: Value | None,
        row_id: str,
        part: str,
        because: Cause | None = None,
    ) -> None:
        """A key got another value. `row_id` is empty for values set before the
        first tick; `because` is what the one who wrote it found, where that
        says more than the value.

        `board` is empty for the agent's own keys, WORLD, or the name of the
        group that shares the key.
        """

    def received(self, event: str, sender: str) -> None:
        """The agent received an event. `sender` is who raised it, empty for
        the scenario or the author.
        """

    def raised(
        self, event: str, receiver: str, row_id: str, part: str
    ) -> None:
        """A part of a row raised an event, for an agent, a group or (empty)
        everybody.
        """


class _NullRowLog:
    """A RowLog that keeps nothing."""

    def entered(self) -> None: ...
    def left(self, status: Status | None, cause: Cause | None) -> None: ...


_UNNOTICED = _NullRowLog()


class NullRecorder:
    """A Recorder that keeps nothing: for games without a take, and for the
    conditions of cues.
    """

    def know(self, body: WrittenFacts, rows: RowFacts) -> None: ...
    def wrote(
        self,
        board: str,
        key: str,
        value: Value | None,
        row_id: str,
        part: str,
        because: Cause | None = None,
    ) -> None: ...
    def received(self, event: str, sender: str) -> None: ...
    def raised(
        self, event: str, receiver: str, row_id: str, part: str
    ) -> None: ...

    def running(self, row_id: str) -> RowLog:
        return _UNNOTICED

    def refusing(self, row_id: str, part: str) -> RefusalLog:
        return NO_REFUSAL_LOG

    def sensing(
        self, row_id: str, part: str
    ) -> Callable[[int, AtomResult | None], None]:
        return discard

    def progressing(self, row_id: str) -> Callable[[Progress], None]:
        return discard

    def gauging(self, row_id: str, part: str) -> Callable[[Gauge], None]:
        return discard

    def counting(self, row_id: str, part: str) -> Callable[[], None]:
        return discard
