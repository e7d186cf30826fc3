"""Reading a condition as it is read in a row: `can see visitor within 8 m and
not raining`.

It takes what the phrase writer writes, with or without its small words, with
its optional parts in any order. What comes out is the tree that the call form
`can_see(visitor, within=8)` gives; both are stored in that form. A word that
is a key is read as the key wherever a value may stand, also where it is a
small word elsewhere.
"""

from collections.abc import Mapping
from dataclasses import replace

from umbrant.catalog.kind import Catalog, Family
from umbrant.catalog.language.check import Fault, faults
from umbrant.catalog.language.phrase_tokens import (
    AGING,
    CALCULATING,
    COMPARING,
    SMALL,
    Match,
    Token,
)
from umbrant.catalog.language.sense_phrases import Names, SenseReader, words_of
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
    parse,
    source,
    walk,
)
from umbrant.model.behaviors import Key
from umbrant.model.kind_ids import IS_SET
from umbrant.model.problems import did_you_mean
from umbrant.model.values import KeyType


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
        if is_called:
            return text, direct
        return text, [Fault(str(error), "", error.span)]
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


class _PhraseReader(SenseReader):
    """Reads a condition: parts with `or` and `and` between them, comparisons,
    sums, and in these the senses.
    """

    def __init__(
        self,
        text: str,
        keys: Mapping[str, Key],
        catalog: Catalog,
        names: Names,
    ) -> None:
        super().__init__(text, keys, catalog, names)
        self.before: ConditionTree | None = None
        """What the comparison before was about, for `n > 3 and < 5`."""

    def read(self) -> ConditionTree:
        if not self.tokens:
            raise LanguageError(
                "a condition is empty; write one", (0, len(self.text))
            )
        found = self._any(0)
        if found is None or found.end < len(self.tokens):
            at = self.furthest
            if found is not None:
                at = max(at, found.end)
            raise self._not_understood(at)
        return found.tree

    def _not_understood(self, at: int) -> LanguageError:
        if at >= len(self.tokens):
            return LanguageError(
                "something is missing at the end", (0, len(self.text))
            )
        token = self.tokens[at]
        words = {
            word for each in self.patterns for word in words_of(each)
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
            if token.word in words_of(each) and begins in typed:
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
            if isinstance(tree, SenseCall) and tree.sense == IS_SET:
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
