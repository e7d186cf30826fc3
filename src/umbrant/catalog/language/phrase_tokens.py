"""The words of a condition that is written as it is read: numbers, names,
signs, and the words that compare and join.
"""

import re
from collections.abc import Iterator, Mapping
from typing import NamedTuple

from umbrant.catalog.language.tree import ConditionTree, TextSpan

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


def tokens_of(text: str) -> Iterator[Token]:
    """The tokens of a text, in their order; what is odd is one as well."""
    for found in _TOKEN.finditer(text):
        kind = found.lastgroup
        if kind is not None:
            yield Token(
                found[kind], (found.start(kind), found.end(kind)), kind
            )


class TokenReader:
    """Reads a condition token by token. A place is the index of a token."""

    def __init__(self, text: str) -> None:
        self.text = text
        self.tokens = list(tokens_of(text))
        self.furthest = 0
        """The token that could not be understood, as far as was read."""

    def _token(self, at: int) -> Token | None:
        if at < len(self.tokens):
            return self.tokens[at]
        return None

    def _is(self, at: int, word: str) -> bool:
        token = self._token(at)
        return token is not None and token.word == word

    def _start(self, at: int) -> int:
        return self.tokens[at].span[0]

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
