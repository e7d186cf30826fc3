"""What there was of a take before a tick, for another one that goes on from
there: it is not written, sent and read once more.
"""

from bisect import bisect_left
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from operator import attrgetter, itemgetter
from typing import Any, TypeVar

import numpy as np

from umbrant.catalog.language.atom_results import AtomResult
from umbrant.take.header import Header
from umbrant.take.record import (
    AgentRecord,
    AtomStep,
    Changes,
    Refusal,
    RowRecord,
    Span,
)
from umbrant.take.stored.chunks import put_finds
from umbrant.take.stored.documents import WrittenNumbers, WrittenParts
from umbrant.take.stored.tables import Samples
from umbrant.take.stored.values import DamagedTake, Float32Array

T = TypeVar("T")
E = TypeVar("E", bound=tuple[Any, ...])
K = TypeVar("K")

_tick_of, _start_of = itemgetter(0), attrgetter("start")


class Rewriting:
    """What is written in the documents of a take, and in those of another one
    that goes on from it. Conditions may compare with other numbers there,
    which are filled in anew; of all else that was recorded nothing may be
    written otherwise.
    """

    def __init__(self, before: Header, after: Header) -> None:
        self._headers = before, after
        self._before = WrittenNumbers(before)
        self._after = WrittenNumbers(after)
        self._behaviors = {
            member.name: member.behavior for member in after.cast
        }
        self._changed: dict[str, Sequence[str]] = {}
        """For each behavior the rows that are written otherwise."""

    def rows_of(self, agent: str) -> Sequence[str]:
        """The rows of an agent that are written otherwise, with those right
        within them: a row also says why one of them is kept out.
        """
        name = self._behaviors.get(agent)
        if name is None:
            return ()
        if name not in self._changed:
            if any(
                each.project.find_behavior(name) is None
                for each in self._headers
            ):
                raise DamagedTake(f"there is no behavior '{name}'")
            one, other = (
                each.expanded(name).behavior for each in self._headers
            )
            found: dict[str, None] = {}
            for row_id, row in one.by_id.items():
                now = other.by_id.get(row_id)
                # Nearly all are the very same.
                if now is not row and now != row:
                    found[row_id] = None
                    found.update(dict.fromkeys(one.outline.children[row_id]))
            self._changed[name] = tuple(found)
        return self._changed[name]

    def rewrite(self, agent: str, row_id: str, record: RowRecord) -> None:
        """Fill in what is written now in what conditions of a row found.
        Raises DamagedTake where more than that would have to be.
        """
        behavior = self._headers[1].expanded(str(self._behaviors.get(agent)))
        if row_id not in behavior.behavior.by_id:
            raise DamagedTake(f"{row_id} goes on from a row that is gone")
        parts = {*record.refusals, *record.gauges, *record.times_done, ""}
        for part in sorted(parts):
            facts = [
                each.of_row(agent, row_id, part)
                for each in (self._before, self._after)
            ]
            if facts[0] != facts[1]:
                raise DamagedTake(f"{row_id} goes on from another one")
        for part, steps in record.atom_steps.items():
            before, after = (
                each.of_condition(agent, row_id, part)
                for each in (self._before, self._after)
            )
            if before != after:
                _rewrite(record, part, _rewritten(steps, before, after))


def _rewrite(record: RowRecord, part: str, steps: list[AtomStep]) -> None:
    """Have a part of a row have found this."""
    for place in [each for each in record.sensed if each[0] == part]:
        record.sensed[place] = Changes()
    record.atom_steps[part] = []
    put_finds(record, part, steps)


def _rewritten(
    steps: list[AtomStep], before: WrittenParts, after: WrittenParts
) -> list[AtomStep]:
    """What atoms found, with what is written of them now."""
    if len(before) != len(after):
        raise DamagedTake("it goes on from another condition")
    return [
        each._replace(found=_filled_in(each.found, before, after, each.atom))
        for each in steps
    ]


def _filled_in(
    found: AtomResult | None,
    before: WrittenParts,
    after: WrittenParts,
    atom: int,
) -> AtomResult | None:
    if found is None or not 0 <= atom < len(after):
        return found
    was, now = before[atom], after[atom]
    left, right, reason = found.left, found.right, found.cause
    if now.left is not None:
        left = now.left
    if now.right is not None:
        right = now.right
    if reason is not None:
        reason = now.filled_in(was.left_out(reason))
    return AtomResult(found.truth, left, right, reason)


def agent_before(record: AgentRecord, tick: int) -> AgentRecord:
    """What one agent did before a tick. The keys that it shares with others
    are not the very same as theirs.
    """
    return AgentRecord(
        rows={
            row_id: row
            for row_id, full in record.rows.items()
            if (row := row_before(full, tick)) is not None
        },
        keys=known_before(record.keys, tick),
        writes=events_before(record.writes, tick),
        received=events_before(record.received, tick),
        raised=events_before(record.raised, tick),
        said=events_before(record.said, tick),
        notices=events_before(record.notices, tick),
    )


def row_before(row: RowRecord, tick: int) -> RowRecord | None:
    """What one row did before a tick; None if nothing."""
    found = RowRecord(
        spans=_spans_before(row.spans, tick),
        refusals=_listed(
            (part, _refusals_before(refused, tick))
            for part, refused in row.refusals.items()
        ),
        sensed=known_before(row.sensed, tick),
        progress=changes_before(row.progress, tick),
        gauges=known_before(row.gauges, tick),
        ways=changes_before(row.ways, tick),
        atom_steps=_listed(
            (part, events_before(steps, tick))
            for part, steps in row.atom_steps.items()
        ),
        times_done=_listed(
            (part, events_before(times, tick))
            for part, times in row.times_done.items()
        ),
    )
    is_known = (
        found.spans
        or found.refusals
        or found.atom_steps
        or found.progress.ticks
        or found.gauges
        or found.ways.ticks
        or found.times_done
    )
    if is_known:
        return found
    return None


def changes_before(changes: Changes[T], tick: int) -> Changes[T]:
    """What was kept of a value before a tick."""
    count = bisect_left(changes.ticks, tick)
    return Changes(changes.ticks[:count], changes.values[:count])


def events_before(events: list[E], tick: int) -> list[E]:
    """The events before a tick, of those that say when they were first of all."""
    return events[: bisect_left(events, tick, key=_tick_of)]


def known_before(
    kept: Mapping[K, Changes[T]], tick: int
) -> dict[K, Changes[T]]:
    """What was kept of several values before a tick, without those of which
    nothing was.
    """
    found = {
        name: changes_before(changes, tick) for name, changes in kept.items()
    }
    return {name: changes for name, changes in found.items() if changes.ticks}


def samples_before(
    tracks: Mapping[str, Float32Array], tick: int
) -> list[Samples]:
    """The numbers of each thing before a tick, without things that were not
    there.
    """
    found = {name: numbers[:tick] for name, numbers in tracks.items()}
    return [
        Samples(name, 0, numbers.reshape(-1))
        for name, numbers in found.items()
        if not np.isnan(numbers).all()
    ]


def _listed(found: Iterator[tuple[str, list[T]]]) -> dict[str, list[T]]:
    """Those of which there are any."""
    return {part: each for part, each in found if each}


def _spans_before(spans: list[Span], tick: int) -> list[Span]:
    found = spans[: bisect_left(spans, tick, key=_start_of)]
    # Spans do not overlap, so the last alone may have ended later.
    if found and (found[-1].end is None or found[-1].end >= tick):
        found[-1] = Span(found[-1].start, start_step=found[-1].start_step)
    return found


def _refusals_before(refusals: list[Refusal], tick: int) -> list[Refusal]:
    found = refusals[: bisect_left(refusals, tick, key=_start_of)]
    if found and found[-1].end >= tick:
        found[-1] = replace(found[-1], end=tick - 1)
    return found
