"""Asking a condition for many values at once, with NumPy: the same answers as
one at a time.
"""

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from umbrant.catalog.language.atom_results import (
    ARITHMETIC_OPERATORS,
    COMPARISON_OPERATORS,
)
from umbrant.catalog.language.tree import (
    Arithmetic,
    Comparison,
    ConditionTree,
    Conjunction,
    Disjunction,
    KeyTerm,
    Negation,
    NumberTerm,
    SenseCall,
    TextTerm,
    YesNoTerm,
    source,
)
from umbrant.model.values import MILLIONTHS, NO_MILLIONTHS

Grid = NDArray[np.float64]


def evaluate_on_grid(tree: ConditionTree, values: Mapping[str, Grid]) -> Grid:
    """The condition's answers: 1 yes, 0 no, NaN unknown, in the shape the
    values broadcast to.

    `values` holds numbers, or 1 and 0 for yes and no, NaN where unknown, by
    key and by the source of each sense, such as `distance(visitor)`. Raises
    KeyError for what is missing in it, TypeError for a text.
    """
    match tree:
        case NumberTerm(value=value) | YesNoTerm(value=value):
            return np.asarray(float(value))
        case KeyTerm() | SenseCall():
            return np.asarray(values[source(tree)], dtype=np.float64)
        case Arithmetic(sign=sign, left=left, right=right):
            return _reckon(
                sign,
                evaluate_on_grid(left, values),
                evaluate_on_grid(right, values),
            )
        case Comparison(sign=sign, left=left, right=right):
            one, other = (
                evaluate_on_grid(left, values),
                evaluate_on_grid(right, values),
            )
            known = ~(np.isnan(one) | np.isnan(other))
            return np.where(
                known, COMPARISON_OPERATORS[sign](one, other), np.nan
            )
        case Negation(part=part):
            return 1.0 - evaluate_on_grid(part, values)
        case Conjunction(parts=parts):
            return _decided_by(
                [evaluate_on_grid(part, values) for part in parts], 0.0
            )
        case Disjunction(parts=parts):
            return _decided_by(
                [evaluate_on_grid(part, values) for part in parts], 1.0
            )
        case TextTerm():
            raise TypeError("a text has no place on a grid of numbers")


def _reckon(sign: str, one: Grid, other: Grid) -> Grid:
    with np.errstate(all="ignore"):
        result = ARITHMETIC_OPERATORS[sign](one, other)  # type: ignore[arg-type]
        rounded = np.where(
            np.abs(result) < NO_MILLIONTHS,
            np.round(np.asarray(result) * MILLIONTHS) / MILLIONTHS,
            result,
        )
        return np.where(np.isfinite(result), rounded, np.nan)


def _decided_by(parts: list[Grid], decisive: float) -> Grid:
    stacked = np.stack(np.broadcast_arrays(*parts))
    decided = (stacked == decisive).any(axis=0)
    unknown = np.isnan(stacked).any(axis=0)
    return np.where(
        decided, decisive, np.where(unknown, np.nan, 1.0 - decisive)
    )
