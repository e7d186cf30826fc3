"""A condition as it is read in a row: `can see visitor within 9 m`, its keys
and numbers told apart from the words.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from enum import StrEnum

from umbrant.catalog.kind import Catalog, Family
from umbrant.catalog.language.check import bound_args
from umbrant.catalog.language.tree import (
    SIGNS,
    Arithmetic,
    Comparison,
    ConditionTree,
    Conjunction,
    Disjunction,
    KeyTerm,
    Negation,
    NumberTerm,
    SenseCall,
    TextSpan,
    TextTerm,
    YesNoTerm,
)
from umbrant.catalog.params import Quantity
from umbrant.model.values import value_text

PLAIN = Quantity()


class PhrasePieceKind(StrEnum):
    """What a piece of a sentence is."""

    WORDS = "words"
    KEY = "key"
    NUMBER = "number"


@dataclass(frozen=True)
class PhrasePiece:
    """A stretch of a sentence. A NUMBER can be dragged: it stands at `span` of
    the condition's text.
    """

    kind: PhrasePieceKind
    text: str
    span: TextSpan = (0, 0)
    value: float = 0.0
    quantity: Quantity = PLAIN


def pieces(tree: ConditionTree, catalog: Catalog) -> list[PhrasePiece]:
    """The phrase of a condition in pieces: fixed words, and for each atom a
    number or a name.
    """
    return list(_said(tree, catalog, PLAIN))


def spoken(tree: ConditionTree, catalog: Catalog) -> str:
    """The condition as one text."""
    return " ".join(piece.text for piece in pieces(tree, catalog))


def unit_of(tree: ConditionTree, catalog: Catalog) -> str:
    """The unit of a term's value; empty if it has none."""
    if isinstance(tree, SenseCall):
        kind = catalog.get(tree.sense, Family.SENSE)
        if kind:
            return kind.unit
        return ""
    if isinstance(tree, Arithmetic) and tree.sign in "+-":
        return unit_of(tree.left, catalog) or unit_of(tree.right, catalog)
    return ""


def _said(
    tree: ConditionTree, catalog: Catalog, quantity: Quantity
) -> Iterator[PhrasePiece]:
    match tree:
        case NumberTerm(value=value, span=span):
            yield PhrasePiece(
                PhrasePieceKind.NUMBER,
                value_text(value, quantity.unit),
                span,
                value,
                quantity,
            )
        case TextTerm(value=said) | YesNoTerm(value=said):
            yield _words(value_text(said))
        case KeyTerm(key=key, span=span):
            yield PhrasePiece(PhrasePieceKind.KEY, key, span)
        case SenseCall():
            yield from _ask(tree, catalog)
        case Negation(part=part):
            yield _words("not")
            yield from _bracketed(part, catalog, quantity)
        case Conjunction(parts=parts) | Disjunction(parts=parts):
            yield from _joined(
                parts,
                "and" if isinstance(tree, Conjunction) else "or",
                catalog,
            )
        case Arithmetic(sign=sign, left=left, right=right):
            yield from _bracketed(left, catalog, quantity)
            yield _words({"*": "×", "/": "÷", "-": "−"}.get(sign, sign))
            yield from _bracketed(right, catalog, quantity)
        case Comparison():
            yield from _compared(tree, catalog)


def _compared(tree: Comparison, catalog: Catalog) -> Iterator[PhrasePiece]:
    quantity = Quantity(
        unit_of(tree.left, catalog) or unit_of(tree.right, catalog), step=0.1
    )
    yield from _said(tree.left, catalog, quantity)
    yield _words(SIGNS[tree.sign])
    yield from _said(tree.right, catalog, quantity)


def _ask(tree: SenseCall, catalog: Catalog) -> Iterator[PhrasePiece]:
    kind = catalog.get(tree.sense, Family.SENSE)
    if kind is None:
        yield _words(f"{tree.sense}?")
        return
    given = bound_args(tree, kind)
    for words, param in kind.phrase_parts(given):
        if param is None:
            yield _words(words)
        elif param.name in given:
            yield from _said(given[param.name], catalog, param.quantity)
        else:
            yield _words("…")


def _joined(
    parts: tuple[ConditionTree, ...], word: str, catalog: Catalog
) -> Iterator[PhrasePiece]:
    for index, part in enumerate(parts):
        if index:
            yield _words(word)
        yield from (
            _bracketed(part, catalog, PLAIN)
            if isinstance(part, Conjunction | Disjunction)
            else _said(part, catalog, PLAIN)
        )


def _bracketed(
    part: ConditionTree, catalog: Catalog, quantity: Quantity
) -> Iterator[PhrasePiece]:
    wide = isinstance(part, Conjunction | Disjunction | Arithmetic)
    if wide:
        yield _words("(")
    yield from _said(part, catalog, quantity)
    if wide:
        yield _words(")")


def _words(text: str) -> PhrasePiece:
    return PhrasePiece(PhrasePieceKind.WORDS, text)
