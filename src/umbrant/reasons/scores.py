"""Why an option of a utility was chosen, and what would have made another win:
from the scores that were recorded.
"""

import math
from bisect import bisect_left, bisect_right
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import partial

from umbrant.catalog.language.phrases import spoken
from umbrant.catalog.language.tree import LanguageError, parse
from umbrant.catalog.protocols import Gauge
from umbrant.engine.scoring import combined
from umbrant.engine.utility import DECISION
from umbrant.model.behaviors import Row
from umbrant.model.kind_ids import CONSIDER, OPTION
from umbrant.model.parts import candidate_of
from umbrant.model.values import Curve, KeyRef, ParamValue, number_text
from umbrant.reasons.agent_context import AgentContext
from umbrant.reasons.gate_report import gauge_text
from umbrant.reasons.sentences import (
    AnswerLine,
    Bit,
    ClaimKind,
    ScoreTable,
    TextRun,
    Tone,
    claim,
)
from umbrant.reasons.utility_decision import (
    Bid,
    ConsideredInput,
    UtilityDecision,
)
from umbrant.take.record import Span

STAY_BONUS = "stay_bonus"
MOST_DIGITS = 6
"""With how many digits scores are said that are nearly the same."""
CANDIDATE_LINE = "   for "
"""How the line of a candidate begins in a table of scores."""
_DRAWN = {
    "among the best": "among the best few by their scores",
    "within a margin": "among those within the margin by their scores",
}
"""How a winner is drawn, by what the utility is set to."""


@dataclass(frozen=True)
class ConsiderationScore:
    """One consideration at a tick: its input (None where it was unknown) and
    what that was worth.
    """

    row: Row
    input: float | None
    worth: float
    share: float
    """How much of the score comes from it, or, in a product, how much of what
    is missing to 1.
    """


@dataclass(frozen=True)
class OptionScore:
    """One option at a tick."""

    row: Row
    score: float
    bonus: float
    about: str
    considered: tuple[ConsiderationScore, ...]

    @property
    def total(self) -> float:
        """The score with the stay bonus."""
        return self.score + self.bonus


class Scores:
    """What the options of one utility scored."""

    def __init__(self, subject: AgentContext, utility: str) -> None:
        self.subject = subject
        self.behavior = behavior = subject.behavior
        self.record = subject.record
        self.names = subject.names
        self.catalog = subject.catalog
        self.ticks_per_s = subject.header.ticks_per_s
        self.utility = behavior.row(utility)
        self.winner = str(self.utility.args.get("winner", "highest"))
        self.options = [
            behavior.row(child)
            for child in behavior.outline.children[utility]
            if behavior.row(child).kind == OPTION
            and not behavior.row(child).muted
        ]

    @property
    def how_chosen(self) -> str:
        """How an option is drawn; empty where the best one wins."""
        if self.winner == "highest":
            return ""
        return f"does an option that is drawn {_DRAWN[self.winner]}"

    def at(self, tick: int) -> list[OptionScore]:
        """What each option scored when it was last scored, the best first."""
        found = [
            scored
            for row in self.options
            if (scored := self._scored(row, tick)) is not None
        ]
        return sorted(found, key=lambda scored: -scored.total)

    def table(self, tick: int, chosen: str | None) -> ScoreTable:
        """The scores as a table: each option, and under it what was
        considered.
        """
        rows: list[tuple[TextRun, ...]] = []
        for scored in self.at(tick):
            if scored.row.id == chosen:
                tone = Tone.YES
            else:
                tone = Tone.PLAIN
            bonus = ""
            if scored.bonus:
                bonus = f" + {_text(scored.bonus)}"
            about = ""
            if scored.about:
                about = f" for {scored.about}"
            name = self.names.bit(scored.row.id)
            rows.append(
                (
                    TextRun(name.text + about, Tone.NAME, name.row_id),
                    TextRun(""),
                    TextRun(_text(scored.score) + bonus, tone),
                    TextRun(""),
                )
            )
            candidates = self._candidates(scored.row, tick)
            # Of one alone its option's line says it all.
            for candidate, gauge in candidates if len(candidates) > 1 else ():
                score = Gauge(gauge.measured, gauge.value, gauge.of or None)
                is_best = candidate == scored.about
                rows.append(
                    (
                        TextRun(
                            f"{CANDIDATE_LINE}{candidate}",
                            Tone.PLAIN,
                            scored.row.id,
                        ),
                        TextRun(""),
                        TextRun(
                            gauge_text(score, 0.0),
                            Tone.YES if is_best else Tone.PLAIN,
                        ),
                        TextRun(""),
                    )
                )
            for each in scored.considered:
                if each.input is None:
                    input_text = "not known"
                else:
                    input_text = _text(each.input)
                share = f"{each.share * 100:.0f} %"
                cells = (
                    TextRun(
                        f"   {self._title(each.row)}", Tone.PLAIN, each.row.id
                    ),
                    TextRun(input_text),
                    TextRun(_text(each.worth)),
                )
                rows.append((*cells, TextRun(share)))
        return ScoreTable(("option", "input", "score", "share"), tuple(rows))

    def _candidates(self, row: Row, tick: int) -> list[tuple[str, Gauge]]:
        """For whom an option was scored when it was last, the best first."""
        found = [
            (name, gauge)
            for part, gauges in self.record.row(row.id).gauges.items()
            if (name := candidate_of(part)) is not None
            and (gauge := gauges.at(tick)) is not None
            and gauge.of is not None
        ]
        return sorted(
            found, key=lambda each: -(each[1].value + (each[1].of or 0.0))
        )

    def decided_at(self, tick: int) -> int:
        """The tick of the decision that holds at a tick: this one, unless it
        decides only every so often.
        """
        decisions = self.record.row(self.utility.id).times_done.get(
            DECISION, []
        )
        index = bisect_right(decisions, tick, key=lambda each: each[0]) - 1
        if index >= 0:
            return decisions[index][0]
        return tick

    def decision(self, tick: int) -> UtilityDecision | None:
        """The decision of a tick, to be made again; None where a number of it
        is not known.
        """
        threshold = self._number_at("threshold", tick)
        if threshold is None:
            return None
        bids = [
            bid
            for row in self.options
            if (bid := self._bid(row, tick)) is not None
        ]
        winner = str(self.utility.args.get("winner", "highest"))
        return UtilityDecision(tuple(bids), threshold, winner == "highest")

    def why_chosen(self, row_id: str, tick: int) -> Iterator[Bit]:
        """Why an option is the one at a tick: what it beat. Yields words that
        follow its name.
        """
        # A utility may decide only every so often: what an option scored since
        # then decided nothing.
        tick = self.decided_at(tick)
        scored = self.at(tick)
        own = next((each for each in scored if each.row.id == row_id), None)
        rest = [each for each in scored if each.row.id != row_id]
        # It was never scored in this take.
        if own is None:
            return
        held = self._held(tick)
        beaten = next((each for each in rest if each.total <= own.total), None)
        digits = 2
        if beaten is not None:
            digits = _digits_apart(own.total, beaten.total)
        yield f" scores {_with_bonus(own, digits)}"
        yield claim(ClaimKind.SCORED, row_id, tick, score=own.score)
        if held is not None and held[0] == row_id:
            yield TextRun(f", and is held until {held[1]:.2f} s")
        elif self.winner != "highest":
            yield TextRun(f", and was drawn {_DRAWN[self.winner]}")
        else:
            if beaten is not None:
                yield TextRun("; the next is ")
                yield self.names.bit(beaten.row.id)
                yield TextRun(f" with {_with_bonus(beaten, digits)}")
                yield from self._of_equals(own, beaten, tick)
            yield from self._kept_out(own, rest, tick)
        yield TextRun(".")

    def why_first(self, row_id: str, tick: int) -> Iterator[Bit]:
        """Why an option was chosen at a tick when none had been before: what
        it scored, and the next one.
        """
        scored = self.at(tick)
        own = next((each for each in scored if each.row.id == row_id), None)
        if own is None:
            return
        rest = [each for each in scored if each.row.id != row_id]
        following = next(
            (each for each in rest if each.total <= own.total), None
        )
        digits = 2
        if following is not None:
            digits = _digits_apart(own.total, following.total)
        yield self.names.bit(row_id)
        yield f" scored {_text(own.score, digits)}"
        yield claim(ClaimKind.SCORED, row_id, tick, score=own.score)
        if self.winner != "highest":
            yield f", and was drawn {_DRAWN[self.winner]}"
        elif following is not None:
            yield ", and the next one, "
            yield self.names.bit(following.row.id)
            yield f", {_text(following.score, digits)}"
            yield claim(
                ClaimKind.SCORED,
                following.row.id,
                tick,
                score=following.score,
            )
            yield from self._of_equals(own, following, tick)
        yield from self._kept_out(own, rest, tick)

    def _kept_out(
        self, winner: OptionScore, rest: Sequence[OptionScore], tick: int
    ) -> Iterator[Bit]:
        """The options that scored more than the winner and were refused."""
        for each in rest:
            row_id = each.row.id
            refusal = self.record.row(row_id).refusal_at(tick)
            if each.total > winner.total and refusal is not None:
                yield TextRun("; ")
                yield self.names.bit(row_id)
                yield TextRun(f" with {_text(each.total)} was refused")
                yield claim(
                    ClaimKind.REFUSED, row_id, tick, cause=refusal.cause.kind
                )

    def _won(self, scored: OptionScore, tick: int) -> Span | None:
        """The span of an option that won the decision of a tick."""
        span = self.record.row(scored.row.id).span_at(tick)
        # One that ended at the tick without having begun at it has made room.
        if span is None or (span.end == tick and span.start < tick):
            return None
        return span

    def _was_drawn(self, scored: OptionScore, tick: int) -> bool:
        """Whether an option won a decision that draws its winner."""
        return self.winner != "highest" and self._won(scored, tick) is not None

    def _how_drawn(self, scored: OptionScore, tick: int) -> Iterator[Bit]:
        span = self._won(scored, tick)
        if self.winner != "highest" and span is not None:
            yield TextRun(f", and was drawn {_DRAWN[self.winner]}")
            yield claim(ClaimKind.ENTERED, scored.row.id, span.start)

    def _of_equals(
        self, winner: OptionScore, other: OptionScore, tick: int
    ) -> Iterator[Bit]:
        """Why one of two options wins that score the same."""
        span = self._won(winner, tick)
        if (
            winner.total != other.total
            or self.winner != "highest"
            or span is None
        ):
            return
        stays, words = span.start < tick, "the first wins"
        if stays:
            words = "the one that runs stays"
        yield TextRun(f", and of equals {words}")
        yield claim(
            ClaimKind.TIED,
            winner.row.id,
            tick,
            other=other.row.id,
            stays=stays,
        )

    def why_not(self, row_id: str, tick: int) -> Iterator[AnswerLine]:
        """Why an option was not the one, and the smallest changes with which
        it would have won.

        Each such change is played before it is said: the decision is made
        again with it.
        """
        at = self.decided_at(tick)
        scored = self.at(at)
        own = next((each for each in scored if each.row.id == row_id), None)
        rest = [each for each in scored if each.row.id != row_id]
        # A drawn winner need not be the best.
        best = next(filter(partial(self._was_drawn, tick=at), rest), None) or (
            rest[0] if rest else None
        )
        decision = self.decision(at)
        if own is None:
            return
        digits = 2
        if best is not None:
            digits = _digits_apart(own.total, best.total)
        bits: list[Bit] = [f" scored {_text(own.score, digits)}"]
        bits.append(claim(ClaimKind.SCORED, row_id, at, score=own.score))
        if at < tick:
            bits.append(TextRun(" when it was last decided"))
        if decision is not None and own.total <= decision.threshold:
            bits.append(
                TextRun(
                    f", not more than the threshold of {_text(decision.threshold)}"
                )
            )
        if best is not None:
            bits += [
                TextRun("; "),
                self.names.bit(best.row.id),
                TextRun(f" scored {_with_bonus(best, digits)}"),
                *self._of_equals(best, own, at),
                *self._how_drawn(best, at),
            ]
        yield self.names.line(row_id, [*bits, TextRun(".")], Tone.NO)
        if decision is not None:
            yield from self._what_would_win(row_id, decision, at)

    def _what_would_win(
        self, row_id: str, decision: UtilityDecision, tick: int
    ) -> Iterator[AnswerLine]:
        held = self._held(tick)
        bid = next(
            (each for each in decision.bids if each.row.id == row_id), None
        )
        if held is not None:
            option, until_s = held
            text = f" cannot win before {until_s:.2f} s: until then "
            bits = [
                TextRun(text),
                self.names.bit(option),
                TextRun(" is held."),
            ]
            yield self.names.line(row_id, bits)
            return
        # An option that its guard keeps out wins with no input at all, and of
        # a drawn winner nobody can say who it would be.
        if (
            bid is None
            or not bid.is_let_in
            or not self._is_sure(bid, decision)
        ):
            return
        if decision.wins(bid):
            return
        found = self._winning_changes(bid, decision)
        if found:
            wins = TextRun(", or with ".join(found), Tone.YES)
            claims = [
                claim(
                    ClaimKind.WOULD_WIN, row_id, tick, what=what, value=value
                )
                for what, value in found.values()
            ]
            yield self.names.line(
                row_id, [" would win with ", wins, ".", *claims]
            )
        elif bid.most() + bid.bonus <= decision.to_exceed(bid):
            most = _text(bid.most())
            text = f" scores {most} at most, whatever its inputs are: it would need more weight."
            yield self.names.line(row_id, [text])
        else:
            yield self.names.line(
                row_id,
                [TextRun(" would win by no single input that is known.")],
            )

    def _is_sure(self, bid: Bid, decision: UtilityDecision) -> bool:
        """Whether it can be known who would win: the highest does, and the
        option would be let in.

        An option below the threshold is not asked whether it may be entered,
        so with a guard or a decorator nobody knows.
        """
        # A hold that comes from a key has the length that the key had when it
        # began.
        if isinstance(self.utility.args.get("hold"), KeyRef):
            return False
        row = bid.row
        is_evaluated = bid.total > decision.threshold
        return decision.is_highest and (
            is_evaluated or not (row.guard or row.decorators)
        )

    def _winning_changes(
        self, bid: Bid, decision: UtilityDecision
    ) -> dict[str, tuple[str, float]]:
        """The changes with which an option would have won: the words for each,
        and what is changed to what.
        """
        found: dict[str, tuple[str, float]] = {}
        for each in {
            each.text: each for each in reversed(bid.considered)
        }.values():
            value = decision.winning_input(bid, each)
            if value is not None and each.input is not None:
                needed, was = number_text(value), _text(each.input)
                found[f"{self._title(each.row)} at {needed} (it is {was})"] = (
                    each.text,
                    value,
                )
        bonus = decision.winning_bonus(bid)
        if bonus is not None:
            found[f"a stay bonus of {number_text(bonus)}"] = STAY_BONUS, bonus
        return found

    def _held(self, tick: int) -> tuple[str, float] | None:
        """The option that a least hold keeps at a tick, and until when; None
        if none is kept.
        """
        hold_s = self._number_at("hold", tick) or 0.0
        for row in self.options:
            span = self.record.row(row.id).span_at(tick)
            # A hold begins after the tick of the decision that began it, and
            # binds only an option that goes on.
            if (
                span is None
                or span.start >= tick
                or (span.end is not None and span.end <= tick)
            ):
                continue
            until_s = span.start / self.ticks_per_s + hold_s
            if tick / self.ticks_per_s < until_s - 1e-9:
                return row.id, until_s
        return None

    def _number_at(self, name: str, tick: int) -> float | None:
        """A number of the utility at a tick; None where it comes from a key
        that is not known.
        """
        return self._value_at(self.utility.args.get(name, 0.0), tick)

    def _value_at(self, value: ParamValue, tick: int) -> float | None:
        if not isinstance(value, KeyRef):
            if isinstance(value, int | float):
                return float(value)
            return None
        changes = self.record.keys.get(
            self.subject.actual_key(self.utility.id, value.key)
        )
        written = None
        if changes:
            written = changes.at(tick)
        known = None
        if written:
            known = written.value
        if isinstance(known, int | float):
            return float(known)
        return None

    def _bid(self, row: Row, tick: int) -> Bid | None:
        scored = self._scored(row, tick)
        if scored is None:
            return None
        considered = []
        for each in scored.considered:
            low, high, curve, weight = _setup(each.row)
            if each.input is None:
                is_worth = math.nan
            else:
                is_worth = each.worth
            considered.append(
                ConsideredInput(
                    each.row, each.input, is_worth, low, high, curve, weight
                )
            )
        return Bid(
            row,
            _combine(row),
            self._factor(scored, tick),
            scored.score,
            scored.bonus,
            scored.about,
            tuple(considered),
            is_let_in=self.record.row(row.id).refusal_at(tick) is None,
            is_current=self._was_at(row, tick),
        )

    def _was_at(self, row: Row, tick: int) -> bool:
        """Whether an option was active when the decision of a tick was made."""
        spans = self.record.row(row.id).spans
        index = bisect_left(spans, tick, key=lambda each: each.start) - 1
        # One that ended at this tick was still active: being outscored is what
        # ended it.
        end = spans[index].end if index >= 0 else -1
        return end is None or end >= tick

    def _factor(self, own: OptionScore, tick: int) -> float:
        """What an option's considerations are multiplied with: its weight at
        that tick.
        """
        if all(each.input is not None for each in own.considered):
            bare = combined(
                _combine(own.row),
                [each.worth for each in own.considered],
                [_setup(each.row)[3] for each in own.considered],
            )
            # Divided out rather than read from the row: the weight may come
            # from a key that has changed within the tick.
            if bare:
                return own.score / bare
        return self._value_at(own.row.args.get("weight", 1.0), tick) or 0.0

    def _scored(self, row: Row, tick: int) -> OptionScore | None:
        gauge = self.record.row(row.id).gauge_at(tick)
        if gauge is None:
            return None
        rows = [
            self.behavior.row(child)
            for child in self.behavior.outline.children[row.id]
        ]
        gauges = [
            (each, self.record.row(each.id).gauge_at(tick))
            for each in rows
            if each.kind == CONSIDER and not each.muted
        ]
        worths = [found.value if found else 0.0 for _, found in gauges]
        shares = _shares(
            _combine(row), worths, [_setup(each)[3] for each, _ in gauges]
        )
        considered = tuple(
            ConsiderationScore(each, found.of if found else None, worth, share)
            for (each, found), worth, share in zip(
                gauges, worths, shares, strict=True
            )
        )
        return OptionScore(
            row, gauge.value, gauge.of or 0.0, gauge.about, considered
        )

    def _title(self, row: Row) -> str:
        if row.name:
            return row.name
        try:
            return spoken(parse(str(row.args.get("input", ""))), self.catalog)
        except LanguageError:
            return row.id


def with_other_scores(
    table: ScoreTable, other: ScoreTable | None
) -> ScoreTable:
    """The scores of a decision with those of another take at the same tick in
    a column of their own. A dash stands for what was not scored there.
    """
    if other is not None:
        scores = {_row_key(row): row[SCORE_COLUMN] for row in other.rows}
    else:
        scores = {}
    none = TextRun("–")
    rows = []
    for row in table.rows:
        there = scores.get(_row_key(row), none)
        differs = there.text != row[SCORE_COLUMN].text
        if differs:
            tone = Tone.NO
        else:
            tone = Tone.PLAIN
        rows.append((*row, TextRun(there.text, tone)))
    return ScoreTable((*table.columns, "in the other"), tuple(rows))


SCORE_COLUMN = 2
"""The column of a table of scores in which they stand."""


def _row_key(row: tuple[TextRun, ...]) -> tuple[str, str]:
    """What is the same of a line in both takes: its row, and of a candidate
    its name.
    """
    first = row[0]
    candidate = ""
    if first.text.startswith(CANDIDATE_LINE):
        candidate = first.text
    return first.row_id, candidate


def _shares(
    how: str, worths: Sequence[float], weights: Sequence[float]
) -> list[float]:
    if how == "product":
        lost = [abs(math.log(max(each, 1e-9))) for each in worths]
    elif how == "minimum" and worths:
        # A minimum is lost by the first of the least alone.
        lost = [0.0] * len(worths)
        lost[worths.index(min(worths))] = 1.0
    else:
        lost = [
            worth * weight
            for worth, weight in zip(worths, weights, strict=True)
        ]
    total = sum(lost)
    return [each / total if total else 1.0 / len(lost) for each in lost]


def _setup(row: Row) -> tuple[float, float, Curve, float]:
    """A consideration's range, curve and weight."""
    curve = row.args.get("curve")
    if isinstance(curve, Curve):
        shaped = curve
    else:
        shaped = Curve.model_validate({"shape": "linear"})
    return (
        _number(row.args.get("low"), 0.0),
        _number(row.args.get("high"), 1.0),
        shaped,
        _number(row.args.get("weight"), 1.0),
    )


def _combine(row: Row) -> str:
    return str(row.args.get("combine", "product"))


def _number(value: ParamValue | None, default: float) -> float:
    if isinstance(value, int | float) and not isinstance(value, KeyRef):
        return float(value)
    return default


def _with_bonus(scored: OptionScore, digits: int) -> str:
    stays = ""
    if scored.bonus:
        stays = f" + {_text(scored.bonus, digits)} for staying"
    return f"{_text(scored.score, digits)}{stays}"


def _digits_apart(one: float, other: float) -> int:
    """With how many digits two scores read as different ones, if they are."""
    return next(
        (
            digits
            for digits in range(2, MOST_DIGITS)
            if one == other or _text(one, digits) != _text(other, digits)
        ),
        MOST_DIGITS,
    )


def _text(number: float, digits: int = 2) -> str:
    if abs(number) < 100:
        return f"{number:.{digits}f}"
    return number_text(round(number, 1))
