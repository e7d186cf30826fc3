"""Why an agent changed its mind: how the row that led before ended, and what
let the next in.
"""

from bisect import bisect_left
from functools import cached_property

from umbrant.catalog.kind import RUNS, ChildOrder, Family
from umbrant.model.kind_ids import FINAL
from umbrant.reasons.decision_changes import (
    LeadingSpan,
    choices,
    chosen_spans,
    leading_spans,
)
from umbrant.reasons.machine_report import (
    entered_by,
    entered_by_bits,
    machine_of,
)
from umbrant.reasons.row_report import Bits, RowReport, due_s
from umbrant.reasons.score_report import Scores
from umbrant.reasons.sentences import (
    AnswerLine,
    Bit,
    ClaimKind,
    TextRun,
    Tone,
    claim,
)
from umbrant.take.record import Outcome, Span

Leads = tuple[LeadingSpan, ...]
"""What led, one after the other."""


class ChangeReport(RowReport):
    """Explains the changes of mind of one agent of a take."""

    def change(self, lead: LeadingSpan) -> AnswerLine:
        """Why a row took the lead, in one line."""
        among = self.leading[lead.branch]
        bits = list(self.why_changed(lead, among, lead.start))
        if lead.restarts:
            ticks = lead.end - lead.start + 1
            joint = ""
            if bits:
                joint = "; "
            bits = [
                *bits,
                joint,
                f"it begins and ends anew at each of {ticks} ticks",
                claim(
                    ClaimKind.RESTARTS,
                    lead.row_id,
                    lead.end,
                    since=lead.start,
                ),
            ]
        if bits:
            causes = [TextRun(": "), *bits]
        else:
            causes = []
        return self.names.line(lead.row_id, causes, Tone.YES)

    def why_changed(self, lead: LeadingSpan, among: Leads, now: int) -> Bits:
        """Why a row took the lead among others, as seen from `now`."""
        let_in = list(self._what_let_in(lead, among, now))
        yield from let_in
        parent = self.outline.parent[lead.row_id]
        if parent is not None and self.order(parent) is ChildOrder.DRAWN:
            if let_in:
                yield "; "
            yield self.names.bit(lead.row_id)
            yield " was drawn"
            yield claim(ClaimKind.ENTERED, lead.row_id, lead.start)

    def _what_let_in(self, lead: LeadingSpan, among: Leads, now: int) -> Bits:
        """What let a row take the lead."""
        # A state is entered by a transition, whatever was active before; of
        # other rows the one that led before has made room.
        by = None
        if self.is_state(lead.row_id):
            by = entered_by(self, lead.row_id, lead.start)
        before = self._lead_before(lead, among)
        if by is not None:
            yield from entered_by_bits(self, by, lead.start, now)
        elif (anew := self._machine_anew(lead)) is not None:
            yield from self._began_anew(*anew, lead, now)
        elif before is not None:
            yield from self._why_left(before, lead, now)
        elif self.is_state(lead.row_id):
            yield from self._began_in(lead)
        elif self._is_option(lead):
            yield from self._scored_first(lead)
        else:
            held = list(self.guard_held(lead.row_id, lead.start, now))
            yield from held or self.passed_over(lead.row_id, lead.start, now)

    def why_child_failed(
        self, row_id: str, until: tuple[int, int], now: int
    ) -> Bits:
        if self.behavior.row(row_id).kind != FINAL:
            yield from super().why_child_failed(row_id, until, now)
            return
        # A machine that comes to a final state has not failed by anything that
        # did: it ends as that state says.
        yield self.names.bit(row_id)
        yield " was reached"
        yield claim(ClaimKind.ENTERED, row_id, until[0])
        yield from self.led_there(row_id, until[0], now)

    def led_there(self, state: str, tick: int, now: int) -> Bits:
        """Because of which transition a state was entered at a tick."""
        by = entered_by(self, state, tick)
        if by is not None:
            yield ", because "
            yield from entered_by_bits(self, by, tick, now)

    def passed_over(self, row_id: str, tick: int, now: int) -> Bits:
        """The row before one that was entered at a tick that was to be entered
        instead, and was refused.
        """
        parent = self.outline.parent[row_id]
        kind = self.composite(parent) if parent is not None else None
        if (
            parent is None
            or kind is None
            or kind.goes_on_after != "failure"
            or self.order(parent) is not ChildOrder.WRITTEN
        ):
            return
        before = self.refused_before(row_id, tick)
        refusal = before and self.record.row(before).refusal_at(tick)
        if before and refusal:
            yield self.names.bit(before)
            yield from self.refused(before, refusal.cause, tick, now)

    def led_by_order(self, lead: LeadingSpan, among: Leads) -> bool:
        """Whether a row took the lead when nothing had led for a while, and is
        no option: all that let it in is that rows before it were refused.
        """
        first = self._lead_before(lead, among) is None
        return first and not self._is_option(lead)

    def _is_option(self, lead: LeadingSpan) -> bool:
        return self.family(lead.row_id) is Family.OPTION

    def _scored_first(self, lead: LeadingSpan) -> Bits:
        """What an option scored as it was chosen while none was at work."""
        utility = self.outline.parent[lead.row_id] or ""
        yield from self.scores(utility).why_first(lead.row_id, lead.start)

    def _began_in(self, lead: LeadingSpan) -> Bits:
        """That a state is the one in which its machine began."""
        machine = machine_of(self, lead.row_id)
        if machine is None or not self.record.row(machine).spans_at(
            lead.start
        ):
            return
        yield self.names.bit(machine)
        yield claim(ClaimKind.ENTERED, machine, lead.start)
        yield " begins in it"

    def scores(self, utility: str) -> Scores:
        """The scores of a utility's options."""
        return Scores(self, utility)

    @cached_property
    def leading(self) -> tuple[Leads, ...]:
        """For each branch of the behavior what led it."""
        return leading_spans(self.take, self.member.name)

    def chosen_by(self, chooser: str) -> Leads:
        """What a row that chooses among others chose, and for how long; empty
        for one that chooses nothing.
        """
        if chooser not in self._chosen:
            rows = choices(self.behavior, chooser)
            found = chosen_spans(self.take, self.member.name, rows)
            self._chosen[chooser] = found
        return self._chosen[chooser]

    @cached_property
    def _chosen(self) -> dict[str, Leads]:
        """What rows chose, once it has been looked for."""
        return {}

    def _lead_before(
        self, lead: LeadingSpan, among: Leads
    ) -> LeadingSpan | None:
        """What led until a row took the lead; None where nothing had for a
        while.
        """
        index = among.index(lead)
        before = None
        if index:
            before = among[index - 1]
        # Leads end at their last tick, the next begins at the one after, or
        # one later where the row ended within a tick. A longer gap means that
        # nothing ran, and then nothing made room.
        if before is None or before.end < lead.start - 2:
            return None
        # That it had restarted before as well is no reason.
        if before.row_id == lead.row_id and before.restarts and lead.restarts:
            return None
        return before

    def _why_left(
        self, before: LeadingSpan, lead: LeadingSpan, now: int
    ) -> Bits:
        """Why the row that led before does not lead any more, and what let the
        other one in.
        """
        span = self._last_ending(before, lead)
        if span is None:
            return
        held = list(self.guard_held(lead.row_id, lead.start, now))
        if span.cause is not None and span.cause.kind == "taken_over":
            yield from self._what_opened(lead, held)
            return
        anew = self._failed_around(before, span, lead)
        if anew is not None:
            yield from self._began_anew(*anew, lead, now)
            return
        yield self.names.bit(before.row_id)
        outcome = (span.outcome or Outcome.STOPPED).value
        yield claim(
            ClaimKind.ENDED,
            before.row_id,
            span.end or 0,
            outcome=outcome,
            now=lead.start,
            step=lead.step,
        )
        words = {Outcome.SUCCESS: " was done", Outcome.FAILURE: " failed"}
        yield words.get(span.outcome or Outcome.STOPPED, " was left")
        if span.outcome is not Outcome.SUCCESS:
            yield from self.why_ended(before.row_id, span, now)
        else:
            yield from self.check_that_ended(before.row_id, span, now)
        if span.outcome is not Outcome.STOPPED and self._is_option(lead):
            scored = list(self._scored_first(lead))
            yield from ["; ", *scored] if scored else []
        if span.outcome is not Outcome.SUCCESS:
            return
        # The end of the one before does not let a row in by itself that has a
        # guard.
        yield from [", and ", *held] if held else []

    def _machine_anew(self, lead: LeadingSpan) -> tuple[str, Span] | None:
        """The machine of a state that no transition led to, and how it had
        ended before it began anew in that state; None where it had not.
        """
        machine = None
        if self.is_state(lead.row_id):
            machine = machine_of(self, lead.row_id)
        if machine is None:
            return None
        record = self.record.row(machine)
        ended = record.last_ended((lead.start, lead.step))
        span = record.last_span(lead.start)
        # One that ended a while before was not what began again of itself.
        if ended is None or (ended.end or 0) < lead.start - 2:
            return None
        if span is None or span.start < lead.start:
            return None
        return machine, ended

    def _failed_around(
        self, before: LeadingSpan, span: Span, lead: LeadingSpan
    ) -> tuple[str, Span] | None:
        """The row that holds both the row that led before and the one that
        leads now, and how it ended in between, if it failed though the one
        before succeeded.
        """
        around = self.outline.parent[lead.row_id]
        if (
            around is None
            or around != self.outline.parent[before.row_id]
            or span.outcome is not Outcome.SUCCESS
        ):
            return None
        ended = self.record.row(around).last_ended((lead.start, lead.step))
        if ended is None or ended.outcome is not Outcome.FAILURE:
            return None
        if (ended.end, ended.end_step) < (span.end, span.end_step):
            return None
        return around, ended

    def _began_anew(
        self, row_id: str, ended: Span, lead: LeadingSpan, now: int
    ) -> Bits:
        """That a row began anew after it had ended, and how that came."""
        how = {Outcome.SUCCESS: "succeeded", Outcome.FAILURE: "failed"}
        outcome = ended.outcome or Outcome.STOPPED
        yield self.names.bit(row_id)
        yield f" began anew after it had {how.get(outcome, 'been stopped')}"
        anew = self.record.row(row_id).last_span(lead.start) or ended
        yield claim(
            ClaimKind.ENDED,
            row_id,
            ended.end or 0,
            outcome=outcome.value,
            now=anew.start,
            step=anew.start_step,
        )
        yield from self.why_ended(row_id, ended, now)

    def check_that_ended(
        self, row_id: str, span: Span, now: int, *, said: bool = True
    ) -> Bits:
        """The check whose answer made a row succeed, such as the one that
        ended a repeat: what it found. `said` is what it must have said.
        Nothing where another row, or a decorator, did.
        """
        decorators = list(self.behavior.row(row_id).decorators)
        repeats = [each for each in decorators if each.kind == "repeat_until"]
        if repeats == decorators[-1:] and decorators:
            said = (
                repeats[0].args.get("result", "success") == "success"
            ) is said
            decorators = decorators[:-1]
        checks = None
        if self.family(row_id) in RUNS:
            checks = self.checks(row_id)
        # Another decorator may have turned the result round, so the check
        # cannot be named as what ended the row.
        if decorators:
            return
        if checks is not None:
            yield ": "
            yield from checks.bits(span.end or 0, held=said, now=now)
            return
        if said:
            wanted_outcome = Outcome.SUCCESS
        else:
            wanted_outcome = Outcome.FAILURE
        until, wanted = (
            (span.end or 0, span.end_step),
            wanted_outcome,
        )
        ended = [
            (inner.end_step, child, inner)
            for child in self.outline.children[row_id]
            if (inner := self.record.row(child).last_ended(until)) is not None
            and inner.end == span.end
            and inner.outcome is wanted
        ]
        if ended:
            _, child, inner = max(ended, key=lambda each: each[0])
            yield from self.check_that_ended(child, inner, now, said=said)

    def _what_opened(self, lead: LeadingSpan, held: list[Bit]) -> Bits:
        """What turned from no to yes as a row took over: its guard, or its
        cooldown ended while the guard had been yes already.
        """
        before = self.record.row(lead.row_id).refusal_at(lead.start - 1)
        # A guard that is watched takes over when it turns to yes. Had it been
        # yes before, only time that ran out let the row in.
        if before is None or due_s(before.cause) is None:
            yield from held
            return
        yield "its cooldown ended"
        if held:
            yield from [", and ", *held]

    def _last_ending(
        self, before: LeadingSpan, lead: LeadingSpan
    ) -> Span | None:
        """How the row ended that had been at work when another took the lead.
        It may have been stopped only after that one was entered, which took
        its place.
        """
        spans = self.record.row(before.row_id).spans
        began = bisect_left(
            spans,
            (lead.start, lead.step),
            key=lambda each: (each.start, each.start_step),
        )
        last = spans[began - 1] if began else None
        if last is None or last.end is None or last.end > lead.start:
            return None
        return last
