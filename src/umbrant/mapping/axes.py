"""The axes of a decision map: an input, its range, and how a value is put in
at a tick.

distance(visitor)=0:20   what the agent's own questions by this sense find, at that tick
alarm=0:1                a key of the agent
health=0:100             a number of its body
visitor.x=0:40           where one of the cast stands; also visitor.y
visitor.distance=0:20    how far away it stands, in the direction in which it stands
1.1.guard.within=4:14    a number of a row of the behavior, as a study varies it
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import wraps
from typing import Any

import numpy as np

from umbrant.catalog.geometry import FloatArray
from umbrant.catalog.kind import Catalog, Family
from umbrant.catalog.language.tree import (
    LanguageError,
    SenseCall,
    TextTerm,
    parse,
    source,
)
from umbrant.expecting.history import TakeSignals
from umbrant.model.behaviors import Key
from umbrant.model.documents import Project
from umbrant.model.edits import declare_key
from umbrant.model.problems import did_you_mean
from umbrant.model.staging import CueAction, MoveTo, SetKey, SetNumber
from umbrant.model.values import KeyType, Point, number_text
from umbrant.studying.vary import VaryError, number_as_key
from umbrant.take.reader import Take

PLACES = ("x", "y", "distance")


class AxisError(ValueError):
    """Raised for what cannot be an axis, with the way out."""


NOWHERE = np.full((1, 3), np.nan, np.float32)
"""The poses of one of whom a take does not say where it is."""


@dataclass(frozen=True)
class MapSubject:
    """Whose decision is mapped: an agent at a tick of a take."""

    take: Take
    agent: str
    tick: int
    catalog: Catalog

    @property
    def project(self) -> Project:
        """The project as the take has it."""
        return self.take.header.project

    @property
    def behavior(self) -> str:
        """The name of the behavior that the agent runs."""
        return self.take.header.played.member(self.agent).behavior or ""

    def place(self, who: str) -> Point | None:
        """Where one of the cast is at the tick; None while it is not on the
        stage, and where the take does not say it.
        """
        poses = self.take.poses.get(who)
        if poses is None or self.tick >= len(poses):
            return None
        x, y = poses[self.tick, :2].tolist()
        if math.isnan(x):
            return None
        return (x, y)


@dataclass(frozen=True)
class MapAxis:
    """One input and its range. What is not said here is as in the take."""

    name: str
    low: float
    high: float

    def actions(
        self, subject: MapSubject, value: float
    ) -> Sequence[CueAction]:
        """What is done at the tick so that the input has a value."""
        return ()

    def now(self, subject: MapSubject) -> float | None:
        """The input's value in the take, at the tick; None where it is
        unknown.
        """
        values = self.over_take(subject)
        if values is None or math.isnan(values[subject.tick]):
            return None
        return float(values[subject.tick])

    def over_take(self, subject: MapSubject) -> FloatArray | None:
        """The input at each tick of the take, NaN where it is unknown; None
        where a take cannot tell.
        """
        return None


@dataclass(frozen=True)
class KeyAxis(MapAxis):
    """A number among the keys of the agent."""

    def actions(
        self, subject: MapSubject, value: float
    ) -> Sequence[CueAction]:
        is_worlds = self.name in subject.project.world_keys()
        if is_worlds:
            of = None
        else:
            of = subject.agent
        return (
            SetKey(
                sets=self.name,
                value=value,
                of=of,
            ),
        )

    def over_take(self, subject: MapSubject) -> FloatArray | None:
        return _numbers(subject, self.name)


@dataclass(frozen=True)
class StatAxis(MapAxis):
    """A number of the agent's body."""

    def actions(
        self, subject: MapSubject, value: float
    ) -> Sequence[CueAction]:
        return (SetNumber(changes=self.name, of=subject.agent, value=value),)

    def over_take(self, subject: MapSubject) -> FloatArray | None:
        found = subject.take.body_numbers.get(subject.agent, {}).get(self.name)
        if found is None:
            return None
        return np.asarray(found[: subject.take.ticks], np.float64)


@dataclass(frozen=True)
class SenseAxis(MapAxis):
    """What a sense finds that gives a number, wherever the agent asks it with
    the same words.
    """

    sense: str
    words: tuple[str, ...]
    """Its arguments, as they are written."""

    def over_take(self, subject: MapSubject) -> FloatArray | None:
        return _numbers(subject, self.name)


@dataclass(frozen=True)
class PlaceAxis(MapAxis):
    """Where one of the cast stands: along an axis of the stage, or how far
    from the agent.
    """

    who: str
    along: str

    def actions(
        self, subject: MapSubject, value: float
    ) -> Sequence[CueAction]:
        at, own = subject.place(self.who), subject.place(subject.agent)
        if at is None:
            return ()
        if self.along == "x":
            return (MoveTo(moves=self.who, to=(value, at[1])),)
        if self.along == "y":
            return (MoveTo(moves=self.who, to=(at[0], value)),)
        own = own or at
        heading = math.atan2(at[1] - own[1], at[0] - own[0])
        to = (
            own[0] + value * math.cos(heading),
            own[1] + value * math.sin(heading),
        )
        return (MoveTo(moves=self.who, to=to),)

    def over_take(self, subject: MapSubject) -> FloatArray | None:
        poses = subject.take.poses[self.who][: subject.take.ticks, :2].astype(
            np.float64
        )
        if self.along != "distance":
            return poses[:, PLACES.index(self.along)]
        own = subject.take.poses.get(subject.agent, NOWHERE)[
            : subject.take.ticks, :2
        ]
        return np.asarray(np.hypot(*(poses - own).T))


@dataclass(frozen=True)
class RowAxis(MapAxis):
    """A number of a row. To be changed at a tick it is a key of that name from
    the first tick on, whose default it is: until then nothing is otherwise.
    """

    key: str
    value: float

    def actions(
        self, subject: MapSubject, value: float
    ) -> Sequence[CueAction]:
        return (SetKey(sets=self.key, value=value, of=subject.agent),)

    def now(self, subject: MapSubject) -> float | None:
        return self.value

    def declared(self, project: Project, behavior: str) -> Project:
        """The project with the key in place of the number."""
        board = project.behavior(behavior).blackboard
        key = Key(name=self.key, type=KeyType.NUMBER, default=self.value)
        made = declare_key(project, board, key)
        return number_as_key(made, self.name, self.key)[0]


def read_axis(text: str, subject: MapSubject, place: str) -> MapAxis:
    """The axis that is written as INPUT=LOW:HIGH; `place` is x or y. Raises
    AxisError.
    """
    name, _, given = text.rpartition("=")
    try:
        low, high = (float(each) for each in given.split(":"))
    except ValueError:
        raise AxisError(
            f"{text}: write it as INPUT=LOW:HIGH, such as distance(visitor)=0:20"
        ) from None
    name = name.strip()
    if not (math.isfinite(low) and math.isfinite(high) and low < high):
        raise AxisError(
            f"{text}: the range must go from a lower to a higher number"
        )
    own = subject.take.header.expanded(subject.behavior).keys
    keys = {**subject.project.world_keys(), **own}
    if name in keys:
        return _key_axis(name, keys[name], low, high)
    member = subject.take.header.played.member(subject.agent)
    if name in member.body.stats:
        return StatAxis(name, low, high)
    who, dot, along = name.rpartition(".")
    if (
        dot
        and along in PLACES
        and subject.take.header.played.find_player(who) is not None
    ):
        return _place_axis(name, who, along, subject, low, high)
    if name[:1].isdigit():
        return _row_axis(name, subject, place, low, high)
    if "(" in name:
        return _sense_axis(name, subject, low, high)
    known = [
        *keys,
        *member.body.stats,
        *(each.name for each in subject.take.header.cast),
    ]
    raise AxisError(
        f"{name}: there is no such input. {did_you_mean(name, known)}"
    )


def _key_axis(name: str, key: Key, low: float, high: float) -> KeyAxis:
    if key.type is not KeyType.NUMBER or key.formula:
        if key.formula:
            what = "is worked out from others"
        else:
            what = f"holds {key.type}"
        raise AxisError(
            f"{name}: this key {what}; an axis needs a number that can be set"
        )
    return KeyAxis(name, low, high)


def _place_axis(
    name: str,
    who: str,
    along: str,
    subject: MapSubject,
    low: float,
    high: float,
) -> PlaceAxis:
    if subject.place(who) is None:
        raise AxisError(f"{name}: {who} is not on the stage at that time")
    if along == "distance" and who == subject.agent:
        raise AxisError(
            f"{name}: that is always 0; take another one of the cast"
        )
    return PlaceAxis(name, low, high, who, along)


def _row_axis(
    name: str, subject: MapSubject, place: str, low: float, high: float
) -> RowAxis:
    called = f"{subject.behavior}/{name}"
    try:
        _, value = number_as_key(subject.project, called, f"map_{place}")
    except VaryError as error:
        raise AxisError(str(error)) from None
    return RowAxis(called, low, high, f"map_{place}", value)


def _sense_axis(
    name: str, subject: MapSubject, low: float, high: float
) -> SenseAxis:
    try:
        tree = parse(name)
    except LanguageError as error:
        raise AxisError(f"{name}: {error}") from None
    if not isinstance(tree, SenseCall):
        raise AxisError(f"{name}: write one sense, such as distance(visitor)")
    kind = subject.catalog.get(tree.sense, Family.SENSE)
    known = [each.id for each in subject.catalog.family(Family.SENSE)]
    if kind is None:
        raise AxisError(
            f"{name}: there is no such sense. {did_you_mean(tree.sense, known)}"
        )
    if kind.gives is not KeyType.NUMBER:
        raise AxisError(
            f"{name}: it says {kind.gives}, not how much. Move what it asks about instead, as in "
            "visitor.distance=0:20"
        )
    if kind.own:
        raise AxisError(
            f"{name}: it is a node of the project's own, which decides by itself"
        )
    words = []
    for each in tree.args:
        if isinstance(each, TextTerm):
            words.append(each.value)
        else:
            words.append(source(each))
    words += [source(each) for _, each in tree.named]
    return SenseAxis(source(tree), low, high, tree.sense, tuple(words))


def _numbers(subject: MapSubject, text: str) -> FloatArray | None:
    try:
        found = TakeSignals(subject.take, subject.agent).numbers(text)
    except (LanguageError, LookupError):
        return None
    return found


def both_actions(
    subject: MapSubject,
    axes: tuple[MapAxis, MapAxis],
    values: tuple[float, float],
) -> list[CueAction]:
    """What is done at the tick so that both inputs have their values."""
    one, other = axes
    if (
        isinstance(one, PlaceAxis)
        and isinstance(other, PlaceAxis)
        and one.who == other.who
    ):
        along = {one.along: values[0], other.along: values[1]}
        if set(along) == {"x", "y"}:
            # Two moves of the same body: the second would undo the first.
            return [MoveTo(moves=one.who, to=(along["x"], along["y"]))]
    return [
        *one.actions(subject, values[0]),
        *other.actions(subject, values[1]),
    ]


def with_row_keys(
    project: Project, behavior: str, axes: Sequence[MapAxis]
) -> Project:
    """The project in which the numbers of rows that are axes are keys."""
    for each in axes:
        if isinstance(each, RowAxis):
            project = each.declared(project, behavior)
    return project


def catalog_with_given(
    catalog: Catalog,
    agent: str,
    axes: Sequence[MapAxis],
    given: dict[str, float],
) -> Catalog:
    """The catalog in which the senses that are axes find, for this agent, what
    is `given` under the axis' name; as long as nothing is, what they find.
    """
    kinds = dict(catalog.kinds)
    for axis in axes:
        if isinstance(axis, SenseAxis):
            kinds[axis.sense] = _given_kind(
                kinds[axis.sense], axis, agent, given
            )
    return Catalog(kinds)


def _given_kind(
    kind: Any, axis: SenseAxis, agent: str, given: dict[str, float]
) -> Any:
    run = kind.run

    @wraps(run)
    def found(me: Any, *args: Any, **named: Any) -> Any:
        if axis.name in given and me.name == agent:
            words = tuple(_word(each) for each in (*args, *named.values()))
            if words == axis.words:
                return given[axis.name]
        return run(me, *args, **named)

    # Called each time, and never written in line: what it finds can be given.
    return replace(kind, run=found, in_line="", gives_reading=False)


def _word(arg: Any) -> str:
    """An argument of a sense as it is written: a target by its label, a key by
    its name.
    """
    if isinstance(arg, int | float) and not isinstance(arg, bool):
        return number_text(float(arg))
    named = (getattr(arg, each, None) for each in ("label", "key", "name"))
    return next((each for each in named if isinstance(each, str)), str(arg))
