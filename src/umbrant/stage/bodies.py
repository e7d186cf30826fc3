"""The bodies of the cast and the props, as they are at the present tick."""

import math
from dataclasses import dataclass, field

from umbrant.catalog.geometry import heading_to, to_grid, turn_between
from umbrant.model.staging import Member, Stat
from umbrant.model.staging import Prop as PropDocument
from umbrant.model.values import Point


@dataclass
class StageStat:
    """One of the numbers of a body."""

    value: float
    document: Stat

    def add(self, by: float) -> None:
        """Add to the number, within its bounds."""
        # Not put on the grid: what drifts by less than half a step a tick
        # would never move. Senses round what they say.
        self.set(self.value + by)

    def set(self, value: float) -> None:
        """Set the number, within its bounds."""
        self.value = min(self.document.high, max(self.document.low, value))


@dataclass
class StageBody:
    """A body on the stage. During a tick its movement is only set; the world
    carries it out at the tick's end.
    """

    name: str
    place: Point
    heading_deg: float
    radius_m: float
    walk_m_s: float
    run_m_s: float
    turn_deg_s: float
    sight_m: float
    cone_deg: float
    hearing_m: float = 15.0
    flies: bool = False
    group: str | None = None
    here: bool = True
    """Whether it is on the stage."""
    carries: str | None = None
    stats: dict[str, StageStat] = field(default_factory=dict)
    push: Point = (0.0, 0.0)
    """How a hand pushes it, in metres per second."""
    corners: list[Point] = field(default_factory=list)
    """The way it is on: the corners still ahead."""
    goal: Point | None = None
    """The goal for which the way was searched."""
    speed_m_s: float = 0.0
    """How fast it goes during this tick; 0 to stand."""

    @classmethod
    def of(cls, member: Member) -> "StageBody":
        """The body with which a member of the cast starts."""
        body = member.body
        return cls(
            member.name,
            (to_grid(member.start[0]), to_grid(member.start[1])),
            member.facing_deg,
            body.radius_m,
            body.walk_m_s,
            body.run_m_s,
            body.turn_deg_s,
            body.sight_m,
            body.cone_deg,
            body.hearing_m,
            body.flies,
            member.group,
            not member.waits,
            stats={
                name: StageStat(stat.value, stat)
                for name, stat in body.stats.items()
            },
        )

    def stat(self, name: str) -> float | None:
        """The value of one of the body's numbers; None if it has none of this
        name.
        """
        if name in self.stats:
            return self.stats[name].value
        return None

    def change_stat(self, name: str, by: float) -> float | None:
        """Add to one of its numbers, within its bounds."""
        if name not in self.stats:
            return None
        self.stats[name].add(by)
        return self.stats[name].value

    def set_stat(self, name: str, value: float) -> bool:
        """Set one of its numbers, within its bounds. Returns whether it has
        one of this name.
        """
        if name not in self.stats:
            return False
        self.stats[name].set(value)
        return True

    def live(self, tick_s: float) -> None:
        """Let one tick go by for its numbers."""
        for stat in self.stats.values():
            if stat.document.per_s:
                stat.add(stat.document.per_s * tick_s)

    def turn(self, wanted_deg: float, tick_s: float) -> float:
        """Turn towards a heading as far as one tick allows; returns the
        degrees still to go.
        """
        off = turn_between(self.heading_deg, wanted_deg)
        most = self.turn_deg_s * tick_s
        step = max(-most, min(most, off))
        # Kept between -180 and 180, so that turns are compared and recorded
        # without wrapping round.
        self.heading_deg = to_grid(
            (self.heading_deg + step + 180.0) % 360.0 - 180.0
        )
        return abs(off - step)

    def advance(self, tick_s: float) -> None:
        """Go along the way for one tick."""
        left = self.speed_m_s * tick_s
        x, y = self.place
        while self.corners and left > 0:
            next_x, next_y = self.corners[0]
            apart = math.hypot(next_x - x, next_y - y)
            # A corner within this tick's reach is passed, and what is left of
            # the tick goes on behind it.
            if apart <= left:
                x, y = next_x, next_y
                left -= apart
                self.corners.pop(0)
            else:
                self.turn(heading_to((x, y), (next_x, next_y)), tick_s)
                x, y = (
                    x + (next_x - x) * left / apart,
                    y + (next_y - y) * left / apart,
                )
                left = 0.0
        # On the grid, so that two processes, and two orders of adding, come to
        # the same place to the last bit.
        self.place = to_grid(x), to_grid(y)


@dataclass
class StageProp:
    """A prop on the stage."""

    name: str
    group: str
    place: Point
    level: float
    drain_per_s: float
    carrier: str | None = None
    here: bool = True

    @classmethod
    def of(cls, document: PropDocument) -> "StageProp":
        """A prop in the state in which the scenario begins."""
        return cls(
            document.name,
            document.group,
            document.at,
            document.level,
            document.drain_per_s,
        )

    def drain(self, tick_s: float) -> None:
        """Let one tick go by."""
        self.level = max(0.0, self.level - self.drain_per_s * tick_s)
