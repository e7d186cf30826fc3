"""Findings in a take: what was written, and how it turned out."""

from collections.abc import Iterator, Sequence
from itertools import chain

from umbrant.catalog.causes import Cause
from umbrant.catalog.kind import ROWS, RUNS, ChildOrder, Family
from umbrant.catalog.references import param_uses
from umbrant.engine.recorder import CUT_OFF
from umbrant.model.behaviors import Row, targets_of
from umbrant.model.kind_ids import HISTORY
from umbrant.model.parts import ROW
from umbrant.model.values import KeyRef, count_text, times_text, value_text
from umbrant.reasons.decision_changes import LeadingSpan
from umbrant.reasons.sentences import parted
from umbrant.review.agent_take import AgentTake
from umbrant.review.findings import RuleMatch, Severity
from umbrant.review.rules import take_rule
from umbrant.take.record import Outcome, Refusal, RowRecord, Span

FLIPS_A_S = 2.0
"""How many changes between the same two rows a second count as flipping."""
FLIPS = 4
"""How many changes there must be at least."""
FEW_ROWS = 3
"""How many rows that never ran are named after the first."""
BROKEN = ("raised", "nonsense")
"""The causes of a node whose code is at fault."""


@take_rule(
    "A row that never ran",
    why="In this take it was never entered. Ask why not, or play a scenario in which it is wanted.",
    severity=Severity.HINT,
)
def never_ran(run: AgentTake) -> Iterator[RuleMatch]:
    """The outermost rows that were not entered once; of those that follow each
    other for the same reason the first.
    """
    behavior = run.behavior
    groups: list[list[Row]] = []
    for row in behavior.rows if behavior else ():
        if not _is_idle(run, row):
            continue
        # Rows stand with all that is in them before those after them, so the
        # group may lie further back.
        group = next(
            (each for each in groups if _waits_alike(run, each[-1], row)), None
        )
        if group is None:
            groups.append([row])
        else:
            group.append(row)
    for first, *others in groups:
        nor = ""
        if others:
            names = [run.called(each.id) for each in others]
            if len(names) > FEW_ROWS:
                names = [f"the {len(names)} rows after it"]
            nor = f", nor did {' and '.join(names)}"
        yield RuleMatch(
            f"It never ran{nor}. {_why_never(run, first)}", first.id
        )


def _is_idle(run: AgentTake, row: Row) -> bool:
    """Whether a row was not entered once, though what it stands in was."""
    kind = run.catalog.get(row.kind, *ROWS)
    # What is in a row that never ran would say the same once more.
    above_ran = row.under is None or bool(run.record(row.under).spans)
    return (
        kind is not None
        and kind.family in (*RUNS, Family.STATE, Family.OPTION)
        and row.kind != HISTORY
        and above_ran
        and not row.muted
        and not run.record(row.id).spans
    )


def _waits_alike(run: AgentTake, before: Row, row: Row) -> bool:
    """Whether a row never had its turn for the reason for which one before it,
    beside it, had none: that neither was tried, in an order in which each
    waits for the one before.
    """
    return (
        before.under is not None
        and before.under == row.under
        and run.explainer.order(before.under) is ChildOrder.WRITTEN
        and all(
            run.explainer.family(each.id) in RUNS
            and not run.record(each.id).refusals.get(ROW)
            for each in (before, row)
        )
    )


def _why_never(run: AgentTake, row: Row) -> str:
    """What kept a row from ever running: its last refusal, its best score, or
    who was preferred.
    """
    # In the order in which an author would look: was it tried, was it scored,
    # could anything lead to it.
    refusals = run.record(row.id).refusals.get(ROW, [])
    if refusals:
        tick = refusals[-1].end
        words, _ = parted(
            run.explainer.refused(row.id, refusals[-1].cause, tick, tick)
        )
        why = "".join(word.text for word in words).removeprefix(
            " was refused: "
        )
        times = times_text(sum(each.end + 1 - each.start for each in refusals))
        return f"It was refused {times}, last at {run.seconds(tick):.2f} s: {why}."
    scores = run.record(row.id).gauges.get(ROW)
    if scores is not None and scores.values and row.under is not None:
        best = max(
            range(len(scores.values)),
            key=lambda index: scores.values[index].value,
        )
        tick = scores.ticks[best]
        won = run.explainer.scores(row.under).at(tick)[0]
        return (
            f"Its best score was {scores.values[best].value:.2f}, at {run.seconds(tick):.2f} s; "
            f"{run.called(won.row.id)} scored {won.total:.2f} then."
        )
    unfired = []
    if run.behavior is not None:
        for each in run.behavior.rows:
            if row.id in targets_of(each) and not each.muted:
                unfired.append(run.called(each.id))
    if unfired:
        return f"What leads to it never fired: {' and '.join(unfired)}."
    tick = _last_chance(run, row)
    said = run.explainer.why_not(tick, row.id).lines[0].text
    why = said.removesuffix(" It has not run before in this take.")
    return f"At {run.seconds(tick):.2f} s: {why}"


def _last_chance(run: AgentTake, row: Row) -> int:
    """The last tick at which a row could have had its turn: at which the one
    that it stands in came to an end without it; if that never came to one, at
    which it ran.
    """
    spans = run.record(row.under).spans if row.under is not None else []
    if not spans:
        return run.take.last_tick
    for each in reversed(spans):
        if each.end is not None and each.outcome is not Outcome.STOPPED:
            return each.end
    return max(spans[-1].start, spans[-1].last_ran(run.take.ticks))


@take_rule(
    "Flipping between two rows",
    why=(
        "Each lets go as soon as the other takes over. A distance between their conditions, or a "
        "hold, calms them."
    ),
    severity=Severity.WARNING,
)
def flipping(run: AgentTake) -> Iterator[RuleMatch]:
    """Two rows that took the lead from each other faster than twice a second,
    four times or more.
    """
    for found in run.leads:
        yield from _flips_among(run, found)


def _flips_among(
    run: AgentTake, found: tuple[LeadingSpan, ...]
) -> Iterator[RuleMatch]:
    """Where the leads of one branch go to and fro."""
    index = 0
    while index < len(found):
        end = _flips_from(run, found, index)
        if end - index >= FLIPS:
            one, other = found[index], found[index + 1]
            span = run.seconds(found[end].start - one.start)
            # The changes there and back, with what was measured then: the
            # numbers that clash.
            causes = " ".join(
                f"At {run.seconds(each.start):.2f} s {run.explainer.change(each).text}."
                for each in (other, found[index + 2])
            )
            message = (
                f"{run.called(one.row_id)} and {run.called(other.row_id)} took turns "
                f"{end - index} times within "
                f"{span:.2f} s, from {run.seconds(one.start):.2f} s on. {causes}"
            )
            yield RuleMatch(message, one.row_id, about=other.row_id)
        # The last of these may be the first of two others that flip.
        index = max(end, index + 1)


def _flips_from(
    run: AgentTake, found: tuple[LeadingSpan, ...], first: int
) -> int:
    """The last of the leads that go to and fro quickly from this one on."""
    last = first
    while last + 1 < len(found):
        following = found[last + 1]
        # There must be two, taking turns: the next but one is the same again.
        turns = last == first or following.row_id == found[last - 1].row_id
        if (
            not turns
            or following.row_id == found[last].row_id
            or run.seconds(following.start - found[last].start) > 1 / FLIPS_A_S
        ):
            break
        last += 1
    return last


@take_rule(
    "A machine that does not settle",
    why="Its transitions lead on and on within one tick, so the tick was cut off. A gap between "
    "their thresholds, or a row that takes time, lets it come to rest.",
    severity=Severity.WARNING,
)
def unsettled(run: AgentTake) -> Iterator[RuleMatch]:
    """A machine of which ticks were cut off: it went round in a ring, or its
    agent's budget was spent.
    """
    for row_id, record in run.take.agents[run.agent].rows.items():
        cut = record.refusals.get(CUT_OFF, [])
        if cut:
            first = cut[0]
            ticks = sum(each.end - each.start + 1 for each in cut)
            reason = f"{run.words(first.cause)}{_both_held(run, first)}"
            count = count_text(ticks, "tick")
            since = run.seconds(first.start)
            yield RuleMatch(
                f"It was cut off at {count}, first at {since:.2f} s: {reason}.",
                row_id,
            )


def _both_held(run: AgentTake, cut: Refusal) -> str:
    """What the transitions of a ring found as they fired: the numbers that
    overlap.
    """
    found = []
    for row_id in str(cut.cause.facts.get("rows", "")).split():
        condition = run.explainer.checks(row_id)
        if condition is not None:
            words, _ = parted(condition.bits(cut.start, held=True))
            found.append("".join(word.text for word in words))
    if found:
        return f": {', and '.join(found)}"
    return ""


@take_rule(
    "A row that begins anew at every tick",
    why="It ends within the tick in which it begins, so nothing in it that takes time gets on.",
    severity=Severity.WARNING,
)
def restarting(run: AgentTake) -> Iterator[RuleMatch]:
    """The outermost rows that failed at every tick for a second or more with
    nothing else to do, such as an option that goes on winning, or cut short at
    every tick what ran in them.
    """
    behavior = run.behavior
    reported: set[str] = set()
    for row in behavior.rows if behavior else ():
        kind = run.catalog.get(row.kind, *RUNS)
        if (
            behavior is None
            or kind is None
            or not kind.holds
            or row.under in reported
        ):
            # What is in a row that was reported would say the same once more.
            if row.under in reported:
                reported.add(row.id)
            continue
        spans = _each_tick(run, run.record(row.id).spans)
        if not spans:
            continue
        failed = all(each.outcome is Outcome.FAILURE for each in spans)
        if (failed and row.under is None) or _cuts_short(run, row, spans):
            reported.add(row.id)
            yield _each_time(run, row.id, spans)
    for row_id, spans in _led_in_vain(run):
        if not reported.intersection(run.explainer.outline.path(row_id)):
            reported.add(row_id)
            yield _each_time(run, row_id, spans)


def _each_time(
    run: AgentTake, row_id: str, spans: Sequence[Span]
) -> RuleMatch:
    """That a row ended at each of the ticks at which it began, and why."""
    first = spans[0]
    since = run.seconds(first.start)
    words, _ = parted(run.explainer.why_ended(row_id, first, first.start))
    cause = "".join(each.text for each in words)
    how = "ended"
    if all(each.outcome is Outcome.FAILURE for each in spans):
        how = "failed"
    return RuleMatch(
        f"It {how} at each of {len(spans)} ticks, from {since:.2f} s on{cause}.",
        row_id,
    )


def _led_in_vain(run: AgentTake) -> Iterator[tuple[str, list[Span]]]:
    """The rows that led and failed at every tick for a second or more, while
    no other row ran: with those failures.
    """
    rate = run.take.header.ticks_per_s
    for lead in chain.from_iterable(run.leads):
        # Looked at first, for a long take has many leads and many spans.
        if not lead.restarts or lead.end - lead.start + 1 < rate:
            continue
        spans = [
            each
            for each in run.record(lead.row_id).spans
            if lead.start <= each.start <= lead.end
        ]
        failed = all(each.outcome is Outcome.FAILURE for each in spans)
        if failed and len(spans) >= rate:
            yield lead.row_id, spans


def _each_tick(run: AgentTake, spans: list[Span]) -> list[Span]:
    """The longest of the runs of spans that begin and end in one tick, one
    tick after the other; none if that is less than a second.
    """
    longest: list[Span] = []
    current: list[Span] = []
    for span in spans:
        # A tick without it breaks the run: something else had its turn.
        follows = bool(current) and span.start - current[-1].start == 1
        brief = span.end == span.start
        if brief and follows:
            current = [*current, span]
        else:
            current = [span] if brief else []
        longest = max(longest, current, key=len)
    if len(longest) >= run.take.header.ticks_per_s:
        return longest
    return []


def _cuts_short(run: AgentTake, row: Row, spans: list[Span]) -> bool:
    """Whether a row stopped something in it at each of the ticks in which it
    ran.
    """
    behavior = run.behavior
    if behavior is not None:
        children = behavior.outline.children[row.id]
    else:
        children = ()
    stopped = {
        span.start
        for child in children
        for span in run.record(child).spans
        if span.end is not None and span.outcome is Outcome.STOPPED
    }
    return all(each.start in stopped for each in spans)


@take_rule(
    "A node of one's own that raised",
    why=(
        "Its code stopped with an error. A row fails by that, a condition says no, and a number "
        "is not known. Mend the line that is named."
    ),
    severity=Severity.ERROR,
)
def node_raised(run: AgentTake) -> Iterator[RuleMatch]:
    """A row or a key for which the project's own code raised an exception or
    gave what means nothing, with file and line.
    """
    agent = run.take.agents[run.agent]
    for row_id, record in agent.rows.items():
        said = _broken(run, _faults(record))
        if said:
            yield RuleMatch(f"At {said}", row_id)
    for name, changes in agent.keys.items():
        said = _broken(
            run,
            [
                (tick, written.cause)
                for tick, written in zip(
                    changes.ticks, changes.values, strict=True
                )
                if written.cause is not None and written.cause.kind in BROKEN
            ],
        )
        if said:
            yield RuleMatch(f"{name}, at {said}", "", about=name)


def _faults(record: RowRecord) -> list[tuple[int, Cause]]:
    """Each reason of a row that lies in code, and its tick."""
    # Of a long take nearly all is without any: a chain of generators would
    # take longer than the rest of a review.
    found = [
        (span.end or 0, span.cause)
        for span in record.spans
        if span.cause is not None and span.cause.kind in BROKEN
    ]
    for refusals in record.refusals.values():
        found += [
            (each.start, each.cause)
            for each in refusals
            if each.cause.kind in BROKEN
        ]
    for steps in record.atom_steps.values():
        found += [
            (each.tick, each.found.cause)
            for each in steps
            if each.found is not None
            and each.found.cause is not None
            and each.found.cause.kind in BROKEN
        ]
    return found


def _broken(run: AgentTake, found: Sequence[tuple[int, Cause]]) -> str:
    """When code was at fault first, how often it was anew, and what it said;
    empty if it never was.
    """
    if not found:
        return ""
    tick, cause = min(found, key=lambda each: each[0])
    more = ""
    if len(found) > 1:
        more = f", the first of {times_text(len(found))}"
    return f"{run.seconds(tick):.2f} s{more}: {run.words(cause)}."


@take_rule(
    "A key that never changed",
    why=(
        "A row that writes it ran, and it kept the value it began with from the first tick to "
        "the last."
    ),
    severity=Severity.HINT,
)
def unchanged_key(run: AgentTake) -> Iterator[RuleMatch]:
    """A key that a row wrote which ran, and that had one value all along."""
    behavior = run.behavior
    if behavior is None:
        return
    ran = [row for row in behavior.rows if run.record(row.id).spans]
    # A key that is bound to one of a used behavior is that one's to write, if
    # it is written at all.
    written = {
        use.value.key
        for row in ran
        for use in param_uses(row, run.catalog)
        if use.param.writes and isinstance(use.value, KeyRef)
    }
    for name, changes in run.take.agents[run.agent].keys.items():
        if (
            name in written
            and len(changes.values) == 1
            and not changes.values[0].row_id
        ):
            yield RuleMatch(
                f"{name} was {value_text(changes.values[0].value)} all along.",
                "",
                about=name,
            )
