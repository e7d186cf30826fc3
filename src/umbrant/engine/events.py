"""Events between agents: raised in one tick, heard in the next, or later when they are delayed."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from umbrant.catalog.kinds.decorators import SLACK_S
from umbrant.engine.machines import matches


@dataclass(frozen=True)
class RaisedEvent:
    """An event on its way. `to` is an agent or a group, or empty for all."""

    event: str
    sender: str
    to: str
    due_s: float


class EventBus:
    """All events on their way. An event raised during a tick is delivered at the next `begin`."""

    def __init__(self) -> None:
        self._waiting: list[RaisedEvent] = []
        self.given: list[RaisedEvent] = []
        """What is heard in this tick, by whomever."""

    def raise_event(self, raised: RaisedEvent) -> None:
        """Put an event on its way."""
        self._waiting.append(raised)

    def begin(self, now_s: float) -> None:
        """Start a tick: deliver the events that are due, in the order in which they were raised."""
        # Delivered once for all agents before any of them ticks: which agent is first in the cast
        # must not decide who receives an event in which tick.
        self.given = [each for each in self._waiting if each.due_s <= now_s + SLACK_S]
        self._waiting = [each for each in self._waiting if each.due_s > now_s + SLACK_S]

    def for_agent(self, name: str, group: str | None) -> list[RaisedEvent]:
        """The events that are delivered to an agent in this tick."""
        return [
            each
            for each in self.given
            if each.to in ("", name) or (group is not None and each.to == group)
        ]


def _unnoticed(event: str, receiver: str) -> None:
    """For an inbox whose agent is not recorded."""


class EventInbox:
    """The events as one agent receives them; implements `catalog.world.Events`."""

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
        self.now: Sequence[str] = ()

    def begin(self) -> Sequence[RaisedEvent]:
        """Start a tick; returns the events received in it."""
        if not self._bus.given:
            self.now = ()
            return ()
        given = self._bus.for_agent(self._name, self._group)
        self.now = tuple(each.event for each in given)
        for event in self.now:
            self._last_s[event] = self._now_s()
        return given

    def raise_event(self, event: str, to: str, delay_s: float) -> None:
        """Raise an event, for everybody, a group or one agent; it is delivered at a later tick."""
        self._raised(event, to)
        self._bus.raise_event(RaisedEvent(event, self._name, to, self._now_s() + delay_s))

    def received(self, event: str) -> bool:
        """Whether this event, or one that is a kind of it, is heard in this tick."""
        return any(matches(each, event) for each in self.now)

    def last_s(self, event: str) -> float | None:
        """When it was last heard, None if never."""
        return _latest(self._last_s, event)


def _latest(times: Mapping[str, float], event: str) -> float | None:
    return max((when_s for name, when_s in times.items() if matches(name, event)), default=None)
