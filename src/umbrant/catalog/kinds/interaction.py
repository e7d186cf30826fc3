"""Acting on things and on others."""

from umbrant.catalog.causes import Cause, cause
from umbrant.catalog.declare import Steps, action
from umbrant.catalog.geometry import distance_m, heading_to
from umbrant.catalog.kind import NoiseFact
from umbrant.catalog.kinds.movement import point_from
from umbrant.catalog.outcomes import no_end
from umbrant.catalog.params import (
    Amount,
    AnAgent,
    AProp,
    Number,
    Reach,
    SpreadSeconds,
    StatName,
)
from umbrant.catalog.protocols import Progress, lasting
from umbrant.catalog.world import Me, Noise, PropView, Target

STRIKES_S = 0.4
"""How long a blow or a throw takes."""
STRUCK, LANDED = 0.6, 0.5
"""How loud a blow is, and a thing that lands."""


def within_reach(me: Me, target: Target, reach: float) -> PropView | Cause:
    """The thing a target stands for, if it is there and near enough; else why
    not.
    """
    here = target.at()
    if isinstance(here, Cause):
        return here
    prop = me.world.prop(target.name or "")
    if prop is None:
        return cause("not_there", name=target.label)
    away = distance_m(me.body.place, here)
    if away > reach:
        return cause("too_far", distance_m=away, range_m=reach)
    return prop


@action(
    "use {target} for {duration}[ within {reach}]",
    success="the thing is full again",
    failure="there is no such thing, or it is out of reach",
    facts={"too_far.range_m": "reach"},
)
def use(
    me: Me, target: AProp, *, duration: SpreadSeconds = 1.5, reach: Reach = 1.0
) -> Steps:
    """Works at a thing until it is full again, little by little.

    Example: use `lamp` for 1.5 s fills it with oil.

    For: interact, operate, open, activate, work, repair, door, lever, sit, unlock, lock, craft,
    press, buy, sell, trade, shop, knock, push, pull, climb, drive, read, cook, search chest,
    pray, smith, mine, farm.

    target: what to use
    duration: how long that takes
    reach: how near it must be
    """
    prop = within_reach(me, target, reach)
    if isinstance(prop, Cause):
        return prop
    start_s, first, progress = (
        me.world.now_s,
        prop.level,
        lasting(duration, duration),
    )
    while (spent := me.world.now_s - start_s) < duration - 1e-9:
        prop.level = first + (1.0 - first) * spent / duration
        yield progress
    prop.level = 1.0
    return True


@action(
    "use up {amount} of {target}[ within {reach}]",
    success="so much was there and is gone",
    failure="there is not so much left, or it is out of reach",
    facts={"too_far.range_m": "reach", "too_little.amount": "amount"},
)
def use_up(
    me: Me, target: AProp, *, amount: Amount = 0.1, reach: Reach = 1.5
) -> bool | Cause:
    """Takes some of what a thing holds, at once.

    Example: use up 0.25 of `barrel` to drink.

    For: eat, drink, consume, refill, ammo, fuel, take from, food.

    target: what to take from
    amount: how much of it, where a full one is 1
    reach: how near it must be
    """
    prop = within_reach(me, target, reach)
    if isinstance(prop, Cause):
        return prop
    if prop.level < amount - 1e-9:
        return cause(
            "too_little",
            prop=prop.name,
            level=round(prop.level, 2),
            amount=amount,
        )
    prop.level = max(0.0, prop.level - amount)
    return True


@action(
    "strike {target}[ for {amount}][ of {stat}][ within {reach}]",
    success="the blow landed",
    failure="there is no one there, it is out of reach, or it has no such number",
    noise=NoiseFact(STRUCK, at_end=True, at_target=True),
    facts={"too_far.range_m": "reach"},
)
def strike(
    me: Me,
    target: AnAgent,
    *,
    amount: Amount = 0.2,
    stat: StatName = "health",
    reach: Reach = 1.2,
) -> Steps:
    """Turns to another body and strikes it once: one of its numbers goes down, and the blow can be
    heard.

    Example: strike `visitor` for 0.2 of health within 1.2 m.

    For: attack, hit, fight, punch, bite, damage, hurt, shoot, slash, melee, kill, combat, stab,
    harm, bash, claw, sting, swing, peck, poke, strike, wound, fire at.

    target: whom to strike
    amount: how much the number goes down
    stat: which number
    reach: how near it must be
    """
    until_s, progress = (
        me.world.now_s + STRIKES_S,
        lasting(STRIKES_S, STRIKES_S),
    )
    while me.world.now_s < until_s - 1e-9:
        there = target.at()
        if isinstance(there, Cause):
            return there
        away = distance_m(me.body.place, there)
        if away > reach:
            return cause("too_far", distance_m=away, range_m=reach)
        me.world.turn(me.body.name, heading_to(me.body.place, there))
        yield progress
    struck = me.world.body(target.name or "")
    if struck is None:
        return cause("not_there", name=target.label)
    if struck.change_stat(stat, -amount) is None:
        return cause("no_stat", name=struck.name, stat=stat)
    me.world.make_noise(
        Noise(struck.place, STRUCK, me.world.now_s, me.name, "strike")
    )
    return True


@action(
    "carry {target}[ within {reach}]",
    success="it is carried",
    failure="it is out of reach, someone else carries it, or the hands are full",
    facts={"too_far.range_m": "reach"},
)
def carry(me: Me, target: AProp, *, reach: Reach = 1.0) -> bool | Cause:
    """Takes up a thing, at once. It goes wherever the body goes until it is dropped or thrown.

    Example: move to `crate`, carry `crate`, move to `shed`, drop.

    For: pick up, grab, take, lift, collect, loot, gather, hold, steal, haul, bring, transport,
    deliver, arm, equip.

    target: what to take up
    reach: how near it must be
    """
    prop = within_reach(me, target, reach)
    if isinstance(prop, Cause):
        return prop
    if prop.carrier == me.name:
        return True
    if prop.carrier is not None:
        return cause("taken", name=prop.carrier)
    if me.body.carries is not None:
        return cause("hands_full", prop=me.body.carries)
    return me.world.carry(me.body.name, prop.name)


@action(
    "leave the stage",
    success="never: it runs until it is stopped with its body",
    can_end=no_end,
)
def leave_stage(me: Me) -> Steps:
    """Takes its own body off the stage at the end of the tick. A cue that moves it brings it back,
    and its behavior begins anew.

    Example: *Gone home*: move to `gate`, then leave the stage.

    For: despawn, die, vanish, disappear, remove, exit, go home, destroy, death, gone, kill itself.
    """
    me.world.leave(me.name)
    staying = Progress()
    while True:
        yield staying


@action("drop", success="it has been put down", failure="nothing is carried")
def drop(me: Me) -> bool | Cause:
    """Puts down what is carried, right in front of the feet.

    Example: on leaving *Carry*, drop.

    For: put down, release, let go, deliver, unload, leave, place, leave behind, lay.
    """
    at = point_from(me.body.place, me.body.heading_deg, me.body.radius_m)
    if me.world.put_down(me.body.name, at):
        return True
    return cause("carries_nothing")


@action(
    "throw to {target}[ up to {reach}]",
    success="it lies there",
    failure="nothing is carried, there is no target, or it is too far",
    noise=NoiseFact(LANDED, at_end=True, at_target=True),
    facts={"too_far.range_m": "reach"},
)
def throw(me: Me, target: Target, *, reach: Reach = 6.0) -> Steps:
    """Turns to a place and throws what is carried there. Its landing can be heard.

    Example: throw to `bowl` up to 6 m.

    For: toss, hurl, lob, fling, grenade, cast, shoot, pass, fire, launch, spit.

    target: where to
    reach: how far it can throw
    """
    if me.body.carries is None:
        return cause("carries_nothing")
    there = target.at()
    if isinstance(there, Cause):
        return there
    away = distance_m(me.body.place, there)
    if away > reach:
        return cause("too_far", distance_m=away, range_m=reach)
    until_s, progress = (
        me.world.now_s + STRIKES_S,
        lasting(STRIKES_S, STRIKES_S),
    )
    while me.world.now_s < until_s - 1e-9:
        me.world.turn(me.body.name, heading_to(me.body.place, there))
        yield progress
    me.world.put_down(me.body.name, there)
    me.world.make_noise(Noise(there, LANDED, me.world.now_s, me.name, "throw"))
    return True


@action(
    "change {stat} by {amount}",
    success="it has been changed",
    failure="it has no such number",
)
def change_stat(
    me: Me, stat: StatName, *, amount: Number = 0.1
) -> bool | Cause:
    """Changes one of its own numbers, at once. As upkeep it changes it a little again and again.

    Example: as upkeep every 1 s while hauling: change energy by -0.02.

    For: heal, damage, energy, health, stamina, tire, hunger, lower, raise, lose, gain,
    regenerate, reload, hungry, thirsty, tired, sleepy, die, kill, fatigue, hurt, thirst, fear,
    wound.

    stat: which number
    amount: by how much; less than nothing takes away
    """
    if me.body.change_stat(stat, amount) is None:
        return cause("no_stat", name=me.name, stat=stat)
    return True


@action(
    "change {stat} by {amount} over {duration}",
    success="the time is up",
    failure="it has no such number",
)
def change_slowly(
    me: Me,
    stat: StatName,
    *,
    amount: Number = 0.5,
    duration: SpreadSeconds = 3.0,
) -> Steps:
    """Changes one of its own numbers evenly over a while, and stands meanwhile.

    Example: change energy by 0.5 over 4 s, to rest.

    For: recover, rest, regenerate, charge, drain, sleep, heal, recharge, rest up, over time,
    gradually, nap, eat slowly, warm up, cool down, bleed, poison.

    stat: which number
    amount: by how much in all; less than nothing takes away
    duration: over how long
    """
    spent_s, progress = 0.0, lasting(duration - me.world.tick_s, duration)
    while spent_s < duration - 1e-9:
        step_s = min(me.world.tick_s, duration - spent_s)
        if me.body.change_stat(stat, amount * step_s / duration) is None:
            return cause("no_stat", name=me.name, stat=stat)
        spent_s += step_s
        yield progress
    return True
