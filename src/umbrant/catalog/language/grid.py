"""Asking a condition for many values at once, with NumPy: the same answers as one at a time."""

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from umbrant.catalog.geometry import GRID
from umbrant.catalog.language.found import COMPARE, RECKON
from umbrant.catalog.language.tree import (
    Arithmetic,
    Ask,
    Both,
    Compare,
    Either,
    KeyName,
    Not,
    Number,
    Text,
    Tree,
    YesNo,
    source,
)

Grid = NDArray[np.float64]


def ask_grid(tree: Tree, values: Mapping[str, Grid]) -> Grid:
    """The condition's answers: 1 yes, 0 no, NaN unknown, in the shape the values broadcast to.

    `values` holds numbers, or 1 and 0 for yes and no, NaN where unknown, by key and by the source
    of each sense, such as `distance(visitor)`. Raises KeyError for what is missing in it, TypeError
    for a text.
    """
    match tree:
        case Number(value=value) | YesNo(value=value):
            return np.asarray(float(value))
        case KeyName() | Ask():
            return np.asarray(values[source(tree)], dtype=np.float64)
        case Arithmetic(sign=sign, left=left, right=right):
            return _reckon(sign, ask_grid(left, values), ask_grid(right, values))
        case Compare(sign=sign, left=left, right=right):
            one, other = ask_grid(left, values), ask_grid(right, values)
            known = ~(np.isnan(one) | np.isnan(other))
            return np.where(known, COMPARE[sign](one, other), np.nan)
        case Not(part=part):
            return 1.0 - ask_grid(part, values)
        case Both(parts=parts):
            return _decided_by([ask_grid(part, values) for part in parts], 0.0)
        case Either(parts=parts):
            return _decided_by([ask_grid(part, values) for part in parts], 1.0)
        case Text():
            raise TypeError("a text has no place on a grid of numbers")


def _reckon(sign: str, one: Grid, other: Grid) -> Grid:
    with np.errstate(all="ignore"):
        result = RECKON[sign](one, other)  # type: ignore[arg-type]
        return np.where(np.isfinite(result), np.round(np.asarray(result) * GRID) / GRID, np.nan)


def _decided_by(parts: list[Grid], decisive: float) -> Grid:
    stacked = np.stack(np.broadcast_arrays(*parts))
    decided = (stacked == decisive).any(axis=0)
    unknown = np.isnan(stacked).any(axis=0)
    return np.where(decided, decisive, np.where(unknown, np.nan, 1.0 - decisive))
