"""Sentences made of bits, so that a window can link rows and colour values,
and a terminal can print them.
"""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum
from itertools import zip_longest

from umbrant.catalog.causes import Cause
from umbrant.catalog.protocols import Gauge, Measured
from umbrant.model.values import decimals_apart, number_text, times_text


class Tone(StrEnum):
    """What a bit of a sentence is."""

    PLAIN = "plain"
    NAME = "name"
    YES = "yes"
    NO = "no"


@dataclass(frozen=True)
class TextRun:
    """A stretch of a sentence; with `row_id` a link to that row."""

    text: str
    tone: Tone = Tone.PLAIN
    row_id: str = ""


class ClaimKind(StrEnum):
    """What a sentence can claim. Each kind has a checker in the tests, which
    holds it against the take's raw data or against a replay.
    """

    RUNS = "runs"
    """The row is active at a tick and after it; `since` is the tick it was
    entered at.
    """
    RESTARTS = "restarts"
    """The row begins and ends within each tick from `since` on, up to a tick.
    """
    ENTERED = "entered"
    ENDED = "ended"
    """It ended at a tick with an `outcome`, and not again until `now`."""
    REFUSED = "refused"
    """It was tried at a tick and not entered, for a `cause`; of a consideration
    that its input was not known.
    """
    NOT_TRIED = "not tried"
    NEVER_RAN = "never ran"
    """The row had not run by a tick, nor written its `key`."""
    MUTED = "muted"
    CONDITION = "condition"
    """The condition of a `part` came out as `held` when it was last evaluated,
    at a tick or before, or by a `step` of it; `atoms` are what decided it: index, truth, and both
    sides.
    """
    LAST_YES = "last yes"
    """An `atom` of a `part` was yes at a tick for the last time before `now`.
    """
    NOT_SET = "not set"
    """A `key` had no value when the input of a consideration was evaluated at
    a tick.
    """
    WROTE = "wrote"
    """A `key` got a `value` at a tick, and kept it until `now`."""
    FIRED = "fired"
    """A transition fired; where it is said, its state had been active `since` a
    tick.
    """
    RECEIVED = "received"
    """The agent received an `event`."""
    LEFT_TO_DO = "left to do"
    """So much of a row's work was `left` at a tick."""
    SCORED = "scored"
    """An option had a `score` when it was last scored, at a tick or before."""
    TIED = "tied"
    """At a decision an option scored the same as an `other`, and won: it
    `stays`, or it comes first.
    """
    WOULD_WIN = "would win"
    """With `what` at a `value` the option would have won the decision of a
    tick.
    """
    COMES_AFTER = "comes after"
    """The row comes in its turn after the one `before` it, which at a tick was
    not at an end that leads on to it.
    """
    NOT_DRAWN = "not drawn"
    """The row has not been tried since that which was drawn `instead` was."""
    OFF_STAGE = "off stage"


@dataclass(frozen=True)
class Claim:
    """One thing that a sentence says happened or would happen, as data."""

    kind: ClaimKind
    row_id: str
    tick: int
    facts: Mapping[str, object] = field(default_factory=dict)

    def plain(self) -> dict[str, object]:
        """The claim as JSON has it."""
        if self.row_id:
            row = {"row": self.row_id}
        else:
            row = {}
        return {
            "kind": self.kind.value,
            **row,
            "tick": self.tick,
            **self.facts,
        }


def claim(kind: ClaimKind, row_id: str, tick: int, **facts: object) -> Claim:
    """A claim with its facts by name."""
    return Claim(kind, row_id, tick, facts)


Bit = TextRun | str | Claim
"""A piece of a sentence while it is made: words, or a claim that the words
around it make.
"""


def parted(
    bits: Iterable[Bit],
) -> tuple[tuple[TextRun, ...], tuple[Claim, ...]]:
    """The words of a sentence, and its claims."""
    runs, claims = [], []
    for bit in bits:
        if isinstance(bit, Claim):
            claims.append(bit)
        else:
            runs.append(TextRun(bit) if isinstance(bit, str) else bit)
    return tuple(runs), tuple(claims)


@dataclass(frozen=True)
class AnswerLine:
    """One sentence of an answer. `number` is the number of the row it is
    about, and `tone` how that row fares.
    """

    row_id: str
    number: str
    bits: tuple[TextRun, ...]
    tone: Tone = Tone.PLAIN
    claims: tuple[Claim, ...] = ()
    """What the sentence claims, as data."""

    @property
    def text(self) -> str:
        """The sentence as plain text."""
        return "".join(bit.text for bit in self.bits)


def once(lines: Iterable[AnswerLine]) -> tuple[AnswerLine, ...]:
    """The same sentences with each row in one line: what another line says of
    a row is put behind what the first says of it. Lines about no row stay as
    they are.
    """
    found: list[AnswerLine] = []
    place: dict[str, int] = {}
    for line in lines:
        first = None
        if line.row_id:
            first = place.get(line.row_id)
        if first is None:
            place.setdefault(line.row_id, len(found))
            found.append(line)
        else:
            found[first] = _with_more(found[first], line)
    return tuple(found)


def _with_more(line: AnswerLine, more: AnswerLine) -> AnswerLine:
    """A line, and another of the same row behind it, which begins with the
    row's name.
    """
    rest = more.bits[1:]
    says = ""
    if rest:
        says = rest[0].text
    # `Perch: time limit: …` goes on as `Time limit: …`, `Perch was done …` as
    # `It was done …`.
    if says.startswith(": "):
        begins = f" {says[2:3].upper()}{says[3:]}"
    else:
        begins = f" It{says}"
    if rest:
        goes_on = (replace(rest[0], text=begins), *rest[1:])
    else:
        goes_on = ()
    if more.tone is Tone.NO or line.tone is Tone.PLAIN:
        tone = more.tone
    else:
        tone = line.tone
    return replace(
        line,
        bits=(*line.bits, *goes_on),
        tone=tone,
        claims=(*line.claims, *more.claims),
    )


@dataclass(frozen=True)
class ScoreTable:
    """Numbers side by side. Each row has as many cells as there are columns."""

    columns: tuple[str, ...]
    rows: tuple[tuple[TextRun, ...], ...]

    @property
    def text(self) -> str:
        """The table as plain text."""
        lines = [
            self.columns,
            *(tuple(cell.text for cell in row) for row in self.rows),
        ]
        widths = [
            max(len(line[index]) for line in lines)
            for index in range(len(self.columns))
        ]
        return "\n".join(
            "  ".join(
                text.ljust(width)
                for text, width in zip(line, widths, strict=True)
            ).rstrip()
            for line in lines
        )


@dataclass(frozen=True)
class Answer:
    """An answer: the question, the tick, its lines from the root down, and for
    a utility the table of scores.
    """

    question: str
    tick: int
    lines: tuple[AnswerLine, ...]
    table: ScoreTable | None = None
    headline: AnswerLine | None = None
    """The answer in one sentence; the lines are the trail that leads to it.
    None where the first line says it all.
    """

    @property
    def text(self) -> str:
        """The whole answer as plain text."""
        lines = "\n".join(
            f"{line.number:7} {line.text}" for line in self.lines
        )
        headline = self.headline.text if self.headline is not None else ""
        table = self.table.text if self.table else ""
        return "\n\n".join(filter(None, (headline, lines, table)))


@dataclass(frozen=True)
class RowNames:
    """The numbers and names of a behavior's rows."""

    numbers: dict[str, str]
    titles: dict[str, str]

    def bit(self, row_id: str) -> TextRun:
        """A row by its name, as a link."""
        return TextRun(self.titles.get(row_id) or row_id, Tone.NAME, row_id)

    def numbered(self, row_id: str) -> TextRun:
        """A row by its number, as a link."""
        return TextRun(self.numbers.get(row_id) or row_id, Tone.PLAIN, row_id)

    def line(
        self, row_id: str, bits: Iterable[Bit], tone: Tone = Tone.PLAIN
    ) -> AnswerLine:
        """A sentence about a row, beginning with its name."""
        runs, claims = parted(bits)
        words = (self.bit(row_id), *runs)
        return AnswerLine(
            row_id, self.numbers.get(row_id, ""), words, tone, claims
        )

    def because(self, cause: Cause) -> Iterator[TextRun]:
        """A cause's sentence, with the rows in it as links."""
        for fact, text in cause.parts():
            if fact == "rows":
                yield from self._several(text.split())
            else:
                yield self.bit(text) if fact == "row" else TextRun(text)

    def _several(self, row_ids: Sequence[str]) -> Iterator[TextRun]:
        for index, row_id in enumerate(row_ids):
            if index:
                joint = ", "
                if index == len(row_ids) - 1:
                    joint = " and "
                yield TextRun(joint)
            yield self.bit(row_id)


def first_sentence(bits: Sequence[TextRun]) -> Iterator[TextRun]:
    """The words of a line up to the end of its first sentence."""
    for bit, then in zip_longest(bits, bits[1:]):
        # A full stop in the name of a row ends nothing.
        if bit.row_id:
            yield bit
            continue
        head, stop, _ = bit.text.partition(". ")
        if stop:
            yield replace(bit, text=f"{head}.")
            return
        yield bit
        if (
            bit.text.endswith(".")
            and then is not None
            and then.text.startswith(" ")
        ):
            return


def seconds_text(seconds: float) -> str:
    """A span of time as it is read: 0.80 s."""
    return f"{seconds:.2f} s"


def ago_text(seconds: float) -> str:
    """How long ago something was."""
    if seconds:
        return f"{seconds_text(seconds)} ago"
    return "at this tick"


def gauge_text(gauge: Gauge, now_s: float) -> str:
    """A gauge as it is read: `3.20 s of 9 s left`, `2 of 3`, `rolled 0.124,
    under 0.3`; empty when its time is over.
    """
    match gauge.measured:
        case Measured.UNTIL:
            left = gauge.value - now_s
            if left > 1e-9:
                return f"{left:.2f} s of {number_text(gauge.of or 0.0)} s left"
            return ""
        case Measured.COUNT:
            if gauge.of is not None:
                return f"{number_text(gauge.value)} of {number_text(gauge.of)}"
            return times_text(gauge.value)
        case Measured.ROLL:
            bound = gauge.of or 0.0
            side = "not under"
            if gauge.value < bound:
                side = "under"
            # As a refusal by it says: 0.30 under 0.30 would be no answer.
            digits = decimals_apart(gauge.value, bound, 3)
            roll = number_text(gauge.value, digits)
            return f"rolled {roll}, {side} {number_text(bound, digits)}"
        case Measured.SCORE:
            if gauge.of:
                return f"{gauge.value:.2f} + {gauge.of:.2f}"
            return f"{gauge.value:.2f}"
        case Measured.INPUT:
            return f"{gauge.value:.2f}"
