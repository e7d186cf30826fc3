"""What a new thing begins as: projects, behaviors to start from, and every
part of a setting.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from umbrant.model.behaviors import (
    Behavior,
    Blackboard,
    Guard,
    Key,
    Row,
    Watch,
)
from umbrant.model.documents import Cover, Project
from umbrant.model.edits import fresh_id
from umbrant.model.staging import (
    Area,
    Body,
    Member,
    Place,
    Scenario,
    Stage,
    Stat,
)
from umbrant.model.values import KeyType, PlaceRef


def fresh_name(wanted: str, taken: Iterable[str], between: str = "_") -> str:
    """A name like the one that is wanted that is not taken yet: `key`,
    `key_2`, `key_3`.
    """
    names = set(taken)
    name, count = wanted, 1
    while name in names:
        count += 1
        name = f"{wanted}{between}{count}"
    return name


_Row = tuple[str, str | None, str, str, dict[str, Any], str]


@dataclass(frozen=True)
class Template:
    """A behavior to begin with. `rows` are (id, id of the row around it, kind,
    name, arguments, condition).
    """

    title: str
    help: str
    rows: tuple[_Row, ...]


TEMPLATES: tuple[Template, ...] = (
    Template(
        "Choices",
        "a selector: the first row that can be done is done",
        (("top", None, "selector", "Decide", {}, ""),),
    ),
    Template(
        "Steps",
        "a sequence: one row after the other",
        (
            ("top", None, "sequence", "Do", {}, ""),
            ("wait", "top", "wait", "Stand about", {"duration": 2.0}, ""),
        ),
    ),
    Template(
        "States",
        "a machine with two states that lead to each other",
        (
            ("top", None, "machine", "Live", {}, ""),
            ("rest", "top", "state", "Rest", {}, ""),
            ("up", "rest", "after", "", {"time": 3.0, "to": "alert"}, ""),
            ("alert", "top", "state", "Keep watch", {}, ""),
            (
                "watch",
                "alert",
                "look_about",
                "Look about",
                {"duration": 3.0},
                "",
            ),
            ("tired", "alert", "after", "", {"time": 6.0, "to": "rest"}, ""),
        ),
    ),
    Template(
        "Scores",
        "a utility: what is worth most is done",
        (
            ("top", None, "utility", "Weigh", {}, ""),
            ("idle", "top", "option", "Idle", {}, ""),
            ("stand", "idle", "wait", "Stand about", {"duration": 2.0}, ""),
            ("alert", "top", "option", "Keep watch", {}, ""),
            (
                "watch",
                "alert",
                "look_about",
                "Look about",
                {"duration": 3.0},
                "",
            ),
        ),
    ),
)


def behavior_from(
    start: Template, name: str, title: str, blackboard: str
) -> Behavior:
    """A new behavior that begins as a starting point does, its rows with ids
    of their own.
    """
    behavior = Behavior(name=name, title=title, blackboard=blackboard)
    ids = {}
    for row_id, *_ in start.rows:
        ids[row_id] = fresh_id(behavior)
        behavior = behavior.with_rows(
            [*behavior.rows, Row(id=ids[row_id], kind="wait")]
        )
    rows = []
    for row_id, under, kind, called, args, when in start.rows:
        given = dict(args)
        if "to" in given:
            given["to"] = ids.get(given["to"], given["to"])
        guard = None
        if when:
            guard = Guard(when=when, watch=Watch.THROUGHOUT)
        around = None
        if under:
            around = ids[under]
        rows.append(
            Row(
                id=ids[row_id],
                under=around,
                kind=kind,
                name=called,
                args=given,
                guard=guard,
            )
        )
    return behavior.with_rows(rows)


def new_project(title: str) -> Project:
    """A project to begin with: a yard with a hut, a character that goes
    between two places, and a visitor to steer. Both can be hurt.
    """
    there = {"target": PlaceRef(place="gate")}
    back = {"target": PlaceRef(place="well")}
    steps: tuple[_Row, ...] = (
        ("top", None, "selector", "Decide", {}, ""),
        ("beat", "top", "sequence", "Walk the beat", {}, ""),
        ("to", "beat", "move_to", "To the gate", there, ""),
        ("look", "beat", "look_about", "Look about", {"duration": 2.0}, ""),
        ("back", "beat", "move_to", "Back to the well", back, ""),
    )
    guard = behavior_from(Template("", "", steps), "guard", "Guard", "guard")
    return Project(
        cover=Cover(title=title, scenario="day"),
        behaviors=(guard,),
        blackboards=(_GUARD_KEYS,),
        stages=(_YARD,),
        scenarios=(_DAY,),
    )


_GUARD_KEYS = Blackboard(
    name="guard",
    title="Guard",
    keys=(
        Key(
            name="visitor",
            type=KeyType.AGENT,
            default="visitor",
            help="whom to watch for",
        ),
    ),
)
_HUT = Area(name="hut", corners=((10, 5), (14, 5), (14, 9), (10, 9)))
_YARD = Stage(
    name="yard",
    title="Yard",
    width_m=24,
    height_m=14,
    areas=(_HUT,),
    places=(Place(name="gate", at=(20, 11)), Place(name="well", at=(4, 3))),
)
_CAN_BE_HURT = Body(stats={"health": Stat()})
_DAY = Scenario(
    name="day",
    title="A day",
    stage="yard",
    cast=(
        Member(
            name="guard",
            title="Guard",
            behavior="guard",
            start=(4, 3),
            body=_CAN_BE_HURT,
        ),
        Member(
            name="visitor",
            title="Visitor",
            start=(21, 3),
            facing_deg=180,
            body=_CAN_BE_HURT,
        ),
    ),
)
