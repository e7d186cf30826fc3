"""Findings about stages and casts: who stands where nobody can, and who cannot
see.
"""

from collections.abc import Iterator

from umbrant.catalog.references import conditions, param_uses, sense_calls_in
from umbrant.model.behaviors import Row
from umbrant.model.documents import Project
from umbrant.model.staging import Member, Scenario, Stage
from umbrant.model.values import PlaceRef, Point
from umbrant.review.behavior_analysis import BehaviorAnalysis
from umbrant.review.findings import RuleMatch, Severity
from umbrant.review.project_analysis import ProjectAnalysis
from umbrant.review.rules import project_rule
from umbrant.stage.ground import ground_of

SEEING = ("can_see", "look_out")
"""The senses and actions that need eyes."""
HEARING = ("heard", "listen")
"""The senses and actions that need ears."""


def _played(project: Project) -> Iterator[tuple[Scenario, Stage, Member]]:
    """Each of each cast, with where it plays."""
    stages = {stage.name: stage for stage in project.stages}
    for scenario in project.scenarios:
        if scenario.stage in stages:
            yield from (
                (scenario, stages[scenario.stage], member)
                for member in scenario.cast
            )


def _off(stage: Stage, member: Member, point: Point) -> bool:
    return not ground_of(stage, member.body.radius_m, member.body.flies).holds(
        point
    )


@project_rule(
    "A start where nobody can stand",
    why="Whoever starts inside a wall or in water has no way to anywhere.",
    severity=Severity.ERROR,
)
def start_off_ground(analysis: ProjectAnalysis) -> Iterator[RuleMatch]:
    """One of the cast that starts where it cannot walk."""
    for scenario, stage, member in _played(analysis.project):
        if _off(stage, member, member.start):
            where = f"({member.start[0]:g}, {member.start[1]:g})"
            called = member.title or member.name
            message = (
                f"{called} starts at {where}, which is not walkable ground."
            )
            yield RuleMatch(
                message,
                "",
                f"scenarios/{scenario.name}.json",
                about=member.name,
            )


@project_rule(
    "A place that cannot be reached",
    why="Whoever is to go there finds no way and fails.",
    severity=Severity.WARNING,
)
def unreachable_place(analysis: ProjectAnalysis) -> Iterator[RuleMatch]:
    """A place that a behavior goes to, where one of the cast that runs it
    cannot get from its start.
    """
    aims = {
        reading.name: _places_in(reading.name, analysis)
        for reading in analysis.readings
    }
    reported: set[tuple[str, str]] = set()
    for scenario, stage, member in _played(analysis.project):
        ground = ground_of(stage, member.body.radius_m, member.body.flies)
        for place in stage.places:
            if (
                place.name not in aims.get(member.behavior or "", ())
                or (scenario.name, place.name) in reported
            ):
                continue
            if (
                not ground.holds(member.start)
                or ground.way(member.start, place.at).cause is not None
            ):
                reported.add((scenario.name, place.name))
                who = member.title or member.name
                message = f"{place.name} cannot be reached by {who}."
                yield RuleMatch(
                    message,
                    "",
                    f"stages/{stage.name}.json",
                    about=f"{scenario.name}/{place.name}",
                )


def _places_in(behavior: str, analysis: ProjectAnalysis) -> set[str]:
    """The places that the rows of a behavior name in their chips."""
    reading = next(each for each in analysis.readings if each.name == behavior)
    return {
        each.value.place
        for row in reading.rows
        for each in param_uses(row, analysis.catalog)
        if isinstance(each.value, PlaceRef)
    }


@project_rule(
    "One that looks and cannot see",
    why="Its behavior asks what it sees, and its sight reaches no further than its own feet.",
    severity=Severity.ERROR,
)
def blind(analysis: ProjectAnalysis) -> Iterator[RuleMatch]:
    """One of the cast without sight whose behavior asks what it can see."""
    for scenario, member in _asking(analysis, SEEING):
        if member.body.sight_m <= member.body.radius_m:
            message = f"{member.title or member.name} sees {member.body.sight_m:g} m far."
            yield RuleMatch(
                message,
                "",
                f"scenarios/{scenario.name}.json",
                about=member.name,
            )


@project_rule(
    "One that listens and cannot hear",
    why="Its behavior asks what it hears, and its hearing reaches no further than its own feet.",
    severity=Severity.ERROR,
)
def deaf(analysis: ProjectAnalysis) -> Iterator[RuleMatch]:
    """One of the cast without hearing whose behavior asks for noises."""
    for scenario, member in _asking(analysis, HEARING):
        if member.body.hearing_m <= member.body.radius_m:
            message = f"{member.title or member.name} hears {member.body.hearing_m:g} m far."
            yield RuleMatch(
                message,
                "",
                f"scenarios/{scenario.name}.json",
                about=member.name,
            )


def _asking(
    analysis: ProjectAnalysis, kinds: tuple[str, ...]
) -> Iterator[tuple[Scenario, Member]]:
    """The cast whose behaviors ask one of some senses, or do one of some
    actions.
    """
    asking = {
        reading.name
        for reading in analysis.readings
        if any(_asks(reading, row, kinds) for row in reading.rows)
    }
    for scenario, _, member in _played(analysis.project):
        if member.behavior in asking:
            yield scenario, member


def _asks(reading: BehaviorAnalysis, row: Row, kinds: tuple[str, ...]) -> bool:
    named = [
        ask.sense
        for _, tree in conditions(row, reading.catalog)
        for ask in sense_calls_in(tree)
    ]
    done = [each.kind.id for each in param_uses(row, reading.catalog)]
    return any(each in kinds for each in (*named, *done))
