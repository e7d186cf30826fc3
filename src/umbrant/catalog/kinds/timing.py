"""Letting time pass, speech, noises and events."""

from typing import Literal

from umbrant.catalog.causes import Cause
from umbrant.catalog.declare import Steps, action
from umbrant.catalog.kind import NoiseFact
from umbrant.catalog.params import (
    Amount,
    AnAgent,
    EventName,
    Group,
    Seconds,
    SpreadSeconds,
)
from umbrant.catalog.protocols import lasting
from umbrant.catalog.world import Me, Noise


@action("wait {duration}", success="the time is up")
def wait(me: Me, duration: SpreadSeconds = 1.0) -> Steps:
    """Stands still for a while.

    Example: wait 2 s ± 0.5 between two lamps.

    For: pause, idle, rest, stand, sleep, linger, do nothing, stay, bored, doze, nap, camp, stand
    guard, guard, loiter.

    duration: how long to wait
    """
    until_s, progress = me.world.now_s + duration, lasting(duration, duration)
    while me.world.now_s < until_s - 1e-9:
        yield progress
    return True


@action(
    "say {text}[ for {duration}][, loudness {loudness}]",
    success="it has been said",
    noise=NoiseFact("loudness"),
)
def say(
    me: Me, text: str, *, duration: SpreadSeconds = 1.0, loudness: Amount = 0.5
) -> Steps:
    """Says something that the author can read on the stage, and that others can hear.

    Example: say *Off the quay!*

    For: talk, speak, shout, bark, chatter, dialogue, print, message, warn, call out, log, text,
    greet, taunt, show, wave, sing, laugh, cry, emote, ask, answer, comment, whisper, tell,
    speech, complain, threaten.

    text: what to say
    duration: how long that takes
    loudness: how loud; 1 is a loud call, 0 is silent
    """
    me.world.say(me.body.name, text)
    if loudness > 0:
        me.world.make_noise(
            Noise(me.body.place, loudness, me.world.now_s, me.name, "speech")
        )
    until_s, progress = me.world.now_s + duration, lasting(duration, duration)
    while me.world.now_s < until_s - 1e-9:
        yield progress
    return True


@action(
    "make a noise of {loudness}[ called {what}]",
    success="it was made",
    noise=NoiseFact("loudness"),
)
def make_noise(me: Me, *, loudness: Amount = 1.0, what: str = "noise") -> bool:
    """Makes a noise, at once, that others can hear and tell apart by its name.

    Example: make a noise of 1.5 called *bark*.

    For: sound, alert, loud, yell, bang, clatter, footstep, distract, lure, growl, bark, roar,
    howl, whistle, sing, ring, hum, clap, scream, music.

    loudness: how loud; 1 is a loud call, heard as far as a body's hearing reaches
    what: what kind of noise
    """
    me.world.make_noise(
        Noise(me.body.place, loudness, me.world.now_s, me.name, what)
    )
    return True


@action("raise {event}[ after {delay}][ · {kind}]", success="it was raised")
def raise_event(
    me: Me,
    event: EventName,
    *,
    delay: Seconds = 0.0,
    kind: Literal["external", "internal"] = "external",
) -> bool:
    """Raises an event that all hear, in the next tick or after a delay. Without a delay the
    innermost machine around it handles it at once, within the tick.

    Example: raise `alarm.bell`.

    For: signal, alarm, broadcast, notify, emit, trigger, fire, send, message, announce, call for
    help, ring bell, tell everyone, shout alarm, spawn.

    event: which event
    delay: how much later it is heard
    kind: whether all hear it, or only the machine around it; without a machine, the agent itself
    """
    me.events.raise_event(event, "", delay, kind == "internal")
    return True


@action(
    "tell {target} {event}[ after {delay}]",
    success="it was told",
    failure="there is no one to tell",
)
def tell_agent(
    me: Me, target: AnAgent, event: EventName, *, delay: Seconds = 0.0
) -> bool | Cause:
    """Raises an event that one other hears.

    Example: tell `keeper` `customer.waits`.

    For: message, notify, order, command, ask for help, call, signal, send.

    target: whom to tell
    event: which event
    delay: how much later it is heard
    """
    there = target.at()
    if isinstance(there, Cause):
        return there
    me.events.raise_event(event, target.name or "", delay)
    return True


@action("tell group {group} {event}[ after {delay}]", success="they were told")
def tell_group(
    me: Me, group: Group, event: EventName, *, delay: Seconds = 0.0
) -> bool:
    """Raises an event that those of one group hear.

    Example: tell group `gulls` `scatter`.

    For: alert, broadcast, squad, rally, order, call for help, notify, warn, alarm, send, help,
    call friends, reinforcements, warn others.

    group: whom to tell
    event: which event
    delay: how much later it is heard
    """
    me.events.raise_event(event, group, delay)
    return True
