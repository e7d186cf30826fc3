"""What can be dragged on the stage: points of walks; while setting up also
places, things, starts and corners.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from umbrant.model.paths import Path
from umbrant.model.staging import Scenario, Stage
from umbrant.model.values import Point


@dataclass(frozen=True)
class Handle:
    """A point of the project that is drawn as a square and can be dragged.
    `path` leads to it.
    """

    path: Path
    at: Point
    label: str

    @property
    def about(self) -> Path:
        """The path of what the point belongs to, as the setting has it."""
        if "corners" in self.path:
            return self.path[:-2]
        return self.path[:-1]


@dataclass(frozen=True)
class Guides:
    """What a point that is dragged is in line with: one straight above or
    below it, and one straight beside it.
    """

    above: Point | None = None
    level: Point | None = None


NO_GUIDES = Guides()


def in_line(
    to: Point, others: Sequence[Point], within_m: float
) -> tuple[Point, Guides]:
    """A point moved into line with others that it is nearly in line with, and
    which they are.
    """
    above = min(others, key=lambda each: abs(each[0] - to[0]), default=None)
    level = min(others, key=lambda each: abs(each[1] - to[1]), default=None)
    (x, y), guides = to, Guides()
    if above is not None and abs(above[0] - x) <= within_m:
        x, guides = above[0], replace(guides, above=above)
    if level is not None and abs(level[1] - y) <= within_m:
        y, guides = level[1], replace(guides, level=level)
    return (x, y), guides


def walk_handles(scenario: Scenario) -> Iterator[Handle]:
    """All points of all walks."""
    for number, member in enumerate(scenario.cast):
        if member.behavior is None and member.copies == 1:
            path: Path = ("scenarios", scenario.name, "cast", number, "walk")
            for index, point in enumerate(member.walk):
                yield Handle(
                    (*path, index, "to"),
                    point.to,
                    f"point {index + 1} of the walk of {member.name}",
                )


def setting_handles(stage: Stage, scenario: Scenario) -> Iterator[Handle]:
    """Where the cast starts, places, things, and the corners of areas."""
    for number, member in enumerate(scenario.cast):
        yield Handle(
            ("scenarios", scenario.name, "cast", number, "start"),
            member.start,
            f"the start of {member.name}",
        )
    path: Path = ("stages", stage.name)
    for number, each in enumerate(stage.places):
        yield Handle((*path, "places", number, "at"), each.at, each.name)
    for number, prop in enumerate(stage.props):
        yield Handle((*path, "props", number, "at"), prop.at, prop.name)
    for number, area in enumerate(stage.areas):
        for index, corner in enumerate(area.corners):
            yield Handle(
                (*path, "areas", number, "corners", index),
                corner,
                f"corner {index + 1} of {area.name}",
            )
