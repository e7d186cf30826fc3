"""What a node sees of the world. The stage implements it; a game can implement
it too.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from random import Random
from typing import Protocol

from umbrant.catalog.causes import Cause, cause
from umbrant.catalog.geometry import FloatArray
from umbrant.model.values import KeyType, Point, Value


class BodyView(Protocol):
    """A body on the stage. Metres, metres per second; headings in degrees, 0
    to the east, anticlockwise.
    """

    @property
    def name(self) -> str: ...
    @property
    def place(self) -> Point: ...
    @property
    def heading_deg(self) -> float: ...
    @property
    def radius_m(self) -> float: ...
    @property
    def walk_m_s(self) -> float: ...
    @property
    def run_m_s(self) -> float: ...
    @property
    def turn_deg_s(self) -> float: ...
    @property
    def sight_m(self) -> float: ...
    @property
    def cone_deg(self) -> float: ...
    @property
    def hearing_m(self) -> float: ...
    @property
    def carries(self) -> str | None:
        """The name of the prop that the body carries; None if it carries none."""

    def stat(self, name: str) -> float | None:
        """The value of one of its stats, such as its health; None if it has no
        such stat.
        """

    def change_stat(self, name: str, by: float) -> float | None:
        """Add to a stat, within its bounds; returns the new value, None if
        there is no such stat.
        """


class PropView(Protocol):
    """A prop on the stage. Its level is between 0 and 1 and may be set."""

    level: float

    @property
    def name(self) -> str: ...
    @property
    def group(self) -> str: ...
    @property
    def place(self) -> Point: ...
    @property
    def carrier(self) -> str | None:
        """The body that carries it."""


@dataclass(frozen=True, slots=True)
class Noise:
    """Something that could be heard: where, how loud (1 is a loud call), when,
    and who made it.
    """

    at: Point
    loudness: float
    when_s: float
    by: str
    what: str


@dataclass(frozen=True)
class Sight:
    """What a look along a line met: None where nothing blocks it, else the
    name of what does.
    """

    blocked_by: str | None


@dataclass(frozen=True)
class Route:
    """The route of a body: the corners still ahead, its end included, and the
    metres left along it.

    With a `cause` there is no route, and the body stays where it is.
    """

    corners: tuple[Point, ...]
    left_m: float
    cause: Cause | None = None


class World(Protocol):
    """All that an engine asks of a world. Every call is made in the thread
    that ticks.
    """

    @property
    def now_s(self) -> float: ...
    @property
    def tick_s(self) -> float: ...

    def body(self, name: str) -> BodyView | None:
        """The body with this name, if it is there."""

    def prop(self, name: str) -> PropView | None:
        """The prop with this name, if it is there."""

    def props(self, group: str) -> Sequence[PropView]:
        """The props of a group, in the order of the stage."""

    def bodies(self, group: str) -> Sequence[BodyView]:
        """The bodies of a group on the stage, in the order of the cast."""

    def distances(self, name: str, group: str) -> Sequence[float] | FloatArray:
        """How far each of a group is from a body, bodies and things alike, that body itself left
        out: in metres, on the grid; of many an array. Raises LookupError where the body is not
        there.
        """

    def place(self, name: str) -> Point | None:
        """A named place."""

    def zones_at(self, place: Point) -> Sequence[str]:
        """The names of the areas that contain a point."""

    def noises(self) -> Sequence[Noise]:
        """The noises of the last few seconds, the latest last."""

    def make_noise(self, noise: Noise) -> None:
        """Make a noise, which can be heard from the next tick on."""

    def route_to(self, name: str, goal: Point) -> Route:
        """The route a body would take to a point; the body does not set out."""

    def walkable_near(self, name: str, place: Point) -> Point | None:
        """The point nearest to a point at which a body can stand; None if
        there is none.
        """

    def carry(self, name: str, prop: str) -> bool:
        """Have a body take up a prop; returns False if it carries one already
        or another body carries this one.
        """

    def put_down(self, name: str, at: Point) -> str | None:
        """Have a body put its prop down at a point; returns the prop's name,
        None if it carried none.
        """

    def look(self, start: Point, end: Point) -> Sight:
        """What a straight look between two points meets."""

    def move_towards(
        self, name: str, goal: Point, reach_m: float, speed_m_s: float
    ) -> Route:
        """Move a body towards a point during this tick. Without another call
        at the next tick it stops.
        """

    def turn(self, name: str, heading_deg: float) -> float:
        """Have a body turn towards a heading during this tick; returns the
        degrees still to go.
        """

    def leave(self, name: str) -> None:
        """Take a body off the stage at the end of this tick."""

    def say(self, name: str, text: str) -> None:
        """Show a text that a body says."""


class Events(Protocol):
    """The events as one agent receives them. An event raised in a tick is
    received in the next; the innermost machine around the row that raises it
    handles it within the tick.
    """

    @property
    def now(self) -> Sequence[str]:
        """The events received in this tick, in the order in which they were
        raised.
        """

    def raise_event(
        self, event: str, to: str, delay_s: float, internal: bool = False
    ) -> None:
        """Raise an event for one agent or a group, by name, or for all where
        `to` is empty. If it is `internal` it stays inside the innermost
        machine, or inside the agent.
        """

    def received(self, event: str) -> bool:
        """Whether this event, or a more special one, is received in this tick."""

    def last_s(self, event: str) -> float | None:
        """When this event, or a more special one, was last received; None if
        never.
        """


class MachineQueue(Protocol):
    """A machine as it takes in the events that are raised inside it."""

    def raise_inside(self, event: str) -> None:
        """Handle an event within the tick, after those that were raised before
        it.
        """


class MachineEvents(Events, Protocol):
    """The events of an agent as its machines see them."""

    def begin_machine(self, machine: MachineQueue) -> None:
        """The rows that run from now on are in this machine, until
        `end_machine`.
        """

    def end_machine(self) -> None:
        """The machine that began last is done for now."""

    def offered(self, machine: MachineQueue) -> Sequence[str]:
        """The events received in this tick, without those that this machine
        has handled inside.
        """


class BoardView(Protocol):
    """An agent's blackboard as a node sees it. The engine records who writes."""

    def get(self, key: str) -> Value | None:
        """The key's value, None if it is not set."""

    def set(self, key: str, value: Value | None) -> None:
        """Write a key; None unsets it."""


class Me(Protocol):
    """The agent on whose behalf a node runs: the first argument of every
    node's function.
    """

    @property
    def name(self) -> str: ...
    @property
    def world(self) -> World: ...
    @property
    def board(self) -> BoardView: ...
    @property
    def random(self) -> Random: ...
    @property
    def body(self) -> BodyView: ...
    @property
    def events(self) -> Events: ...
    @property
    def began_s(self) -> float:
        """When the agent ticked for the first time."""

    def is_in(self, row_name: str) -> bool:
        """Whether a row of this name is active."""

    def time_in(self, row_name: str) -> float | None:
        """For how many seconds a row of this name has been active; None if
        none is.
        """

    def others_in(self, row_name: str, group: str) -> int:
        """How many other agents of a group (of all groups where it is empty)
        are in a row of this name.
        """


class Target(Protocol):
    """A chip that refers to something with a position: a key, a named place, a
    point, one of the cast, a prop.
    """

    @property
    def label(self) -> str: ...

    @property
    def name(self) -> str | None:
        """The name of the agent or prop that it refers to now; None for a bare
        point.
        """

    def at(self) -> Point | Cause:
        """The point where it is now, or the cause if it has none."""


class KeySlot(Protocol):
    """A chip that refers to a key, to be read or written."""

    @property
    def key(self) -> str: ...
    @property
    def type(self) -> KeyType: ...

    @property
    def value(self) -> Value | None:
        """The key's value; None if it is not set."""

    @property
    def written_s(self) -> float | None:
        """When it was last written, None if never."""

    def set(self, value: Value | None, because: Cause | None = None) -> None:
        """Write the key; None unsets it. A reason for the value is recorded
        beside it.
        """


class Formula(Protocol):
    """A chip with a formula for a number."""

    cause: Cause | None
    """Why it was unknown when it was last; None where nothing says so."""

    def value(self) -> float | None:
        """The value now; None where something in it is unknown."""


class Condition(Protocol):
    """A chip that holds a condition."""

    def evaluate(self) -> bool:
        """Evaluate it now. Unknown counts as no."""


def nobody_else(me: Me, group: str) -> Cause:
    """Why there is none of a group for somebody who never counts."""
    if any(each.name == me.name for each in me.world.bodies(group)):
        return cause("no_other", group=group)
    return cause("empty_group", group=group)
