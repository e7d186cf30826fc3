"""What can be written next while a condition or a formula is typed: whole
phrases with blanks to fill, then the keys and the names of the scene.
"""

import re
from collections.abc import Container, Iterator, Mapping, Sequence
from dataclasses import dataclass

from umbrant.catalog.kind import Catalog, Family, Kind
from umbrant.catalog.params import Param, ParamType
from umbrant.model.behaviors import Key
from umbrant.model.values import KeyType, number_text

OPENS, CLOSES = "‹", "›"
"""What a blank stands between. No condition can hold either, so a blank that
is left is found.
"""
BLANK = re.compile(f"{OPENS}([^{OPENS}{CLOSES}]*){CLOSES}")
MOST = 100
"""How many completions are offered at the most."""

# Greedy at its beginning, so that what is typed is what stands behind the last
# of these.
_ATOM = re.compile(
    r"^(?:.*(?:\b(?:and|or|not)\b|[(,<>=!+\-*/]))?\s*(?P<typed>[^(,<>=!+\-*/]*)$"
)
_LAST_WORD = re.compile(r"\w*$")
_JOINS = ("and", "or", "not")
_SIGNS = ("below", "above", "older than")
_KINDS_OF_NAME = {
    ParamType.AGENT: "on the stage",
    ParamType.PROP: "on the stage",
    ParamType.PLACE: "place",
    ParamType.GROUP: "group",
    ParamType.ZONE: "area",
    ParamType.EVENT: "event",
    ParamType.STAT: "number of a body",
}
_KEYS_FOR = {
    ParamType.AGENT: (KeyType.AGENT,),
    ParamType.PROP: (KeyType.PROP,),
    ParamType.PLACE: (KeyType.POINT, KeyType.AGENT, KeyType.PROP),
    ParamType.NUMBER: (KeyType.NUMBER,),
}


@dataclass(frozen=True)
class Completion:
    """Something that can be written: `text` takes the place of what stands
    from `start` to the cursor. It satisfies the search's `SearchMatch`.
    """

    title: str
    place: str
    """What it is: a sense, a key with its type, somebody on the stage."""
    phrase: str
    help: str
    text: str
    start: int

    @property
    def label(self) -> str:
        """How it is listed in words."""
        return f"{self.title}, {self.place}"


@dataclass(frozen=True)
class Vocabulary:
    """All that a condition can be written with where it stands."""

    keys: Mapping[str, Key]
    catalog: Catalog
    names: Mapping[ParamType, Sequence[str]]

    def param_of(self, label: str) -> Param | None:
        """The parameter that a blank stands for, by its label."""
        for kind in self.catalog.family(Family.SENSE):
            for param in kind.params:
                if param.label == label:
                    return param
        return None


def blanks(text: str) -> list[tuple[int, int]]:
    """Where the blanks of a text are, brackets included."""
    return [found.span() for found in BLANK.finditer(text)]


def completions(
    text: str, cursor: int, words: Vocabulary, blank: str = ""
) -> list[Completion]:
    """What can be written at the cursor, the likeliest first.

    Within a blank that is being filled, given by its label, only what its
    parameter takes is offered; one that shows a number takes keys that hold
    one.
    """
    before = text[:cursor]
    last = _LAST_WORD.search(before)
    word = ""
    if last:
        word = last[0]
    start = cursor - len(word)
    atom = _ATOM.match(before)
    typed = atom["typed"] if atom else word
    if blank:
        param = words.param_of(blank)
    else:
        param = _param_at(typed, words.catalog)
    if blank and param is None:
        return _matching(word, list(_keys(words, start, (KeyType.NUMBER,))))[
            :MOST
        ]
    if param is not None:
        return _matching(word, list(_for_param(param, words, start)))[:MOST]
    from_atom = cursor - len(typed)
    phrases = [
        Completion(
            each.title,
            each.place,
            each.phrase,
            each.help,
            each.text,
            from_atom,
        )
        for each in _phrases(words)
    ]
    named = [*_keys(words, start), *_joins(start), *_names(words, start)]
    if not typed.strip():
        return [*_keys(words, start), *phrases][:MOST]
    listed = _matching(typed, phrases)
    if listed and " " in typed.strip():
        return listed[:MOST]
    if word:
        return [*listed, *_matching(word, named)][:MOST]
    return []


def _matching(typed: str, found: Sequence[Completion]) -> list[Completion]:
    """Those whose title begins as typed, then those with a word that does."""
    head = typed.strip().casefold()
    first = [each for each in found if each.title.casefold().startswith(head)]
    if not head or " " in head:
        return first
    words = re.compile(rf"\b{re.escape(head)}", re.IGNORECASE)
    return [
        *first,
        *(
            each
            for each in found
            if each not in first and words.search(each.title)
        ),
    ]


def _param_at(typed: str, catalog: Catalog) -> Param | None:
    """The parameter of a phrase that is being written, such as whom one *can
    see*; None where none is.
    """
    for kind in catalog.family(Family.SENSE):
        rest = typed.casefold()
        for text, param in (
            part for parts in _required(kind) for part in parts
        ):
            if param is None:
                if not rest.startswith(f"{text.casefold()} "):
                    break
                rest = rest[len(text) + 1 :].lstrip()
            elif rest == typed.casefold():
                # A phrase that begins with a name says nothing yet.
                break
            elif " " not in rest:
                return param
            else:
                rest = rest.partition(" ")[2]
    return None


def _phrases(words: Vocabulary) -> Iterator[Completion]:
    for kind in words.catalog.family(Family.SENSE):
        needed = "".join(
            _written(part) for parts in _required(kind) for part in parts
        )
        every = "".join(
            _written(part)
            for part in kind.phrase_parts([p.name for p in kind.params])
        )
        for text in dict.fromkeys((_spaced(needed), _spaced(every))):
            title = BLANK.sub(lambda found: found[1], text)
            gives = "sense"
            if kind.gives:
                gives = f"sense · {kind.gives}"
            summary = ""
            if kind.help:
                summary = kind.help.splitlines()[0]
            yield Completion(title, gives, "", summary, text, 0)


def _required(kind: Kind) -> Iterator[Sequence[tuple[str, Param | None]]]:
    """The stretches of a phrase that must be there."""
    for optional, parts in kind.stretches(
        [param.name for param in kind.params]
    ):
        if not optional:
            yield parts


def _written(part: tuple[str, Param | None]) -> str:
    text, param = part
    if param is None:
        return f" {text.strip()} "
    default = param.default
    if isinstance(default, int | float) and not isinstance(default, bool):
        unit = ""
        if param.quantity.unit:
            unit = f" {param.quantity.unit}"
        return f" {OPENS}{number_text(float(default))}{unit}{CLOSES} "
    return f" {OPENS}{param.label}{CLOSES} "


def _spaced(text: str) -> str:
    return " ".join(text.split())


def _keys(
    words: Vocabulary, start: int, types: Container[KeyType] = tuple(KeyType)
) -> Iterator[Completion]:
    for name, key in sorted(words.keys.items()):
        if key.type not in types:
            continue
        what = f"key · {key.type}"
        if key.unit:
            what = f"{what}, {key.unit}"
        yield Completion(
            name,
            what,
            "",
            key.help or f"A key that holds {key.type}.",
            name,
            start,
        )


def _joins(start: int) -> Iterator[Completion]:
    for word in (*_JOINS, *_SIGNS, "yes", "no"):
        yield Completion(word, "word", "", "", word, start)


def _names(words: Vocabulary, start: int) -> Iterator[Completion]:
    # Names of rows are many, and stand in two phrases only.
    given: set[str] = set(words.keys)
    for param, what in _KINDS_OF_NAME.items():
        for name in words.names.get(param, ()):
            if name not in given:
                given.add(name)
                yield Completion(name, what, "", "", name, start)


def _for_param(
    param: Param, words: Vocabulary, start: int
) -> Iterator[Completion]:
    """What a parameter can be: keys of the types it takes, then names of what
    it stands for.
    """
    types = param.keys or _KEYS_FOR.get(param.type, ())
    yield from _keys(words, start, types)
    for name in dict.fromkeys(words.names.get(param.type, ())):
        if name not in words.keys:
            yield Completion(
                name,
                _KINDS_OF_NAME.get(param.type, "row"),
                "",
                "",
                name,
                start,
            )
