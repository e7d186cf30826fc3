"""What keeps a row from running, and what became of it when it was last
tried.
"""

from collections.abc import Iterator

from umbrant.catalog.kind import ChildOrder, Family
from umbrant.model.behaviors import targets_of
from umbrant.model.kind_ids import HISTORY, ON_ENTER
from umbrant.reasons.change_report import ChangeReport
from umbrant.reasons.machine_report import (
    leads_back_into,
    machine_of,
    waits_for,
)
from umbrant.reasons.row_report import Bits
from umbrant.reasons.sentences import (
    AnswerLine,
    Bit,
    ClaimKind,
    ScoreTable,
    TextRun,
    Tone,
    claim,
)
from umbrant.take.record import Outcome, RowState


class NotRunningReport(ChangeReport):
    """Says of rows of one agent why they did not run at a tick."""

    def _in_the_way(self, row_id: str, tick: int) -> Iterator[AnswerLine]:
        """Why a row whose parent runs does not run itself."""
        family, parent = self.family(row_id), self.outline.parent[row_id]
        if family is Family.OPTION and parent is not None:
            record, scores = self.record.row(row_id), self.scores(parent)
            scored = list(scores.why_not(row_id, tick))
            if not scores.was_decided(tick) and self._is_over(parent, tick):
                yield self.names.line(
                    parent, self.ended(parent, tick), Tone.NO
                )
            # A refusal comes before the scores: an option that is refused does
            # not win with any of them. It was asked when it was last decided.
            was_refused = record.refusal_at(scores.decided_at(tick))
            if was_refused or record.span_at(tick) or not scored:
                yield self.names.line(
                    row_id, self.tried(row_id, tick), Tone.NO
                )
            yield from scored
        elif family is Family.TRANSITION:
            yield self.names.line(
                row_id,
                waits_for(self, self.behavior.row(row_id), tick),
                Tone.NO,
            )
        elif family is Family.CONSIDERATION and parent is not None:
            yield self._considered(row_id, parent, tick)
        elif family is Family.HOOK and parent is not None:
            when = "left"
            if self.behavior.row(row_id).kind == ON_ENTER:
                when = "entered"
            bits: list[Bit] = [
                " is done only as ",
                self.names.bit(parent),
                f" is {when}.",
            ]
            yield self.names.line(row_id, bits, Tone.NO)
        elif family is Family.STATE and parent is not None:
            # A machine that is delayed has no active state, and a lone state
            # no transition to it.
            lines = tuple(self._not_in_state(row_id, parent, tick))
            yield from lines or (self._line_not(row_id, tick),)
        else:
            yield self._line_not(row_id, tick)

    def _is_over(self, row_id: str, tick: int) -> bool:
        """Whether a row ended by itself at a tick."""
        return self.state_of(row_id, tick) in (
            RowState.SUCCESS,
            RowState.FAILURE,
        )

    def _considered(self, row_id: str, option: str, tick: int) -> AnswerLine:
        """What a consideration was when its option was scored last: it is no
        row that runs.
        """
        gauge = self.record.row(row_id).gauge_at(tick)
        bits: list[Bit] = [
            " is considered when ",
            self.names.bit(option),
            " is scored",
        ]
        if gauge is not None and gauge.of is not None:
            bits.append(
                f": its input was {gauge.of:.2f} last, worth {gauge.value:.2f}"
            )
        elif gauge is not None:
            scores = self.scores(self.outline.parent[option] or "")
            at = scores.decided_at(tick)
            why = list(scores.why_unknown(row_id, at, tick))
            bits += [
                ": its input was not known last",
                *([": ", *why] if why else []),
            ]
        return self.names.line(row_id, [*bits, "."])

    def _not_in_state(
        self, row_id: str, parent: str, tick: int
    ) -> Iterator[AnswerLine]:
        """Which state is active instead, and which transitions would lead
        here.
        """
        siblings = tuple(
            each
            for each in self.outline.children[parent]
            if self.is_state(each)
        )
        active = self._running_or_ended(siblings, tick)
        if active == row_id:
            yield self.names.line(row_id, self.tried(row_id, tick), Tone.NO)
        elif active is not None:
            is_there = "is"
            if self.state_of(active, tick) is not RowState.RUNNING:
                is_there = "was"
            yield self.names.line(
                row_id,
                [" is not active: ", self.names.bit(active), f" {is_there}."],
                Tone.NO,
            )
        led_to = self._led_to(row_id, tick)
        yield from led_to
        if active is not None and not led_to:
            yield self._led_to_by_none(row_id, parent, siblings)

    def _led_to(self, row_id: str, tick: int) -> tuple[AnswerLine, ...]:
        """What each transition waits for that would lead to a state."""
        found = []
        machine = machine_of(self, row_id)
        for each in self.outline.within(machine) if machine else ():
            row = self.behavior.row(each)
            leads_here = row_id in (
                self.own_id(each, target) for target in targets_of(row)
            ) or leads_back_into(self, row, row_id)
            if self.family(each) is not Family.TRANSITION or not leads_here:
                continue
            source = self.outline.parent[each]
            fires = self.record.row(each).span_at(tick) is not None
            if source is not None and (
                fires or self.state_of(source, tick) is RowState.RUNNING
            ):
                found.append(
                    self.names.line(each, waits_for(self, row, tick), Tone.NO)
                )
            elif source is not None:
                bits = [
                    TextRun(" leads here, but only from "),
                    self.names.bit(source),
                    TextRun(", which is not active."),
                ]
                found.append(self.names.line(each, bits, Tone.NO))
        return tuple(found)

    def _led_to_by_none(
        self, row_id: str, parent: str, siblings: tuple[str, ...]
    ) -> AnswerLine:
        """That no transition leads to a state: at most what is around it
        begins in it.
        """
        initial = str(self.behavior.row(parent).args.get("initial") or "")
        proper = [
            each
            for each in siblings
            if self.behavior.row(each).kind != HISTORY
        ]
        first = self.own_id(row_id, initial) if initial else (*proper, "")[0]
        bits: list[Bit] = [" has no transition that leads to it"]
        if row_id == first:
            bits += ["; ", self.names.bit(parent), " begins in it"]
        return self.names.line(row_id, [*bits, "."])

    def _table_about(self, row_id: str, tick: int) -> ScoreTable | None:
        parent = self.outline.parent[row_id]
        if self.family(row_id) is not Family.OPTION or parent is None:
            return None
        return self.scores(parent).table(
            tick, self._running_or_ended(self.outline.children[parent], tick)
        )

    def _line_not(self, row_id: str, tick: int) -> AnswerLine:
        """The first thing in the way of a row whose parent runs, or which is
        the root.
        """
        record = self.record.row(row_id)
        if (
            self.behavior.row(row_id).muted
            or record.refusal_at(tick)
            or record.span_at(tick)
        ):
            return self.names.line(row_id, self.tried(row_id, tick), Tone.NO)
        parent = self.outline.parent[row_id]
        if parent is None:
            return self.names.line(row_id, self.tried(row_id, tick), Tone.NO)
        siblings = self.in_turn(row_id)
        ran, order = self._running_or_ended(siblings, tick), self.order(parent)
        if order is ChildOrder.TOGETHER:
            return self.names.line(
                row_id, self._rests(row_id, parent, tick), Tone.NO
            )
        if order is ChildOrder.WRITTEN:
            ran = self._came_last(row_id, ran, tick)
        # Nothing ran in its place, so what became of it when it was last tried
        # is all there is.
        if ran is None:
            return self.names.line(row_id, self.tried(row_id, tick), Tone.NO)
        if order is ChildOrder.DRAWN:
            return self.names.line(
                row_id, self._not_drawn(row_id, parent, ran, tick), Tone.NO
            )
        # What runs before it in the order has to move on first; what runs
        # after it does so because this one failed or was refused.
        if siblings.index(ran) < siblings.index(row_id):
            return self.names.line(
                row_id, self._waits_for(row_id, ran, parent, tick), Tone.NO
            )
        return self.names.line(
            row_id, self._passed(row_id, ran, tick), Tone.NO
        )

    def _came_last(
        self, row_id: str, ran: str | None, tick: int
    ) -> str | None:
        """Which row beside one came last in the order of a tick: the one that
        ran, or one behind that which was refused, before it came to this one.
        """
        refused = self.refused_before(row_id, tick)
        if refused is None or ran is None:
            return ran or refused
        siblings = self.in_turn(row_id)
        is_over = self.state_of(ran, tick) is not RowState.RUNNING
        if is_over and siblings.index(ran) < siblings.index(refused):
            return refused
        return ran

    def _waits_for(
        self, row_id: str, ran: str, parent: str, tick: int
    ) -> Bits:
        kind = self.composite(parent)
        # The rows of a state or an option follow each other as in a sequence.
        moves_on = kind.moves_on if kind else "has succeeded"
        yield " comes after "
        yield self.names.bit(ran)
        yield f", and is tried only when that {moves_on}. "
        yield claim(ClaimKind.COMES_AFTER, row_id, tick, before=ran)
        yield self.names.bit(ran)
        if self.state_of(ran, tick) is RowState.RUNNING:
            yield " is running"
            yield from self.how_far(ran, tick)
            yield "."
        elif self.record.row(ran).span_at(tick):
            yield from self.ended(ran, tick)
        else:
            yield from self.tried(ran, tick)

    def _not_drawn(
        self, row_id: str, parent: str, ran: str, tick: int
    ) -> Bits:
        """Of a row whose turn is drawn."""
        if row_id in self.tried_this_round(ran, parent, tick):
            yield from self.tried(row_id, tick)
            yield " It is drawn again when "
            yield self.names.bit(parent)
            yield " begins anew."
        else:
            yield " has not been drawn: "
            yield self.names.bit(ran)
            yield " was, and the next is drawn only when that fails."
            yield claim(ClaimKind.NOT_DRAWN, row_id, tick, instead=ran)

    def _passed(self, row_id: str, ran: str, tick: int) -> Bits:
        """A line about a row that was tried before the running one and is not
        evaluated now.
        """
        yield from self.tried(row_id, tick)
        if self._succeeded_before(row_id, tick):
            return
        if self.state_of(ran, tick) is not RowState.RUNNING:
            return
        guard = self.behavior.row(row_id).guard
        yield " While "
        yield self.names.bit(ran)
        if guard is None or not guard.watch.take_over:
            yield " runs it is not asked again: it has no guard that watches for a take-over."
        else:
            yield (
                " runs its guard is asked at each tick; it has said yes all along, "
                "and must turn to yes to take over."
            )

    def _last_ran(self, row_id: str, tick: int) -> Iterator[AnswerLine]:
        """When a row ran last, or that it has not run so far; nothing of what
        never runs.
        """
        if self.family(row_id) is Family.CONSIDERATION:
            return
        span = self.record.row(row_id).last_span(tick)
        if self.family(row_id) is Family.TRANSITION:
            if span is not None and span.start == tick:
                return
            text = " has not fired before in this take."
            if span is not None:
                text = (
                    f" last fired at {self.header.seconds(span.start):.2f} s."
                )
            yield self.names.line(row_id, [text])
        elif span is None:
            yield self.names.line(
                row_id, [" has not run before in this take."]
            )
        elif span.end is not None and span.end < tick:
            how = {Outcome.SUCCESS: "success", Outcome.FAILURE: "failure"}.get(
                span.outcome or Outcome.STOPPED
            )
            start, end = (
                self.header.seconds(span.start),
                self.header.seconds(span.end),
            )
            ending = "was stopped"
            if how:
                ending = f"ended with {how}"
            if start < end:
                ran = f"from {start:.2f} to {end:.2f} s"
            else:
                ran = f"at {start:.2f} s"
            yield self.names.line(row_id, [f" last ran {ran} and {ending}."])

    def _rests(self, child: str, parent: str, tick: int) -> Bits:
        """What became of a child that ran in parallel and ended first, and
        what it waits for.
        """
        yield from self.tried(child, tick)
        record, kind = self.record.row(child), self.composite(parent)
        is_tried = (
            record.span_at(tick)
            or record.refusal_at(tick)
            or self.behavior.row(child).muted
        )
        # With what is around it at its end, nothing rests any more.
        goes_on = self.state_of(parent, tick) is RowState.RUNNING
        if kind is not None and kind.rests and goes_on and not is_tried:
            yield f" It {kind.rests}."

    def _succeeded_before(self, row_id: str, tick: int) -> bool:
        span = self.record.row(row_id).last_span(tick)
        return span is not None and span.outcome is Outcome.SUCCESS

    def tried_this_round(
        self, ran: str, parent: str, tick: int
    ) -> tuple[str, ...]:
        """The children of a row with an order that is drawn that were tried
        since it was drawn last: the one that ran at a tick, and those whose
        turn came before.
        """
        # A row that is repeated draws anew without being entered anew. What
        # belongs together follows each other within one tick: the next begins
        # as the one before fails or is refused, and after the last there is
        # a tick between.
        found = [ran]
        span = self.record.row(ran).span_at(tick)
        begins = span.start if span is not None else tick
        rest = [each for each in self.outline.children[parent] if each != ran]
        while before := [
            each for each in rest if self._made_room(each, begins)
        ]:
            found += before
            rest = [each for each in rest if each not in before]
            begins = min(
                (
                    span.start
                    for each in before
                    if (span := self.record.row(each).last_span(begins))
                    and span.end == begins
                ),
                default=begins,
            )
        return tuple(found)

    def _made_room(self, row_id: str, tick: int) -> bool:
        """Whether a row was refused or ended at a tick without success."""
        record = self.record.row(row_id)
        span = record.last_span(tick)
        return record.refusal_at(tick) is not None or (
            span is not None
            and span.end == tick
            and span.outcome is not Outcome.SUCCESS
        )

    def _running_or_ended(
        self, row_ids: tuple[str, ...], tick: int
    ) -> str | None:
        """The sibling that ran at a tick; of several that ended within it, the
        last one.
        """
        covered = [(self._rank(row_id, tick), row_id) for row_id in row_ids]
        best = max(
            covered, key=lambda each: each[0], default=((-1, -1, -1), "")
        )
        if best[0][0] >= 0:
            return best[1]
        return None

    def _rank(self, row_id: str, tick: int) -> tuple[int, int, int]:
        """What sorts rows by how much they say of a tick: those that run on
        after it, then those that ended by themselves, then those that were
        stopped; of equals the last by the order of steps.
        """
        span = self.record.row(row_id).span_at(tick)
        # Nobody is at a transition: it fires between one state and the next.
        if span is None or self.family(row_id) is Family.TRANSITION:
            return -1, -1, -1
        if span.end is None or span.end > tick:
            return 2, span.start, span.start_step
        # One state after the other is active, and how a transition left it
        # says nothing: the last is the one in which the machine itself ended.
        if self.is_state(row_id):
            return 1, span.start, span.start_step
        # They all ended at this tick. The last one to do so is what the row
        # around it came to, also where one before it was tried once more.
        return (
            int(span.outcome is not Outcome.STOPPED),
            span.end_step,
            span.start,
        )
