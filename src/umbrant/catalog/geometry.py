"""Distances and angles on the stage. Plain floats: these are asked for every
body at every tick.
"""

import math
from collections.abc import Iterable, Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from umbrant.model.values import Point

FloatArray = NDArray[np.float64]
GRID = 4096.0
"""Poses and distances are kept to 1/4096 (2^-12), so that processors'
last bits cannot make takes differ.
"""


def to_grid(value: float) -> float:
    """The nearest number on the grid."""
    return round(value * GRID) / GRID


def distance_m(start: Point, end: Point) -> float:
    """The straight distance, on the grid."""
    return to_grid(math.hypot(end[0] - start[0], end[1] - start[1]))


def distances_m(start: Point, ends: Iterable[Point]) -> list[float]:
    """The straight distances from one point to others, on the grid. As `distance_m` of each,
    sooner: many agents ask this at every tick.
    """
    x, y = start
    hypot = math.hypot
    return [round(hypot(end[0] - x, end[1] - y) * GRID) / GRID for end in ends]


def length_m(corners: Sequence[Point]) -> float:
    """The length of a way along its corners, on the grid."""
    return to_grid(
        sum(
            math.hypot(end[0] - start[0], end[1] - start[1])
            for start, end in pairwise(corners)
        )
    )


def heading_to(start: Point, end: Point) -> float:
    """The heading from one point to another: degrees from -180 to 180, 0 to
    the east, anticlockwise.
    """
    return math.degrees(math.atan2(end[1] - start[1], end[0] - start[0]))


def turn_between(heading_deg: float, wanted_deg: float) -> float:
    """How far to turn from one heading to another by the shorter way: -180 to
    180 degrees.
    """
    return (wanted_deg - heading_deg + 180.0) % 360.0 - 180.0
