"""What can be added to the setting, and what it begins as."""

from collections.abc import Callable
from functools import partial
from typing import Any

from umbrant.catalog.templates.behaviors import fresh_name
from umbrant.desk.views.setting.fields import Addition, read_point
from umbrant.model.behaviors import Behavior, Blackboard, Key
from umbrant.model.documents import Project
from umbrant.model.paths import Path, at, put
from umbrant.model.staging import (
    Area,
    Cue,
    CueAction,
    DropProp,
    HeldResult,
    HoldResult,
    Member,
    MoveTo,
    Place,
    Prop,
    RaiseEvent,
    Scenario,
    SetKey,
    SetNumber,
    Stage,
    Stat,
    TakeAway,
    WalkPoint,
)
from umbrant.model.values import KeyType, Value


def literal(text: str) -> Value | None:
    """A key's value as it is typed: a number, yes or no, a point, or text;
    nothing for `not set`.
    """
    typed = text.strip()
    if typed in ("", "not set"):
        return None
    if typed in ("yes", "no"):
        return typed == "yes"
    try:
        return float(typed)
    except ValueError:
        if typed.startswith("("):
            return read_point(typed)
        return typed


def new_board(project: Project) -> Blackboard:
    """A blackboard without keys, with a name that no other has."""
    name = fresh_name("keys", [each.name for each in project.blackboards], "-")
    return Blackboard(name=name, title=name.capitalize())


def new_stage(project: Project) -> Stage:
    """An empty stage, with a name that no other has."""
    name = fresh_name("stage", [each.name for each in project.stages], "-")
    return Stage(name=name, title=name.capitalize(), width_m=24, height_m=14)


def new_scenario(project: Project) -> Scenario:
    """A scenario in which nobody plays, with a name that no other has."""
    name = fresh_name(
        "scenario", [each.name for each in project.scenarios], "-"
    )
    stages = project.stages or (new_stage(project),)
    return Scenario(name=name, title=name.capitalize(), stage=stages[0].name)


def with_a_stage(project: Project, scenario: Scenario) -> Project:
    """The project with a stage, where a scenario that is new in it has none to
    play on.
    """
    if project.stages:
        return project
    return put(project, ("stages",), (new_stage(project),))


def new_key(path: Path) -> Callable[[Project], Key]:
    """Makes a key for the blackboard of a path."""

    def make(project: Project) -> Key:
        return Key(
            name=fresh_name("key", project.keys_on(str(path[1]))),
            type=KeyType.NUMBER,
        )

    return make


def new_area(stage: Stage) -> Area:
    """A square in the middle of a stage."""
    x, y = round(stage.width_m / 2, 1), round(stage.height_m / 2, 1)
    name = fresh_name("wall", [each.name for each in stage.areas])
    return Area(
        name=name,
        corners=(
            (x - 1, y - 1),
            (x + 1, y - 1),
            (x + 1, y + 1),
            (x - 1, y + 1),
        ),
    )


def staging(path: Path, stage: Stage) -> tuple[Addition, ...]:
    """What can be put onto the stage of a path."""
    middle = (round(stage.width_m / 2, 1), round(stage.height_m / 2, 1))

    def place(project: Project) -> Place:
        return Place(
            name=fresh_name(
                "place", [each.name for each in at(project, path).places]
            ),
            at=middle,
        )

    def prop(project: Project) -> Prop:
        return Prop(
            name=fresh_name(
                "prop", [each.name for each in at(project, path).props]
            ),
            group="things",
            at=middle,
        )

    return (
        Addition(
            "Area: a wall, water, or paint on the ground",
            (*path, "areas"),
            lambda p: new_area(at(p, path)),
        ),
        Addition("Place: a named point", (*path, "places"), place),
        Addition(
            "Prop: a thing with a level that drains", (*path, "props"), prop
        ),
    )


def casting(path: Path, project: Project) -> tuple[Addition, ...]:
    """Who can be put into the cast of the scenario of a path."""

    def member(project: Project, name: str, behavior: str | None) -> Member:
        scenario: Scenario = at(project, path)
        stage = project.find_stage(scenario.stage)
        if stage:
            start = (round(stage.width_m / 2, 1), round(stage.height_m / 4, 1))
        else:
            start = (0.0, 0.0)
        return Member(
            name=fresh_name(name, [each.name for each in scenario.cast]),
            behavior=behavior,
            start=start,
        )

    agents = tuple(
        Addition(
            f"Agent that runs {each.title}",
            (*path, "cast"),
            partial(
                member, name=each.name.replace("-", "_"), behavior=each.name
            ),
        )
        for each in project.behaviors
    )
    return (
        *agents,
        Addition(
            "Puppet",
            (*path, "cast"),
            partial(member, name="puppet", behavior=None),
        ),
    )


def about_member(
    path: Path, project: Project, member: Member
) -> tuple[Addition, ...]:
    """What can be said besides of one of the cast: starting values, numbers of
    its body, points of its walk.
    """
    keys = project.keys_of_member(member)
    adds = [
        Addition(
            f"Starting value of {name}",
            (*path, "keys"),
            partial(_always, (name, _first_value(key))),
        )
        for name, key in keys.items()
        if name not in member.keys and not key.formula
    ]
    taken = member.body.stats
    adds.append(
        Addition(
            "Number of the body",
            (*path, "body", "stats"),
            partial(_always, (fresh_name("health", taken), Stat())),
        )
    )
    if member.behavior is None:
        at_s, last = 0.0, member.start
        if member.walk:
            at_s, last = member.walk[-1].at_s + 5.0, member.walk[-1].to
        adds.append(
            Addition(
                "Point of the walk",
                (*path, "walk"),
                partial(_always, WalkPoint(at_s=at_s, to=last)),
            )
        )
    return tuple(adds)


def about_variant(
    project: Project, behavior: Behavior
) -> tuple[Addition, ...]:
    """The numbers of bodies that a variant can begin elsewhere: those of the
    cast that have it, or of anyone as long as nobody has.
    """
    if behavior.variant_of is None:
        return ()
    cast = [
        member for scenario in project.scenarios for member in scenario.cast
    ]
    own = [member for member in cast if member.behavior == behavior.name]
    stats = {
        name: stat
        for each in own or cast
        for name, stat in each.body.stats.items()
    }
    return tuple(
        Addition(
            f"Other {name} of the body",
            ("behaviors", behavior.name, "stats"),
            partial(_always, (name, stat.value)),
        )
        for name, stat in stats.items()
        if name not in behavior.stats
    )


def _first_value(key: Key) -> Value:
    first: dict[KeyType, Value] = {
        KeyType.YES_NO: True,
        KeyType.NUMBER: key.low or 0.0,
        KeyType.POINT: (0.0, 0.0),
    }
    if key.default is not None:
        return key.default
    return first.get(key.type, "")


def cueing(path: Path, project: Project) -> tuple[Addition, ...]:
    """The cues that can be put into the scenario of a path."""
    scenario: Scenario = at(project, path)
    name = "somebody"
    if scenario.cast:
        name = scenario.cast[0].name
    events = [each.name for each in project.event_list.events]
    prop = Prop(
        name="dropped",
        group="things",
        at=scenario.cast[0].start if scenario.cast else (0.0, 0.0),
    )
    cue_actions: dict[str, CueAction] = {
        "Cue: put somebody or something elsewhere": MoveTo(
            moves=name, to=prop.at
        ),
        "Cue: drop a prop": DropProp(drops=prop),
        "Cue: take somebody or something away": TakeAway(removes=name),
        "Cue: set a key": SetKey(sets="key", value=True),
    }
    numbered = next((each for each in scenario.cast if each.body.stats), None)
    if numbered is not None:
        first = next(iter(numbered.body.stats))
        cue_actions["Cue: set a number of a body"] = SetNumber(
            changes=first,
            of=numbered.name,
            value=numbered.body.stats[first].value,
        )
    thinking = next((each for each in scenario.cast if each.behavior), None)
    behavior = None
    if thinking:
        behavior = project.find_behavior(thinking.behavior)
    if thinking is not None and behavior is not None and behavior.rows:
        cue_actions["Cue: hold a row’s result"] = HoldResult(
            holds=behavior.outline.tops[0],
            of=next(thinking.each()).name,
            result=HeldResult.FAILURE,
        )
    if events:
        cue_actions = {
            "Cue: raise an event": RaiseEvent(raises=events[0]),
            **cue_actions,
        }
    return tuple(
        Addition(
            title,
            (*path, "cues"),
            partial(_always, Cue(at_s=5.0, does=action)),
        )
        for title, action in cue_actions.items()
    )


def _always(item: Any, project: Project) -> Any:
    return item
