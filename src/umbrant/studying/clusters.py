"""Takes of a study that went alike, the odd ones first."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from umbrant.catalog.geometry import FloatArray

APART = 0.25
"""Takes of one cluster differ on the average in what led for less than this
share of the time.
"""
GRAIN = 20
"""What led is told apart in so many parts of the time, so that alike takes are
compared once.
"""
MOST = 1500
"""How many takes that differ are compared with each other; the others go to
the nearest cluster.
"""


@dataclass(frozen=True)
class TakeCluster:
    """Takes in which the same rows led an agent for about the same time."""

    runs: tuple[int, ...]
    """Their numbers in the study."""
    shares: Mapping[str, float]
    """For which share of the time each row led, on the average; the longest
    first.
    """


def clusters(
    leads: Mapping[int, Mapping[str, int]], ticks_of: Mapping[int, int]
) -> list[TakeCluster]:
    """Sort takes by what led an agent: `leads` has the ticks of each row for
    each take. The smallest cluster comes first; of two as small that with the
    earlier take.
    """
    if not leads:
        return []
    runs = sorted(leads)
    rows = sorted({row for each in leads.values() for row in each})
    shares = np.array(
        [
            [leads[run].get(row, 0) / max(1, ticks_of[run]) for row in rows]
            for run in runs
        ]
    )
    # Comparing each take with each other would take the square of ten
    # thousand; most are alike up to the grain.
    distinct, kind_of = np.unique(
        np.round(shares * GRAIN) / GRAIN, axis=0, return_inverse=True
    )
    sorted_as = _sorted(distinct)[kind_of.ravel()]
    found = [
        _cluster(runs, rows, shares, np.flatnonzero(sorted_as == each))
        for each in np.unique(sorted_as)
    ]
    return sorted(found, key=lambda each: (len(each.runs), each.runs[0]))


def _sorted(kinds: FloatArray) -> FloatArray:
    """The number of the cluster of each kind of take."""
    few = kinds[:MOST]
    if len(few) == 1:
        return np.ones(len(kinds))
    # A large library, which nobody is to wait for who needs no clusters.
    from scipy.cluster.hierarchy import fcluster, linkage

    # Half the sum of the differences is the share of the time in which
    # something else led.
    groups = fcluster(
        linkage(few, "average", metric="cityblock"), 2 * APART, "distance"
    )
    if len(kinds) == len(few):
        return np.asarray(groups, np.float64)
    # A take beyond those that were compared goes where it is nearest to the
    # mean, which costs one look at each cluster.
    means = np.array(
        [
            few[groups == each].mean(axis=0)
            for each in range(1, groups.max() + 1)
        ]
    )
    others = [
        np.abs(means - each).sum(axis=1).argmin() + 1 for each in kinds[MOST:]
    ]
    return np.asarray([*groups, *others], np.float64)


def _cluster(
    runs: list[int],
    rows: list[str],
    shares: FloatArray,
    members: "np.ndarray[tuple[int], np.dtype[np.intp]]",
) -> TakeCluster:
    means = shares[members].mean(axis=0)
    order = sorted(
        range(len(rows)), key=lambda place: (-means[place], rows[place])
    )
    return TakeCluster(
        tuple(runs[place] for place in members),
        {
            rows[place]: float(means[place])
            for place in order
            if means[place] > 0
        },
    )
