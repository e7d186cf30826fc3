"""Reading the world into keys, and changing keys. All of these are done at once, so each can serve as upkeep."""

from umbrant.catalog.causes import Cause, cause
from umbrant.catalog.declare import (
    AnAgent,
    AnyKey,
    Group,
    Number,
    NumberKey,
    PointKey,
    PropKey,
    TextKey,
    YesNoKey,
    action,
)
from umbrant.catalog.senses import look_for
from umbrant.catalog.world import Me


@action("clear {key}")
def clear(me: Me, key: AnyKey) -> bool:
    """Unsets a key, so that nothing is known of it any more.

    key: the key to clear
    """
    key.set(None)
    return True


@action("set {key} to {value}")
def set_number(me: Me, key: NumberKey, value: Number = 0.0) -> bool:
    """Writes a number into a key.

    key: the key to write
    value: the number to write, or a key to copy it from
    """
    key.set(value)
    return True


@action("set {key} to {value}")
def set_yes_no(me: Me, key: YesNoKey, value: bool = True) -> bool:
    """Writes yes or no into a key.

    key: the key to write
    value: yes or no, or a key to copy it from
    """
    key.set(value)
    return True


@action("note {text} in {key}")
def set_text(me: Me, key: TextKey, text: str) -> bool:
    """Writes a text into a key.

    key: the key to write
    text: the text to write, or a key to copy it from
    """
    key.set(text)
    return True


@action(
    "look out for {target} into {seen} and {where}",
    success="whether it is seen or not",
    failure="there is no target",
)
def look_out(me: Me, target: AnAgent, *, seen: YesNoKey, where: PointKey) -> bool | Cause:
    """Notes whether an agent is seen, and where it was last seen.

    target: whom to look for
    seen: set to yes or no
    where: set to where the target is while it is seen, and left alone while it is not
    """
    here = target.at()
    if isinstance(here, Cause):
        return here
    noticed = look_for(me, here, me.body.sight_m).value is True
    seen.set(noticed)
    if noticed:
        where.set(here)
    return True


@action(
    "pick the lowest of {group} into {thing} and {level}",
    success="one was picked",
    failure="the group is empty",
)
def pick_lowest(me: Me, group: Group, *, thing: PropKey, level: NumberKey) -> bool | Cause:
    """Picks the thing of a group that has the lowest level: the dimmest lamp, the emptiest bowl.

    group: the group to pick from
    thing: set to the thing that was picked
    level: set to its level, between 0 and 1
    """
    props = me.world.props(group)
    if not props:
        return cause("empty_group", group=group)
    lowest = min(props, key=lambda prop: prop.level)
    thing.set(lowest.name)
    level.set(round(lowest.level, 2))
    return True
