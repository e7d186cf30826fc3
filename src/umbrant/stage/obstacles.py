"""What is in the way of a body's middle: asked a great many times, whether it
is met by a point or a straight line.
"""

from threading import Lock

import numpy as np
import shapely
from numpy.typing import NDArray

from umbrant.model.values import Point

FEW = 48
"""Up to so many shapes are looked through one after the other; of more a tree
finds those that are near.
"""


class Obstacles:
    """Shapes that a body must not meet. Any thread may ask.

    A prepared shape may be asked by one thread at a time only: two at once end
    the process.
    """

    def __init__(self, shapes: NDArray[np.object_]) -> None:
        self._asking = Lock()
        self._tree = shapely.STRtree(shapes) if len(shapes) > FEW else None
        bounds = shapely.bounds(shapes).tolist() if self._tree is None else []
        self._few = [
            (*box, shape)
            for box, shape in zip(bounds, shapes, strict=bool(bounds))
        ]
        """The left, lower, right and upper edge of each shape, and the shape,
        if there are few.
        """
        shapely.prepare([shape for *_, shape in self._few])

    def meet_point(self, place: Point) -> bool:
        """Whether a point lies in an obstacle or on its edge."""
        x, y = place
        if self._tree is not None:
            return bool(
                len(
                    self._tree.query(
                        shapely.points(place), predicate="intersects"
                    )
                )
            )
        near = [
            shape
            for left, low, right, high, shape in self._few
            if left <= x <= right and low <= y <= high
        ]
        if not near:
            return False
        with self._asking:
            return any(shapely.intersects_xy(shape, x, y) for shape in near)

    def meet_line(self, start: Point, end: Point) -> bool:
        """Whether a straight line between two different points meets one of
        them.
        """
        if self._tree is not None:
            line = shapely.linestrings((start, end))
            return len(self._tree.query(line, predicate="intersects")) > 0
        (ax, ay), (bx, by) = start, end
        west, east = (ax, bx) if ax <= bx else (bx, ax)
        south, north = (ay, by) if ay <= by else (by, ay)
        near = [
            shape
            for left, low, right, high, shape in self._few
            if left <= east
            and west <= right
            and low <= north
            and south <= high
        ]
        if not near:
            return False
        line = shapely.linestrings((start, end))
        with self._asking:
            return any(shape.intersects(line) for shape in near)
