"""The one sentence that an answer to *why* begins with: what the agent does,
since when, and because of what.
"""

from collections.abc import Iterator

from umbrant.catalog.kind import Family
from umbrant.engine.recorder import CUT_OFF
from umbrant.model.kind_ids import FINAL
from umbrant.reasons.change_report import Leads
from umbrant.reasons.decision_changes import LeadingSpan, lead_at
from umbrant.reasons.machine_report import (
    entered_by,
    entered_by_bits,
    machine_of,
)
from umbrant.reasons.not_running import NotRunningReport
from umbrant.reasons.sentences import AnswerLine, Bit, ClaimKind, claim, parted
from umbrant.take.record import Outcome, RowState, Span


class Headlines(NotRunningReport):
    """Says in one sentence what one agent of a take is about."""

    def in_one_sentence(
        self, path: tuple[str, ...], tick: int
    ) -> AnswerLine | None:
        """What the agent does, since when, and why: the change of mind that
        led to it, followed to what made it.
        """
        lead = None
        if self.leading:
            lead = lead_at(self.leading[0], tick)
        leaf = path[-1]
        # What led may have ended within the tick, and then nobody is at it any
        # more.
        if lead is None or lead.row_id not in path:
            ended = self._ended_in_one_sentence(path, tick)
            return ended or self._runs_in_one_sentence(leaf, tick)
        span = self.record.row(lead.row_id).last_span(tick)
        if span is not None and span.end == tick and not lead.restarts:
            return self._ended_in_one_sentence(path, tick)
        does = " was at "
        if self.state_of(leaf, tick) is RowState.RUNNING:
            does = " is at "
        bits: list[Bit] = [self.at_start, does, self.names.bit(leaf)]
        newest, among = self._chosen_since(path, lead, span, tick) or (
            lead,
            self.leading[0],
        )
        if newest.row_id != leaf:
            bits += [", in ", self.names.bit(newest.row_id)]
        bits += self._since(newest, among, tick)
        if newest is not lead:
            bits += self._has_run(lead.row_id, tick)
        for each in path:
            bits += self._was_cut_off(each, tick)
        runs, claims = parted((*bits, "."))
        return AnswerLine("", "", runs, claims=claims)

    def _chosen_since(
        self,
        path: tuple[str, ...],
        lead: LeadingSpan,
        span: Span | None,
        tick: int,
    ) -> tuple[LeadingSpan, Leads] | None:
        """What was chosen last within the row that leads, as far in as anything
        was since that began, and among what: the agent does what it does now
        because of that. None where all was chosen with the lead.
        """
        if span is None or lead.restarts:
            return None
        for chooser in reversed(path[path.index(lead.row_id) :]):
            among = self.chosen_by(chooser)
            chosen = lead_at(among, tick)
            if chosen is None or chosen.restarts:
                continue
            inner = self.record.row(chosen.row_id).span_at(tick)
            if (
                inner is not None
                and inner.end != tick
                and inner.start > span.start
            ):
                return chosen, among
        return None

    def _has_run(self, row_id: str, tick: int) -> Iterator[Bit]:
        """That a row has been running, and since when."""
        span = self.record.row(row_id).span_at(tick)
        if span is None:
            return
        yield "; "
        yield self.names.bit(row_id)
        yield f" has been running since {self.header.seconds(span.start):.2f} s"
        yield claim(ClaimKind.RUNS, row_id, tick, since=span.start)

    def _was_cut_off(self, row_id: str, tick: int) -> Iterator[Bit]:
        """That a machine did not settle at a tick, and was cut off."""
        refusal = self.record.row(row_id).refusal_at(tick, CUT_OFF)
        if refusal is None:
            return
        yield "; "
        yield self.names.bit(row_id)
        yield " was cut off at this tick: "
        yield claim(ClaimKind.REFUSED, row_id, tick, cause=refusal.cause.kind)
        yield from self.names.because(refusal.cause)

    def _since(
        self, lead: LeadingSpan, among: Leads, tick: int
    ) -> Iterator[Bit]:
        """Since when a row that leads, or was chosen within it, does what it
        does now, and why.
        """
        since = lead.start
        span = self.record.row(lead.row_id).last_span(tick)
        if span is not None and not lead.restarts:
            since = span.start
            if span.end is None or span.end > tick:
                yield claim(ClaimKind.RUNS, lead.row_id, tick, since=since)
        yield f", since {self.header.seconds(since):.2f} s"
        if span is not None and since > lead.start:
            # It leads all the time, but ended meanwhile and was entered again:
            # that is what it owes its present turn to.
            if self.is_state(lead.row_id):
                yield from self._entered_again(lead.row_id, since, tick)
                return
            yield from self._again(lead.row_id, span, tick)
            joint = ", and "
            if self.family(lead.row_id) is Family.OPTION:
                joint = "; "
            held = list(self._let_in_again(lead.row_id, span, tick))
            yield from [joint, *held] if held else []
            if among not in self.leading:
                return
            yield "; "
            yield self.names.bit(lead.row_id)
            yield f" has led since {self.header.seconds(lead.start):.2f} s"
            # What let it in this time says more than what did at first, and
            # so does what was refused since then.
            if held or self.led_by_order(lead, among):
                return
        why = list(self.why_changed(lead, among, tick))
        yield from [", because ", *why] if why else []
        if lead.restarts:
            yield "; it begins and ends anew at every tick since then"
            yield claim(
                ClaimKind.RESTARTS, lead.row_id, tick, since=lead.start
            )
            yield from self._failed_again(lead.row_id, span, tick)

    def _let_in_again(
        self, row_id: str, span: Span, tick: int
    ) -> Iterator[Bit]:
        """The guard that let a row in once more or, where it has none and its
        turn before was done well, what it scored, or the row before it that
        was refused.
        """
        held = list(self.guard_held(row_id, span.start, tick))
        yield from held
        before = self.record.row(row_id).last_ended(
            (span.start, span.start_step)
        )
        # Why it failed or was stopped has been said, and is enough to read.
        if held or before is None or before.outcome is not Outcome.SUCCESS:
            return
        utility = self.outline.parent[row_id]
        if utility is not None and self.family(row_id) is Family.OPTION:
            yield from self.scores(utility).why_first(row_id, span.start)
        else:
            yield from self.passed_over(row_id, span.start, tick)

    def _failed_again(
        self, row_id: str, span: Span | None, tick: int
    ) -> Iterator[Bit]:
        """Why a row that restarts failed at a tick, if it did."""
        if (
            span is None
            or span.end != tick
            or span.outcome is not Outcome.FAILURE
        ):
            return
        why = list(self.why_ended(row_id, span, tick))
        if why:
            yield claim(
                ClaimKind.ENDED,
                row_id,
                tick,
                outcome=Outcome.FAILURE.value,
                now=tick,
            )
            yield from ["; at this one it failed", *why]

    def _entered_again(
        self, state: str, since: int, tick: int
    ) -> Iterator[Bit]:
        """The transition by which a state was left and entered again."""
        by = entered_by(self, state, since)
        if by is not None:
            yield " again, because "
            yield from entered_by_bits(self, by, since, tick)

    def _again(self, row_id: str, span: Span, tick: int) -> Iterator[Bit]:
        """That a row was entered again after it had ended, and how it had."""
        before = self.record.row(row_id).last_ended(
            (span.start, span.start_step)
        )
        if before is None or before.end is None:
            return
        outcome = before.outcome or Outcome.STOPPED
        words = {
            Outcome.SUCCESS: " was done",
            Outcome.FAILURE: " failed",
            Outcome.STOPPED: " was stopped",
        }
        yield " again, after "
        yield self.names.bit(row_id)
        yield claim(
            ClaimKind.ENDED,
            row_id,
            before.end,
            outcome=outcome.value,
            now=span.start,
            step=span.start_step,
        )
        yield words[outcome]
        yield from self.why_ended(row_id, before, tick)

    def _runs_in_one_sentence(
        self, row_id: str, tick: int
    ) -> AnswerLine | None:
        """That a row runs which was no choice: with nothing but itself to be
        chosen where it stands.
        """
        span = self.record.row(row_id).span_at(tick)
        if span is None:
            return None
        bits: list[Bit] = [
            self.at_start,
            " is at ",
            self.names.bit(row_id),
            f", since {self.header.seconds(span.start):.2f} s",
            claim(ClaimKind.RUNS, row_id, tick, since=span.start),
        ]
        held = list(self.guard_held(row_id, span.start, tick))
        bits += [", because ", *held] if held else []
        runs, claims = parted((*bits, "."))
        return AnswerLine("", "", runs, claims=claims)

    def _ended_in_one_sentence(
        self, path: tuple[str, ...], tick: int
    ) -> AnswerLine | None:
        """That the agent came to an end at a tick at which nothing runs on:
        with which row, and how that ended. None where it ran nothing but what
        still runs.
        """
        if self.state_of(path[-1], tick) is RowState.RUNNING:
            return None
        row_id = self._ended_innermost(path[-1], tick)
        if row_id is None:
            return None
        if self.state_of(row_id, tick) is not RowState.FAILURE:
            # A row around it that failed did so for something else, such as a
            # child that was refused.
            failed = [
                each
                for each in path
                if self.state_of(each, tick) is RowState.FAILURE
            ]
            row_id = (failed or [row_id])[-1]
        bits: list[Bit] = [
            self.at_start,
            " was at ",
            self.names.bit(row_id),
            ", which",
        ]
        final = self._final_at(row_id, tick)
        if final is not None:
            runs, claims = parted(self._came_to_its_end(final, tick))
            return AnswerLine("", "", runs, claims=claims)
        *ends, full_stop = self.ended(row_id, tick)
        span = self.record.row(row_id).last_span(tick)
        if span is not None and span.outcome is Outcome.SUCCESS:
            ends += self.check_that_ended(row_id, span, tick)
        runs, claims = parted((*bits, *ends, full_stop))
        return AnswerLine("", "", runs, claims=claims)

    def _final_at(self, row_id: str, tick: int) -> str | None:
        """The final state that a row is, or that ended it, where that ended
        the machine around it at a tick.
        """
        for each in self.outline.within(row_id):
            span = self.record.row(each).last_span(tick)
            machine = machine_of(self, each)
            # One further in ends but the state that it stands in.
            if (
                self.behavior.row(each).kind == FINAL
                and span is not None
                and span.end == tick
                and machine is not None
                and machine == self.outline.parent[each]
                and self._is_over(machine, tick)
            ):
                return each
        return None

    def _came_to_its_end(self, final: str, tick: int) -> Iterator[Bit]:
        """That the agent came to a final state, by which transition, and how
        the machine around it ended with it.
        """
        yield self.at_start
        yield " came to "
        yield self.names.bit(final)
        yield from self.led_there(final, tick, tick)
        machine = machine_of(self, final) or final
        span = self.record.row(machine).last_span(tick)
        if span is not None:
            yield ", and so "
            yield self.names.bit(machine)
            yield from self.ended_so(machine, span, tick)
        yield "."

    def _ended_innermost(self, within: str, tick: int) -> str | None:
        """The row in another one, or that itself, that ended last at a tick
        and has no rows in it that did; None where none ended.
        """
        ended = {
            row_id: span
            for row_id in self.outline.within(within)
            if (span := self.record.row(row_id).last_span(tick)) is not None
            and span.end == tick
        }
        # What holds a row that ended, ended because of it, and has no more to
        # say; what was stopped did not lead to the end.
        innermost = [
            (span.outcome is not Outcome.STOPPED, span.end_step, row_id)
            for row_id, span in ended.items()
            if not any(
                inner in ended
                for inner in self.outline.within(row_id)
                if inner != row_id
            )
        ]
        return max(innermost)[2] if innermost else None
