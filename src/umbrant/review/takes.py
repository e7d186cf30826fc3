"""Findings in a take: what was written, and how it turned out."""

from collections.abc import Iterator

import numpy as np

from umbrant.catalog.declare import ROWS, RUNS, Family
from umbrant.catalog.references import param_uses
from umbrant.engine.recorder import CUT_OFF
from umbrant.model.behaviors import Row
from umbrant.model.kind_ids import HISTORY
from umbrant.model.parts import ROW
from umbrant.model.values import KeyRef, value_text
from umbrant.reasons.decision_changes import LeadingSpan, leading_spans
from umbrant.reasons.sentences import parted
from umbrant.review.agent_take import AgentTake
from umbrant.review.findings import RuleMatch, Severity
from umbrant.review.rules import take_rule
from umbrant.take.record import Span

FLIPS_A_S = 2.0
"""How many changes between the same two rows a second count as flipping."""
FLIPS = 4
"""How many changes there must be at least."""
STILL_S = 1.5
"""How long a row that goes somewhere may stand still."""
STILL_M = 0.02


@take_rule(
    "A row that never ran",
    why="In this take it was never entered. Ask why not, or play a scenario in which it is wanted.",
    severity=Severity.HINT,
)
def never_ran(run: AgentTake) -> Iterator[RuleMatch]:
    """The outermost rows that were not entered once."""
    behavior = run.behavior
    for row in behavior.rows if behavior else ():
        kind = run.catalog.get(row.kind, *ROWS)
        idle = (
            kind is not None
            and kind.family in (*RUNS, Family.STATE, Family.OPTION)
            and row.kind != HISTORY
        )
        above_ran = row.under is None or bool(run.record(row.under).spans)
        if idle and above_ran and not row.muted and not run.record(row.id).spans:
            yield RuleMatch(f"It never ran. {_why_never(run, row)}", row.id)


def _why_never(run: AgentTake, row: Row) -> str:
    """What kept a row from ever running: its last refusal, its best score, or who was preferred."""
    refusals = run.record(row.id).refusals.get(ROW, [])
    if refusals:
        tick = refusals[-1].end
        words, _ = parted(run.explainer.refused(row.id, refusals[-1].cause, tick, tick))
        why = "".join(word.text for word in words).removeprefix(" was refused: ")
        times = _times(sum(each.end + 1 - each.start for each in refusals))
        return f"It was refused {times}, last at {run.seconds(tick):.2f} s: {why}."
    scores = run.record(row.id).gauges.get(ROW)
    if scores is not None and scores.values and row.under is not None:
        best = max(range(len(scores.values)), key=lambda index: scores.values[index].value)
        tick = scores.ticks[best]
        won = run.explainer.scores(row.under).at(tick)[0]
        return (
            f"Its best score was {scores.values[best].value:.2f}, at {run.seconds(tick):.2f} s; "
            f"{run.called(won.row.id)} scored {won.total:.2f} then."
        )
    return run.explainer.why_not(run.take.last_tick, row.id).lines[0].text


@take_rule(
    "Flipping between two rows",
    why=(
        "Each lets go as soon as the other takes over. A distance between their conditions, or a "
        "hold, calms them."
    ),
    severity=Severity.WARNING,
)
def flipping(run: AgentTake) -> Iterator[RuleMatch]:
    """Two rows that took the lead from each other faster than twice a second, four times or
    more.
    """
    for found in leading_spans(run.take, run.agent):
        yield from _flips_among(run, found)


def _flips_among(run: AgentTake, found: tuple[LeadingSpan, ...]) -> Iterator[RuleMatch]:
    """Where the leads of one branch go to and fro."""
    index = 0
    while index < len(found):
        end = _flips_from(run, found, index)
        if end - index >= FLIPS:
            one, other = found[index], found[index + 1]
            span = run.seconds(found[end].start - one.start)
            causes = " ".join(
                f"{run.called(each.row_id)} ended because {_why(run, each)}."
                for each in (one, other)
            )
            message = (
                f"{run.called(one.row_id)} and {run.called(other.row_id)} took turns "
                f"{end - index} times within "
                f"{span:.2f} s, from {run.seconds(one.start):.2f} s on. {causes}"
            )
            yield RuleMatch(message, one.row_id, about=other.row_id)
        index = max(end, index + 1)


def _flips_from(run: AgentTake, found: tuple[LeadingSpan, ...], first: int) -> int:
    """The last of the leads that go to and fro quickly from this one on."""
    last = first
    while last + 1 < len(found):
        following = found[last + 1]
        turns = last == first or following.row_id == found[last - 1].row_id
        if not turns or run.seconds(following.start - found[last].start) > 1 / FLIPS_A_S:
            break
        last += 1
    return last


def _why(run: AgentTake, lead: LeadingSpan) -> str:
    span = run.record(lead.row_id).span_at(lead.end)
    if span is None or span.cause is None:
        return "it was done"
    return "".join(_fact_text(run, name, text) for name, text in span.cause.parts())


@take_rule(
    "A machine that does not settle",
    why="Its transitions lead on and on within one tick, so the tick was cut off. A gap between "
    "their thresholds, or a row that takes time, lets it come to rest.",
    severity=Severity.WARNING,
)
def unsettled(run: AgentTake) -> Iterator[RuleMatch]:
    """A machine of which ticks were cut off: it went round in a ring, or its agent's budget was
    spent.
    """
    for row_id, record in run.take.agents[run.agent].rows.items():
        cut = record.refusals.get(CUT_OFF, [])
        if cut:
            first = cut[0]
            ticks = sum(each.end - each.start + 1 for each in cut)
            reason = "".join(_fact_text(run, name, text) for name, text in first.cause.parts())
            count, since = "1 tick" if ticks == 1 else f"{ticks} ticks", run.seconds(first.start)
            yield RuleMatch(f"It was cut off at {count}, first at {since:.2f} s: {reason}.", row_id)


def _fact_text(run: AgentTake, fact: str, text: str) -> str:
    """A fact of a cause in words: rows by their numbers and names."""
    if fact == "rows":
        return " and ".join(run.called(each) for each in text.split())
    return run.called(text) if fact == "row" else text


@take_rule(
    "Going and not moving",
    why="A row that goes somewhere ran, and the body stayed where it was.",
    severity=Severity.WARNING,
)
def not_moving(run: AgentTake) -> Iterator[RuleMatch]:
    """A row that says how far it has to go, and went on for a while without the body moving."""
    behavior, poses = run.behavior, run.take.poses.get(run.agent)
    if behavior is None or poses is None:
        return
    for row in behavior.rows:
        record = run.record(row.id)
        if not record.ways.ticks:
            continue
        for span in record.spans:
            still = _still(run, span, poses)
            if (
                still is not None
                and record.ways.at(still)
                and row.kind not in ("follow", "keep_ring")
            ):
                since = run.seconds(still)
                cause = (
                    " It ended because "
                    f"{_why(run, LeadingSpan(span.start, span.end or 0, row.id))}."
                    if span.cause
                    else ""
                )
                yield RuleMatch(
                    f"It ran from {since:.2f} s on and the body did not move.{cause}", row.id
                )
                break


def _still(run: AgentTake, span: Span, poses: np.ndarray) -> int | None:
    """The first tick from which the body stood for too long while a row ran."""
    ticks = round(STILL_S * run.take.header.ticks_per_s)
    end = span.end if span.end is not None else run.take.ticks - 1
    places = poses[span.start : end + 1, :2]
    if len(places) <= ticks:
        return None
    # The way that was walked, not how far apart its ends are: out and back is no standing still.
    walked = np.concatenate(([0.0], np.cumsum(np.hypot(*np.diff(places, axis=0).T))))
    found = np.flatnonzero(walked[ticks:] - walked[:-ticks] < STILL_M)
    return span.start + int(found[0]) if len(found) else None


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
    # A key that is bound to one of a used behavior is that one's to write, if it is written at all.
    written = {
        use.value.key
        for row in ran
        for use in param_uses(row, run.catalog)
        if use.param.writes and isinstance(use.value, KeyRef)
    }
    for name, changes in run.take.agents[run.agent].keys.items():
        if name in written and len(changes.values) == 1 and not changes.values[0].row_id:
            yield RuleMatch(
                f"{name} was {value_text(changes.values[0].value)} all along.", "", about=name
            )


def _times(count: int) -> str:
    return "once" if count == 1 else f"{count} times"
