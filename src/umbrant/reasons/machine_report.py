"""Why a machine is in the state it is in: what brought it there, and what each
transition out of it waits for.
"""

from bisect import bisect_left
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from umbrant.catalog.kind import RUNS, Family
from umbrant.engine.machines import matches
from umbrant.model.behaviors import Row, targets_of
from umbrant.model.kind_ids import (
    AFTER,
    HISTORY,
    MACHINE,
    ON_DONE,
    ON_EVENT,
    STATE_DONE,
)
from umbrant.model.parts import ROW
from umbrant.reasons.agent_context import AgentContext
from umbrant.reasons.row_report import RowReport
from umbrant.reasons.sentences import (
    AnswerLine,
    Bit,
    Claim,
    ClaimKind,
    Tone,
    ago_text,
    claim,
    seconds_text,
)
from umbrant.take.record import Outcome, RowState, Span
from umbrant.take.tables import MOST_STEPS


def transitions_out(subject: AgentContext, state: str) -> Iterator[Row]:
    """The transitions that can leave a state: its own first, then those of the
    states around it.
    """
    # From the inside out, as SCXML asks them: the transitions of an inner
    # state come before those of the states around it.
    for row_id in reversed(subject.outline.path(state)):
        for child in subject.outline.children[row_id]:
            row = subject.behavior.row(child)
            if subject.family(row.id) is Family.TRANSITION and not row.muted:
                yield row
        # A machine further out leaves the whole of this one, which is no
        # transition of the state.
        if subject.behavior.row(row_id).kind == MACHINE:
            return


def entered_by(subject: AgentContext, state: str, tick: int) -> str | None:
    """The transition that fired as a state was last entered; None for one that
    it began in.
    """
    span = subject.record.row(state).last_span(tick)
    machine = machine_of(subject, state)
    if span is None or machine is None:
        return None
    found, latest = None, -1
    for row_id in subject.outline.within(machine):
        row = subject.behavior.row(row_id)
        if subject.family(row.id) is not Family.TRANSITION or not _leads_to(
            subject, row, state
        ):
            continue
        # Several may have fired within the tick: the last one before the state
        # was entered did it.
        for fired in subject.record.row(row_id).spans_at(span.start):
            if latest < fired.start_step <= span.start_step:
                found, latest = row_id, fired.start_step
    return found


def fired_last(subject: AgentContext, machine: str, tick: int) -> str:
    """The transition of a machine that fired last, up to a tick; empty if none
    has.
    """
    found, latest = "", -1
    for row_id in (
        subject.outline.within(machine)
        if machine in subject.outline.number
        else ()
    ):
        if subject.family(row_id) is Family.TRANSITION:
            span = subject.record.row(row_id).last_span(tick)
            if span is not None and span.start > latest:
                found, latest = row_id, span.start
    return found


def machine_of(subject: AgentContext, row_id: str) -> str | None:
    """The innermost machine around a row."""
    return subject.behavior.innermost(row_id, MACHINE)


@dataclass(frozen=True)
class StateEnd:
    """That the rows of a state have ended while it stays active: when, how,
    and by which row.
    """

    tick: int
    outcome: Outcome
    row_id: str
    was_refused: bool = False


def state_end(subject: AgentContext, state: str, tick: int) -> StateEnd | None:
    """How the rows of an active state have ended, up to a tick; None while
    they run, and for a state without rows.
    """
    span = subject.record.row(state).span_at(tick)
    if span is None:
        return None
    return _end_within(subject, state, span, tick)


def _end_within(
    subject: AgentContext, state: str, span: Span, tick: int
) -> StateEnd | None:
    """How the rows of a state have ended since it was entered, up to a tick."""
    last: StateEnd | None = None
    for row_id in subject.outline.children[state]:
        if (
            subject.family(row_id) not in RUNS
            or subject.behavior.row(row_id).muted
        ):
            continue
        last = _row_end(subject, row_id, span, tick)
        # Rows of a state run in order: one that goes on holds back the rest,
        # and one that fails ends them all.
        if last is None or last.outcome is Outcome.FAILURE:
            return last
    return last


def _row_end(
    subject: AgentContext, row_id: str, around: Span, tick: int
) -> StateEnd | None:
    """How a row of a state has ended since the state was entered: a refusal is
    a failure.
    """
    record, since = (
        subject.record.row(row_id),
        (around.start, around.start_step),
    )
    span, refusal = record.last_span(tick), record.last_refusal(tick)
    if span is not None and (span.start, span.start_step) > since:
        is_over = span.end is not None and span.end <= tick
        outcome = span.outcome or Outcome.STOPPED
        at = tick if span.end is None else span.end
        if is_over:
            return StateEnd(at, outcome, row_id)
        return None
    # A refusal that is repeated is one that began before the state was entered
    # again.
    if refusal is not None and (
        refusal.end > around.start or (refusal.start, refusal.step) > since
    ):
        return StateEnd(
            max(refusal.start, around.start),
            Outcome.FAILURE,
            row_id,
            was_refused=True,
        )
    return None


def waiting_lines(
    subject: RowReport, state: str, tick: int
) -> Iterator[AnswerLine]:
    """How a state has ended whose rows are done, and a line for each
    transition that can leave it: what it waits for. Of one in which the
    machine itself ended within the tick, how that came.
    """
    if subject.state_of(state, tick) is not RowState.RUNNING:
        yield subject.names.line(state, subject.ended(state, tick), Tone.NO)
        return
    transitions, ended = (
        list(transitions_out(subject, state)),
        state_end(subject, state, tick),
    )
    if ended is not None:
        yield subject.names.line(
            state, _ended_bits(subject, ended, tick, transitions), Tone.NO
        )
    for row in transitions:
        yield subject.names.line(
            row.id, waits_for(subject, row, tick), Tone.NO
        )


def _ended_bits(
    subject: RowReport, ended: StateEnd, tick: int, transitions: Sequence[Row]
) -> Iterator[Bit]:
    how = "failure"
    if ended.outcome is Outcome.SUCCESS:
        how = "success"
    facts = {"outcome": ended.outcome.value, "now": tick}
    if not ended.was_refused:
        yield Claim(ClaimKind.ENDED, ended.row_id, ended.tick, facts)
    yield f" was done with {how} at {subject.header.seconds(ended.tick):.2f} s"
    if ended.outcome is not Outcome.SUCCESS:
        yield " ("
        yield from subject.why_child_failed(
            ended.row_id, (ended.tick, MOST_STEPS), tick
        )
        yield ")"
    yield ", and stays active"
    ends = ": nothing leads out of it."
    if transitions:
        ends = "."
    yield ends


def waits_for(subject: AgentContext, row: Row, tick: int) -> Iterator[Bit]:
    """What a transition waits for at a tick."""
    targets = targets_of(row)
    verb = " waits"
    if targets:
        verb = " leads to "
    yield verb
    for number, target in enumerate(targets):
        if number:
            yield " and "
        yield subject.names.bit(subject.own_id(row.id, target))
    record = subject.record.row(row.id)
    refusal, fired = record.refusal_at(tick), record.span_at(tick)
    if fired is not None:
        yield ": it fires at this tick."
        yield claim(ClaimKind.FIRED, row.id, tick)
        return
    condition = subject.report_on(row.id, ROW)
    if refusal is not None and refusal.cause.kind == "not_yet":
        due_s = float(str(refusal.cause.facts["until_s"]))
        yield f": in {seconds_text(due_s - subject.header.seconds(tick))}"
        yield "."
    elif (
        refusal is not None
        and refusal.cause.kind == "guard"
        and condition is not None
    ):
        yield ": "
        yield from condition.bits(tick, held=False)
        yield "."
    elif refusal is not None:
        yield ": "
        yield claim(ClaimKind.REFUSED, row.id, tick, cause=refusal.cause.kind)
        yield from subject.names.because(refusal.cause)
        yield "."
    elif row.kind == ON_DONE:
        yield from _waits_for_end(subject, row, tick)
    else:
        yield from _waits_for_event(subject, row, tick)


def _waits_for_event(
    subject: AgentContext, row: Row, tick: int
) -> Iterator[Bit]:
    """What a transition waits for that has not been asked at a tick. Its event
    may have come all the same, and been another one's.
    """
    source, machine = (
        subject.outline.parent[row.id],
        machine_of(subject, row.id),
    )
    active = None
    if source is not None:
        active = subject.record.row(source).span_at(tick)
    if active is not None and active.start < tick and machine is not None:
        for other in subject.outline.within(machine):
            came = list(_same_event(subject, row, other, tick))
            if came:
                yield from [": ", *came, ", but ", subject.names.bit(other)]
                yield claim(ClaimKind.FIRED, other, tick)
                yield " came first."
                return
    yield f": it waits for {_trigger(subject, row)}."


def _same_event(
    subject: AgentContext, row: Row, other: str, tick: int
) -> Iterator[Bit]:
    """The event that a transition waits for and another one of its machine
    fired at; nothing where that did not, or for something else.
    """
    second = subject.behavior.row(other)
    wanted = str(row.args.get("event", ""))
    is_event = row.kind == ON_EVENT and other != row.id
    if not is_event or not subject.record.row(other).spans_at(tick):
        return
    if machine_of(subject, other) != machine_of(subject, row.id):
        return
    if second.kind == ON_DONE and wanted.startswith(f"{STATE_DONE}."):
        state = subject.own_id(row.id, wanted.rpartition(".")[2])
        if subject.outline.parent[other] == state:
            yield subject.names.bit(state)
            yield " was done at this tick"
    elif second.kind == ON_EVENT:
        for each in subject.record.received:
            taken = str(second.args.get("event", ""))
            if (
                each.tick == tick
                and matches(each.event, wanted)
                and matches(each.event, taken)
            ):
                yield f"{each.event} was received at this tick"
                yield claim(ClaimKind.RECEIVED, "", tick, event=each.event)
                return


def _waits_for_end(
    subject: AgentContext, row: Row, tick: int
) -> Iterator[Bit]:
    """What a transition waits for that fires once its state is done."""
    source = subject.outline.parent[row.id]
    record = subject.record.row(row.id)
    refusal = record.last_refusal(tick)
    active = None
    if source is not None:
        active = subject.record.row(source).span_at(tick)
    has_rows = source is not None and any(
        subject.family(each) in RUNS
        for each in subject.outline.children[source]
    )
    # A state may be entered again at the very tick at which it was done; what
    # was refused then was about its stay before.
    goes_on = (
        source is not None
        and has_rows
        and state_end(subject, source, tick) is None
    )
    if (
        refusal is None
        or active is None
        or refusal.start < active.start
        or goes_on
    ):
        yield ": it waits for "
        yield subject.names.bit(source) if source else "its state"
        yield " to be done."
        return
    # That a state is done is told once. A transition that did not want it then
    # waits in vain.
    at_s = subject.header.seconds(refusal.end)
    yield f": its state was done at {at_s:.2f} s, but "
    if refusal.cause.kind == "done_otherwise":
        wanted = "failure"
        if row.args.get("result") == "success":
            wanted = "success"
        yield f"it wants {wanted}."
    else:
        yield from subject.names.because(refusal.cause)
        yield "."


def entered_bits(subject: RowReport, state: str, tick: int) -> Iterator[Bit]:
    """Yield the words for how long a state has been active and what entered
    it.
    """
    span = subject.record.row(state).span_at(tick)
    start = span.start if span else tick
    yield f" was entered {ago_text(subject.header.seconds(tick - start))}"
    yield claim(ClaimKind.ENTERED, state, start)
    by = entered_by(subject, state, tick)
    if by is not None:
        yield " by "
        yield subject.names.bit(by)
        yield from _because_fired(subject, by, start, tick)
    yield "."


def entered_by_bits(
    subject: RowReport, row_id: str, tick: int, now: int
) -> Iterator[Bit]:
    """By which transition a state was entered at a tick, and what held as it
    fired, as seen from `now`.
    """
    yield subject.names.bit(row_id)
    if subject.behavior.row(row_id).kind in (AFTER, ON_DONE):
        yield " fired"
    yield from _because_fired(subject, row_id, tick, now)


def _fired_after(
    subject: AgentContext, transition: str, tick: int
) -> Iterator[Bit]:
    """For how long its state had been active as a transition fired."""
    source = subject.outline.parent[transition]
    left = None
    if source is not None:
        left = _span_before(subject, source, transition, tick)
    if left is None:
        yield claim(ClaimKind.FIRED, transition, tick)
        return
    yield f" after {seconds_text(subject.header.seconds(tick - left.start))}"
    yield claim(ClaimKind.FIRED, transition, tick, since=left.start)


def _span_before(
    subject: AgentContext, source: str, transition: str, tick: int
) -> Span | None:
    """The span of a state that one of its transitions found as it fired."""
    fired = subject.record.row(transition).last_span(tick)
    if fired is None:
        return None
    # The state may have been entered again within the tick, by this very
    # transition.
    spans, at = (
        subject.record.row(source).spans,
        (fired.start, fired.start_step),
    )
    before = bisect_left(
        spans, at, key=lambda span: (span.start, span.start_step)
    )
    return spans[before - 1] if before else None


def _was_done(
    subject: RowReport, source: str, transition: str, tick: int, now: int
) -> Iterator[Bit]:
    """That a state was done as its transition fired, and of one that failed
    why it had.
    """
    yield subject.names.bit(source)
    span = _span_before(subject, source, transition, tick)
    fired = subject.record.row(transition).last_span(tick)
    ended = None
    if span is not None:
        ended = _end_within(subject, source, span, tick)
    if ended is None or fired is None or ended.outcome is Outcome.SUCCESS:
        yield " was done"
        return
    yield " was done with failure: "
    until = fired.start, fired.start_step
    yield from subject.why_child_failed(ended.row_id, until, now)


def _because_fired(
    subject: RowReport, row_id: str, tick: int, now: int
) -> Iterator[Bit]:
    """What held as a transition fired, and of an event which one was received."""
    row, source = subject.behavior.row(row_id), subject.outline.parent[row_id]
    condition = subject.checks(row_id)
    wanted = str(row.args.get("event", ""))
    if row.kind == AFTER:
        yield from _fired_after(subject, row_id, tick)
        return
    yield claim(ClaimKind.FIRED, row_id, tick)
    if row.kind == ON_EVENT and wanted.startswith(f"{STATE_DONE}."):
        yield ": "
        yield subject.names.bit(
            subject.own_id(row_id, wanted.rpartition(".")[2])
        )
        yield " was done"
    elif row.kind == ON_DONE and source is not None:
        yield ": "
        yield from _was_done(subject, source, row_id, tick, now)
    elif row.kind == ON_EVENT:
        received = [
            each.event
            for each in subject.record.received
            if each.tick == tick and matches(each.event, wanted)
        ]
        yield f": {received[0] if received else wanted} was received"
        if received:
            yield claim(ClaimKind.RECEIVED, "", tick, event=received[0])
    if condition is not None:
        joint = ": "
        if row.kind in (ON_EVENT, ON_DONE):
            joint = ", and "
        yield joint
        fired = subject.record.row(row_id).last_span(tick)
        step = None
        # It may have been asked once more within the tick, and said no.
        if fired is not None and fired.start == tick:
            step = fired.start_step
        yield from condition.bits(tick, held=True, now=now, step=step)


def _trigger(subject: AgentContext, row: Row) -> str:
    """What a transition waits for, in words."""
    if row.kind == ON_EVENT:
        before, _, state = str(row.args.get("event")).rpartition(".")
        if before == STATE_DONE:
            own = subject.own_id(row.id, state)
            return f"{subject.names.titles.get(own, state)} to be done"
        return f"the event {row.args.get('event')}"
    labels = {ON_DONE: "its state to be done", AFTER: "its time"}
    return labels.get(row.kind, "its condition")


def _leads_to(subject: AgentContext, row: Row, state: str) -> bool:
    """Whether the target of a transition is a state, a state around it, or a
    history that may have stood for it.
    """
    return any(
        _leads_into(subject, row, target, state) for target in targets_of(row)
    )


def leads_back_into(subject: AgentContext, row: Row, state: str) -> bool:
    """Whether a transition leads to a history of a state, and so into it."""
    targets = (subject.own_id(row.id, each) for each in targets_of(row))
    return any(
        subject.outline.parent.get(each) == state
        and subject.behavior.row(each).kind == HISTORY
        for each in targets
    )


def _leads_into(
    subject: AgentContext, row: Row, target: str, state: str
) -> bool:
    target_id = subject.own_id(row.id, target)
    if target_id in subject.outline.path(state):
        return True
    found = subject.behavior.by_id.get(target_id)
    around = subject.outline.parent.get(target_id)
    return (
        found is not None
        and found.kind == HISTORY
        and around in subject.outline.path(state)
    )
