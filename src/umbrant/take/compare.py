"""Where two takes of the same agent differ."""

import sys
from collections.abc import Sequence
from dataclasses import dataclass

from umbrant.model.parts import ROW
from umbrant.take.reader import Take
from umbrant.take.record import Outcome, Refusal, RowRecord, Span

NEVER = sys.maxsize
"""A tick that no take comes to."""


@dataclass(frozen=True)
class TickRange:
    """Ticks in a row, both ends included."""

    start: int
    end: int


def different(
    before: Take, after: Take, agent: str, *, so_far: bool = False
) -> dict[str, tuple[TickRange, ...]]:
    """For each row that did not do the same in both takes, the ticks of
    `after` at which it did something else.

    What a row *is* at a tick counts (running, refused, ...), not the numbers
    behind it. With `so_far` the second take is still being played: what it has
    not come to is no difference.
    """
    one, other = before.agents.get(agent), after.agents.get(agent)
    if one is None or other is None:
        return {}
    ticks = max(before.ticks, after.ticks)
    if so_far:
        ticks = after.ticks
    found = {}
    for row_id in dict.fromkeys([*one.rows, *other.rows]):
        stretches = _stretches(one.row(row_id), other.row(row_id), ticks)
        if stretches:
            found[row_id] = stretches
    return found


def _stretches(
    one: RowRecord, other: RowRecord, ticks: int
) -> tuple[TickRange, ...]:
    """Between two edges of either record nothing changes, so comparing at the
    edges is enough.
    """
    # Most rows of two takes are alike, for long or altogether: where the same
    # began and ended in both there is nothing to compare.
    alike = min(
        _alike_until(one.spans, other.spans),
        _alike_until(one.refusals.get(ROW, []), other.refusals.get(ROW, [])),
    )
    if alike >= ticks:
        return ()
    both = {alike, *_edges(one), *_edges(other)}
    edges = sorted(edge for edge in both if edge >= alike)
    found: list[TickRange] = []
    for index, edge in enumerate(edges):
        if edge >= ticks or one.state_at(edge) is other.state_at(edge):
            continue
        if index + 1 < len(edges):
            until = edges[index + 1]
        else:
            until = ticks
        end = min(ticks, until) - 1
        if found and found[-1].end == edge - 1:
            found[-1] = TickRange(found[-1].start, end)
        else:
            found.append(TickRange(edge, end))
    return tuple(found)


def _alike_until(
    one: Sequence[Span | Refusal], other: Sequence[Span | Refusal]
) -> int:
    """The tick at which the first of two lists begins that is not in both;
    NEVER if each is. What a row is before it follows from what is in both.
    """
    for mine, yours in zip(one, other, strict=False):
        # A take that goes on from another shares with it what was before.
        if mine is yours:
            continue
        is_alike = mine.start == yours.start and mine.end == yours.end
        if not (is_alike and _outcome(mine) is _outcome(yours)):
            return min(mine.start, yours.start)
    count = min(len(one), len(other))
    return min(
        (each.start for each in (*one[count:], *other[count:])), default=NEVER
    )


def _outcome(item: Span | Refusal) -> Outcome | None:
    if isinstance(item, Span):
        return item.outcome
    return None


def _edges(record: RowRecord) -> set[int]:
    edges: set[int] = set()
    for span in record.spans:
        edges.add(span.start)
        if span.end is not None:
            edges.update((span.end, span.end + 1))
    for refusal in record.refusals.get(ROW, []):
        edges.update((refusal.start, refusal.end + 1))
    return edges
