"""What a project's own nodes are written with: `from umbrant.nodes import *` in a file of its
`nodes/` folder.

    @condition("smells {source} within {reach}")
    def smells(me: Agent, source: Place, *, reach: Metres = 4.0) -> bool:
        '''Whether the smell of something reaches the agent.

        source: what is smelled
        reach: how far the smell carries
        '''
        there = source.at()
        return not isinstance(there, Cause) and distance_m(me.body.place, there) < reach

A function is done at once; one that yields runs on until it returns. True is success, False is
failure, and `failure("the wick is wet")` is failure with a reason. What it yields may be a
`Progress`; one that merely takes its time yields the same `lasting(left_s, of_s)` again and again.

What stands in a declaration is read, and never run: plain values, and the names that this module
exports. The agent and its world can be read freely; they are written through their methods, and
what makes no sense is refused at the line that tried. Chance is `me.random`, time is
`me.world.now_s`: with these the same seed gives the same take.

A parameter that is a key of the blackboard (`NumberKey` and the like) has its `value`, None while
it is not set, and is written with `set`.
"""

from typing import Literal

from umbrant.catalog.causes import Cause, cause
from umbrant.catalog.declare import Steps, action, condition, sense
from umbrant.catalog.geometry import distance_m, heading_to
from umbrant.catalog.params import (
    AgentKey,
    Amount,
    AnAgent,
    AnyKey,
    AProp,
    EventName,
    Group,
    Metres,
    NamedKey,
    Number,
    NumberKey,
    PointKey,
    PropKey,
    Range,
    Reach,
    ReadKey,
    Seconds,
    Share,
    SpreadSeconds,
    StatName,
    TextKey,
    Times,
    YesNoKey,
    ZoneName,
)
from umbrant.catalog.protocols import Progress, lasting
from umbrant.catalog.readings import Reading
from umbrant.catalog.world import Me as Agent
from umbrant.catalog.world import Noise
from umbrant.catalog.world import Target as Place
from umbrant.model.values import KeyType


def failure(text: str) -> Cause:
    """What a node returns to fail for a reason of its own: `return
    failure("the wick is wet")`.

    The text is recorded, and read in every answer about the row.
    """
    return cause("said", text=text)


__all__ = [
    "AProp",
    "Agent",
    "AgentKey",
    "Amount",
    "AnAgent",
    "AnyKey",
    "Cause",
    "EventName",
    "Group",
    "KeyType",
    "Literal",
    "Metres",
    "NamedKey",
    "Noise",
    "Number",
    "NumberKey",
    "Place",
    "PointKey",
    "Progress",
    "PropKey",
    "Range",
    "Reach",
    "ReadKey",
    "Reading",
    "Seconds",
    "Share",
    "SpreadSeconds",
    "StatName",
    "Steps",
    "TextKey",
    "Times",
    "YesNoKey",
    "ZoneName",
    "action",
    "cause",
    "condition",
    "distance_m",
    "failure",
    "heading_to",
    "lasting",
    "sense",
]
