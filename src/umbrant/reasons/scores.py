"""What the options of a utility scored, as it was recorded."""

import math
from bisect import bisect_left, bisect_right
from collections.abc import Sequence
from dataclasses import dataclass

from umbrant.catalog.language.phrases import spoken
from umbrant.catalog.language.tree import LanguageError, parse
from umbrant.catalog.protocols import Gauge
from umbrant.engine.scoring import combined
from umbrant.engine.utility import DECISION
from umbrant.model.behaviors import Row
from umbrant.model.kind_ids import CONSIDER, OPTION
from umbrant.model.parts import candidate_of
from umbrant.model.values import Curve, KeyRef, ParamValue
from umbrant.reasons.agent_context import AgentContext
from umbrant.reasons.utility_decision import (
    Bid,
    ConsideredInput,
    UtilityDecision,
)

STAY_BONUS = "stay_bonus"


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


class RecordedScores:
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

    def at(self, tick: int) -> list[OptionScore]:
        """What each option scored when it was last scored, the best first."""
        found = [
            scored
            for row in self.options
            if (scored := self._scored(row, tick)) is not None
        ]
        return sorted(found, key=lambda scored: -scored.total)

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

    def held(self, tick: int) -> tuple[str, float] | None:
        """The option that a least hold keeps at a tick, and until when; None
        if none is kept.
        """
        hold_s = self._number_at("hold", tick) or 0.0
        for row in self.options:
            span = self.record.row(row.id).span_at(tick)
            # A hold begins after the tick of the decision that began it. One
            # that ended at the tick was held all the same: options are scored
            # before what is in them is done.
            if span is None or span.start >= tick:
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
