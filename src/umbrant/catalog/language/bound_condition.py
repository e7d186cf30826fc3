"""Conditions and formulas bound to one agent, ready to be evaluated at every
tick.
"""

from collections.abc import Callable
from typing import Protocol

from umbrant.catalog.causes import Cause
from umbrant.catalog.codegen.condition import NUMBERS, ConditionWriter
from umbrant.catalog.codegen.expression import BoundSense
from umbrant.catalog.language.atom_results import AtomResult
from umbrant.catalog.language.tree import ConditionTree, SenseCall
from umbrant.catalog.protocols import discard
from umbrant.model.values import Value


class KeyValue(Protocol):
    """A key of the agent's blackboard, as far as a condition reads it."""

    @property
    def value(self) -> Value | None: ...


class ValueSource(Protocol):
    """Where the keys and senses of a condition get their values from, for one
    agent.
    """

    def key(self, name: str) -> KeyValue: ...
    def sense(self, call: SenseCall) -> BoundSense: ...


class BoundCondition:
    """A condition bound to one agent: the engine's GeneratedCondition.

    `report` is called with an atom's index and its result whenever that is
    another result than the last one; with None when the atom was not
    evaluated, because an earlier one decided.
    """

    def __init__(
        self,
        tree: ConditionTree,
        source: ValueSource,
        report: Callable[[int, AtomResult | None], None],
    ) -> None:
        self._source = source
        self._report = report
        self.expression = ConditionWriter(source).condition(tree, report)
        self.evaluate: Callable[[], bool] = self.expression.compiled()
        """Evaluate it now. Unknown counts as no."""

    def renumber(self, tree: ConditionTree, changed: int) -> bool:
        """Take the numbers of a condition that differs in so many numbers and in nothing else, and
        go on with what is remembered. Returns False, with nothing changed, where a number is out of
        reach: one that is bound into a function, say.
        """
        written = ConditionWriter(self._source).condition(tree, self._report)
        mine, given = (
            each.bound[NUMBERS] for each in (self.expression, written)
        )
        is_same = (written.lines, written.result) == (
            self.expression.lines,
            self.expression.result,
        )
        if (
            not is_same
            or sum(
                one != other for one, other in zip(mine, given, strict=True)
            )
            != changed
        ):
            return False
        # In place: the lines may have been compiled into paths and machines
        # too, and all of them hold this list.
        mine[:] = given
        return True


def bind_formula(
    tree: ConditionTree,
    source: ValueSource,
    unknown: Callable[[Cause | None], None] = discard,
) -> Callable[[], Value | None]:
    """A function that works a formula out for one agent; None where something
    in it is unknown. `unknown` is called each time that it is, with the cause
    if there is one.
    """
    return ConditionWriter(source).value(tree, unknown).compiled()
