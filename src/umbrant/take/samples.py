"""What is so at every tick: where bodies are and how full props are. It is
noted only when it changes.
"""

import math
from collections.abc import Callable, Sequence
from itertools import chain
from typing import Any

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

    def __init__(
        self, buffer: TakeBuffer, first: int, *nothing: object
    ) -> None:
        self._buffer = buffer
        self._samples: list[tuple[Any, ...]] = [(first, *nothing)]
        """From which tick on each of the samples holds, and what was told. Of
        two that hold from the same tick on, the later counts.
        """

    def handed_over(self, until: int) -> bytearray:
        """All that has not been handed over yet, up to but without a tick, as
        float32.
        """
        samples = self._samples
        self._samples = [(until, *samples[-1][1:])]
        # What is told at each tick is only put down, and worked out here, for
        # all ticks together.
        ticks, *columns = zip(*samples, strict=True)
        numbers = packed(self._numbers(*columns))
        if len(ticks) == 1:
            first: int = ticks[0]
            return numbers * (until - first)
        lasted = np.diff(np.frombuffer(packed_ticks([*ticks, until]), "<i4"))
        # A sample is one item, however many numbers it has.
        width = len(numbers) // len(ticks)
        return bytearray(np.frombuffer(numbers, f"V{width}").repeat(lasted))

    def _numbers(self, *columns: tuple[Any, ...]) -> Sequence[float]:
        """The numbers of samples one after the other; what was told of them
        is given in columns.
        """
        raise NotImplementedError


class PoseTrack(SampledTrack):
    """The position and heading of one body at each tick: rows of (x, y,
    heading in degrees), float32.
    """

    def __init__(self, buffer: TakeBuffer, first: int) -> None:
        super().__init__(buffer, first, None, math.nan)
        self._place: Point | None = None
        self._heading_deg = math.nan

    def tell(self, place: Point | None, heading_deg: float) -> None:
        """It is there at this tick, None where it is not on the stage."""
        if place is not self._place or heading_deg != self._heading_deg:
            self._place = place
            self._heading_deg = heading_deg
            self._samples.append((self._buffer.tick, place, heading_deg))

    def _numbers(self, *columns: tuple[Any, ...]) -> Sequence[float]:
        places, headings = columns
        x, y = zip(*(each or NOWHERE for each in places), strict=True)
        return list(chain.from_iterable(zip(x, y, headings, strict=True)))


class LevelTrack(SampledTrack):
    """How full a prop is."""

    def __init__(self, buffer: TakeBuffer, first: int) -> None:
        super().__init__(buffer, first, None)
        self._level: float | None = None

    def tell(self, level: float | None) -> None:
        """It is so full at this tick, None where it is not there."""
        if level != self._level:
            self._level = level
            self._samples.append((self._buffer.tick, level))

    def _numbers(self, *columns: tuple[Any, ...]) -> Sequence[float]:
        (levels,) = columns
        return [math.nan if each is None else each for each in levels]
