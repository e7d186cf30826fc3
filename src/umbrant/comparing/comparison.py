"""Two takes held against each other: where they part, and what followed for
each of the cast.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from umbrant.comparing.parting import (
    Difference,
    DifferenceKind,
    differences_by_agent,
    first_among,
)
from umbrant.take.compare import TickRange, different
from umbrant.take.reader import Take


@dataclass(frozen=True)
class AgentComparison:
    """What one of the cast did otherwise."""

    first: Difference
    ranges: tuple[TickRange, ...]
    """The ticks at which a row of its behavior was in another state."""
    farthest_m: float
    """How far apart its bodies were at most, where both were on the stage."""

    @property
    def ticks_apart(self) -> int:
        """At how many ticks a row of its behavior was in another state."""
        return sum(each.end - each.start + 1 for each in self.ranges)

    def plain(self) -> dict[str, object]:
        """The comparison as JSON has it."""
        return {
            "first": self.first.plain(),
            "ticks_apart": self.ticks_apart,
            "farthest_m": round(self.farthest_m, 3),
        }


@dataclass(frozen=True)
class TakeComparison:
    """Two takes held against each other. Rows are matched by id, bodies by
    name.
    """

    one: Take
    other: Take
    first: Difference | None
    """The first thing that differs; None if the takes are equal."""
    by_agent: Mapping[str, AgentComparison]
    """Those of the cast that did something else, in the order of the cast."""

    @property
    def is_equal(self) -> bool:
        """Whether the same happened in both."""
        return self.first is None

    @property
    def worth_telling(self) -> Difference | None:
        """The difference to tell of first: of a cue what came of it, if
        anything did.
        """
        is_cue = (
            self.first is not None and self.first.kind is DifferenceKind.CUE
        )
        return (self.first_among_agents if is_cue else None) or self.first

    @cached_property
    def first_among_agents(self) -> Difference | None:
        """The first difference in what the cast did: with another cue what
        came of it.
        """
        firsts = [each.first for each in self.by_agent.values()]
        return min(
            firsts, key=lambda each: (each.tick, each.phase), default=None
        )


def compared(
    one: Take, other: Take, *, only_outcome: bool = False
) -> TakeComparison:
    """Hold two takes against each other. With `only_outcome` only bodies,
    props and keys count.
    """
    differences = differences_by_agent(one, other, only_outcome=only_outcome)
    by_agent = {
        name: AgentComparison(
            first,
            ranges_apart(one, other, name),
            _farthest_m(one, other, name),
        )
        for name, first in differences.items()
    }
    first = first_among(one, other, differences, only_outcome=only_outcome)
    return TakeComparison(one, other, first, by_agent)


def ranges_apart(one: Take, other: Take, agent: str) -> tuple[TickRange, ...]:
    """The ticks at which any row of an agent was in another state, as ranges
    in order of time.
    """
    # One mark for each tick, so that rows that differ at the same ticks make
    # one range.
    ticks = np.zeros(max(one.ticks, other.ticks) + 1, bool)
    for stretches in different(one, other, agent).values():
        for each in stretches:
            ticks[each.start : each.end + 1] = True
    edges = np.flatnonzero(
        np.diff(np.concatenate(([False], ticks, [False])).astype(np.int8))
    )
    pairs = zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True)
    return tuple(TickRange(start, end - 1) for start, end in pairs)


def _farthest_m(one: Take, other: Take, agent: str) -> float:
    here, there = one.poses.get(agent), other.poses.get(agent)
    if here is None or there is None:
        return 0.0
    ticks = min(one.ticks, other.ticks)
    apart = np.hypot(*(here[:ticks, :2] - there[:ticks, :2]).T)
    both = apart[~np.isnan(apart)]
    if len(both):
        return float(both.max())
    return 0.0
