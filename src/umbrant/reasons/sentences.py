"""Sentences made of bits, so that a window can link rows and colour values, and a terminal can
print them.
"""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum

from umbrant.catalog.causes import Cause


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


@dataclass(frozen=True)
class AnswerLine:
    """One sentence of an answer. `number` is the number of the row it is about, and `tone` how that
    row fares.
    """

    row_id: str
    number: str
    bits: tuple[TextRun, ...]
    tone: Tone = Tone.PLAIN
    facts: Mapping[str, object] = field(default_factory=dict)
    """What the sentence claims, as data: what stands in it can be checked against the take."""

    @property
    def text(self) -> str:
        """The sentence as plain text."""
        return "".join(bit.text for bit in self.bits)


@dataclass(frozen=True)
class ScoreTable:
    """Numbers side by side. Each row has as many cells as there are columns."""

    columns: tuple[str, ...]
    rows: tuple[tuple[TextRun, ...], ...]

    @property
    def text(self) -> str:
        """The table as plain text."""
        lines = [self.columns, *(tuple(cell.text for cell in row) for row in self.rows)]
        widths = [max(len(line[index]) for line in lines) for index in range(len(self.columns))]
        return "\n".join(
            "  ".join(text.ljust(width) for text, width in zip(line, widths, strict=True)).rstrip()
            for line in lines
        )


@dataclass(frozen=True)
class Answer:
    """An answer: the question, the tick, its lines from the root down, and for a utility the table
    of scores.
    """

    question: str
    tick: int
    lines: tuple[AnswerLine, ...]
    table: ScoreTable | None = None
    headline: AnswerLine | None = None
    """The answer in one sentence; the lines are the trail that leads to it. None where the first
    line says it all.
    """

    @property
    def text(self) -> str:
        """The whole answer as plain text."""
        lines = "\n".join(f"{line.number:7} {line.text}" for line in self.lines)
        if self.headline is not None:
            lines = f"{self.headline.text}\n\n{lines}"
        return f"{lines}\n\n{self.table.text}" if self.table else lines


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
        self, row_id: str, bits: Iterable[TextRun | str], tone: Tone = Tone.PLAIN
    ) -> AnswerLine:
        """A sentence about a row, beginning with its name."""
        runs = (self.bit(row_id), *(TextRun(bit) if isinstance(bit, str) else bit for bit in bits))
        return AnswerLine(row_id, self.numbers.get(row_id, ""), runs, tone)

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
                yield TextRun(" and " if index == len(row_ids) - 1 else ", ")
            yield self.bit(row_id)


def seconds_text(seconds: float) -> str:
    """A span of time as it is read: 0.80 s."""
    return f"{seconds:.2f} s"
