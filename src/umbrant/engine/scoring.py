"""How the worths of what is considered come to an option's score: for one
decision, and for arrays of them with NumPy.

Both give the same numbers to 1e-12. Ways to combine n worths w with weights v:

product       p = product of w; the score is p + (1 - p) (1 - 1/n) p: a make-up, for a product of
many numbers below 1
              is small merely because they are many
mean          sum of v w / sum of v
minimum       the smallest w
weighted sum  sum of v w, kept within 0 and 1

The score is then multiplied by the option's weight. A worth that is unknown
makes the score 0.
"""

import math
from collections.abc import Callable, Sequence

import numpy as np

from umbrant.catalog.geometry import FloatArray


def combined(
    how: str, worths: Sequence[float], weights: Sequence[float]
) -> float:
    """One score from 0 to 1. Nothing considered is worth 1."""
    if not worths:
        return 1.0
    if any(math.isnan(each) for each in worths):
        return 0.0
    return _ONE[how](worths, weights)


def combined_grid(
    how: str, worths: Sequence[FloatArray], weights: Sequence[float]
) -> FloatArray:
    """The same for arrays that broadcast to one shape; NaN is unknown."""
    if not worths:
        return np.asarray(1.0)
    stacked = np.stack(np.broadcast_arrays(*worths))
    shaped = np.asarray(weights, dtype=np.float64).reshape(
        (-1,) + (1,) * (stacked.ndim - 1)
    )
    return np.asarray(
        np.where(
            np.isnan(stacked).any(axis=0), 0.0, _MANY[how](stacked, shaped)
        )
    )


def _with_make_up(product: float, count: int) -> float:
    return product + (1.0 - product) * (1.0 - 1.0 / count) * product


def _mean(worths: Sequence[float], weights: Sequence[float]) -> float:
    total = sum(weights)
    if total:
        return (
            sum(
                worth * weight
                for worth, weight in zip(worths, weights, strict=True)
            )
            / total
        )
    return 0.0


def _sum(worths: Sequence[float], weights: Sequence[float]) -> float:
    return min(
        1.0,
        max(
            0.0,
            sum(
                worth * weight
                for worth, weight in zip(worths, weights, strict=True)
            ),
        ),
    )


def _many_products(worths: FloatArray, weights: FloatArray) -> FloatArray:
    product, count = worths.prod(axis=0), len(worths)
    return np.asarray(
        product + (1.0 - product) * (1.0 - 1.0 / count) * product
    )


def _many_means(worths: FloatArray, weights: FloatArray) -> FloatArray:
    total = float(weights.sum())
    if total:
        scores = (worths * weights).sum(axis=0) / total
    else:
        scores = np.zeros(worths.shape[1:])
    return np.asarray(scores)


_ONE: dict[str, Callable[[Sequence[float], Sequence[float]], float]] = {
    "product": lambda worths, weights: _with_make_up(
        math.prod(worths), len(worths)
    ),
    "mean": _mean,
    "minimum": lambda worths, weights: min(worths),
    "weighted sum": _sum,
}

_MANY: dict[str, Callable[[FloatArray, FloatArray], FloatArray]] = {
    "product": _many_products,
    "mean": _many_means,
    "minimum": lambda worths, weights: np.asarray(worths.min(axis=0)),
    "weighted sum": lambda worths, weights: np.clip(
        (worths * weights).sum(axis=0), 0.0, 1.0
    ),
}
