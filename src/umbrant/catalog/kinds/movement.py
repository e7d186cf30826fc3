"""Going places, and keeping away from others."""

import math
from collections.abc import Callable
from functools import partial
from typing import Literal

from umbrant.catalog.causes import Cause, cause
from umbrant.catalog.declare import Steps, action
from umbrant.catalog.geometry import distance_m, heading_to, turn_between
from umbrant.catalog.outcomes import once_only
from umbrant.catalog.params import (
    AnAgent,
    Degrees,
    Range,
    Reach,
    SpreadSeconds,
)
from umbrant.catalog.protocols import Progress, lasting
from umbrant.catalog.world import Me, Target
from umbrant.model.values import Point

Pace = Literal["walk", "run"]
Rounds = Literal["once", "round and round", "to and fro"]
Turning = Literal["to the left", "to the right", "by the shorter way"]
TRIES = 12
"""How many points are tried where one is drawn at random."""


def speed(me: Me, pace: str) -> float:
    """How fast a body goes at a pace, in metres per second."""
    if pace == "run":
        return me.body.run_m_s
    return me.body.walk_m_s


def go(
    me: Me, where: Callable[[], Point | Cause], reach: float, pace: str
) -> Steps:
    """Go to wherever a point is; one that moves is followed."""
    total_m: float | None = None
    while True:
        goal = where()
        if isinstance(goal, Cause):
            return goal
        way = me.world.move_towards(me.body.name, goal, reach, speed(me, pace))
        if way.cause:
            return way.cause
        # The step has been taken: what is left is measured from where the body
        # is now, so it may arrive at this very tick.
        if way.left_m <= reach:
            return True
        # A target that runs away makes the way longer. Progress is a share of
        # the longest that was left, so that it never is below nothing.
        total_m = max(total_m or 0.0, way.left_m)
        yield Progress(way.left_m, total_m, "m", way.corners)


def reachable(me: Me, place: Point) -> Point | None:
    """The place nearest to a point that the body can walk to, if there is one."""
    near = me.world.walkable_near(me.body.name, place)
    if (
        near is not None
        and me.world.route_to(me.body.name, near).cause is None
    ):
        return near
    return None


def point_from(place: Point, heading_deg: float, away_m: float) -> Point:
    """The point so many metres from a place, in a direction."""
    turn = math.radians(heading_deg)
    return place[0] + away_m * math.cos(turn), place[1] + away_m * math.sin(
        turn
    )


@action(
    "move to {target} within {reach}[ at a {pace}]",
    success="it is within reach, along the way it takes",
    failure="there is no target, no way to it, or it is not on walkable ground",
)
def move_to(
    me: Me, target: Target, *, reach: Reach = 0.5, pace: Pace = "walk"
) -> Steps:
    """Goes to a place by the shortest way round walls and water. A target that moves is followed.

    Example: move to `lamp` within 0.8 m.

    For: chase, pursue, go, approach, walk, run, travel, hunt, charge, reach, advance, return,
    come, fetch, seek, intercept, close in, patrol, visit, investigate, home, base, turn back, go
    back, go home, position, queue, follow path, arrive, step, sprint, move, rush, attack move,
    lunge, pounce, walk to, run to.

    target: where to go: a key that holds a point, an agent or a prop, a named place, or a point
    reach: how near counts as there, measured along the way
    pace: at what pace
    """
    return (yield from go(me, target.at, reach, pace))


@action(
    "follow {target} at {distance} for {duration}[ at a {pace}]",
    success="the time is up",
    failure="there is no target, or no way to it",
)
def follow(
    me: Me,
    target: AnAgent,
    *,
    distance: Reach = 1.5,
    duration: SpreadSeconds = 5.0,
    pace: Pace = "walk",
) -> Steps:
    """Stays near an agent as it moves, and stands when it is near enough.

    Example: follow `visitor` at 1.6 m for 2 s ± 0.5.

    For: escort, accompany, stay near, tail, shadow, companion, trail, stick to, heel, chase,
    protect, guard, formation, help, bodyguard, side with.

    target: whom to follow
    distance: how near to stay
    duration: for how long
    pace: at what pace
    """
    until_s = me.world.now_s + duration
    while me.world.now_s < until_s - 1e-9:
        goal = target.at()
        if isinstance(goal, Cause):
            return goal
        way = me.world.move_towards(
            me.body.name, goal, distance, speed(me, pace)
        )
        if way.cause:
            return way.cause
        yield Progress(until_s - me.world.now_s, duration, "s", way.corners)
    return True


@action(
    "move away from {target} until {distance}[ at a {pace}]",
    success="it is that far away",
    failure="there is no target, or nowhere to go",
)
def move_away(
    me: Me, target: Target, *, distance: Range = 6.0, pace: Pace = "run"
) -> Steps:
    """Gets away from something, by whatever way leads furthest from it, until it is far enough.

    Example: a gull moves away from whoever comes near until 5 m.

    For: flee, escape, retreat, run away, avoid, back off, evade, fear, scatter, panic, withdraw,
    dodge, duck, evacuate, sidestep.

    target: what to get away from
    distance: how far is far enough
    pace: at what pace
    """
    goal: Point | None = None
    while True:
        there = target.at()
        if isinstance(there, Cause):
            return there
        here = me.body.place
        away = distance_m(here, there)
        if away >= distance:
            return True
        if goal is None or distance_m(here, goal) < 0.3:
            goal = _retreat(me, there, distance)
        if goal is None:
            return cause("no_place", place=there)
        way = me.world.move_towards(me.body.name, goal, 0.1, speed(me, pace))
        if way.cause:
            return way.cause
        yield Progress(distance - away, distance, "m", way.corners)


def _retreat(me: Me, there: Point, distance: float) -> Point | None:
    """The best of a fan of points to retreat to: the one that lies furthest
    from what is fled.
    """
    here = me.body.place
    if here != there:
        ahead = heading_to(there, here)
    else:
        ahead = me.random.uniform(-180.0, 180.0)
    best: tuple[float, Point] | None = None
    for off in (0.0, 30.0, -30.0, 60.0, -60.0, 100.0, -100.0, 140.0, -140.0):
        near = reachable(me, point_from(here, ahead + off, distance))
        if near is not None and (
            best is None or distance_m(near, there) > best[0] + 0.5
        ):
            best = distance_m(near, there), near
    if best and best[0] > distance_m(here, there):
        return best[1]
    return None


@action(
    "wander within {radius} of {centre} for {duration}[ at a {pace}]",
    success="the time is up",
    failure="there is nowhere to wander",
)
def wander(
    me: Me,
    centre: Target,
    *,
    radius: Range = 4.0,
    duration: SpreadSeconds = 5.0,
    pace: Pace = "walk",
) -> Steps:
    """Strolls about, from one random point around a place to the next.

    Example: wander within 4 m of `stall` for 8 s.

    For: roam, stroll, idle, drift, graze, loiter, walk about, mill around, explore, patrol
    randomly, random walk, walk around, play, fly around, swim around, forage.

    centre: around what
    radius: how far from it
    duration: for how long
    pace: at what pace
    """
    until_s = me.world.now_s + duration
    goal: Point | None = None
    while me.world.now_s < until_s - 1e-9:
        around = centre.at()
        if isinstance(around, Cause):
            return around
        if goal is None or distance_m(me.body.place, goal) < 0.4:
            goal = point_around(me, around, 0.0, radius)
        if goal is None:
            return cause("no_place", place=around)
        way = me.world.move_towards(me.body.name, goal, 0.2, speed(me, pace))
        if way.cause:
            goal = None
        yield Progress(until_s - me.world.now_s, duration, "s", way.corners)
    return True


def point_around(
    me: Me, centre: Point, least_m: float, most_m: float
) -> Point | None:
    """A point drawn evenly from the ring around a centre, to which the body
    can walk; None if none was met.

    That there is a way is asked last, for it may take a search.
    """
    for _ in range(TRIES):
        away = math.sqrt(me.random.uniform(least_m**2, most_m**2))
        drawn = me.world.walkable_near(
            me.body.name,
            point_from(centre, me.random.uniform(-180.0, 180.0), away),
        )
        in_ring = (
            drawn is not None
            and least_m - 0.3 <= distance_m(drawn, centre) <= most_m + 0.3
        )
        if (
            drawn is not None
            and in_ring
            and me.world.route_to(me.body.name, drawn).cause is None
        ):
            return drawn
    return None


@action(
    "go along {places} {rounds}[ within {reach}][ at a {pace}]",
    success="it has been at the last place",
    failure="a place is not on the stage, or there is no way to it",
    can_end=once_only,
)
def go_along(
    me: Me,
    places: str,
    *,
    rounds: Rounds = "once",
    reach: Reach = 0.5,
    pace: Pace = "walk",
) -> Steps:
    """Goes from one named place to the next. Begun anew, it goes on with the place that is nearest.

    Example: go along `gate, bench, shed` round and round, for a watchman on his beat.

    For: patrol, beat, rounds, waypoints, route, path, guard route, loop, tour, circuit, points,
    guard, watchman, sentry, walk a route, commute, delivery.

    places: the names of the places, with commas between them
    rounds: once, or again from the first, or back the same way
    reach: how near counts as there
    pace: at what pace
    """
    names = [name.strip() for name in places.split(",") if name.strip()]
    points: list[Point] = []
    for name in names:
        point = me.world.place(name)
        if point is None:
            return cause("not_there", name=name)
        points.append(point)
    if not points:
        return cause("unfilled", param="places")
    # A round is joined where it is nearest, as a guard does who was called
    # away; a way that is gone once begins at its first point.
    at = 0
    if rounds != "once":
        at = min(
            range(len(points)),
            key=lambda index: distance_m(me.body.place, points[index]),
        )
    step = 1
    while True:
        ended = yield from go(me, partial(points.__getitem__, at), reach, pace)
        if ended is not True:
            return ended
        # Turned round at either end before the end is asked for, which only a
        # way that is gone once has.
        if rounds == "to and fro" and not 0 <= at + step < len(points):
            step = -step
        if (rounds == "once" and at + step == len(points)) or len(points) == 1:
            return True
        at = (at + step) % len(points)
        # A tick passes between two points: one that is reached at once would
        # else have the round go on within the tick for ever.
        yield Progress(way=(points[at],))


@action(
    "keep a ring of {distance} around {target} for {duration}[ {turning}][ at a {pace}]",
    success="the time is up",
    failure="there is no target, or no way to the ring",
)
def keep_ring(
    me: Me,
    target: Target,
    *,
    distance: Reach = 3.0,
    duration: SpreadSeconds = 4.0,
    turning: Turning = "to the left",
    pace: Pace = "walk",
) -> Steps:
    """Circles something at a distance, going towards the ring or away from it as needed.

    Example: a dog keeps a ring of 3.5 m around `visitor` for 6 s.

    For: circle, strafe, orbit, surround, keep distance, flank, stalk, kite, encircle, protect,
    formation, dance around.

    target: what to circle
    distance: how far from it
    duration: for how long
    turning: which way round; the shorter way merely goes to the ring and stays
    pace: at what pace
    """
    until_s = me.world.now_s + duration
    side = {"to the left": 40.0, "to the right": -40.0}.get(turning, 0.0)
    while me.world.now_s < until_s - 1e-9:
        centre = target.at()
        if isinstance(centre, Cause):
            return centre
        here = me.body.place
        if here != centre:
            now_deg = heading_to(centre, here)
        else:
            now_deg = me.body.heading_deg
        goal = _on_ring(me, centre, now_deg, side, distance)
        if goal is None:
            return cause("no_place", place=centre)
        way = me.world.move_towards(me.body.name, goal, 0.1, speed(me, pace))
        if way.cause:
            return way.cause
        yield Progress(until_s - me.world.now_s, duration, "s", way.corners)
    return True


def _on_ring(
    me: Me, centre: Point, now_deg: float, side: float, distance: float
) -> Point | None:
    """A point a little further round the ring that can be walked to; where
    there is none, one the other way.
    """
    # Further round first, so that a wall in the ring is passed; only where all
    # of that is blocked the other way.
    for off in (side, side * 2, side * 3, 0.0, -side, -side * 2):
        near = reachable(me, point_from(centre, now_deg + off, distance))
        if near is not None and abs(distance_m(near, centre) - distance) < max(
            0.5, distance * 0.4
        ):
            return near
    return None


@action(
    "take cover from {watcher} within {within}[ at a {pace}]",
    success="the watcher cannot see it",
    failure="there is nothing to hide behind, or no way to it",
    facts={"no_cover.range_m": "within"},
)
def take_cover(
    me: Me, watcher: AnAgent, *, within: Range = 10.0, pace: Pace = "run"
) -> Steps:
    """Goes to the nearest place that the watcher cannot look at, whichever way it is turned.

    Example: take cover from `visitor` within 10 m.

    For: hide, shelter, conceal, out of sight, ambush, sneak, behind, crouch, duck, cover, lurk.

    watcher: from whom to hide
    within: how far away a hiding place may be
    pace: at what pace
    """
    there = watcher.at()
    if isinstance(there, Cause):
        return there
    goal = _cover(me, there, within)
    if goal is None:
        return cause("no_cover", range_m=within)
    found = goal
    return (yield from go(me, lambda: found, 0.2, pace))


def _cover(me: Me, watcher: Point, within: float) -> Point | None:
    """The nearest of a grid of points around that is out of the watcher's
    sight and can be walked to.
    """
    here = me.body.place
    # It is hidden already: moving could only show it.
    if me.world.look(watcher, here).blocked_by is not None:
        return here
    hidden: list[tuple[float, Point]] = []
    for ring in range(1, 9):
        for spoke in range(16):
            point = point_from(here, spoke * 22.5, within * ring / 8)
            near = me.world.walkable_near(me.body.name, point)
            if (
                near is not None
                and distance_m(near, point) < 0.05
                and me.world.look(watcher, near).blocked_by
            ):
                hidden.append((distance_m(here, near), near))
    # Routes are dear and sights cheap, so ways are looked for last, and only
    # until the first that there is.
    for _, near in sorted(hidden):
        if me.world.route_to(me.body.name, near).cause is None:
            return near
    return None


@action("stop", success="it stands")
def stop(me: Me) -> bool:
    """Stands still, at once. Of use as the end of a sequence or as upkeep.

    Example: *Stop*, then *Wait 0.5 s*, then look round.

    For: halt, stand still, freeze, hold position, stay, brake, pause, block, hold.
    """
    here = me.body.place
    me.world.move_towards(me.body.name, here, 0.0, 0.0)
    return True


@action(
    "face {target}[ within {within}]",
    success="it looks that way",
    failure="there is no target",
)
def face(me: Me, target: Target, *, within: Degrees = 5.0) -> Steps:
    """Turns towards something from where it stands.

    Example: face `visitor` before *Warn*.

    For: look at, turn to, aim, stare, watch, orient, gaze, rotate, turn, turn towards, look
    towards, point at, confront.

    target: what to turn to
    within: how near to the direction is near enough
    """
    while True:
        there = target.at()
        if isinstance(there, Cause):
            return there
        if there == me.body.place:
            return True
        wanted = heading_to(me.body.place, there)
        if abs(turn_between(me.body.heading_deg, wanted)) <= within:
            return True
        left = me.world.turn(me.body.name, wanted)
        yield Progress(left, None, "°")


@action(
    "keep facing {target} for {duration}",
    success="the time is up",
    failure="there is no target",
)
def keep_facing(
    me: Me, target: Target, *, duration: SpreadSeconds = 2.0
) -> Steps:
    """Goes on turning towards something that moves, from where it stands.

    Example: keep facing `visitor` for 3 s, beside *Warn* in a parallel.

    For: keep watching, keep looking, track, lock on, follow with the eyes, cover, turret, hold at
    gunpoint, guard, keep an eye on.

    target: what to turn to
    duration: for how long
    """
    until_s, progress = me.world.now_s + duration, lasting(duration, duration)
    while me.world.now_s < until_s - 1e-9:
        there = target.at()
        if isinstance(there, Cause):
            return there
        if there != me.body.place:
            me.world.turn(me.body.name, heading_to(me.body.place, there))
        yield progress
    return True


@action("turn at random for {duration}", success="the time is up")
def look_about(me: Me, *, duration: SpreadSeconds = 3.0) -> Steps:
    """Looks this way and that from where it stands.

    Example: at the end of a search, turn at random for 3 s ± 1.

    For: scan, search, look around, glance, survey, check surroundings, watch, look left and
    right, search around, peek, bored, fidget, inspect.

    duration: for how long
    """
    until_s, progress = me.world.now_s + duration, lasting(duration, duration)
    wanted = me.random.uniform(0.0, 360.0)
    while me.world.now_s < until_s - 1e-9:
        if me.world.turn(me.body.name, wanted) < 1.0:
            wanted = me.random.uniform(0.0, 360.0)
        yield progress
    return True
