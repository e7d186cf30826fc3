"""Behaviors and blackboards, as they are written to disk. One class here is
one shape.
"""

from collections.abc import Iterable
from enum import StrEnum
from functools import cached_property

from pydantic import AliasChoices, Field, field_validator

from umbrant.model.names import DottedName, FileName, KeyName, RowId, Slug
from umbrant.model.outline import Outline
from umbrant.model.problems import did_you_mean
from umbrant.model.values import (
    Document,
    FiniteNumber,
    KeyType,
    ParamValue,
    ProjectFile,
    Value,
)


class Watch(StrEnum):
    """When a guard is evaluated."""

    ON_ENTRY = "on entry"
    WHILE_RUNNING = "while running"
    TAKE_OVER = "take over"
    THROUGHOUT = "throughout"

    @classmethod
    def _missing_(cls, value: object) -> "Watch | None":
        """Files of the format before said `both` for throughout."""
        if value == "both":
            return cls.THROUGHOUT
        return None

    @property
    def while_running(self) -> bool:
        """Whether it is evaluated at every tick at which its row runs."""
        return self in (Watch.WHILE_RUNNING, Watch.THROUGHOUT)

    @property
    def take_over(self) -> bool:
        """Whether it is evaluated while a later sibling runs."""
        return self in (Watch.TAKE_OVER, Watch.THROUGHOUT)


class Guard(Document):
    """A condition on a row, in the condition language."""

    when: str
    watch: Watch = Watch.ON_ENTRY


class Decorator(Document):
    """Something wrapped around a row that changes when it may start or how it
    ends.
    """

    kind: str
    args: dict[str, ParamValue] = Field(default_factory=dict, alias="with")


class UpkeepMoment(StrEnum):
    """When an upkeep is done."""

    EVERY = "every so often"
    ENTRY = "on entry"
    LEAVING = "on leaving"


class Upkeep(Document):
    """Small work of a row, done at once: every so many seconds while the row
    is active, first when it is entered; or once, as it is entered or left.
    """

    kind: str
    at: UpkeepMoment = UpkeepMoment.EVERY
    every_s: FiniteNumber = Field(default=0.5, gt=0)
    half_width_s: FiniteNumber = Field(
        default=0.0,
        ge=0,
        validation_alias=AliasChoices("half_width_s", "give_s"),
    )
    """How much sooner or later than `every_s` it may be done, drawn anew each
    time.
    """
    args: dict[str, ParamValue] = Field(default_factory=dict, alias="with")


class Row(Document):
    """One line of a behavior. `under` is the id of the row it is nested in, or
    None at the top.
    """

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
    binds: dict[KeyName, ParamValue] = Field(default_factory=dict)
    """Of a row that uses another behavior: what that behavior's keys stand for
    here.
    """


class Override(Document):
    """What a variant does differently in one row of the behavior it is made
    from; None leaves it as it is there.
    """

    row: RowId
    name: str | None = None
    args: dict[str, ParamValue] = Field(default_factory=dict, alias="with")
    guard: Guard | None = None
    muted: bool | None = None
    decorators: tuple[Decorator, ...] | None = None
    upkeep: tuple[Upkeep, ...] | None = None
    note: str | None = None
    binds: dict[KeyName, ParamValue] = Field(default_factory=dict)
    instead: tuple[Row, ...] = ()
    """Rows that take the place of the row and of all that is nested in it; the
    first of them stands where it stood.
    """


BINDS = "binds"
"""The part of a row that holds what another behavior's keys are bound to."""

REPLACED = ("name", "guard", "muted", "decorators", "upkeep", "note")
"""The fields of a row that an override puts others in the place of. Arguments
and what keys are bound to it adds to.
"""


class Behavior(ProjectFile):
    """An outline that decides for one kind of NPC. Rows stand in the order in
    which they are read.

    A variant has no rows of its own: it follows those of the behavior it is a
    `variant_of`, but for its overrides.
    """

    name: Slug = Field(exclude=True)
    title: str
    blackboard: Slug
    variant_of: Slug | None = None
    stats: dict[KeyName, FiniteNumber] = Field(default_factory=dict)
    """Of a variant: what numbers of a body begin at for whoever of the cast
    has it, instead of what stands with the body.
    """
    overrides: tuple[Override, ...] = ()
    rows: tuple[Row, ...] = ()

    @cached_property
    def outline(self) -> Outline:
        """The tree of rows. Raises OutlineError if they do not form one;
        loading has checked that.
        """
        return Outline.of([(row.id, row.under) for row in self.rows])

    @cached_property
    def by_id(self) -> dict[str, Row]:
        """Each row under its id."""
        return {row.id: row for row in self.rows}

    def row(self, row_id: str) -> Row:
        """The row with this id; KeyError if there is none."""
        return self.by_id[row_id]

    def rows_called(self, text: str) -> list[str]:
        """The ids of the rows that a text names: the one with this number or
        id, or else all with this name, in capitals or not.
        """
        found = self.outline.find(text)
        if found is not None:
            return [found]
        return [
            row.id
            for row in self.rows
            if row.name.casefold() == text.casefold()
        ]

    def row_called(self, text: str) -> str:
        """The id of the row that a text names. Raises LookupError, which says
        what there is instead: `no row 'x'. Did you mean …`.
        """
        found = self.rows_called(text)
        if len(found) == 1:
            return found[0]
        number = self.outline.number
        if found:
            several = ", ".join(number[each] for each in found)
            raise LookupError(
                f"several rows '{text}': {several}. Give the number of one."
            )
        names = dict.fromkeys(row.name for row in self.rows if row.name)
        meant = did_you_mean(text, [*names, *number.values()])
        raise LookupError(f"no row '{text}'. {meant}")

    def innermost(self, row_id: str, kind: str) -> str | None:
        """The id of the innermost row of a kind around a row, itself included;
        None if there is none, or no such row.
        """
        if row_id not in self.by_id:
            return None
        for above in reversed(self.outline.path(row_id)):
            if self.by_id[above].kind == kind:
                return above
        return None

    def with_rows(self, rows: Iterable[Row]) -> "Behavior":
        """The behavior with other rows, which are not checked. Where they are
        nested as before, so is its outline.
        """
        rows, fields = (
            tuple(rows),
            {name: getattr(self, name) for name in type(self).model_fields},
        )
        made = Behavior.model_construct(**{**fields, "rows": rows})
        if "outline" in self.__dict__ and [
            (row.id, row.under) for row in rows
        ] == [(row.id, row.under) for row in self.rows]:
            made.__dict__["outline"] = self.outline
        return made


class Sharing(StrEnum):
    """Who shares a key's value."""

    OWN = "own"
    GROUP = "group"
    WORLD = "world"


class Key(Document):
    """One entry of a blackboard. `low` and `high` bound a number; the default
    None is 'not set'.

    With a `formula`, in the condition language, the key is derived: it always
    has the value of the formula, and no row may write it.
    """

    name: KeyName
    type: KeyType
    unit: str = ""
    low: FiniteNumber | None = None
    high: FiniteNumber | None = None
    default: Value | None = None
    scope: Sharing = Sharing.OWN
    formula: str = ""
    help: str = ""


def targets_of(transition: Row) -> tuple[str, ...]:
    """The ids of the states that a transition leads to, as they are written."""
    named = (str(transition.args.get(each) or "") for each in ("to", "also"))
    return tuple(each for each in named if each)


class Blackboard(ProjectFile):
    """The keys a behavior may read and write, besides those of the blackboard
    that it `extends`.

    Each agent has its own values for them, except where a key's scope says
    otherwise.
    """

    name: Slug = Field(exclude=True)
    title: str
    extends: Slug | None = None
    keys: tuple[Key, ...] = ()

    @cached_property
    def by_name(self) -> dict[str, Key]:
        """Each key under its name."""
        return {key.name: key for key in self.keys}


class Event(Document):
    """An event that can be raised and received. A listener for `alarm` also
    receives `alarm.bell`.
    """

    name: DottedName
    help: str = ""


class EventList(ProjectFile):
    """The events of a project, in `events.json`."""

    events: tuple[Event, ...] = ()


class NodeFile(Document):
    """A file of Python in which a project declares nodes of its own."""

    name: FileName
    text: str

    @field_validator("text")
    @classmethod
    def _can_be_written(cls, text: str) -> str:
        try:
            text.encode()
        except UnicodeEncodeError:
            raise ValueError(
                "it holds half a character, which no file can hold"
            ) from None
        return text
