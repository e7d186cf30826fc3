"""What is wrong with a document, said so that it can be mended."""

import json
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass
from itertools import groupby
from types import NoneType, UnionType
from typing import Annotated, Any, NamedTuple, Union, get_args, get_origin

from pydantic import ValidationError
from rapidfuzz import fuzz, process
from rapidfuzz.distance import OSA

from umbrant.model.names import PATTERNS_IN_WORDS
from umbrant.model.printable import printable
from umbrant.model.values import Document, Point

LONGEST = 500
"""How many characters each part of a problem may have."""

MOST_NAMED = 12
"""How many names are listed where none is like the one that was given."""

DECLARE_KEY = "Declare it on the blackboard."
DECLARE_EVENT = "Add it to the list of events (events.json)."
"""What can be done about a name that nothing has."""


_CUE = re.compile(r"cue \d+")


@dataclass(frozen=True, order=True)
class Problem:
    """One thing that is wrong: where, what, and the way out. `row` is a row's
    number and name, or `cue 3`, or empty; `file` is empty for what stands in
    none.
    """

    file: str
    row: str
    message: str
    remedy: str = ""
    row_id: str = ""

    def __post_init__(self) -> None:
        # What is quoted comes from somebody's files: it may be long, and hold
        # what a terminal would act on.
        for name in ("file", "row", "message", "remedy"):
            object.__setattr__(
                self, name, printable(getattr(self, name), LONGEST)
            )

    def __str__(self) -> str:
        row = self.row
        if row and not _CUE.fullmatch(row):
            row = f"row {row}"
        said = f"{self.message} {self.remedy}".rstrip()
        return ": ".join(filter(None, (self.file, row, said)))

    def as_json(self) -> dict[str, str]:
        """The same, for a program to read."""
        return asdict(self)


class ProjectError(Exception):
    """A project cannot be read, saved or played. Holds every problem found, in
    the order of the files.
    """

    def __init__(self, problems: list[Problem]) -> None:
        super().__init__("\n".join(str(problem) for problem in problems))
        self.problems = problems


def did_you_mean(word: str, known: list[str], otherwise: str = "") -> str:
    """`Did you mean 'last_seen'?`, or the list of what there is when nothing
    is close; empty if there is nothing. `otherwise` is what can be done
    besides taking one of these.
    """
    close = process.extractOne(
        word,
        known,
        scorer=_closeness,
        processor=str.casefold,
        score_cutoff=0.6,
    )
    if close:
        return f"Did you mean '{close[0]}'?"
    more = ", …" if len(known) > MOST_NAMED else ""
    there_are = ""
    if known:
        there_are = f"There are: {', '.join(known[:MOST_NAMED])}{more}."
    return f"{there_are} {otherwise}".strip()


def _closeness(
    word: str, known: str, *, score_cutoff: float | None = None
) -> float:
    """How close two words are, from 0 to 1: by the letters that differ, or as
    the one is a part of the other.
    """
    alike = OSA.normalized_similarity(word, known)
    shorter, longer = sorted((word, known), key=len)
    # One letter is a part of nearly every word.
    if shorter in longer and (
        len(shorter) >= 3 or len(longer) == len(shorter) + 1
    ):
        alike = max(alike, 0.8)
    return alike


def explained(
    file: str, kind: type[Document], data: Any, error: ValidationError
) -> Iterator[Problem]:
    """What is wrong with the data of a file, of which pydantic made no
    document of this kind: each fault with the row it is in, where there are
    rows, and with the way out.

    Where one of several things may stand, pydantic complains for each of them;
    only what keeps it from being the one that it looks like is said.
    """
    faults = [
        _located(kind, data, each) for each in error.errors(include_url=False)
    ]
    found: list[Problem] = []
    for place, here in groupby(faults, lambda each: each.choice_at):
        if place is None:
            found.extend(_problem(file, data, each) for each in here)
        else:
            found.extend(_of_choice(file, data, place, list(here)))
    yield from dict.fromkeys(found)


def in_words(fault: Mapping[str, Any]) -> str:
    """One fault that pydantic found, in the words of this program, without a
    full stop.
    """
    if fault["type"] == "string_pattern_mismatch":
        pattern = fault["ctx"]["pattern"]
        return PATTERNS_IN_WORDS.get(pattern, f"should match {pattern}")
    message = str(fault["msg"])
    for start in ("Value error, ", "Input ", "String "):
        message = message.removeprefix(start)
    return _IN_WORDS.get(str(fault["type"]), message[:1].lower() + message[1:])


_NUMBER, _INTEGER = "should be a number", "should be a whole number"
_TRUTH, _OBJECT = "should be true or false", "should be an object in {}"
_IN_WORDS = {
    "missing": "is needed and missing",
    "extra_forbidden": "is no field here",
    "string_type": "should be text",
    "tuple_type": "should be a list",
    "float_type": _NUMBER,
    "float_parsing": _NUMBER,
    "int_type": _INTEGER,
    "int_parsing": _INTEGER,
    "int_from_float": _INTEGER,
    "bool_type": _TRUTH,
    "bool_parsing": _TRUTH,
    "dict_type": _OBJECT,
    "model_type": _OBJECT,
}
_NO_POINT = {
    "missing",
    "too_long",
    "tuple_type",
    "float_type",
    "float_parsing",
}
"""The faults of what is no pair of numbers at all."""

LIKE = 65
"""How like a field a name must be to be meant for it, of 100."""

_Steps = tuple[int | str, ...]


class _Fault(NamedTuple):
    """A fault that pydantic found, and where in the file it is."""

    path: _Steps
    words: str
    given: object
    """What stands there."""
    known: Sequence[str]
    """The fields that there are at the place of a wrong one."""
    choice_at: _Steps | None
    """Where one of several things may stand, if it is in such a place."""
    choice: Sequence[object]
    """What may stand there, as types."""
    member: object
    """The one of them that is complained about."""
    is_missing: bool


def _located(kind: type[Document], data: Any, fault: Any) -> _Fault:
    here, around = kind, None  # type: object, object
    path: list[int | str] = []
    choice_at, choice, member = None, list[object](), None
    words, given = in_words(fault), fault["input"]
    for step in fault["loc"]:
        # The name itself is wrong, and not what stands under it.
        if step == "[key]":
            break
        members = _members(here)
        if len(members) > 1:
            # pydantic names the one that it tried between two steps.
            choice_at, choice = tuple(path), members
            here = member = _named(members, str(step))
            continue
        here = members[0]
        if here == Point and fault["type"] in _NO_POINT:
            break
        path.append(step)
        around, here = here, _inside(here, step)
    if here == Point and fault["type"] in _NO_POINT:
        words = "should be two numbers, [x, y]"
        given = _value_at(data, tuple(path))
    return _Fault(
        tuple(path),
        words,
        given,
        _fields(around) if fault["type"] == "extra_forbidden" else [],
        choice_at,
        choice,
        member,
        fault["type"] == "missing" and here != Point,
    )


def _members(annotation: object) -> list[object]:
    """The types of which one may stand there, apart from None."""
    while get_origin(annotation) is Annotated:
        annotation = get_args(annotation)[0]
    if get_origin(annotation) not in (Union, UnionType):
        return [annotation]
    return [
        member
        for each in get_args(annotation)
        if each is not NoneType
        for member in _members(each)
    ]


def _named(members: Sequence[object], label: str) -> object:
    """The one of some types that pydantic calls so."""
    # A number with bounds is a `constrained-float`, a point a
    # `tuple[constrained-float, …]`.
    for each in members:
        name = "tuple" if each == Point else getattr(each, "__name__", "")
        if label == name or (label.startswith("tuple") and name == "tuple"):
            return each
    return float if label.endswith("float") else None


def _inside(kind: object, step: int | str) -> object:
    """The type of what a step leads to; None where nobody knows."""
    if isinstance(kind, type) and issubclass(kind, Document):
        fields = {
            info.alias or name: info.annotation
            for name, info in kind.model_fields.items()
        }
        return fields.get(str(step))
    args = get_args(kind)
    return args[0 if get_origin(kind) is tuple else -1] if args else None


def _fields(kind: object) -> list[str]:
    """The fields of a document, as they stand in files."""
    if not (isinstance(kind, type) and issubclass(kind, Document)):
        return []
    return [
        info.alias or name
        for name, info in kind.model_fields.items()
        if not info.exclude
    ]


def _of_choice(
    file: str, data: Any, place: _Steps, faults: Sequence[_Fault]
) -> Iterator[Problem]:
    """What is wrong where one of several things may stand."""
    choice, given = faults[0].choice, _value_at(data, place)
    likely = _likely(choice, given)
    meant = [each for each in faults if each.member is likely]
    if likely is not None and meant:
        yield from (_problem(file, data, each) for each in meant)
        return
    written = ", ".join(map(_written, choice))
    fault = faults[0]._replace(
        path=place,
        words="is nothing that can stand here",
        given=given,
        known=[],
    )
    yield _problem(file, data, fault, f"What can: {written}.")


def _likely(choice: Sequence[object], value: object) -> object:
    """Which of some types a value was meant to be; None if it is like none."""
    if isinstance(value, dict):
        likeness = {each: _likeness(_needed(each), value) for each in choice}
        best = max(choice, key=lambda each: likeness[each])
        return best if likeness[best] else None
    kinds: dict[type, object] = {list: Point, str: str, int: float}
    return next(
        (
            kind
            for written, kind in kinds.items()
            if isinstance(value, written) and kind in choice
        ),
        None,
    )


def _likeness(needed: Sequence[str], value: Mapping[str, object]) -> float:
    """How far the fields that are needed are named in a value, rightly or
    nearly so.
    """
    names = list(map(str, value))
    found = (
        process.extractOne(each, names, scorer=fuzz.ratio, score_cutoff=LIKE)
        for each in needed
    )
    return sum(each[1] for each in found if each)


def _needed(kind: object) -> list[str]:
    """The fields that a document cannot be without, as they stand in files."""
    return [
        info.alias or name
        for name, info in getattr(kind, "model_fields", {}).items()
        if info.is_required()
    ]


def _written(kind: object) -> str:
    """How something of a type is written in a file."""
    plain = {
        bool: "true or false",
        float: "a number",
        str: "text",
        Point: "[x, y]",
    }
    if kind in plain:
        return plain[kind]
    fields = ", ".join(f'"{each}": …' for each in _needed(kind))
    return f"{{{fields}}}"


def _problem(file: str, data: Any, fault: _Fault, remedy: str = "") -> Problem:
    row, field = _place_of(data, fault.path)
    given = ""
    if not fault.is_missing:
        given = f" (it is {json.dumps(fault.given, default=str)[:60]})"
    if fault.known:
        close = process.extractOne(
            str(fault.path[-1]), fault.known, score_cutoff=60
        )
        meant = f"Did you mean '{close[0]}'? " if close else ""
        remedy = f"{meant}Its fields: {', '.join(fault.known)}."
    what = f"`{field}`: " if field else ""
    return Problem(file, row, f"{what}{fault.words}{given}.", remedy)


def _place_of(data: Any, path: _Steps) -> tuple[str, str]:
    """The row that a path leads into, if it does, and the rest of it."""
    row = ""
    if len(path) > 1 and path[0] == "rows" and isinstance(path[1], int):
        raw = _value_at(data, path[:2])
        if isinstance(raw, dict):
            row = f"{raw.get('id', '?')} '{raw.get('name', '')}'"
        else:
            row = f"number {path[1] + 1} in the file"
        path = path[2:]
    return row, ".".join(map(str, path))


def _value_at(data: Any, path: _Steps) -> Any:
    """What stands at a place in the data of a file; None if nothing does."""
    for step in path:
        try:
            data = data[step]
        except (LookupError, TypeError):
            return None
    return data
