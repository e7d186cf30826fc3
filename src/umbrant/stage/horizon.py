"""How far it can be seen in each direction at the most: what spares a search
the corners that lie behind a wall.

It may say too much, never too little. So it may leave out walls that are far
away or have many corners.
"""

import numpy as np
import shapely
from numpy.typing import NDArray

from umbrant.catalog.geometry import FloatArray

BINS = 1024
"""Into how many directions all around is divided."""
NEAREST = 192
"""How many walls are looked at; among many these are all around."""
MOST_CORNERS = 12
"""A wall with more is left out: it would make room for as many corners in the
table of all walls.
"""


class Horizon:
    """The walls of a ground, asked how far they let one see. Never changed
    once made, so any thread may ask.

    `span_m` is how far apart two places on it are at the most.
    """

    def __init__(self, walls: NDArray[np.object_], span_m: float) -> None:
        rings = [
            shapely.get_coordinates(wall)[:-1]
            for wall in walls
            if isinstance(wall, shapely.Polygon)
        ]
        rings = [ring for ring in rings if 3 <= len(ring) <= MOST_CORNERS]
        most = max((len(ring) for ring in rings), default=1)
        self._corners = np.array(
            [[*ring, *[ring[-1]] * (most - len(ring))] for ring in rings]
        ).reshape(-1, most, 2)
        """(walls, corners, 2) in metres; a wall with fewer corners repeats its
        last.
        """
        self._middles = self._corners.mean(axis=1)
        self._span_m = span_m

    def seen_at_most(self, place: FloatArray) -> FloatArray:
        """For each of BINS directions, from -180° on, no less than how far it
        can be seen from a place, in metres.
        """
        far = np.full(BINS, self._span_m)
        if not len(self._middles):
            return far
        apart = np.hypot(*(self._middles - place).T)
        if len(apart) > NEAREST:
            near = np.argpartition(apart, NEAREST)[:NEAREST]
        else:
            near = np.arange(len(apart))
        along = self._corners[near] - place
        middle = self._middles[near] - place
        # Angles are measured from the direction of each wall's middle, so that
        # none is cut in two at ±180°.
        towards = np.arctan2(middle[:, 1], middle[:, 0])
        off = np.arctan2(along[..., 1], along[..., 0]) - towards[:, None]
        off = (off + np.pi) % (2 * np.pi) - np.pi
        low, high = off.min(axis=1), off.max(axis=1)
        reach = np.hypot(along[..., 0], along[..., 1]).max(axis=1)
        # Only directions that lie wholly within a wall are cut off by it. One
        # that is all around the place is none.
        first = np.ceil((low + towards + np.pi) / _BIN).astype(int) + 1
        last = np.floor((high + towards + np.pi) / _BIN).astype(int) - 1
        counts = np.where(high - low < np.pi, np.maximum(0, last - first), 0)
        starts = np.repeat(first - np.cumsum(counts) + counts, counts)
        np.minimum.at(
            far,
            (starts + np.arange(len(starts))) % BINS,
            np.repeat(reach, counts),
        )
        return far

    @staticmethod
    def directions(along: FloatArray) -> NDArray[np.intp]:
        """In which of the directions each of some vectors (n, 2) points."""
        found = np.floor(
            (np.arctan2(along[:, 1], along[:, 0]) + np.pi) / _BIN
        ).astype(np.intp)
        return np.asarray(found % BINS)


_BIN = 2 * np.pi / BINS
