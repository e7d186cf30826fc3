"""Questions to the world, asked in conditions: `distance(visitor) < 9 and
can_see(visitor)`.
"""

import numpy as np

from umbrant.catalog.causes import Cause, cause
from umbrant.catalog.declare import sense
from umbrant.catalog.geometry import (
    distance_m,
    heading_to,
    turn_between,
)
from umbrant.catalog.params import (
    AnAgent,
    AProp,
    EventName,
    Group,
    Number,
    Range,
    ReadKey,
    StatName,
    ZoneName,
)
from umbrant.catalog.readings import Reading
from umbrant.catalog.world import Me, Target, nobody_else
from umbrant.model.values import KeyType, Point, to_millionths


def look_for(me: Me, there: Point, within_m: float) -> Reading:
    """Whether a point is seen: near enough, inside the cone, and nothing in
    between. Measures its distance.

    What is beyond `within_m` is `too_far`, without the range: see
    `Kind.bounded_by`.
    """
    away = distance_m(me.body.place, there)
    if away > within_m:
        return Reading(False, away, cause("too_far", distance_m=away))
    if away > me.body.sight_m:
        return Reading(
            False,
            away,
            cause("beyond_sight", distance_m=away, range_m=me.body.sight_m),
        )
    off = abs(
        turn_between(me.body.heading_deg, heading_to(me.body.place, there))
    )
    if off > me.body.cone_deg / 2 and away > me.body.radius_m:
        off_deg = float(round(off))
        return Reading(
            False,
            away,
            cause("outside_cone", off_deg=off_deg, cone_deg=me.body.cone_deg),
        )
    wall = me.world.look(me.body.place, there).blocked_by
    if wall is not None:
        return Reading(
            False, away, cause("blocked", wall=wall, distance_m=away)
        )
    return Reading(True, away)


@sense(
    "can see {target}[ within {within}]",
    gives=KeyType.YES_NO,
    unit="m",
    bounded_by="within",
)
def can_see(me: Me, target: AnAgent, within: Range = 100.0) -> Reading:
    """Whether an agent is in sight: within range, inside the cone of sight, and no wall in between.

    Example: `can_see(visitor, within=8)`.

    target: whom to see
    within: how far to look; never further than the body can see
    """
    there = target.at()
    if isinstance(there, Cause):
        return Reading(None, None, there)
    return look_for(me, there, within)


@sense("distance to {target}", gives=KeyType.NUMBER, unit="m")
def distance(me: Me, target: Target) -> Reading | float:
    """The straight distance to something.

    Example: `distance(lamp) < 1.5`.

    target: a key that holds a point, an agent or a prop, or a named place
    """
    there = target.at()
    if isinstance(there, Cause):
        return Reading(None, None, there)
    return distance_m(me.body.place, there)


@sense("distance from {one} to {other}", gives=KeyType.NUMBER, unit="m")
def distance_between(me: Me, one: Target, other: Target) -> Reading | float:
    """The straight distance of two things from each other.

    Example: `distance_between(visitor, gate) < 3`.

    one: a key that holds a point, an agent or a prop, or a named place
    other: the same
    """
    here, there = one.at(), other.at()
    if isinstance(here, Cause):
        return Reading(None, None, here)
    if isinstance(there, Cause):
        return Reading(None, None, there)
    return distance_m(here, there)


@sense("way to {target}", gives=KeyType.NUMBER, unit="m")
def way_length(me: Me, target: Target) -> Reading:
    """How far it is to something on foot, round walls and water. Unknown where there is no way.

    Example: `way_length(shed) < 20`.

    target: a key that holds a point, an agent or a prop, or a named place
    """
    there = target.at()
    if isinstance(there, Cause):
        return Reading(None, None, there)
    way = me.world.route_to(me.body.name, there)
    if way.cause:
        return Reading(None, None, way.cause)
    return Reading(way.left_m)


@sense("{key} is set", gives=KeyType.YES_NO, in_line="{key}.value is not None")
def is_set(me: Me, key: ReadKey) -> bool:
    """Whether a key holds anything.

    Example: `is_set(last_seen)`.

    key: the key to ask about
    """
    return key.value is not None


@sense("time since {key}", gives=KeyType.NUMBER, unit="s")
def time_since(me: Me, key: ReadKey) -> Reading | float:
    """The seconds since a key was last written, by whatever row.

    Example: `time_since(last_seen) < 15`.

    key: the key to ask about
    """
    if key.written_s is None:
        return Reading(None, None, cause("never_written", key=key.key))
    return to_millionths(me.world.now_s - key.written_s)


@sense(
    "heard a noise[ called {what}][ within {within}]",
    gives=KeyType.YES_NO,
    unit="m",
)
def heard(me: Me, what: str = "", within: Range = 1000.0) -> Reading:
    """Whether a noise of the last two seconds can be heard: near enough for how loud it was.
    Measures its distance.

    Example: `heard("bark")`.

    what: only this kind of noise; nothing is any
    within: from how far away at the most
    """
    nearest: float | None = None
    for noise in me.world.noises():
        if noise.by == me.name or what not in ("", noise.what):
            continue
        away = distance_m(me.body.place, noise.at)
        if away <= min(within, me.body.hearing_m * noise.loudness):
            return Reading(True, away)
        if nearest is None:
            nearest = away
        else:
            nearest = min(nearest, away)
    if nearest is None:
        return Reading(False, None, cause("silence"))
    if nearest > within:
        return Reading(
            False,
            nearest,
            cause("too_far", distance_m=nearest, range_m=within),
        )
    return Reading(False, nearest, cause("too_quiet", distance_m=nearest))


@sense("event {event}", gives=KeyType.YES_NO)
def event(me: Me, event: EventName) -> bool:
    """Whether an event is heard in this very tick. Who asks for `alarm` also hears `alarm.bell`.

    Example: `event("alarm")`, as a guard that watches for a take-over.

    event: which event
    """
    return me.events.received(event)


@sense("time since event {event}", gives=KeyType.NUMBER, unit="s")
def time_since_event(me: Me, event: EventName) -> Reading | float:
    """The seconds since an event was last heard.

    Example: `time_since_event("alarm") < 10`.

    event: which event
    """
    last_s = me.events.last_s(event)
    if last_s is None:
        return Reading(None, None, cause("never_heard", event=event))
    return to_millionths(me.world.now_s - last_s)


@sense("in {zone}", gives=KeyType.YES_NO)
def in_zone(me: Me, zone: ZoneName) -> bool:
    """Whether the body stands in an area of the stage.

    Example: `in_zone("the market")`.

    zone: the name of the area
    """
    return zone in me.world.zones_at(me.body.place)


@sense("{target} is in {zone}", gives=KeyType.YES_NO)
def is_in_zone(me: Me, target: Target, zone: ZoneName) -> Reading | bool:
    """Whether something is in an area of the stage.

    Example: `is_in_zone(visitor, "the market")`.

    target: a key that holds a point, an agent or a prop, or a named place
    zone: the name of the area
    """
    there = target.at()
    if isinstance(there, Cause):
        return Reading(None, None, there)
    return zone in me.world.zones_at(there)


@sense("number of {group}[ within {within}]", gives=KeyType.NUMBER)
def count_of(me: Me, group: Group, within: Range = 1000.0) -> float:
    """How many of a group are there, bodies and things alike; never counting itself.

    Example: `count_of("customers", within=5) > 0`.

    group: which group
    within: how far away at the most
    """
    distances = me.world.distances(me.body.name, group)
    if isinstance(distances, list):
        return float(sum(away <= within for away in distances))
    return float(np.count_nonzero(np.asarray(distances) <= within))


@sense("nearest of {group}", gives=KeyType.NUMBER, unit="m")
def nearest(me: Me, group: Group) -> Reading:
    """How far away the nearest of a group is, bodies and things alike; never itself.

    Example: `nearest("people") < 3`.

    group: which group
    """
    distances = me.world.distances(me.body.name, group)
    if not len(distances):
        return Reading(None, None, nobody_else(me, group))
    if isinstance(distances, list):
        nearest_m = min(distances)
    else:
        nearest_m = float(np.min(distances))
    return Reading(nearest_m)


def _not_there(target: Target) -> Reading:
    """Of what is not on the stage nothing can be read, and why it is not."""
    there = target.at()
    if isinstance(there, Cause):
        return Reading(None, None, there)
    return Reading(None, None, cause("not_there", name=target.label))


@sense("own {stat}", gives=KeyType.NUMBER)
def stat(me: Me, stat: StatName) -> Reading | float:
    """How it stands with one of the body's numbers.

    Example: `stat("energy") < 0.3`.

    stat: which number
    """
    value = me.body.stat(stat)
    if value is None:
        return Reading(None, None, cause("no_stat", name=me.name, stat=stat))
    return to_millionths(value)


@sense("{stat} of {target}", gives=KeyType.NUMBER)
def stat_of(me: Me, target: AnAgent, stat: StatName) -> Reading | float:
    """How it stands with one of the numbers of another.

    Example: `stat_of(visitor, "health") < 0.5`.

    target: whose
    stat: which number
    """
    body = me.world.body(target.name or "")
    if body is None:
        return _not_there(target)
    value = body.stat(stat)
    if value is None:
        return Reading(None, None, cause("no_stat", name=body.name, stat=stat))
    return to_millionths(value)


@sense("level of {target}", gives=KeyType.NUMBER)
def level(me: Me, target: AProp) -> Reading | float:
    """How full a thing is, from 0 to 1.

    Example: `level(lamp) < 0.3`.

    target: which thing
    """
    prop = me.world.prop(target.name or "")
    if prop is None:
        return _not_there(target)
    return to_millionths(prop.level)


@sense("carries something", gives=KeyType.YES_NO)
def carries(me: Me) -> bool:
    """Whether the body carries a thing.

    Example: `not carries()`.
    """
    return me.body.carries is not None


@sense("others in {row}[ of {group}]", gives=KeyType.NUMBER)
def others_in(me: Me, row: str, group: Group = "") -> float:
    """How many other agents are in a row of this name: for not all doing the same at once.

    Example: `others_in("Mob the fish", group="gulls") < 3`.

    row: the name of the row
    group: only those of this group
    """
    return float(me.others_in(row, group))


@sense("in {state}", gives=KeyType.YES_NO)
def in_state(me: Me, state: str) -> bool:
    """Whether a state, or any other row, of this name is active in the same agent.

    Example: `in_state("Alert")`, as the guard of a row beside a machine.

    state: the name of the state
    """
    return me.is_in(state)


@sense("time in {row}", gives=KeyType.NUMBER, unit="s")
def time_in(me: Me, row: str) -> Reading | float:
    """How long a state, or any other row, of this name has been active. Unknown while it is not.

    Example: `time_in("Chase") > 8`, to give up.

    row: the name of the row
    """
    spent_s = me.time_in(row)
    if spent_s is None:
        return Reading(None, None, cause("row_not_active", name=row))
    return to_millionths(spent_s)


@sense("the time", gives=KeyType.NUMBER, unit="s")
def time(me: Me) -> float:
    """The seconds since the beginning of the take.

    Example: `time() > 20`.
    """
    return to_millionths(me.world.now_s)


@sense("{low} to {high} at random", gives=KeyType.NUMBER)
def random(me: Me, low: Number = 0.0, high: Number = 1.0) -> float:
    """A number drawn anew each time it is asked.

    Example: `random(0, 1) < 0.2`.

    low: the least it may be
    high: the most it may be
    """
    return to_millionths(me.random.uniform(low, high))
