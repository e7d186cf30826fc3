"""What can be named in the chips of a project, by the chips' types."""

from collections.abc import Iterator, Mapping

from umbrant.catalog.params import ParamType
from umbrant.model.documents import Project
from umbrant.model.staging import DropProp, Member, Prop

Known = Mapping[ParamType, tuple[str, ...]]
"""What can be named in a chip, by the chip's type."""


def known_names(project: Project) -> Known:
    """The names that a chip of each type can hold; PLACE stands for places,
    AGENT for everything with a name.
    """
    members = [
        member for scenario in project.scenarios for member in scenario.players
    ]
    props = [prop for stage in project.stages for prop in stage.props]
    for scenario in project.scenarios:
        props += [
            cue.does.drops
            for cue in scenario.cues
            if isinstance(cue.does, DropProp)
        ]
    bodies: list[Member | Prop] = [*members, *props]
    named = [each.name for each in bodies]
    groups = [each.group for each in bodies if each.group]
    return {
        ParamType.PLACE: _once(
            place.name for stage in project.stages for place in stage.places
        ),
        ParamType.AGENT: _once(named),
        ParamType.GROUP: _once(groups),
        ParamType.EVENT: _once(
            event.name for event in project.event_list.events
        ),
        ParamType.BEHAVIOR: _once(
            behavior.name for behavior in project.behaviors
        ),
        ParamType.STAT: _once(
            stat for member in members for stat in member.body.stats
        ),
        ParamType.ZONE: _once(
            area.name for stage in project.stages for area in stage.areas
        ),
    }


def names_in(project: Project) -> Known:
    """The names that conditions may hold, by what they name: a place may also
    be somebody, and a text is the name of a row.
    """
    known = known_names(project)
    bodies = known[ParamType.AGENT]
    rows = (
        row.name
        for behavior in project.behaviors
        for row in behavior.rows
        if row.name
    )
    return {
        **known,
        ParamType.PLACE: (*known[ParamType.PLACE], *bodies),
        ParamType.PROP: bodies,
        ParamType.TEXT: _once(rows),
    }


def named_by(param: ParamType) -> ParamType:
    """The type under which names that fit a chip of another type stand: places
    and props may be anybody.
    """
    if param in (ParamType.PLACE, ParamType.PROP):
        return ParamType.AGENT
    return param


def _once(names: "Iterator[str] | list[str]") -> tuple[str, ...]:
    return tuple(dict.fromkeys(names))
