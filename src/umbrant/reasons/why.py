"""Why an agent did what it did, why it did not do something else, and why it changed its mind."""

from collections.abc import Iterator

from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.causes import Cause
from umbrant.catalog.declare import Catalog, Family, Kind, ParamType
from umbrant.model.behaviors import Behavior, Row
from umbrant.model.edits import GUARD, ROW
from umbrant.model.values import value_text
from umbrant.reasons.asked import Asked, asked_of
from umbrant.reasons.minds import Lead, behavior_of
from umbrant.reasons.sentences import Answer, Bit, Line, Names, Tone, seconds_text
from umbrant.take.reader import Take
from umbrant.take.record import Outcome, RowRecord, RowState, Span

Bits = Iterator[Bit | str]


class Explainer:
    """Answers questions about one agent of a take. Raises KeyError if the take has no such agent.

    Everything is read from the take: its record and the documents it was made from.
    """

    def __init__(self, take: Take, agent: str, catalog: Catalog = BUILTIN) -> None:
        self.take = take
        self.header = take.header
        self.record = take.agents[agent]
        self.member = take.header.played.member(agent)
        self.behavior = behavior_of(take, agent) or Behavior(name="none", title="", blackboard="none")
        self.outline = self.behavior.outline
        self.catalog = catalog
        self.title = self.member.title or agent
        self.names = Names(self.outline.number, {row.id: row.name or row.kind for row in self.behavior.rows})

    def path(self, tick: int) -> tuple[str, ...]:
        """The rows that ran at a tick, from the root down; where a row ended at it, the one that ended last."""
        found: list[str] = []
        level = self.outline.tops[:1]
        while level:
            inner = self._running_or_ended(level, tick)
            if inner is None:
                break
            found.append(inner)
            level = self.outline.children[inner]
        return tuple(found)

    def why(self, tick: int) -> Answer:
        """Why it did what it did at a tick: from the root down, what each row tried before the one that ran."""
        path = self.path(tick)
        lines: list[Line] = []
        for place, row_id in enumerate(path):
            lines.append(self._stands(row_id, tick, last=place == len(path) - 1))
            if place + 1 < len(path):
                lines.extend(self._before(row_id, path[place + 1], tick))
        if not path:
            lines.extend(self._nothing(tick))
        leaf = f" {self.names.numbers[path[-1]]}" if path else " nothing"
        return Answer(f"why {self.title} is running{leaf}", tick, tuple(lines))

    def why_not(self, tick: int, row_id: str) -> Answer:
        """Why a row did not run at a tick: the first thing in its way, and when it last ran."""
        question = f"why not {self.names.numbers[row_id]} {self.names.titles[row_id]}"
        for above in self.outline.path(row_id):
            state = self._state(above, tick)
            took_part = above != row_id and state in (RowState.SUCCESS, RowState.FAILURE)
            if state is not RowState.RUNNING and not took_part:
                lines = [self._line_not(above, tick)]
                if above != row_id:
                    bits = [Bit(" can run only while "), self.names.bit(above), Bit(" does.")]
                    lines.insert(0, self.names.line(row_id, bits, Tone.NO))
                return Answer(question, tick, (*lines, *self._last_ran(row_id, tick)))
        line = self.names.line(row_id, [Bit(" is running"), *self._how_far(row_id, tick)], Tone.YES)
        return Answer(question, tick, (line,))

    def change(self, lead: Lead) -> Line:
        """Why a row took the lead, in one line."""
        before = self._lead_before(lead)
        bits = (
            list(self._why_left(before, lead))
            if before
            else list(self._guard_held(lead.row_id, lead.start, lead.start))
        )
        return self.names.line(lead.row_id, [Bit(": "), *bits] if bits else [], Tone.YES)

    # what runs

    def _stands(self, row_id: str, tick: int, *, last: bool) -> Line:
        if not last:
            return self.names.line(row_id, self._chooser(row_id, tick), Tone.YES)
        state = self._state(row_id, tick)
        if state is RowState.RUNNING:
            return self.names.line(row_id, [" is running", *self._how_far(row_id, tick), *self._since(row_id, tick)])
        return self.names.line(row_id, self._ended(row_id, tick), Tone.YES if state is RowState.SUCCESS else Tone.NO)

    def _chooser(self, row_id: str, tick: int) -> Bits:
        if self.outline.parent[row_id] is not None:
            yield from self._entered(row_id, tick)
            return
        kind = self._composite(row_id)
        yield f" {kind.told}." if kind else " is running."

    def _entered(self, row_id: str, tick: int) -> Bits:
        span = self.record.row(row_id).span_at(tick)
        start = span.start if span else tick
        held = list(self._guard_held(row_id, start, tick))
        yield f" was entered {seconds_text(self.header.seconds(tick - start))} ago"
        yield from [": ", *held] if held else []
        yield "."

    def _guard_held(self, row_id: str, tick: int, now: int) -> Bits:
        asked = self.guard(row_id)
        if asked is not None:
            yield from asked.bits(tick, held=True, now=now)

    def _before(self, parent: str, ran: str, tick: int) -> Iterator[Line]:
        """The children tried before the one that ran."""
        for child in self.outline.children[parent]:
            if child == ran:
                return
            state = self._state(child, tick)
            tone = Tone.YES if state is RowState.SUCCESS or self._succeeded_before(child, tick) else Tone.NO
            yield self.names.line(child, self._tried(child, tick), tone)

    def _tried(self, row_id: str, tick: int) -> Bits:
        """How a row fared that does not run: now, or when it was last tried."""
        record = self.record.row(row_id)
        if self.behavior.row(row_id).muted:
            yield " is muted, so it is passed over."
            return
        span, refusal = record.last_span(tick), record.last_refusal(tick)
        if refusal is not None and (span is None or refusal.end >= (span.end or span.start)):
            at = min(tick, refusal.end)
            yield from self._refused(row_id, refusal.cause, at)
            yield "." if at == tick else f". That was {self._ago(at, tick)}; it has not been asked since."
        elif span is not None and span.end is not None:
            yield from self._ended(row_id, tick)
        else:
            yield " has not been tried."

    def _refused(self, row_id: str, reason: Cause, tick: int) -> Bits:
        yield " was refused: "
        asked = self.guard(row_id)
        if reason.kind == "guard" and asked is not None:
            yield from asked.bits(tick, held=False)
        else:
            yield from self.names.because(reason)
            if reason.kind == "cooling":
                left = float(str(reason.facts["until_s"])) - self.header.seconds(tick)
                yield f", in {seconds_text(left)}"

    def _ended(self, row_id: str, tick: int) -> Bits:
        span = self.record.row(row_id).last_span(tick)
        if span is None or span.end is None:
            return
        words = {Outcome.SUCCESS: " succeeded", Outcome.FAILURE: " failed", Outcome.STOPPED: " was stopped"}
        yield words[span.outcome or Outcome.STOPPED]
        yield " at this tick" if span.end == tick else f" {self._ago(span.end, tick)}"
        yield from self._why_ended(row_id, span)
        yield "."

    def _why_ended(self, row_id: str, span: Span) -> Bits:
        if span.cause is None:
            return
        yield ": "
        asked, checks, tick = self.guard(row_id), self._checks(row_id), span.end or 0
        if span.cause.kind == "guard_ended" and asked is not None:
            yield from asked.bits(tick, held=False)
            return
        if span.cause.kind == "condition" and checks is not None:
            yield from checks.bits(tick, held=False)
            return
        if span.cause.kind == "child":
            yield from self._why_child_failed(str(span.cause.facts["row"]), tick)
            return
        yield from self.names.because(span.cause)
        if span.cause.kind == "inverted" and checks is not None:
            yield ": "
            yield from checks.bits(tick, held=True)

    def _why_child_failed(self, row_id: str, tick: int) -> Bits:
        """What a failed child itself says: it was refused, or it ended."""
        record = self.record.row(row_id)
        refusal, ended = record.refusal_at(tick), record.span_at(tick)
        yield self.names.bit(row_id)
        if ended is None and refusal is not None:
            yield from self._refused(row_id, refusal.cause, tick)
            return
        yield " failed"
        if ended is not None:
            yield from self._why_ended(row_id, ended)

    def _how_far(self, row_id: str, tick: int) -> Bits:
        done = self.record.row(row_id).progress.at(tick)
        if done is None or done.left is None:
            return
        yield f": {value_text(round(done.left, 1), done.unit)} to go"
        if done.of is not None:
            yield f" of {value_text(round(done.of, 1), done.unit)}"

    def _since(self, row_id: str, tick: int) -> Bits:
        span = self.record.row(row_id).span_at(tick)
        if span is not None:
            yield f", since {seconds_text(self.header.seconds(tick - span.start))}."

    def _nothing(self, tick: int) -> Iterator[Line]:
        if self.member.behavior is None:
            yield Line("", "", (Bit(f"{self.title} is a puppet: it follows its walk and decides nothing."),))
        elif not self.outline.tops:
            yield Line("", "", (Bit("Its behavior has no rows yet."),))
        else:
            root = self.outline.tops[0]
            yield self.names.line(root, self._tried(root, tick), Tone.NO)

    # what does not run

    def _line_not(self, row_id: str, tick: int) -> Line:
        """The first thing in the way of a row whose parent runs, or which is the root."""
        record = self.record.row(row_id)
        if self.behavior.row(row_id).muted or record.refusal_at(tick) or record.span_at(tick):
            return self.names.line(row_id, self._tried(row_id, tick), Tone.NO)
        parent = self.outline.parent[row_id]
        if parent is None:
            return self.names.line(row_id, self._tried(row_id, tick), Tone.NO)
        siblings = self.outline.children[parent]
        ran = self._running_or_ended(siblings, tick)
        if ran is None:
            return self.names.line(row_id, self._tried(row_id, tick), Tone.NO)
        if siblings.index(ran) < siblings.index(row_id):
            return self.names.line(row_id, self._waits_for(ran, parent, tick), Tone.NO)
        return self.names.line(row_id, self._passed(row_id, ran, tick), Tone.NO)

    def _waits_for(self, ran: str, parent: str, tick: int) -> Bits:
        kind = self._composite(parent)
        yield " comes after "
        yield self.names.bit(ran)
        yield f", and is tried only when that {kind.moves_on if kind else 'has ended'}. "
        yield self.names.bit(ran)
        if self._state(ran, tick) is RowState.RUNNING:
            yield " is running"
            yield from self._how_far(ran, tick)
            yield "."
        else:
            yield from self._ended(ran, tick)

    def _passed(self, row_id: str, ran: str, tick: int) -> Bits:
        """Of a row that was tried before the one that runs and is not asked now."""
        yield from self._tried(row_id, tick)
        if self._succeeded_before(row_id, tick):
            return
        guard = self.behavior.row(row_id).guard
        yield " While "
        yield self.names.bit(ran)
        if guard is None or not guard.watch.take_over:
            yield " runs it is not asked again: it has no guard that watches for a take-over."
        else:
            yield " runs its guard is asked at each tick; it has said yes all along, and must turn to yes to take over."

    def _last_ran(self, row_id: str, tick: int) -> Iterator[Line]:
        span = self.record.row(row_id).last_span(tick)
        if span is None:
            yield self.names.line(row_id, [" has not run before in this take."])
        elif span.end is not None and span.end < tick:
            how = {Outcome.SUCCESS: "success", Outcome.FAILURE: "failure"}.get(span.outcome or Outcome.STOPPED)
            start, end = self.header.seconds(span.start), self.header.seconds(span.end)
            ending = f"ended with {how}" if how else "was stopped"
            yield self.names.line(row_id, [f" last ran from {start:.2f} to {end:.2f} s and {ending}."])

    # changes of mind

    def _lead_before(self, lead: Lead) -> str | None:
        """The sibling that ended as a row took the lead."""
        for sibling in self.outline.siblings(lead.row_id):
            span = self._ending_near(sibling, lead.start)
            if sibling != lead.row_id and span is not None:
                return sibling
        return None

    def _ending_near(self, row_id: str, tick: int) -> Span | None:
        span = self.record.row(row_id).last_span(tick)
        if span is None or span.end is None or span.start == span.end or not tick - 1 <= span.end <= tick:
            return None
        return span

    def _why_left(self, before: str, lead: Lead) -> Bits:
        span = self._ending_near(before, lead.start)
        if span is None:
            return
        if span.cause is not None and span.cause.kind == "taken_over":
            yield from self._guard_held(lead.row_id, lead.start, lead.start)
        elif span.outcome is Outcome.SUCCESS:
            yield self.names.bit(before)
            yield " was done"
        else:
            yield self.names.bit(before)
            yield " was left" if span.outcome is Outcome.STOPPED else " failed"
            yield from self._why_ended(before, span)

    # small things

    def _composite(self, row_id: str) -> Kind | None:
        return self.catalog.get(self.behavior.row(row_id).kind, Family.COMPOSITE)

    def _state(self, row_id: str, tick: int) -> RowState:
        return self.record.row(row_id).state_at(tick)

    def _succeeded_before(self, row_id: str, tick: int) -> bool:
        span = self.record.row(row_id).last_span(tick)
        return span is not None and span.outcome is Outcome.SUCCESS

    def _running_or_ended(self, row_ids: tuple[str, ...], tick: int) -> str | None:
        """The one of these siblings that ran at a tick; where several ended at it, the one entered last."""
        covered = [(self._rank(self.record.row(row_id), tick), row_id) for row_id in row_ids]
        best = max(covered, key=lambda each: each[0], default=((-1, -1), ""))
        return best[1] if best[0][0] >= 0 else None

    def _rank(self, record: RowRecord, tick: int) -> tuple[int, int]:
        span = record.span_at(tick)
        if span is None:
            return -1, -1
        running = span.end is None or span.end > tick
        return (2 if running else int(span.outcome is not Outcome.STOPPED)), span.start

    def _ago(self, tick: int, now: int) -> str:
        return f"{seconds_text(self.header.seconds(now - tick))} ago"

    def guard(self, row_id: str) -> Asked | None:
        """A row's guard, ready to be told of; None where it has none, or one that cannot be read."""
        guard = self.behavior.row(row_id).guard
        if guard is None:
            return None
        return asked_of(self.header, self.record, self.names, row_id, GUARD, guard.when, self.catalog)

    def _checks(self, row_id: str) -> Asked | None:
        when = _condition_in(self.behavior.row(row_id), self.catalog)
        return asked_of(self.header, self.record, self.names, row_id, ROW, when, self.catalog) if when else None


def _condition_in(row: Row, catalog: Catalog) -> str | None:
    """The condition that a row's own parameters hold."""
    kind = catalog.get(row.kind, Family.CONDITION)
    param = next((each for each in kind.params if each.type is ParamType.CONDITION), None) if kind else None
    when = row.args.get(param.name) if param else None
    return when if isinstance(when, str) else None
