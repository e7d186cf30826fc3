"""Which ranges of values a condition holds in: what rules about thresholds go
by.

A condition is taken apart into cases, of which one must hold: `(n > 5 or angry)
and d < 2` has the cases `n > 5, d < 2` and `angry, d < 2`. A case has a range
for each value that is compared with a number, and the questions that must be
answered with yes or no. Sums and products with numbers are solved for the
value: `2 * n + 1 > 5` is a range of `n`.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from itertools import product
from math import inf

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
    YesNoTerm,
    source,
)
from umbrant.catalog.references import walk

MOST_CASES = 24
"""Conditions with more cases than this are not taken apart."""
DEEPEST_FORMULA = 4
"""How many formulas may stand in each other; a ring of them comes to an end
here.
"""
OPPOSITE = {"<": ">=", ">=": "<", ">": "<=", "<=": ">"}
TURNED = {"<": ">", ">": "<", "<=": ">=", ">=": "<="}
"""The signs after both sides are multiplied by a number below 0."""

KnownKeys = Mapping[str, "float | ConditionTree"]
"""Keys that always have one value, and the formulas of keys that have one."""


@dataclass(frozen=True)
class ValueRange:
    """The numbers from `low` to `high`; an open end does not belong to it."""

    low: float = -inf
    high: float = inf
    low_open: bool = False
    high_open: bool = False

    @property
    def is_empty(self) -> bool:
        """Whether no number lies in it."""
        ends_meet = self.low == self.high and (self.low_open or self.high_open)
        return self.low > self.high or ends_meet

    def meet(self, other: "ValueRange") -> "ValueRange":
        """The numbers that lie in both."""
        low, low_open = max(
            (self.low, self.low_open), (other.low, other.low_open)
        )
        high, high_closed = min(
            (self.high, not self.high_open), (other.high, not other.high_open)
        )
        return ValueRange(low, high, low_open, not high_closed)

    def holds(self, other: "ValueRange") -> bool:
        """Whether all numbers of the other lie in it."""
        return self.meet(other) == other


@dataclass(frozen=True)
class Case:
    """Ranges that values must lie in, by the value's text, and questions by
    what they must be.
    """

    ranges: Mapping[str, ValueRange] = field(default_factory=dict)
    answers: Mapping[str, bool] = field(default_factory=dict)

    def meet(self, other: "Case") -> "Case | None":
        """What must hold for both; None if both cannot."""
        ranges = dict(self.ranges)
        for value, found in other.ranges.items():
            ranges[value] = ranges.get(value, ValueRange()).meet(found)
            if ranges[value].is_empty:
                return None
        if any(
            self.answers.get(question, yes) != yes
            for question, yes in other.answers.items()
        ):
            return None
        return Case(ranges, {**self.answers, **other.answers})

    def holds(self, other: "Case") -> bool:
        """Whether this holds wherever the other does."""
        anything = ValueRange()
        return all(
            found.holds(other.ranges.get(value, anything))
            for value, found in self.ranges.items()
        ) and all(
            other.answers.get(question) == yes
            for question, yes in self.answers.items()
        )


Cases = tuple[Case, ...]
ALWAYS: Cases = (Case(),)
NEVER: Cases = ()


def cases(tree: ConditionTree, known: KnownKeys) -> Cases | None:
    """The cases in which a condition holds; none of them if it never does.
    None where it draws at random or has too many.
    """
    if any(
        isinstance(each, SenseCall) and each.sense == "random"
        for each in walk(tree)
    ):
        return None
    return _cases(tree, True, known)


def together(one: Cases, other: Cases) -> Case | None:
    """The first case in which both hold; None if there is none."""
    for mine in one:
        for theirs in other:
            both = mine.meet(theirs)
            if both is not None:
                return both
    return None


def implies(narrow: Cases, wide: Cases) -> bool:
    """Whether `wide` holds wherever `narrow` does. A no is not certain: it may
    hold all the same where two of its cases meet.
    """
    return all(any(case.holds(each) for case in wide) for each in narrow)


def _cases(
    tree: ConditionTree, wanted: bool, known: KnownKeys
) -> Cases | None:
    """The cases in which a condition is what is wanted."""
    match tree:
        case Negation(part=part):
            return _cases(part, not wanted, known)
        case YesNoTerm(value=value):
            if value is wanted:
                return ALWAYS
            return NEVER
        case Conjunction(parts=parts) | Disjunction(parts=parts):
            found = [_cases(each, wanted, known) for each in parts]
            # De Morgan: `not (a and b)` is a question of any of them, and `not
            # (a or b)` of all.
            every = isinstance(tree, Conjunction) is wanted
            if every:
                return _all_of(found)
            return _any_of(found)
        case Comparison():
            return _compared(tree, wanted, known)
    if isinstance(tree, SenseCall) and tree.sense == "can_see":
        return _seen(tree, wanted, known)
    return (Case(answers={source(tree): wanted}),)


def _seen(tree: SenseCall, wanted: bool, known: KnownKeys) -> Cases | None:
    """Seeing someone within a range is seeing them, and their distance lies in
    the range.
    """
    named = dict(tree.named)
    whom = tree.args[0] if tree.args else named.get("target")
    within = tree.args[1] if len(tree.args) > 1 else named.get("within")
    if whom is None:
        return (Case(answers={source(tree): wanted}),)
    parts: list[Cases | None] = [
        (Case(answers={f"can_see({source(whom)})": wanted}),)
    ]
    if within is not None:
        distance = SenseCall("distance", (whom,), (), tree.span)
        near = Comparison("<=", distance, within, tree.span)
        parts.append(_compared(near, wanted, known))
    # Who is not seen within a range is out of sight, or too far away.
    if wanted:
        return _all_of(parts)
    return _any_of(parts)


def _all_of(parts: list[Cases | None]) -> Cases | None:
    if any(each is None for each in parts):
        return None
    found: list[Case] = [Case()]
    for each in parts:
        met = [one.meet(other) for one, other in product(found, each or ())]
        found = [case for case in met if case is not None]
        # Cases multiply with each part; what has very many is told of by no
        # rule.
        if len(found) > MOST_CASES:
            return None
    return tuple(found)


def _any_of(parts: list[Cases | None]) -> Cases | None:
    if any(each is None for each in parts):
        return None
    found = tuple(case for each in parts for case in each or ())
    if len(found) <= MOST_CASES:
        return found
    return None


def _compared(
    tree: Comparison, wanted: bool, known: KnownKeys
) -> Cases | None:
    """The cases of one comparison: a range of the value in it, or a question
    to be answered.
    """
    sides = _linear(tree.left, known), _linear(tree.right, known)
    # Being equal is no range: it is a question, and so is what is no sum.
    if tree.sign not in OPPOSITE or sides[0] is None or sides[1] is None:
        return (Case(answers={source(tree): wanted}),)
    sign = tree.sign if wanted else OPPOSITE[tree.sign]
    terms, constant = sides[0].minus(sides[1])
    if not terms:
        if _range(sign, 0.0).holds(ValueRange(constant, constant)):
            return ALWAYS
        return NEVER
    # By the first term, with the factor 1: so `2 * n > 4` and `n > 2` are
    # ranges of one value.
    first = terms[min(terms)]
    parts = []
    for name, factor in sorted(terms.items()):
        if factor == first:
            parts.append(name)
        else:
            parts.append(f"{factor / first:g} * {name}")
    value = " + ".join(parts)
    bound = -constant / first
    return (Case({value: _range(sign if first > 0 else TURNED[sign], bound)}),)


def _range(sign: str, bound: float) -> ValueRange:
    """The numbers that stand in a relation to a bound."""
    if sign in ("<", "<="):
        return ValueRange(high=bound, high_open=sign == "<")
    return ValueRange(low=bound, low_open=sign == ">")


@dataclass(frozen=True)
class _Linear:
    """Values with their factors, and what is added to them."""

    terms: Mapping[str, float]
    constant: float = 0.0

    def plus(self, other: "_Linear", times: float = 1.0) -> "_Linear":
        names = sorted({*self.terms, *other.terms})
        summed = {
            name: self.terms.get(name, 0.0)
            + times * other.terms.get(name, 0.0)
            for name in names
        }
        terms = {name: factor for name, factor in summed.items() if factor}
        return _Linear(terms, self.constant + times * other.constant)

    def minus(self, other: "_Linear") -> tuple[Mapping[str, float], float]:
        found = self.plus(other, -1.0)
        return found.terms, found.constant

    def times(self, factor: float) -> "_Linear":
        return _Linear({}).plus(self, factor)


def _linear(
    tree: ConditionTree, known: KnownKeys, depth: int = 0
) -> _Linear | None:
    """A side of a comparison as a sum; None where it is no number."""
    match tree:
        case NumberTerm(value=value):
            return _Linear({}, value)
        case KeyTerm(key=key):
            found = known.get(key)
            if isinstance(found, float):
                return _Linear({}, found)
            if found is not None and depth < DEEPEST_FORMULA:
                return _linear(found, known, depth + 1)
            return _Linear({key: 1.0})
        case SenseCall():
            return _Linear({source(tree): 1.0})
        case Arithmetic(sign=sign, left=left, right=right):
            return _worked_out(
                sign,
                _linear(left, known, depth),
                _linear(right, known, depth),
                source(tree),
            )
    return None


def _worked_out(
    sign: str, left: _Linear | None, right: _Linear | None, text: str
) -> _Linear | None:
    """Two sides put together; a product of two values is a value of its own."""
    if left is None or right is None:
        return None
    if sign in "+-":
        if sign == "+":
            return left.plus(right, 1.0)
        return left.plus(right, -1.0)
    if sign == "*" and not (left.terms and right.terms):
        # One of the two is a mere number, so the product is still a sum of
        # values with factors.
        if left.terms:
            return left.times(right.constant)
        return right.times(left.constant)
    if sign == "/" and not right.terms and right.constant:
        return left.times(1 / right.constant)
    return _Linear({text: 1.0})
