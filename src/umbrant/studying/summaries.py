"""What the takes of a study say together: spreads over takes, shares with
their intervals.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from umbrant.expecting.share import wilson

BINS = 20
LikelyShare = tuple[float, float]
"""Between which shares of all takes something lies, likely (Wilson, 95 %)."""


@dataclass(frozen=True)
class TakeSpread:
    """How a number is spread over takes: its median, and the middle nine
    tenths.
    """

    median: float
    low: float
    high: float

    @classmethod
    def of(cls, numbers: Sequence[float]) -> "TakeSpread":
        """The spread of some numbers, of which there is one at least."""
        low, median, high = np.percentile(
            np.asarray(numbers, np.float64), (5, 50, 95)
        ).tolist()
        return cls(median, low, high)


@dataclass(frozen=True)
class RowSummary:
    """What the takes of a study say of one row of one agent."""

    agent: str
    row: str
    takes: int
    """In how many of them it was entered."""
    of: int
    share: LikelyShare
    """In which share of all takes it is entered."""
    entered: TakeSpread
    """How many times, in a take."""
    time: TakeSpread
    """Which share of the take it was active."""
    succeeded: int
    failed: int
    stopped: int
    first_s: TakeSpread | None
    """When it was entered first, of the takes in which it was."""
    longest_s: TakeSpread
    bins: tuple[int, ...]
    """How many takes it was active in for which share of the time, from none
    to all of it in BINS steps.
    """


@dataclass(frozen=True)
class ShareSummary:
    """How often something that is left to chance came out, against how often
    it should.
    """

    agent: str
    row: str
    """The row with the chance; of a draw the child that was drawn."""
    around: str
    """The part of the row that is the chance; of a draw the row that draws."""
    tried: int
    happened: int
    expected: float | None
    """The share that was written down; None where a key says it, or not every
    child could be drawn.
    """

    @property
    def share(self) -> LikelyShare:
        """In which share of all tries it comes out, likely."""
        return wilson(self.happened, self.tried)

    @property
    def is_odd(self) -> bool:
        """Whether what was written down lies outside of what is likely."""
        low, high = self.share
        return (
            self.expected is not None
            and not low - 1e-9 <= self.expected <= high + 1e-9
        )


@dataclass(frozen=True)
class KeySummary:
    """How a key of an agent fared in the takes of a study, of those in which
    it was set. Yes is 1 and no is 0.
    """

    agent: str
    key: str
    takes: int
    changes: TakeSpread
    lowest: float
    highest: float
    last: TakeSpread


@dataclass(frozen=True)
class FindingSummary:
    """Something that the review found, and in how many takes."""

    key: str
    agent: str
    says: str
    """As the first of these takes has it."""
    takes: int
    of: int
    seed: int
    """Of the first of these takes."""


def row_summary(
    agent: str,
    row: str,
    lines: list[tuple[int, ...]],
    ticks_of: Mapping[int, int],
    rate: float,
) -> RowSummary:
    """The summary of a row from its lines: the number of a take and what was
    counted there.
    """
    # A take in which the row never ran has no line, and counts all the same:
    # with nothing.
    by_run = {line[0]: line[1:] for line in lines}
    nothing = (0, 0, 0, 0, 0, 0, 0)
    runs = [
        (by_run.get(run, nothing), max(1, ticks))
        for run, ticks in ticks_of.items()
    ]
    first_s = None
    if by_run:
        first_s = TakeSpread.of([line[5] / rate for line in by_run.values()])
    return RowSummary(
        agent,
        row,
        len(by_run),
        len(runs),
        wilson(len(by_run), len(runs)),
        TakeSpread.of([line[0] for line, _ in runs]),
        TakeSpread.of([line[1] / ticks for line, ticks in runs]),
        sum(line[2] for line, _ in runs),
        sum(line[3] for line, _ in runs),
        sum(line[4] for line, _ in runs),
        first_s,
        TakeSpread.of([line[6] / rate for line, _ in runs]),
        _binned([line[1] / ticks for line, ticks in runs]),
    )


def _binned(shares: list[float]) -> tuple[int, ...]:
    counts, _ = np.histogram(np.clip(shares, 0.0, 1.0), BINS, (0.0, 1.0))
    return tuple(int(each) for each in counts)
