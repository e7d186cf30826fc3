"""A puppet's walk: where it is at each moment, worked out before the first
tick and anew when a cue moves it.
"""

from bisect import bisect_right
from dataclasses import dataclass
from itertools import pairwise

from umbrant.catalog.causes import Cause
from umbrant.catalog.geometry import distance_m, heading_to, to_grid
from umbrant.model.staging import Member
from umbrant.model.values import Point
from umbrant.stage.ground import Ground


@dataclass(frozen=True)
class _Leg:
    """One stretch of a walk: from a time to a time along corners, evenly."""

    from_s: float
    to_s: float
    corners: tuple[Point, ...]
    lengths_m: tuple[float, ...]


class Walk:
    """The position of a puppet at each moment. `faults` holds the points that
    cannot be walked to: (index, cause).
    """

    def __init__(self, member: Member, ground: Ground) -> None:
        self.faults: list[tuple[int, Cause]] = []
        self.points = member.walk
        """All points of it, whether they lie ahead or not."""
        self._points = list(enumerate(member.walk))
        self._ground = ground
        self._set_out(member.start, member.facing_deg, 0.0)

    def go_on_from(
        self, place: Point, facing_deg: float, now_s: float
    ) -> None:
        """The puppet has been put somewhere: from there it goes to the points
        that are still ahead, each in time.
        """
        self.faults = []
        self._points = [
            (index, point)
            for index, point in self._points
            if point.at_s > now_s
        ]
        self._set_out(place, facing_deg, now_s)

    def _set_out(self, here: Point, facing_deg: float, now_s: float) -> None:
        self._facing_deg = facing_deg
        self._start = here
        self._legs: list[_Leg] = []
        for index, point in self._points:
            way = self._ground.way(here, point.to)
            if way.cause:
                self.faults.append((index, way.cause))
            elif way.corners:
                corners = (here, *way.corners)
                lengths = tuple(
                    distance_m(start, end) for start, end in pairwise(corners)
                )
                self._legs.append(_Leg(now_s, point.at_s, corners, lengths))
                here = point.to
            now_s = point.at_s
        self._starts = [leg.from_s for leg in self._legs]

    def at(self, now_s: float) -> tuple[Point, float]:
        """The place and the heading at a moment."""
        index = bisect_right(self._starts, now_s) - 1
        if index < 0:
            return self._start, self._facing_deg
        leg = self._legs[index]
        if leg.to_s <= leg.from_s:
            share = 1.0
        else:
            share = min(1.0, (now_s - leg.from_s) / (leg.to_s - leg.from_s))
        return _along(leg, share, self._facing_deg)


def _along(leg: _Leg, share: float, facing_deg: float) -> tuple[Point, float]:
    left = share * sum(leg.lengths_m)
    heading = facing_deg
    for (start, end), length in zip(
        pairwise(leg.corners), leg.lengths_m, strict=True
    ):
        if length > 0:
            heading = heading_to(start, end)
        if left <= length and length > 0:
            part = left / length
            x, y = (
                start[0] + (end[0] - start[0]) * part,
                start[1] + (end[1] - start[1]) * part,
            )
            return (to_grid(x), to_grid(y)), to_grid(heading)
        left -= length
    return leg.corners[-1], to_grid(heading)
