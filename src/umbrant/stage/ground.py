"""Where a body of a certain radius can be, what it can see past, and the shortest way between two points.

Routes run over a visibility graph of the walkable ground's corners (Shapely), searched once for all pairs with SciPy.
"""

from dataclasses import dataclass
from functools import cached_property, lru_cache
from threading import Lock

import numpy as np
import shapely
from numpy.typing import NDArray

from umbrant.catalog.causes import Cause, cause
from umbrant.catalog.geometry import length_m, to_grid
from umbrant.catalog.world import Way
from umbrant.model.staging import Blocks, Stage
from umbrant.model.values import Point

SLACK_M = 0.002
"""How far outside the walkable ground a point may be and still count as on it: poses are rounded to a grid."""

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class _Graph:
    """The corners of the walkable ground, the length of the shortest way between each two, and the corner before."""

    corners: Floats
    lengths: Floats
    before: NDArray[np.int32]


class Ground:
    """The walkable ground of a stage for bodies of one radius, in metres. Any thread may ask.

    A prepared geometry may be asked by one thread at a time only: two at once end the process.
    """

    def __init__(self, stage: Stage, radius_m: float) -> None:
        inside = shapely.box(0, 0, stage.width_m, stage.height_m).buffer(-radius_m, join_style="mitre")
        blocking = [
            shapely.make_valid(shapely.Polygon(area.corners)).buffer(radius_m, join_style="mitre", mitre_limit=2.0)
            for area in stage.areas
            if area.blocks is not Blocks.NOTHING
        ]
        self.free = inside.difference(shapely.union_all(blocking)) if blocking else inside
        self._reach = self.free.buffer(SLACK_M, join_style="mitre")
        shapely.prepare(self._reach)
        self._asking = Lock()

    def holds(self, place: Point) -> bool:
        """Whether a body can be at this place."""
        with self._asking:
            return bool(shapely.intersects_xy(self._reach, place[0], place[1]))

    def nearest(self, place: Point) -> Point:
        """The walkable place nearest to a point; the point itself if it is walkable, or if nothing is."""
        if self.free.is_empty or self.holds(place):
            return place
        found = shapely.shortest_line(self.free, shapely.Point(place)).coords[0]
        return to_grid(found[0]), to_grid(found[1])

    def is_clear(self, start: Point, end: Point) -> bool:
        """Whether a body can go straight from one point to another."""
        straight = shapely.LineString((start, end))
        with self._asking:
            return bool(shapely.covers(self._reach, straight))

    def way(self, start: Point, goal: Point, reach_m: float = 0.0) -> Way:
        """The shortest way. A goal off the walkable ground is replaced by the nearest place on it within `reach_m`.

        Without a way, gives one with a cause and no corners.
        """
        end = self.nearest(goal)
        if not self.holds(end) or length_m([goal, end]) > reach_m + SLACK_M:
            return Way((), 0.0, cause("off_ground", goal=goal))
        begin = self.nearest(start)
        if self.is_clear(begin, end):
            return Way((end,), length_m([start, end]))
        corners = self._round_corners(begin, end)
        if corners is None:
            return Way((), 0.0, cause("no_route", start=start, goal=goal))
        return Way(tuple(corners), length_m([start, *corners]))

    @cached_property
    def _graph(self) -> _Graph:
        corners = shapely.get_coordinates(self.free)
        corners = np.unique(np.round(corners, 9), axis=0)
        if len(corners) == 0:
            return _Graph(np.empty((0, 2)), np.empty((0, 0)), np.empty((0, 0), dtype=np.int32))
        weights = np.vstack([self._sights(corner, corners) for corner in corners])
        weights[~np.isfinite(weights)] = 0.0
        # Imported where it is needed: it takes longer to load than the rest of the stage.
        from scipy.sparse.csgraph import dijkstra

        lengths, before = dijkstra(weights, directed=False, return_predecessors=True)
        return _Graph(corners, lengths, before)

    def _sights(self, place: Floats, corners: Floats) -> Floats:
        """The straight distance from a place to each corner it can be left for directly, else infinity."""
        lines = shapely.linestrings(np.stack([np.broadcast_to(place, corners.shape), corners], axis=1))
        apart = np.hypot(*(corners - place).T)
        with self._asking:
            clear = shapely.covers(self._reach, lines)
        return np.where(clear, apart, np.inf)

    def _round_corners(self, begin: Point, end: Point) -> list[Point] | None:
        graph = self._graph
        if len(graph.corners) == 0:
            return None
        from_begin = self._sights(np.asarray(begin), graph.corners)
        to_end = self._sights(np.asarray(end), graph.corners)
        whole = from_begin[:, None] + graph.lengths + to_end[None, :]
        first, last = np.unravel_index(int(np.argmin(whole)), whole.shape)
        if not np.isfinite(whole[first, last]):
            return None
        passed = [int(last)]
        while passed[-1] != int(first):
            passed.append(int(graph.before[first, passed[-1]]))
        return [*(_as_point(graph.corners[corner]) for corner in reversed(passed)), end]


def ground_of(stage: Stage, radius_m: float, flies: bool = False) -> Ground:
    """The walkable ground of a stage; of one who flies all of it."""
    return _kept_ground(_Named(stage), radius_m, flies)


@dataclass(frozen=True)
class _Named:
    """A stage as a key that is hashed once: hashing every corner anew at each question takes longer than the answer."""

    stage: Stage

    def __hash__(self) -> int:
        return hash((self.stage.name, self.stage.width_m, self.stage.height_m))

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Named) and (self.stage is other.stage or self.stage == other.stage)


@lru_cache(maxsize=16)
def _kept_ground(named: _Named, radius_m: float, flies: bool) -> Ground:
    """Kept, for the same stage is played over and over while its behaviors change."""
    stage = named.stage.model_copy(update={"areas": ()}) if flies else named.stage
    return Ground(stage, radius_m)


class Sightlines:
    """What stands between two points."""

    def __init__(self, stage: Stage) -> None:
        walls = [area for area in stage.areas if area.blocks is Blocks.SIGHT_AND_WAY]
        self._names = [wall.name for wall in walls]
        self._shapes = np.array([shapely.make_valid(shapely.Polygon(wall.corners)) for wall in walls], dtype=object)
        shapely.prepare(self._shapes)

    def blocked_by(self, start: Point, end: Point) -> str | None:
        """The name of the nearest thing in the line, None if the line is free."""
        line = shapely.LineString((start, end))
        met = np.flatnonzero(shapely.intersects(self._shapes, line)) if len(self._names) else np.empty(0, dtype=int)
        if len(met) == 0:
            return None
        if len(met) == 1:
            return self._names[int(met[0])]
        distances = shapely.distance(shapely.intersection(self._shapes[met], line), shapely.Point(start))
        return self._names[int(met[int(np.argmin(distances))])]


class Zones:
    """The areas of a stage as zones: which of them a point lies in."""

    def __init__(self, stage: Stage) -> None:
        self._names = [area.name for area in stage.areas]
        self._shapes = np.array(
            [shapely.make_valid(shapely.Polygon(area.corners)) for area in stage.areas], dtype=object
        )
        shapely.prepare(self._shapes)

    def at(self, place: Point) -> list[str]:
        """The names of the areas that a point lies in or at the edge of, in the order of the stage."""
        if not self._names:
            return []
        met = np.flatnonzero(shapely.intersects_xy(self._shapes, place[0], place[1]))
        return [self._names[int(index)] for index in met]


def why_off(ground: Ground, place: Point) -> Cause | None:
    """Why a body cannot be at a place, None if it can."""
    return None if ground.holds(place) else cause("off_ground", goal=place)


def _as_point(corner: Floats) -> Point:
    return to_grid(float(corner[0])), to_grid(float(corner[1]))
