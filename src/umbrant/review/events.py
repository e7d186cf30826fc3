"""Findings about what NPCs hear: events that nobody raises or waits for, and
cues out of time.
"""

from collections.abc import Iterator
from itertools import chain

from umbrant.catalog.params import ParamType
from umbrant.catalog.references import conditions, param_uses, sense_calls_in
from umbrant.engine.machines import matches
from umbrant.model.behaviors import Row
from umbrant.model.kind_ids import ANY_EVENT
from umbrant.model.staging import RaiseEvent
from umbrant.model.values import number_text
from umbrant.review.behavior_analysis import BehaviorAnalysis
from umbrant.review.findings import RuleMatch, Severity
from umbrant.review.project_analysis import ProjectAnalysis
from umbrant.review.rules import project_rule

RAISING = ("raise_event", "tell_agent", "tell_group")


@project_rule(
    "An event that nobody hears",
    why="It is raised, and no row waits for it or asks for it.",
    severity=Severity.WARNING,
)
def unheard_event(analysis: ProjectAnalysis) -> Iterator[RuleMatch]:
    """An event that a row or a cue raises and nobody listens for."""
    heard = chain(_awaited(analysis), _in_conditions(analysis))
    listened = {name for _, _, name in heard}
    for reading, row, event in _raised(analysis):
        if not any(matches(event, each) for each in listened):
            yield RuleMatch(
                f"{event} is raised here, and nobody hears it.",
                row.id,
                reading.file,
                about=event,
            )
    for scenario in analysis.project.scenarios:
        for number, cue in enumerate(scenario.cues, 1):
            event = ""
            if isinstance(cue.does, RaiseEvent):
                event = cue.does.raises
            if event and not any(matches(event, each) for each in listened):
                message = f"Cue {number} raises {event}, and nobody hears it."
                yield RuleMatch(
                    message, "", f"scenarios/{scenario.name}.json", about=event
                )


@project_rule(
    "A cue after the end",
    why="The scenario is over by then, so what the cue does is never done.",
    severity=Severity.WARNING,
)
def late_cue(analysis: ProjectAnalysis) -> Iterator[RuleMatch]:
    """A cue whose time is not within its scenario."""
    for scenario in analysis.project.scenarios:
        for number, cue in enumerate(scenario.cues, 1):
            if cue.at_s is not None and cue.at_s >= scenario.seconds:
                message = (
                    f"Cue {number} is due at {number_text(cue.at_s)} s, and the scenario ends at "
                    f"{number_text(scenario.seconds)} s."
                )
                file = f"scenarios/{scenario.name}.json"
                yield RuleMatch(message, "", file, about=f"cue {number}")


@project_rule(
    "An event that nobody raises",
    why=(
        "What waits for it waits for ever, and a condition never finds it, unless you raise it by "
        "hand in a rehearsal."
    ),
    severity=Severity.WARNING,
)
def never_raised(analysis: ProjectAnalysis) -> Iterator[RuleMatch]:
    """An event that a row waits for, or asks for in a condition, and nothing
    raises.
    """
    raised = {event for _, _, event in _raised(analysis)}
    for scenario in analysis.project.scenarios:
        raised.update(
            cue.does.raises
            for cue in scenario.cues
            if isinstance(cue.does, RaiseEvent)
        )
    heard = {"waits": _awaited(analysis), "asks": _in_conditions(analysis)}
    for how, places in heard.items():
        for reading, row, event in places:
            # Machines raise the end of their states themselves, and any event
            # is raised by whatever happens.
            inside = event == ANY_EVENT or matches(event, "done")
            if not inside and not any(matches(each, event) for each in raised):
                yield RuleMatch(
                    f"It {how} for {event}, which nothing raises.",
                    row.id,
                    reading.file,
                    about=event,
                )


def _raised(
    analysis: ProjectAnalysis,
) -> Iterator[tuple[BehaviorAnalysis, Row, str]]:
    for reading in analysis.readings:
        for row in reading.rows:
            for each in param_uses(row, reading.catalog):
                if (
                    each.param.type is ParamType.EVENT
                    and each.kind.id in RAISING
                    and isinstance(each.value, str)
                ):
                    yield reading, row, each.value


def _awaited(
    analysis: ProjectAnalysis,
) -> Iterator[tuple[BehaviorAnalysis, Row, str]]:
    """The rows that begin or go on with an event, and which."""
    for reading in analysis.readings:
        for row in reading.rows:
            for each in param_uses(row, reading.catalog):
                if (
                    each.param.type is ParamType.EVENT
                    and each.kind.id not in RAISING
                    and isinstance(each.value, str)
                ):
                    yield reading, row, each.value


def _in_conditions(
    analysis: ProjectAnalysis,
) -> Iterator[tuple[BehaviorAnalysis, Row, str]]:
    """The rows in whose conditions an event is asked for, and which: one may
    ask whether it has not come.
    """
    for reading in analysis.readings:
        for row in reading.rows:
            for _, tree in conditions(row, reading.catalog):
                for ask in sense_calls_in(tree):
                    kind = reading.catalog.kinds.get(ask.sense)
                    named = [*ask.args, *(value for _, value in ask.named)]
                    if kind is not None and any(
                        param.type is ParamType.EVENT for param in kind.params
                    ):
                        yield from (
                            (reading, row, each)
                            for each in analysis.words_in(named)
                        )
