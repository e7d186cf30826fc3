"""Chunks of events as they stand in a take's file.

Each kind of chunk is decoded, which may find damage, and then put into a
record. By then the ticks of a chunk are known to be in the order of time.
"""

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any, Generic, TypeVar

import numpy as np
from pydantic_core import from_json

from umbrant.catalog.causes import Cause
from umbrant.catalog.language.atom_results import AtomResult
from umbrant.catalog.language.written import NOTHING_WRITTEN, WrittenPart
from umbrant.catalog.protocols import Gauge, Measured
from umbrant.catalog.written_facts import GAUGE, WrittenFacts, with_written
from umbrant.model.values import Point
from umbrant.take.record import (
    AtomStep,
    Changes,
    Outcome,
    ProgressSample,
    Refusal,
    RowRecord,
    Span,
)
from umbrant.take.stored.values import (
    PLAIN,
    DamagedTake,
    plain_cause,
    plain_point,
    plain_value,
)
from umbrant.take.tables import What

K = TypeVar("K")
T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class StoredChunk:
    """One row of the table of chunks: the events of one row, part and kind."""

    ticks: list[int]
    steps: list[int]
    ends: list[int]
    numbers: list[float]
    more: list[Any]


def stored_chunk(
    ticks: bytes, steps: bytes, ends: bytes, numbers: bytes, more: str
) -> StoredChunk:
    """A chunk from its columns. Raises ValueError or TypeError where they hold
    something else.
    """
    found = from_json(more) if more else []
    if not isinstance(found, list):
        raise TypeError("no list")
    return StoredChunk(
        _integers(ticks),
        np.frombuffer(steps, "<u2").tolist(),
        _integers(ends),
        np.frombuffer(numbers, "<f8").tolist(),
        found,
    )


def _cause_of(
    data: Mapping[str, Any] | None, written: WrittenFacts
) -> Cause | None:
    """A cause with what is written of it in the documents."""
    cause = plain_cause(data)
    if cause is None or not written:
        return cause
    return with_written(cause, written)


def _spans_of(chunk: StoredChunk, written: WrittenFacts) -> list[Span]:
    outcomes, causes = chunk.more
    # A chunk has first the beginnings and then the ends; who has no end comes
    # last.
    starts, count = (
        list(zip(chunk.ticks, chunk.steps, strict=False)),
        len(chunk.ends),
    )
    ends = zip(chunk.ends, chunk.steps[len(chunk.ticks) :], strict=True)
    ended = [
        Span(
            start,
            end,
            Outcome(outcome),
            _cause_of(cause, written),
            start_step,
            end_step,
        )
        for (start, start_step), (end, end_step), outcome, cause in zip(
            starts[:count], ends, outcomes, causes, strict=True
        )
    ]
    goes_on = starts[count:]
    if len(goes_on) > 1:
        raise ValueError("more than one span without an end")
    return [*ended, *(Span(start, start_step=step) for start, step in goes_on)]


def _put_spans(record: RowRecord, part: str, spans: list[Span]) -> None:
    # What ran on over the end of a chunk stands in the next one too, which
    # knows more of it.
    if record.spans and record.spans[-1].end is None:
        record.spans.pop()
    for span in spans:
        last = None
        if record.spans:
            last = record.spans[-1]
        if (span.end is not None and span.end < span.start) or (
            last and (last.end is None or last.end > span.start)
        ):
            raise DamagedTake("a row ran twice at one time")
        record.spans.append(span)


def _refusals_of(chunk: StoredChunk, written: WrittenFacts) -> list[Refusal]:
    return [
        Refusal(start, end, found, step)
        for start, step, end, cause in zip(
            chunk.ticks, chunk.steps, chunk.ends, chunk.more, strict=True
        )
        if (found := _cause_of(cause, written)) is not None
    ]


def _put_refusals(record: RowRecord, part: str, found: list[Refusal]) -> None:
    """Append refusals to those of a part. The first may be the last one of the
    piece before, which went on. Several can begin in one tick: a row is asked
    again each time its machine goes round.
    """
    refusals = record.refusals.setdefault(part, [])
    if refusals and found and _place(refusals[-1]) == _place(found[0]):
        refusals.pop()
    for refusal in found:
        last = None
        if refusals:
            last = refusals[-1]
        if refusal.end < refusal.start or (
            last
            and (last.end > refusal.start or _place(last) >= _place(refusal))
        ):
            raise DamagedTake("a row was refused twice at one time")
        refusals.append(refusal)


def _place(refusal: Refusal) -> tuple[int, int]:
    return refusal.start, refusal.step


def _finds_of(
    body: WrittenFacts,
    written: Sequence[WrittenPart],
) -> Callable[[StoredChunk], list[AtomStep]]:
    """What decodes what the atoms of a condition found, by what of it is
    written in the document of the body and in the condition itself.
    """
    # Of most atoms nothing is written, and a damaged take can speak of some
    # that there are not.
    parts = {
        atom: part
        for atom, part in enumerate(written)
        if part != NOTHING_WRITTEN
    }
    lefts = {
        at: part.left for at, part in parts.items() if part.left is not None
    }
    rights = {
        at: part.right for at, part in parts.items() if part.right is not None
    }

    def reason_of(atom: int, plain: Mapping[str, Any]) -> Cause | None:
        reason = _cause_of(plain, body)
        if reason is None or atom not in parts:
            return reason
        return parts[atom].filled_in(reason)

    # Half of a take is this, so it is one loop without a call in it for what
    # most entries are. A plain tuple is what a named one is made of, and the
    # latter's own maker takes three times as long.
    def decode(chunk: StoredChunk) -> list[AtomStep]:
        steps = []
        for tick, step, entry in zip(
            chunk.ticks, chunk.steps, chunk.more, strict=True
        ):
            result = None
            if len(entry) == 1:  # an atom that was passed over
                (atom,) = entry
            else:
                atom, truth, left, right, cause = entry
                if left.__class__ not in PLAIN:
                    left = plain_value(left)
                if right.__class__ not in PLAIN:
                    right = plain_value(right)
                reason = reason_of(atom, cause) if cause else None
                sides = lefts.get(atom, left), rights.get(atom, right)
                result = _new(AtomResult, (truth, *sides, reason))
            steps.append(_new(AtomStep, (tick, step, int(atom), result)))
        return steps

    return decode


_new = tuple.__new__


def put_finds(record: RowRecord, part: str, finds: list[AtomStep]) -> None:
    """Add what the atoms of a condition found."""
    record.atom_steps.setdefault(part, []).extend(finds)
    sensed: dict[int, Changes[AtomResult | None]] = {}
    for tick, _, atom, found in finds:
        changes = sensed.get(atom)
        if changes is None:
            changes = sensed[atom] = kept(record.sensed, (part, atom))
        changes.add(tick, found)


@dataclass(frozen=True, slots=True)
class _Timed(Generic[T]):
    """Values, and at which tick each of them came."""

    ticks: list[int]
    values: list[T]

    def __post_init__(self) -> None:
        if len(self.ticks) != len(self.values):
            raise ValueError("its columns are not alike in length")


def _progress_of(chunk: StoredChunk) -> _Timed[ProgressSample]:
    return _Timed(chunk.ticks, [_done(*done) for done in chunk.more])


def _done(
    left: float | None, of: float | None, unit: str, rate: float
) -> ProgressSample:
    numbers = [float(each) for each in (left, of) if each is not None]
    if any(math.isnan(each) for each in numbers):
        raise ValueError("no number")
    return ProgressSample(left, of, str(unit), float(rate))


def _put_progress(
    record: RowRecord, part: str, progress: _Timed[ProgressSample]
) -> None:
    record.progress.extend(progress.ticks, progress.values)


def _ways_of(chunk: StoredChunk) -> _Timed[tuple[Point, ...]]:
    return _Timed(
        chunk.ticks,
        [tuple(map(plain_point, corners)) for corners in chunk.more],
    )


def _put_ways(
    record: RowRecord, part: str, ways: _Timed[tuple[Point, ...]]
) -> None:
    record.ways.extend(ways.ticks, ways.values)


def _counts_of(
    chunk: StoredChunk,
) -> tuple[list[tuple[int, int]], _Timed[Gauge]]:
    (before,) = chunk.numbers
    counted = [
        Gauge(Measured.COUNT, before + times)
        for times in range(1, len(chunk.ticks) + 1)
    ]
    steps = list(zip(chunk.ticks, chunk.steps, strict=True))
    return steps, _Timed(chunk.ticks, counted)


def _put_counts(
    record: RowRecord,
    part: str,
    counts: tuple[list[tuple[int, int]], _Timed[Gauge]],
) -> None:
    steps, counted = counts
    record.times_done.setdefault(part, []).extend(steps)
    _put_gauges(record, part, counted)


def _gauges_of(
    measured: Measured,
    written: WrittenFacts,
) -> Callable[[StoredChunk], _Timed[Gauge]]:
    """What decodes the numbers of a measure."""
    written_total = None
    if GAUGE in written:
        written_total = written[GAUGE].value

    def decode(chunk: StoredChunk) -> _Timed[Gauge]:
        count = len(chunk.ticks)
        # Most gauges are about nobody, and have no texts.
        values, totals, abouts = (
            chunk.numbers[:count],
            chunk.numbers[count:],
            chunk.more or [""] * count,
        )
        gauges = []
        for value, total, about in zip(values, totals, abouts, strict=True):
            of = written_total
            if not math.isnan(total):
                of = total
            gauges.append(Gauge(measured, value, of, str(about)))
        return _Timed(chunk.ticks, gauges)

    return decode


def _put_gauges(record: RowRecord, part: str, gauges: _Timed[Gauge]) -> None:
    """Add what a part of a row noted. Raises DamagedTake."""
    changes, ticks = kept(record.gauges, part), gauges.ticks
    if changes.ticks and ticks and ticks[0] < changes.ticks[-1]:
        raise DamagedTake(
            "what was measured does not go on in the order of time"
        )
    changes.extend(ticks, gauges.values)


ChunkReading = tuple[
    Callable[[StoredChunk], Any], Callable[[RowRecord, str, Any], None]
]
"""How a kind of chunk is decoded, and how what was decoded is put into the
record of its row.
"""

_READINGS: Mapping[str, ChunkReading] = {
    What.PROGRESS: (_progress_of, _put_progress),
    What.WAY: (_ways_of, _put_ways),
    What.COUNTED: (_counts_of, _put_counts),
}


def reading_of(
    what: str, facts: WrittenFacts, parts: Sequence[WrittenPart]
) -> ChunkReading:
    """How a kind of chunk is read. `facts` are written of the causes and
    gauges in it; `parts` in the condition that a chunk of finds is about.
    Raises ValueError for no kind of chunk.
    """
    if what == What.FOUND:
        return _finds_of(facts, parts), put_finds
    if what == What.RAN:
        return partial(_spans_of, written=facts), _put_spans
    if what == What.REFUSED:
        return partial(_refusals_of, written=facts), _put_refusals
    return _READINGS.get(what) or (
        _gauges_of(Measured(what), facts),
        _put_gauges,
    )


def _integers(packed: bytes) -> list[int]:
    found: list[int] = np.frombuffer(packed, "<i4").tolist()
    return found


def kept(place: dict[K, Changes[T]], key: K) -> Changes[T]:
    """The changes under a key, new ones if there are none yet."""
    found = place.get(key)
    if found is None:
        found = place[key] = Changes()
    return found


def add_change(changes: Changes[T], tick: int, value: T, what: str) -> None:
    """Add a change, which must not come before the last. Raises DamagedTake."""
    if tick < 0 or (changes.ticks and tick < changes.ticks[-1]):
        raise DamagedTake(f"{what} does not go on in the order of time")
    changes.add(tick, value)
