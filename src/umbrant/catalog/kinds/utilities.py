"""The rows of which a utility chooser is made: options, and what is considered
in each.

These classes say how an author set a row up; how options are scored and chosen
is told in `engine.utility`.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from umbrant.catalog.declare import composite, part
from umbrant.catalog.kind import RUNS, Family, NumberKind
from umbrant.catalog.outcomes import EITHER, PossibleOutcomes
from umbrant.catalog.params import (
    Amount,
    Count,
    Fixed,
    Group,
    Live,
    NamedKey,
    Number,
    Seconds,
    Share,
)
from umbrant.catalog.world import Formula
from umbrant.model.kind_ids import CONSIDER, OPTION, UTILITY
from umbrant.model.values import Curve, ParamValue, Shape

Winner = Literal["highest", "among the best", "within a margin"]
Combining = Literal["product", "mean", "minimum", "weighted sum"]
Then = Literal["decide again", "end with it"]

STRAIGHT = Curve(shape=Shape.LINEAR)


def _can_end(
    args: Mapping[str, ParamValue], inside: Sequence[PossibleOutcomes]
) -> PossibleOutcomes:
    """One that decides again has no end but failure, when no option scores
    enough.
    """
    decides_again = args.get("then", "decide again") == "decide again"
    if decides_again:
        return PossibleOutcomes(False, True)
    return EITHER


@composite(
    "{winner} score[ of the best {best}][ at most {margin} below][ stay bonus {stay_bonus}][ "
    "hold {hold}]"
    "[ threshold {threshold}][ decides every {every}][ when an option ends {then}]",
    success="when an option succeeds, if it ends with it",
    failure="when no option scores above the threshold, or one fails, if it ends with it",
    summary="does the option that scores best",
    can_end=_can_end,
    number=NumberKind.CHOICE,
    name=UTILITY,
    holds=(Family.OPTION,),
    facts={"below_threshold.threshold": "threshold"},
)
@dataclass(frozen=True)
class UtilitySetup:
    """Scores its options again and again, and does the one that is worth most.

    Example: a stall keeper: *Sell* by how many customers are near, *Restock* by how little is left.

    For: score, needs, desires, weigh, best option, rate, evaluate, appraise, urges, hungry,
    thirsty, tired, bored, motivation, desire, urge, hunger, sleepy, fatigue.

    winner: the highest score; or one drawn by score among the best few, or among those within a
    margin of the highest
    best: among how many of the best it draws
    margin: how far below the highest a score may be to be drawn
    stay_bonus: what is added to the score of the option it is at, so that it does not dither
    hold: how long it stays with an option at least
    threshold: options must score more than this to be chosen at all
    every: how often it decides; 0 is at every tick
    then: what happens when the option it is at has ended
    """

    winner: Winner = "highest"
    best: Live[Count] = Fixed(3.0)
    margin: Live[Share] = Fixed(0.1)
    stay_bonus: Live[Share] = Fixed(0.0)
    hold: Live[Seconds] = Fixed(0.0)
    threshold: Live[Share] = Fixed(0.0)
    every: Live[Seconds] = Fixed(0.0)
    then: Then = "decide again"


@part(
    Family.OPTION,
    "[by {combine}][ weight {weight}][ for each of {among}][ as {target}]",
    name=OPTION,
    number=NumberKind.SCORE,
    holds=(*RUNS, Family.CONSIDERATION),
    running="it was chosen",
    success="the rows in it have succeeded",
    failure="a row in it failed",
)
@dataclass(frozen=True)
class OptionSetup:
    """One thing a utility can choose. What is considered in it gives its score, from 0 to 1, times
    its weight. The rows in it are done in order once it is chosen.

    With *for each of* a group, the option is scored for every one of it. A key keeps the best.

    Example: *Chase*, for each of visitors as quarry, by how near and how slow each is.

    For: choice, alternative, candidate, need, desire.

    combine: how what is considered comes to one score: product with a make-up for their number,
    mean, minimum, or sum
    weight: what the score is multiplied by
    among: the group whose members are scored one by one
    target: the key that holds each of the group while it is scored, and keeps the one chosen
    """

    combine: Combining = "product"
    weight: Live[Amount] = Fixed(1.0)
    among: Group = ""
    target: NamedKey | None = None


@part(
    Family.CONSIDERATION,
    "{input} {low} to {high} {curve}[ weight {weight}]",
    name=CONSIDER,
    number=NumberKind.SCORE,
    value="what the input is worth, from 0 to 1",
)
@dataclass(frozen=True)
class ConsiderSetup:
    """One thing that an option's score depends on: an input, its range, and a curve that says what
    it is worth.

    Example: consider `stock` from 0 to 20, logistic, flipped: the less is left, the more *Restock*
    is worth.

    For: factor, curve, input, criterion, weigh, score, axis.

    input: a key, a sense or a formula that gives a number
    low: where the range begins
    high: where the range ends
    curve: what an input in the range is worth
    weight: how much it counts in a mean or a weighted sum
    """

    input: Formula
    low: Number = 0.0
    high: Number = 1.0
    curve: Curve = STRAIGHT
    weight: Amount = 1.0
