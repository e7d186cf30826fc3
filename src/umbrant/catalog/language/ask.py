"""Asking a condition on behalf of one agent, keeping what each comparison found."""

import operator
from collections.abc import Callable
from typing import Any, NamedTuple, Protocol

from umbrant.catalog.causes import Cause, cause
from umbrant.catalog.geometry import to_grid
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
)
from umbrant.catalog.work import Reading
from umbrant.model.values import Literal

COMPARE: dict[str, Callable[[Any, Any], bool]] = {
    "<": operator.lt,
    "<=": operator.le,
    ">": operator.gt,
    ">=": operator.ge,
    "==": operator.eq,
    "!=": operator.ne,
}
RECKON: dict[str, Callable[[float, float], float]] = {
    "+": operator.add,
    "-": operator.sub,
    "*": operator.mul,
    "/": operator.truediv,
}


class Found(NamedTuple):
    """What asking one atom gave. `truth` None is unknown; `left` and `right` are a comparison's sides.

    For a bare sense `left` is the number behind it (`can_see`'s distance); `cause` is what stood in the way.
    """

    truth: bool | None
    left: Literal | None = None
    right: Literal | None = None
    cause: Cause | None = None


class Scope(Protocol):
    """Where keys and senses get their values from."""

    def key(self, name: str) -> Callable[[], Literal | None]: ...
    def sense(self, ask: Ask) -> Callable[[], Reading]: ...


class Asker:
    """A condition bound to one agent. `found` holds, atom by atom, what the last asking met; None: not asked."""

    def __init__(self, tree: Tree, scope: Scope) -> None:
        self.found: list[Found | None] = []
        self._missing: Cause | None = None
        self._scope = scope
        self._truth = self._truth_of(tree)
        self._blank: list[Found | None] = [None] * len(self.found)

    def ask(self) -> bool:
        """Ask it now; unknown counts as no."""
        self.found[:] = self._blank
        return self._truth() is True

    def _truth_of(self, tree: Tree) -> Callable[[], bool | None]:
        match tree:
            case Not(part=part):
                inner = self._truth_of(part)
                return lambda: None if (truth := inner()) is None else not truth
            case Both(parts=parts):
                return _decided_by([self._truth_of(part) for part in parts], False)
            case Either(parts=parts):
                return _decided_by([self._truth_of(part) for part in parts], True)
            case Compare():
                return self._comparison(tree)
            case Ask():
                return self._bare_sense(tree)
        return self._bare_value(tree)

    def _comparison(self, tree: Compare) -> Callable[[], bool | None]:
        place = self._new_atom()
        left, right, compare, found = (
            self._value_of(tree.left),
            self._value_of(tree.right),
            COMPARE[tree.sign],
            self.found,
        )

        def ask() -> bool | None:
            self._missing = None
            one, other = left(), right()
            truth = None if one is None or other is None else compare(one, other)
            found[place] = Found(truth, one, other, self._missing)
            return truth

        return ask

    def _bare_sense(self, tree: Ask) -> Callable[[], bool | None]:
        place, read, found = self._new_atom(), self._scope.sense(tree), self.found

        def ask() -> bool | None:
            reading = read()
            truth = reading.value if isinstance(reading.value, bool) else None
            found[place] = Found(truth, reading.measure, None, reading.cause)
            return truth

        return ask

    def _bare_value(self, tree: Tree) -> Callable[[], bool | None]:
        place, value, found = self._new_atom(), self._value_of(tree), self.found

        def ask() -> bool | None:
            self._missing = None
            got = value()
            truth = got if isinstance(got, bool) else None
            found[place] = Found(truth, got, None, self._missing)
            return truth

        return ask

    def _value_of(self, tree: Tree) -> Callable[[], Any]:
        match tree:
            case Number(value=value) | Text(value=value) | YesNo(value=value):
                return lambda: value
            case KeyName(key=key):
                return self._key(key)
            case Ask():
                return self._sense(tree)
            case Arithmetic(sign=sign, left=left, right=right):
                return _reckoning(RECKON[sign], self._value_of(left), self._value_of(right))
        return Asker(tree, self._scope)._truth

    def _key(self, key: str) -> Callable[[], Literal | None]:
        get = self._scope.key(key)

        def value() -> Literal | None:
            got = get()
            if got is None:
                self._missing = cause("not_set", key=key)
            return got

        return value

    def _sense(self, tree: Ask) -> Callable[[], Literal | None]:
        read = self._scope.sense(tree)

        def value() -> Literal | None:
            reading = read()
            if reading.cause is not None:
                self._missing = reading.cause
            return reading.value

        return value

    def _new_atom(self) -> int:
        self.found.append(None)
        return len(self.found) - 1


def formula_of(tree: Tree, scope: Scope) -> Callable[[], Literal | None]:
    """What works out a formula; it gives None where something in it is unknown."""
    return Asker(tree, scope)._value_of(tree)


def _decided_by(parts: list[Callable[[], bool | None]], decisive: bool) -> Callable[[], bool | None]:
    """`and` and `or`: the first part that gives `decisive` ends it; an unknown part makes the rest unknown."""

    def ask() -> bool | None:
        unknown = False
        for part in parts:
            truth = part()
            if truth is decisive:
                return decisive
            unknown = unknown or truth is None
        return None if unknown else not decisive

    return ask


def _reckoning(
    reckon: Callable[[float, float], float], left: Callable[[], Any], right: Callable[[], Any]
) -> Callable[[], float | None]:
    def value() -> float | None:
        one, other = left(), right()
        if one is None or other is None:
            return None
        try:
            return to_grid(reckon(one, other))
        except (ZeroDivisionError, OverflowError, ValueError):
            return None

    return value
