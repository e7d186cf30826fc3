"""What a take is counted as in a study: numbers for each row, chance, draw and
key of each agent, what led, and what the review found.

Each function yields rows of the table of its name, without the number of the
take.
"""

from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from itertools import chain, pairwise

import numpy as np

from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.kind import ROWS, Catalog, ChildOrder
from umbrant.catalog.protocols import Measured
from umbrant.model.behaviors import Behavior, Sharing
from umbrant.project_nodes import project_catalog
from umbrant.reasons.decision_changes import behavior_of, leading_spans
from umbrant.review import review_cast
from umbrant.take.reader import Take
from umbrant.take.record import (
    AgentRecord,
    Changes,
    KeyWrite,
    Outcome,
    RowRecord,
    Span,
)

Line = tuple[object, ...]
SHARED = "everyone"
FINDINGS = "finding"
"""The table of what the review found."""
WEIGHT = "weight"
"""The kind of decorator, and its parameter, that says how often a row is
drawn.
"""


def row_counts(take: Take) -> Iterator[Line]:
    """Of each row that ran: how often it was entered, for how many ticks it
    ran, how it ended, when it was entered first, and how long it ran at most.
    """
    for agent, record in take.agents.items():
        for row_id, row in _in_order(record):
            if row.spans:
                yield (agent, row_id, *_row(row, take.ticks))


def chance_counts(take: Take) -> Iterator[Line]:
    """Of each chance: how often it was rolled, how often it let the row in,
    and how often it should have, as far as the shares say that held at each
    roll.
    """
    for agent, record in take.agents.items():
        for row_id, row in _in_order(record):
            for part, gauges in row.gauges.items():
                rolls = [
                    each
                    for each in gauges.values
                    if each.measured is Measured.ROLL
                ]
                if rolls:
                    bounds = [each.of or 0.0 for each in rolls]
                    passed = sum(
                        each.value < bound
                        for each, bound in zip(rolls, bounds, strict=True)
                    )
                    expected = sum(
                        min(1.0, max(0.0, bound)) for bound in bounds
                    )
                    yield agent, row_id, part, len(rolls), passed, expected


def draw_counts(take: Take) -> Iterator[Line]:
    """Of each row that draws one of its children: how often each was the first
    that was entered, and the share that its weight is of all; None where a key
    says the weight. A draw in which a child was refused before says nothing of
    weights: it is counted for the child ''.
    """
    for agent in take.agents:
        behavior = behavior_of(take, agent)
        if behavior is None:
            continue
        catalog = _catalog(take)
        for row_id, _ in _in_order(take.agents[agent]):
            row = behavior.by_id.get(row_id)
            kind = None
            if row is not None:
                kind = catalog.get(row.kind, *ROWS)
            if kind is not None and kind.order is ChildOrder.DRAWN:
                for line in _draws(take.agents[agent], behavior, row_id):
                    yield (agent, row_id, *line)


def key_counts(take: Take) -> Iterator[Line]:
    """Of each key that holds a number or yes or no (1 and 0): how often it
    changed, its lowest and highest value, and its last. One that is shared is
    counted once, for its group or for SHARED.
    """
    shared = set[tuple[str, str]]()
    for agent, record in take.agents.items():
        for name, changes in record.keys.items():
            numbers, owner = _numbers(changes), _owner(take, agent, name)
            # A key that several share stands in the record of each of them.
            if numbers and (owner == agent or (owner, name) not in shared):
                shared.add((owner, name))
                changed = sum(one != other for one, other in pairwise(numbers))
                yield (
                    owner,
                    name,
                    changed,
                    min(numbers),
                    max(numbers),
                    numbers[-1],
                )


def lead_counts(take: Take) -> Iterator[Line]:
    """For how many ticks each row led its agent."""
    for agent in take.agents:
        ticks = Counter[str]()
        for lead in chain.from_iterable(leading_spans(take, agent)):
            ticks[lead.row_id] += lead.end - lead.start + 1
        yield from (
            (agent, row_id, number) for row_id, number in ticks.items()
        )


def finding_counts(take: Take) -> Iterator[Line]:
    """What the review found in a take: the key of the finding, the first
    agent, and its words.
    """
    seen = set[tuple[str, str]]()
    for each in review_cast(take, _catalog(take)):
        place = each.finding.key, each.agents[0]
        if place not in seen:
            seen.add(place)
            yield (
                *place,
                f"{each.finding.row}: {each.finding.message}".lstrip(": "),
            )


@dataclass(frozen=True)
class CountedTake:
    """What a take is counted as: how many ticks it has, and the lines of each
    table. Plain data, so that it can come from another machine.
    """

    ticks: int
    lines: Mapping[str, list[Line]]


TABLES = {
    "row": row_counts,
    "chance": chance_counts,
    "draw": draw_counts,
    "key": key_counts,
    "lead": lead_counts,
    FINDINGS: finding_counts,
}
"""What fills each table of a study."""


def count_take(take: Take) -> CountedTake:
    """Count a take for all tables; findings need a take with everything in it.
    Any thread, any process.
    """
    without = (FINDINGS,) if take.header.counts_only else ()
    lines = {
        table: list(made(take))
        for table, made in TABLES.items()
        if table not in without
    }
    return CountedTake(take.ticks, lines)


def _in_order(record: AgentRecord) -> list[tuple[str, RowRecord]]:
    """The rows in the order in which they were first entered, then those that
    never were. In the record they stand in the order in which something was
    kept of them, which depends on what is.
    """

    def first(found: tuple[str, RowRecord]) -> tuple[bool, int, int, str]:
        row_id, row = found
        if not row.spans:
            return True, 0, 0, row_id
        return False, row.spans[0].start, row.spans[0].start_step, row_id

    return sorted(record.rows.items(), key=first)


def _catalog(take: Take) -> Catalog:
    project = take.header.project
    if project.nodes:
        return project_catalog(project).catalog
    return BUILTIN


def _row(row: RowRecord, ticks: int) -> tuple[int, ...]:
    lengths = [span.last_ran(ticks) - span.start + 1 for span in row.spans]
    # A row that ends and begins again within a tick has that tick in two of
    # its spans.
    covered = np.zeros(ticks, np.bool_)
    for span in row.spans:
        covered[span.start : span.last_ran(ticks) + 1] = True
    outcomes = [span.outcome for span in row.spans]
    return (
        len(row.spans),
        int(covered.sum()),
        outcomes.count(Outcome.SUCCESS),
        outcomes.count(Outcome.FAILURE),
        outcomes.count(Outcome.STOPPED),
        row.spans[0].start,
        max(lengths),
    )


def _draws(
    record: AgentRecord, behavior: Behavior, row_id: str
) -> Iterator[Line]:
    children = [
        each
        for each in behavior.outline.children[row_id]
        if not behavior.row(each).muted
    ]
    entered = Counter(
        _first_of(record, children, span) for span in record.row(row_id).spans
    )
    weights = [_weight(behavior, each) for each in children]
    known = [each for each in weights if each is not None]
    total = 0.0
    if len(known) == len(weights):
        total = sum(known)
    for child, weight in zip(children, weights, strict=True):
        share = None
        if weight is not None and total:
            share = weight / total
        yield child, entered[child], share
    if entered[""]:
        yield "", entered[""], None


def _first_of(
    record: AgentRecord, children: list[str], around: Span
) -> str | None:
    """The child that was entered first while a row ran; '' where another one
    had been refused before, None if none was entered.
    """
    begins = [
        (span.start, span.start_step, child)
        for child in children
        for span in record.row(child).spans
        if span.start >= around.start
        and (around.end is None or span.start <= around.end)
    ]
    if not begins:
        return None
    # By step within the tick: a child that fails at once is followed by
    # another in the same tick.
    start, _, first = min(begins)
    for child in children:
        refusal = record.row(child).last_refusal(start)
        if refusal is not None and refusal.end >= around.start:
            return ""
    return first


def _weight(behavior: Behavior, row_id: str) -> float | None:
    """The weight of a row that is drawn; None where it is bound to a key."""
    for each in behavior.row(row_id).decorators:
        if each.kind == WEIGHT:
            weight = each.args.get(WEIGHT, 1.0)
            if isinstance(weight, int | float):
                return max(0.0, float(weight))
            return None
    return 1.0


def _owner(take: Take, agent: str, key: str) -> str:
    """Who shares a key: the agent alone, its group, or SHARED for all."""
    project, member = take.header.project, take.header.played.member(agent)
    if key in project.world_keys():
        return SHARED
    declared = project.keys_of_member(member).get(key)
    is_groups = declared is not None and declared.scope is Sharing.GROUP
    if is_groups and member.group:
        return member.group
    return agent


def _numbers(changes: Changes[KeyWrite]) -> list[float]:
    values = [each.value for each in changes.values]
    return [float(each) for each in values if isinstance(each, int | float)]
