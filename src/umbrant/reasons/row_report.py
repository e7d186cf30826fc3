"""How a row fared: that it runs, or was refused, or how it ended, in words."""

from collections.abc import Iterator
from typing import TypeGuard

from umbrant.catalog.causes import Cause
from umbrant.catalog.kind import RUNS, Family
from umbrant.model.values import (
    KeyRef,
    ParamValue,
    PlaceRef,
    Value,
    value_text,
)
from umbrant.reasons.agent_context import AgentContext
from umbrant.reasons.key_writers import KeyRead
from umbrant.reasons.sentences import (
    Bit,
    ClaimKind,
    ago_text,
    claim,
    seconds_text,
)
from umbrant.take.record import Outcome, Refusal, Span

Bits = Iterator[Bit]


class RowReport(AgentContext):
    """Explains single rows at a tick. Each method yields the rest of a
    sentence that begins with the row's name.
    """

    def is_state(self, row_id: str) -> bool:
        """Whether a row is a state of a machine."""
        return self.family(row_id) is Family.STATE

    def runs(self, row_id: str, tick: int) -> Bits:
        """That it runs, for how long, and how far it is."""
        span = self.record.row(row_id).span_at(tick)
        if span is None or span.start == tick:
            yield " has just been entered"
            if span is not None:
                yield claim(ClaimKind.ENTERED, row_id, tick)
        else:
            yield claim(ClaimKind.RUNS, row_id, tick, since=span.start)
            doing = "running"
            if self.is_state(row_id):
                doing = "active"
            yield f" has been {doing} for {seconds_text(self.header.seconds(tick - span.start))}"
        yield from self.how_far(row_id, tick)
        yield "."

    def tried(self, row_id: str, tick: int) -> Bits:
        """How a row fared that does not run: now, or when it was last tried."""
        record = self.record.row(row_id)
        if self.behavior.row(row_id).muted:
            yield " is muted, so it is passed over."
            yield claim(ClaimKind.MUTED, row_id, tick)
            return
        span, refusal = record.last_span(tick), record.last_refusal(tick)
        # The later of the two is what became of it last.
        if refusal is not None and (
            span is None or refusal.end >= (span.end or span.start)
        ):
            at = min(tick, refusal.end)
            yield from self.refused(row_id, refusal.cause, at, tick)
            yield "."
            if at < tick:
                yield f" That was {self.ago(at, tick)}; it has not been asked since."
        elif span is not None and span.end is not None:
            yield from self.ended(row_id, tick)
        else:
            yield " has not been tried."
            yield claim(ClaimKind.NOT_TRIED, row_id, tick)

    def refused(self, row_id: str, reason: Cause, tick: int, now: int) -> Bits:
        """What kept a row from being entered at a tick, as seen from `now`."""
        yield " was refused: "
        yield claim(ClaimKind.REFUSED, row_id, tick, cause=reason.kind)
        condition, until_s = self.guard(row_id), due_s(reason)
        if reason.kind == "guard" and condition is not None:
            yield from condition.bits(tick, held=False, now=now)
        elif until_s is not None:
            yield from self._cooling(reason, until_s, now)
        else:
            yield from self._because(row_id, reason, tick, now)
            if reason.kind == "chance":
                yield from self._share_key(row_id)

    def in_turn(self, row_id: str) -> tuple[str, ...]:
        """The rows that one takes turns with, and that itself, as they are
        written.
        """
        parent = self.outline.parent[row_id]
        if parent is None:
            return (row_id,)
        # A state's transitions stand among its rows, and come in no order with
        # them.
        return tuple(
            each
            for each in self.outline.children[parent]
            if self.family(each) in (*RUNS, self.family(row_id))
        )

    def refused_before(self, row_id: str, tick: int) -> str | None:
        """The last row whose turn comes before that of one and which was
        refused at a tick; None where none was.
        """
        siblings = self.in_turn(row_id)
        refused = [
            each
            for each in siblings[: siblings.index(row_id)]
            if self.record.row(each).refusal_at(tick)
        ]
        return refused[-1] if refused else None

    def _share_key(self, row_id: str) -> Bits:
        """The key that a chance was taken from, if it was."""
        for decorator in self.behavior.row(row_id).decorators:
            share = decorator.args.get("share")
            if isinstance(share, KeyRef):
                yield f", which is {share.key}"

    def _cooling(self, reason: Cause, until_s: float, now: int) -> Bits:
        """Until when a row cools, or cooled, as seen from `now`."""
        now_s = self.header.seconds(now)
        left_s = until_s - now_s
        since_s = reason.facts.get("since_s")
        ended = ""
        if _is_time(since_s):
            ended = f": it ended {seconds_text(now_s - since_s)} ago"
        begins = " from the beginning"
        if ended:
            begins = ""
        if left_s > 1e-9:
            again = ""
            if ended:
                again = "again "
            yield f"it cools{begins}{ended}, and may start {again}in "
            yield seconds_text(left_s)
        else:
            yield f"it cooled{begins} until {until_s:.2f} s{ended}"

    def ended(self, row_id: str, tick: int) -> Bits:
        """How and when it ended last, and why."""
        span = self.record.row(row_id).last_span(tick)
        if span is None or span.end is None:
            return
        yield from self.ended_so(row_id, span, tick)
        yield from self.why_ended(row_id, span, tick)
        yield "."

    def ended_so(self, row_id: str, span: Span, now: int) -> Bits:
        """How and when a stretch of it ended, as seen from `now`."""
        if span.end is None:
            return
        words = {
            Outcome.SUCCESS: " succeeded",
            Outcome.FAILURE: " failed",
            Outcome.STOPPED: " was stopped",
        }
        outcome = (span.outcome or Outcome.STOPPED).value
        yield claim(
            ClaimKind.ENDED, row_id, span.end, outcome=outcome, now=now
        )
        turned = turned_text(span)
        yield turned or words[span.outcome or Outcome.STOPPED]
        yield f" {self.ago(span.end, now)}"

    def why_ended(self, row_id: str, span: Span, now: int) -> Bits:
        """Why a stretch of it ended, if there is more to say than how; as seen
        from `now`.
        """
        if span.cause is None:
            return
        kind, tick = span.cause.kind, span.end or 0
        condition, checks = self.guard(row_id), self.checks(row_id)
        if kind == "guard_ended" and condition is not None:
            yield ": "
            yield from condition.bits(tick, held=False, now=now)
        elif (
            checks is not None
            and (held := self._held(row_id, kind)) is not None
        ):
            yield ": "
            yield from checks.bits(tick, held=held, now=now)
        elif kind == "child" and self._is_below(
            str(span.cause.facts.get("row")), row_id
        ):
            yield ": "
            yield from self.why_child_failed(
                str(span.cause.facts["row"]), (tick, span.end_step), now
            )
        elif kind == "condition":
            yield ": "
            yield from self._own_condition(row_id, tick)
        elif kind in TURNED:
            yield ": what is in it succeeded"
        else:
            yield ": "
            yield from self._because(row_id, span.cause, tick, now)

    def _because(
        self, row_id: str, reason: Cause, tick: int, now: int
    ) -> Bits:
        """A reason of a tick in words; of a key that was not set also what had
        become of it.
        """
        yield from self.names.because(reason)
        key = reason.facts.get("key")
        if reason.kind == "not_set" and isinstance(key, str):
            actual = self.actual_key(row_id, key)
            changes = self.record.keys.get(actual)
            written = changes.at(tick) if changes else None
            # It may have been written later within the tick.
            if written is None or written.value is None:
                read = KeyRead(row_id, None, is_known=True)
                yield from self.writers.of(actual, key, tick, now, read)

    def _is_below(self, inner: str, row_id: str) -> bool:
        """Whether a row is in another one. A damaged take may blame any row,
        also two each other: who follows causes inwards only comes to an end.
        """
        return inner != row_id and inner in self.outline.within(row_id)

    def _held(self, row_id: str, cause: str) -> bool | None:
        """Whether what a row checks held as it failed with a cause; None where
        decorators inside the one that turned its result do not let that be
        said.
        """
        if cause not in TURNED:
            if cause == "condition":
                return False
            return None
        kinds = [each.kind for each in self.behavior.row(row_id).decorators]
        turning = "always_fail"
        if cause == "inverted":
            turning = "invert"
        if turning in kinds:
            inside = kinds[kinds.index(turning) + 1 :]
        else:
            inside = []
        # The one that turned it round found a success; each `invert` within
        # found the opposite. With these further in, a success can come from a
        # failure and the other way round.
        if set(inside) & {
            "always_fail",
            "always_succeed",
            "repeat_until",
            "hold",
        }:
            return None
        return inside.count("invert") % 2 == 0

    def _own_condition(self, row_id: str, tick: int) -> Bits:
        """What a condition row asks, as its kind's phrase with the values at a
        tick, and that it is not so.
        """
        row = self.behavior.row(row_id)
        kind = self.catalog.get(row.kind, Family.CONDITION)
        words = []
        if kind is not None:
            for text, param in kind.phrase_parts(row.args):
                if param is not None:
                    value = row.args.get(param.name)
                    text = value_text(self._value_of(row_id, value, tick))
                words.append(text)
        yield f"{' '.join(words) or row.kind} is no"

    def _value_of(
        self, row_id: str, value: ParamValue | None, tick: int
    ) -> Value | None:
        """The value of a parameter at a tick; that of its key if it is bound
        to one, or the key's name where that was written within the tick:
        before or after it was read, nobody knows.
        """
        if isinstance(value, KeyRef):
            changes = self.record.keys.get(self.actual_key(row_id, value.key))
            written = changes.at(tick) if changes else None
            if changes is None or written is None:
                return None
            if changes.ticks[changes.index(tick)] == tick > 0:
                return value.key
            return written.value
        if isinstance(value, PlaceRef):
            return value.place
        if isinstance(value, bool | int | float | str | tuple):
            return value
        return None

    def why_child_failed(
        self, row_id: str, until: tuple[int, int], now: int
    ) -> Bits:
        """Yield the words for why a child failed by a tick and step: it was
        refused or it ended.
        """
        tick, record = until[0], self.record.row(row_id)
        refusal, ended = record.last_refusal(tick), record.last_ended(until)
        yield self.names.bit(row_id)
        if refusal is not None and (
            ended is None or _comes_after(refusal, ended)
        ):
            yield from self.refused(
                row_id, refusal.cause, min(refusal.end, tick), now
            )
            return
        yield (turned_text(ended) if ended is not None else "") or " failed"
        if ended is not None:
            facts = {
                "outcome": (ended.outcome or Outcome.STOPPED).value,
                "step": until[1],
            }
            if ended.end is None:
                at = tick
            else:
                at = ended.end
            yield claim(ClaimKind.ENDED, row_id, at, now=tick, **facts)
            yield from self.why_ended(row_id, ended, now)

    def how_far(self, row_id: str, tick: int) -> Bits:
        """Yield the words for what is left of the row's work, if its kind
        reports progress.
        """
        done = self.record.row(row_id).done_at(tick)
        if done is None or done.left is None:
            return
        yield f": {value_text(round(done.left, 1), done.unit)} to go"
        yield claim(
            ClaimKind.LEFT_TO_DO, row_id, tick, left=done.left, unit=done.unit
        )
        if done.of is not None:
            yield f" of {value_text(round(done.of, 1), done.unit)}"

    def guard_held(self, row_id: str, tick: int, now: int) -> Bits:
        """What let it in, as its guard was at a tick."""
        condition = self.guard(row_id)
        if condition is not None:
            yield from condition.bits(tick, held=True, now=now)

    def ago(self, tick: int, now: int) -> str:
        """How long ago a tick was."""
        return ago_text(self.header.seconds(now - tick))


TURNED = {"inverted": "inverted", "always_fails": "always failing"}
"""Causes of a failure that is really a success, and what the row is called
that has such a decorator.
"""


def _comes_after(refusal: Refusal, ended: Span) -> bool:
    """Whether a row was refused after it had ended. One that was stopped did
    not fail, so then the refusal is what made what is around it fail.
    """
    if ended.outcome is Outcome.STOPPED and refusal.end >= (ended.end or 0):
        return True
    if refusal.start < refusal.end:
        return refusal.end > (ended.end or 0)
    return (refusal.start, refusal.step) > (ended.end or 0, ended.end_step)


def turned_text(span: Span) -> str:
    """How a row that its decorator turned round is said to fail: `, inverted,
    says no`.
    """
    by = None
    if span.cause is not None:
        by = TURNED.get(span.cause.kind)
    if by:
        return f", {by}, says no"
    return ""


def due_s(reason: Cause) -> float | None:
    """The time at which a reason holds no longer, where it is one of time: a
    cooldown, or a transition that waits.
    """
    until_s = reason.facts.get("until_s")
    if _is_time(until_s):
        return float(until_s)
    return None


def _is_time(value: object) -> TypeGuard[float]:
    return isinstance(value, int | float) and not isinstance(value, bool)
