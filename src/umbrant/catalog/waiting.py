"""Letting time pass, and speech."""

from umbrant.catalog.declare import SpreadSeconds, Steps, action
from umbrant.catalog.work import Progress
from umbrant.catalog.world import Me


@action("wait {duration}", success="the time is up")
def wait(me: Me, duration: SpreadSeconds = 1.0) -> Steps:
    """Stands still for a while.

    duration: how long to wait
    """
    until_s = me.world.now_s + duration
    while me.world.now_s < until_s - 1e-9:
        yield Progress(until_s - me.world.now_s, duration, "s")
    return True


@action("say {text}[ for {duration}]", success="it has been said")
def say(me: Me, text: str, *, duration: SpreadSeconds = 1.0) -> Steps:
    """Says something that the author can read on the stage.

    text: what to say
    duration: how long that takes
    """
    me.world.say(me.body.name, text)
    until_s = me.world.now_s + duration
    while me.world.now_s < until_s - 1e-9:
        yield Progress(until_s - me.world.now_s, duration, "s")
    return True
