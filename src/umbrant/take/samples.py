"""What is so at every tick: where bodies are and how full props are. It is
written down only when it changes.
"""

import math
from collections.abc import Callable

from umbrant.model.values import Point
from umbrant.take.buffer import TakeBuffer
from umbrant.take.tables import packed

Posing = Callable[[Point | None, float], None]
"""Is told at each tick where a body is, None where it is not on the stage, and
its heading in degrees.
"""

NOWHERE = math.nan, math.nan


def unposed(place: Point | None, heading_deg: float) -> None:
    """Where a body is is not recorded."""


class SampledTrack:
    """Numbers of one thing, sampled at ticks: a sample holds until the next
    one. NaN before the first.
    """

    def __init__(self, buffer: TakeBuffer, first: int, width: int) -> None:
        self._buffer = buffer
        self._now: tuple[float, ...] = (math.nan,) * width
        self._numbers: list[float] = []
        self._until = first
        """The tick up to which they are written down."""

    def _write_down(self, until: int) -> None:
        """Write the last sample for every tick up to, but not including, a
        tick.
        """
        due = until - self._until
        self._numbers += self._now if due == 1 else self._now * due
        self._until = until

    def handed_over(self, until: int) -> bytearray:
        """All that has not been handed over yet, up to but without a tick, as
        float32.
        """
        self._write_down(until)
        numbers, self._numbers = self._numbers, []
        return packed(numbers)


class PoseTrack(SampledTrack):
    """The position and heading of one body at each tick: rows of (x, y,
    heading in degrees), float32.
    """

    def __init__(self, buffer: TakeBuffer, first: int) -> None:
        super().__init__(buffer, first, 3)
        self._place: Point | None = None
        self._heading_deg = math.nan

    def tell(self, place: Point | None, heading_deg: float) -> None:
        """It is there at this tick, None where it is not on the stage."""
        if place is not self._place or heading_deg != self._heading_deg:
            tick = self._buffer.tick
            # What moves does so at each tick, so this is the case that counts.
            if self._until == tick - 1:
                self._numbers += self._now
                self._until = tick
            else:
                self._write_down(tick)
            self._place, self._heading_deg = place, heading_deg
            x, y = place or NOWHERE
            self._now = x, y, heading_deg


class LevelTrack(SampledTrack):
    """How full a prop is."""

    def __init__(self, buffer: TakeBuffer, first: int) -> None:
        super().__init__(buffer, first, 1)
        self._level: float | None = None

    def tell(self, level: float | None) -> None:
        """It is so full at this tick, None where it is not there."""
        if level != self._level:
            self._write_down(self._buffer.tick)
            self._level = level
            self._now = (math.nan if level is None else level,)
