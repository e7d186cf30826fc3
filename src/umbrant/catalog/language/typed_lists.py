"""Keys of a blackboard, or numbers of a body, typed as a list: `tired 0..100,
thirst 0..100 = 20, gold 0`.

An entry is a name, and behind it what it holds: a range, a value, a unit, and
for a number of a body how much it changes a second (`+0.5/s`). A key may be of
any type: `seen no`, `spot point`. Entries are parted by commas, semicolons or
lines.
"""

import re
from collections.abc import Callable, Collection, Iterator
from dataclasses import dataclass
from typing import Generic, TypeVar

from pydantic import ValidationError

from umbrant.model.behaviors import Key
from umbrant.model.staging import Stat
from umbrant.model.values import KeyType, Value

T = TypeVar("T")

ANY = 1_000_000.0
"""The bounds of a number of a body for which no range is typed, below and
above.
"""

# Atomic: half a number is none.
_NUMBER = r"(?>[-+]?(?:\d+(?:\.\d+)?|\.\d+))"
_ENTRY = re.compile(
    rf"""
    (?P<name>[^\s:]+)
    (?: \s*:\s* | \s+ | $)
    (?: (?P<low>{_NUMBER}) \s* (?:\.\.|…|\bto\b) \s* (?P<high>{_NUMBER}) \s* )?
    (?: =?\s* (?P<value>{_NUMBER}) (?!\s*/\s*s) \s* )?
    (?: (?P<per_s>{_NUMBER}) \s*/\s*s \s* )?
    (?P<word>[^\d\s=].*)?
    $""",
    re.VERBOSE,
)
_YES_NO = {"yes": True, "no": False}
HOW = (
    "Write a name and a range or a value, such as `tired 0..100` or `gold 5`."
)


@dataclass(frozen=True)
class ListFault:
    """An entry that was not taken, and why, with the way out."""

    entry: str
    message: str


@dataclass(frozen=True)
class TypedList(Generic[T]):
    """What was read of a list: the entries that were taken by their names, in
    order, and those that were not.
    """

    taken: dict[str, T]
    faults: tuple[ListFault, ...]


class _EntryError(ValueError):
    """An entry that makes no sense. The message says what would."""


def typed_keys(text: str, known: Collection[str]) -> TypedList[Key]:
    """The keys that a text lists; `known` are names that are taken."""
    return _read(text, known, _key)


def typed_numbers(text: str, known: Collection[str]) -> TypedList[Stat]:
    """The numbers of a body that a text lists; `known` are names that are
    taken.
    """
    return _read(text, known, _number)


def _read(
    text: str, known: Collection[str], read: Callable[[str, re.Match[str]], T]
) -> TypedList[T]:
    taken: dict[str, T] = {}
    faults: list[ListFault] = []
    for entry in _entries(text):
        match = _ENTRY.match(entry)
        name = ""
        if match:
            name = match["name"]
        if match is None:
            faults.append(ListFault(entry, HOW))
            continue
        try:
            _check_name(name, (*known, *taken))
            taken[name] = read(name, match)
        except _EntryError as error:
            faults.append(ListFault(entry, str(error)))
    return TypedList(taken, tuple(faults))


def _check_name(name: str, taken: Collection[str]) -> None:
    if name in taken:
        raise _EntryError(f"There is a '{name}' already; choose another name.")
    try:
        # As the name of a key: those of numbers follow the same rule.
        Key(name=name, type=KeyType.NUMBER)
    except ValidationError:
        raise _EntryError(
            f"'{name}' is no name; write it with small letters, digits and _, a letter first."
        ) from None


def _entries(text: str) -> Iterator[str]:
    for entry in re.split(r"[,;\n\t]", text):
        if entry.strip():
            yield entry.strip()


def _key(name: str, match: re.Match[str]) -> Key:
    low, high, value = _range(match)
    word = (match["word"] or "").strip()
    if match["per_s"]:
        raise _EntryError(
            "A key does not change by itself; leave out what it changes by a second."
        )
    if low is None and value is None and word:
        return _key_of_word(name, word)
    return Key(
        name=name,
        type=KeyType.NUMBER,
        unit=word,
        low=low,
        high=high,
        default=value,
    )


def _key_of_word(name: str, word: str) -> Key:
    """A key of another type, by the name of the type or by a value."""
    if word in _YES_NO:
        return Key(name=name, type=KeyType.YES_NO, default=_YES_NO[word])
    if word in [each.value for each in KeyType]:
        return Key(name=name, type=KeyType(word))
    quoted = re.fullmatch(r"'(.*)'|\"(.*)\"", word)
    if quoted:
        value: Value = quoted[1] or quoted[2] or ""
        return Key(name=name, type=KeyType.TEXT, default=value)
    types = ", ".join(each.value for each in KeyType)
    raise _EntryError(
        f"'{word}' is no type; write one of {types}, or a range or a value."
    )


def _number(name: str, match: re.Match[str]) -> Stat:
    low, high, value = _range(match)
    word = (match["word"] or "").strip()
    if word:
        raise _EntryError(
            f"'{word}' does not belong to a number of a body. {HOW}"
        )
    per_s = float(match["per_s"] or 0.0)
    if low is None or high is None:
        if value is None:
            return Stat(per_s=per_s)
        return Stat(value=value, low=-ANY, high=ANY, per_s=per_s)
    if value is None:
        starts_at = low
    else:
        starts_at = value
    return Stat(value=starts_at, low=low, high=high, per_s=per_s)


def _typed_number(typed: str | None) -> float | None:
    if typed is None:
        return None
    return float(typed)


def _range(
    match: re.Match[str],
) -> tuple[float | None, float | None, float | None]:
    """The lowest, the highest and the value of an entry, each None where it is
    not typed.
    """
    low, high, value = (
        _typed_number(match[each]) for each in ("low", "high", "value")
    )
    if low is not None and high is not None:
        if low > high:
            raise _EntryError(
                f"{low:g} is above {high:g}; write the lower one first."
            )
        if value is not None and not low <= value <= high:
            raise _EntryError(
                f"{value:g} is not between {low:g} and {high:g}."
            )
    return low, high, value
