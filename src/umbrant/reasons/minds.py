"""What an agent was about, and when it changed its mind.

What leads at a tick is the child of the first chooser from the root that has more than one child to choose from.
"""

from dataclasses import dataclass

from umbrant.model.behaviors import Behavior
from umbrant.take.reader import Take
from umbrant.take.record import AgentRecord


@dataclass(frozen=True)
class Lead:
    """Ticks in a row, both ends included, during which the same row led."""

    start: int
    end: int
    row_id: str


def leading_rows(behavior: Behavior) -> tuple[str, ...]:
    """The rows between which a change counts as a change of mind."""
    rows = behavior.outline.tops[:1]
    while len(rows) == 1:
        inner = tuple(row_id for row_id in behavior.outline.children[rows[0]] if not behavior.row(row_id).muted)
        if not inner:
            break
        rows = inner
    return rows


def leads(take: Take, agent: str) -> tuple[Lead, ...]:
    """What led, from the first tick to the last; gaps are left where nothing ran."""
    behavior = behavior_of(take, agent)
    if behavior is None:
        return ()
    return _merged(_spans(take.agents[agent], leading_rows(behavior), take.last_tick))


def changes_of_mind(take: Take, agent: str) -> tuple[Lead, ...]:
    """The leads that began with a change: each row that took the lead from another."""
    found: list[Lead] = []
    for lead in leads(take, agent):
        if not found or found[-1].row_id != lead.row_id:
            found.append(lead)
    return tuple(found)


def behavior_of(take: Take, agent: str) -> Behavior | None:
    """The behavior an agent had in a take, as it was then; None for a puppet."""
    member = take.header.played.member(agent)
    return take.header.project.behavior(member.behavior) if member.behavior else None


def _spans(record: AgentRecord, row_ids: tuple[str, ...], last_tick: int) -> list[Lead]:
    found = []
    for row_id in row_ids:
        for span in record.row(row_id).spans:
            end = last_tick if span.end is None else span.end - 1
            if end >= span.start:
                found.append(Lead(span.start, end, row_id))
    return sorted(found, key=lambda lead: lead.start)


def _merged(spans: list[Lead]) -> tuple[Lead, ...]:
    """Spans of the same row that follow each other within a tick are one lead: the row ended and began anew."""
    found: list[Lead] = []
    for span in spans:
        if found and found[-1].row_id == span.row_id and span.start <= found[-1].end + 2:
            found[-1] = Lead(found[-1].start, max(found[-1].end, span.end), span.row_id)
        else:
            found.append(span)
    return tuple(found)
