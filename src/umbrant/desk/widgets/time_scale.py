"""The whole take from left to right: where each tick stands."""

from dataclasses import dataclass


@dataclass(frozen=True)
class TimeScale:
    """`ticks` ticks, evenly between two pixels."""

    left: float
    right: float
    ticks: int

    def x_of(self, tick: float) -> float:
        """The x of a tick, in pixels."""
        return self.left + tick / max(1, self.ticks) * (self.right - self.left)

    def tick_at(self, x: float) -> float:
        """Which tick stands at a place."""
        return (x - self.left) / max(1.0, self.right - self.left) * self.ticks
