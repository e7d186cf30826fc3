"""Why an option of a utility was chosen, and what would have made another win: from the scores that
were recorded.
"""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from umbrant.catalog.curves import worth_grid
from umbrant.catalog.declare import Catalog
from umbrant.catalog.language.phrases import spoken
from umbrant.catalog.language.tree import LanguageError, parse
from umbrant.engine.scoring import combined, combined_grid
from umbrant.model.behaviors import Behavior, Row
from umbrant.model.kind_ids import CONSIDER, OPTION
from umbrant.model.values import Curve, KeyRef, ParamValue, number_text
from umbrant.reasons.sentences import AnswerLine, RowNames, ScoreTable, TextRun, Tone
from umbrant.take.record import AgentRecord

STEPS = 400
"""Into how many steps an input's range is cut when looking for the value that would have won."""


@dataclass(frozen=True)
class ConsiderationScore:
    """One consideration at a tick: its input (None where it was unknown) and what that was
    worth.
    """

    row: Row
    input: float | None
    worth: float
    share: float
    """How much of the score comes from it, or, in a product, how much of what is missing to 1."""


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

    def __init__(
        self,
        behavior: Behavior,
        record: AgentRecord,
        names: RowNames,
        catalog: Catalog,
        utility: str,
    ) -> None:
        self.behavior = behavior
        self.record = record
        self.names = names
        self.catalog = catalog
        self.utility = behavior.row(utility)
        self.options = [
            behavior.row(child)
            for child in behavior.outline.children[utility]
            if behavior.row(child).kind == OPTION and not behavior.row(child).muted
        ]

    def at(self, tick: int) -> list[OptionScore]:
        """What each option scored when it was last scored, the best first."""
        found = [scored for row in self.options if (scored := self._scored(row, tick)) is not None]
        return sorted(found, key=lambda scored: -scored.total)

    def table(self, tick: int, chosen: str | None) -> ScoreTable:
        """The scores as a table: each option, and under it what was considered."""
        rows: list[tuple[TextRun, ...]] = []
        for scored in self.at(tick):
            tone = Tone.YES if scored.row.id == chosen else Tone.PLAIN
            bonus = f" + {_text(scored.bonus)}" if scored.bonus else ""
            about = f" for {scored.about}" if scored.about else ""
            name = self.names.bit(scored.row.id)
            rows.append(
                (
                    TextRun(name.text + about, Tone.NAME, name.row_id),
                    TextRun(""),
                    TextRun(_text(scored.score) + bonus, tone),
                    TextRun(""),
                )
            )
            for each in scored.considered:
                input_text = "not known" if each.input is None else _text(each.input)
                share = f"{each.share * 100:.0f} %"
                cells = (
                    TextRun(f"   {self._title(each.row)}", Tone.PLAIN, each.row.id),
                    TextRun(input_text),
                    TextRun(_text(each.worth)),
                )
                rows.append((*cells, TextRun(share)))
        return ScoreTable(("option", "input", "score", "share"), tuple(rows))

    def why_not(self, row_id: str, tick: int) -> Iterator[AnswerLine]:
        """Why an option was not the one, and the smallest changes that would have made it win."""
        scored = self.at(tick)
        own = next((each for each in scored if each.row.id == row_id), None)
        best = next((each for each in scored if each.row.id != row_id), None)
        threshold = _number(self.utility.args.get("threshold"), 0.0)
        if own is None:
            return
        bits = [TextRun(f" scored {_text(own.score)}")]
        if own.total <= threshold:
            bits.append(TextRun(f", not more than the threshold of {_text(threshold)}"))
        if best is not None:
            bits += [
                TextRun("; "),
                self.names.bit(best.row.id),
                TextRun(f" scored {_text(best.score)}"),
            ]
            if best.bonus:
                bits.append(TextRun(f" + {_text(best.bonus)} for staying"))
        yield self.names.line(row_id, [*bits, TextRun(".")], Tone.NO)
        ways = list(self._ways_to_win(own, best, threshold))
        if ways:
            yield self.names.line(
                row_id,
                [
                    TextRun(" would win with "),
                    TextRun(", or with ".join(ways), Tone.YES),
                    TextRun("."),
                ],
            )
        elif own.total <= self._wanted(best, threshold):
            yield self.names.line(row_id, [TextRun(self._no_way(own, best, threshold))])

    def _no_way(self, own: OptionScore, best: OptionScore | None, threshold: float) -> str:
        """Why no single change would have made an option win."""
        most = self._most(own)
        if most <= self._wanted(best, threshold):
            return (
                f" scores {_text(most)} at most, whatever its inputs are: it would need more "
                "weight."
            )
        return " would win only if more than one of its inputs were otherwise."

    def _most(self, own: OptionScore) -> float:
        """The highest score that an option can have."""
        setups = [_setup(each.row) for each in own.considered]
        worths = [
            float(np.max(worth_grid(curve, np.linspace(low, high, STEPS + 1), low, high)))
            for low, high, curve, _ in setups
        ]
        return combined(
            _combine(own.row), worths, [weight for *_, weight in setups]
        ) * self._factor(own)

    def _factor(self, own: OptionScore) -> float:
        """What an option's considerations are multiplied with: its weight at that tick."""
        bare = self._bare(own)
        return own.score / bare if bare else self._weight(own.row)

    def _wanted(self, best: OptionScore | None, threshold: float) -> float:
        """The score that must be exceeded to win."""
        return max(best.total, threshold) if best else threshold

    def _ways_to_win(
        self, own: OptionScore, best: OptionScore | None, threshold: float
    ) -> Iterator[str]:
        """The smallest changes with which an option would have scored more than the best other, and
        the threshold.
        """
        wanted = self._wanted(best, threshold)
        for each in own.considered if own.total <= wanted else ():
            value = self._winning_input(own, each, wanted)
            if value is not None and each.input is not None:
                sign = "≤" if value < each.input else "≥"
                needed = number_text(round(value, 2))
                yield f"{self._title(each.row)} {sign} {needed} (it is {_text(each.input)})"
        if best and best.bonus and threshold < own.score and best.score < own.score:
            yield f"the stay bonus under {_text(own.score - best.score)}"

    def _winning_input(
        self, own: OptionScore, considered: ConsiderationScore, wanted: float
    ) -> float | None:
        """The input closest to the recorded one with which the option would have scored more than
        `wanted`.
        """
        low, high, curve, _ = _setup(considered.row)
        inputs = np.linspace(low, high, STEPS + 1)
        worths = [np.full_like(inputs, each.worth) for each in own.considered]
        index = own.considered.index(considered)
        worths[index] = worth_grid(curve, inputs, low, high)
        weights = [_setup(each.row)[3] for each in own.considered]
        scores = combined_grid(_combine(own.row), worths, weights) * self._factor(own)
        winning = inputs[scores > wanted + 1e-9]
        if considered.input is None or not len(winning):
            return None
        return float(winning[np.argmin(np.abs(winning - considered.input))])

    def _bare(self, scored: OptionScore) -> float:
        worths = [each.worth for each in scored.considered]
        return combined(
            _combine(scored.row), worths, [_setup(each.row)[3] for each in scored.considered]
        )

    def _weight(self, row: Row) -> float:
        weight = row.args.get("weight", 1.0)
        return float(weight) if isinstance(weight, int | float) else 1.0

    def _scored(self, row: Row, tick: int) -> OptionScore | None:
        gauge = self.record.row(row.id).gauge_at(tick)
        if gauge is None:
            return None
        rows = [self.behavior.row(child) for child in self.behavior.outline.children[row.id]]
        gauges = [
            (each, self.record.row(each.id).gauge_at(tick))
            for each in rows
            if each.kind == CONSIDER and not each.muted
        ]
        worths = [found.value if found else 0.0 for _, found in gauges]
        shares = _shares(_combine(row), worths, [_setup(each)[3] for each, _ in gauges])
        considered = tuple(
            ConsiderationScore(each, found.of if found else None, worth, share)
            for (each, found), worth, share in zip(gauges, worths, shares, strict=True)
        )
        return OptionScore(row, gauge.value, gauge.of or 0.0, gauge.about, considered)

    def _title(self, row: Row) -> str:
        if row.name:
            return row.name
        try:
            return spoken(parse(str(row.args.get("input", ""))), self.catalog)
        except LanguageError:
            return row.id


def _shares(how: str, worths: Sequence[float], weights: Sequence[float]) -> list[float]:
    if how == "product":
        lost = [abs(math.log(max(each, 1e-9))) for each in worths]
    elif how == "minimum":
        lost = [1.0 if index == worths.index(min(worths)) else 0.0 for index in range(len(worths))]
    else:
        lost = [worth * weight for worth, weight in zip(worths, weights, strict=True)]
    total = sum(lost)
    return [each / total if total else 1.0 / len(lost) for each in lost]


def _setup(row: Row) -> tuple[float, float, Curve, float]:
    """A consideration's range, curve and weight."""
    curve = row.args.get("curve")
    return (
        _number(row.args.get("low"), 0.0),
        _number(row.args.get("high"), 1.0),
        curve if isinstance(curve, Curve) else Curve.model_validate({"shape": "linear"}),
        _number(row.args.get("weight"), 1.0),
    )


def _combine(row: Row) -> str:
    return str(row.args.get("combine", "product"))


def _number(value: ParamValue | None, default: float) -> float:
    return (
        float(value)
        if isinstance(value, int | float) and not isinstance(value, KeyRef)
        else default
    )


def _text(number: float) -> str:
    return f"{number:.2f}" if abs(number) < 100 else number_text(round(number, 1))
