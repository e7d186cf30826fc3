"""The phrases of senses, read: `can see visitor within 8 m`.

A phrase is what must stand there in its order, small words left out or added,
and parts that may follow in any order. What is read at a place can be several
things; whoever asks chooses the one that goes furthest.
"""

from collections.abc import Collection, Iterator, Mapping
from copy import copy
from dataclasses import dataclass

from umbrant.catalog.kind import Catalog, Family, Kind
from umbrant.catalog.language.phrase_tokens import (
    COMPARING,
    JOINING,
    SMALL,
    Match,
    TokenReader,
    tokens_of,
)
from umbrant.catalog.language.tree import (
    ConditionTree,
    KeyTerm,
    Negation,
    NumberTerm,
    SenseCall,
    TextSpan,
    TextTerm,
    YesNoTerm,
)
from umbrant.catalog.params import Param, ParamType
from umbrant.model.behaviors import Key

Names = Mapping[ParamType, Collection[str]]
"""The names that a chip of a type may hold here; TEXT stands for the names of
rows.
"""

_NAMING = (ParamType.AGENT, ParamType.PLACE, ParamType.PROP)
_MOST_WORDS = 5
"""Of how many words a name at most is made that nothing here bears."""


@dataclass(frozen=True)
class PhrasePattern:
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


def pattern_of(kind: Kind) -> PhrasePattern:
    """The phrase of a sense by which it is read."""
    every = [param.name for param in kind.params]
    stretches = kind.stretches(every)
    needed = tuple(
        part for optional, parts in stretches if not optional for part in parts
    )
    return PhrasePattern(
        kind,
        needed,
        tuple(tuple(parts) for optional, parts in stretches if optional),
    )


def words_of(pattern: PhrasePattern) -> Iterator[str]:
    """All fixed words of a phrase."""
    for part in (
        *pattern.needed,
        *(each for parts in pattern.optional for each in parts),
    ):
        yield from part[0].split()


class SenseReader(TokenReader):
    """Reads senses, and the terms that they are given."""

    def __init__(
        self,
        text: str,
        keys: Mapping[str, Key],
        catalog: Catalog,
        names: Names,
    ) -> None:
        super().__init__(text)
        self.keys, self.names = keys, names
        self.patterns = [
            pattern_of(kind) for kind in catalog.family(Family.SENSE)
        ]
        self.names_by_word: dict[
            tuple[ParamType, str], list[tuple[list[str], str]]
        ] = {}
        """The names of each sort with their words, by the first of these."""
        for sort, found in names.items():
            for name in found:
                parts = [each.text for each in tokens_of(name)]
                if parts:
                    self.names_by_word.setdefault((sort, parts[0]), []).append(
                        (parts, name)
                    )

    def _in_brackets(self, at: int) -> Match | None:
        """A condition or a sum in brackets, of which the first is here."""
        raise NotImplementedError

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

    def _senses(
        self, at: int, patterns: list[PhrasePattern]
    ) -> Iterator[Match]:
        for pattern in patterns:
            for given, end, words, known in self._parts(
                pattern, pattern.needed, {}, at, 0, 0
            ):
                yield self._with_options(pattern, given, at, end, words, known)

    def _with_options(
        self,
        pattern: PhrasePattern,
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
        pattern: PhrasePattern,
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
