"""What is done at the start of a branch, typed as it is said, and read back as
actions of a cue.

    alarm = 0.8              a key of the agent, a key of the world, or a number of its body
    alarm of tam = 0.8       the same of another agent
    move visitor to 12, 4    or to a place by its name
    raise thunder            for all; `raise thunder to tam` for one, or for a group
    hold 1.2 at failure      a row by its number or id; success, failure or refused
    release 1.2
    take visitor away

Several are parted by `;`.
"""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

from umbrant.catalog.validation.boards import value_fits
from umbrant.model.behaviors import Behavior, Key, Sharing
from umbrant.model.expanded import expand_behavior
from umbrant.model.problems import did_you_mean
from umbrant.model.staging import (
    CueAction,
    DropProp,
    HeldResult,
    HoldResult,
    Member,
    MoveTo,
    RaiseEvent,
    SetKey,
    SetNumber,
    Stat,
    TakeAway,
)
from umbrant.model.values import (
    KeyType,
    Point,
    Value,
    find_named,
    number_text,
    value_text,
)
from umbrant.take.reader import Take

_ASSIGNMENT = re.compile(
    r"^(?:set\s+)?(\w+)(?:\s+of\s+(\w+))?\s*(?:=|:|\s+to\s+)\s*(.*)$"
)
_DIGITS = r"([-+]?(?:\d+\.?\d*|\.\d+))"
_POINT = re.compile(rf"^\(?\s*{_DIGITS}\s*,\s*{_DIGITS}\s*\)?$")
_NUMBER = re.compile(rf"^{_DIGITS}\s*[a-z°/%]*$")
YES_NO = {
    "yes": True,
    "true": True,
    "on": True,
    "no": False,
    "false": False,
    "off": False,
}
NOTHING = ("", "nothing", "none", "not set")
RESULTS: Mapping[str, HeldResult] = {
    "success": HeldResult.SUCCESS,
    "succeeds": HeldResult.SUCCESS,
    "failure": HeldResult.FAILURE,
    "fails": HeldResult.FAILURE,
    "refused": HeldResult.REFUSED,
}


class ActionError(ValueError):
    """What was typed is no action. The message says what is wrong, and what
    would be right.
    """


@dataclass(frozen=True)
class ActionScope:
    """What actions can name: all that there is in a take, seen from one of its
    agents at a tick.
    """

    take: Take
    agent: str
    tick: int

    @cached_property
    def cast(self) -> tuple[Member, ...]:
        """All who play, copies one by one."""
        return self.take.header.cast

    @cached_property
    def member(self) -> Member | None:
        """The agent itself."""
        return find_named(self.cast, self.agent)

    @cached_property
    def behavior(self) -> Behavior | None:
        """The behavior of the agent with all that it uses; None for a puppet."""
        return self.behavior_of(self.member)

    def behavior_of(self, member: Member | None) -> Behavior | None:
        """The behavior of one of the cast with all that it uses; None for a
        puppet.
        """
        name = None
        if member:
            name = member.behavior
        if name:
            return expand_behavior(self.take.header.project, name).behavior
        return None

    def keys_of(self, member: Member | None) -> dict[str, Key]:
        """The keys that one of the cast can be given: those without a formula."""
        project = self.take.header.project
        if member:
            keys = project.keys_of_member(member)
        else:
            keys = project.world_keys()
        return {name: key for name, key in keys.items() if not key.formula}

    @cached_property
    def places(self) -> dict[str, Point]:
        """The places of the stage."""
        stage = self.take.header.project.stage(self.take.header.played.stage)
        return {place.name: place.at for place in stage.places}

    @cached_property
    def events(self) -> list[str]:
        """The events that can be raised."""
        return [
            each.name for each in self.take.header.project.event_list.events
        ]

    @cached_property
    def movable(self) -> list[str]:
        """Bodies and props."""
        return [*(each.name for each in self.cast), *self.take.levels]

    def value(self, key: str) -> Value | None:
        """The value of a key of the agent, or of a number of its body, at the
        tick.
        """
        record = self.take.agents.get(self.agent)
        written = None
        if record and key in record.keys:
            written = record.keys[key].at(self.tick)
        if written is not None:
            return written.value
        return self.take.number_changes(self.agent, key).at(self.tick)


def read_actions(text: str, scope: ActionScope) -> tuple[CueAction, ...]:
    """The actions in a text. Raises ActionError."""
    return tuple(
        _action(part.strip(), scope)
        for part in text.split(";")
        if part.strip()
    )


def _action(text: str, scope: ActionScope) -> CueAction:
    verb, _, rest = text.partition(" ")
    words = rest.split()
    match verb.lower():
        case "raise" | "event":
            return _raised(words, scope)
        case "move" | "put":
            return _moved(rest.strip(), scope)
        case "take" | "remove":
            return TakeAway(
                removes=_one_of(
                    words[:1], scope.movable, "somebody to take away"
                )
            )
        case "hold":
            return _held(rest.strip(), scope)
        case "release":
            row_id = _row_in(rest.strip(), scope)
            return HoldResult(
                holds=row_id, of=scope.agent, result=HeldResult.RELEASED
            )
    found = _ASSIGNMENT.match(text)
    if found is None:
        raise ActionError(
            f"'{text}' is nothing that can be done here. Type `key = value`, `move somebody to "
            "x, y`, `raise an event` or `hold a row at failure`."
        )
    name, whose, value = found.groups()
    return _assigned(name, whose, value, scope)


def _raised(words: Sequence[str], scope: ActionScope) -> RaiseEvent:
    event = _one_of(words[:1], scope.events, "the event to raise")
    whom = [word for word in words[1:] if word not in ("to", "for")]
    groups = sorted({each.group for each in scope.cast if each.group})
    to = _one_of(
        whom[:1],
        [*(each.name for each in scope.cast), *groups],
        "who hears it",
    )
    if whom:
        return RaiseEvent(raises=event, to=to)
    return RaiseEvent(raises=event)


def _moved(rest: str, scope: ActionScope) -> MoveTo:
    name, _, where = rest.partition(" ")
    names = []
    if name:
        names.append(name)
    moved = _one_of(names, scope.movable, "somebody to move")
    return MoveTo(
        moves=moved,
        to=_point(where.strip().removeprefix("to ").strip(), scope),
    )


def _point(text: str, scope: ActionScope) -> Point:
    if text in scope.places:
        return scope.places[text]
    found = _POINT.match(text)
    if found is None:
        known = ", ".join(list(scope.places)[:6])
        places = ""
        if known:
            places = f", or one of {known}"
        raise ActionError(
            f"'{text}' is no place. Type `x, y` in metres{places}."
        )
    return float(found[1]), float(found[2])


def _held(text: str, scope: ActionScope) -> HoldResult:
    # A row's name may have blanks in it, and an 'at' as well.
    name, _, said = text.rpartition(" ")
    result = RESULTS.get(said.lower())
    if result is None:
        name = text.rpartition(" at ")[0] or text
    row_id = _row_in(name.removesuffix(" at").strip(), scope)
    if result is None:
        raise ActionError(
            "Say at what it is held: success, failure or refused."
        )
    return HoldResult(holds=row_id, of=scope.agent, result=result)


def _row_in(text: str, scope: ActionScope) -> str:
    behavior = scope.behavior
    if behavior is None:
        raise ActionError(
            f"{scope.agent} is a puppet: it has no rows to hold."
        )
    if not text:
        raise ActionError("Name the row to hold, by its number or its name.")
    try:
        return behavior.row_called(text)
    except LookupError as error:
        raise ActionError(f"{scope.agent} has {error.args[0]}") from None


def _assigned(
    name: str, whose: str | None, text: str, scope: ActionScope
) -> CueAction:
    """A key or a number of a body that gets a value."""
    if whose:
        who = find_named(scope.cast, whose)
    else:
        who = scope.member
    if whose and who is None:
        known = [each.name for each in scope.cast]
        raise ActionError(
            f"There is no '{whose}' in the cast. {did_you_mean(whose, known)}"
        )
    keys = scope.keys_of(who)
    key = keys.get(name) or (None if whose else scope.keys_of(None).get(name))
    if key is not None:
        value = _value(text.strip(), key, scope)
        if key.scope is Sharing.WORLD or who is None:
            of = None
        else:
            of = who.name
        return SetKey(sets=name, value=value, of=of)
    stats = who.body.stats if who else {}
    if who is not None and name in stats:
        number = _stat_value(text.strip(), name, stats[name])
        return SetNumber(changes=name, of=who.name, value=number)
    known = [*keys, *scope.keys_of(None), *stats]
    raise ActionError(
        f"There is no key or number '{name}' to set. {did_you_mean(name, known)}"
    )


def _stat_value(text: str, name: str, stat: Stat) -> float:
    value = _number(text, name)
    if not stat.low <= value <= stat.high:
        raise _out_of_range(name, text, stat.low, stat.high)
    return value


def _value(text: str, key: Key, scope: ActionScope) -> Value | None:
    """A value for a key, by the key's type. Raises ActionError."""
    if text.lower() in NOTHING:
        return None
    value: Value
    match key.type:
        case KeyType.YES_NO:
            if text.lower() not in YES_NO:
                raise ActionError(f"{key.name} is yes or no, not '{text}'.")
            value = YES_NO[text.lower()]
        case KeyType.NUMBER:
            value = _number(text, key.name)
        case KeyType.POINT:
            value = _point(text, scope)
        case KeyType.AGENT:
            value = _one_of(
                [text],
                [each.name for each in scope.cast],
                f"who {key.name} is",
            )
        case KeyType.PROP:
            value = _one_of(
                [text], list(scope.take.levels), f"which prop {key.name} is"
            )
        case _:
            value = text.strip("\"'")
    if not value_fits(key, value):
        raise _out_of_range(key.name, text, key.low, key.high)
    return value


def _number(text: str, name: str) -> float:
    found = _NUMBER.match(text)
    if found is None:
        raise ActionError(f"{name} is a number, not '{text}'.")
    return float(found[1])


def _out_of_range(
    name: str, text: str, low: float | None, high: float | None
) -> ActionError:
    lowest, highest = "", ""
    if low is not None:
        lowest = f"from {number_text(low)}"
    if high is not None:
        highest = f"up to {number_text(high)}"
    bounds = [lowest, highest]
    return ActionError(
        f"{name} cannot be {text}: it goes {' '.join(filter(None, bounds))}."
    )


def _one_of(words: Sequence[str], known: Sequence[str], what: str) -> str:
    """The first of some words, if it is known. Raises ActionError. Empty where
    nothing is asked.
    """
    if not words:
        if what == "who hears it":
            return ""
        raise ActionError(f"Name {what}. {did_you_mean('', list(known))}")
    if words[0] not in known:
        raise ActionError(
            f"There is no '{words[0]}'. {did_you_mean(words[0], list(known))}"
        )
    return words[0]


# in words


def action_text(action: CueAction, behavior: Behavior | None = None) -> str:
    """An action in a few words, as it can be typed. With the behavior of the
    agent a row is called by its number and name.
    """
    match action:
        case SetKey(sets=name, value=value, of=of):
            whose = ""
            if of:
                whose = f" of {of}"
            return f"{name}{whose} = {typed_value(value)}"
        case SetNumber(changes=name, of=of, value=value):
            return f"{name} of {of} = {number_text(value)}"
        case MoveTo(moves=name, to=(x, y)):
            return f"move {name} to {number_text(x)}, {number_text(y)}"
        case RaiseEvent(raises=event, to=to):
            return f"raise {event}{f' to {to}' if to else ''}"
        case DropProp(drops=prop):
            return f"drop {prop.name}"
        case TakeAway(removes=name):
            return f"take {name} away"
    number = _row_number(action.holds, behavior)
    if action.result is HeldResult.RELEASED:
        return f"release {number}"
    return f"hold {number} at {action.result}"


def _row_number(row_id: str, behavior: Behavior | None) -> str:
    """The number of a row; its id where the behavior has no such row."""
    if behavior is None or row_id not in behavior.by_id:
        return row_id
    return behavior.outline.number[row_id]


def typed_value(value: Value | None) -> str:
    """A value as it can be typed."""
    if isinstance(value, tuple):
        return f"{number_text(value[0])}, {number_text(value[1])}"
    return value_text(value)
