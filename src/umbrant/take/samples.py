"""What is so at every tick: where bodies are and how full props are. It is
noted only when it changes.
"""

import math
from collections.abc import Callable

import numpy as np

from umbrant.model.values import Point
from umbrant.take.buffer import TakeBuffer
from umbrant.take.tables import packed, packed_ticks

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
        self._ticks = [first]
        """From which tick on each of the samples holds. Of two that hold from
        the same tick on, the later counts.
        """
        self._width = width
        self._numbers = [math.nan] * width
        """The samples, one after the other."""

    def handed_over(self, until: int) -> bytearray:
        """All that has not been handed over yet, up to but without a tick, as
        float32.
        """
        ticks, numbers = self._ticks, packed(self._numbers)
        self._ticks, self._numbers = [until], self._numbers[-self._width :]
        if len(ticks) == 1:
            return numbers * (until - ticks[0])
        ticks.append(until)
        lasted = np.diff(np.frombuffer(packed_ticks(ticks), "<i4"))
        # A sample is one item, however many numbers it has.
        samples = np.frombuffer(numbers, f"V{4 * self._width}")
        return bytearray(samples.repeat(lasted))


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
            self._place, self._heading_deg = place, heading_deg
            self._ticks.append(self._buffer.tick)
            x, y = place or NOWHERE
            self._numbers += x, y, heading_deg


class LevelTrack(SampledTrack):
    """How full a prop is."""

    def __init__(self, buffer: TakeBuffer, first: int) -> None:
        super().__init__(buffer, first, 1)
        self._level: float | None = None

    def tell(self, level: float | None) -> None:
        """It is so full at this tick, None where it is not there."""
        if level != self._level:
            self._level = level
            self._ticks.append(self._buffer.tick)
            self._numbers.append(math.nan if level is None else level)
