"""What an agent did within one tick, step by step, in the order in which it
happened.

A take stores what is news. What is merely repeated (a row that goes on, a
refusal for the same reason as at the tick before, a guard that still holds) is
put back in its place by the order of the rows, which is the order in which a
tree asks them.
"""

from bisect import bisect_left, bisect_right
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum
from functools import cached_property
from typing import Any, TypeVar

from umbrant.catalog.kind import Family
from umbrant.engine.board import FORMULA
from umbrant.engine.recorder import CUT_OFF
from umbrant.engine.utility import DECISION
from umbrant.model.behaviors import UpkeepMoment
from umbrant.model.kind_ids import MACHINE, UTILITY
from umbrant.model.parts import GUARD, ROW, part_index
from umbrant.model.staging import (
    CueAction,
    DropProp,
    HeldResult,
    HoldResult,
    MoveTo,
    RaiseEvent,
    SetKey,
    SetNumber,
    TakeAway,
)
from umbrant.model.values import value_text
from umbrant.reasons.condition_report import ConditionReport
from umbrant.reasons.row_report import Bits, RowReport, turned_text
from umbrant.reasons.sentences import AnswerLine, Bit, TextRun, Tone
from umbrant.take.header import Header
from umbrant.take.record import (
    AtomStep,
    KeyWrite,
    Outcome,
    Refusal,
    Span,
    WriteStep,
)

Words = list[Bit]


class StepKind(StrEnum):
    """The kinds of steps within a tick."""

    CUE = "cue"
    RECEIVED = "received"
    EVALUATED = "asked"
    SCORED = "scored"
    REFUSED = "refused"
    ENTERED = "entered"
    RUNS = "runs"
    UPKEEP = "upkeep"
    WROTE = "wrote"
    RAISED = "raised"
    SAID = "said"
    FIRED = "fired"
    CUT_OFF = "cut off"
    LEFT = "left"


@dataclass(frozen=True)
class TickStep:
    """One thing that happened within a tick: a sentence, and the facts it
    rests on.
    """

    kind: StepKind
    row_id: str
    line: AnswerLine
    step: int = 0
    """Its place in the order of the tick, from 1 on; 0 for a cue, and for what
    is repeated.
    """
    facts: Mapping[str, object] = field(default_factory=dict)

    @property
    def is_repeated(self) -> bool:
        """Whether the same held at the tick before, so that the take does not
        store it anew.
        """
        return self.step == 0 and self.kind is not StepKind.CUE

    def plain(self) -> dict[str, object]:
        """The step as JSON has it."""
        found: dict[str, object] = {"kind": self.kind.value, "step": self.step}
        if self.row_id:
            found |= {"row": self.row_id, "number": self.line.number}
        return {**found, **self.facts, "text": self.line.text}


T = TypeVar("T")


def at_tick(
    items: Sequence[T], tick: int, tick_of: Callable[[T], Any]
) -> Sequence[T]:
    """Those of some items in the order of time that are of one tick."""
    return items[
        bisect_left(items, tick, key=tick_of) : bisect_right(
            items, tick, key=tick_of
        )
    ]


class TickReport(RowReport):
    """Tells what an agent did at a tick, in order."""

    def report_on(self, row_id: str, part: str) -> ConditionReport | None:
        # Who wrote a key stands in the steps themselves, and in their order:
        # at the end of the tick it may be somebody who wrote it only after the
        # condition was asked.
        report = super().report_on(row_id, part)
        if report:
            return replace(report, tells_history=False)
        return None

    def steps(self, tick: int) -> tuple[TickStep, ...]:
        """Everything that the agent did at a tick, and before it the cues that
        were done.
        """
        # Numbers of steps count over the agent as a whole, so they put rows,
        # keys and events into one order.
        stored = sorted(self._stored(tick), key=lambda each: each.step)
        return (*self._cues(tick), *self._with_repeated(stored, tick))

    def key_at_step(
        self, key: str, tick: int, step: int
    ) -> tuple[int, KeyWrite] | None:
        """What was last written to a key up to a step of a tick, and at which
        tick; None if nothing was. `step` is 0 for the moment before the first.
        """
        # A key that is written several times within a tick had each of the
        # values for a while.
        own = [
            each
            for each in self._writes_at(tick)
            if each.key == key and each.step <= step
        ]
        if own:
            last = own[-1]
            return tick, KeyWrite(last.value, last.row_id, last.part)
        changes = self.record.keys.get(key)
        if changes is None:
            return None
        now = changes.at(tick)
        # Another agent may have written a key that both share within this
        # tick. Agents tick in the order of the cast, cues before them: so
        # those before this one have written already.
        if (
            now is not None
            and changes.ticks[changes.index(tick)] == tick
            and self._is_before(now)
        ):
            return tick, now
        before = changes.index(tick - 1)
        if before >= 0:
            return (changes.ticks[before], changes.values[before])
        return None

    def _is_before(self, written: KeyWrite) -> bool:
        """Whether a write of a shared key at this tick came before this
        agent's turn.
        """
        if written.part and not written.row_id:
            return True
        order = list(self.take.agents)
        return written.agent in order and order.index(
            written.agent
        ) < order.index(self.member.name)

    # what the take stores

    def _stored(self, tick: int) -> Iterator[TickStep]:
        yield from self._events(tick)
        for row_id in self.record.rows:
            if row_id in self.outline.number:
                yield from self._of_row(row_id, tick)

    def _events(self, tick: int) -> Iterator[TickStep]:
        record = self.record
        for each in at_tick(record.received, tick, lambda event: event.tick):
            sender = ""
            if each.other:
                sender = f" from {self._title(each.other)}"
            facts = {"event": each.event, "sender": each.other}
            yield self._own(
                StepKind.RECEIVED,
                f" receives {each.event}{sender}.",
                each.step,
                facts,
            )
        for each in at_tick(record.raised, tick, lambda event: event.tick):
            receiver = ""
            if each.other:
                receiver = f" for {self._title(each.other)}"
            facts = {"event": each.event, "receiver": each.other}
            text = f" raises {each.event}{receiver}."
            yield self._about(
                StepKind.RAISED, each.row_id, [text], each.step, facts
            )
        for said in at_tick(record.said, tick, lambda each: each.tick):
            text = f" says “{said.text}”."
            yield self._own(
                StepKind.SAID, text, said.step, {"said": said.text}
            )
        for write in self._writes_at(tick):
            yield self._wrote(write)

    def _writes_at(self, tick: int) -> Sequence[WriteStep]:
        return at_tick(self.record.writes, tick, lambda write: write.tick)

    def _wrote(self, write: WriteStep) -> TickStep:
        value = (
            round(write.value, 2)
            if isinstance(write.value, float)
            else write.value
        )
        does = ""
        if value is not None:
            does = f" sets {write.key} to {value_text(value)}."
        text = does or f" clears {write.key}."
        facts = {
            "key": write.key,
            "value": write.value,
            "part": write.part,
            "board": write.board,
        }
        if write.row_id:
            family, _ = part_index(write.part)
            bits: Words = [f": its {family}" if family else "", text]
            if write.cause is not None:
                bits = [
                    bits[0],
                    text[:-1],
                    ": ",
                    *self.names.because(write.cause),
                    ".",
                ]
            return self._about(
                StepKind.WROTE, write.row_id, bits, write.step, facts
            )
        if write.part == FORMULA:
            text = (
                f" of {write.key} gives {value_text(value)}."
                if value is not None
                else text
            )
        who = {"": "The start", FORMULA: "The formula"}.get(
            write.part, "A cue"
        )
        line = AnswerLine("", "", (TextRun(f"{who}{text}"),))
        return TickStep(StepKind.WROTE, "", line, write.step, facts)

    def _of_row(self, row_id: str, tick: int) -> Iterator[TickStep]:
        record = self.record.row(row_id)
        # Spans do not overlap, so their starts and their ends are both in the
        # order of time.
        for span in at_tick(record.spans, tick, lambda each: each.start):
            yield self._enters(row_id, span)
        for span in at_tick(record.spans, tick, _end_of):
            # A transition fires and is over: its end is no step of its own.
            if self.family(row_id) is not Family.TRANSITION:
                yield self._leaves(row_id, span)
        for part, refusals in record.refusals.items():
            for refusal in at_tick(refusals, tick, lambda each: each.start):
                yield self._refused(row_id, part, refusal, tick, refusal.step)
        for part, atoms in record.atom_steps.items():
            yield from self._evaluated(
                row_id, part, at_tick(atoms, tick, lambda each: each.tick)
            )
        for part, times in record.times_done.items():
            for _, step in at_tick(times, tick, lambda each: each[0]):
                yield from self._done(row_id, part, step)

    def _done(self, row_id: str, part: str, step: int) -> Iterator[TickStep]:
        """That a part of a row that is counted was done once: an upkeep, or a
        decision.
        """
        family, index = part_index(part)
        if part == DECISION:
            yield self._about(
                StepKind.SCORED, row_id, [" scores its options."], step
            )
        elif family == "upkeep":
            upkeep = self.behavior.row(row_id).upkeep[index]
            if upkeep.at is UpkeepMoment.EVERY:
                when = ""
            else:
                when = f" {upkeep.at}"
            text = f" does its upkeep{when}: {upkeep.kind.replace('_', ' ')}."
            yield self._about(
                StepKind.UPKEEP, row_id, [text], step, {"part": part}
            )

    def _enters(self, row_id: str, span: Span) -> TickStep:
        if self.family(row_id) is Family.TRANSITION:
            return self._about(
                StepKind.FIRED,
                row_id,
                [" fires."],
                span.start_step,
                tone=Tone.YES,
            )
        text = " is entered."
        if self.is_state(row_id):
            text = " becomes active."
        return self._about(
            StepKind.ENTERED, row_id, [text], span.start_step, tone=Tone.YES
        )

    def _leaves(self, row_id: str, span: Span) -> TickStep:
        outcome = span.outcome or Outcome.STOPPED
        words = {Outcome.SUCCESS: " succeeds", Outcome.FAILURE: " fails"}
        stopped = " is stopped"
        if self.is_state(row_id):
            stopped = " is left"
        turned = turned_text(span)
        bits: Words = [
            turned or words.get(outcome, stopped),
            *self.why_ended(row_id, span, span.end or 0),
            ".",
        ]
        facts = {"outcome": outcome.value, **_cause_facts(span.cause)}
        if outcome is Outcome.SUCCESS:
            tone = Tone.YES
        else:
            tone = Tone.NO
        return self._about(
            StepKind.LEFT, row_id, bits, span.end_step, facts, tone
        )

    def _refused(
        self, row_id: str, part: str, refusal: Refusal, tick: int, step: int
    ) -> TickStep:
        facts = {"part": part, **_cause_facts(refusal.cause)}
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

    def _evaluated(
        self, row_id: str, part: str, atoms: Sequence[AtomStep]
    ) -> Iterator[TickStep]:
        """A step for each atom of a condition that found something else than
        before.
        """
        report = self.report_on(row_id, part)
        for each in atoms:
            # An atom that was passed over found nothing: that is stored as
            # well, so that what it found before is not taken for what it says
            # now.
            if each.found is None or report is None:
                continue
            bits: Words = [
                _asker(part),
                *report.atom_bits(each.atom, each.found),
                ".",
            ]
            facts = {
                "part": part,
                "atom": each.atom,
                "truth": each.found.truth,
                "left": each.found.left,
                "right": each.found.right,
                **_cause_facts(each.found.cause),
            }
            if each.found.truth:
                tone = Tone.YES
            else:
                tone = Tone.NO
            yield self._about(
                StepKind.EVALUATED, row_id, bits, each.step, facts, tone
            )

    # what is repeated

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

    # cues

    def _cues(self, tick: int) -> Iterator[TickStep]:
        """The cues of a tick: all of them, for they may be what the agent
        reacts to.
        """
        written = self.header.played.cues
        for each in at_tick(self.take.cues, tick, lambda cue: cue.tick):
            is_written = 0 < each.cue <= len(written)
            if is_written:
                does = cue_text(written[each.cue - 1].does, self.header)
            else:
                does = f"brings on {each.whom}"
            line = AnswerLine("", "", (TextRun(f"Cue {each.cue} {does}."),))
            yield TickStep(
                StepKind.CUE, "", line, 0, {"cue": each.cue, "whom": each.whom}
            )

    # small things

    def _title(self, name: str) -> str:
        """One of the cast by its title, or a group by its name."""
        player = self.header.played.find_player(name)
        return (player.title if player else "") or name

    def _own(
        self, kind: StepKind, text: str, step: int, facts: Mapping[str, object]
    ) -> TickStep:
        """A step of the agent that belongs to no row."""
        return TickStep(
            kind,
            "",
            AnswerLine("", "", (TextRun(f"{self.at_start}{text}"),)),
            step,
            facts,
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


def cue_text(action: CueAction, header: Header) -> str:
    """What a cue of a take does, in words that follow its number."""
    match action:
        case RaiseEvent():
            return f"raises {action.raises}{f' for {action.to}' if action.to else ''}"
        case SetKey():
            whose = ""
            if action.of:
                whose = f" of {action.of}"
            return f"sets {action.sets}{whose} to {value_text(action.value)}"
        case MoveTo():
            return f"puts {action.moves} at {value_text(action.to)}"
        case DropProp():
            return f"drops {action.drops.name}"
        case TakeAway():
            return f"takes {action.removes} away"
        case SetNumber():
            return f"sets {action.changes} of {action.of} to {value_text(action.value)}"
        case HoldResult(result=HeldResult.RELEASED):
            return f"releases {_row_of(action, header)}"
        case HoldResult():
            return f"holds {_row_of(action, header)} at {action.result}"


def _row_of(action: HoldResult, header: Header) -> str:
    """The row that a cue holds, by its number and name, and whose it is."""
    member = header.played.find_player(action.of)
    behavior = None
    if member and member.behavior:
        behavior = header.expanded(member.behavior).behavior
    row = None
    if behavior:
        row = behavior.by_id.get(action.holds)
    if behavior is None or row is None:
        return f"row {action.holds} of {action.of}"
    return f"{behavior.outline.number[row.id]} {row.name} of {action.of}"


def _end_of(span: Span) -> float:
    if span.end is None:
        return float("inf")
    return span.end


def _asker(part: str) -> str:
    family, _ = part_index(part)
    if family:
        return f": its {family} finds: "
    return " finds: "


def _cause_facts(cause: Any) -> dict[str, object]:
    if cause is not None:
        return {"cause": dict(cause.plain)}
    return {}
