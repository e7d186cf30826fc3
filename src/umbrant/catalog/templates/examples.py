"""A small project for each kind of node, in which it can be watched at work:
what the help plays.
"""

from collections.abc import Iterable, Mapping

from umbrant.catalog.kind import Family, Kind
from umbrant.catalog.params import Param, ParamType
from umbrant.catalog.recipes.recipe import Recipe, insert_recipe
from umbrant.model.behaviors import (
    Behavior,
    Blackboard,
    Decorator,
    Event,
    EventList,
    Guard,
    Key,
    Row,
    Watch,
)
from umbrant.model.documents import Cover, Project
from umbrant.model.edits import replace_behavior
from umbrant.model.kind_ids import FINAL, HISTORY, REGIONS, STATE
from umbrant.model.staging import (
    Area,
    Blocks,
    Body,
    Cue,
    Member,
    Place,
    Prop,
    RaiseEvent,
    Scenario,
    Stage,
    Stat,
    WalkPoint,
)
from umbrant.model.values import (
    Curve,
    KeyRef,
    KeyType,
    ParamValue,
    PlaceRef,
    Shape,
)

SHOWN = "shown"
"""The id of the row that is of the kind; of a decorator or a sense, of the row
that has it.
"""
SECONDS, RATE = 9.0, 20
NPC, VISITOR = "npc", "visitor"

_STAGE = Stage(
    name="yard",
    title="Yard",
    width_m=12,
    height_m=5,
    areas=(
        Area(
            name="wall",
            corners=((5.6, 2.2), (6.4, 2.2), (6.4, 3.6), (5.6, 3.6)),
            blocks=Blocks.SIGHT_AND_WAY,
        ),
        Area(
            name="garden",
            corners=((0.3, 0.3), (4.2, 0.3), (4.2, 2.0), (0.3, 2.0)),
            blocks=Blocks.NOTHING,
        ),
    ),
    places=(
        Place(name="door", at=(11.0, 4.2)),
        Place(name="bench", at=(1.2, 1.0)),
    ),
    props=(
        Prop(
            name="lamp_1",
            group="lamps",
            at=(9.5, 1.0),
            level=0.4,
            drain_per_s=0.01,
        ),
        Prop(
            name="lamp_2",
            group="lamps",
            at=(3.4, 4.2),
            level=0.9,
            drain_per_s=0.01,
        ),
        Prop(name="crate", group="crates", at=(3.8, 1.4)),
    ),
)
_KEYS = (
    Key(name="visitor", type=KeyType.AGENT, default=VISITOR),
    Key(name="other", type=KeyType.AGENT),
    Key(name="flag", type=KeyType.YES_NO, default=True),
    Key(name="count", type=KeyType.NUMBER, low=0, high=10, default=1.0),
    Key(name="amount", type=KeyType.NUMBER, low=0, high=10, default=3.0),
    Key(name="mood", type=KeyType.TEXT, default="calm"),
    Key(name="spot", type=KeyType.POINT, default=(8.0, 1.2)),
    Key(name="place", type=KeyType.POINT),
    Key(name="lamp", type=KeyType.PROP, default="lamp_1"),
)
_BARKING = (
    Row(id="top", kind="sequence", name="Bark"),
    Row(id="bark", under="top", kind="make_noise", args={"what": "bark"}),
    Row(id="rest", under="top", kind="wait", args={"duration": 2.0}),
)
_BY_TYPE: Mapping[ParamType, ParamValue] = {
    ParamType.NUMBER: 1.0,
    ParamType.SPREAD: 1.5,
    ParamType.TEXT: "Hello there",
    ParamType.YES_NO: True,
    ParamType.PLACE: PlaceRef(place="door"),
    ParamType.AGENT: KeyRef(key="visitor"),
    ParamType.PROP: KeyRef(key="lamp"),
    ParamType.GROUP: "lamps",
    ParamType.CONDITION: "distance(visitor) < 5",
    ParamType.FORMULA: "count + 1",
    ParamType.CURVE: Curve(shape=Shape.LOGISTIC),
    ParamType.STATE: "two",
    ParamType.EVENT: "bell",
    ParamType.BEHAVIOR: "greeting",
    ParamType.STAT: "strength",
    ParamType.ZONE: "garden",
}
_SPECIAL: Mapping[str, Mapping[str, ParamValue]] = {
    "carry": {"target": "crate"},
    "go_along": {"places": "bench, door"},
    "throw": {"target": KeyRef(key="spot")},
    "note_seen": {"group": "people"},
}
"""What some kinds are given for their example to show something."""
_CONDITIONS = {
    "in_state": 'in_state("Rest")',
    "time_in": 'time_in("Rest") > 0.2',
}
"""The conditions of those senses that ask about a row of the example."""
_TO_LAMP, _TO_VISITOR, _TO_CRATE = (
    Row(
        id="go",
        under="top",
        kind="move_to",
        name="Go there",
        args={"target": target, "reach": 0.9},
    )
    for target in (KeyRef(key="lamp"), KeyRef(key="visitor"), "crate")
)
_TAKE = Row(
    id="take",
    under="top",
    kind="carry",
    name="Take it",
    args={"target": "crate"},
)
_BEFORE: Mapping[str, tuple[Row, ...]] = {
    "use": (_TO_LAMP,),
    "use_up": (_TO_LAMP,),
    "strike": (_TO_VISITOR,),
    "carry": (_TO_CRATE,),
    "drop": (_TO_CRATE, _TAKE),
    "throw": (_TO_CRATE, _TAKE),
}
"""What has to be done before some kinds can do what they do."""


def example_of(kind: Kind) -> Project:
    """A project that shows one kind: an NPC whose behavior uses it, and a
    visitor that comes and goes.
    """
    return _project(kind.title, _rows(kind))


def example_of_recipe(recipe: Recipe) -> Project:
    """A project that shows a recipe: an NPC that does nothing else, and a
    visitor that comes and goes.
    """
    made = insert_recipe(
        _project(recipe.title, ()),
        "example",
        recipe,
        after=None,
        under=None,
        scenario="example",
    )
    behavior = made.project.behavior("example")
    shown: dict[str | None, str | None] = {made.top: SHOWN}
    rows = [
        each.model_copy(
            update={
                "id": shown.get(each.id, each.id),
                "under": shown.get(each.under, each.under),
            }
        )
        for each in behavior.rows
    ]
    return replace_behavior(made.project, "example", rows)


def _project(title: str, rows: Iterable[Row]) -> Project:
    greeting = (
        Row(id="hi", kind="say", name="Greet", args={"text": "Good evening"}),
    )
    behaviors = tuple(
        Behavior(name=name, title=called, blackboard="keys", rows=tuple(found))
        for name, called, found in (
            ("example", title, rows),
            ("barking", "Barking", _BARKING),
            ("greeting", "Greeting", greeting),
        )
    )
    cues = tuple(
        Cue(at_s=at_s, does=RaiseEvent(raises="bell")) for at_s in (2.0, 5.0)
    )
    scenario = Scenario(
        name="example",
        title="Example",
        stage="yard",
        seconds=SECONDS,
        ticks_per_s=RATE,
        cast=_CAST,
        cues=cues,
    )
    return Project(
        cover=Cover(title=title, scenario="example"),
        behaviors=behaviors,
        blackboards=(Blackboard(name="keys", title="Keys", keys=_KEYS),),
        stages=(_STAGE,),
        scenarios=(scenario,),
        event_list=EventList(events=(Event(name="bell"),)),
    )


_WALK = tuple(
    WalkPoint(at_s=at_s, to=to)
    for at_s, to in (
        (0.0, (10.5, 3.0)),
        (4.0, (4.6, 1.6)),
        (8.0, (10.5, 4.0)),
    )
)
_CAST = (
    Member(
        name=NPC,
        title="NPC",
        behavior="example",
        group="guards",
        start=(2.4, 3.0),
        body=Body(stats={"strength": Stat(value=0.8, per_s=-0.02)}),
    ),
    Member(
        name=VISITOR,
        title="visitor",
        group="people",
        start=(10.5, 3.0),
        facing_deg=180,
        walk=_WALK,
        body=Body(stats={"health": Stat()}),
    ),
    Member(
        name="dog",
        behavior="barking",
        start=(11.2, 0.8),
        facing_deg=180,
        body=Body(radius_m=0.2),
    ),
)


def _rows(kind: Kind) -> Iterable[Row]:
    match kind.family:
        case Family.COMPOSITE:
            return _composite(kind)
        case Family.DECORATOR:
            wrapped = (Decorator(kind=kind.id, args=_args(kind)),)
            return (
                _top("sequence"),
                _wait("shown", "top", 1.0, decorators=wrapped),
                _wait("rest", "top", 0.6),
            )
        case Family.SENSE:
            guard = Guard(when=_condition_on(kind), watch=Watch.THROUGHOUT)
            return (
                _top("selector"),
                Row(
                    id=SHOWN,
                    under="top",
                    kind="say",
                    name="It is so",
                    args={"text": "Yes"},
                    guard=guard,
                ),
                _wait("rest", "top", 0.4),
            )
        case Family.STATE | Family.HOOK | Family.TRANSITION:
            return _machine(kind)
        case Family.OPTION | Family.CONSIDERATION:
            return _utility()
        case _:
            return (
                _top("sequence"),
                *_BEFORE.get(kind.id, ()),
                _shown(kind, "top"),
                _wait("rest", "top", 0.8),
            )


def _composite(kind: Kind) -> tuple[Row, ...]:
    shown = Row(
        id=SHOWN, kind=kind.id, name=kind.title.capitalize(), args=_args(kind)
    )
    if Family.STATE in kind.holds:
        return _machine(kind)
    if Family.OPTION in kind.holds:
        return _utility()
    if not kind.holds:
        return (
            _top("sequence"),
            shown.model_copy(update={"under": "top"}),
            _wait("rest", "top", 0.8),
        )
    near = Guard(when="distance(visitor) < 5", watch=Watch.THROUGHOUT)
    first = Row(
        id="one",
        under=SHOWN,
        kind="say",
        name="Greet",
        args={"text": "Hello"},
        guard=near,
    )
    return (
        shown,
        first,
        _wait("two", SHOWN, 0.7),
        _say("three", SHOWN, "All quiet"),
    )


def _machine(kind: Kind) -> tuple[Row, ...]:
    """Two states that lead to each other; the kind stands among them."""
    top = "top"
    if kind.family is Family.COMPOSITE:
        top = SHOWN
    shown = Row(id=SHOWN, under="one", kind=kind.id, args=_args(kind))
    if kind.family is Family.TRANSITION:
        return (*_watch(top), shown, *_pause(top))
    if kind.family is Family.HOOK:
        args = {"key": KeyRef(key="count")}
        count = Row(id="c1", under=SHOWN, kind="count", args=args)
        return (*_watch(top), shown, count, _to_pause("two"), *_pause(top))
    if kind.id == FINAL:
        end = shown.model_copy(update={"under": top, "name": "Over"})
        return (*_watch(top), _to_pause(SHOWN), end)
    if kind.id == HISTORY:
        return _machine_with_history(shown)
    if kind.id == REGIONS:
        return _machine_with_regions(top)
    pause = "two"
    if kind.id == STATE:
        pause = SHOWN
    return (*_watch(top), _to_pause(pause), *_pause(top, pause))


def _watch(top: str, under: str = "") -> tuple[Row, ...]:
    """A machine and its first state."""
    return (
        Row(id=top, kind="machine", name="Day"),
        Row(id="one", under=under or top, kind="state", name="Watch"),
        _wait("w1", "one", 1.0),
    )


def _pause(under: str, state: str = "two") -> tuple[Row, ...]:
    """Its second state, which leads back to the first."""
    args = {"time": 1.2, "to": "one"}
    return (
        Row(id=state, under=under, kind="state", name="Pause"),
        _wait("w2", state, 1.0),
        Row(id="back", under=state, kind="after", args=args),
    )


def _to_pause(state: str) -> Row:
    """What leads from the first state to the second."""
    args = {"time": 1.5, "to": state}
    return Row(id="on", under="one", kind="after", args=args)


def _machine_with_history(shown: Row) -> tuple[Row, ...]:
    """A state with states in it is left at the bell, and entered again where
    it was left.
    """
    machine, *watch = _watch("top", "outer")
    startled = {"event": "bell", "to": "away"}
    again = {"time": 0.8, "to": SHOWN}
    return (
        machine,
        Row(id="outer", under="top", kind="state", name="Busy"),
        *watch,
        _to_pause("two"),
        *_pause("outer"),
        shown.model_copy(update={"under": "outer", "name": "As before"}),
        Row(id="off", under="outer", kind="on_event", args=startled),
        Row(id="away", under="top", kind="state", name="Startled"),
        _wait("w3", "away", 0.6),
        Row(id="again", under="away", kind="after", args=again),
    )


def _machine_with_regions(top: str) -> tuple[Row, ...]:
    """Two regions that run beside each other."""
    door = {"target": PlaceRef(place="door")}
    return (
        Row(id=top, kind="machine", name="Day"),
        Row(id=SHOWN, under=top, kind="regions", name="Both"),
        Row(id="mouth", under=SHOWN, kind="state", name="Mouth"),
        _say("hm", "mouth", "Hm hm"),
        Row(id="legs", under=SHOWN, kind="state", name="Legs"),
        Row(id="go", under="legs", kind="move_to", args=door),
    )


def _utility() -> tuple[Row, ...]:
    near = {"input": "distance(visitor)", "low": 0.0, "high": 8.0}
    falls, rises = (
        Curve(shape=Shape.LINEAR, flipped=True),
        Curve(shape=Shape.LINEAR),
    )
    return (
        Row(id="top", kind="utility", name="Choose"),
        Row(id="one", under="top", kind="option", name="Greet"),
        Row(
            id=SHOWN,
            under="one",
            kind="consider",
            name="It is near",
            args={**near, "curve": falls},
        ),
        _say("hi", "one", "Hello"),
        Row(id="two", under="top", kind="option", name="Rest"),
        Row(
            id="far",
            under="two",
            kind="consider",
            name="It is far",
            args={**near, "curve": rises},
        ),
        _wait("rest", "two", 1.0),
    )


def _top(kind: str) -> Row:
    return Row(id="top", kind=kind, name="Example")


def _shown(kind: Kind, under: str) -> Row:
    return Row(
        id=SHOWN,
        under=under,
        kind=kind.id,
        name=kind.title.capitalize(),
        args=_args(kind),
    )


def _wait(
    row_id: str,
    under: str,
    seconds: float,
    decorators: tuple[Decorator, ...] = (),
) -> Row:
    return Row(
        id=row_id,
        under=under,
        kind="wait",
        name="Rest",
        args={"duration": seconds},
        decorators=decorators,
    )


def _say(row_id: str, under: str, text: str) -> Row:
    return Row(
        id=row_id, under=under, kind="say", name="Speak", args={"text": text}
    )


def _args(kind: Kind) -> dict[str, ParamValue]:
    """A value for each parameter that must have one, and for those that make
    it worth watching.
    """
    found: dict[str, ParamValue] = {}
    taken: set[str] = set()
    for param in kind.params:
        if param.required or (
            param.type is ParamType.STATE and param.name == "to"
        ):
            found[param.name] = _sample(param, taken)
    return {**found, **_SPECIAL.get(kind.id, {})}


def _sample(param: Param, taken: set[str]) -> ParamValue:
    if param.type is ParamType.KEY:
        fitting = [key.name for key in _KEYS if key.type in param.keys]
        name = next(
            (name for name in fitting if name not in taken), fitting[0]
        )
        taken.add(name)
        return KeyRef(key=name)
    if param.type is ParamType.CHOICE:
        return param.choices[0]
    value = _BY_TYPE[param.type]
    if isinstance(value, float):
        low, high = param.quantity.low, param.quantity.high
        if high is not None:
            value = min(high, value)
        if low is not None:
            value = max(low, value)
    return value


def _condition_on(kind: Kind) -> str:
    """A condition that asks a sense."""
    if kind.id in _CONDITIONS:
        return _CONDITIONS[kind.id]
    taken: set[str] = set()
    arguments = [
        _written(_sample(param, taken))
        for param in kind.params
        if param.required
    ]
    call = f"{kind.id}({', '.join(arguments)})"
    if kind.gives is KeyType.YES_NO:
        return call
    if kind.gives is KeyType.NUMBER:
        return f"{call} > 1"
    return f"{call} is set"


def _written(value: ParamValue) -> str:
    """A value as it is written in a condition."""
    match value:
        case KeyRef(key=name):
            return name
        case PlaceRef(place=name) | str(name):
            return f'"{name}"'
        case bool():
            if value:
                return "yes"
            return "no"
        case _:
            return str(value)
