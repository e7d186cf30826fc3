"""Why an agent did what it did, why it did not do something else, and why it
changed its mind.
"""

from collections.abc import Iterator
from functools import cached_property

import numpy as np

from umbrant.catalog.kind import RUNS, ChildOrder, Family
from umbrant.engine.recorder import CUT_OFF
from umbrant.model.kind_ids import HISTORY, UTILITY
from umbrant.model.parts import part_name
from umbrant.model.staging import MoveTo, TakeAway
from umbrant.reasons.headlines import Headlines
from umbrant.reasons.machine_report import (
    entered_bits,
    waiting_lines,
)
from umbrant.reasons.row_report import Bits
from umbrant.reasons.sentences import (
    Answer,
    AnswerLine,
    Bit,
    ClaimKind,
    ScoreTable,
    TextRun,
    Tone,
    ago_text,
    claim,
    first_sentence,
    gauge_text,
    once,
    parted,
)
from umbrant.reasons.tick_steps import TickReport
from umbrant.take.record import CueStep, Outcome, RowState

ENDED_STATES = RowState.SUCCESS, RowState.FAILURE, RowState.STOPPED
"""What a row can have become at a tick at which it ended."""


class Explainer(Headlines):
    """Answers questions about one agent of a take. Raises KeyError if the take
    has no such agent.
    """

    def path(self, tick: int) -> tuple[str, ...]:
        """The rows that ran at a tick, from the root down. Where a row ended
        within the tick, the one that ended last.
        """
        return self._down(self.outline.tops[:1], tick)

    @cached_property
    def ticks(self) -> TickReport:
        """What the agent did within each tick, step by step."""
        return TickReport(self.take, self.member.name, self.catalog)

    def why(self, tick: int) -> Answer:
        """Why the agent did what it did at a tick: from the root down, what
        each row tried before the child that ran.
        """
        path = self.path(tick)
        lines = list(self._off_stage(tick))
        if lines:
            return Answer(
                f"why {self.title} is running nothing", tick, tuple(lines)
            )
        table: ScoreTable | None = None
        # From the outside in, which is the order in which the tick asked: each
        # row, then what it tried before the child that ran.
        for index, row_id in enumerate(path):
            inner = None
            if index + 1 < len(path):
                inner = path[index + 1]
            lines.append(self._stands(row_id, tick, last=inner is None))
            lines.extend(self._wrapped(row_id, tick))
            lines.extend(self._cut_off(row_id, tick))
            if inner is not None:
                lines.extend(self._others(row_id, inner, tick))
            # Of states inside each other the innermost alone: transitions of
            # the outer ones are listed with it, for they can leave it as well.
            if self.is_state(row_id) and (
                inner is None or not self.is_state(inner)
            ):
                lines.extend(waiting_lines(self, row_id, tick))
            if self.behavior.row(row_id).kind == UTILITY:
                scores = self.scores(row_id)
                table = scores.table(tick, inner)
        if not path:
            lines.extend(self._nothing(tick))
        leaf, headline = " nothing", None
        if path:
            leaf = f" {self.names.numbers[path[-1]]}"
            headline = self.in_one_sentence(path, tick)
        question = f"why {self.title} is running{leaf}"
        return Answer(question, tick, once(lines), table, headline)

    def why_not(self, tick: int, row_id: str) -> Answer:
        """Why a row did not run at a tick: the first thing in its way, and
        when it last ran.
        """
        question = (
            f"why not {self.names.numbers[row_id]} {self.names.titles[row_id]}"
        )
        absent = tuple(self._off_stage(tick))
        if absent:
            return Answer(question, tick, absent)
        # From the outside in: what keeps an outer row from running keeps out
        # all that is in it, so the first row that did not run is the one to
        # tell of.
        for above in self.outline.path(row_id):
            state = self.state_of(above, tick)
            # A row around it that ended within the tick asked what is in it
            # all the same, so the cause lies further in.
            took_part = above != row_id and state in (
                RowState.SUCCESS,
                RowState.FAILURE,
            )
            # An option is scored whether it runs or not.
            took_part |= (
                self.family(row_id) is Family.CONSIDERATION
                and self.family(above) is Family.OPTION
            )
            if state is not RowState.RUNNING and not took_part:
                lines = tuple(self._in_the_way(above, tick))
                # That it ended stands in an answer once.
                if not any(_tells_end(line, row_id) for line in lines):
                    lines = (*lines, *self._last_ran(row_id, tick))
                headline = None
                if above != row_id:
                    headline = self._needs(row_id, above, lines[0])
                return Answer(
                    question,
                    tick,
                    once(lines),
                    self._table_about(above, tick),
                    headline,
                )
        return Answer(
            question,
            tick,
            (self.names.line(row_id, self.runs(row_id, tick), Tone.YES),),
        )

    def might_run(self, row_id: str, tick: int) -> bool:
        """Whether anything could have made a row run at a tick: it is none that
        is only considered, or done as another begins or ends, and its body is
        on the stage.
        """
        return (
            self.family(row_id) not in (Family.CONSIDERATION, Family.HOOK)
            and next(self._off_stage(tick), None) is None
        )

    def this_tick(self, tick: int) -> Answer:
        """Everything that the agent did at a tick, in order."""
        lines = tuple(step.line for step in self.ticks.steps(tick))
        return Answer(
            f"what {self.title} did at {self.header.seconds(tick):.2f} s",
            tick,
            lines,
        )

    def _needs(
        self, row_id: str, above: str, reason: AnswerLine
    ) -> AnswerLine:
        """That a row can run only while another does, and why that one does
        not.
        """
        bits: list[Bit] = [
            " runs only while ",
            self.names.bit(above),
            " does: ",
            *first_sentence(reason.bits),
            *reason.claims,
        ]
        return self.names.line(row_id, bits, Tone.NO)

    def _wrapped(self, row_id: str, tick: int) -> Iterator[AnswerLine]:
        """What the decorators of a row that runs go by: time left, counts, the
        roll.
        """
        for index, decorator in enumerate(
            self.behavior.row(row_id).decorators
        ):
            gauge = self.record.row(row_id).gauge_at(
                tick, part_name("decorator", index)
            )
            text = ""
            if gauge:
                text = gauge_text(gauge, self.header.seconds(tick))
            if text:
                yield self.names.line(
                    row_id, [f": {decorator.kind.replace('_', ' ')}: {text}."]
                )

    def _cut_off(self, row_id: str, tick: int) -> Iterator[AnswerLine]:
        """That a machine did not settle at a tick, and was cut off."""
        refusal = self.record.row(row_id).refusal_at(tick, CUT_OFF)
        if refusal is not None:
            bits = [
                TextRun(" was cut off at this tick: "),
                *self.names.because(refusal.cause),
                TextRun("."),
            ]
            yield self.names.line(row_id, bits, Tone.NO)

    # what runs

    def _stands(self, row_id: str, tick: int, *, last: bool) -> AnswerLine:
        if self.is_state(row_id):
            return self.names.line(
                row_id, entered_bits(self, row_id, tick), Tone.YES
            )
        parent = self.outline.parent[row_id]
        if self.family(row_id) is Family.OPTION and parent is not None:
            chosen = self.scores(parent).why_chosen(row_id, tick)
            entered = self._entered(row_id, tick)
            return self.names.line(
                row_id, [*chosen, " It", *entered], Tone.YES
            )
        if not last:
            return self.names.line(
                row_id, self._chooser(row_id, tick), Tone.YES
            )
        state = self.state_of(row_id, tick)
        if state is RowState.RUNNING:
            return self.names.line(row_id, self.runs(row_id, tick))
        if state is RowState.SUCCESS:
            tone = Tone.YES
        else:
            tone = Tone.NO
        return self.names.line(
            row_id,
            self.ended(row_id, tick),
            tone,
        )

    def _chooser(self, row_id: str, tick: int) -> Bits:
        if self.outline.parent[row_id] is not None:
            yield from self._entered(row_id, tick)
            return
        kind = self.composite(row_id)
        summary = "is running"
        if kind is not None:
            summary = kind.summary
        if self.behavior.row(row_id).kind == UTILITY:
            summary = self.scores(row_id).how_chosen or summary
        yield f" {summary}."
        if self.state_of(row_id, tick) in ENDED_STATES:
            yield " It"
            yield from self.ended(row_id, tick)

    def _entered(self, row_id: str, tick: int) -> Bits:
        if self.state_of(row_id, tick) in ENDED_STATES:
            yield from self.ended(row_id, tick)
            return
        span = self.record.row(row_id).span_at(tick)
        start = span.start if span else tick
        held = list(self.guard_held(row_id, start, tick))
        yield f" was entered {ago_text(self.header.seconds(tick - start))}"
        if span is not None:
            yield claim(ClaimKind.ENTERED, row_id, start)
        yield from [": ", *held] if held else []
        yield "."

    def _others(
        self, parent: str, ran: str, tick: int
    ) -> Iterator[AnswerLine]:
        """Lines about the children besides the one that ran: those tried
        before it, or those that ran in parallel.
        """
        order, children = self.order(parent), self.outline.children[parent]
        if order is ChildOrder.TOGETHER:
            others = [
                each
                for each in children
                if each != ran
                and self.family(each) in (*RUNS, Family.STATE)
                # A history is no state that can be active.
                and self.behavior.row(each).kind != HISTORY
            ]
            yield from (
                self._parallel_line(child, parent, ran, tick)
                for child in others
            )
        elif self.family(ran) in RUNS:
            before = children[: children.index(ran)]
            # Where the order is drawn, the order of the rows says nothing of
            # what came first.
            if order is ChildOrder.DRAWN:
                tried = self.tried_this_round(ran, parent, tick)
                before = tuple(each for each in children if each in tried[1:])
            yield from (
                self._before(child, tick)
                for child in before
                if self.family(child) in RUNS
            )

    def _before(self, child: str, tick: int) -> AnswerLine:
        """A child that was tried before the one that ran."""
        state = self.state_of(child, tick)
        if state is RowState.SUCCESS or self._succeeded_before(child, tick):
            tone = Tone.YES
        else:
            tone = Tone.NO
        return self.names.line(child, self.tried(child, tick), tone)

    def _parallel_line(
        self, child: str, parent: str, ran: str, tick: int
    ) -> AnswerLine:
        """A line about a child that runs in parallel with another, or has
        ended while that one still runs.
        """
        if self.state_of(child, tick) is not RowState.RUNNING:
            return self.names.line(
                child,
                self._rests(child, parent, tick),
                self._before(child, tick).tone,
            )
        down = self._down((child,), tick)
        states, inner = (
            [each for each in down if self.is_state(each)],
            down[-1],
        )
        verb = " runs beside "
        if states[:1] == [child]:
            verb = " is active beside "
        bits: list[Bit] = [
            verb,
            self.names.bit(ran),
        ]
        if states and states[-1] != child:
            bits += [", in ", self.names.bit(states[-1])]
        if inner != child and not self.is_state(inner):
            bits += [", at ", self.names.bit(inner)]
        span = self.record.row(child).span_at(tick)
        held = list(self.guard_held(child, span.start if span else tick, tick))
        bits += [", since its guard said yes: ", *held] if held else []
        return self.names.line(
            child, [*bits, *self.how_far(inner, tick), "."], Tone.YES
        )

    def _off_stage(self, tick: int) -> Iterator[AnswerLine]:
        """That the agent's body is not on the stage at a tick, since when and
        because of what, and which cue brings it on.
        """
        since = self._gone_since(tick)
        if since is None:
            return
        absent = "is not on the stage"
        if since:
            since_s = self.header.seconds(since)
            absent = f"has not been on the stage since {since_s:.2f} s"
        bits: list[Bit] = [f"{self.at_start} {absent}"]
        gone, back = self._taken_by(since), self._brought_by(tick)
        if gone is not None:
            bits.append(f": {_cue_name(gone)} took it away")
        elif since:
            bits += self._left_at(since)
        if back is not None:
            at_s = self.header.seconds(back.tick)
            joint = "; " if since else ": "
            comes = f"{_cue_name(back)} puts it there"
            if back.cue > len(self.header.played.cues):
                comes = "as one of the copies that come by and by, it is there"
            bits.append(f"{joint}{comes} at {at_s:.2f} s")
        cues = [each._asdict() for each in (gone, back) if each is not None]
        runs, claims = parted(
            (
                *bits,
                ".",
                claim(ClaimKind.OFF_STAGE, "", tick, since=since, cues=cues),
            )
        )
        yield AnswerLine("", "", runs, claims=claims)

    def _gone_since(self, tick: int) -> int | None:
        """Since which tick the body has not been on the stage; None while it
        is.
        """
        poses = self.take.poses.get(self.member.name)
        if poses is None or tick >= len(poses):
            return None
        # A pose is NaN while the body is not on the stage.
        (there,) = np.nonzero(~np.isnan(poses[: tick + 1, 0]))
        since = int(there[-1]) + 1 if len(there) else 0
        return since if since <= tick else None

    def _left_at(self, tick: int) -> Iterator[Bit]:
        """What it was at as it left the stage at a tick."""
        path = self.path(tick)
        span = self.record.row(path[-1]).span_at(tick) if path else None
        if span is None or span.end is None:
            return
        yield ": it was at "
        yield self.names.bit(path[-1])
        yield " then"
        outcome = (span.outcome or Outcome.STOPPED).value
        yield claim(ClaimKind.ENDED, path[-1], span.end, outcome=outcome)

    def _taken_by(self, tick: int) -> CueStep | None:
        """The cue that took the body off the stage at a tick."""
        found = self._cues_that(TakeAway)
        return next((each for each in found if each.tick == tick), None)

    def _brought_by(self, tick: int) -> CueStep | None:
        """The cue that brings the body on again after a tick."""
        for each in self._cues_that(MoveTo):
            there = self.take.poses[self.member.name][each.tick, 0]
            if each.tick > tick and there == there:
                return each
        return None

    def _cues_that(self, does: type[TakeAway | MoveTo]) -> Iterator[CueStep]:
        """The cues about this one of the cast that did a thing. Others than
        those that are written, of spawners or by hand, bring it on.
        """
        written = self.header.played.cues
        for each in self.take.cues:
            if each.whom != self.member.name:
                continue
            is_written = 0 < each.cue <= len(written)
            action = written[each.cue - 1].does if is_written else None
            if isinstance(action, does) or (action is None and does is MoveTo):
                yield each

    def _nothing(self, tick: int) -> Iterator[AnswerLine]:
        if self.member.behavior is None:
            yield AnswerLine(
                "",
                "",
                (
                    TextRun(
                        f"{self.at_start} is a puppet: it follows its walk and decides nothing."
                    ),
                ),
            )
        elif not self.outline.tops:
            yield AnswerLine(
                "", "", (TextRun("Its behavior has no rows yet."),)
            )
        else:
            root = self.outline.tops[0]
            yield self.names.line(root, self.tried(root, tick), Tone.NO)

    # small things

    def _down(self, level: tuple[str, ...], tick: int) -> tuple[str, ...]:
        """The rows that ran at a tick, from one of these siblings down; of
        those that run together the first.
        """
        found: list[str] = []
        while level:
            # A path has one row at each depth. Of rows that run at the same
            # time the first stands for all; a line of its own tells of each of
            # the others.
            together = (
                bool(found) and self.order(found[-1]) is ChildOrder.TOGETHER
            )
            running = (
                each
                for each in level
                if self.state_of(each, tick) is RowState.RUNNING
            )
            inner = (
                next(running, None) if together else None
            ) or self._running_or_ended(level, tick)
            if inner is None:
                break
            found.append(inner)
            level = self.outline.children[inner]
        return tuple(found)


def _cue_name(cue: CueStep) -> str:
    """What a cue that was done is called."""
    return f"cue {cue.cue}" if cue.cue else "a hand"


def _tells_end(line: AnswerLine, row_id: str) -> bool:
    """Whether a line says when and how a row ended."""
    return any(
        each.kind is ClaimKind.ENDED and each.row_id == row_id
        for each in line.claims
    )
