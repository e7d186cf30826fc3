"""Questions to the world, asked in conditions: `distance(visitor) < 9 and can_see(visitor)`."""

from umbrant.catalog.causes import Cause, cause
from umbrant.catalog.declare import AnAgent, AnyKey, Range, sense
from umbrant.catalog.geometry import distance_m, heading_to, to_grid, turn_between
from umbrant.catalog.work import Reading
from umbrant.catalog.world import Me, Target
from umbrant.model.values import KeyType, Point


def look_for(me: Me, there: Point, within_m: float) -> Reading:
    """Whether a point is seen: near enough, inside the cone, and nothing in between. Measures its distance."""
    away = distance_m(me.body.place, there)
    if away > within_m:
        return Reading(False, away, cause("too_far", distance_m=away, range_m=within_m))
    off = abs(turn_between(me.body.heading_deg, heading_to(me.body.place, there)))
    if off > me.body.cone_deg / 2 and away > me.body.radius_m:
        off_deg = float(round(off))
        return Reading(False, away, cause("outside_cone", off_deg=off_deg, cone_deg=me.body.cone_deg))
    wall = me.world.look(me.body.place, there).blocked_by
    if wall is not None:
        return Reading(False, away, cause("blocked", wall=wall, distance_m=away))
    return Reading(True, away)


@sense("can see {target}[ within {within}]", gives=KeyType.YES_NO, unit="m")
def can_see(me: Me, target: AnAgent, within: Range = 100.0) -> Reading:
    """Whether an agent is in sight: within range, inside the cone of sight, and no wall in between.

    target: whom to see
    within: how far to look; never further than the body can see
    """
    there = target.at()
    if isinstance(there, Cause):
        return Reading(None, None, there)
    return look_for(me, there, min(within, me.body.sight_m))


@sense("distance to {target}", gives=KeyType.NUMBER, unit="m")
def distance(me: Me, target: Target) -> Reading:
    """The straight distance to something.

    target: a key that holds a point, an agent or a prop, or a named place
    """
    there = target.at()
    if isinstance(there, Cause):
        return Reading(None, None, there)
    return Reading(distance_m(me.body.place, there))


@sense("{key} is set", gives=KeyType.YES_NO)
def is_set(me: Me, key: AnyKey) -> Reading:
    """Whether a key holds anything.

    key: the key to ask about
    """
    return Reading(key.get() is not None)


@sense("time since {key}", gives=KeyType.NUMBER, unit="s")
def time_since(me: Me, key: AnyKey) -> Reading:
    """The seconds since a key was last written, by whatever row.

    key: the key to ask about
    """
    written_s = me.board.written_s(key.key)
    if written_s is None:
        return Reading(None, None, cause("never_written", key=key.key))
    return Reading(to_grid(me.world.now_s - written_s))
