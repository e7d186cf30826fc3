"""Holds what sentences claim against the raw data of a take. There is a
checker for each kind of claim; it looks at every entry that is kept, one after
the other, and shares no code with what made the sentence.
"""

from collections.abc import Callable
from math import isnan

from tests.kinds import CATALOG
from umbrant.catalog.language.tree import (
    ConditionTree,
    Conjunction,
    Disjunction,
    Negation,
    atoms,
)
from umbrant.reasons.sentences import Claim, ClaimKind
from umbrant.reasons.why import Explainer
from umbrant.take.record import Changes, CueStep, RowRecord, Span
from umbrant.take.tables import MOST_STEPS

Checker = Callable[[Explainer, Claim], bool]


def _record(explainer: Explainer, claim: Claim) -> RowRecord:
    return explainer.take.agents[explainer.member.name].row(claim.row_id)


def _spans(explainer: Explainer, claim: Claim) -> list[Span]:
    return _record(explainer, claim).spans


def _runs(explainer: Explainer, claim: Claim) -> bool:
    return any(
        span.start == claim.facts["since"]
        and span.start <= claim.tick
        and (span.end is None or span.end > claim.tick)
        for span in _spans(explainer, claim)
    )


def _restarts(explainer: Explainer, claim: Claim) -> bool:
    within = {
        span.start
        for span in _spans(explainer, claim)
        if span.start == span.end
    }
    since = int(str(claim.facts["since"]))
    return since <= claim.tick and within >= {*range(since, claim.tick + 1)}


def _entered(explainer: Explainer, claim: Claim) -> bool:
    return any(span.start == claim.tick for span in _spans(explainer, claim))


def _fired(explainer: Explainer, claim: Claim) -> bool:
    """It fired then; where it is said since when its state had been active,
    the state was entered then and not again before it fired.
    """
    if "since" not in claim.facts:
        return _entered(explainer, claim)
    source = explainer.outline.parent[claim.row_id]
    assert source is not None
    steps = [
        span.start_step
        for span in _spans(explainer, claim)
        if span.start == claim.tick
    ]
    entered = [
        (span.start, span.start_step)
        for span in explainer.take.agents[explainer.member.name]
        .row(source)
        .spans
    ]
    return any(
        max(each for each in entered if each < (claim.tick, step))[0]
        == claim.facts["since"]
        for step in steps
    )


def _ended(explainer: Explainer, claim: Claim) -> bool:
    """It ended then and so, and no later end came before the moment that the
    answer speaks of: the end of a tick, or a step within it.
    """
    ends = [span for span in _spans(explainer, claim) if span.end is not None]
    so = [
        span
        for span in ends
        if span.end == claim.tick and span.outcome == claim.facts["outcome"]
    ]
    until = (
        int(str(claim.facts["now"])),
        int(str(claim.facts.get("step", MOST_STEPS))),
    )
    later = [
        span
        for span in ends
        if span.end is not None
        and claim.tick < span.end
        and (span.end, span.end_step) <= until
    ]
    # What is said to have led to something at a step was not at work again
    # before that.
    again = [
        span
        for span in _spans(explainer, claim)
        if "step" in claim.facts
        and so
        and (so[-1].end, so[-1].end_step)
        < (span.start, span.start_step)
        < until
    ]
    return bool(so) and not later and not again


def _refused(explainer: Explainer, claim: Claim) -> bool:
    return any(
        refusal.start <= claim.tick <= refusal.end
        and refusal.cause.kind == claim.facts["cause"]
        for refusals in _record(explainer, claim).refusals.values()
        for refusal in refusals
    )


def _not_tried(explainer: Explainer, claim: Claim) -> bool:
    record = _record(explainer, claim)
    refusals = record.refusals.get("", [])
    return not any(
        span.start <= claim.tick for span in record.spans
    ) and not any(refusal.start <= claim.tick for refusal in refusals)


def _never_ran(explainer: Explainer, claim: Claim) -> bool:
    changes = explainer.record.keys.get(str(claim.facts["key"]), Changes())
    written = zip(changes.ticks, changes.values, strict=True)
    agent = explainer.member.name
    return not any(
        span.start <= claim.tick for span in _record(explainer, claim).spans
    ) and not any(
        tick <= claim.tick
        and each.row_id == claim.row_id
        and each.agent in ("", agent)
        for tick, each in written
    )


def _muted(explainer: Explainer, claim: Claim) -> bool:
    return explainer.behavior.row(claim.row_id).muted


def _condition(explainer: Explainer, claim: Claim) -> bool:
    """What the atoms found last, up to the tick, makes the condition what it
    is said to be. Each side that is shown is the one that was found.
    """
    part, found = str(claim.facts["part"]), {}
    until = (claim.tick, int(str(claim.facts.get("step", MOST_STEPS))))
    for step in _record(explainer, claim).atom_steps.get(part, []):
        if (step.tick, step.step) <= until:
            found[step.atom] = step.found
    shown = claim.facts["atoms"]
    assert isinstance(shown, list)
    for index, truth, left, right in shown:
        result = found.get(index)
        if result is None or (result.truth, result.left, result.right) != (
            truth,
            left,
            right,
        ):
            return False
    report = explainer.report_on(claim.row_id, part)
    assert report is not None
    known = {
        index: each.truth for index, each in found.items() if each is not None
    }
    if not known:
        return True
    order = iter(range(len(list(atoms(report.tree)))))
    return (_truth(report.tree, known, order) is True) == claim.facts["held"]


def _truth(
    tree: ConditionTree, known: dict[int, bool | None], order: object
) -> bool | None:
    """The truth of a condition from that of its atoms, in the order in which
    they are written.
    """
    if isinstance(tree, Negation):
        inner = _truth(tree.part, known, order)
        return None if inner is None else not inner
    if isinstance(tree, Conjunction | Disjunction):
        parts = [_truth(part, known, order) for part in tree.parts]
        decides = isinstance(tree, Disjunction)
        if decides in parts:
            return decides
        return None if None in parts else not decides
    return known.get(next(order))  # type: ignore[call-overload, no-any-return]


def _last_yes(explainer: Explainer, claim: Claim) -> bool:
    """It was yes then, and became so no more until the moment that the
    sentence speaks of. That it was asked then is for `test_last_yes` to say.
    """
    part, atom = str(claim.facts["part"]), claim.facts["atom"]
    until = int(str(claim.facts["until"]))
    steps = [
        (
            (step.tick, step.step),
            bool(step.found is not None and step.found.truth),
        )
        for step in _record(explainer, claim).atom_steps.get(part, [])
        if step.atom == atom and step.tick <= until
    ]
    end = (claim.tick + 1, 0)
    if "before_step" in claim.facts:
        end = claim.tick, int(str(claim.facts["before_step"]))
    before = [truth for at, truth in steps if at < end]
    later = [truth for at, truth in steps if at >= end]
    return before[-1:] == [True] and not any(later)


def _wrote(explainer: Explainer, claim: Claim) -> bool:
    changes = explainer.take.agents[explainer.member.name].keys[
        str(claim.facts["key"])
    ]
    kept = list(zip(changes.ticks, changes.values, strict=True))
    until = int(str(claim.facts["until"]))
    later = [tick for tick, _ in kept if claim.tick < tick <= until]
    return not later and any(
        tick == claim.tick
        and written.value == claim.facts["value"]
        and written.row_id == claim.row_id
        for tick, written in kept
    )


def _received(explainer: Explainer, claim: Claim) -> bool:
    received = explainer.take.agents[explainer.member.name].received
    return any(
        each.tick == claim.tick and each.event == claim.facts["event"]
        for each in received
    )


def _left_to_do(explainer: Explainer, claim: Claim) -> bool:
    record = _record(explainer, claim)
    progress, found = record.progress, None
    entered = max(
        (each.start for each in record.spans if each.start <= claim.tick),
        default=0,
    )
    for tick, sample in zip(progress.ticks, progress.values, strict=True):
        is_of_now = tick >= entered or not sample.rate
        if tick <= claim.tick and sample.left is not None:
            found = max(0.0, sample.left - sample.rate * (claim.tick - tick))
            found = found if is_of_now else None
    return (
        found is not None
        and abs(found - float(str(claim.facts["left"]))) < 1e-6
    )


def _scored(explainer: Explainer, claim: Claim) -> bool:
    gauges, found = _record(explainer, claim).gauges[""], None
    for tick, gauge in zip(gauges.ticks, gauges.values, strict=True):
        found = gauge.value if tick <= claim.tick else found
    return found == claim.facts["score"]


def _not_set(explainer: Explainer, claim: Claim) -> bool:
    """The input was not known when it was evaluated last, and the key had no
    value at the end of that tick, nor before it where it was not an upkeep that
    took it.
    """
    gauges = _record(explainer, claim).gauges.get("", Changes())
    gauge = gauges.at(claim.tick)
    agent = explainer.take.agents[explainer.member.name]
    key = str(claim.facts["key"])
    value, within = None, []
    changes = agent.keys.get(key)
    for tick, each in zip(
        changes.ticks if changes else (),
        changes.values if changes else (),
        strict=True,
    ):
        value = each.value if tick <= claim.tick else value
        within += [each] if tick == claim.tick else []
    return (
        gauge is not None
        and gauge.of is None
        and value is None
        and all(
            each.part.startswith("upkeep")
            or not each.row_id
            or each.agent not in ("", explainer.member.name)
            for each in within
        )
    )


def _tied(explainer: Explainer, claim: Claim) -> bool:
    """Both had the same total at the decision; the winner ran then, and had
    run before if it stays, and comes first if it does not.
    """
    rows = explainer.take.agents[explainer.member.name].rows
    totals = []
    for row_id in (claim.row_id, str(claim.facts["other"])):
        gauges = rows[row_id].gauges[""]
        known = [
            gauge
            for tick, gauge in zip(gauges.ticks, gauges.values, strict=True)
            if tick <= claim.tick
        ]
        totals.append(known[-1].value + (known[-1].of or 0.0))
    spans = [
        span
        for span in _spans(explainer, claim)
        if span.start == claim.tick
        or (
            span.start < claim.tick
            and (span.end is None or span.end >= claim.tick)
        )
    ]
    numbers = list(explainer.outline.number)
    is_first = numbers.index(claim.row_id) < numbers.index(
        str(claim.facts["other"])
    )
    if claim.facts["stays"]:
        why = any(span.start < claim.tick for span in spans)
    else:
        why = is_first and any(span.start == claim.tick for span in spans)
    return totals[0] == totals[1] and why


def _comes_after(explainer: Explainer, claim: Claim) -> bool:
    """The one before it stands before it, and still ran after the tick, or
    came to an end at it that does not lead on.
    """
    parent = explainer.outline.parent[claim.row_id]
    assert parent is not None
    before = str(claim.facts["before"])
    children = explainer.outline.children[parent]
    record = explainer.take.agents[explainer.member.name].row(before)
    kind = CATALOG.kinds[explainer.behavior.row(parent).kind]
    leads_on = kind.goes_on_after or "success"
    ends = {
        "goes on"
        if each.end is None or each.end > claim.tick
        else each.outcome
        for each in record.spans
        if each.start <= claim.tick
        and (each.end is None or each.end >= claim.tick)
    } | {
        "failure"
        for each in record.refusals.get("", [])
        if each.start <= claim.tick <= each.end
    }
    return children.index(before) < children.index(claim.row_id) and bool(
        ends - {leads_on}
    )


def _not_drawn(explainer: Explainer, claim: Claim) -> bool:
    """The other one was at work at the tick, and since it was entered this one
    was neither entered nor refused.
    """
    rows = explainer.take.agents[explainer.member.name]
    entered = [
        (each.start, each.start_step)
        for each in rows.row(str(claim.facts["instead"])).spans
        if each.start <= claim.tick
        and (each.end is None or each.end >= claim.tick)
    ]
    own = _record(explainer, claim)
    return (
        bool(entered)
        and not any(
            max(entered) <= (each.start, each.start_step)
            and each.start <= claim.tick
            for each in own.spans
        )
        and not any(
            max(entered)[0] < each.end and each.start <= claim.tick
            for each in own.refusals.get("", [])
        )
    )


def _off_stage(explainer: Explainer, claim: Claim) -> bool:
    gone = [
        isnan(each)
        for each in explainer.take.poses[explainer.member.name][:, 0]
    ]
    since = claim.facts["since"]
    assert isinstance(since, int)
    return (
        all(gone[since : claim.tick + 1])
        and not (since and gone[since - 1])
        and all(
            CueStep(**each) in explainer.take.cues
            for each in claim.facts["cues"]
        )
    )


CHECKERS: dict[ClaimKind, Checker] = {
    ClaimKind.RUNS: _runs,
    ClaimKind.RESTARTS: _restarts,
    ClaimKind.ENTERED: _entered,
    ClaimKind.ENDED: _ended,
    ClaimKind.REFUSED: _refused,
    ClaimKind.NOT_TRIED: _not_tried,
    ClaimKind.NEVER_RAN: _never_ran,
    ClaimKind.MUTED: _muted,
    ClaimKind.CONDITION: _condition,
    ClaimKind.LAST_YES: _last_yes,
    ClaimKind.NOT_SET: _not_set,
    ClaimKind.WROTE: _wrote,
    ClaimKind.FIRED: _fired,
    ClaimKind.RECEIVED: _received,
    ClaimKind.LEFT_TO_DO: _left_to_do,
    ClaimKind.SCORED: _scored,
    ClaimKind.TIED: _tied,
    ClaimKind.COMES_AFTER: _comes_after,
    ClaimKind.NOT_DRAWN: _not_drawn,
    ClaimKind.OFF_STAGE: _off_stage,
}
"""WOULD_WIN is no claim about the take: `test_would_win` plays it."""
