"""What a rat in the cellar can do besides what every NPC can."""

from umbrant.nodes import *


@action(
    "sniff out a crumb into {where}",
    success="there is one",
    failure="there is none left",
)
def sniff(me: Agent, where: PointKey) -> bool:
    """Finds the nearest crumb in the cellar.

    Example: sniff out a crumb into `crumb`.

    where: set to where it lies
    """
    crumb = me.world.nearest_crumb()
    where.set(crumb)
    return crumb is not None


@action(
    "nibble", success="the crumb is gone", failure="there is no crumb here"
)
def nibble(me: Agent) -> Steps:
    """Eats the crumb it stands on, in two bites.

    Example: move to `crumb`, then nibble.
    """
    yield Progress(1.0, 2.0, "bites")
    return me.world.eat()


@sense("light of {lantern} on it", gives=KeyType.NUMBER)
def light(me: Agent, lantern: AnAgent) -> float:
    """How much light falls on it: 1 beside the lantern, less with the square of the distance.

    Example: `light(lantern) > 0.1`.

    lantern: the lantern
    """
    there = lantern.at()
    if isinstance(there, Cause):
        return 0.0
    return round(1.0 / (1.0 + distance_m(me.body.place, there) ** 2 / 4.0), 3)
