"""Asking a condition on behalf of one agent, keeping what each comparison found."""

from collections.abc import Callable
from typing import Protocol

from umbrant.catalog.codegen.condition import ConditionWriter
from umbrant.catalog.codegen.expression import BoundSense
from umbrant.catalog.language.atom_results import AtomResult
from umbrant.catalog.language.tree import ConditionTree, SenseCall
from umbrant.model.values import Value


class KeyValue(Protocol):
    """A key that holds a value."""

    @property
    def value(self) -> Value | None: ...


class ValueSource(Protocol):
    """Where keys and senses get their values from."""

    def key(self, name: str) -> KeyValue: ...
    def sense(self, ask: SenseCall) -> BoundSense: ...


class BoundCondition:
    """A condition bound to one agent.

    `tell` is given an atom's place and what it found whenever that is another than when it was last
    asked.
    """

    def __init__(
        self,
        tree: ConditionTree,
        scope: ValueSource,
        tell: Callable[[int, AtomResult | None], None],
    ) -> None:
        self.written = ConditionWriter(scope).condition(tree, tell)
        self.ask: Callable[[], bool] = self.written.made()
        """Ask it now; unknown counts as no."""


def bind_formula(tree: ConditionTree, scope: ValueSource) -> Callable[[], Value | None]:
    """What works out a formula; it gives None where something in it is unknown."""
    return ConditionWriter(scope).value(tree).made()
