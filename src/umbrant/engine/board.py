"""Blackboards: the values of keys. Every write knows its writer."""

from collections.abc import Callable, Mapping
from functools import partial
from typing import Protocol

from umbrant.catalog.work import nothing
from umbrant.engine.recorder import WORLD, Recorder
from umbrant.model.behaviors import Key, Sharing
from umbrant.model.edits import ROW
from umbrant.model.values import KeyType, Literal


class Clock(Protocol):
    """What tells the time: a world."""

    @property
    def now_s(self) -> float: ...


class Shared:
    """The values that several agents share: one set for the world, and one for each group."""

    def __init__(self) -> None:
        self._values: dict[str, dict[str, Literal | None]] = {}
        self._written_s: dict[str, dict[str, float]] = {}

    def values(self, board: str) -> dict[str, Literal | None]:
        """The values of WORLD or of a group."""
        return self._values.setdefault(board, {})

    def written_s(self, board: str) -> dict[str, float]:
        """When each of them was last given a value."""
        return self._written_s.setdefault(board, {})


class Board:
    """The values of an agent's keys. `writer` is the row and part on whose account writes are noted."""

    def __init__(
        self,
        keys: Mapping[str, Key],
        recorder: Recorder,
        clock: Clock,
        *,
        shared: Shared | None = None,
        group: str | None = None,
    ) -> None:
        self._keys = keys
        self._recorder = recorder
        self._clock = clock
        self._boards = {name: _board_of(key, group) for name, key in keys.items()}
        shared = shared or Shared()
        own: dict[str, Literal | None] = {}
        own_s: dict[str, float] = {}
        self._values = {name: shared.values(board) if board else own for name, board in self._boards.items()}
        self._written = {name: shared.written_s(board) if board else own_s for name, board in self._boards.items()}
        self._formulas: dict[str, Callable[[], Literal | None]] = {}
        self._derived: dict[str, Literal | None] = {}
        self._busy: list[str] = []
        self._getters: dict[str, Callable[[], Literal | None]] = {}
        self._setters: dict[str, Callable[[Literal | None], None]] = {}
        self.writer: tuple[str, str] = ("", ROW)

    def start(self, values: Mapping[str, Literal]) -> None:
        """Put in the defaults, and `values` over them. What others who share a key have put in stays."""
        for name, key in self._keys.items():
            first = values.get(name, key.default)
            known = name in self._values[name] and self._boards[name]
            if first is not None and not key.formula and (name in values or not known):
                self.set(name, first)

    def derive(self, key: str, formula: Callable[[], Literal | None]) -> None:
        """Have a key always be what a formula gives. Which keys these are must be said before any is got or set."""
        self._formulas[key] = formula

    def get(self, key: str) -> Literal | None:
        """The key's value, None if it is not set or there is no such key."""
        return self.getter(key)()

    def set(self, key: str, value: Literal | None) -> None:
        """Write a key; a number is kept within the key's range. A derived key is left alone.

        Raises KeyError if there is no such key.
        """
        self.setter(key)(value)

    def getter(self, key: str) -> Callable[[], Literal | None]:
        """What gives a key's value, as `get` does: for who asks at nearly every tick."""
        if key not in self._getters:
            self._getters[key] = self._make_getter(key)
        return self._getters[key]

    def setter(self, key: str) -> Callable[[Literal | None], None]:
        """What writes a key, as `set` does. Raises KeyError if there is no such key."""
        if key not in self._setters:
            self._setters[key] = self._make_setter(key, self._keys[key])
        return self._setters[key]

    def suppose(self, key: str, value: Literal | None) -> None:
        """Have a key hold a value for the sake of a question; nothing is recorded. Put the old one back afterwards."""
        self._values[key][key] = value

    def type_of(self, key: str) -> KeyType | None:
        """The key's type, None if there is no such key."""
        return self._keys[key].type if key in self._keys else None

    def written_s(self, key: str) -> float | None:
        """When the key was last given a value (the same value counts), None if never."""
        return self._written[key].get(key) if key in self._written else None

    def settle(self) -> None:
        """Work out all derived keys, so that what is recorded of them is up to date."""
        for key in self._formulas:
            self._worked_out(key)

    def _make_getter(self, key: str) -> Callable[[], Literal | None]:
        if key in self._formulas:
            return partial(self._worked_out, key)
        return partial(self._values.get(key, {}).get, key)

    def _make_setter(self, key: str, declared: Key) -> Callable[[Literal | None], None]:
        board, values, written = self._boards[key], self._values[key], self._written[key]
        clock, wrote = self._clock, self._recorder.wrote
        is_number = declared.type is KeyType.NUMBER

        def set_(value: Literal | None) -> None:
            if is_number and isinstance(value, int | float):
                value = _within(declared, float(value))
            if value is not None:
                written[key] = clock.now_s
            if value != values.get(key):
                values[key] = value
                wrote(board, key, value, *self.writer)

        return nothing if key in self._formulas else set_

    def _worked_out(self, key: str) -> Literal | None:
        """What a formula gives now. One that needs itself is unknown."""
        if key in self._busy:
            return None
        self._busy.append(key)
        try:
            value = self._formulas[key]()
        finally:
            self._busy.pop()
        if value != self._derived.get(key):
            self._derived[key] = value
            self._written[key][key] = self._clock.now_s
            self._recorder.wrote("", key, value, "", FORMULA)
        return value


FORMULA = "formula"
"""The part that writes derived keys."""


def _board_of(key: Key, group: str | None) -> str:
    """Whose value a key is: '' is the agent's own. A key that is shared by a group is its own where it has none."""
    if key.scope is Sharing.WORLD:
        return WORLD
    return group or "" if key.scope is Sharing.GROUP else ""


def _within(key: Key, value: float) -> float:
    if key.low is not None:
        value = max(key.low, value)
    return value if key.high is None else min(key.high, value)
