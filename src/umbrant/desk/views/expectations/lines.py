"""An expectation as a sentence with a chip for each of its fields. Knows
nothing of Qt.
"""

import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Any

from umbrant.catalog.params import Quantity
from umbrant.desk.chips.sentence import ChipEditor, PieceRole, SentencePiece
from umbrant.desk.chips.values import ChipError, Choice, FieldChip
from umbrant.expecting.expectation import (
    Expectation,
    Expected,
    NamedExpectation,
)
from umbrant.expecting.files import ExpectationError, checked_text, with_field
from umbrant.model.parts import ROW, Slot
from umbrant.model.values import number_text
from umbrant.take.reader import Take

SECONDS = Quantity(unit="s", low=0.0, step=0.5)
TIMES = Quantity(low=0.0, step=1.0)
PERCENT = Quantity(unit="%", low=0.0, high=100.0, step=1.0)
_NUMBER = re.compile(r"^\s*(\d+\.?\d*|\.\d+)\s*(?:s|%|times?)?\s*$")

KINDS = (
    Choice("always", Expected.ALWAYS, "It is so at every tick."),
    Choice("never", Expected.NEVER, "It is so at no tick."),
    Choice("by", Expected.BY, "It has been so by a time."),
    Choice("whenever", Expected.WHENEVER, "Something follows it soon."),
    Choice(
        "at least", Expected.AT_LEAST, "It begins to be so that many times."
    ),
    Choice(
        "at most",
        Expected.AT_MOST,
        "It begins to be so no more than that many times.",
    ),
    Choice(
        "often",
        Expected.OFTEN,
        "It is so in a share of all takes, which many takes decide.",
    ),
)
"""What an expectation can say."""


class ExpectationState(StrEnum):
    """What the take that is shown says of an expectation."""

    HOLDS = "holds in this take"
    BROKEN = "broken in this take"
    MANY = "decided by many takes"
    ELSEWHERE = "about another scenario"
    UNKNOWN = "not checked yet"


@dataclass(frozen=True)
class ExpectationOffer:
    """What the chips of an expectation are filled from, and what a change
    does.
    """

    take: Take | None
    whom: Sequence[str]
    """The cast and its groups."""
    scenarios: Sequence[str]
    put: Callable[[str, Expectation, str], None]
    """Writes the expectation of a file anew; further steps of a drag share the
    text.
    """


def expectation_pieces(
    named: NamedExpectation, state: ExpectationState, offer: ExpectationOffer
) -> list[SentencePiece]:
    """The sentence of an expectation: for whom, what kind, and what that kind
    says.
    """
    writer = _Writer(named, offer)
    each = named.expectation
    writer.title()
    writer.pick(
        "of", "whom it is about", ("the first who decides", *offer.whom)
    )
    writer.pieces.append(SentencePiece(":", PieceRole.KIND))
    _SAYS[each.expect](writer, each)
    writer.words("in")
    writer.pick(
        "scenario", "the scenario", ("the first scenario", *offer.scenarios)
    )
    writer.pieces.append(SentencePiece(f"· {state}", PieceRole.KIND))
    return writer.pieces


class _Writer:
    """Writes one sentence, piece by piece."""

    def __init__(
        self, named: NamedExpectation, offer: ExpectationOffer
    ) -> None:
        self.named, self.offer = named, offer
        self.pieces: list[SentencePiece] = []

    def words(self, text: str) -> None:
        self.pieces.extend(
            SentencePiece(word, PieceRole.WORDS) for word in text.split()
        )

    def kind(self) -> None:
        expect = self.named.expectation.expect
        self._add(
            "expect",
            ChipEditor.PICK,
            "kind",
            str(expect),
            expect,
            offered=KINDS,
        )

    def pick(self, field: str, label: str, offered: Sequence[str]) -> None:
        """One of some names, the first of which stands for none."""
        none, *names = offered
        choices = (Choice(none, ""), *(Choice(name, name) for name in names))
        value = str(getattr(self.named.expectation, field))
        self._add(
            field,
            ChipEditor.PICK,
            label,
            value or none,
            value,
            offered=choices,
        )

    def title(self) -> None:
        """What it is called, in the author's words."""
        title = self.named.expectation.title
        self._add(
            "title",
            ChipEditor.TEXT,
            "what it is called",
            title or "+ title",
            title,
        )
        if title:
            self.pieces[-1] = replace(self.pieces[-1], role=PieceRole.NAME)

    def condition(self, field: str, label: str) -> None:
        """A condition over a take."""
        value, each = (
            str(getattr(self.named.expectation, field)),
            self.named.expectation,
        )

        def read(text: str) -> str:
            try:
                return checked_text(text, each, self.offer.take)
            except ExpectationError as error:
                raise ChipError(str(error)) from None

        self._add(field, ChipEditor.TEXT, label, value, value, read=read)

    def number(
        self,
        field: str,
        label: str,
        value: float | None,
        quantity: Quantity,
        *,
        empty: str = "",
        stored: Callable[[float], Any] = float,
    ) -> None:
        """A number; `stored` says how it stands in the field. With `empty`
        there may be none.
        """

        def read(text: str) -> Any:
            if empty and text.strip() in ("", empty):
                return None
            found = _NUMBER.match(text)
            if found is None:
                raise ChipError(
                    f"'{text}' is no number; write a number such as 2.5."
                )
            return float(found[1])

        unit = ""
        if quantity.unit:
            unit = f" {quantity.unit}"
        if value is None:
            shown = empty
        else:
            shown = f"{number_text(value)}{unit}"
        self._add(
            field,
            ChipEditor.NUMBER,
            label,
            shown,
            value,
            read=read,
            quantity=quantity,
            stored=lambda given: (
                None if given is None else stored(float(given))
            ),
        )

    def _add(
        self,
        field: str,
        editor: ChipEditor,
        label: str,
        shown: str,
        value: Any,
        *,
        read: Callable[[str], Any] = str,
        offered: tuple[Choice, ...] = (),
        quantity: Quantity = Quantity(),  # noqa: B008  (frozen, so it may be shared)
        stored: Callable[[Any], Any] = lambda given: given,
    ) -> None:
        named, put = self.named, self.offer.put
        name = field.partition(" ")[0]

        def act(given: Any, merges: str) -> None:
            try:
                changed = with_field(named.expectation, name, stored(given))
            except ExpectationError as error:
                raise ChipError(str(error)) from None
            put(named.file, changed, merges)

        slot = Slot(named.file, ROW, field)
        chip = FieldChip(
            slot,
            editor,
            value,
            label,
            read=read,
            offered=offered,
            quantity=quantity,
            act=act,
        )
        if editor is ChipEditor.PICK:
            role = PieceRole.KEY_CHIP
        else:
            role = PieceRole.CHIP
        self.pieces.append(SentencePiece(shown, role, chip=chip))


def _plain(writer: _Writer, each: Expectation) -> None:
    writer.kind()
    writer.condition("that", "what must be so")


def _by(writer: _Writer, each: Expectation) -> None:
    writer.kind()
    writer.number("by_s", "by when", each.by_s, SECONDS)
    writer.condition("that", "what must have been so")


def _whenever(writer: _Writer, each: Expectation) -> None:
    writer.kind()
    writer.condition("that", "what begins")
    writer.words("within")
    writer.number("within_s", "how soon", each.within_s, SECONDS)
    writer.condition("then", "what must follow")


def _counted(writer: _Writer, each: Expectation) -> None:
    writer.condition("that", "what is counted")
    writer.words("begins")
    writer.kind()
    writer.number("times", "how often", each.times, TIMES, stored=round)
    writer.words("times")
    if each.expect is Expected.AT_MOST:
        writer.words("in any")
        writer.number(
            "within_s", "in which time", each.within_s, SECONDS, empty="take"
        )


def _often(writer: _Writer, each: Expectation) -> None:
    low, high = each.between or (0.0, 1.0)
    writer.kind()
    writer.words("between")
    writer.number(
        "between low",
        "at least",
        low * 100,
        PERCENT,
        stored=lambda given: (given / 100, high),
    )
    writer.words("and")
    writer.number(
        "between high",
        "at most",
        high * 100,
        PERCENT,
        stored=lambda given: (low, given / 100),
    )
    writer.words("of takes have")
    writer.condition("that", "what is so at some tick")


_SAYS: dict[Expected, Callable[[_Writer, Expectation], None]] = {
    Expected.ALWAYS: _plain,
    Expected.NEVER: _plain,
    Expected.BY: _by,
    Expected.WHENEVER: _whenever,
    Expected.AT_LEAST: _counted,
    Expected.AT_MOST: _counted,
    Expected.OFTEN: _often,
}


def states_of(
    expectations: Sequence[NamedExpectation],
    broken: Sequence[str] | None,
    scenario: str,
    first: str,
) -> Iterator[ExpectationState]:
    """What is known of each, by the files of those that the take breaks; None
    where it has not been held against them yet.
    """
    for named in expectations:
        if (named.expectation.scenario or first) != scenario:
            yield ExpectationState.ELSEWHERE
        elif broken is None:
            yield ExpectationState.UNKNOWN
        elif named.file in broken:
            yield ExpectationState.BROKEN
        elif named.expectation.expect is Expected.OFTEN:
            yield ExpectationState.MANY
        else:
            yield ExpectationState.HOLDS
