"""What of an atom's result stands in the condition itself.

A take keeps what was measured, and not what it was compared with, where that
is written in its documents. So a reader fills it in, and a number that is
edited changes nothing in a take before the first tick at which what was
measured gives another answer with it.
"""

from typing import NamedTuple

from umbrant.catalog.causes import Cause
from umbrant.catalog.kind import Catalog, Family, Kind
from umbrant.catalog.language.atom_results import (
    COMPARISON_OPERATORS,
    with_range,
    without_range,
)
from umbrant.catalog.language.check import bound_args
from umbrant.catalog.language.tree import (
    Comparison,
    ConditionTree,
    Conjunction,
    Disjunction,
    Negation,
    NumberTerm,
    SenseCall,
    atoms,
    literal,
)
from umbrant.model.values import Value


class WrittenPart(NamedTuple):
    """What of one atom's result is written in its condition; None for what is
    not.
    """

    left: Value | None = None
    right: Value | None = None
    range_m: float | None = None
    """How far a sense is to look, where it says that something was too far
    away.
    """

    def filled_in(self, cause: Cause | None) -> Cause | None:
        """A cause with the range that is written."""
        if cause and self.range_m is not None:
            return with_range(cause, self.range_m)
        return cause

    def left_out(self, cause: Cause) -> Cause:
        """The reverse of `filled_in`."""
        if self.range_m is not None:
            return without_range(cause, self.range_m)
        return cause


NOTHING_WRITTEN = WrittenPart()


class WrittenNumberChange(NamedTuple):
    """A number of one atom that is another one than before."""

    atom: int
    """The index of the atom in its condition."""
    before: float
    after: float
    sign: str = ""
    """Of a comparison its sign; empty for the range of a sense."""
    is_left: bool = False
    """Whether it stands on the left of the sign."""

    def may_change(
        self, truth: bool | None, left: object, right: object
    ) -> bool:
        """Whether an atom that came to this by the old number may come to
        something else by the new one. The sides are what was measured; of a
        sense `left` is the distance.
        """
        measured = right if self.is_left else left
        if measured is None:
            return False
        if not isinstance(measured, int | float):
            return True
        if not self.sign:
            # Between the two ranges it is too far away by one of them. Beyond
            # both it is by either, and within both the range has no say.
            least, most = sorted((self.before, self.after))
            return least < measured <= most
        compare = COMPARISON_OPERATORS[self.sign]
        if self.is_left:
            sides = (self.after, measured)
        else:
            sides = (measured, self.after)
        return compare(*sides) is not truth


class ConditionChange(NamedTuple):
    """A condition that differs in numbers alone from what it was."""

    row_id: str
    part: str
    tree: ConditionTree
    """The condition as it is now."""
    numbers: tuple[WrittenNumberChange, ...]


def written_parts(
    tree: ConditionTree, catalog: Catalog
) -> tuple[WrittenPart, ...]:
    """What of the result of each atom of a condition is written in it, in the
    order of the atoms.
    """
    return tuple(_written(atom, catalog) for atom in atoms(tree))


def _written(atom: ConditionTree, catalog: Catalog) -> WrittenPart:
    if isinstance(atom, Comparison):
        return WrittenPart(literal(atom.left), literal(atom.right))
    if isinstance(atom, SenseCall):
        kind = catalog.get(atom.sense, Family.SENSE)
        range_m = None
        if kind is not None:
            range_m = written_range(atom, kind)
        return WrittenPart(range_m=range_m)
    return WrittenPart(literal(atom))


def written_range(ask: SenseCall, kind: Kind) -> float | None:
    """How far a sense that is bounded is to look: what is written, or else
    what it does without. None where a key says it, and for a sense that is not
    bounded.
    """
    param = kind.param(kind.bounded_by)
    if param is None:
        return None
    given = bound_args(ask, kind).get(param.name)
    if given is None:
        if isinstance(param.default, int | float):
            return float(param.default)
        return None
    if isinstance(given, NumberTerm):
        return given.value
    return None


def changed_numbers(
    before: ConditionTree, after: ConditionTree, catalog: Catalog
) -> tuple[WrittenNumberChange, ...] | None:
    """The numbers in which two conditions differ. None where they differ in
    anything else, or where what a take keeps does not say what comes of a
    number.
    """
    one, other = list(atoms(before)), list(atoms(after))
    found: list[WrittenNumberChange] = []
    if len(one) != len(other) or _shape(before) != _shape(after):
        return None
    for index, (was, now) in enumerate(zip(one, other, strict=True)):
        if was == now:
            continue
        changed = _changed(index, was, now, catalog)
        if changed is None:
            return None
        found.append(changed)
    return tuple(found)


def _changed(
    index: int, was: ConditionTree, now: ConditionTree, catalog: Catalog
) -> WrittenNumberChange | None:
    """The number in which two atoms differ; None where they differ in anything
    else.
    """
    if isinstance(was, SenseCall) and isinstance(now, SenseCall):
        return _changed_range(index, was, now, catalog)
    if not isinstance(was, Comparison) or not isinstance(now, Comparison):
        return None
    if was.sign != now.sign:
        return None
    if was.left == now.left:
        return _changed_side(
            index, was.right, now.right, was.sign, is_left=False
        )
    if was.right == now.right:
        return _changed_side(index, was.left, now.left, was.sign, is_left=True)
    return None


def _changed_side(
    index: int,
    was: ConditionTree,
    now: ConditionTree,
    sign: str,
    *,
    is_left: bool,
) -> WrittenNumberChange | None:
    if not isinstance(was, NumberTerm) or not isinstance(now, NumberTerm):
        return None
    return WrittenNumberChange(index, was.value, now.value, sign, is_left)


def _changed_range(
    index: int, was: SenseCall, now: SenseCall, catalog: Catalog
) -> WrittenNumberChange | None:
    kind = catalog.get(was.sense, Family.SENSE)
    if kind is None or was.sense != now.sense or not kind.bounded_by:
        return None
    before, after = bound_args(was, kind), bound_args(now, kind)
    one, other = (
        before.pop(kind.bounded_by, None),
        after.pop(kind.bounded_by, None),
    )
    if (
        before != after
        or not isinstance(one, NumberTerm)
        or not isinstance(other, NumberTerm)
    ):
        return None
    return WrittenNumberChange(index, one.value, other.value)


def _shape(tree: ConditionTree) -> object:
    """How a condition is put together of atoms."""
    match tree:
        case Negation(part=part):
            return "not", _shape(part)
        case Conjunction(parts=parts):
            return "and", tuple(_shape(each) for each in parts)
        case Disjunction(parts=parts):
            return "or", tuple(_shape(each) for each in parts)
    return None
