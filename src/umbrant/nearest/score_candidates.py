"""What could be made otherwise so that an option of a utility would have won:
weights, the stay bonus, the threshold and the least hold, and of what is
considered the range, the curve and the key.
"""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace

from umbrant.catalog.language.tree import KeyTerm, LanguageError, parse
from umbrant.model.parts import ROW
from umbrant.model.values import Shape
from umbrant.nearest.candidate import NumberCandidate
from umbrant.nearest.condition_candidates import ConditionCandidates
from umbrant.nearest.places import CurveNumber
from umbrant.reasons.score_report import Scores
from umbrant.reasons.utility_decision import (
    HAIR,
    STEPS,
    Bid,
    ConsideredInput,
    UtilityDecision,
    edge_of,
)

ENDS = (("low", "start", 0.0, 1.0), ("high", "end", 0.0, 1.0))
CURVE_FIELDS: dict[Shape, Sequence[tuple[str, str, float, float]]] = {
    Shape.LINEAR: ENDS,
    Shape.POWER: (("exponent", "exponent", 0.1, 20.0), *ENDS),
    Shape.LOGISTIC: (
        ("middle", "middle", 0.0, 1.0),
        ("steepness", "steepness", 1.0, 200.0),
    ),
    Shape.LOGIT: (
        ("middle", "middle", 0.0, 1.0),
        ("steepness", "steepness", 1.0, 200.0),
    ),
    Shape.BELL: (
        ("middle", "middle", 0.0, 1.0),
        ("width", "width", 0.01, 2.0),
    ),
    Shape.STEP: (("threshold", "threshold", -1.0, 2.0),),
}
"""By shape the numbers of a curve that are tried: the field, what it is
called, and its bounds (of a threshold in the range of the input).
"""
MOST_TIMES = 20.0
"""How many times as much an option may have to score: with a weight of
hundreds it would be another option.
"""
MOST_OF_ONE = 2
"""How many numbers of the range and the curve of one consideration are tried:
they all come to the same.
"""


class ScoreCandidates(ConditionCandidates):
    """Candidates from the decision of a utility at a tick."""

    def _of_score(self, option: str) -> Iterator[NumberCandidate]:
        """What would have had an option win that did not."""
        utility = self._subject.outline.parent[option]
        if utility is None:
            return
        scores = self._subject.scores(utility)
        at = scores.decided_at(self._tick)
        decision = scores.decision(at)
        bids = decision.bids if decision is not None else ()
        bid = next((each for each in bids if each.row.id == option), None)
        if decision is None or bid is None:
            return
        for each in bid.considered:
            if each.input is None:
                yield from self._of_unknown(each)
        # Who would have been drawn, no number says.
        if decision.is_highest and not decision.wins(bid):
            yield from self._of_weights(bid, decision)
            yield from self._of_utility(utility, scores, bid, decision)
            for each in bid.considered:
                yield from self._of_considered(each, bid, decision)

    def _of_unknown(self, each: ConsideredInput) -> Iterator[NumberCandidate]:
        """What would have made an input known."""
        try:
            yield from self._of_unset(each.row.id, parse(each.text))
        except LanguageError:
            return

    def _of_weights(
        self, bid: Bid, decision: UtilityDecision
    ) -> Iterator[NumberCandidate]:
        """The weight with which an option would have scored as much as it had
        to exceed, and the one with which the best would have scored as little.
        """
        least = decision.to_exceed(bid)
        others = [
            each
            for each in decision.bids
            if each is not bid and each.is_let_in
        ]
        best = max(others, key=lambda each: each.total, default=None)
        wanted = [(bid, least - bid.bonus)]
        if best is not None:
            wanted.append((best, bid.total - best.bonus))
        for each, score in wanted:
            if each.score > 0 and score < MOST_TIMES * each.score:
                guess = each.weight * score / each.score
                yield from self._of(each.row.id, "weight", "weight", guess)

    def _of_utility(
        self,
        utility: str,
        scores: Scores,
        bid: Bid,
        decision: UtilityDecision,
    ) -> Iterator[NumberCandidate]:
        """The numbers of the utility itself that kept an option from winning."""
        at = scores.decided_at(self._tick)
        held = scores.held(at)
        guesses = {"stay_bonus": decision.winning_bonus(bid)}
        if bid.total <= decision.threshold:
            guesses["threshold"] = bid.total
        if held is not None:
            span = self._subject.record.row(held[0]).span_at(at)
            start = span.start if span is not None else at
            guesses["hold"] = self._subject.header.seconds(at - start)
        for name, guess in guesses.items():
            if guess is not None:
                called = name.replace("_", " ")
                yield from self._of(utility, name, called, guess)

    def _of_considered(
        self, each: ConsideredInput, bid: Bid, decision: UtilityDecision
    ) -> Iterator[NumberCandidate]:
        """The range and the curve of something considered, and the key that
        is.
        """
        if each.input is None:
            return
        value, least = each.input, decision.to_exceed(bid)

        def wins(changed: ConsideredInput) -> bool:
            score = bid.score_if(each, changed.worth_of(value))
            return score + bid.bonus > least + HAIR

        yield from self._of_input(each, bid, decision)
        shapes = (*self._of_curve(each, wins), *self._of_range(each, wins))
        nearest = sorted(shapes, key=NumberCandidate.distance)
        yield from nearest[:MOST_OF_ONE]

    def _of_input(
        self, each: ConsideredInput, bid: Bid, decision: UtilityDecision
    ) -> Iterator[NumberCandidate]:
        try:
            tree = parse(each.text)
        except LanguageError:
            return
        wanted = decision.winning_input(bid, each)
        if isinstance(tree, KeyTerm) and wanted is not None:
            was = each.input or 0.0
            yield from self._of_key(each.row.id, tree.key, was, wanted)

    def _of_range(
        self, each: ConsideredInput, wins: Callable[[ConsideredInput], bool]
    ) -> Iterator[NumberCandidate]:
        span = each.high - each.low
        if span <= 0:
            return
        least, most = each.low - 2 * span, each.high + 2 * span
        found = {
            "low": _nearest_winning(
                lambda value: wins(replace(each, low=value)),
                each.low,
                _grid(least, each.high - span / STEPS),
            ),
            "high": _nearest_winning(
                lambda value: wins(replace(each, high=value)),
                each.high,
                _grid(each.low + span / STEPS, most),
            ),
        }
        for name, guess in found.items():
            if guess is not None:
                yield from self._of(each.row.id, name, name, guess)

    def _of_curve(
        self, each: ConsideredInput, wins: Callable[[ConsideredInput], bool]
    ) -> Iterator[NumberCandidate]:
        number = self._subject.outline.number[each.row.id]
        for field, called, low, high in CURVE_FIELDS.get(each.curve.shape, ()):
            place = CurveNumber(
                behavior=self._behavior, row=each.row.id, field=field
            )
            if field == "threshold":
                value = each.input or 0.0
                span = max(abs(each.high - each.low), abs(value), 1.0)
                low, high = value + low * span, value + high * span

            def helps(value: float, field: str = field) -> bool:
                curve = each.curve.model_copy(update={field: value})
                return wins(replace(each, curve=curve))

            was = float(getattr(each.curve, field))
            guess = _nearest_winning(helps, was, _grid(low, high))
            if guess is not None:
                yield NumberCandidate(
                    place,
                    place.shown(was, each.low, each.high),
                    f"the {called} of {number}’s curve",
                    low=place.shown(low, each.low, each.high),
                    high=place.shown(high, each.low, each.high),
                    guess=place.shown(guess, each.low, each.high),
                )

    def _of(
        self, row_id: str, name: str, called: str, guess: float
    ) -> Iterator[NumberCandidate]:
        title = f"{self._subject.outline.number[row_id]}’s {called}"
        yield from self._of_number(row_id, ROW, name, title, guess)


def _grid(low: float, high: float) -> list[float]:
    return [low + (high - low) * step / STEPS for step in range(STEPS + 1)]


def _nearest_winning(
    wins: Callable[[float], bool], was: float, values: Sequence[float]
) -> float | None:
    """The value nearest to what it was with which an option wins; None where
    none of some does.
    """
    winning = [each for each in values if wins(each)]
    if not winning:
        return None
    return edge_of(wins, was, min(winning, key=lambda each: abs(each - was)))
