"""What an agent was about, and when it changed its mind.

What leads at a tick is the row that was chosen by the first chooser from the
root that has something to choose from: a child of a selector, an option of a
utility, an innermost state of a machine. Rows that run together (a parallel,
regions) are branches: each has a lead of its own.

A row that begins and ends within one tick leads as well, for that tick: it is
what failed before the fallback came, and it must not be overlooked.
"""

from bisect import bisect_right
from collections.abc import Iterable, Iterator, Sequence
from itertools import groupby
from typing import NamedTuple

from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.kind import ROWS, RUNS, ChildOrder, Family
from umbrant.model.behaviors import Behavior
from umbrant.model.kind_ids import HISTORY
from umbrant.take.reader import Take
from umbrant.take.record import AgentRecord, Outcome


class LeadingSpan(NamedTuple):
    """Ticks in a row, both ends included, during which the same row led its
    branch.
    """

    start: int
    end: int
    row_id: str
    branch: int = 0
    step: int = 0
    """The place of its beginning in the order of its first tick."""
    is_brief: bool = False
    """Whether it began and ended within one tick."""
    restarts: bool = False
    """Whether it begins and ends anew within each of its ticks, each time in
    the same way.
    """


Branch = tuple[str, ...]
"""The rows between which a change counts as a change of mind."""


def branches(behavior: Behavior) -> tuple[Branch, ...]:
    """The branches of a behavior that choose at the same time; one where
    nothing runs together.

    A branch without a choice is left out, unless there is no other.
    """
    if not behavior.outline.tops:
        return ()
    found = list(_branches(behavior, behavior.outline.tops[0]))
    # A single row cannot change its mind.
    choosing = [each for each in found if len(each) > 1]
    return tuple(choosing or found[:1])


def _branches(behavior: Behavior, row_id: str) -> Iterator[Branch]:
    inner = _choices(behavior, row_id)
    if not inner:
        yield (row_id,)
    # One child is no choice: what matters is chosen further in.
    elif len(inner) == 1:
        yield from _branches(behavior, inner[0])
    elif _together(behavior, row_id):
        for each in inner:
            yield from _branches(behavior, each)
    else:
        yield _innermost(behavior, inner)


def choices(behavior: Behavior, chooser: str) -> Branch:
    """The rows among which a selector, a utility or a machine chooses, of a
    machine its innermost states; empty for a row that has no choice.
    """
    kind = BUILTIN.get(behavior.row(chooser).kind, Family.COMPOSITE)
    if (
        kind is None
        or kind.order is ChildOrder.TOGETHER
        # Its children follow one another: that is no choice.
        or kind.goes_on_after == Outcome.SUCCESS
    ):
        return ()
    found = _innermost(behavior, _choices(behavior, chooser))
    return found if len(found) > 1 else ()


def leading_rows(behavior: Behavior) -> tuple[str, ...]:
    """The rows between which a change counts as a change of mind, of all
    branches.
    """
    return tuple(row_id for branch in branches(behavior) for row_id in branch)


def leading_spans(
    take: Take, agent: str
) -> tuple[tuple[LeadingSpan, ...], ...]:
    """For each branch what led it, from the first tick to the last; gaps are
    left where nothing ran.
    """
    behavior = behavior_of(take, agent)
    if behavior is None:
        return ()
    record, last_tick = take.agents[agent], take.last_tick
    return tuple(
        tuple(_merged(_spans(record, rows, number, last_tick)))
        for number, rows in enumerate(branches(behavior))
    )


def chosen_spans(
    take: Take, agent: str, rows: Branch
) -> tuple[LeadingSpan, ...]:
    """Which of the rows among which one is chosen was at work, from the first
    tick to the last.
    """
    return tuple(_merged(_spans(take.agents[agent], rows, 0, take.last_tick)))


def lead_at(found: tuple[LeadingSpan, ...], tick: int) -> LeadingSpan | None:
    """What led a branch at the end of a tick, None in a gap."""
    index = bisect_right(found, tick, key=lambda lead: lead.start) - 1
    if index >= 0 and tick <= found[index].end:
        return found[index]
    return None


def decision_changes(take: Take, agent: str) -> tuple[LeadingSpan, ...]:
    """The leads that began with a change: each row that took the lead of a
    branch from another.
    """
    return changes_among(leading_spans(take, agent))


def changes_among(
    found: Iterable[Iterable[LeadingSpan]],
) -> tuple[LeadingSpan, ...]:
    """Of the leads of all branches those with another row than the one before,
    in the order of time.
    """
    changes: list[LeadingSpan] = []
    for branch in found:
        before = ""
        for lead in branch:
            if lead.row_id != before:
                changes.append(lead)
            before = lead.row_id
    return tuple(
        sorted(changes, key=lambda lead: (lead.start, lead.step, lead.branch))
    )


def behavior_of(take: Take, agent: str) -> Behavior | None:
    """The behavior an agent had in a take, as it ran then with all that it
    uses; None for a puppet.
    """
    member = take.header.played.member(agent)
    if member.behavior:
        return take.header.expanded(member.behavior).behavior
    return None


def _choices(behavior: Behavior, row_id: str) -> tuple[str, ...]:
    """What a row chooses among: the rows, states or options nested in it that
    are not muted.
    """
    wanted: tuple[Family, ...] = (*RUNS, Family.STATE, Family.OPTION)
    kind = BUILTIN.get(behavior.row(row_id).kind, *ROWS)
    if kind is not None and kind.family is Family.STATE:
        wanted = (Family.STATE,)
    return tuple(
        each
        for each in behavior.outline.children[row_id]
        if _counts(behavior, each, wanted)
    )


def _together(behavior: Behavior, row_id: str) -> bool:
    """Whether the rows nested in a row run at the same time."""
    kind = BUILTIN.get(behavior.row(row_id).kind, *ROWS)
    return kind is not None and kind.order is ChildOrder.TOGETHER


def _counts(
    behavior: Behavior, row_id: str, wanted: tuple[Family, ...]
) -> bool:
    row = behavior.row(row_id)
    kind = BUILTIN.get(row.kind, *ROWS)
    if kind is not None:
        family = kind.family
    else:
        family = Family.ACTION
    return not row.muted and family in wanted and row.kind != HISTORY


def _innermost(behavior: Behavior, rows: tuple[str, ...]) -> tuple[str, ...]:
    """Of states those inside them, as far in as there are any; other rows as
    they are.
    """
    found: list[str] = []
    for row_id in rows:
        kind = BUILTIN.get(behavior.row(row_id).kind, *ROWS)
        if kind is not None and kind.family is Family.STATE:
            inner = _choices(behavior, row_id)
        else:
            inner = ()
        if _together(behavior, row_id):
            inner = inner[:1]
        found.extend(_innermost(behavior, inner) if inner else (row_id,))
    return tuple(found)


def _spans(
    record: AgentRecord, row_ids: tuple[str, ...], branch: int, last_tick: int
) -> list[LeadingSpan]:
    """When the rows of a branch were active, in the order in which they were
    entered.
    """
    found = []
    for row_id in row_ids:
        for span in record.row(row_id).spans:
            is_brief = span.end == span.start
            # At the tick at which it ended another row may lead already.
            if span.end is None:
                end = last_tick
            else:
                end = span.end - 1
            found.append(
                LeadingSpan(
                    span.start,
                    max(span.start, end),
                    row_id,
                    branch,
                    span.start_step,
                    is_brief,
                )
            )
    return sorted(found, key=lambda lead: (lead.start, lead.step))


def _merged(spans: list[LeadingSpan]) -> Iterator[LeadingSpan]:
    """The leads of a branch, from what was active when.

    Spans of the same row that follow each other without a tick between them
    count as one: the row ended and was entered again. What repeats itself at
    each tick is one lead that restarts.
    """
    last: LeadingSpan | None = None
    # What follows is reckoned up first: most leads of a long take are made of
    # many spans.
    end, is_brief = 0, False
    for span in _without_repetition(_not_during(spans)):
        # A row leads to the tick before the one at which it ended, and may be
        # entered again at the one after that. What is said of one that
        # restarts holds at each of its ticks.
        gap = 1 if span.restarts else 2
        if (
            last is not None
            and last.row_id == span.row_id
            and span.start <= end + gap
            and last.restarts == span.restarts
        ):
            is_brief = is_brief and span.is_brief and last.start == span.end
            end = max(end, span.end)
            continue
        if last is not None:
            yield _until(last, end, is_brief)
        last, end, is_brief = span, span.end, span.is_brief
    if last is not None:
        yield _until(last, end, is_brief)


def _until(lead: LeadingSpan, end: int, is_brief: bool) -> LeadingSpan:
    """A lead that lasts until another tick; most are as they were."""
    if lead.end == end and lead.is_brief == is_brief:
        return lead
    return lead._replace(end=end, is_brief=is_brief)


def _not_during(spans: list[LeadingSpan]) -> Iterator[LeadingSpan]:
    """Spans without the brief ones within another row's: a selector that
    starts from its first child at each tick tries that one again and again
    while a later one runs on.
    """
    runs_until = -1
    for span in spans:
        if span.is_brief and span.start <= runs_until:
            continue
        if not span.is_brief:
            runs_until = max(runs_until, span.end)
        yield span


def _without_repetition(spans: Iterable[LeadingSpan]) -> Iterator[LeadingSpan]:
    """Spans, but of ticks in a row that are all made of the same brief ones
    only the first; its last span then goes on to the last of these ticks, and
    restarts.
    """
    before: list[LeadingSpan] = []
    for tick, group in groupby(spans, key=lambda span: span.start):
        now = list(group)
        if _repeats(before, now, tick):
            before[-1] = before[-1]._replace(end=tick, restarts=True)
            continue
        yield from before
        before = now
    yield from before


def _repeats(
    before: Sequence[LeadingSpan], now: Sequence[LeadingSpan], tick: int
) -> bool:
    """Whether a tick is made of the same brief spans as the one before it."""
    return (
        bool(before)
        and before[-1].is_brief
        and before[-1].end == tick - 1
        and len(before) == len(now)
        and all(
            was.is_brief and each.is_brief and was.row_id == each.row_id
            for was, each in zip(before, now, strict=True)
        )
    )
