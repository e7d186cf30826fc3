"""A decision of a utility, from what was recorded of it: made again, as it was
or with one number changed.

What would have won is never worked out from a difference of scores. The
decision is made again, with all options, the stay bonus, the threshold and the
least hold, and then it is looked at who won.
"""

import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

from umbrant.catalog.curves import worth
from umbrant.catalog.language.tree import (
    KeyTerm,
    LanguageError,
    SenseCall,
    parse,
    source,
    walk,
)
from umbrant.engine.scoring import combined
from umbrant.model.behaviors import Row
from umbrant.model.values import Curve, Shape

STEPS = 120
"""Into how many steps an input's range is cut when looking for a value that
would have won.
"""
MOST_DIGITS = 6
HAIR = 1e-9
"""By how much a sum must exceed another to be surely more."""


@dataclass(frozen=True)
class ConsideredInput:
    """One consideration in a decision: its input (None where it was unknown)
    and its worth.
    """

    row: Row
    input: float | None
    worth: float
    low: float
    high: float
    curve: Curve
    weight: float

    @property
    def text(self) -> str:
        """The condition language's text of the input."""
        return str(self.row.args.get("input", ""))

    @cached_property
    def asks(self) -> frozenset[str]:
        """The keys and senses that the input is made of."""
        try:
            tree = parse(self.text)
        except LanguageError:
            return frozenset()
        found = set()
        for part in walk(tree):
            if isinstance(part, KeyTerm):
                found.add(part.key)
            elif isinstance(part, SenseCall):
                found.add(source(part))
        return frozenset(found)

    def worth_of(self, value: float) -> float:
        """What another input would be worth."""
        return worth(self.curve, value, self.low, self.high)

    def candidates(self) -> Iterator[float]:
        """Inputs to try, over the range in which they make a difference."""
        low, high = self.low, self.high
        if self.curve.shape is Shape.STEP:
            low, high = (
                min(low, self.curve.threshold - 1),
                max(high, self.curve.threshold + 1),
            )
        for step in range(STEPS + 1):
            yield low + (high - low) * step / STEPS


@dataclass(frozen=True)
class Bid:
    """One option in a decision."""

    row: Row
    combine: str
    weight: float
    """What its considerations together are multiplied with."""
    score: float
    bonus: float
    about: str
    """The candidate it is for, of an option that is scored for each of a
    group.
    """
    considered: tuple[ConsideredInput, ...]
    is_let_in: bool
    """Whether its guard and its decorators let it be entered."""
    is_current: bool
    """Whether the utility was at it when it decided."""

    @property
    def total(self) -> float:
        """The score with the stay bonus."""
        return self.score + self.bonus

    def depends_on(self, text: str) -> bool:
        """Whether an input, by its text, is among those that are considered."""
        return any(each.text == text for each in self.considered)

    def score_with(self, inputs: Mapping[str, float]) -> float:
        """The score with other inputs, by the text of what is considered."""
        if not any(map(self.depends_on, inputs)):
            return self.score
        worths = []
        for each in self.considered:
            if each.text in inputs:
                worths.append(each.worth_of(inputs[each.text]))
            else:
                worths.append(each.worth)
        return self._combined(worths)

    def score_if(self, considered: ConsideredInput, worth: float) -> float:
        """The score if one of what is considered were worth something else."""
        return self._combined(
            [
                worth if each is considered else each.worth
                for each in self.considered
            ]
        )

    def most(self) -> float:
        """No inputs would give it a higher score than this."""
        best = []
        for each in self.considered:
            worths = map(each.worth_of, each.candidates())
            if each.weight >= 0:
                best.append(max(worths))
            else:
                # What counts against it is best where it is least.
                best.append(min(worths))
        return self._combined(best)

    def _combined(self, worths: Sequence[float]) -> float:
        """The score, given what each input is worth."""
        weights = [each.weight for each in self.considered]
        return combined(self.combine, worths, weights) * max(0.0, self.weight)


@dataclass(frozen=True)
class UtilityDecision:
    """The options of a utility as they were when it decided."""

    bids: tuple[Bid, ...]
    """In the order in which they are written."""
    threshold: float
    is_highest: bool
    """Whether the highest wins. If not, the winner is drawn, and nobody can
    say who it would be.
    """

    def wins(
        self,
        bid: Bid,
        inputs: Mapping[str, float] | None = None,
        bonus: float | None = None,
    ) -> bool:
        """Whether an option wins, with other inputs or another stay bonus.

        It has to win by more than rounding could give it: weights are
        recovered from scores, so what comes out equal may be a hair apart
        either way.
        """
        least = self.to_exceed(bid, inputs, bonus)
        return bid.is_let_in and self._total(bid, inputs, bonus) > least + HAIR

    def to_exceed(
        self,
        bid: Bid,
        inputs: Mapping[str, float] | None = None,
        bonus: float | None = None,
    ) -> float:
        """What an option must score more than: the threshold, and every other
        that is let in.
        """
        others = [
            each for each in self.bids if each is not bid and each.is_let_in
        ]
        return max(
            [
                self.threshold,
                *(self._total(each, inputs, bonus) for each in others),
            ]
        )

    def _total(
        self, bid: Bid, inputs: Mapping[str, float] | None, bonus: float | None
    ) -> float:
        if bonus is not None and bid.is_current:
            stays = bonus
        else:
            stays = bid.bonus
        if inputs:
            return bid.score_with(inputs) + stays
        return bid.score + stays

    def winning_input(
        self, bid: Bid, considered: ConsideredInput
    ) -> float | None:
        """An input nearest to what it was with which an option would have won,
        in few digits; None if none was found, or if it cannot be known.
        """
        value = considered.input
        # What the input is made of may move others as well, and then this one
        # alone never changes.
        if value is None or not self._stands_alone(considered):
            return None

        # Only options that ask the same change with it; the others are looked
        # at once.
        touched = [
            each for each in self.bids if each.depends_on(considered.text)
        ]
        fixed = [each for each in self.bids if each not in touched]
        least = max(
            [self.threshold, *(each.total for each in fixed if each.is_let_in)]
        )
        changing = UtilityDecision(tuple(touched), least, self.is_highest)

        def wins(changed: float) -> bool:
            return changing.wins(bid, {considered.text: changed})

        winning = [each for each in considered.candidates() if wins(each)]
        if not winning:
            return None
        # The values that win need not lie together: a curve may rise and fall.
        # Nearest to what it was is the smallest change.
        near = min(winning, key=lambda each: abs(each - value))
        return shortest(edge_of(wins, value, near), near, wins)

    def winning_bonus(self, bid: Bid) -> float | None:
        """A stay bonus just small enough for an option to win against the one
        that stays; None if none would do.
        """
        stays = [each for each in self.bids if each.is_current and each.bonus]
        if not stays or bid in stays:
            return None

        def wins(bonus: float) -> bool:
            return self.wins(bid, bonus=bonus)

        if wins(0.0):
            return shortest(edge_of(wins, stays[0].bonus, 0.0), 0.0, wins)
        return None

    def _stands_alone(self, considered: ConsideredInput) -> bool:
        """Whether another input of a consideration leaves all that is considered otherwise as it
        was: what is made of the same keys and senses in another way would change as well, and a
        candidate of a group would have been another.
        """
        return all(
            each.text == considered.text or not each.asks & considered.asks
            for bid in self.bids
            for each in bid.considered
        ) and not any(
            bid.about
            and any(each.text == considered.text for each in bid.considered)
            for bid in self.bids
        )


def edge_of(
    wins: Callable[[float], bool], loses_at: float, wins_at: float
) -> float:
    """The value nearest to where it loses at which it still wins, to some
    fifteen digits.
    """
    # `wins_at` wins and `loses_at` loses all the way, so what is left between
    # them is an edge.
    for _ in range(50):
        middle = (loses_at + wins_at) / 2
        if wins(middle):
            wins_at = middle
        else:
            loses_at = middle
    return wins_at


def shortest(
    edge: float, inside: float, wins: Callable[[float], bool]
) -> float:
    """A value in as few digits as still win, from the edge of the winning
    values inwards.
    """
    for digits in range(2, MOST_DIGITS + 1):
        scale = 10.0**digits
        towards: Sequence[float] = (
            (math.floor(edge * scale) / scale, math.ceil(edge * scale) / scale)
            if inside <= edge
            else (
                math.ceil(edge * scale) / scale,
                math.floor(edge * scale) / scale,
            )
        )
        # Rounded towards the winning side first; rounded away from it the
        # value may lose, so each is tried.
        for value in towards:
            if wins(value):
                return value
    return edge
