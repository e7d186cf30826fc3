"""What asking an atom of a condition gives, and what conditions reckon with."""

import operator
from collections.abc import Callable
from typing import Any, NamedTuple

from umbrant.catalog.causes import Cause
from umbrant.catalog.geometry import to_grid
from umbrant.catalog.readings import Reading
from umbrant.model.values import Value

COMPARISON_OPERATORS: dict[str, Callable[[Any, Any], bool]] = {
    "<": operator.lt,
    "<=": operator.le,
    ">": operator.gt,
    ">=": operator.ge,
    "==": operator.eq,
    "!=": operator.ne,
}
ARITHMETIC_OPERATORS: dict[str, Callable[[float, float], float]] = {
    "+": operator.add,
    "-": operator.sub,
    "*": operator.mul,
    "/": operator.truediv,
}


class AtomResult(NamedTuple):
    """What asking one atom gave. `truth` None is unknown; `left` and `right` are a comparison's
    sides.

    For a bare sense `left` is the number behind it (`can_see`'s distance); `cause` is what stood in
    the way.
    """

    truth: bool | None
    left: Value | None = None
    right: Value | None = None
    cause: Cause | None = None


def calculate(sign: str, one: Any, other: Any) -> float | None:
    """A sum, difference, product or quotient, on the grid; None where a side is unknown or the
    result is no number.
    """
    if one is None or other is None:
        return None
    try:
        return to_grid(ARITHMETIC_OPERATORS[sign](one, other))
    except (ZeroDivisionError, OverflowError, ValueError):
        return None


NEVER = object()
"""What has been told before anything has."""

HELPERS = {"Found": AtomResult, "Reading": Reading, "reckoned": calculate, "never": NEVER}
"""What a written condition uses besides what it is bound to."""
