"""Findings about utilities: options that cannot win, considerations that see
nothing of their input.
"""

from collections.abc import Iterator

import numpy as np

from umbrant.catalog.curves import worth_grid
from umbrant.catalog.kind import Family
from umbrant.catalog.language.tree import KeyTerm, SenseCall, tree_of
from umbrant.model.behaviors import Row
from umbrant.model.kind_ids import CONSIDER, UTILITY
from umbrant.model.values import Curve, KeyRef, KeyType, Shape, number_text
from umbrant.review.behavior_analysis import BehaviorAnalysis
from umbrant.review.findings import RuleMatch, Severity
from umbrant.review.rules import behavior_rule

POINTS = 201
"""At how many places of its range a curve is looked at."""


def _number(row: Row, name: str, otherwise: float) -> float | None:
    """A number of a row; None where it depends on a key."""
    value = row.args.get(name, otherwise)
    if isinstance(value, KeyRef):
        return None
    if isinstance(value, int | float):
        return float(value)
    return otherwise


def _most(row: Row) -> float:
    """The most that a consideration can be worth."""
    curve = row.args.get("curve", Curve(shape=Shape.LINEAR))
    low, high = _number(row, "low", 0.0), _number(row, "high", 1.0)
    if not isinstance(curve, Curve) or low is None or high is None:
        return 1.0
    if curve.shape is Shape.STEP:
        return 1.0
    return float(
        np.max(worth_grid(curve, np.linspace(low, high, POINTS), low, high))
    )


@behavior_rule(
    "An option that can never win",
    why="Whatever comes in, its score stays at or below what must be exceeded to be chosen.",
    severity=Severity.WARNING,
)
def losing_option(reading: BehaviorAnalysis) -> Iterator[RuleMatch]:
    """An option whose weight is 0, or of which a consideration that is
    multiplied is never worth anything.
    """
    for row in reading.rows:
        if row.kind != UTILITY:
            continue
        threshold = _number(row, "threshold", 0.0)
        for option in reading.children(row.id, Family.OPTION):
            weight = _number(option, "weight", 1.0)
            considered = reading.children(option.id, Family.CONSIDERATION)
            if weight is None or threshold is None:
                continue
            most = [_most(each) for each in considered] or [1.0]
            how = option.args.get("combine", "product")
            best = 1.0
            if how in ("product", "minimum"):
                best = min(most)
            if how == "product" and len(most) > 1 and min(most) > 0:
                best = 1.0
            if best * weight <= threshold:
                score, needed = (
                    number_text(best * weight),
                    number_text(threshold),
                )
                message = (
                    f"Its score is {score} at most, and must be over {needed}."
                )
                yield RuleMatch(message, option.id)


@behavior_rule(
    "A consideration whose range the input leaves",
    why=(
        "Below and above its range a curve stays what it is at the edge, so there every input is "
        "worth the same."
    ),
    severity=Severity.HINT,
)
def narrow_range(reading: BehaviorAnalysis) -> Iterator[RuleMatch]:
    """A consideration that looks at less than half of what its key can be, or
    past it altogether.
    """
    for row in reading.rows:
        tree = None
        if row.kind == CONSIDER:
            tree = tree_of(str(row.args.get("input", "")))
        low, high = _number(row, "low", 0.0), _number(row, "high", 1.0)
        bounds = _bounds(reading, tree)
        if bounds is None or low is None or high is None:
            continue
        least, most = bounds
        seen = max(0.0, min(high, most) - max(low, least))
        if most > least and seen < (most - least) / 2:
            said = f"{number_text(least)} to {number_text(most)}"
            yield RuleMatch(
                f"Its input goes from {said}, its range from {number_text(low)} to "
                f"{number_text(high)}.",
                row.id,
            )


def _bounds(
    reading: BehaviorAnalysis, tree: object
) -> tuple[float, float] | None:
    """The bounds of a key's value; None if it lacks one."""
    if isinstance(tree, KeyTerm) and tree.key in reading.keys:
        key = reading.keys[tree.key]
        if key.low is not None and key.high is not None:
            return (key.low, key.high)
        return None
    if isinstance(tree, SenseCall) and tree.sense == "level":
        return (0.0, 1.0)
    return None


@behavior_rule(
    "A distance that counts as one or nothing",
    why="A consideration is worth most at one end of its range and least at the other. A distance "
    "or a time is mostly beyond 1, so it hardly tells the options apart.",
    severity=Severity.HINT,
)
def unscaled_input(reading: BehaviorAnalysis) -> Iterator[RuleMatch]:
    """A consideration of a distance or a time whose range was left at 0 to 1."""
    for row in reading.rows:
        tree = None
        if row.kind == CONSIDER:
            tree = tree_of(str(row.args.get("input", "")))
        kind = None
        if isinstance(tree, SenseCall):
            kind = reading.catalog.kinds.get(tree.sense)
        is_left = "low" not in row.args and "high" not in row.args
        if (
            kind is not None
            and kind.unit in ("m", "s")
            and kind.gives is KeyType.NUMBER
            and is_left
        ):
            yield RuleMatch(
                f"Its range is 0 to 1 {kind.unit}, as it was at first.", row.id
            )
