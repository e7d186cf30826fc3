"""What has been heard of all agents of a take and is not on disk yet."""

from typing import Protocol

Place = tuple[str, str, str]
"""An agent, a row and a part of it."""

Columns = tuple[object, ...]


class Told(Protocol):
    """What one place has told of one thing since the last flush."""

    def columns(self) -> Columns:
        """All of it as one row of the table of what was told."""

    def clear(self) -> bool:
        """It is on disk. Gives whether something is still going on, and will be told again at the next flush."""


class Gathered:
    """Rows for the take's tables, in the order in which they came.

    All that is heard belongs to `tick`, which is being played; those before it are over.
    """

    def __init__(self, ticks_per_s: float) -> None:
        self.ticks_per_s = ticks_per_s
        self.tick = 0
        self.told: list[Told] = []
        """The places that told anything since the last flush, or where something is still going on."""
        self.keys: list[Columns] = []
        self.heard: list[Columns] = []

    def clear(self) -> None:
        """All of it is on disk. What is still going on is kept, for it will be told again."""
        self.told = [told for told in self.told if told.clear()]
        self.keys.clear()
        self.heard.clear()
