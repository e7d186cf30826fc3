"""What nodes give back while they run, and the protocol between a row and what it does."""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import IntEnum
from typing import Protocol, runtime_checkable

from umbrant.catalog.causes import Cause
from umbrant.catalog.world import Me
from umbrant.model.values import Point


class Status(IntEnum):
    """How a tick of a row ended."""

    RUNNING = 0
    SUCCESS = 1
    FAILURE = 2


@dataclass(frozen=True, slots=True)
class Progress:
    """Yielded by an action that runs on: how much is `left` of how much in all, and where it is heading."""

    left: float | None = None
    of: float | None = None
    unit: str = ""
    way: tuple[Point, ...] = ()


@dataclass(frozen=True, slots=True)
class Reading:
    """What a sense says: its value, the number behind it (in the sense's unit), and what stood in its way."""

    value: bool | float | str | None
    measure: float | None = None
    cause: Cause | None = None


class Work(Protocol):
    """What a row does. The row calls `start` once, `tick` while it gives RUNNING, and `stop` if it is cut short."""

    cause: Cause | None
    """Why the last tick failed."""

    def start(self, me: Me) -> None: ...
    def tick(self, me: Me) -> Status: ...
    def stop(self, me: Me) -> None: ...


@runtime_checkable
class Gate(Protocol):
    """What may keep a row from being entered: a decorator that has a `refusal`."""

    def refusal(self, me: Me) -> Cause | None:
        """Why the row may not be entered now, None if it may."""


class Child(Protocol):
    """A nested row, as the composite that holds it sees it."""

    id: str
    cause: Cause | None

    def visit(self, me: Me) -> Status:
        """Enter it if it may be entered, or resume it. A refusal is FAILURE."""

    def halt(self, me: Me, cause: Cause) -> None:
        """Leave it, if it is active, with what is active in it."""

    def wants_over(self, me: Me) -> bool:
        """Whether it watches for a take-over and its chance has just come."""


Children = Sequence[Child]
"""The rows nested in a composite, muted ones left out."""
