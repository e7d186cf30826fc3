"""Why an option of a utility was chosen, and what would have made another win:
from the scores that were recorded.
"""

from collections.abc import Iterator, Sequence

from umbrant.catalog.protocols import Gauge
from umbrant.model.values import KeyRef, decimals_apart, number_text
from umbrant.reasons.scores import STAY_BONUS, OptionScore, RecordedScores
from umbrant.reasons.sentences import (
    AnswerLine,
    Bit,
    ClaimKind,
    ScoreTable,
    TextRun,
    Tone,
    claim,
    gauge_text,
)
from umbrant.reasons.utility_decision import (
    Bid,
    UtilityDecision,
)
from umbrant.take.record import Outcome, Refusal, Span

CANDIDATE_LINE = "   for "
"""How the line of a candidate begins in a table of scores."""
_DRAWN = {
    "among the best": "among the best few by their scores",
    "within a margin": "among those within the margin by their scores",
}
"""How a winner is drawn, by what the utility is set to."""


class Scores(RecordedScores):
    """Says in words why an option of one utility won."""

    @property
    def how_chosen(self) -> str:
        """How an option is drawn; empty where the best one wins."""
        if self.winner == "highest":
            return ""
        return f"does an option that is drawn {_DRAWN[self.winner]}"

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
        held = self.held(tick)
        beaten = self._next_best(own, rest, tick)
        digits = 2
        if beaten is not None:
            digits = decimals_apart(own.total, beaten.total, 2)
        yield f" scores {_with_bonus(own, digits)}"
        yield claim(ClaimKind.SCORED, row_id, tick, score=own.score)
        if held is not None and held[0] == row_id:
            yield TextRun(f", and is held until {held[1]:.2f} s")
        elif self.winner != "highest":
            yield TextRun(f", and was drawn {_DRAWN[self.winner]}")
            yield from self._kept_out(own, rest, tick)
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
        following = self._next_best(own, rest, tick)
        digits = 2
        if following is not None:
            digits = decimals_apart(own.total, following.total, 2)
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

    def _next_best(
        self, winner: OptionScore, rest: Sequence[OptionScore], tick: int
    ) -> OptionScore | None:
        """The best of the options that the winner beat by their scores."""
        beaten = (
            each
            for each in rest
            if each.total < winner.total
            or (each.total == winner.total and not self._refusal(each, tick))
        )
        return next(beaten, None)

    def _refusal(self, scored: OptionScore, tick: int) -> Refusal | None:
        return self.record.row(scored.row.id).refusal_at(tick)

    def _kept_out(
        self, winner: OptionScore, rest: Sequence[OptionScore], tick: int
    ) -> Iterator[Bit]:
        """The options that scored as much as the winner or more, and were
        refused.
        """
        for each in rest:
            row_id, refusal = each.row.id, self._refusal(each, tick)
            if each.total >= winner.total and refusal is not None:
                yield TextRun("; ")
                yield self.names.bit(row_id)
                yield TextRun(f" with {_text(each.total)} was refused")
                yield claim(
                    ClaimKind.REFUSED, row_id, tick, cause=refusal.cause.kind
                )

    def _won(self, scored: OptionScore, tick: int) -> Span | None:
        """The span of an option that won the decision of a tick."""
        span = self.record.row(scored.row.id).span_at(tick)
        # One that was stopped at the tick without having begun at it has made
        # room, or nothing was decided. What ends otherwise does so after it
        # has won: its guard as well is asked as it is done.
        if (
            span is not None
            and span.end == tick
            and span.start < tick
            and span.outcome is Outcome.STOPPED
            and (span.cause is None or span.cause.kind != "guard_ended")
        ):
            return None
        return span

    def was_decided(self, tick: int) -> bool:
        """Whether the decision that holds at a tick was made at it: an option
        won, or none was let in.
        """
        at = self.decided_at(tick)
        scored, decision = self.at(at), self.decision(at)
        if decision is None or any(self._won(each, at) for each in scored):
            return True
        return not any(
            each.total > decision.threshold and not self._refusal(each, at)
            for each in scored
        )

    def _at_work(
        self, scored: Sequence[OptionScore], tick: int
    ) -> OptionScore | None:
        """Of these the option that was at work after the decision of a tick."""
        # The best need not be at work: another one is held, or was drawn, or
        # the best was refused.
        held = self.held(tick)
        for each in scored:
            if held is not None and each.row.id == held[0]:
                return each
        return next((each for each in scored if self._won(each, tick)), None)

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
            or self._refusal(other, tick)
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
        held = self.held(at)
        best = self._at_work(rest, at)
        decision = self.decision(at)
        if own is None:
            return
        digits = 2
        if best is not None:
            digits = decimals_apart(own.total, best.total, 2)
        bits: list[Bit] = [f" scored {_text(own.score, digits)}"]
        bits.append(claim(ClaimKind.SCORED, row_id, at, score=own.score))
        if at < tick or not self.was_decided(tick):
            bits.append(TextRun(" when it was last decided"))
        if decision is not None and own.total <= decision.threshold:
            bits.append(
                TextRun(
                    f", not more than the threshold of {_text(decision.threshold)}"
                )
            )
        unknown = [each for each in own.considered if each.input is None]
        if unknown:
            bits += [", for ", self.names.bit(unknown[0].row.id)]
            bits.append(" is not known")
        if best is not None:
            bits += [
                TextRun("; "),
                self.names.bit(best.row.id),
                TextRun(f" scored {_with_bonus(best, digits)}"),
                *self._of_equals(best, own, at),
                *self._how_drawn(best, at),
            ]
            if held is not None and held[0] == best.row.id:
                bits.append(TextRun(f", and is held until {held[1]:.2f} s"))
        yield self.names.line(row_id, [*bits, TextRun(".")], Tone.NO)
        yield from self._unknown_inputs(own, at, tick)
        if decision is not None and held is None:
            yield from self._what_would_win(row_id, decision, at)

    def _unknown_inputs(
        self, scored: OptionScore, tick: int, now: int
    ) -> Iterator[AnswerLine]:
        """What an option was scored by that was not known, and why not."""
        for each in scored.considered:
            if each.input is None:
                why = list(self.why_unknown(each.row.id, tick, now))
                bits = [" is not known", *([": ", *why] if why else []), "."]
                yield self.names.line(each.row.id, bits, Tone.NO)

    def why_unknown(self, row_id: str, tick: int, now: int) -> Iterator[Bit]:
        """Why the input of a consideration was not known as it was scored at a
        tick: the keys that were not set, or what its senses found.
        """
        report = self.subject.input_report(row_id)
        keys = list(report.why_unknown(tick, now)) if report else []
        yield from keys
        refusal = self.record.row(row_id).refusal_at(tick)
        if refusal is not None and not keys:
            yield claim(
                ClaimKind.REFUSED, row_id, tick, cause=refusal.cause.kind
            )
            yield from self.names.because(refusal.cause)

    def _what_would_win(
        self, row_id: str, decision: UtilityDecision, tick: int
    ) -> Iterator[AnswerLine]:
        bid = next(
            (each for each in decision.bids if each.row.id == row_id), None
        )
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


def _with_bonus(scored: OptionScore, digits: int) -> str:
    stays = ""
    if scored.bonus:
        stays = f" + {_text(scored.bonus, digits)} for staying"
    return f"{_text(scored.score, digits)}{stays}"


def _text(number: float, digits: int = 2) -> str:
    if digits > 9:
        return number_text(number, digits)
    if abs(number) < 100:
        return f"{number:.{digits}f}"
    return number_text(round(number, 1))
