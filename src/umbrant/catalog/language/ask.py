"""Asking a condition on behalf of one agent, keeping what each comparison found."""

from collections.abc import Callable
from typing import Protocol

from umbrant.catalog.language.found import Found
from umbrant.catalog.language.straight import Straight
from umbrant.catalog.language.tree import Ask, Tree
from umbrant.catalog.language.written import Sensed
from umbrant.model.values import Literal


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

    `tell` is given an atom's place and what it found whenever that is another than when it was last
    asked.
    """

    def __init__(self, tree: Tree, scope: Scope, tell: Callable[[int, Found | None], None]) -> None:
        self.written = Straight(scope).condition(tree, tell)
        self.ask: Callable[[], bool] = self.written.made()
        """Ask it now; unknown counts as no."""


def formula_of(tree: Tree, scope: Scope) -> Callable[[], Literal | None]:
    """What works out a formula; it gives None where something in it is unknown."""
    return Straight(scope).value(tree).made()
