"""One agent's blackboard. Every write knows its writer."""

from collections.abc import Callable, Mapping

from umbrant.engine.recorder import Recorder
from umbrant.model.documents import Key
from umbrant.model.edits import ROW
from umbrant.model.values import KeyType, Literal


class Board:
    """The values of an agent's keys. `writer` is the row and part on whose account writes are noted."""

    def __init__(self, keys: Mapping[str, Key], recorder: Recorder, now_s: Callable[[], float]) -> None:
        self._keys = keys
        self._recorder = recorder
        self._now_s = now_s
        self._values: dict[str, Literal | None] = dict.fromkeys(keys)
        self._written_s: dict[str, float] = {}
        self.writer: tuple[str, str] = ("", ROW)

    def start(self, values: Mapping[str, Literal]) -> None:
        """Put in the defaults, and `values` over them."""
        for name, key in self._keys.items():
            first = values.get(name, key.default)
            if first is not None:
                self.set(name, first)

    def get(self, key: str) -> Literal | None:
        """The key's value, None if it is not set or there is no such key."""
        return self._values.get(key)

    def set(self, key: str, value: Literal | None) -> None:
        """Write a key; a number is kept within the key's range. Raises KeyError if there is no such key."""
        declared = self._keys[key]
        if declared.type is KeyType.NUMBER and isinstance(value, int | float):
            value = _within(declared, float(value))
        if value is not None:
            self._written_s[key] = self._now_s()
        if value != self._values[key]:
            self._values[key] = value
            self._recorder.wrote(key, value, *self.writer)

    def type_of(self, key: str) -> KeyType | None:
        """The key's type, None if there is no such key."""
        return self._keys[key].type if key in self._keys else None

    def written_s(self, key: str) -> float | None:
        """When the key was last given a value (the same value counts), None if never."""
        return self._written_s.get(key)


def _within(key: Key, value: float) -> float:
    if key.low is not None:
        value = max(key.low, value)
    return value if key.high is None else min(key.high, value)
