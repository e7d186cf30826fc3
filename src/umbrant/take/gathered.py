"""What has been heard of all agents of a take and is not on disk yet."""

from typing import Protocol

from umbrant.take.record import Refusal

Place = tuple[str, str, str]
"""An agent, a row and a part of it."""

Columns = tuple[object, ...]


class Gauges(Protocol):
    """What one part of a row has told of one measure."""

    def columns(self) -> Columns:
        """All of it as one row of the table of gauges."""

    def clear(self) -> None:
        """It is on disk."""


class Gathered:
    """Rows for the take's tables, in the order in which they came. All that is heard belongs to `tick`."""

    def __init__(self, ticks_per_s: float) -> None:
        self.ticks_per_s = ticks_per_s
        self.tick = 0
        self.spans: dict[object, list[object]] = {}
        """Those that began or ended, by their number."""
        self.refusals: list[tuple[int, str, str, str, Refusal]] = []
        """Those that began since the last flush, and those that were going on then."""
        self.sensed: list[Columns] = []
        self.progress: list[list[object]] = []
        self.ways: list[Columns] = []
        self.keys: list[Columns] = []
        self.gauges: list[Gauges] = []
        """Those that told anything since the last flush."""
        self.heard: list[Columns] = []
        self.flushes = 0
        """How often what was gathered has gone to disk."""
        self._numbers = 0

    def number(self) -> int:
        """The next number for a span or a refusal."""
        self._numbers += 1
        return self._numbers

    def clear(self) -> None:
        """All of it is on disk. What is still going on is kept, for it will be told of again."""
        self.flushes += 1
        self.refusals = [each for each in self.refusals if each[-1].end >= self.tick]
        for gauges in self.gauges:
            gauges.clear()
        self.spans.clear()
        for listed in (self.sensed, self.progress, self.ways, self.keys, self.gauges, self.heard):
            listed.clear()
