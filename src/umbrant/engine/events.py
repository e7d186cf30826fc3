"""Events between agents: raised in one tick, heard in the next, or later when
they are delayed.

The innermost machine around the row that raises an event handles it within the
tick, and does not hear it again with the others.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from umbrant.catalog.kinds.decorators import SLACK_S
from umbrant.catalog.world import MachineQueue
from umbrant.engine.machines import matches


@dataclass(frozen=True)
class RaisedEvent:
    """An event on its way. `to` is an agent or a group, or empty for all.
    `handled_by` is the machine that has handled it inside already.
    """

    event: str
    sender: str
    to: str
    due_s: float
    handled_by: MachineQueue | None = None


class EventBus:
    """All events on their way. An event raised during a tick is delivered at
    the next `begin`.
    """

    def __init__(self) -> None:
        self._waiting: list[RaisedEvent] = []
        self.given: list[RaisedEvent] = []
        """What is heard in this tick, by whomever."""

    def raise_event(self, raised: RaisedEvent) -> None:
        """Put an event on its way."""
        self._waiting.append(raised)

    def begin(self, now_s: float) -> None:
        """Start a tick: deliver the events that are due, the earliest first,
        and of the same time in the order in which they were raised.
        """
        # Delivered once for all agents before any of them ticks: which agent
        # is first in the cast must not decide who receives an event in which
        # tick.
        due = [each for each in self._waiting if each.due_s <= now_s + SLACK_S]
        self.given = sorted(due, key=lambda each: each.due_s)
        self._waiting = [
            each for each in self._waiting if each.due_s > now_s + SLACK_S
        ]

    def for_agent(self, name: str, group: str | None) -> list[RaisedEvent]:
        """The events that are delivered to an agent in this tick."""
        return [
            each
            for each in self.given
            if each.to in ("", name)
            or (group is not None and each.to == group)
        ]


def _unnoticed(event: str, receiver: str) -> None:
    """For an inbox whose agent is not recorded."""


class EventInbox:
    """The events as one agent receives them; implements
    `catalog.world.MachineEvents`.
    """

    def __init__(
        self,
        event_bus: EventBus,
        name: str,
        group: str | None,
        now_s: Callable[[], float],
        raised: Callable[[str, str], None] = _unnoticed,
    ) -> None:
        self._bus = event_bus
        self._name = name
        self._group = group
        self._now_s = now_s
        self._raised = raised
        """Called with each event that the agent raises, and for whom it is."""
        self._last_s: dict[str, float] = {}
        self._machines: list[MachineQueue] = []
        """The machines whose rows run just now, the innermost last."""
        self._given: Sequence[RaisedEvent] = ()
        self.now: Sequence[str] = ()

    def begin(self) -> Sequence[RaisedEvent]:
        """Start a tick; returns the events received in it."""
        if not self._bus.given:
            self.now = self._given = ()
            return ()
        self._given = self._bus.for_agent(self._name, self._group)
        self.now = tuple(each.event for each in self._given)
        for event in self.now:
            self._last_s[event] = self._now_s()
        return self._given

    def raise_event(
        self, event: str, to: str, delay_s: float, internal: bool = False
    ) -> None:
        """Raise an event, for everybody, a group or one agent; it is delivered
        at a later tick. Without addressee and delay the innermost machine
        handles it first, within the tick.
        """
        self._raised(event, to)
        at_once = not to and delay_s <= 0
        machine = None
        if self._machines and at_once:
            machine = self._machines[-1]
        if machine is not None:
            machine.raise_inside(event)
        if machine is None or not internal:
            receiver = self._name if internal else to
            due_s = self._now_s() + delay_s
            self._bus.raise_event(
                RaisedEvent(event, self._name, receiver, due_s, machine)
            )

    def begin_machine(self, machine: MachineQueue) -> None:
        """The rows that run from now on are in this machine, until
        `end_machine`.
        """
        self._machines.append(machine)

    def end_machine(self) -> None:
        """The machine that began last is done for now."""
        self._machines.pop()

    def offered(self, machine: MachineQueue) -> Sequence[str]:
        """The events received in this tick, without those that this machine
        has handled inside.
        """
        return [
            each.event
            for each in self._given
            if each.handled_by is not machine
        ]

    def received(self, event: str) -> bool:
        """Whether this event, or one that is a kind of it, is heard in this
        tick.
        """
        return any(matches(each, event) for each in self.now)

    def last_s(self, event: str) -> float | None:
        """When it was last heard, None if never."""
        return _latest(self._last_s, event)


def _latest(times: Mapping[str, float], event: str) -> float | None:
    return max(
        (when_s for name, when_s in times.items() if matches(name, event)),
        default=None,
    )
