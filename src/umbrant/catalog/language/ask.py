"""Asking a condition on behalf of one agent, keeping what each comparison found."""

import operator
from collections.abc import Callable
from typing import Any, NamedTuple, Protocol

from umbrant.catalog.causes import Cause
from umbrant.catalog.geometry import to_grid
from umbrant.catalog.language.straight import Straight
from umbrant.catalog.language.tree import Ask, Tree
from umbrant.catalog.language.written import Sensed
from umbrant.catalog.work import Reading
from umbrant.model.values import Literal

COMPARE: dict[str, Callable[[Any, Any], bool]] = {
    "<": operator.lt,
    "<=": operator.le,
    ">": operator.gt,
    ">=": operator.ge,
    "==": operator.eq,
    "!=": operator.ne,
}
RECKON: dict[str, Callable[[float, float], float]] = {
    "+": operator.add,
    "-": operator.sub,
    "*": operator.mul,
    "/": operator.truediv,
}


class Found(NamedTuple):
    """What asking one atom gave. `truth` None is unknown; `left` and `right` are a comparison's sides.

    For a bare sense `left` is the number behind it (`can_see`'s distance); `cause` is what stood in the way.
    """

    truth: bool | None
    left: Literal | None = None
    right: Literal | None = None
    cause: Cause | None = None


class Holder(Protocol):
    """A key that holds a value."""

    @property
    def value(self) -> Literal | None: ...


class Scope(Protocol):
    """Where keys and senses get their values from."""

    def key(self, name: str) -> Holder: ...
    def sense(self, ask: Ask) -> Sensed: ...


class Asker:
    """A condition bound to one agent.

    `tell` is given an atom's place and what it found whenever that is another than when it was last asked.
    """

    def __init__(self, tree: Tree, scope: Scope, tell: Callable[[int, Found | None], None]) -> None:
        self.written = Straight(scope, HELPERS).condition(tree, tell)
        self.ask: Callable[[], bool] = self.written.made()
        """Ask it now; unknown counts as no."""


def formula_of(tree: Tree, scope: Scope) -> Callable[[], Literal | None]:
    """What works out a formula; it gives None where something in it is unknown."""
    return Straight(scope, HELPERS).value(tree).made()


def reckoned(sign: str, one: Any, other: Any) -> float | None:
    """A sum, difference, product or quotient, on the grid; None where a side is unknown or the result is no number."""
    if one is None or other is None:
        return None
    try:
        return to_grid(RECKON[sign](one, other))
    except (ZeroDivisionError, OverflowError, ValueError):
        return None


HELPERS = {"Found": Found, "Reading": Reading, "reckoned": reckoned}
"""What a generated condition uses besides what it is bound to."""
