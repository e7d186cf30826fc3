"""Acting on things."""

from umbrant.catalog.causes import Cause, cause
from umbrant.catalog.declare import AProp, Reach, SpreadSeconds, Steps, action
from umbrant.catalog.geometry import distance_m
from umbrant.catalog.work import Progress
from umbrant.catalog.world import Me


@action(
    "use {target} for {duration}[ within {reach}]",
    success="the thing is full again",
    failure="there is no such thing, or it is out of reach",
)
def use(me: Me, target: AProp, *, duration: SpreadSeconds = 1.5, reach: Reach = 1.0) -> Steps:
    """Works at a thing until it is full again, little by little.

    target: what to use
    duration: how long that takes
    reach: how near it must be
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
    start_s, first = me.world.now_s, prop.level
    while (spent := me.world.now_s - start_s) < duration - 1e-9:
        prop.level = first + (1.0 - first) * spent / duration
        yield Progress(duration - spent, duration, "s")
    prop.level = 1.0
    return True
