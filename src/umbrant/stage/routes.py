"""The shortest way round corners: A* over the corners of the walkable ground,
which are looked at as they are needed.

Between two points a shortest way bends only at corners that stick out into the
walkable ground, and touches each of them without cutting it (Lozano-Pérez and
Wesley, 1979). What can be seen from a corner is found out when a search comes
to it, and kept: with thousands of walls, to find it out for all of them would
take minutes, and most of it is not used.
"""

import heapq
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.polygon import orient

from umbrant.catalog.geometry import GRID, FloatArray
from umbrant.stage.horizon import Horizon

IsClear = Callable[[FloatArray, FloatArray], bool]
"""Whether a body can go straight from one place (2,) to another."""

EVEN = 1e-9
"""How small a cross product, in square metres, still counts as a straight
line.
"""
NEARLY_M = 0.005
"""How far off a line a point may be and still count as on it. A body at a
corner is beside it by what poses are rounded by, and by what it may be off the
ground: to leave out too little is harmless, for clear is clear, but not too
much.
"""
START, GOAL = -1, -2
"""The ends of a way, among the corners, which are told by their index."""


@dataclass(frozen=True)
class Leg:
    """That a body might go straight to a corner, over so many metres."""

    corner: int
    length_m: float


class Corners:
    """The corners of walkable ground that a way may go round. Any thread may
    search.

    `free` is the ground, a polygon or several; `is_clear` says where a body
    can go straight.
    """

    def __init__(
        self, free: shapely.Geometry, horizon: Horizon, is_clear: IsClear
    ) -> None:
        self._horizon = horizon
        self._is_clear = is_clear
        found = [
            _reflex(ring)
            for part in shapely.get_parts(free)
            for ring in _rings(part)
        ]
        if found:
            legs = np.vstack(found)
        else:
            legs = np.empty((0, 6))
        self._before, self._behind = legs[:, 2:4], legs[:, 4:6]
        # A body walks to the rounded corner: a leg that is clear to the corner
        # itself may not be.
        self._places = np.round(legs[:, 0:2] * GRID) / GRID
        """(n, 2) in metres: the corners of its ring before and behind each
        corner, and where a body that goes round it passes, on the grid.
        """
        # What has been found out stays. Two threads may find out the same at
        # once, which does no harm.
        self._legs: dict[int, list[Leg]] = {}
        self._clear: dict[tuple[int, int], bool] = {}

    def way(
        self, begin: FloatArray, end: FloatArray
    ) -> list[FloatArray] | None:
        """The corners of the shortest way, in order, without its ends; None if
        there is none.

        A* with the straight distance, so the first way by which a corner is
        come to is its shortest. Whether a leg is clear is asked when it has its
        turn: most never have. Of ways that are equally long the one over
        corners of lower index is taken, so the same search always gives the
        same way.
        """
        to_end = np.hypot(*(self._places - end).T)
        came_from: dict[int, int] = {}
        heap: list[tuple[float, int, int, float]] = []

        def go_on(
            node: int, here: FloatArray, so_far_m: float, legs: list[Leg]
        ) -> None:
            for leg in legs:
                if leg.corner not in came_from:
                    length_m = so_far_m + leg.length_m
                    heapq.heappush(
                        heap,
                        (
                            length_m + float(to_end[leg.corner]),
                            leg.corner,
                            node,
                            length_m,
                        ),
                    )
            if node == START or self._may_be_left(node, end[None, :])[0]:
                total_m = so_far_m + float(np.hypot(*(end - here)))
                heapq.heappush(heap, (total_m, GOAL, node, total_m))

        go_on(START, begin, 0.0, self._legs_from(begin))
        while heap:
            _, node, before, so_far_m = heapq.heappop(heap)
            if node == GOAL:
                there = end
            else:
                there = self._places[node]
            if node in came_from or not self._is_leg(
                before, begin if before == START else None, node, there
            ):
                continue
            came_from[node] = before
            if node == GOAL:
                return self._way_back(came_from)
            go_on(node, there, so_far_m, self._legs_on(node))
        return None

    def _way_back(self, came_from: dict[int, int]) -> list[FloatArray]:
        passed: list[FloatArray] = []
        node = came_from[GOAL]
        while node != START:
            passed.append(self._places[node])
            node = came_from[node]
        return passed[::-1]

    def _is_leg(
        self,
        before: int,
        begin: FloatArray | None,
        node: int,
        there: FloatArray,
    ) -> bool:
        """Whether a body can go straight from one node to another. The answer
        for two corners is kept.
        """
        if begin is not None:
            return self._is_clear(begin, there)
        if node == GOAL:
            return self._is_clear(self._places[before], there)
        between = min(before, node), max(before, node)
        known = self._clear.get(between)
        if known is None:
            known = self._clear[between] = self._is_clear(
                self._places[before], there
            )
        return known

    def _legs_on(self, corner: int) -> list[Leg]:
        """The corners to which a way might go on straight from another."""
        known = self._legs.get(corner)
        if known is None:
            known = self._legs[corner] = self._legs_from(
                self._places[corner], leaving=corner
            )
        return known

    def _legs_from(
        self, place: FloatArray, leaving: int | None = None
    ) -> list[Leg]:
        """The corners in sight of a place where a way from it may bend; from a
        corner, without cutting that.
        """
        along = self._places - place
        apart = np.hypot(along[:, 0], along[:, 1])
        far = self._horizon.seen_at_most(place)
        found = np.flatnonzero((apart > 0.0) & (apart <= float(far.max())))
        found = found[
            apart[found] <= far[self._horizon.directions(along[found])]
        ]
        may = _on_one_side(
            along[found],
            self._before[found] - place,
            self._behind[found] - place,
        )
        if leaving is not None:
            may &= self._may_be_left(leaving, self._places[found])
        return [
            Leg(corner, length_m)
            for corner, length_m in zip(
                found[may].tolist(), apart[found[may]].tolist(), strict=True
            )
        ]

    def _may_be_left(
        self, corner: int, places: FloatArray
    ) -> NDArray[np.bool_]:
        """For each of some places (n, 2), whether a way may go there straight
        from a corner, not cutting it.
        """
        here = self._places[corner]
        return _on_one_side(
            places - here,
            self._before[corner] - here,
            self._behind[corner] - here,
        )


def _rings(part: shapely.Geometry) -> list[FloatArray]:
    """The rings of a polygon, each (n, 2) without the last point, which
    repeats the first; free ground to the left.
    """
    if not isinstance(part, shapely.Polygon) or part.is_empty:
        return []
    part = orient(part)
    return [
        shapely.get_coordinates(ring)[:-1]
        for ring in (part.exterior, *part.interiors)
    ]


def _reflex(ring: FloatArray) -> FloatArray:
    """The corners of a ring that stick out into the free ground to its left.
    Shape (n, 6): each corner's x and y, with those of the corners before and
    behind it.
    """
    before, behind = np.roll(ring, 1, axis=0), np.roll(ring, -1, axis=0)
    sticks_out = _cross(ring - before, behind - ring) < -EVEN
    return np.hstack([ring, before, behind])[sticks_out]


def _on_one_side(
    along: FloatArray, one: FloatArray, other: FloatArray
) -> NDArray[np.bool_]:
    """Whether two points lie on the same side of a line through the origin, or
    nearly on it.
    """
    left, right = _off_line(along, one), _off_line(along, other)
    return np.asarray(
        (np.minimum(left, right) >= -NEARLY_M)
        | (np.maximum(left, right) <= NEARLY_M)
    )


def _off_line(along: FloatArray, point: FloatArray) -> FloatArray:
    """How far the origin, a point and the end of a vector are from lying on
    one line, in metres: the least height of their triangle, or nearly. The
    point alone may be far off the line though the vector is right: one that is
    short hardly says where it points.
    """
    longest = np.maximum(
        np.hypot(along[..., 0], along[..., 1]),
        np.hypot(point[..., 0], point[..., 1]),
    )
    return np.asarray(_cross(along, point) / np.maximum(longest, EVEN))


def _cross(one: FloatArray, other: FloatArray) -> FloatArray:
    return np.asarray(
        one[..., 0] * other[..., 1] - one[..., 1] * other[..., 0]
    )
