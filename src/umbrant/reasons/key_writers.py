"""Who gave a key its value, and what kept those from it that were to write
it, in words.
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from umbrant.engine.board import FORMULA
from umbrant.model.parts import part_index
from umbrant.model.printable import a_or_an
from umbrant.model.values import Value, value_text
from umbrant.reasons.sentences import (
    Bit,
    Claim,
    ClaimKind,
    RowNames,
    TextRun,
    ago_text,
)
from umbrant.take.header import Header
from umbrant.take.record import AgentRecord

SensorPlace = tuple[str, str]
"""An upkeep that writes a key: its row by id, and which part of that it is."""
DEEPEST = 3
"""How often a copy is followed to what it was made from: what is copied round
and round has no beginning.
"""


@dataclass(frozen=True)
class KeyWriters:
    """Says of the keys of one agent who wrote them."""

    header: Header
    agent: AgentRecord
    names: RowNames
    sensors: Mapping[str, Sequence[SensorPlace]] = field(default_factory=dict)
    """By key the upkeeps that write it."""

    def of(self, key: str, called: str, tick: int, now: int) -> Iterator[Bit]:
        """Who gave a key the value that it has at a tick, as seen from `now`;
        of one that nothing wrote, what the upkeep found that was to write it.
        `called` is the name that the row has for the key.
        """
        written = list(self._written(key, called, tick, now))
        yield from written or self._found_nothing(key, tick, now)

    def _written(
        self,
        key: str,
        called: str,
        tick: int,
        now: int,
        deepest: int = DEEPEST,
    ) -> Iterator[Bit]:
        """Who gave a key its value, and how long before `now`. Nothing for a
        value from the start. A copy is followed to what it was made from.
        """
        changes = self.agent.keys.get(key)
        written = None
        if changes:
            written = changes.at(tick)
        if (
            changes is None
            or written is None
            or not (written.row_id or written.part)
            or written.part == FORMULA
        ):
            return
        wrote_at = changes.ticks[changes.index(tick)]
        ago = ago_text(self.header.seconds(now - wrote_at))
        facts = {
            "key": key,
            "value": written.value,
            "part": written.part,
            "until": tick,
        }
        yield Claim(ClaimKind.WROTE, written.row_id, wrote_at, facts)
        family, _ = part_index(written.part)
        value = value_text(rounded(written.value))
        yield TextRun(f"; {called} became {value} {ago} by ")
        if not written.row_id:
            yield TextRun(f"{a_or_an(family)}")
        elif written.agent and written.row_id not in self.names.numbers:
            yield TextRun(written.agent)
        else:
            yield self.names.numbered(written.row_id)
            if family:
                yield TextRun(f" {family}")
        if written.cause is not None and written.cause.kind == "copied":
            source = str(written.cause.facts["key"])
            yield TextRun(f", from {source}")
            if deepest > 0:
                yield from self._written(
                    source, source, wrote_at, now, deepest - 1
                )
        elif written.cause is not None:
            joint = ", which found "
            if written.cause.kind.startswith("picked"):
                joint = ": "
            yield TextRun(joint)
            yield from self.names.because(written.cause)

    def _found_nothing(self, key: str, tick: int, now: int) -> Iterator[Bit]:
        """What kept the upkeep from writing a key that was to write it, when
        that was last at work.
        """
        last = max(
            (
                (min(refusal.end, tick), row_id, part, refusal.cause)
                for row_id, part in self.sensors.get(key, ())
                if (refusal := self.agent.row(row_id).last_refusal(tick, part))
                is not None
            ),
            key=lambda each: each[0],
            default=None,
        )
        if last is None:
            return
        at, row_id, part, cause = last
        yield f"; {ago_text(self.header.seconds(now - at))} "
        yield self.names.numbered(row_id)
        yield f" {part_index(part)[0]} found "
        yield from self.names.because(cause)
        yield Claim(ClaimKind.REFUSED, row_id, at, {"cause": cause.kind})


def rounded(value: Value | None) -> Value | None:
    """A value as a sentence shows it."""
    if isinstance(value, float):
        return round(value, 2)
    return value
