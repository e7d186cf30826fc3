"""Where two takes of the same agent differ."""

from dataclasses import dataclass

from umbrant.take.reader import Take
from umbrant.take.record import RowRecord


@dataclass(frozen=True)
class TickRange:
    """Ticks in a row, both ends included."""

    start: int
    end: int


def different(before: Take, after: Take, agent: str) -> dict[str, tuple[TickRange, ...]]:
    """For each row that did not do the same in both takes, the ticks of `after` at which it did
    something else.

    What a row *is* at a tick counts (running, refused, ...), not the numbers behind it.
    """
    one, other = before.agents.get(agent), after.agents.get(agent)
    if one is None or other is None:
        return {}
    found = {}
    for row_id in dict.fromkeys([*one.rows, *other.rows]):
        stretches = _stretches(one.row(row_id), other.row(row_id), max(before.ticks, after.ticks))
        if stretches:
            found[row_id] = stretches
    return found


def _stretches(one: RowRecord, other: RowRecord, ticks: int) -> tuple[TickRange, ...]:
    """Between two edges of either record nothing changes, so comparing at the edges is enough."""
    edges = sorted(_edges(one) | _edges(other) | {0})
    found: list[TickRange] = []
    for index, edge in enumerate(edges):
        if edge >= ticks or one.state_at(edge) is other.state_at(edge):
            continue
        end = min(ticks, edges[index + 1] if index + 1 < len(edges) else ticks) - 1
        if found and found[-1].end == edge - 1:
            found[-1] = TickRange(found[-1].start, end)
        else:
            found.append(TickRange(edge, end))
    return tuple(found)


def _edges(record: RowRecord) -> set[int]:
    edges: set[int] = set()
    for span in record.spans:
        edges.add(span.start)
        if span.end is not None:
            edges.update((span.end, span.end + 1))
    for refusal in record.refusals.get("", []):
        edges.update((refusal.start, refusal.end + 1))
    return edges
