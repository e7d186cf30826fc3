"""What a response curve is worth at an input: one at a time, and for whole
arrays of inputs with NumPy.

Both give the same numbers to 1e-12. `t` is the input's place in its range,
from 0 to 1; beyond the range it stays at the end. The shapes:

linear    from `low` to `high`, evenly
power     from `low` to `high`, as t to the power of `exponent`
logistic  1 / (1 + exp(-steepness (t - middle))): slow, then quick around the middle, then slow
logit     its reverse, middle + ln(t / (1 - t)) / steepness, kept within 0 and 1: quick at both ends
bell      exp(-((t - middle) / width)^2 / 2): most at the middle
step      1 where the input itself compares with the threshold as the sign says, else 0
points    straight from point to point
"""

import math
from collections.abc import Callable

import numpy as np

from umbrant.catalog.geometry import FloatArray
from umbrant.catalog.language.atom_results import COMPARISON_OPERATORS
from umbrant.model.values import Curve, Shape


def worth(curve: Curve, value: float, low: float, high: float) -> float:
    """What an input is worth, from 0 to 1, in a range from `low` to `high`."""
    if curve.shape is Shape.STEP:
        y = _step(curve, value)
    else:
        y = _ONE[curve.shape](curve, place(value, low, high))
    y = min(1.0, max(0.0, y))
    if curve.flipped:
        return 1.0 - y
    return y


def worth_grid(
    curve: Curve, values: FloatArray, low: float, high: float
) -> FloatArray:
    """The same for an array of inputs; NaN stays NaN."""
    if curve.shape is Shape.STEP:
        y = np.where(
            np.isnan(values),
            np.nan,
            COMPARISON_OPERATORS[curve.sign](values, curve.threshold),
        ).astype(np.float64)
    else:
        span = high - low
        with np.errstate(over="ignore", invalid="ignore"):
            if span:
                t = np.clip((values - low) / span, 0.0, 1.0)
            else:
                t = np.where(values >= high, 1.0, 0.0)
        y = _MANY[curve.shape](curve, t)
    y = np.clip(y, 0.0, 1.0)
    if curve.flipped:
        return 1.0 - y
    return y


def place(value: float, low: float, high: float) -> float:
    """Where an input stands in its range, from 0 to 1."""
    if high == low:
        if value >= high:
            return 1.0
        return 0.0
    return min(1.0, max(0.0, (value - low) / (high - low)))


def _step(curve: Curve, value: float) -> float:
    if COMPARISON_OPERATORS[curve.sign](value, curve.threshold):
        return 1.0
    return 0.0


def _logistic(curve: Curve, t: float) -> float:
    return 1.0 / (1.0 + math.exp(-curve.steepness * (t - curve.middle)))


def _logit(curve: Curve, t: float) -> float:
    if t <= 0.0 or t >= 1.0:
        return t
    return curve.middle + math.log(t / (1.0 - t)) / curve.steepness


def _points(curve: Curve, t: float) -> float:
    return float(_many_points(curve, np.asarray(t)))


def _many_logit(curve: Curve, t: FloatArray) -> FloatArray:
    with np.errstate(divide="ignore"):
        y = (
            curve.middle
            + np.log(t / (1.0 - np.minimum(t, 1.0 - 1e-16))) / curve.steepness
        )
    return np.where((t <= 0.0) | (t >= 1.0), t, y)


def _many_points(curve: Curve, t: FloatArray) -> FloatArray:
    points = sorted(curve.points) or [(0.0, 0.0)]
    return np.asarray(
        np.interp(t, [x for x, _ in points], [y for _, y in points])
    )


_ONE: dict[Shape, Callable[[Curve, float], float]] = {
    Shape.LINEAR: lambda curve, t: curve.low + (curve.high - curve.low) * t,
    Shape.POWER: lambda curve, t: (
        curve.low + (curve.high - curve.low) * float(t**curve.exponent)
    ),
    Shape.LOGISTIC: _logistic,
    Shape.LOGIT: _logit,
    Shape.BELL: lambda curve, t: math.exp(
        -(((t - curve.middle) / curve.width) ** 2) / 2
    ),
    Shape.POINTS: _points,
}

_MANY: dict[Shape, Callable[[Curve, FloatArray], FloatArray]] = {
    Shape.LINEAR: lambda curve, t: curve.low + (curve.high - curve.low) * t,
    Shape.POWER: lambda curve, t: (
        curve.low + (curve.high - curve.low) * t**curve.exponent
    ),
    Shape.LOGISTIC: lambda curve, t: (
        1.0 / (1.0 + np.exp(-curve.steepness * (t - curve.middle)))
    ),
    Shape.LOGIT: _many_logit,
    Shape.BELL: lambda curve, t: np.exp(
        -(((t - curve.middle) / curve.width) ** 2) / 2
    ),
    Shape.POINTS: _many_points,
}
