"""What can be dragged on the stage: points of walks; while setting up also places, things, starts and corners."""

from collections.abc import Iterator
from dataclasses import dataclass

from umbrant.model.paths import Path
from umbrant.model.staging import Scenario, Stage
from umbrant.model.values import Point


@dataclass(frozen=True)
class Handle:
    """A point of the project that is drawn as a square and can be dragged. `path` leads to it."""

    path: Path
    at: Point
    label: str

    @property
    def about(self) -> Path:
        """The path of what the point belongs to, as the setting has it."""
        return self.path[:-2] if "corners" in self.path else self.path[:-1]


def walk_handles(scenario: Scenario) -> Iterator[Handle]:
    """All points of all walks."""
    for place, member in enumerate(scenario.cast):
        if member.behavior is None and member.copies == 1:
            path: Path = ("scenarios", scenario.name, "cast", place, "walk")
            for index, point in enumerate(member.walk):
                yield Handle((*path, index, "to"), point.to, f"point {index + 1} of the walk of {member.name}")


def setting_handles(stage: Stage, scenario: Scenario) -> Iterator[Handle]:
    """Where the cast starts, places, things, and the corners of areas."""
    for place, member in enumerate(scenario.cast):
        yield Handle(("scenarios", scenario.name, "cast", place, "start"), member.start, f"the start of {member.name}")
    path: Path = ("stages", stage.name)
    for place, each in enumerate(stage.places):
        yield Handle((*path, "places", place, "at"), each.at, each.name)
    for place, prop in enumerate(stage.props):
        yield Handle((*path, "props", place, "at"), prop.at, prop.name)
    for place, area in enumerate(stage.areas):
        for index, corner in enumerate(area.corners):
            yield Handle((*path, "areas", place, "corners", index), corner, f"corner {index + 1} of {area.name}")
