"""Reading the world into keys, and changing keys. All of these are done at
once, so each can serve as upkeep.
"""

import math
from collections.abc import Callable, Sequence
from typing import Literal

from umbrant.catalog.causes import Cause, cause
from umbrant.catalog.declare import action
from umbrant.catalog.geometry import distance_m
from umbrant.catalog.kinds.movement import point_around
from umbrant.catalog.kinds.senses import look_for
from umbrant.catalog.params import (
    AgentKey,
    AnAgent,
    AnyKey,
    Group,
    NamedKey,
    Number,
    NumberKey,
    PointKey,
    PropKey,
    Range,
    ReadKey,
    TextKey,
    YesNoKey,
)
from umbrant.catalog.readings import Reading
from umbrant.catalog.world import (
    BodyView,
    Me,
    PropView,
    Target,
    nobody_else,
)
from umbrant.model.values import to_millionths

Which = Literal["nearest", "furthest", "lowest", "highest", "random"]


@action("clear {key}")
def clear(me: Me, key: AnyKey) -> bool:
    """Unsets a key, so that nothing is known of it any more.

    Example: clear `last_seen`.

    For: forget, reset, unset, delete, erase, lose track, remove, calm down, give up target, drop
    target, nothing known.

    key: the key to clear
    """
    key.set(None)
    return True


@action("set {key} to {value}")
def set_number(me: Me, key: NumberKey, value: Number = 0.0) -> bool:
    """Writes a number into a key.

    Example: set `patience` to 3.

    For: assign, store, write, variable, number, remember, value.

    key: the key to write
    value: the number to write, or a key to copy it from
    """
    key.set(value)
    return True


@action("set {key} to {value}")
def set_yes_no(me: Me, key: YesNoKey, value: bool = True) -> bool:
    """Writes yes or no into a key.

    Example: set `angry` to yes.

    For: flag, toggle, mark, boolean, switch on, switch off, variable, remember.

    key: the key to write
    value: yes or no, or a key to copy it from
    """
    key.set(value)
    return True


@action("note {text} in {key}")
def set_text(me: Me, key: TextKey, text: str) -> bool:
    """Writes a text into a key.

    Example: note *wary* in `mood`.

    For: note, label, mood, write, string, name, remember, angry, happy, sad, emotion, feeling,
    afraid, calm.

    key: the key to write
    text: the text to write, or a key to copy it from
    """
    key.set(text)
    return True


@action(
    "set {key} to where {target} is",
    success="it was written",
    failure="there is no target",
)
def set_point(me: Me, key: PointKey, target: Target) -> bool | Cause:
    """Writes where something is now into a key. The key keeps that point when the thing moves on.

    Example: set `home` to where `bench` is.

    For: remember position, save location, home, mark place, store position, last known, remember,
    note where, position, set home, anchor, base.

    key: the key to write
    target: a key, a named place, one of the cast, or a prop
    """
    here = target.at()
    if isinstance(here, Cause):
        return here
    key.set(here)
    return True


@action("add {amount} to {key}")
def count(me: Me, key: NumberKey, amount: Number = 1.0) -> bool:
    """Adds to a number in a key; one that is not set counts as 0.

    Example: add 1 to `crates_carried`.

    For: increase, add, increment, counter, tally, plus, decrease, subtract, score, ammo left,
    kills, score points, decrement, bump.

    key: the key to change
    amount: how much to add; less than nothing takes away
    """
    before = key.value
    if not isinstance(before, int | float):
        before = 0.0
    key.set(to_millionths(before + amount))
    return True


@action(
    "copy {source} to {key}",
    success="it was copied",
    failure="the keys hold different types",
)
def copy(me: Me, source: ReadKey, key: AnyKey) -> bool | Cause:
    """Copies what one key holds into another of the same type. A key that is not set unsets the
    other.

    Example: copy `last_seen` to `search_from`.

    For: assign, duplicate, transfer, remember, store.

    source: the key to read
    key: the key to write
    """
    if source.type is not key.type:
        return cause("other_type", key=key.key, source=source.key)
    key.set(source.value, cause("copied", key=source.key))
    return True


@action(
    "look out for {target} into {seen} and {where}",
    success="whether it is seen or not",
    failure="there is no target",
)
def look_out(
    me: Me, target: AnAgent, *, seen: YesNoKey, where: PointKey
) -> bool | Cause:
    """Notes whether an agent is seen, and where it was last seen.

    Example: as upkeep every 0.2 s: look out for `visitor` into `visitor_seen` and `last_seen`.

    For: see, sense, spot, notice, perceive, vision, watch for, detect, last seen, sight, look
    for, track, find target, smell, last known position, recognize, identify, seen.

    target: whom to look for
    seen: set to yes or no
    where: set to where the target is while it is seen, and left alone while it is not
    """
    here = target.at()
    if isinstance(here, Cause):
        return here
    looked = look_for(me, here, math.inf)
    noticed = looked.value is True
    seen.set(noticed, looked.cause)
    if noticed:
        where.set(here)
    return True


@action(
    "note in {key} whom it sees of {group}[ within {within}]",
    success="someone is seen",
    failure="no one of the group is seen, and the key is cleared",
)
def note_seen(
    me: Me, group: Group, *, key: AgentKey, within: Range = 1000.0
) -> bool | Cause:
    """Keeps in a key whom it sees: the nearest of a group in sight. The key is not set while no one
    is.

    Example: as upkeep every 0.2 s: note in `target` whom it sees of `people`.

    For: see, spot, notice, target, acquire target, lose target, sight, enemy in sight, vision,
    perceive, watch for, seen, whom, lock on, forget, detect, aggro.

    group: of which group it may be
    key: set to the nearest that is seen, and cleared while none is
    within: how far to look; never further than the body can see
    """
    others = [body for body in me.world.bodies(group) if body.name != me.name]
    looks = [(look_for(me, body.place, within), body.name) for body in others]
    seen = [
        (look.measure or 0.0, name)
        for look, name in looks
        if look.value is True
    ]
    if not seen:
        why = _why_unseen(me, group, looks)
        key.set(None, why)
        return why
    away, name = min(seen)
    key.set(
        name, cause("picked", which="nearest", group=group, distance_m=away)
    )
    return True


_UNSEEN = {
    "too_far": "unseen_far",
    "beyond_sight": "unseen_beyond_sight",
    "outside_cone": "unseen_aside",
    "blocked": "unseen_behind",
}
"""By why one is not seen, what is said of all where that is the nearest."""


def _why_unseen(
    me: Me, group: str, looks: Sequence[tuple[Reading, str]]
) -> Cause:
    """Why none of a group is seen: what is in the way of the nearest."""
    if not looks:
        return nobody_else(me, group)
    look, name = min(looks, key=lambda each: each[0].measure or 0.0)
    assert look.cause is not None  # noqa: S101  (of one that is not seen)
    why = look.cause
    # What stands in the documents, the range and the cone, is no part of it:
    # it is kept with a key, which has no row to read them from.
    measured = {
        fact: why.facts[fact]
        for fact in ("distance_m", "off_deg", "wall")
        if fact in why.facts
    }
    return Cause(_UNSEEN[why.kind], {"group": group, "name": name, **measured})


@action(
    "listen into {where}[ for {what}]",
    success="something was heard",
    failure="nothing was heard",
)
def listen(me: Me, where: PointKey, *, what: str = "") -> bool | Cause:
    """Notes where the last noise came from that it can hear and did not make itself.

    Example: listen into `noise_at` for *bark*.

    For: hear, sound, noise, ears, sense, hearing, eavesdrop, heard, overhear.

    where: set to where the noise came from
    what: only this kind of noise; nothing is any
    """
    too_quiet: list[float] = []
    for noise in reversed(me.world.noises()):
        if noise.by == me.name or what not in ("", noise.what):
            continue
        away = distance_m(me.body.place, noise.at)
        if away <= me.body.hearing_m * noise.loudness:
            where.set(noise.at)
            return True
        too_quiet.append(away)
    if too_quiet:
        return cause("too_quiet", distance_m=min(too_quiet))
    return cause("silence")


@action(
    "pick the lowest of {group} into {thing} and {level}",
    success="one was picked",
    failure="the group is empty",
)
def pick_lowest(
    me: Me, group: Group, *, thing: PropKey, level: NumberKey
) -> bool | Cause:
    """Picks the thing of a group that has the lowest level: the dimmest lamp, the emptiest bowl.

    Example: pick the lowest of `lamps` into `lamp` and `lamp_oil`.

    For: emptiest, dimmest, least, weakest, find lowest, target.

    group: the group to pick from
    thing: set to the thing that was picked
    level: set to its level, between 0 and 1
    """
    props = me.world.props(group)
    if not props:
        return cause("empty_group", group=group)
    lowest = min(props, key=lambda prop: prop.level)
    found = cause(
        "picked_by_number",
        which="lowest",
        group=group,
        number=round(lowest.level, 2),
    )
    thing.set(lowest.name, found)
    level.set(round(lowest.level, 2))
    return True


@action(
    "pick the {which} of {group} into {key}[ by {stat}][ within {within}]",
    success="one was picked",
    failure="there is none like that",
    facts={"none_near.range_m": "within"},
)
def pick(
    me: Me,
    group: Group,
    *,
    key: NamedKey,
    which: Which = "nearest",
    stat: str = "",
    within: Range = 1000.0,
) -> bool | Cause:
    """Picks one of a group, of bodies or of things that nobody carries: never the picker itself.

    Example: pick the nearest of `crates` into `crate`.

    For: nearest, closest, target, choose target, find, select, furthest, random one, enemy, find
    nearest, random target, weakest, enemies, who, victim, prey, friend.

    group: the group to pick from
    key: set to the one that was picked
    which: by distance, by a number, or at random
    stat: for lowest and highest, which of the bodies' numbers; things go by their level
    within: how far away it may be
    """
    free = _free_members(me, group)
    found = [
        each
        for each in free
        if distance_m(me.body.place, each.place) <= within
    ]
    if not found:
        return _why_none(me, group, free, within)
    if which == "random":
        drawn = cause("picked_at_random", count=float(len(found)), group=group)
        key.set(me.random.choice(found).name, drawn)
        return True
    measure: Callable[[BodyView | PropView], float] = (
        (lambda each: distance_m(me.body.place, each.place))
        if which in ("nearest", "furthest")
        else _number(stat)
    )
    if which in ("nearest", "lowest"):
        chosen = min(found, key=measure)
    else:
        chosen = max(found, key=measure)
    facts = {"which": which, "group": group}
    if which in ("nearest", "furthest"):
        key.set(
            chosen.name, cause("picked", distance_m=measure(chosen), **facts)
        )
    else:
        key.set(
            chosen.name,
            cause("picked_by_number", number=measure(chosen), **facts),
        )
    return True


def _free_members(me: Me, group: str) -> list[BodyView | PropView]:
    """The bodies of a group besides one's own, and its things that nobody
    carries.
    """
    bodies = [body for body in me.world.bodies(group) if body.name != me.name]
    return [
        *bodies,
        *(prop for prop in me.world.props(group) if prop.carrier is None),
    ]


def _why_none(
    me: Me, group: str, free: Sequence[BodyView | PropView], within: float
) -> Cause:
    """Why none of a group can be picked."""
    if free:
        nearest = min(distance_m(me.body.place, each.place) for each in free)
        return cause(
            "none_near", group=group, distance_m=nearest, range_m=within
        )
    if me.world.props(group):
        return cause("all_carried", group=group)
    return nobody_else(me, group)


def _number(stat: str) -> Callable[[BodyView | PropView], float]:
    def number(each: BodyView | PropView) -> float:
        if hasattr(each, "level"):
            return float(each.level)
        value = each.stat(stat)
        if value is None:
            return 0.0
        return value

    return number


@action(
    "pick a point {least} to {most} around {target} into {key}",
    success="one was picked",
    failure="there is no target, or no such point can be walked to",
)
def pick_point(
    me: Me,
    target: Target,
    *,
    key: PointKey,
    least: Range = 1.0,
    most: Range = 4.0,
) -> bool | Cause:
    """Picks a random point around something that the body can walk to.

    Example: pick a point 2 to 5 m around `fish` into `spot`.

    For: random point, spot, random position, somewhere, place around, flank, destination, find
    place, hiding place, roam, random spot, random place, where to go, random location, jump to,
    position.

    target: around what
    key: set to the point that was picked
    least: how near it may be
    most: how far it may be
    """
    centre = target.at()
    if isinstance(centre, Cause):
        return centre
    drawn = point_around(me, centre, min(least, most), most)
    if drawn is None:
        return cause("no_place", place=centre)
    key.set(drawn)
    return True
