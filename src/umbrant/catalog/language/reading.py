"""Reading a condition as it is read in a row: `can see visitor within 8 m and
not raining`.

It takes what the phrase writer writes, with or without its small words, with
its optional parts in any order. What comes out is the tree that the call form
`can_see(visitor, within=8)` gives; both are stored in that form. A word that
is a key is read as the key wherever a value may stand, also where it is a
small word elsewhere.
"""

import re
from collections.abc import Collection, Iterator, Mapping
from copy import copy
from dataclasses import dataclass, replace
from typing import NamedTuple

from umbrant.catalog.kind import Catalog, Family, Kind
from umbrant.catalog.language.check import Fault, faults
from umbrant.catalog.language.tree import (
    Arithmetic,
    Comparison,
    ConditionTree,
    Conjunction,
    Disjunction,
    KeyTerm,
    LanguageError,
    Negation,
    NumberTerm,
    SenseCall,
    TextSpan,
    TextTerm,
    YesNoTerm,
    parse,
    source,
    walk,
)
from umbrant.catalog.params import Param, ParamType
from umbrant.model.behaviors import Key
from umbrant.model.problems import did_you_mean
from umbrant.model.values import KeyType

Names = Mapping[ParamType, Collection[str]]
"""The names that a chip of a type may hold here; TEXT stands for the names of
rows.
"""

SMALL = frozenset(
    {"a", "an", "the", "to", "of", "is", "can", "for", "me", "noise"}
)
"""Words that may be left out of a phrase, and added to it."""
JOINING = frozenset({"and", "or", "not"})
COMPARING: dict[tuple[str, ...], str] = {
    ("less", "than"): "<",
    ("nearer", "than"): "<",
    ("at", "most"): "<=",
    ("up", "to"): "<=",
    ("at", "least"): ">=",
    ("more", "than"): ">",
    ("greater", "than"): ">",
    ("under",): "<",
    ("below",): "<",
    ("over",): ">",
    ("above",): ">",
    ("beyond",): ">",
    ("<",): "<",
    ("<=",): "<=",
    ("≤",): "<=",
    (">",): ">",
    (">=",): ">=",
    ("≥",): ">=",
    ("=",): "==",
    ("==",): "==",
    ("!=",): "!=",
    ("≠",): "!=",
}
AGING: dict[tuple[str, ...], str] = {
    ("older", "than"): ">",
    ("newer", "than"): "<",
    ("younger", "than"): "<",
}
"""Comparisons of the time since a key was written."""
CALCULATING = {
    "+": "+",
    "-": "-",
    "−": "-",
    "*": "*",
    "×": "*",
    "/": "/",
    "÷": "/",
}
_NAMING = (ParamType.AGENT, ParamType.PLACE, ParamType.PROP)
_MOST_WORDS = 5
"""Of how many words a name at most is made that nothing here bears."""

_TOKEN = re.compile(
    r"\s*(?:(?P<number>\d+(?:\.\d+)?|\.\d+)(?:\s*(?:m|s|°|metres?|seconds?)(?!\w))?"
    r"|(?P<text>'[^']*'|\"[^\"]*\")"
    r"|(?P<sign><=|>=|==|!=|[<>=≤≥≠()+*/×÷−,-])"
    r"|(?P<word>\w+(?:\.\w+)*)|(?P<odd>\S))"
)


class Token(NamedTuple):
    """A word, number, quoted text or sign, and where it stands."""

    text: str
    span: TextSpan
    kind: str

    @property
    def word(self) -> str:
        """It as words are compared; empty for a quoted text."""
        if self.kind != "text":
            return self.text.lower()
        return ""


class Match(NamedTuple):
    """A term that was read, how far it goes, and how well it fits: how many of
    its words are known, and how many names.
    """

    tree: ConditionTree
    end: int
    words: int = 0
    known: int = 0


def typed_condition(
    text: str,
    keys: Mapping[str, Key],
    catalog: Catalog,
    names: Names,
    wants: KeyType | None = KeyType.YES_NO,
) -> tuple[str, list[Fault]]:
    """A condition that was typed, in the form in which it is stored, and what
    is wrong with it. One that is wrong stays as it was typed.
    """
    called = _spelled_out(text, keys, catalog, names)
    direct = faults(called, keys, catalog, wants=wants)
    if not direct:
        return called, []
    if called != text:
        # It is a call form, so the phrases have nothing to say of it; its
        # columns are others.
        return text, [replace(each, span=(0, len(text))) for each in direct]
    try:
        read = source(read_phrase(text, keys, catalog, names))
    except LanguageError as error:
        is_called = "(" in text and not _is_broken(text)
        return text, direct if is_called else [
            Fault(str(error), "", error.span)
        ]
    # What is wrong with the call form is said of all that was typed: its
    # columns are others.
    typed = 0, len(text)
    found = [
        replace(each, span=typed)
        for each in faults(read, keys, catalog, wants=wants)
    ]
    if found:
        return (text, found)
    return (read, [])


def _spelled_out(
    text: str, keys: Mapping[str, Key], catalog: Catalog, names: Names
) -> str:
    """A call form as the language has it. A sense that is given one thing too
    many is the one that takes it: `distance(a, b)` is `distance_between(a,
    b)`, `stat(a, energy)` is `stat_of(a, "energy")`. What names no key and
    something of the scene gets its quotes.
    """
    try:
        calls = [
            each for each in walk(parse(text)) if isinstance(each, SenseCall)
        ]
    except LanguageError:
        return text
    scene = {name for found in names.values() for name in found}
    changes: list[tuple[TextSpan, str]] = []
    for call in calls:
        kind = catalog.get(call.sense, Family.SENSE)
        if kind is not None and len(call.args) > len(kind.params):
            longer = (f"{call.sense}_between", f"{call.sense}_of")
            name = next(
                (each for each in longer if catalog.get(each, Family.SENSE)),
                call.sense,
            )
            changes.append(
                ((call.span[0], call.span[0] + len(call.sense)), name)
            )
        for arg in (*call.args, *(each for _, each in call.named)):
            if (
                isinstance(arg, KeyTerm)
                and arg.key not in keys
                and arg.key in scene
            ):
                changes.append((arg.span, repr(arg.key)))
    # From the end on, so that the places of those before stay what they are.
    for (start, end), new in sorted(changes, reverse=True):
        text = text[:start] + new + text[end:]
    return text


def _is_broken(text: str) -> bool:
    try:
        parse(text)
    except LanguageError:
        return True
    return False


def read_phrase(
    text: str, keys: Mapping[str, Key], catalog: Catalog, names: Names
) -> ConditionTree:
    """The tree of a condition that is written as it is read. Raises
    LanguageError under the word that is not understood.
    """
    return _PhraseReader(text, keys, catalog, names).read()


@dataclass(frozen=True)
class _Pattern:
    """The phrase of a sense: what must stand there, and the parts that may
    follow in any order.
    """

    kind: Kind
    needed: tuple[tuple[str, Param | None], ...]
    optional: tuple[tuple[tuple[str, Param | None], ...], ...]

    @property
    def begins(self) -> frozenset[str]:
        """The words with which its optional parts begin."""
        return frozenset(
            parts[0][0].split()[0] for parts in self.optional if parts[0][0]
        )

    @property
    def slot_first(self) -> bool:
        """Whether it begins with what it is about: `visitor is in the market`."""
        return self.needed[0][1] is not None


class _PhraseReader:
    def __init__(
        self,
        text: str,
        keys: Mapping[str, Key],
        catalog: Catalog,
        names: Names,
    ) -> None:
        self.text, self.keys, self.catalog, self.names = (
            text,
            keys,
            catalog,
            names,
        )
        self.tokens = list(_tokens(text))
        self.patterns = [
            _pattern(kind) for kind in catalog.family(Family.SENSE)
        ]
        self.names_by_word: dict[
            tuple[ParamType, str], list[tuple[list[str], str]]
        ] = {}
        """The names of each sort with their words, by the first of these."""
        for sort, found in names.items():
            for name in found:
                parts = [each.text for each in _tokens(name)]
                if parts:
                    self.names_by_word.setdefault((sort, parts[0]), []).append(
                        (parts, name)
                    )
        self.furthest = 0
        """The token that could not be understood, as far as was read."""
        self.before: ConditionTree | None = None
        """What the comparison before was about, for `n > 3 and < 5`."""

    def read(self) -> ConditionTree:
        if not self.tokens:
            raise LanguageError(
                "a condition is empty; write one", (0, len(self.text))
            )
        found = self._any(0)
        if found is None or found.end < len(self.tokens):
            raise self._not_understood(
                max(self.furthest, found.end if found else 0)
            )
        return found.tree

    def _not_understood(self, at: int) -> LanguageError:
        if at >= len(self.tokens):
            return LanguageError(
                "something is missing at the end", (0, len(self.text))
            )
        token = self.tokens[at]
        words = {
            word for each in self.patterns for word in _words_of(each)
        } - SMALL
        # A word is hardly a slip of one that is half as long.
        known = {*self.keys, *words, *self._all_names()}
        if token.text in known or token.word in words:
            return LanguageError(
                f"`{token.text}` cannot stand here.{self._pattern_of(token)}",
                token.span,
            )
        alike = sorted(
            each for each in known if 2 * len(each) > len(token.text)
        )
        near = did_you_mean(token.text, alike)
        hint = ""
        if near.startswith("Did you mean"):
            hint = f" {near}"
        return LanguageError(
            f"`{token.text}` is not understood here.{hint}", token.span
        )

    def _pattern_of(self, token: Token) -> str:
        """How a sense is written that a word belongs to, of which other words
        were typed too.
        """
        typed = {each.word for each in self.tokens if each is not token}
        for each in self.patterns:
            begins = each.kind.phrase.split()[0]
            if token.word in _words_of(each) and begins in typed:
                parts = each.kind.phrase_parts(
                    [param.name for param in each.kind.params]
                )
                return f" Write: {' '.join('…' if param else words for words, param in parts)}."
        return ""

    def _all_names(self) -> set[str]:
        return {name for found in self.names.values() for name in found}

    # and, or, not

    def _any(self, at: int) -> Match | None:
        return self._joined(at, "or")

    def _joined(self, at: int, word: str) -> Match | None:
        """Parts with `or`, or with `and`, between them."""
        parts: list[ConditionTree] = []
        while True:
            if word == "or":
                found = self._joined(at, "and")
            else:
                found = self._negated(at)
            if found is None:
                return None
            parts.append(found.tree)
            if not self._is(found.end, word):
                break
            at = found.end + 1
        if len(parts) == 1:
            return found
        span = parts[0].span[0], parts[-1].span[1]
        joined = Disjunction if word == "or" else Conjunction
        return Match(joined(tuple(parts), span), found.end)

    def _negated(self, at: int) -> Match | None:
        is_cannot = self._is(at, "cannot") or (
            self._is(at, "can") and self._is(at + 1, "not")
        )
        if self._is(at, "can") and is_cannot:
            skipped = at + 2
        else:
            skipped = at + 1
        if not self._is(at, "not") and not is_cannot:
            return self._compared(at)
        found = self._negated(skipped)
        if found is None:
            return None
        return Match(
            Negation(found.tree, (self._start(at), found.tree.span[1])),
            found.end,
        )

    # comparisons

    def _compared(self, at: int) -> Match | None:
        left = self._implied(at) or self._sum(at)
        if left is None:
            return None
        end, tree = left.end, left.tree
        aging = self._sign(end, AGING)
        if aging is not None:
            tree = SenseCall("time_since", (tree,), (), tree.span)
        sign = aging or self._sign(end, COMPARING)
        is_within = (
            sign is None
            and isinstance(tree, KeyTerm | TextTerm)
            and self._is(end, "within")
        )
        if is_within:
            tree, sign = (
                SenseCall("distance", (tree,), (), tree.span),
                ("<=", end + 1),
            )
        equal = None
        if sign is None and not isinstance(tree, SenseCall):
            equal = self._equal(end)
        if sign is None and equal is None:
            if isinstance(tree, SenseCall) and tree.sense == "is_set":
                self.before = tree.args[0]
            return left
        operator, start = sign or equal or ("", 0)
        right = self._side(tree, start)
        if right is None:
            return None
        self.before = left.tree
        return Match(
            Comparison(
                operator, tree, right.tree, (tree.span[0], right.tree.span[1])
            ),
            right.end,
        )

    def _implied(self, at: int) -> Match | None:
        """What a comparison is about that names it no more: that of the one
        before it.
        """
        starts = self._sign(at, COMPARING) or self._sign(at, AGING)
        if starts is not None and self.before is not None:
            return Match(self.before, at)
        return None

    def _side(self, left: ConditionTree, at: int) -> Match | None:
        """The right side. Of a text or a name it may be a word that is no key."""
        key = None
        if isinstance(left, KeyTerm):
            key = self.keys.get(left.key)
        names = key is not None and key.type in (
            KeyType.TEXT,
            KeyType.AGENT,
            KeyType.PROP,
        )
        token = self._token(at)
        if (
            names
            and token is not None
            and token.kind == "word"
            and token.text not in self.keys
        ):
            return Match(TextTerm(token.text, token.span), at + 1)
        return self._sum(at)

    def _sign(
        self, at: int, signs: Mapping[tuple[str, ...], str]
    ) -> tuple[str, int] | None:
        """A comparison in words or as a sign, and where it ends. `is` may
        stand before it.
        """
        if self._is(at, "is"):
            at += 1
        for words, sign in signs.items():
            if all(
                self._is(at + index, word) for index, word in enumerate(words)
            ):
                return sign, at + len(words)
        return None

    def _equal(self, at: int) -> tuple[str, int] | None:
        if not self._is(at, "is"):
            return None
        if self._is(at + 1, "not"):
            return ("!=", at + 2)
        return ("==", at + 1)

    # sums and terms

    def _sum(self, at: int) -> Match | None:
        return self._calculated(at, "+-−")

    def _calculated(self, at: int, signs: str) -> Match | None:
        inner = (
            self._term
            if signs != "+-−"
            else lambda at: self._calculated(at, "*/×÷")
        )
        found = inner(at)
        while (
            found is not None and (token := self._token(found.end)) is not None
        ):
            if token.kind != "sign" or token.text not in signs:
                break
            right = inner(found.end + 1)
            if right is None:
                return None
            span = found.tree.span[0], right.tree.span[1]
            tree = Arithmetic(
                CALCULATING[token.text], found.tree, right.tree, span
            )
            found = Match(tree, right.end)
        return found

    def _term(self, at: int) -> Match | None:
        token = self._token(at)
        if token is None:
            self.furthest = max(self.furthest, at)
            return None
        if token.text == "(":
            return self._in_brackets(at)
        if token.text in ("-", "−"):
            number = self._token(at + 1)
            if number is not None and number.kind == "number":
                span = token.span[0], number.span[1]
                return Match(NumberTerm(-float(number.text), span), at + 2)
        follows = self._token(at + 1)
        if (
            token.kind == "word"
            and follows is not None
            and follows.text == "("
        ):
            called = self._call(at)
            if called is not None:
                return called
        matches = [
            *self._plain(at),
            *self._senses(at, self.patterns),
            *self._denied(at),
        ]
        if not matches and token.word in SMALL:
            return self._term(at + 1)
        if not matches:
            self.furthest = max(self.furthest, at)
            return None
        # The longest that was read counts; of equals the one with more words
        # of its own.
        return max(
            matches, key=lambda each: (each.end, each.known, each.words)
        )

    def _in_brackets(self, at: int) -> Match | None:
        found = self._any(at + 1)
        if found is None:
            return None
        if not self._is(found.end, ")"):
            self.furthest = max(self.furthest, found.end)
            return None
        return Match(found.tree, found.end + 1)

    def _call(self, at: int) -> Match | None:
        """A sense in its call form, up to the bracket that closes it."""
        depth, end = 0, at + 1
        while end < len(self.tokens):
            depth += {"(": 1, ")": -1}.get(self.tokens[end].text, 0)
            end += 1
            if depth == 0:
                break
        start, stop = self._start(at), self.tokens[end - 1].span[1]
        try:
            return Match(parse(self.text[start:stop]), end, known=1)
        except LanguageError:
            return None

    def _plain(self, at: int) -> Iterator[Match]:
        """A number, a text, yes or no, a key, or the name of a place or of
        somebody.
        """
        token = self.tokens[at]
        if token.kind == "number":
            yield Match(
                NumberTerm(float(token.text), token.span), at + 1, known=1
            )
        elif token.kind == "text":
            yield Match(
                TextTerm(token.text[1:-1], token.span), at + 1, known=1
            )
        elif token.text in self.keys:
            yield Match(KeyTerm(token.text, token.span), at + 1, known=1)
        elif token.word in ("yes", "no"):
            yield Match(
                YesNoTerm(token.word == "yes", token.span), at + 1, known=1
            )
        else:
            for sort in _NAMING:
                yield from self._names_at(at, sort)

    # senses

    def _denied(self, at: int) -> Iterator[Match]:
        """What is said not to be so: `last_seen is not set` is the negation of
        `is set`.
        """
        about = [each for each in self.patterns if each.slot_first]
        for place in range(
            at + 1, min(len(self.tokens) - 1, at + _MOST_WORDS)
        ):
            if not (self._is(place, "is") and self._is(place + 1, "not")):
                continue
            asserted = copy(self)
            asserted.tokens = [
                *self.tokens[: place + 1],
                *self.tokens[place + 2 :],
            ]
            for each in asserted._senses(at, about):
                if each.end > place + 1:
                    negated = Negation(each.tree, each.tree.span)
                    yield each._replace(tree=negated, end=each.end + 1)

    def _senses(self, at: int, patterns: list[_Pattern]) -> Iterator[Match]:
        for pattern in patterns:
            for given, end, words, known in self._parts(
                pattern, pattern.needed, {}, at, 0, 0
            ):
                yield self._with_options(pattern, given, at, end, words, known)

    def _with_options(
        self,
        pattern: _Pattern,
        given: dict[str, ConditionTree],
        at: int,
        end: int,
        words: int,
        known: int,
    ) -> Match:
        """A sense with as many of its optional parts as follow, in whatever
        order.
        """
        left = list(pattern.optional)
        while True:
            more = [
                (found, part)
                for part in left
                for found in self._parts(
                    pattern, part, given, end, words, known
                )
                if found[1] > end
            ]
            if not more:
                break
            (given, end, words, known), part = max(
                more, key=lambda each: each[0][1]
            )
            left.remove(part)
        span = self._start(at), self.tokens[end - 1].span[1]
        return Match(_called(pattern.kind, given, span), end, words, known)

    def _parts(
        self,
        pattern: _Pattern,
        parts: tuple[tuple[str, Param | None], ...],
        given: dict[str, ConditionTree],
        at: int,
        words: int,
        known: int,
    ) -> Iterator[tuple[dict[str, ConditionTree], int, int, int]]:
        """The ways in which parts of a phrase can be read from a token on."""
        if not parts:
            yield given, at, words, known
            return
        (text, param), *rest = parts
        if param is None:
            # A small word that is a key may be meant as the key: `distance to`
            # of a key `to`.
            ways = {
                self._fixed(text, at, pattern.slot_first, spared)
                for spared in (False, True)
            }
            for end, count in sorted(
                each for each in ways if each is not None
            ):
                yield from self._parts(
                    pattern, tuple(rest), given, end, words + count, known
                )
            return
        matches = list(self._slot(param, at, pattern.begins))
        if not matches and words:
            self.furthest = max(self.furthest, at)
        for match in matches:
            now = {**given, param.name: match.tree}
            yield from self._parts(
                pattern,
                tuple(rest),
                now,
                match.end,
                words,
                known + match.known,
            )

    def _fixed(
        self, text: str, at: int, strict: bool, spared: bool
    ) -> tuple[int, int] | None:
        """The words of a phrase, where small ones may be missing unless it is
        strict; where they end, and how many there were. With `spared` none is
        taken that is a key. There must be one, unless all are small.
        """
        count = 0
        for word in text.lower().split():
            is_key = spared and word in SMALL and word in self.keys
            if self._is(at, word) and not is_key:
                at, count = at + 1, count + 1
            elif word not in SMALL or strict:
                if count and not strict:
                    self.furthest = max(self.furthest, at)
                return None
        if count or all(each in SMALL for each in text.split()):
            return (at, count)
        return None

    def _slot(
        self, param: Param, at: int, stops: Collection[str]
    ) -> Iterator[Match]:
        """What can fill a place of a phrase. A name that nothing bears ends
        before a word that begins another part of the phrase.
        """
        token = self._token(at)
        if token is None:
            return
        if token.word in SMALL and token.text not in self.keys:
            yield from self._names_at(at, param.type)
            yield from self._slot(param, at + 1, stops)
            return
        if param.type in (ParamType.NUMBER, ParamType.SPREAD):
            if token.text == "(":
                found = self._in_brackets(at)
                yield from [found] if found is not None else []
            elif token.kind == "number" or token.text in self.keys:
                yield from self._plain(at)
            return
        key = self.keys.get(token.text)
        if key is not None and (
            param.type is ParamType.KEY or key.type in param.keys
        ):
            yield Match(KeyTerm(token.text, token.span), at + 1, known=1)
        if param.type is ParamType.KEY:
            return
        if token.kind == "text":
            yield Match(
                TextTerm(token.text[1:-1], token.span), at + 1, known=1
            )
            return
        yield from self._names_at(at, param.type)
        if param.type not in _NAMING and token.text not in JOINING:
            yield from self._unknown_names(at, stops)

    def _names_at(self, at: int, sort: ParamType) -> Iterator[Match]:
        """The names of a sort, of one word or several, that stand at a token."""
        for words, name in self.names_by_word.get(
            (sort, self.tokens[at].text), ()
        ):
            end = at + len(words)
            if words == [each.text for each in self.tokens[at:end]]:
                span = self._start(at), self.tokens[end - 1].span[1]
                yield Match(TextTerm(name, span), end, known=1)

    def _unknown_names(
        self, at: int, stops: Collection[str]
    ) -> Iterator[Match]:
        """A name that nothing bears: one word, or several that do not join or
        compare.
        """
        for end in range(at + 1, min(len(self.tokens), at + _MOST_WORDS) + 1):
            token = self.tokens[end - 1]
            is_over = (
                token.word in JOINING
                or token.word in stops
                or token.text in self.keys
            )
            if (
                token.kind != "word"
                or is_over
                or self._sign(end - 1, COMPARING)
            ):
                return
            span = self._start(at), token.span[1]
            yield Match(TextTerm(self.text[span[0] : span[1]], span), end)

    # tokens

    def _token(self, at: int) -> Token | None:
        if at < len(self.tokens):
            return self.tokens[at]
        return None

    def _is(self, at: int, word: str) -> bool:
        token = self._token(at)
        return token is not None and token.word == word

    def _start(self, at: int) -> int:
        return self.tokens[at].span[0]


def _tokens(text: str) -> Iterator[Token]:
    for found in _TOKEN.finditer(text):
        kind = found.lastgroup
        if kind is not None:
            yield Token(
                found[kind], (found.start(kind), found.end(kind)), kind
            )


def _pattern(kind: Kind) -> _Pattern:
    every = [param.name for param in kind.params]
    stretches = kind.stretches(every)
    needed = tuple(
        part for optional, parts in stretches if not optional for part in parts
    )
    return _Pattern(
        kind,
        needed,
        tuple(tuple(parts) for optional, parts in stretches if optional),
    )


def _words_of(pattern: _Pattern) -> Iterator[str]:
    for part in (
        *pattern.needed,
        *(each for parts in pattern.optional for each in parts),
    ):
        yield from part[0].split()


def _called(
    kind: Kind, given: Mapping[str, ConditionTree], span: TextSpan
) -> SenseCall:
    """A sense with its arguments: those that must be given by place, the
    others by name.
    """
    by_place = [param for param in kind.params if param.required]
    args = tuple(
        given[param.name] for param in by_place if param.name in given
    )
    named = tuple(
        (param.name, given[param.name])
        for param in kind.params
        if param not in by_place and param.name in given
    )
    return SenseCall(kind.id, args, named, span)
