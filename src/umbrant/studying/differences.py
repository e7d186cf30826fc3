"""Two studies of one scenario against each other: before and after an edit."""

from collections.abc import Iterator
from dataclasses import dataclass

from umbrant.studying.study import StudyFile
from umbrant.studying.summaries import RowSummary

LEAST_TIME = 0.01
"""By how much of the time a row must run more or less to be told of."""


@dataclass(frozen=True)
class RowDifference:
    """What two studies say differently of a row. The one that was there before
    comes first.
    """

    agent: str
    row: str
    takes: tuple[int, int]
    """In how many takes it ran."""
    of: tuple[int, int]
    time: tuple[float, float]
    """The median of the share of the time."""
    is_likely: bool
    """Whether chance hardly explains it: what is likely of all takes does not
    overlap.
    """


def differences(before: StudyFile, after: StudyFile) -> list[RowDifference]:
    """The rows that run in more or fewer takes, or for another share of the
    time. Those that chance hardly explains come first, then those with the
    largest difference.
    """
    ones, others = (
        {(each.agent, each.row): each for each in file.summary()}
        for file in (before, after)
    )
    totals = tuple(
        len(file.counted()) - len(file.faults()) for file in (before, after)
    )
    places = [*ones, *(place for place in others if place not in ones)]
    found = list(_different(places, ones, others, (totals[0], totals[1])))
    return sorted(found, key=lambda each: (not each.is_likely, -_size(each)))


def _different(
    places: list[tuple[str, str]],
    ones: dict[tuple[str, str], RowSummary],
    others: dict[tuple[str, str], RowSummary],
    totals: tuple[int, int],
) -> Iterator[RowDifference]:
    for place in places:
        one, other = ones.get(place), others.get(place)
        takes = (one.takes if one else 0, other.takes if other else 0)
        after_time = 0.0
        if other:
            after_time = other.time.median
        before_time = 0.0
        if one:
            before_time = one.time.median
        time = (
            before_time,
            after_time,
        )
        shares = [
            count / max(1, total)
            for count, total in zip(takes, totals, strict=True)
        ]
        if shares[0] != shares[1] or abs(time[1] - time[0]) >= LEAST_TIME:
            is_likely = one is None or other is None or _apart(one, other)
            yield RowDifference(*place, takes, totals, time, is_likely)


def _apart(one: RowSummary, other: RowSummary) -> bool:
    by_takes = one.share[1] < other.share[0] or other.share[1] < one.share[0]
    return (
        by_takes
        or one.time.high < other.time.low
        or other.time.high < one.time.low
    )


def _size(each: RowDifference) -> float:
    shares = [
        count / max(1, total)
        for count, total in zip(each.takes, each.of, strict=True)
    ]
    return max(abs(shares[1] - shares[0]), abs(each.time[1] - each.time[0]))
