"""The steps of a tick that a take does not store again: a row that goes on, a
refusal for the same reason as at the tick before, a guard that still holds.

They are put back in their place by the order of the rows, which is the order
in which a tree asks them.
"""

from bisect import bisect_right
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from functools import cached_property

from umbrant.catalog.causes import Cause
from umbrant.catalog.kind import Family
from umbrant.engine.recorder import CUT_OFF
from umbrant.model.kind_ids import MACHINE, UTILITY
from umbrant.model.parts import GUARD, ROW, part_index
from umbrant.reasons.condition_report import ConditionReport
from umbrant.reasons.row_report import Bits, RowReport
from umbrant.reasons.sentences import Bit, Tone
from umbrant.reasons.tick_step import StepKind, TickStep, Words, at_tick
from umbrant.take.record import Refusal, Span


class RepeatedSteps(RowReport):
    """Puts what is repeated between the steps that are stored."""

    def _with_repeated(
        self, stored: Sequence[TickStep], tick: int
    ) -> Iterator[TickStep]:
        """The stored steps, and between them what the take does not store
        again.
        """
        turns = self._turns
        waiting = sorted(
            self._repeated(tick), key=lambda each: turns[each.row_id]
        )
        reached: tuple[int, ...] = (-1,)
        for step in stored:
            if step.row_id:
                turn = turns[step.row_id]
            else:
                turn = reached
            # What a row repeats follows what is stored of it: a refusal what
            # its guard found.
            while (
                waiting
                and turn != reached
                and turns[waiting[0].row_id] <= reached
            ):
                yield waiting.pop(0)
            while waiting and turns[waiting[0].row_id] < turn:
                yield waiting.pop(0)
            # A row that is left comes after the rows inside it, though it
            # stands before them.
            while (
                waiting
                and step.kind is StepKind.LEFT
                and self._is_inside(waiting[0].row_id, step.row_id)
            ):
                yield waiting.pop(0)
            reached = max(reached, turn)
            yield step
        yield from waiting

    def _is_inside(self, row_id: str, outer: str) -> bool:
        return outer in self.outline.path(row_id)

    @cached_property
    def _turns(self) -> dict[str, tuple[int, ...]]:
        """For each row what sorts it into the order in which a tick comes to
        it.

        Rows come in their written order. A machine asks its transitions before
        it runs the rows in its states, those of the innermost state first.
        """
        outline = self.outline
        position = {
            row.id: index for index, row in enumerate(self.behavior.rows)
        }
        turns: dict[str, tuple[int, ...]] = {
            each: (index,) for each, index in position.items()
        }
        for row_id, index in position.items():
            machine = self.behavior.innermost(row_id, MACHINE)
            if (
                machine is not None
                and self.family(row_id) is Family.TRANSITION
            ):
                turns[row_id] = (
                    position[machine],
                    1,
                    -outline.depth[row_id],
                    index,
                )
        return turns

    def _repeated(self, tick: int) -> Iterator[TickStep]:
        for row_id, record in self.record.rows.items():
            if row_id not in self.outline.number:
                continue
            for part, refusals in record.refusals.items():
                index = (
                    bisect_right(refusals, tick, key=lambda each: each.start)
                    - 1
                )
                # At its first tick a refusal is stored with a step; at the
                # others it is said again.
                if (
                    index >= 0
                    and refusals[index].start < tick <= refusals[index].end
                ):
                    yield self._refused(row_id, part, refusals[index], tick, 0)
            span = record.span_at(tick)
            if span is not None and self._decides_always(row_id):
                yield self._about(
                    StepKind.SCORED, row_id, [" scores its options."], 0
                )
            if (
                span is not None
                and span.start < tick
                and (span.end is None or tick < span.end)
            ):
                yield from self._goes_on(row_id, tick)

    def _decides_always(self, row_id: str) -> bool:
        """Whether a row is a utility that decides at every tick; of others
        decisions are stored.
        """
        row = self.behavior.row(row_id)
        return row.kind == UTILITY and row.args.get("every", 0.0) == 0.0

    def _goes_on(self, row_id: str, tick: int) -> Iterator[TickStep]:
        """What a row did that ran before this tick and runs after it."""
        guard, written = self.guard(row_id), self.behavior.row(row_id).guard
        watches = written is not None and written.watch.while_running
        if (
            guard is not None
            and watches
            and not self._is_evaluated(row_id, GUARD, tick)
        ):
            bits: Words = [
                ": its guard still holds: ",
                *guard.bits(tick, held=True),
                ".",
            ]
            yield self._about(
                StepKind.EVALUATED, row_id, bits, 0, {"part": GUARD}, Tone.YES
            )
        if (
            not self._has_active(row_id, tick)
            and self.family(row_id) is not Family.TRANSITION
        ):
            words = " goes on"
            if self.is_state(row_id):
                words = " stays active"
            yield self._about(
                StepKind.RUNS,
                row_id,
                [words, *self.how_far(row_id, tick), "."],
                0,
            )

    def _is_evaluated(self, row_id: str, part: str, tick: int) -> bool:
        atoms = self.record.row(row_id).atom_steps.get(part, [])
        return bool(at_tick(atoms, tick, lambda each: each.tick))

    def _has_active(self, row_id: str, tick: int) -> bool:
        """Whether a row nested in a row ran at a tick."""
        return any(
            self.record.row(child).span_at(tick) is not None
            for child in self.outline.children[row_id]
            if self.family(child) is not Family.TRANSITION
        )

    def _refused(
        self, row_id: str, part: str, refusal: Refusal, tick: int, step: int
    ) -> TickStep:
        facts = {"part": part, **cause_facts(refusal.cause)}
        bits: Words
        if part == CUT_OFF:
            bits = [" is cut off: ", *self.names.because(refusal.cause), "."]
            return self._about(
                StepKind.CUT_OFF, row_id, bits, step, facts, Tone.NO
            )
        family, _ = part_index(part)
        if family and part != GUARD:
            bits = [
                f": its {family} does nothing: ",
                *self.names.because(refusal.cause),
                ".",
            ]
        elif self.family(row_id) is Family.CONSIDERATION:
            because = self.names.because(refusal.cause)
            bits = [" is not known: ", *because, "."]
        elif self.family(row_id) is Family.TRANSITION:
            bits = [
                " does not fire",
                *self._why_unfired(row_id, refusal, tick),
                ".",
            ]
        elif refusal.cause.kind == "guard" and self._is_known(
            row_id, GUARD, tick
        ):
            bits = [" is refused: its guard says no."]
        else:
            bits = [*self.refused(row_id, refusal.cause, tick, tick), "."]
        return self._about(
            StepKind.REFUSED, row_id, bits, step, facts, Tone.NO
        )

    def _why_unfired(self, row_id: str, refusal: Refusal, tick: int) -> Bits:
        if refusal.cause.kind == "guard" and self._is_known(row_id, ROW, tick):
            return
        yield ": "
        checks = self.checks(row_id)
        if refusal.cause.kind == "guard" and checks is not None:
            yield from checks.bits(tick, held=False)
        else:
            yield from self.names.because(refusal.cause)

    def why_ended(self, row_id: str, span: Span, now: int) -> Bits:
        parts = {"guard_ended": GUARD, "condition": ROW}
        part = None
        if span.cause:
            part = parts.get(span.cause.kind)
        if part is not None and self._is_known(row_id, part, span.end or 0):
            if part == GUARD:
                yield ": its guard says no"
            return
        yield from super().why_ended(row_id, span, now)

    def report_on(self, row_id: str, part: str) -> ConditionReport | None:
        # Who wrote a key stands in the steps themselves, and in their order:
        # at the end of the tick it may be somebody who wrote it only after the
        # condition was asked.
        report = super().report_on(row_id, part)
        if report:
            return replace(report, tells_history=False)
        return None

    def _is_known(self, row_id: str, part: str, tick: int) -> bool:
        """Whether the steps of a tick show already what made a condition say
        no.
        """
        report = self.report_on(row_id, part)
        atoms = self.record.row(row_id).atom_steps.get(part, [])
        shown = {
            each.atom for each in at_tick(atoms, tick, lambda each: each.tick)
        }
        return (
            report is not None
            and bool(shown)
            and shown.issuperset(
                index for index, _, _ in report.deciding(tick, held=False)
            )
        )

    def _about(
        self,
        kind: StepKind,
        row_id: str,
        bits: Iterable[Bit],
        step: int,
        facts: Mapping[str, object] | None = None,
        tone: Tone = Tone.PLAIN,
    ) -> TickStep:
        return TickStep(
            kind,
            row_id,
            self.names.line(row_id, bits, tone),
            step,
            facts or {},
        )


def cause_facts(cause: Cause | None) -> dict[str, object]:
    """What a step says of a cause, as data."""
    if cause is not None:
        return {"cause": dict(cause.plain)}
    return {}
