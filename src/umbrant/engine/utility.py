"""A utility at work: it scores its options, and does the one that is worth
most.
"""

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from umbrant.catalog.causes import Cause, cause, cause_of_row
from umbrant.catalog.curves import worth, worth_grid
from umbrant.catalog.geometry import FloatArray
from umbrant.catalog.kinds.decorators import SLACK_S
from umbrant.catalog.kinds.utilities import UtilitySetup
from umbrant.catalog.language.grid import evaluate_on_grid
from umbrant.catalog.language.tree import ConditionTree
from umbrant.catalog.protocols import (
    FAILURE,
    NO_REFUSAL_LOG,
    RUNNING,
    Gauge,
    GaugeSink,
    Measured,
    RefusalLog,
    Status,
    discard,
)
from umbrant.catalog.world import Formula, Me, nobody_else
from umbrant.engine.board import Board, LiveKey
from umbrant.engine.rows import LiveRow
from umbrant.engine.scoring import combined, combined_grid
from umbrant.model.parts import ROW
from umbrant.model.values import Curve

DECISION = "decision"
"""The part of a utility that is counted at each decision, where it decides
only every so often.
"""


@dataclass(frozen=True)
class Consideration:
    """One thing that an option's score depends on."""

    input: Formula
    tree: ConditionTree
    low: float
    high: float
    curve: Curve
    weight: float
    report: GaugeSink = discard
    """Hears of its input and what that is worth."""
    refused: RefusalLog = NO_REFUSAL_LOG
    """Hears why its input is not known."""

    def worth(self) -> tuple[float | None, float]:
        """Its input, and what that is worth; NaN where the input is unknown."""
        value = self.input.value()
        return value, math.nan if value is None else worth(
            self.curve, value, self.low, self.high
        )


class Candidates:
    """The group that an option is scored for one by one, and the key that each
    is put into meanwhile.
    """

    def __init__(
        self, group: str, key: LiveKey, gauging: Callable[[str], GaugeSink]
    ) -> None:
        """`gauging` makes the sink for the scores of a candidate, by its name."""
        self.group = group
        self.key = key
        self._gauging = gauging
        self._sinks: dict[str, GaugeSink] = {}
        """Of those that were scored in the last decision."""

    def report(self, bids: Sequence["OptionBid"]) -> None:
        """Record what the option scores for each candidate, and of those
        scored before which is none any more: a gauge without a bonus.
        """
        names = [bid.candidate or "" for bid in bids]
        for gone in [name for name in self._sinks if name not in names]:
            self._sinks.pop(gone)(Gauge(Measured.SCORE, 0.0))
        for name, bid in zip(names, bids, strict=True):
            sink = self._sinks.get(name) or self._sinks.setdefault(
                name, self._gauging(name)
            )
            sink(Gauge(Measured.SCORE, bid.score, bid.bonus))


@dataclass
class LiveOption:
    """One option of a utility: its row and its considerations."""

    row: LiveRow
    considerations: Sequence[Consideration]
    combine: str
    weight: Callable[[], float]
    report: GaugeSink = discard
    """Hears of its score."""
    candidates: Candidates | None = None

    def scores(self, values: Mapping[str, FloatArray]) -> FloatArray:
        """Its scores for arrays of inputs, by key and by the source of each
        sense, as `evaluate_on_grid` takes them.
        """
        worths = [
            worth_grid(
                each.curve,
                evaluate_on_grid(each.tree, values),
                each.low,
                each.high,
            )
            for each in self.considerations
        ]
        weights = [each.weight for each in self.considerations]
        return combined_grid(self.combine, worths, weights) * max(
            0.0, self.weight()
        )


@dataclass(frozen=True)
class OptionBid:
    """An option's score in one decision, with the candidate it is for."""

    option: LiveOption
    score: float
    bonus: float
    candidate: str | None = None

    @property
    def total(self) -> float:
        """The option's score, with the stay bonus if it is the current one."""
        return self.score + self.bonus


def _uncounted() -> None:
    """For a utility whose decisions are not recorded."""


class LiveUtility:
    """The work of a utility row."""

    def __init__(
        self,
        setup: UtilitySetup,
        options: Sequence[LiveOption],
        board: Board,
        decided: Callable[[], None] = _uncounted,
    ) -> None:
        self.cause: Cause | None = None
        self.options = options
        self._setup = setup
        self._board = board
        self._decided = decided
        self._current: LiveOption | None = None
        self._candidate: str | None = None
        self._own: OptionBid | None = None
        self._until_s = self._next_s = 0.0

    def start(self, me: Me) -> None:
        self.cause = None
        self._current = None
        self._until_s = self._next_s = me.world.now_s

    def tick(self, me: Me) -> Status:
        now_s = me.world.now_s
        if now_s >= self._next_s - SLACK_S or self._current is None:
            every_s = self._setup.every()
            self._next_s = now_s + every_s
            # At every tick is the rule; what is decided more seldom is
            # recorded, so that answers know of which decision they speak.
            if every_s > 0:
                self._decided()
            if not self._decide(me):
                return FAILURE
        return self._go_on(me)

    def stop(self, me: Me) -> None: ...

    def _go_on(self, me: Me) -> Status:
        option = self._current
        assert option is not None  # noqa: S101  (one has just been chosen, or is being done)
        status = option.row.visit(me)
        if status is RUNNING:
            return status
        self._current = None
        if self._setup.then == "decide again":
            return RUNNING
        if status is FAILURE:
            self.cause = cause_of_row("child", option.row.id)
        else:
            self.cause = None
        return status

    def _decide(self, me: Me) -> bool:
        """Score the options and choose one. Returns False if there is none to
        run.
        """
        # Scored also during the hold, so that a take shows what the option is
        # held against.
        bids = [self._bid(me, option) for option in self.options]
        if (
            self._current is not None
            and me.world.now_s < self._until_s - SLACK_S
        ):
            return True
        threshold = self._setup.threshold()
        open_ = [
            bid
            for bid in bids
            if bid is not None
            and bid.total > threshold
            and self._may(me, bid.option)
        ]
        if not open_:
            self.cause = cause("below_threshold", threshold=threshold)
            if self._current is not None:
                self._current.row.halt(me, self.cause)
                self._current = None
            return False
        self._choose(me, self._winner(me, open_))
        return True

    def _may(self, me: Me, option: LiveOption) -> bool:
        # The running option has been let in already; its guard is watched by
        # its row.
        return option is self._current or option.row.opens(me)

    def _winner(self, me: Me, bids: list[OptionBid]) -> OptionBid:
        """The highest bid: of equals the running option, else the earlier. Or
        one drawn by score among the best, once for as long as it is among
        them.
        """
        ranked = sorted(
            bids, key=lambda bid: (-bid.total, bid.option is not self._current)
        )
        if self._setup.winner == "highest":
            return ranked[0]
        if self._setup.winner == "among the best":
            few = ranked[: max(1, round(self._setup.best()))]
        else:
            least = ranked[0].total - self._setup.margin()
            few = [bid for bid in ranked if bid.total >= least]
        # What was drawn stays for as long as it would be among those that are
        # drawn from: drawn anew at each tick it would dither.
        for bid in few:
            if (
                bid.option is self._current
                and bid.candidate == self._candidate
            ):
                return bid
        point = me.random.random() * sum(bid.total for bid in few)
        for bid in few:
            point -= bid.total
            if point < 0:
                return bid
        # The sum of the subtractions can miss zero by the last bits.
        return few[-1]

    def _choose(self, me: Me, bid: OptionBid) -> None:
        if bid.option is self._current and bid.candidate == self._candidate:
            return
        if bid.option is not self._current:
            self._change_to(me, bid)
        self._candidate = bid.candidate
        if bid.option.candidates is not None:
            self._board.writer = (bid.option.row.id, ROW)
            bid.option.candidates.key.set(bid.candidate)

    def _change_to(self, me: Me, bid: OptionBid) -> None:
        if self._current is not None:
            self._current.row.halt(me, self._beaten(me, self._current, bid))
        self._current = bid.option
        self._until_s = me.world.now_s + self._setup.hold()

    def _beaten(self, me: Me, option: LiveOption, winner: OptionBid) -> Cause:
        """Why the option that it is at is left for another one."""
        own = self._own
        if own is None:
            group = option.candidates.group if option.candidates else ""
            return nobody_else(me, group)
        kind = "outscored"
        if own.bonus:
            kind = "outscored_staying"
        score, own_score = _apart(winner.total, own.total)
        return cause(
            kind, row=winner.option.row.id, score=score, own=own_score
        )

    def _bid(self, me: Me, option: LiveOption) -> OptionBid | None:
        """An option's score now, for the candidate that it is highest for;
        None if there is no candidate.
        """
        stays = 0.0
        if option is self._current:
            stays = self._setup.stay_bonus()
        if option.candidates is None:
            bid: OptionBid | None = OptionBid(
                option, self._score(option, report=True), stays
            )
        else:
            bid = self._best_candidate(me, option, stays)
        if option is self._current:
            self._own = bid
        if bid is None:
            option.report(Gauge(Measured.SCORE, 0.0, 0.0))
            return None
        option.report(
            Gauge(Measured.SCORE, bid.score, bid.bonus, bid.candidate or "")
        )
        return bid

    def _best_candidate(
        self, me: Me, option: LiveOption, stays: float
    ) -> OptionBid | None:
        wanted = option.candidates
        assert wanted is not None  # noqa: S101  (asked only of options that have candidates)
        names = [
            each.name
            for each in me.world.bodies(wanted.group)
            if each.name != me.name
        ]
        names.extend(each.name for each in me.world.props(wanted.group))
        before = wanted.key.value
        bids: list[OptionBid] = []
        # The key is set to each candidate in turn, since considerations read
        # it. Not by `set`: a trial is no write that a take should show.
        for name in names:
            wanted.key.value = name
            at_it = option is self._current and name == self._candidate
            score = self._score(option, report=False)
            bids.append(
                OptionBid(option, score, stays if at_it else 0.0, name)
            )
        # Of equals the first.
        best = max(bids, key=lambda bid: bid.total, default=None)
        if option.report is not discard:
            wanted.report(bids)
        if best is not None:
            wanted.key.value = best.candidate
            self._score(option, report=True)
        wanted.key.value = before
        return best

    def _score(self, option: LiveOption, *, report: bool) -> float:
        worths = []
        for each in option.considerations:
            value, is_worth = each.worth()
            worths.append(is_worth)
            if report:
                if math.isnan(is_worth):
                    recorded = 0.0
                else:
                    recorded = is_worth
                each.report(Gauge(Measured.INPUT, recorded, value))
                if value is None and each.input.cause is not None:
                    each.refused(each.input.cause)
        weights = [each.weight for each in option.considerations]
        return combined(option.combine, worths, weights) * max(
            0.0, option.weight()
        )


def _apart(one: float, other: float) -> tuple[float, float]:
    """Two scores as they are recorded: with as few decimals as tell them
    apart, and no fewer than three.
    """
    for decimals in range(3, 9):
        short = round(one, decimals), round(other, decimals)
        if short[0] != short[1]:
            return short
    return one, other
