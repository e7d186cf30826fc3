"""The documents of a project: behaviors, blackboards, stages and scenarios. One class here is one shape on disk."""

from collections.abc import Iterable
from enum import StrEnum
from functools import cached_property
from typing import Annotated, TypeVar

from pydantic import Field, StringConstraints

from umbrant.model.outline import Outline
from umbrant.model.values import Document, KeyType, Literal, ParamValue, Point

Slug = Annotated[str, StringConstraints(pattern=r"^[a-z][a-z0-9_-]*$", max_length=60)]
"""The name of a document, which is also its file's name."""

KeyName = Annotated[str, StringConstraints(pattern=r"^[a-z][a-z0-9_]*$", max_length=60)]
"""The name of a key: small letters, digits and underscores, so that conditions can be written with it."""

RowId = Annotated[str, StringConstraints(pattern=r"^[a-z0-9]{2,12}$")]
"""A row's short stable id. It never changes, whatever is renamed or moved."""


class Watch(StrEnum):
    """When a guard is asked."""

    ON_ENTRY = "on entry"
    WHILE_RUNNING = "while running"
    TAKE_OVER = "take over"
    BOTH = "both"

    @property
    def while_running(self) -> bool:
        """Whether it is asked at every tick that its row runs."""
        return self in (Watch.WHILE_RUNNING, Watch.BOTH)

    @property
    def take_over(self) -> bool:
        """Whether it is asked while a later sibling runs."""
        return self in (Watch.TAKE_OVER, Watch.BOTH)


class Guard(Document):
    """A condition on a row, in the condition language."""

    when: str
    watch: Watch = Watch.ON_ENTRY


class Decorator(Document):
    """Something wrapped around a row that changes when it may start or how it ends."""

    kind: str
    args: dict[str, ParamValue] = Field(default_factory=dict, alias="with")


class Upkeep(Document):
    """Small work done every so many seconds while its row is active; first when the row is entered."""

    kind: str
    every_s: float = Field(default=0.5, gt=0)
    args: dict[str, ParamValue] = Field(default_factory=dict, alias="with")


class Row(Document):
    """One line of a behavior. `under` is the id of the row it is nested in, or None at the top."""

    id: RowId
    under: RowId | None = None
    kind: str
    name: str = ""
    args: dict[str, ParamValue] = Field(default_factory=dict, alias="with")
    guard: Guard | None = None
    decorators: tuple[Decorator, ...] = ()
    upkeep: tuple[Upkeep, ...] = ()
    muted: bool = False
    note: str = ""


class Behavior(Document):
    """An outline that decides for one kind of NPC. Rows stand in the order in which they are read."""

    name: Slug = Field(exclude=True)
    title: str
    blackboard: Slug
    rows: tuple[Row, ...] = ()

    @cached_property
    def outline(self) -> Outline:
        """Who is nested in whom. Raises OutlineError if the rows do not make a tree; loading has checked that."""
        return Outline.of([(row.id, row.under) for row in self.rows])

    @cached_property
    def by_id(self) -> dict[str, Row]:
        """Each row under its id."""
        return {row.id: row for row in self.rows}

    def row(self, row_id: str) -> Row:
        """The row with this id; KeyError if there is none."""
        return self.by_id[row_id]


class Key(Document):
    """One entry of a blackboard. `low` and `high` bound a number; the default None is 'not set'."""

    name: KeyName
    type: KeyType
    unit: str = ""
    low: float | None = None
    high: float | None = None
    default: Literal | None = None
    help: str = ""


class Blackboard(Document):
    """The keys a behavior may read and write. Each agent has its own values for them."""

    name: Slug = Field(exclude=True)
    title: str
    keys: tuple[Key, ...] = ()

    @cached_property
    def by_name(self) -> dict[str, Key]:
        """Each key under its name."""
        return {key.name: key for key in self.keys}


class Blocks(StrEnum):
    """What a stretch of stage is in the way of."""

    SIGHT_AND_WAY = "sight and way"
    WAY = "way"
    NOTHING = "nothing"


class Area(Document):
    """A polygon on the stage, its corners in order: a wall, a stack of crates, water, or paint on the ground."""

    name: str
    corners: tuple[Point, ...] = Field(min_length=3)
    blocks: Blocks = Blocks.SIGHT_AND_WAY


class Place(Document):
    """A named point of the stage."""

    name: KeyName
    at: Point


class Prop(Document):
    """A thing that stands on the stage with a level between 0 and 1 that drains: a lamp's oil, a bowl's water."""

    name: KeyName
    group: KeyName
    at: Point
    level: float = Field(default=1.0, ge=0, le=1)
    drain_per_s: float = Field(default=0.0, ge=0)


class Stage(Document):
    """The stand-in world, from (0, 0) to (width_m, height_m)."""

    name: Slug = Field(exclude=True)
    title: str
    width_m: float = Field(gt=0, le=10_000)
    height_m: float = Field(gt=0, le=10_000)
    areas: tuple[Area, ...] = ()
    places: tuple[Place, ...] = ()
    props: tuple[Prop, ...] = ()


class Body(Document):
    """What a member of the cast can do with its body. Angles in degrees, the sight cone from edge to edge."""

    radius_m: float = Field(default=0.3, gt=0, le=5)
    walk_m_s: float = Field(default=1.4, gt=0, le=50)
    run_m_s: float = Field(default=3.0, gt=0, le=50)
    turn_deg_s: float = Field(default=240.0, gt=0)
    sight_m: float = Field(default=12.0, ge=0)
    cone_deg: float = Field(default=110.0, gt=0, le=360)


class WalkPoint(Document):
    """A puppet is at `to` at `at_s` seconds; between two such points it goes evenly along the way there."""

    at_s: float = Field(ge=0)
    to: Point


class Member(Document):
    """One of the cast. With a behavior it is an agent; without, a puppet that follows its walk."""

    name: KeyName
    title: str = ""
    behavior: Slug | None = None
    start: Point
    facing_deg: float = 0.0
    body: Body = Body()
    keys: dict[KeyName, Literal] = Field(default_factory=dict)
    walk: tuple[WalkPoint, ...] = ()


class Scenario(Document):
    """Stage, cast, seed, length and tick rate: all that a take depends on besides the behaviors."""

    name: Slug = Field(exclude=True)
    title: str
    stage: Slug
    seed: int = Field(default=1, ge=0, lt=2**63)
    seconds: float = Field(default=30.0, gt=0, le=86_400)
    ticks_per_s: int = Field(default=20, ge=1, le=240)
    cast: tuple[Member, ...] = ()

    @property
    def tick_count(self) -> int:
        """How many ticks the scenario lasts."""
        return max(1, round(self.seconds * self.ticks_per_s))

    def member(self, name: str) -> Member:
        """The member of the cast with this name; KeyError if there is none."""
        return named(self.cast, name)


class Cover(Document):
    """What a project says of itself, in `project.json`."""

    format: str = "umbrant project 1"
    title: str
    scenario: Slug
    """The scenario that is shown first."""


class Project(Document):
    """A whole project. Documents of each kind stand in the order of their names."""

    cover: Cover
    behaviors: tuple[Behavior, ...] = ()
    blackboards: tuple[Blackboard, ...] = ()
    stages: tuple[Stage, ...] = ()
    scenarios: tuple[Scenario, ...] = ()

    def behavior(self, name: str) -> Behavior:
        """The behavior with this name; KeyError if there is none."""
        return named(self.behaviors, name)

    def blackboard(self, name: str) -> Blackboard:
        """The blackboard with this name; KeyError if there is none."""
        return named(self.blackboards, name)

    def stage(self, name: str) -> Stage:
        """The stage with this name; KeyError if there is none."""
        return named(self.stages, name)

    def scenario(self, name: str) -> Scenario:
        """The scenario with this name; KeyError if there is none."""
        return named(self.scenarios, name)

    def keys_of(self, behavior: Behavior) -> dict[str, Key]:
        """The keys that a behavior may use, by name; none at all if its blackboard is missing."""
        return next((board.by_name for board in self.blackboards if board.name == behavior.blackboard), {})


Named = TypeVar("Named", Behavior, Blackboard, Stage, Scenario, Member)


def named(documents: Iterable[Named], name: str) -> Named:
    """The one document with this name. Raises KeyError with the name."""
    for document in documents:
        if document.name == name:
            return document
    raise KeyError(name)
