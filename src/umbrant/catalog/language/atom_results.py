"""What evaluating an atom of a condition gives, and the operators of the
condition language.
"""

import math
import operator
from collections.abc import Callable
from typing import Any, NamedTuple

from umbrant.catalog.causes import Cause, cause
from umbrant.catalog.readings import Reading
from umbrant.model.values import Value, to_millionths

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


TOO_FAR, RANGE = "too_far", "range_m"
"""A cause of senses that are bounded, and its fact that they leave out
(`Kind.bounded_by`).
"""


class AtomResult(NamedTuple):
    """The result of evaluating one atom of a condition: a comparison, a sense,
    or a bare key.

    `left` and `right` are the sides of a comparison. For a bare sense `left`
    is the number behind its yes or no, such as the distance of `can_see`, and
    `cause` is what stood in the way.
    """

    truth: bool | None
    """None where it is unknown, because something in it has no value."""
    left: Value | None = None
    right: Value | None = None
    cause: Cause | None = None


def calculate(sign: str, one: Any, other: Any) -> float | None:
    """The result of an arithmetic operator, to a millionth; None where a side is
    unknown or the result is not a finite number.
    """
    if one is None or other is None:
        return None
    try:
        result = ARITHMETIC_OPERATORS[sign](one, other)
        return to_millionths(result) if math.isfinite(result) else None
    except (ZeroDivisionError, OverflowError):
        return None


def no_number(sign: str, other: float) -> Cause:
    """Why an operator came to no result for two known numbers."""
    if sign == "/" and other == 0:
        return BY_ZERO
    return NO_NUMBER


def with_range(reason: Cause, range_m: float) -> Cause:
    """A cause with the range that it leaves out, where it is one that does."""
    if reason.kind != TOO_FAR or RANGE in reason.facts:
        return reason
    return Cause(TOO_FAR, {**reason.facts, RANGE: range_m})


def without_range(reason: Cause, range_m: float) -> Cause:
    """A cause without the range, where it is this one."""
    if reason.kind != TOO_FAR or reason.facts.get(RANGE) != range_m:
        return reason
    return Cause(
        TOO_FAR,
        {name: fact for name, fact in reason.facts.items() if name != RANGE},
    )


BY_ZERO, NO_NUMBER = cause("by_zero"), cause("no_number")

NEVER = object()
"""Marks an atom whose result has not been reported yet. Equal to no result,
None included.
"""

HELPERS = {
    "AtomResult": AtomResult,
    "Reading": Reading,
    "calculate": calculate,
    "no_number": no_number,
    "with_range": with_range,
    "never": NEVER,
}
"""The globals of every generated function."""
