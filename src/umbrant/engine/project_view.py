"""What a project's own code is given: the agent, its world and its keys, of
which it may write only what they can hold.

A mistake in such code is raised in it, at the line that made it, in place of
somewhere in the engine a tick later. Everything else of the object that a view
stands for can be read through it; a game's own world has more to offer.
"""

import math
from collections.abc import Sequence
from random import Random
from typing import Any

from umbrant.catalog.world import Me, Noise, Route, Sight
from umbrant.engine.board import LiveKey
from umbrant.model.printable import printable
from umbrant.model.values import KeyType, Point, Value

LONGEST = 10_000
"""How many characters a text may have."""


def number_of(value: object, what: str) -> float:
    """A finite number. Raises TypeError for anything else."""
    if isinstance(value, int | float) and not isinstance(value, bool):
        try:
            number = float(value)
        except OverflowError:
            number = math.inf
        if math.isfinite(number):
            return number
        raise TypeError(f"{what} should be a finite number")
    raise TypeError(
        f"{what} should be a number, and is of {printable(type(value).__name__, 40)}"
    )


def point_of(value: object, what: str) -> Point:
    """A point in metres. Raises TypeError for anything else."""
    if isinstance(value, tuple | list) and len(value) == 2:
        return number_of(value[0], what), number_of(value[1], what)
    raise TypeError(
        f"{what} should be a point, two numbers, and is of {printable(type(value).__name__, 40)}"
    )


def text_of(value: object, what: str) -> str:
    """A text that can be written to a file. Raises TypeError for anything
    else.
    """
    if not isinstance(value, str):
        raise TypeError(
            f"{what} should be text, and is of {printable(type(value).__name__, 40)}"
        )
    if len(value) > LONGEST:
        raise TypeError(
            f"{what} is a text of {len(value)} characters; {LONGEST} is the most"
        )
    try:
        value.encode()
    except UnicodeEncodeError:
        raise TypeError(
            f"{what} holds half a character, which no file can hold"
        ) from None
    return str.__str__(value)


def value_for(type_: KeyType, value: object, key: str) -> Value | None:
    """A value that a key of this type can hold. Raises TypeError for anything
    else.
    """
    what = f"the key `{key}`"
    if value is None:
        return None
    if type_ is KeyType.YES_NO:
        if isinstance(value, bool):
            return value
        raise TypeError(f"{what} holds yes or no: write True or False")
    if type_ is KeyType.NUMBER:
        return number_of(value, what)
    if type_ is KeyType.POINT:
        return point_of(value, what)
    return text_of(value, what)


class _View:
    """Base of the read-only proxies that a project's own code gets for objects
    of the engine and the world.
    """

    __slots__ = ("_of",)
    _instead = "it can only be read"

    def __init__(self, of: Any) -> None:
        object.__setattr__(self, "_of", of)

    def __getattr__(self, name: str) -> Any:
        return getattr(object.__getattribute__(self, "_of"), name)

    def __setattr__(self, name: str, value: object) -> None:
        raise AttributeError(f"`{name}` cannot be written: {self._instead}")

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _View) and self._of is other._of

    def __hash__(self) -> int:
        return id(self._of)


class BodyOfNode(_View):
    """A body as a project's own node sees it: values only, none of which can
    be changed.
    """

    __slots__ = ()
    _instead = "move a body with `me.world.move_towards`, turn it with `me.world.turn`"

    def change_stat(self, name: str, by: float) -> float | None:
        found: float | None = self._of.change_stat(
            text_of(name, "the number's name"), number_of(by, "the change")
        )
        return found


class PropOfNode(_View):
    """A prop as a project's own node sees it."""

    __slots__ = ()
    _instead = "of a prop only its `level` can be"

    @property
    def level(self) -> float:
        return float(self._of.level)

    def __setattr__(self, name: str, value: object) -> None:
        if name != "level":
            super().__setattr__(name, value)
        self._of.level = min(1.0, max(0.0, number_of(value, "the level")))


class KeyOfNode(_View):
    """A chip that names a key."""

    __slots__ = ()
    _instead = "write a key with its `set`"

    def set(self, value: object) -> None:
        self._of.set(value_for(self._of.type, value, self._of.key))


class BoardOfNode(_View):
    """The agent's blackboard as a project's own node sees it."""

    __slots__ = ()
    _instead = "write a key with `me.board.set`"

    def set(self, key: str, value: object) -> None:
        type_ = self._of.type_of(key)
        if type_ is None:
            raise KeyError(f"there is no key `{key}`")
        self._of.set(key, value_for(type_, value, key))


class EventsOfNode(_View):
    """The events that the agent receives, as a project's own code sees them."""

    __slots__ = ()
    _instead = "raise an event with `me.events.raise_event`"

    def raise_event(
        self, event: str, to: str, delay_s: float, internal: bool = False
    ) -> None:
        self._of.raise_event(
            text_of(event, "the event"),
            text_of(to, "whom it is for"),
            number_of(delay_s, "the delay"),
            internal is True,
        )


class WorldOfNode(_View):
    """The world as a project's own node sees it."""

    __slots__ = ()
    _instead = "tell the world what to do with its methods"

    def body(self, name: str) -> BodyOfNode | None:
        found = self._of.body(name)
        if found is not None:
            return BodyOfNode(found)
        return None

    def bodies(self, group: str) -> Sequence[BodyOfNode]:
        return [BodyOfNode(each) for each in self._of.bodies(group)]

    def prop(self, name: str) -> PropOfNode | None:
        found = self._of.prop(name)
        if found is not None:
            return PropOfNode(found)
        return None

    def props(self, group: str) -> Sequence[PropOfNode]:
        return [PropOfNode(each) for each in self._of.props(group)]

    def make_noise(self, noise: Noise) -> None:
        if not isinstance(noise, Noise):
            raise TypeError("a noise should be a `Noise`")
        at, loudness, when_s = (
            point_of(noise.at, "at"),
            number_of(noise.loudness, "loudness"),
            noise.when_s,
        )
        by, what = text_of(noise.by, "by"), text_of(noise.what, "what")
        self._of.make_noise(
            Noise(at, loudness, number_of(when_s, "when_s"), by, what)
        )

    def route_to(self, name: str, goal: Point) -> Route:
        found: Route = self._of.route_to(
            self._present(name), point_of(goal, "the goal")
        )
        return found

    def walkable_near(self, name: str, place: Point) -> Point | None:
        found: Point | None = self._of.walkable_near(
            self._present(name), point_of(place, "the place")
        )
        return found

    def look(self, start: Point, end: Point) -> Sight:
        found: Sight = self._of.look(
            point_of(start, "the start"), point_of(end, "the end")
        )
        return found

    def zones_at(self, place: Point) -> Sequence[str]:
        found: Sequence[str] = self._of.zones_at(point_of(place, "the place"))
        return found

    def carry(self, name: str, prop: str) -> bool:
        return bool(
            self._of.carry(self._present(name), text_of(prop, "the prop"))
        )

    def put_down(self, name: str, at: Point) -> str | None:
        found: str | None = self._of.put_down(
            self._present(name), point_of(at, "the place")
        )
        return found

    def move_towards(
        self, name: str, goal: Point, reach_m: float, speed_m_s: float
    ) -> Route:
        reach_m, speed_m_s = (
            number_of(reach_m, "reach_m"),
            number_of(speed_m_s, "speed_m_s"),
        )
        found: Route = self._of.move_towards(
            self._present(name),
            point_of(goal, "the goal"),
            max(0.0, reach_m),
            max(0.0, speed_m_s),
        )
        return found

    def turn(self, name: str, heading_deg: float) -> float:
        return float(
            self._of.turn(
                self._present(name), number_of(heading_deg, "heading_deg")
            )
        )

    def leave(self, name: str) -> None:
        self._of.leave(self._present(name))

    def say(self, name: str, text: str) -> None:
        self._of.say(self._present(name), text_of(text, "what is said"))

    def _present(self, name: str) -> str:
        """The name of a body that is there. Raises ValueError."""
        if self._of.body(text_of(name, "the name")) is None:
            raise ValueError(
                f"there is nobody called '{printable(name, 40)}' on the stage"
            )
        return name


class AgentOfNode:
    """The agent on whose behalf a node runs: the `me` of a project's own code."""

    __slots__ = ("_board", "_events", "_me", "_world")

    def __init__(self, me: Me) -> None:
        self._me = me
        self._world = WorldOfNode(me.world)
        self._board = BoardOfNode(me.board)
        self._events = EventsOfNode(me.events)

    @property
    def world(self) -> WorldOfNode:
        """The world that the agent is in."""
        return self._world

    @property
    def board(self) -> BoardOfNode:
        """The agent's blackboard."""
        return self._board

    @property
    def events(self) -> EventsOfNode:
        """The events that the agent receives."""
        return self._events

    @property
    def name(self) -> str:
        """The agent's name in the cast."""
        return self._me.name

    @property
    def random(self) -> Random:
        """The agent's own generator, seeded by scenario and name."""
        return self._me.random

    @property
    def body(self) -> BodyOfNode:
        """The agent's own body."""
        return BodyOfNode(self._me.body)

    @property
    def began_s(self) -> float:
        """When the agent ticked for the first time."""
        return self._me.began_s

    def is_in(self, row_name: str) -> bool:
        """Whether a row of this name is active."""
        return self._me.is_in(row_name)

    def time_in(self, row_name: str) -> float | None:
        """For how many seconds a row of this name has been active; None if
        none is.
        """
        return self._me.time_in(row_name)

    def others_in(self, row_name: str, group: str) -> int:
        """How many other agents of a group (of all groups where it is empty)
        are in a row of this name.
        """
        return self._me.others_in(row_name, group)


def as_node_argument(value: object) -> object:
    """An argument as a project's own code is given it."""
    if isinstance(value, LiveKey):
        return KeyOfNode(value)
    return value
