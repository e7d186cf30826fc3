"""What an agent was about, and when it changed its mind.

What leads at a tick is the row that was chosen by the first chooser from the root that has
something to choose from: a child of a selector, an option of a utility, an innermost state of a
machine. Of rows side by side the first counts.
"""

from bisect import bisect_right
from collections.abc import Iterable
from dataclasses import dataclass

from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.declare import ROWS, RUNS, ChildOrder, Family
from umbrant.model.behaviors import Behavior
from umbrant.model.kind_ids import HISTORY
from umbrant.take.reader import Take
from umbrant.take.record import AgentRecord


@dataclass(frozen=True)
class LeadingSpan:
    """Ticks in a row, both ends included, during which the same row led."""

    start: int
    end: int
    row_id: str


def leading_rows(behavior: Behavior) -> tuple[str, ...]:
    """The rows between which a change counts as a change of mind."""
    if not behavior.outline.tops:
        return ()
    at, choice = behavior.outline.tops[0], behavior.outline.tops[:1]
    while True:
        inner = _choices(behavior, at)
        if not inner:
            return choice
        if len(inner) > 1 and not _together(behavior, at):
            return _innermost(behavior, inner)
        at, choice = inner[0], inner[:1]


def leading_spans(take: Take, agent: str) -> tuple[LeadingSpan, ...]:
    """What led, from the first tick to the last; gaps are left where nothing ran."""
    behavior = behavior_of(take, agent)
    if behavior is None:
        return ()
    return _merged(_spans(take.agents[agent], leading_rows(behavior), take.last_tick))


def lead_at(found: tuple[LeadingSpan, ...], tick: int) -> LeadingSpan | None:
    """The lead that covers a tick, None in a gap."""
    index = bisect_right(found, tick, key=lambda lead: lead.start) - 1
    return found[index] if index >= 0 and tick <= found[index].end else None


def decision_changes(take: Take, agent: str) -> tuple[LeadingSpan, ...]:
    """The leads that began with a change: each row that took the lead from another."""
    return changes_among(leading_spans(take, agent))


def changes_among(spans: Iterable[LeadingSpan]) -> tuple[LeadingSpan, ...]:
    """Of an agent's leads in the order of time, those with another row than the one before."""
    found: list[LeadingSpan] = []
    for lead in spans:
        if not found or found[-1].row_id != lead.row_id:
            found.append(lead)
    return tuple(found)


def behavior_of(take: Take, agent: str) -> Behavior | None:
    """The behavior an agent had in a take, as it ran then with all that it uses; None for a
    puppet.
    """
    member = take.header.played.member(agent)
    return take.header.expanded(member.behavior).behavior if member.behavior else None


def _choices(behavior: Behavior, row_id: str) -> tuple[str, ...]:
    """What a row chooses among: the rows, states or options nested in it that are not muted."""
    wanted: tuple[Family, ...] = (*RUNS, Family.STATE, Family.OPTION)
    kind = BUILTIN.get(behavior.row(row_id).kind, *ROWS)
    if kind is not None and kind.family is Family.STATE:
        wanted = (Family.STATE,)
    return tuple(
        each for each in behavior.outline.children[row_id] if _counts(behavior, each, wanted)
    )


def _together(behavior: Behavior, row_id: str) -> bool:
    """Whether the rows nested in a row run at the same time."""
    kind = BUILTIN.get(behavior.row(row_id).kind, *ROWS)
    return kind is not None and kind.order is ChildOrder.TOGETHER


def _counts(behavior: Behavior, row_id: str, wanted: tuple[Family, ...]) -> bool:
    row = behavior.row(row_id)
    kind = BUILTIN.get(row.kind, *ROWS)
    family = kind.family if kind is not None else Family.ACTION
    return not row.muted and family in wanted and row.kind != HISTORY


def _innermost(behavior: Behavior, rows: tuple[str, ...]) -> tuple[str, ...]:
    """Of states those inside them, as far in as there are any; other rows as they are."""
    found: list[str] = []
    for row_id in rows:
        kind = BUILTIN.get(behavior.row(row_id).kind, *ROWS)
        inner = (
            _choices(behavior, row_id) if kind is not None and kind.family is Family.STATE else ()
        )
        if _together(behavior, row_id):
            inner = inner[:1]
        found.extend(_innermost(behavior, inner) if inner else (row_id,))
    return tuple(found)


def _spans(record: AgentRecord, row_ids: tuple[str, ...], last_tick: int) -> list[LeadingSpan]:
    found = []
    for row_id in row_ids:
        for span in record.row(row_id).spans:
            end = last_tick if span.end is None else span.end - 1
            if end >= span.start:
                found.append(LeadingSpan(span.start, end, row_id))
    return sorted(found, key=lambda lead: lead.start)


def _merged(spans: list[LeadingSpan]) -> tuple[LeadingSpan, ...]:
    """Spans of the same row that follow each other without a tick between them count as one: the
    row ended and was entered again.
    """
    found: list[LeadingSpan] = []
    for span in spans:
        if found and found[-1].row_id == span.row_id and span.start <= found[-1].end + 2:
            found[-1] = LeadingSpan(found[-1].start, max(found[-1].end, span.end), span.row_id)
        else:
            found.append(span)
    return tuple(found)
