"""Blackboards: the values of keys. Every write knows its writer."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Protocol

from umbrant.catalog.causes import Cause
from umbrant.engine.recorder import WORLD, Recorder
from umbrant.model.behaviors import Key, Sharing
from umbrant.model.parts import ROW
from umbrant.model.values import KeyType, Value

FORMULA = "formula"
"""The part that writes derived keys."""

BindFormula = Callable[
    [Callable[[Cause | None], None]], Callable[[], Value | None]
]
"""Makes what works out a formula, None where it is unknown. Is given what is
then to be called with the cause, or without one where nothing says why.
"""


class WorldClock(Protocol):
    """What tells the time: a world."""

    @property
    def now_s(self) -> float: ...


@dataclass(slots=True)
class HeldValue:
    """What a key that several agents share holds, and when it was last given a
    value, None if never.
    """

    value: Value | None = None
    written_s: float | None = None


class SharedBoards:
    """What the keys hold that several agents share: those of the world, and
    those of each group.
    """

    def __init__(self) -> None:
        self._held: dict[tuple[str, str], HeldValue] = {}

    def held(self, by: str, key: str) -> HeldValue:
        """What a key holds that is shared by a group, or WORLD."""
        return self._held.setdefault((by, key), HeldValue())


class Board:
    """An agent's keys. `writer` is the row and part on whose account writes
    are noted.
    """

    def __init__(
        self,
        keys: Mapping[str, Key],
        recorder: Recorder,
        clock: WorldClock,
        *,
        shared: SharedBoards | None = None,
        group: str | None = None,
    ) -> None:
        self.clock = clock
        self.recorder = recorder
        self.writer: tuple[str, str] = ("", ROW)
        shared = shared or SharedBoards()
        self._keys = keys
        self._live: dict[str, LiveKey] = {}
        for name, key in keys.items():
            by = _shared_by(key, group)
            if by:
                self._live[name] = SharedKey(
                    self, name, key, shared.held(by, name), by
                )
            else:
                self._live[name] = PrivateKey(self, name, key)
        self._derived: list[DerivedKey] = []
        self.formula_round = 0
        """The number of the evaluation of a derived key that is going on, with
        all that it needs; 0 for none.
        """
        self._rounds = 0

    def begin_formulas(self) -> None:
        """A derived key is evaluated that no other needs: what it needs is
        worked out once, however often it is named.

        Formulas that each name the one before twice would otherwise take twice
        as long with each of them.
        """
        self._rounds += 1
        self.formula_round = self._rounds

    def start(self, values: Mapping[str, Value]) -> None:
        """Put in the defaults, and `values` over them. What others who share a
        key have put in stays.
        """
        for name, key in self._keys.items():
            first, live = values.get(name, key.default), self._live[name]
            # A key that is shared has one beginning: that of whoever comes
            # first in the cast, unless a member says otherwise.
            if (
                first is not None
                and not key.formula
                and (name in values or live.written_s is None)
            ):
                live.set(first)

    def derive(self, key: str, bind: BindFormula) -> None:
        """Make a key follow the formula that `bind` makes. All derived keys
        must be declared before any key is read.
        """
        live = self._live[key]
        if isinstance(live, DerivedKey):
            live.follow(bind)
        else:
            self._live[key] = derived = DerivedKey(
                self, key, self._keys[key], bind
            )
            self._derived.append(derived)

    def key(self, name: str) -> "LiveKey":
        """A key, to be kept by who often asks for it or writes it. Raises
        KeyError if there is no such key.
        """
        return self._live[name]

    def get(self, key: str) -> Value | None:
        """The key's value, None if it is not set or there is no such key."""
        if key in self._live:
            return self._live[key].value
        return None

    def set(self, key: str, value: Value | None) -> None:
        """Write a key, as `LiveKey.set` does. Raises KeyError if there is no
        such key.
        """
        self._live[key].set(value)

    def values(self) -> tuple[Value | None, ...]:
        """What all keys hold now but those that follow from others, in the
        order in which they are declared.
        """
        return tuple(
            live.value
            for live in self._live.values()
            if not isinstance(live, DerivedKey)
        )

    def type_of(self, key: str) -> KeyType | None:
        """The key's type, None if there is no such key."""
        if key in self._keys:
            return self._keys[key].type
        return None

    def settle(self) -> None:
        """Evaluate all derived keys, so that their recorded values are up to
        date.
        """
        for live in self._derived:
            live.work_out()


class LiveKey:
    """One of an agent's keys, as nodes are given it.

    Assigning `value` directly is not recorded; whoever does so to try a value
    must put the old one back.
    """

    shared_by = ""
    """Who shares it: WORLD, a group, or nobody."""
    value: Value | None
    """What it holds, None if it is not set."""
    written_s: float | None
    """When it was last given a value (the same value counts), None if never.
    """

    def __init__(self, board: Board, key: str, declared: Key) -> None:
        self.key = key
        self._board = board
        self._clock = board.clock
        self._declared = declared
        self._is_number = declared.type is KeyType.NUMBER
        self._wrote = board.recorder.wrote

    @property
    def type(self) -> KeyType:
        """The type of value that the key holds."""
        return self._declared.type

    def set(self, value: Value | None, because: Cause | None = None) -> None:
        """Write it; a number is kept within the key's range."""
        if value is not None:
            if self._is_number and isinstance(value, _NUMBERS):
                value = _within(self._declared, float(value))
            # Given anew counts as written, also where the value stays:
            # `time_since` asks when it was last noted.
            self.written_s = self._clock.now_s
        # Identity first: most writes put back the very object, and comparing
        # points costs more.
        if value is not self.value and value != self.value:
            self.value = value
            self._wrote(
                self.shared_by, self.key, value, *self._board.writer, because
            )


class PrivateKey(LiveKey):
    """A key that is the agent's own."""

    def __init__(self, board: Board, key: str, declared: Key) -> None:
        super().__init__(board, key, declared)
        self.value = self.written_s = None


class SharedKey(LiveKey):
    """A key that the agent shares with its group, or with all."""

    def __init__(
        self, board: Board, key: str, declared: Key, held: HeldValue, by: str
    ) -> None:
        super().__init__(board, key, declared)
        self.shared_by = by
        self._held = held

    @property
    def value(self) -> Value | None:
        return self._held.value

    @value.setter
    def value(self, value: Value | None) -> None:
        self._held.value = value

    @property
    def written_s(self) -> float | None:
        return self._held.written_s

    @written_s.setter
    def written_s(self, written_s: float | None) -> None:
        self._held.written_s = written_s


class DerivedKey(LiveKey):
    """A key whose value is that of a formula; nothing else can write it."""

    def __init__(
        self,
        board: Board,
        key: str,
        declared: Key,
        bind: BindFormula,
    ) -> None:
        super().__init__(board, key, declared)
        self.follow(bind)
        self.written_s = None
        self._last: Value | None = None
        self._is_first = True
        self._is_busy = False
        self._round = -1
        """In which round it was worked out last."""

    @property
    def value(self) -> Value | None:
        return self.work_out()

    @value.setter
    def value(self, value: Value | None) -> None: ...

    def set(
        self, value: Value | None, because: Cause | None = None
    ) -> None: ...

    def follow(self, bind: BindFormula) -> None:
        """Follow a formula instead of the one before."""
        self._unknown: Cause | None = None
        self._formula = bind(self._note)

    def _note(self, reason: Cause | None) -> None:
        """The formula has no value, for a reason."""
        self._unknown = reason

    def work_out(self) -> Value | None:
        """The value of the formula now. A key that depends on itself is
        unknown.
        """
        if self._is_busy:
            return None
        board = self._board
        # Worked out already on behalf of the same formula: nothing can have
        # changed in between.
        if board.formula_round and self._round == board.formula_round:
            return self._last
        is_first = not board.formula_round
        if is_first:
            board.begin_formulas()
        self._is_busy = True
        try:
            value = self._formula()
        finally:
            self._is_busy = False
            self._round = board.formula_round
            if is_first:
                board.formula_round = 0
        if value != self._last:
            self._last = value
            self.written_s = self._clock.now_s
            self._write(value)
        elif self._is_first and self._unknown is not None:
            # It had no value before either, but nobody knows yet why not.
            self._write(value)
        self._is_first = False
        return value

    def _write(self, value: Value | None) -> None:
        because = None
        if value is None:
            because = self._unknown
        self._wrote("", self.key, value, "", FORMULA, because)


_NUMBERS = (float, int)


def _shared_by(key: Key, group: str | None) -> str:
    """Who shares a key. One that is shared by a group is an agent's own where
    it has none.
    """
    if key.scope is Sharing.WORLD:
        return WORLD
    if key.scope is Sharing.GROUP:
        return group or ""
    return ""


def _within(key: Key, value: float) -> float:
    if key.low is not None:
        value = max(key.low, value)
    if key.high is None:
        return value
    return min(key.high, value)
