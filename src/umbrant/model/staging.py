"""Stages and scenarios, as they are written to disk: who plays, where, and
what happens besides.
"""

from collections.abc import Iterator, Sequence
from enum import StrEnum
from functools import cached_property
from math import cos, sin

from pydantic import Field, field_validator

from umbrant.model.names import DottedName, KeyName, Slug
from umbrant.model.values import (
    Document,
    FiniteNumber,
    Point,
    ProjectFile,
    Value,
    find_named,
    named,
    with_changed,
)

MOST_PLAYERS = 5000
"""How many may be on a stage, copies counted one by one."""


class Blocks(StrEnum):
    """What a stretch of stage is in the way of."""

    SIGHT_AND_WAY = "sight and way"
    WAY = "way"
    NOTHING = "nothing"


class Area(Document):
    """A polygon on the stage, its corners in order: a wall, a stack of crates,
    water, or paint on the ground.
    """

    name: str
    corners: tuple[Point, ...] = Field(min_length=3, max_length=500)
    blocks: Blocks = Blocks.SIGHT_AND_WAY


class Place(Document):
    """A named point of the stage."""

    name: KeyName
    at: Point


class Prop(Document):
    """A thing that stands on the stage with a level between 0 and 1 that
    drains: a lamp's oil, a bowl's water.
    """

    name: KeyName
    group: KeyName
    at: Point
    level: FiniteNumber = Field(default=1.0, ge=0, le=1)
    drain_per_s: FiniteNumber = Field(default=0.0, ge=0)


class Stage(ProjectFile):
    """The stand-in world, from (0, 0) to (width_m, height_m)."""

    name: Slug = Field(exclude=True)
    title: str
    width_m: FiniteNumber = Field(gt=0, le=10_000)
    height_m: FiniteNumber = Field(gt=0, le=10_000)
    areas: tuple[Area, ...] = Field(default=(), max_length=5000)
    places: tuple[Place, ...] = Field(default=(), max_length=5000)
    props: tuple[Prop, ...] = Field(default=(), max_length=5000)


class Stat(Document):
    """A number that belongs to a body, such as its health, and how much it
    changes by itself each second.
    """

    value: FiniteNumber = 1.0
    low: FiniteNumber = 0.0
    high: FiniteNumber = 1.0
    per_s: FiniteNumber = 0.0


class Body(Document):
    """What a member of the cast can do with its body. Angles in degrees, the
    sight cone from edge to edge.
    """

    radius_m: FiniteNumber = Field(default=0.3, gt=0, le=5)
    walk_m_s: FiniteNumber = Field(default=1.4, gt=0, le=50)
    run_m_s: FiniteNumber = Field(default=3.0, gt=0, le=50)
    turn_deg_s: FiniteNumber = Field(default=240.0, gt=0)
    sight_m: FiniteNumber = Field(default=12.0, ge=0)
    cone_deg: FiniteNumber = Field(default=110.0, gt=0, le=360)
    hearing_m: FiniteNumber = Field(default=15.0, ge=0)
    """How far away it hears a noise of loudness 1; a noise twice as loud is
    heard twice as far.
    """
    flies: bool = False
    """Whether walls and water are no hindrance to it."""
    stats: dict[KeyName, Stat] = Field(default_factory=dict)


class Push(Document):
    """From `tick` on a hand pushes a puppet with this velocity, in metres per
    second.
    """

    tick: int = Field(ge=0)
    push: Point


class WalkPoint(Document):
    """A puppet is at `to` at `at_s` seconds. Between two points it moves
    evenly along the route.
    """

    at_s: FiniteNumber = Field(ge=0)
    to: Point


class Member(Document):
    """One of the cast. With a behavior it is an agent; without, a puppet that
    follows its walk.

    With `copies` over 1 it stands for so many of its kind, `gull_1`, `gull_2`
    and so on, scattered around the start.
    """

    name: KeyName
    title: str = ""
    behavior: Slug | None = None
    group: KeyName | None = None
    copies: int = Field(default=1, ge=1, le=1000)
    scatter_m: FiniteNumber = Field(default=0.0, ge=0)
    every_s: FiniteNumber = Field(default=0.0, ge=0, le=3600)
    """With copies, how long after one of them the next comes onto the stage: a
    spawner. 0 for all of them at once. The first comes at once or, where they
    wait, as soon as a cue puts them somewhere.
    """
    waits: bool = False
    """Whether it is not on the stage until a cue brings it on."""
    start: Point
    facing_deg: FiniteNumber = 0.0
    body: Body = Body()
    keys: dict[KeyName, Value] = Field(default_factory=dict)
    walk: tuple[WalkPoint, ...] = ()
    steps: tuple[Push, ...] = ()
    """Where a hand steered the puppet, in order of time; from the first of
    them on the walk is not followed.
    """

    def each(self) -> Iterator["Member"]:
        """The member, or each of its copies: laid out evenly, in a spiral from
        the start to `scatter_m`.
        """
        if self.copies == 1:
            yield self
            return
        for index in range(self.copies):
            away = self.scatter_m * ((index + 0.5) / self.copies) ** 0.5
            turn = index * 2.399963  # the golden angle, in radians
            start = (
                round(self.start[0] + away * cos(turn), 3),
                round(self.start[1] + away * sin(turn), 3),
            )
            title = f"{self.title or self.name} {index + 1}"
            waits = self.waits or (self.every_s > 0 and index > 0)
            more = {
                "name": f"{self.name}_{index + 1}",
                "title": title,
                "start": start,
                "copies": 1,
                "waits": waits,
            }
            yield self.model_copy(update=more)

    def arrivals(self) -> Iterator["Cue"]:
        """The cues that bring on the copies of a spawner; none for one whose
        copies wait for cues of their own.
        """
        if self.every_s > 0 and not self.waits:
            for index, copy in enumerate(self.each()):
                if index > 0:
                    yield Cue(
                        at_s=round(index * self.every_s, 6),
                        does=MoveTo(moves=copy.name, to=copy.start),
                    )


class RaiseEvent(Document):
    """Raise an event: for one of the cast, for a group, or for all where `to`
    is empty.
    """

    raises: DottedName
    to: str = ""


class SetKey(Document):
    """Set a key of the world, or of one of the cast."""

    sets: KeyName
    value: Value | None = None
    of: KeyName | None = None


class MoveTo(Document):
    """Put one of the cast, or a prop, somewhere else; or bring on one that
    waits.

    The walk of a puppet goes on from there, to the points that are still ahead
    of it.
    """

    moves: KeyName
    to: Point


class DropProp(Document):
    """Put a new prop on the stage."""

    drops: Prop


class TakeAway(Document):
    """Take one of the cast, or a prop, off the stage."""

    removes: KeyName


class SetNumber(Document):
    """Set a number of a body, such as its health."""

    changes: KeyName
    of: KeyName
    value: FiniteNumber


class HeldResult(StrEnum):
    """What a row is held at."""

    SUCCESS = "success"
    FAILURE = "failure"
    REFUSED = "refused"
    """It is not entered. One that runs goes on until it ends."""
    RELEASED = "released"
    """It is as it was written again."""


class HoldResult(Document):
    """Hold the result of an agent's row from now on: what it would do is not
    done.
    """

    holds: str
    """The id of the row, in the behavior with all that it uses."""
    of: KeyName
    result: HeldResult


CueAction = (
    RaiseEvent | SetKey | MoveTo | DropProp | TakeAway | SetNumber | HoldResult
)
"""What a cue can do."""

_WHOM: dict[type[CueAction], str] = {
    RaiseEvent: "to",
    SetKey: "of",
    MoveTo: "moves",
    TakeAway: "removes",
    SetNumber: "of",
    HoldResult: "of",
}
"""The field in which an action names whom it is done to."""


def concerned(action: CueAction) -> str:
    """Whom an action is done to, by name; empty for all, and for an action
    that is done to none.
    """
    field = _WHOM.get(type(action))
    if field:
        return str(getattr(action, field) or "")
    return ""


class Cue(Document):
    """Something that a scenario does at a time, or each time a condition on
    the keys of the world comes true.

    With `by_hand` it was done by the author during a rehearsal.
    """

    at_s: FiniteNumber | None = Field(default=None, ge=0)
    when: str = ""
    does: CueAction
    by_hand: bool = False


class Scenario(ProjectFile):
    """Stage, cast, seed, length and tick rate: all that a take depends on
    besides the behaviors.
    """

    name: Slug = Field(exclude=True)
    title: str
    stage: Slug
    seed: int = Field(default=1, ge=0, lt=2**63)
    seconds: FiniteNumber = Field(default=30.0, gt=0, le=86_400)
    ticks_per_s: int = Field(default=20, ge=1, le=240)
    cast: tuple[Member, ...] = ()
    cues: tuple[Cue, ...] = ()

    @field_validator("cast")
    @classmethod
    def _few_enough(cls, cast: tuple[Member, ...]) -> tuple[Member, ...]:
        if sum(member.copies for member in cast) > MOST_PLAYERS:
            raise ValueError(
                f"with all copies there are more than {MOST_PLAYERS}, the most a scenario can have"
            )
        return cast

    @property
    def tick_count(self) -> int:
        """How many ticks the scenario lasts."""
        return max(1, round(self.seconds * self.ticks_per_s))

    @cached_property
    def players(self) -> tuple[Member, ...]:
        """The cast, with each copy as a member of its own."""
        return tuple(each for member in self.cast for each in member.each())

    def player_of(self, member: Member) -> str | None:
        """The name by which one of the cast plays, of copies the first; None
        for who is not of this cast.
        """
        if member in self.cast:
            return next(member.each()).name
        return None

    def spelled_out(
        self, action: CueAction
    ) -> Iterator[tuple[float, CueAction]]:
        """An action for each of those whom it names, and how many seconds
        later it is done for them.

        What is done to a group is done to each of it, and what is done to one
        of the cast with copies to every copy. They are put around a place as
        they stand around their start; copies that wait for that come one after
        the other, if they are a spawner's. An event for a group is raised
        once.
        """
        field = _WHOM.get(type(action))
        whom = None
        if field:
            whom = getattr(action, field)
        if whom and not isinstance(action, RaiseEvent):
            group = self.in_group(whom)
        else:
            group = ()
        if field is not None and group:
            middle = _middle([each.start for each in group])
            for each in group:
                changed: dict[str, object] = {field: each.name}
                if isinstance(action, MoveTo):
                    changed["to"] = _offset_from(action.to, each.start, middle)
                yield from self.spelled_out(action.model_copy(update=changed))
            return
        several = next(
            (
                each
                for each in self.cast
                if each.name == whom and each.copies > 1
            ),
            None,
        )
        is_group = isinstance(action, RaiseEvent) and any(
            each.group == whom for each in self.cast
        )
        if field is None or several is None or is_group:
            yield 0.0, action
            return
        for index, copy in enumerate(several.each()):
            changed = {field: copy.name}
            if isinstance(action, MoveTo):
                changed["to"] = _offset_from(
                    action.to, copy.start, several.start
                )
            comes_later = isinstance(action, MoveTo) and several.waits
            after_s = 0.0
            if comes_later:
                after_s = index * several.every_s
            yield (
                after_s,
                action.model_copy(update=changed),
            )

    def in_group(self, name: str) -> tuple[Member, ...]:
        """The cast of a group; nobody where one of the cast, or a copy, has
        the name itself.
        """
        if find_named(self.players, name) or find_named(self.cast, name):
            return ()
        return tuple(each for each in self.cast if each.group == name)

    def member(self, name: str) -> Member:
        """The one of the players with this name; KeyError if there is none."""
        return named(self.players, name)

    def with_member(self, changed: Member) -> "Scenario":
        """The scenario with this one of the cast in the place of the one of
        its name.
        """
        return self.model_copy(
            update={"cast": with_changed(self.cast, changed)}
        )

    def find_player(self, name: str) -> Member | None:
        """The one of the players with this name; None if there is none."""
        return find_named(self.players, name)


def _middle(points: Sequence[Point]) -> Point:
    """The mean of some points."""
    return sum(x for x, _ in points) / len(points), sum(
        y for _, y in points
    ) / len(points)


def _offset_from(there: Point, start: Point, around: Point) -> Point:
    """Where one stands beside `there` that stood at `start` beside `around`;
    to the millimetre.
    """
    return round(there[0] + start[0] - around[0], 3), round(
        there[1] + start[1] - around[1], 3
    )
