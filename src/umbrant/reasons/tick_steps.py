"""What an agent did within one tick, step by step, in the order in which it
happened.

A take stores what is news. What is merely repeated (a row that goes on, a
refusal for the same reason as at the tick before, a guard that still holds) is
put back in its place by the order of the rows, which is the order in which a
tree asks them.
"""

from collections.abc import Iterator, Mapping, Sequence

from umbrant.catalog.kind import Family
from umbrant.engine.board import FORMULA
from umbrant.engine.utility import DECISION
from umbrant.model.behaviors import UpkeepMoment
from umbrant.model.parts import part_index
from umbrant.model.values import value_text
from umbrant.reasons.cue_words import cue_text
from umbrant.reasons.repeated_steps import RepeatedSteps, cause_facts
from umbrant.reasons.row_report import turned_text
from umbrant.reasons.sentences import AnswerLine, TextRun, Tone, parted
from umbrant.reasons.tick_step import StepKind, TickStep, Words, at_tick
from umbrant.take.record import AtomStep, KeyWrite, Outcome, Span, WriteStep


class TickReport(RepeatedSteps):
    """Tells what an agent did at a tick, in order."""

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
            writer = ""
            if family:
                writer = f": its {family}"
            bits: Words = [writer, text]
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
        who = "A cue" if write.part else "The start"
        words: Words = [f"{who}{text}"]
        if write.part == FORMULA:
            words = [f"The formula of {write.key}"]
            if value is not None:
                words.append(f" gives {value_text(value)}.")
            else:
                words.append(" has no value")
                if write.cause is not None:
                    words += [": ", *self.names.because(write.cause)]
                words.append(".")
        runs, _ = parted(words)
        return TickStep(
            StepKind.WROTE, "", AnswerLine("", "", runs), write.step, facts
        )

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
        facts = {"outcome": outcome.value, **cause_facts(span.cause)}
        if outcome is Outcome.SUCCESS:
            tone = Tone.YES
        else:
            tone = Tone.NO
        return self._about(
            StepKind.LEFT, row_id, bits, span.end_step, facts, tone
        )

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
                **cause_facts(each.found.cause),
            }
            if each.found.truth:
                tone = Tone.YES
            else:
                tone = Tone.NO
            yield self._about(
                StepKind.EVALUATED, row_id, bits, each.step, facts, tone
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


def _end_of(span: Span) -> float:
    if span.end is None:
        return float("inf")
    return span.end


def _asker(part: str) -> str:
    family, _ = part_index(part)
    if family:
        return f": its {family} finds: "
    return " finds: "
