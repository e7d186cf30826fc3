"""What a condition met when it was asked, in words: each side, what stood in
the way, and who wrote the keys in it.
"""

from bisect import bisect_right
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple, TypeGuard

from umbrant.catalog.kind import Catalog
from umbrant.catalog.language.atom_results import AtomResult
from umbrant.catalog.language.phrases import spoken, unit_of
from umbrant.catalog.language.tree import (
    Comparison,
    ConditionTree,
    Conjunction,
    Disjunction,
    KeyTerm,
    LanguageError,
    Negation,
    SenseCall,
    atoms,
    parse,
    walk,
)
from umbrant.model.behaviors import Watch
from umbrant.model.kind_ids import IS_SET
from umbrant.model.parts import ROW
from umbrant.model.values import (
    Value,
    decimals_apart,
    number_text,
    value_text,
)
from umbrant.reasons.key_writers import KeyRead, KeyWriters, rounded
from umbrant.reasons.sentences import (
    Bit,
    Claim,
    ClaimKind,
    RowNames,
    TextRun,
    Tone,
    seconds_text,
)
from umbrant.take.header import Header
from umbrant.take.record import AgentRecord, AtomStep, Outcome, Span

COMPARED = {
    "<": "below",
    "<=": "at most",
    ">": "above",
    ">=": "at least",
    "==": "equal to",
    "!=": "other than",
}
"""Each comparison in words that follow a value."""
TIME_SINCE = "time_since"
"""The sense that measures when a key was written, changed or not."""
UNEVALUATED = ("held_back", "off_stage")
"""Causes of a refusal for which a guard is not asked first."""
KNOWN_STOPS = ("taken_over", "guard_ended")
"""Causes of being stopped that say which guards had been asked by then."""


class _YesStretches(NamedTuple):
    """Of one atom the stretches in which it was yes, in the order of time."""

    counted: int
    """How many steps there were of all atoms when they were looked for."""
    starts: list[int]
    """The ticks at which they began; that of one that goes on comes last."""
    last: list[int]
    """For each that ended the tick at which it was last found to be yes."""
    ended: list[AtomStep]
    """And the step by which it was found to be something else."""


class YesHistory:
    """When the atoms of one agent's conditions were yes. Each is looked for
    once: in a long take they are asked very often.
    """

    def __init__(self, agent: AgentRecord) -> None:
        self._agent = agent
        self._known: dict[tuple[str, str, int], _YesStretches] = {}

    def last_yes(
        self, row_id: str, part: str, atom: int, tick: int
    ) -> tuple[int, AtomStep] | None:
        """The tick from which on an atom was yes for the last time, up to the
        tick given, and the step by which it was found to be something else;
        None if it never was yes, or still is.
        """
        steps = self._agent.row(row_id).atom_steps.get(part, [])
        found = self._known.get((row_id, part, atom))
        # A take that is still being played grows.
        if found is None or found.counted != len(steps):
            found = self._known[row_id, part, atom] = _yes_stretches(
                steps, atom
            )
        index = bisect_right(found.ended, tick, key=lambda each: each.tick) - 1
        if index < 0:
            return None
        following = index + 1
        # It has become yes once more since then, and was so at the tick.
        if following < len(found.starts) and found.starts[following] <= tick:
            return None
        return found.last[index], found.ended[index]


def _yes_stretches(steps: Sequence[AtomStep], atom: int) -> _YesStretches:
    found, yes = _YesStretches(len(steps), [], [], []), None
    for step in steps:
        if step.atom != atom:
            continue
        if step.found is not None and step.found.truth:
            if yes is None:
                found.starts.append(step.tick)
            yes = step.tick
        elif yes is not None:
            found.last.append(yes)
            found.ended.append(step)
            yes = None
    return found


@dataclass(frozen=True)
class ConditionReport:
    """Explains the results of one condition of one agent: a guard, or what a
    row checks.
    """

    header: Header
    agent: AgentRecord
    names: RowNames
    row_id: str
    part: str
    tree: ConditionTree
    catalog: Catalog
    actual: Mapping[str, str]
    """The keys that are meant by the names in the condition, see `KeyScope`.
    """
    writers: KeyWriters
    reader: str
    """The row whose surroundings have done their upkeep when it is asked."""
    yes: YesHistory
    """When the atoms of the agent's conditions were yes."""
    watch: Watch | None = None
    """Of a guard, when it is asked."""
    later: Sequence[str] = ()
    """The rows after that of the condition, beside it, from which that can
    take over.
    """
    lets_in: bool = False
    """Whether its row is entered, or fires, only where it holds."""
    tells_history: bool = True
    """Whether it says when an atom was last yes, and who wrote the keys in the
    condition.
    """

    def bits(
        self,
        tick: int,
        *,
        held: bool,
        now: int | None = None,
        step: int | None = None,
    ) -> list[Bit]:
        """What decided it when it was last asked at or before a tick, or by a
        step of it, and who wrote the keys in it.

        `held` says whether it came out as yes; times are told as seen from
        `now`, else from `tick`.
        """
        # One clock in an answer: it counts from the playhead, also where what
        # is told was so earlier.
        now = tick if now is None else now
        found: list[Bit] = []
        decisive = self.deciding(tick, held=held, step=step)
        for index, atom, met in decisive:
            if found:
                found.append(TextRun(", and "))
            found.extend(self._atom(atom, met, held, was=now > tick))
            if self.tells_history:
                found.extend(self._last_yes(index, met, tick, now))
        if self.tells_history:
            found.extend(self._writers(decisive, tick, now, held))
        found = found or [
            TextRun(
                spoken(self.tree, self.catalog), Tone.YES if held else Tone.NO
            )
        ]
        decided_by = [
            (index, met.truth, met.left, met.right)
            for index, _, met in decisive
        ]
        facts: dict[str, object] = {
            "part": self.part,
            "held": held,
            "atoms": decided_by,
        }
        if step is not None:
            facts["step"] = step
        return [*found, Claim(ClaimKind.CONDITION, self.row_id, tick, facts)]

    def deciding(
        self, tick: int, *, held: bool, step: int | None = None
    ) -> list[tuple[int, ConditionTree, AtomResult]]:
        """The atoms that decided the condition when it was last asked at or
        before a tick, or by a step of it: the index of each, the atom, and
        what it found.
        """
        found: list[tuple[int, ConditionTree, AtomResult]] = []
        for index, atom in enumerate(atoms(self.tree)):
            met = self.agent.row(self.row_id).found_at(
                self.part, index, tick, step
            )
            if met is not None and _decides(self.tree, atom, met, held):
                found.append((index, atom, met))
        return found

    def atom_bits(self, index: int, met: AtomResult) -> list[TextRun]:
        """What one atom of the condition found, by its index among the atoms."""
        return list(
            self._atom(
                list(atoms(self.tree))[index], met, bool(met.truth), was=False
            )
        )

    def _atom(
        self, atom: ConditionTree, met: AtomResult, held: bool, *, was: bool
    ) -> Iterator[TextRun]:
        """What an atom found. `was` says that this was at an earlier moment
        than the rest of the sentence speaks of.
        """
        tone = Tone.YES if held else Tone.NO
        if met.truth is None:
            could_not = "cannot"
            if was:
                could_not = "could not"
            yield TextRun(
                f"{spoken(atom, self.catalog)} {could_not} be said", tone
            )
        elif isinstance(atom, Comparison):
            verb = "is"
            if was:
                verb = "was"
            yield TextRun(self._comparison(atom, met, verb), tone)
        else:
            text = _answered(spoken(atom, self.catalog), met.truth)
            if was:
                words = text.replace(" is ", " was ", 1)
            else:
                words = text
            yield TextRun(words, tone)
        if met.cause is not None:
            yield TextRun(" — ")
            yield from self.names.because(met.cause)
        elif (
            met.truth
            and isinstance(met.left, float)
            and not isinstance(atom, Comparison)
        ):
            yield TextRun(
                f" ({value_text(round(met.left, 2), unit_of(atom, self.catalog))})"
            )

    def _comparison(self, atom: Comparison, met: AtomResult, verb: str) -> str:
        unit = unit_of(atom.left, self.catalog) or unit_of(
            atom.right, self.catalog
        )
        left, right = distinct(met.left, met.right, unit)
        compared = COMPARED[atom.sign]
        if not met.truth:
            compared = f"not {compared}"
        found = f"{spoken(atom.left, self.catalog)} {verb} {left}"
        return f"{found}, {compared} {right}"

    def _last_yes(
        self, index: int, met: AtomResult, tick: int, now: int
    ) -> Iterator[Bit]:
        if met.truth:
            return
        ended = None
        stretch = self.yes.last_yes(self.row_id, self.part, index, tick)
        if stretch is not None:
            ended = self._last_found_yes(*stretch)
        if ended is not None and now - ended > 1:
            # The whole condition may have been no then as well.
            what = ""
            if len(list(atoms(self.tree))) > 1:
                what = "that part was "
            ago = seconds_text(self.header.seconds(now - ended))
            yield TextRun(f"; {what}last yes {ago} ago")
            facts: dict[str, object] = {
                "part": self.part,
                "atom": index,
                "until": tick,
            }
            if stretch is not None and stretch[1].tick == ended:
                # It was yes at that tick before this step of it.
                facts["before_step"] = stretch[1].step
            yield Claim(ClaimKind.LAST_YES, self.row_id, ended, facts)

    def _last_found_yes(self, first: int, changed: AtomStep) -> int | None:
        """The last tick at which it was asked and yes, from a first one at
        which it was until it was found to be something else; None where that
        cannot be known.
        """
        at = changed.tick
        began = self.agent.row(self.row_id).spans_at(at)
        if self.lets_in and any(
            span.start_step < changed.step for span in began
        ):
            # It held at that tick before it was asked once more. That this
            # part was yes then is certain only where each had to be.
            return at if _is_all_of(self.tree) else None
        if first == at:
            return at
        return self._last_evaluated(first, at - 1)

    def _last_evaluated(self, first: int, last: int) -> int | None:
        """The last tick at which it was asked, of some from a first to a last
        one at which it was asked at the first and found the same if at all;
        None where that cannot be known.

        What is found is recorded as it changes. In between it may not have
        been asked for a while, and then nobody knows what it would have found.
        """
        row = self.agent.row(self.row_id)
        found, span = [first], row.last_span(last)
        if span is not None:
            found.append(span.start)
            if self.watch is not None and self.watch.while_running:
                found.append(min(last, span.last_ran(last + 1)))
        refusals = row.refusals.get(ROW, [])
        before = bisect_right(refusals, last, key=lambda each: each.start)
        for refusal in reversed(refusals[:before]):
            if refusal.cause.kind not in UNEVALUATED:
                found.append(min(last, refusal.end))
                break
        found.extend(self._watched_ticks(last))
        sure = max(each for each in found if first <= each <= last)
        if any(sure < each <= last for each in self._doubtful_ticks(last)):
            return None
        return sure

    def _doubtful_ticks(self, last: int) -> Iterator[int]:
        """The ticks, up to one, at which a row was stopped from outside while
        which the condition is watched: it may have been asked before that.
        """
        watch, spans = self.watch, []
        if watch is not None and watch.while_running:
            spans.append(self.agent.row(self.row_id).last_span(last))
        if watch is not None and watch.take_over:
            rows = map(self.agent.row, self.later)
            spans.extend(row.last_span(last - 1) for row in rows)
        for span in spans:
            if (
                span is not None
                and span.end is not None
                and span.outcome is Outcome.STOPPED
                and (span.cause is None or span.cause.kind not in KNOWN_STOPS)
            ):
                yield span.end

    def _watched_ticks(self, last: int) -> Iterator[int]:
        """The last ticks, up to one, at which a guard was asked that watches
        for a take-over: while each of the rows after its own ran.
        """
        if self.watch is None or not self.watch.take_over:
            return
        for sibling in self.later:
            # At the tick itself it may have been stopped and entered again.
            span = self.agent.row(sibling).last_span(last - 1)
            if span is None:
                continue
            # As it was entered, this row may just have ended.
            at = min(last, span.last_ran(last + 1))
            if self._was_evaluated_first(span) and span.end == at + 1:
                at = min(last, at + 1)
            if at > span.start:
                yield at

    def _was_evaluated_first(self, span: Span) -> bool:
        """Whether, at the tick at which a later row was stopped, the condition
        had been asked: it was stopped by its own guard, or by one that took
        over and stands after the row of the condition.
        """
        cause = span.cause
        return cause is not None and (
            cause.kind == "guard_ended"
            or (
                cause.kind == "taken_over"
                and cause.facts.get("row") in self.later
            )
        )

    def why_unknown(self, tick: int, now: int) -> Iterator[Bit]:
        """Why a formula could not be evaluated at a tick: the keys in it that
        had no value, and what became of whatever was to write them. Nothing
        where that is not the reason.
        """
        unset = {
            name: key
            for name in _keys_in(self.tree)
            if name in self.actual
            and self._had_no_value(key := self.actual[name], tick)
        }
        joint, is_not = "", "was not" if now > tick else "is not"
        for name, key in unset.items():
            yield f"{joint}{name} {is_not} set"
            yield Claim(ClaimKind.NOT_SET, self.row_id, tick, {"key": key})
            joint = ", and "
        read = KeyRead(self.reader, None, is_known=True)
        for name, key in unset.items():
            yield from self.writers.of(key, name, tick, now, read)

    def _had_no_value(self, key: str, tick: int) -> bool:
        """Whether a key had no value when the formula was evaluated at a tick,
        and not only before or after that.
        """
        changes = self.agent.keys.get(key)
        written = changes.at(tick) if changes else None
        if changes is None or written is None:
            return True
        return written.value is None and (
            changes.ticks[changes.index(tick)] < tick
            or self.writers.came_first(written, self.reader)
        )

    def _writers(
        self,
        decisive: Sequence[tuple[int, ConditionTree, AtomResult]],
        tick: int,
        now: int,
        held: bool,
    ) -> Iterator[Bit]:
        """Who wrote the keys in what decided it, or what kept those from it
        that are to write them, if it did not hold.
        """
        reads: dict[str, KeyRead] = {}
        for _, atom, met in decisive:
            for name in _keys_in(atom):
                read = _read_of(name, atom, met, self.reader)
                reads[name] = _joined(reads.get(name), read)
        for name, read in reads.items():
            actual = self.actual.get(name, name)
            yield from self.writers.of(
                actual, name, tick, now, replace(read, is_in_the_way=not held)
            )


def _read_of(
    key: str, atom: ConditionTree, met: AtomResult, row_id: str
) -> KeyRead:
    """What an atom says of a key that it read."""
    if isinstance(atom, KeyTerm):
        return KeyRead(row_id, met.truth, is_known=True)
    if isinstance(atom, SenseCall) and atom.sense == IS_SET:
        return KeyRead(row_id, is_set=met.truth)
    if isinstance(atom, Comparison):
        for side, found in ((atom.left, met.left), (atom.right, met.right)):
            if isinstance(side, KeyTerm) and side.key == key:
                return KeyRead(row_id, found, is_known=True)
            if (
                isinstance(side, SenseCall)
                and side.sense == TIME_SINCE
                and key in _keys_in(side)
                and _is_number(found)
            ):
                return KeyRead(row_id, is_set=True, since_s=found)
    return KeyRead(row_id)


def _joined(one: KeyRead | None, other: KeyRead) -> KeyRead:
    """What two atoms say of a key that both read."""
    if one is None:
        return other
    return replace(
        one,
        value=one.value if one.is_known else other.value,
        is_known=one.is_known or other.is_known,
        is_set=other.is_set if one.is_set is None else one.is_set,
        since_s=other.since_s if one.since_s is None else one.since_s,
    )


def _keys_in(tree: ConditionTree) -> list[str]:
    """The names in a condition that are written as keys are: of one that no
    key has, somebody of the cast or a place is meant.
    """
    found = [part.key for part in walk(tree) if isinstance(part, KeyTerm)]
    return list(dict.fromkeys(found))


def _is_all_of(tree: ConditionTree) -> bool:
    """Whether a condition holds only where each of its atoms does, but for
    those that are turned round.
    """
    # A `not` around an `and` is an `or` of what is turned round.
    return not any(
        isinstance(each, Disjunction)
        or (
            isinstance(each, Negation)
            and any(isinstance(inner, Conjunction) for inner in walk(each))
        )
        for each in walk(tree)
    )


def condition_report(
    header: Header,
    agent: AgentRecord,
    names: RowNames,
    row_id: str,
    part: str,
    when: str,
    catalog: Catalog,
    actual: Mapping[str, str],
    writers: KeyWriters,
    reader: str,
    yes: YesHistory,
    watch: Watch | None,
    later: Sequence[str],
    *,
    lets_in: bool,
) -> ConditionReport | None:
    """The report on the condition `when` of a row; None if it cannot be
    parsed.
    """
    try:
        return ConditionReport(
            header,
            agent,
            names,
            row_id,
            part,
            parse(when),
            catalog,
            actual,
            writers,
            reader,
            yes,
            watch,
            later,
            lets_in,
        )
    except LanguageError:
        return None


def _answered(question: str, truth: bool) -> str:
    """`last_seen is not set`, `can see visitor is no`."""
    if " is " in question:
        if truth:
            return question
        return question.replace(" is ", " is not ", 1)
    return f"{question} is {value_text(truth)}"


def _decides(
    tree: ConditionTree, atom: ConditionTree, met: AtomResult, held: bool
) -> bool:
    """Whether an atom speaks for the outcome: as it stands, or turned round
    inside a `not`.
    """
    # Of `a and not b` that came out as no, an atom speaks for it that is no,
    # or, inside the `not`, one that is yes.
    wanted = held != _negated(tree, atom)
    return met.truth is wanted or (met.truth is None and not held)


def _negated(tree: ConditionTree, atom: ConditionTree) -> bool:
    return any(
        isinstance(part, Negation)
        and any(each is atom for each in atoms(part))
        for part in walk(tree)
    )


def _is_number(value: Value | None) -> TypeGuard[float]:
    return isinstance(value, int | float) and not isinstance(value, bool)


def distinct(
    left: Value | None, right: Value | None, unit: str
) -> tuple[str, str]:
    """Both sides of a comparison in as few digits as show that they differ:
    3.998 is below 4. Never "3.00, below 3.00".
    """
    if not _is_number(left) or not _is_number(right):
        return (
            value_text(rounded(left), unit),
            value_text(rounded(right), unit),
        )
    decimals = decimals_apart(left, right, 2)
    after = f" {unit}" if unit else ""
    return (
        number_text(left, decimals) + after,
        number_text(right, decimals) + after,
    )
