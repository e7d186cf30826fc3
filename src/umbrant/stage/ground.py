"""Where a body of a certain radius can be, what it can see past, and the
shortest way between two points.
"""

from dataclasses import dataclass
from functools import cached_property, lru_cache
from threading import Lock

import numpy as np
import shapely
from numpy.typing import NDArray

from umbrant.catalog.causes import Cause, cause
from umbrant.catalog.geometry import FloatArray, length_m, to_grid
from umbrant.catalog.world import Route
from umbrant.model.staging import Area, Blocks, Stage
from umbrant.model.values import Point
from umbrant.stage.horizon import Horizon
from umbrant.stage.obstacles import Obstacles
from umbrant.stage.routes import Corners

SLACK_M = 0.002
"""How far outside the walkable ground a point may be and still count as on it:
poses are rounded to a grid.
"""
EDGE = "the edge of the stage"
TOUCHING_M = 1e-6


class Ground:
    """The walkable ground of a stage for bodies of one radius, in metres. Any
    thread may ask.

    A body keeps its radius away from what is in the way. Whether it can be
    somewhere, or go somewhere straight, is asked of what is in the way: that
    takes about as long among thousands of walls as among a few.
    """

    def __init__(self, stage: Stage, radius_m: float) -> None:
        self._inside = shapely.box(0, 0, stage.width_m, stage.height_m).buffer(
            -radius_m, join_style="mitre"
        )
        in_the_way = [
            area for area in stage.areas if area.blocks is not Blocks.NOTHING
        ]
        self._names = [area.name for area in in_the_way]
        self._grown = np.array(
            [_grown(area, radius_m) for area in in_the_way], dtype=object
        )
        if len(self._grown):
            self.free = self._inside.difference(shapely.union_all(self._grown))
        else:
            self.free = self._inside
        """All of the walkable ground, in one part or several."""
        # No more than half the radius: two walls side by side must not come
        # apart.
        slack = min(SLACK_M, radius_m / 2)
        self._left, self._low, self._right, self._high = self._inside.buffer(
            slack, join_style="mitre"
        ).bounds
        self._thinned = shapely.buffer(self._grown, -slack, join_style="mitre")
        self._obstacles = Obstacles(self._thinned)
        self._asking = Lock()
        self._ends_at: dict[int, list[str]] = {}
        """What has been found out of what the parts end at."""

    def holds(self, place: Point) -> bool:
        """Whether a body can be at this place."""
        return self._is_inside(place) and not self._obstacles.meet_point(place)

    def nearest(self, place: Point) -> Point:
        """The walkable place nearest to a point; the point itself if it is
        walkable, or if nothing is.
        """
        if self.free.is_empty or self.holds(place):
            return place
        found = shapely.shortest_line(self.free, shapely.Point(place)).coords[
            0
        ]
        return to_grid(found[0]), to_grid(found[1])

    def is_clear(self, start: Point, end: Point) -> bool:
        """Whether a body can go straight from one point to another."""
        if start == end:
            return self.holds(start)
        return (
            self._is_inside(start)
            and self._is_inside(end)
            and not self._obstacles.meet_line(start, end)
        )

    def way(self, start: Point, goal: Point, reach_m: float = 0.0) -> Route:
        """The shortest way. A goal off the walkable ground is replaced by the
        nearest place on it within `reach_m`.

        Without a way, gives one with a cause and no corners: a body that is
        off the ground, or shut in, stays there.
        """
        no_room = self.why_not_at(start)
        if no_room is not None:
            return Route((), 0.0, no_room)
        end = self.nearest(goal)
        if not self.holds(end) or length_m([goal, end]) > reach_m + SLACK_M:
            return Route((), 0.0, self._why_off_ground(goal))
        if self.is_clear(start, end):
            return Route((end,), length_m([start, end]))
        apart = self._apart(start, end)
        if apart:
            corners = None
        else:
            corners = self._corners.way(np.asarray(start), np.asarray(end))
        if corners is None:
            return Route(
                (), 0.0, apart or cause("no_route", start=start, goal=goal)
            )
        way = [*(_as_point(corner) for corner in corners), end]
        return Route(tuple(way), length_m([start, *way]))

    @cached_property
    def _corners(self) -> Corners:
        span_m = float(
            np.hypot(self._right - self._left, self._high - self._low)
        )
        return Corners(
            self.free, Horizon(self._thinned, span_m), self._is_clear
        )

    @cached_property
    def _parts(self) -> NDArray[np.object_]:
        """The connected parts of the walkable ground, prepared for queries by
        one thread at a time.
        """
        parts = np.asarray(shapely.get_parts(self.free), dtype=object)
        shapely.prepare(parts)
        return parts

    def _apart(self, start: Point, end: Point) -> Cause | None:
        """Why there is no way from one walkable place to another, without a
        search: they lie in different parts.
        """
        if len(self._parts) < 2:
            return None
        one, other = self._part_of(start), self._part_of(end)
        if one == other:
            return None
        around = self._around(one)
        is_shut_in = bool(around) and shapely.area(
            self._parts[one]
        ) < shapely.area(self._parts[other])
        if is_shut_in:
            return cause(
                "shut_in", start=start, goal=end, area=" and ".join(around)
            )
        return cause("no_route", start=start, goal=end)

    def _part_of(self, place: Point) -> int:
        """The index of the part that a place lies in, or next to within the
        slack.
        """
        point = shapely.Point(place)
        with self._asking:
            inside = next(
                (
                    index
                    for index, part in enumerate(self._parts)
                    if part.intersects(point)
                ),
                None,
            )
        if inside is None:
            return int(np.argmin(shapely.distance(self._parts, point)))
        return inside

    def _around(self, part: int) -> list[str]:
        """What a part of the walkable ground ends at, besides the edge of the
        stage.
        """
        known = self._ends_at.get(part)
        if known is None:
            if len(self._grown):
                apart = shapely.distance(self._grown, self._parts[part])
            else:
                apart = np.empty(0)
            known = self._ends_at[part] = [
                self._names[int(index)]
                for index in np.flatnonzero(apart < TOUCHING_M)
            ]
        return known

    def why_not_at(self, place: Point) -> Cause | None:
        """Why a body cannot be at a place, None if it can."""
        if self.holds(place):
            return None
        return cause("no_room", start=place, area=self._no_room_for(place))

    def _why_off_ground(self, goal: Point) -> Cause:
        """Why a goal cannot be gone to: the area it lies in, or that it is
        outside the stage.
        """
        area = self._no_room_for(goal)
        if area == EDGE:
            return cause("off_ground", goal=goal)
        return cause("in_area", goal=goal, area=area)

    def _no_room_for(self, place: Point) -> str:
        """What leaves a body no room at a place."""
        point = shapely.Point(place)
        met = (
            np.flatnonzero(shapely.intersects(self._grown, point))
            if len(self._grown)
            else ()
        )
        return " and ".join(self._names[int(each)] for each in met) or EDGE

    def _is_inside(self, place: Point) -> bool:
        return (
            self._left <= place[0] <= self._right
            and self._low <= place[1] <= self._high
        )

    def _is_clear(self, start: FloatArray, end: FloatArray) -> bool:
        """Whether a body can go straight from one walkable place (2,) to
        another.
        """
        return not self._obstacles.meet_line(
            (float(start[0]), float(start[1])), (float(end[0]), float(end[1]))
        )


def _grown(area: Area, radius_m: float) -> shapely.Geometry:
    """Where the middle of a body cannot be, because of an area."""
    shape = shapely.make_valid(shapely.Polygon(area.corners))
    return shape.buffer(radius_m, join_style="mitre", mitre_limit=2.0)


def ground_of(stage: Stage, radius_m: float, flies: bool = False) -> Ground:
    """The walkable ground of a stage; of one who flies all of it."""
    return _kept_ground(_Named(stage), radius_m, flies)


@dataclass(frozen=True)
class _Named:
    """A stage as a dictionary key that is hashed once: hashing all corners at
    each look-up takes longer than the answer.
    """

    stage: Stage

    def __hash__(self) -> int:
        return hash((self.stage.name, self.stage.width_m, self.stage.height_m))

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Named) and (
            self.stage is other.stage or self.stage == other.stage
        )


@lru_cache(maxsize=16)
def _kept_ground(named: _Named, radius_m: float, flies: bool) -> Ground:
    """Kept, for the same stage is played over and over while its behaviors
    change.
    """
    if flies:
        stage = named.stage.model_copy(update={"areas": ()})
    else:
        stage = named.stage
    return Ground(stage, radius_m)


class Sightlines:
    """What stands between two points."""

    def __init__(self, stage: Stage) -> None:
        walls = [
            area for area in stage.areas if area.blocks is Blocks.SIGHT_AND_WAY
        ]
        self._names = [wall.name for wall in walls]
        self._shapes = np.array(
            [
                shapely.make_valid(shapely.Polygon(wall.corners))
                for wall in walls
            ],
            dtype=object,
        )
        self._tree = shapely.STRtree(self._shapes)

    def blocked_by(self, start: Point, end: Point) -> str | None:
        """The name of the nearest thing in the line, None if the line is free."""
        line = shapely.LineString((start, end))
        # In the order of the stage: of two that are equally near the first is
        # named.
        met = np.sort(self._tree.query(line, predicate="intersects"))
        if len(met) == 0:
            return None
        if len(met) == 1:
            return self._names[int(met[0])]
        distances = shapely.distance(
            shapely.intersection(self._shapes[met], line), shapely.Point(start)
        )
        return self._names[int(met[int(np.argmin(distances))])]


class Zones:
    """The areas of a stage as zones, to be looked up by a point."""

    def __init__(self, stage: Stage) -> None:
        self._names = [area.name for area in stage.areas]
        self._shapes = np.array(
            [
                shapely.make_valid(shapely.Polygon(area.corners))
                for area in stage.areas
            ],
            dtype=object,
        )
        shapely.prepare(self._shapes)

    def at(self, place: Point) -> list[str]:
        """The names of the areas that contain a point or have it on their
        edge, in the order of the stage.
        """
        if not self._names:
            return []
        met = np.flatnonzero(
            shapely.intersects_xy(self._shapes, place[0], place[1])
        )
        return [self._names[int(index)] for index in met]


def _as_point(corner: FloatArray) -> Point:
    return to_grid(float(corner[0])), to_grid(float(corner[1]))
