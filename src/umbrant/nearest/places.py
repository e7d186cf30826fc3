"""Places in a project at which something can be made otherwise: a number, or
an arrangement.

Each is a document, so that it can be passed between processes and be shown,
applied or kept.
"""

from typing import Annotated, Literal

from pydantic import Field

from umbrant.branching.branch import with_cues
from umbrant.catalog.kinds.utilities import STRAIGHT
from umbrant.catalog.language.tree import NumberTerm, parse, walk
from umbrant.model.behaviors import BINDS, Row, Watch
from umbrant.model.documents import Project
from umbrant.model.edits import (
    declare_key,
    move_row,
    row_of,
    set_guard,
    set_muted,
    set_value,
)
from umbrant.model.names import KeyName
from umbrant.model.parts import GUARD, ROW, Slot, part_index
from umbrant.model.staging import CueAction, SetKey
from umbrant.model.values import (
    Curve,
    Document,
    find_named,
    named,
    number_text,
)

CURVE = "curve"
"""The parameter of a consideration that holds its curve."""


class ConditionNumber(Document):
    """A number in a condition: the `index`th that is written in it, from 0 on."""

    kind: Literal["condition number"] = "condition number"
    behavior: str
    row: str
    part: str
    param: str
    """The parameter that holds the condition; empty for a guard."""
    index: int

    def read(self, project: Project) -> float:
        """The number as it is written."""
        return self._terms(project)[self.index].value

    def put(self, project: Project, value: float) -> Project:
        """The project with another number there."""
        when = self._condition(project)
        start, end = self._terms(project)[self.index].span
        return self._with_condition(
            project, f"{when[:start]}{number_text(value)}{when[end:]}"
        )

    def _terms(self, project: Project) -> list[NumberTerm]:
        found = walk(parse(self._condition(project)))
        numbers = [each for each in found if isinstance(each, NumberTerm)]
        return sorted(numbers, key=lambda each: each.span)

    def _condition(self, project: Project) -> str:
        row = row_of(project, self.behavior, self.row)
        if self.part == GUARD:
            if row.guard:
                return row.guard.when
            return ""
        return str(_args_of(row, self.part).get(self.param, ""))

    def _with_condition(self, project: Project, when: str) -> Project:
        if self.part == GUARD:
            return set_guard(project, self.behavior, self.row, when)
        return set_value(
            project, self.behavior, Slot(self.row, self.part, self.param), when
        )


class ParamNumber(Document):
    """A parameter of a row, of one of its decorators or of its upkeep, or what
    a key of a used behavior is bound to.
    """

    kind: Literal["parameter"] = "parameter"
    behavior: str
    row: str
    part: str
    param: str
    default: float = 0.0
    """The value where none is written."""

    def read(self, project: Project) -> float:
        """The number as it is written."""
        value = _args_of(
            row_of(project, self.behavior, self.row), self.part
        ).get(self.param)
        if isinstance(value, int | float):
            return float(value)
        return self.default

    def put(self, project: Project, value: float) -> Project:
        """The project with another number there."""
        return set_value(
            project,
            self.behavior,
            Slot(self.row, self.part, self.param),
            value,
        )


class CurveNumber(Document):
    """A number of the curve of a consideration; its middle and its width as
    the input has them, rather than as shares of the range.
    """

    kind: Literal["curve"] = "curve"
    behavior: str
    row: str
    field: str

    def read(self, project: Project) -> float:
        """The number as it is written."""
        curve, low, high = self._written(project)
        return self.shown(float(getattr(curve, self.field)), low, high)

    def shown(self, value: float, low: float, high: float) -> float:
        """A value of the field as it is shown, in a range of the input."""
        if self.field == "middle":
            return low + (high - low) * value
        if self.field == "width":
            return (high - low) * value
        return value

    def put(self, project: Project, value: float) -> Project:
        """The project with another number there."""
        curve, low, high = self._written(project)
        start = self.shown(0.0, low, high)
        span = self.shown(1.0, low, high) - start
        share = (value - start) / (span or 1.0)
        curve = curve.model_copy(update={self.field: share})
        slot = Slot(self.row, ROW, CURVE)
        return set_value(project, self.behavior, slot, curve)

    def _written(self, project: Project) -> tuple[Curve, float, float]:
        """The curve, and the range of the input."""
        args = row_of(project, self.behavior, self.row).args
        curve, low, high = (args.get(name) for name in (CURVE, "low", "high"))
        return (
            curve if isinstance(curve, Curve) else STRAIGHT,
            float(low) if isinstance(low, int | float) else 0.0,
            float(high) if isinstance(high, int | float) else 1.0,
        )


class BodyNumberPlace(Document):
    """A number of the body of one of the cast: how far it sees, how fast it
    walks.
    """

    kind: Literal["body"] = "body"
    scenario: str
    member: KeyName
    field: str

    def read(self, project: Project) -> float:
        """The number as it is written."""
        member = find_named(project.scenario(self.scenario).cast, self.member)
        if member is not None:
            return float(getattr(member.body, self.field))
        return 0.0

    def put(self, project: Project, value: float) -> Project:
        """The project with another number there."""
        scenario = project.scenario(self.scenario)
        member = named(scenario.cast, self.member)
        body = member.body.model_copy(update={self.field: value})
        changed = member.model_copy(update={"body": body})
        return project.with_scenario(scenario.with_member(changed))


class CueTime(Document):
    """When a cue is done: the `index`th of the scenario, from 0 on."""

    kind: Literal["cue time"] = "cue time"
    scenario: str
    index: int

    def read(self, project: Project) -> float:
        """The number as it is written, in seconds."""
        return project.scenario(self.scenario).cues[self.index].at_s or 0.0

    def put(self, project: Project, value: float) -> Project:
        """The project with another time there."""
        scenario = project.scenario(self.scenario)
        cues = list(scenario.cues)
        cues[self.index] = cues[self.index].model_copy(update={"at_s": value})
        return project.with_scenario(
            scenario.model_copy(update={"cues": tuple(cues)})
        )


class KeyDefault(Document):
    """What a key begins with that no cue can set: one inside a behavior that
    is used.
    """

    kind: Literal["key default"] = "key default"
    board: str
    key: KeyName

    def read(self, project: Project) -> float:
        """The number as it is written."""
        default = project.blackboard(self.board).by_name[self.key].default
        if isinstance(default, int | float):
            return float(default)
        return 0.0

    def put(self, project: Project, value: float) -> Project:
        """The project with another number there."""
        key = project.blackboard(self.board).by_name[self.key]
        return declare_key(
            project, self.board, key.model_copy(update={"default": value})
        )


class KeyAtTick(Document):
    """The value of a key at a tick: set there by a cue, as a branch does. What
    it was comes from the take.
    """

    kind: Literal["key"] = "key"
    scenario: str
    tick: int
    key: KeyName
    of: KeyName | None
    """Whose key it is; None for one of the world."""
    was: float

    def read(self, project: Project) -> float:
        """The value that the key had."""
        return self.was

    def put(self, project: Project, value: float) -> Project:
        """The project with a cue that sets the key."""
        return with_cues(
            project, self.scenario, self.tick, [self.action(value)]
        )

    def action(self, value: float) -> SetKey:
        """What is done at the tick."""
        return SetKey(sets=self.key, value=value, of=self.of)


NumberPlace = Annotated[
    ConditionNumber
    | ParamNumber
    | CurveNumber
    | BodyNumberPlace
    | CueTime
    | KeyDefault
    | KeyAtTick,
    Field(discriminator="kind"),
]
"""Where a number stands that can be another one."""


class TakeOverWatch(Document):
    """A guard that is to be watched for a take-over as well."""

    kind: Literal["watch"] = "watch"
    behavior: str
    row: str

    def put(self, project: Project) -> Project:
        """The project with that watch."""
        guard = row_of(project, self.behavior, self.row).guard
        if guard is None:
            return project
        both = {Watch.WHILE_RUNNING: Watch.THROUGHOUT}
        watch = both.get(guard.watch, Watch.TAKE_OVER)
        return set_guard(project, self.behavior, self.row, guard.when, watch)


class MovedUp(Document):
    """A row that is to be tried before some of those that come before it."""

    kind: Literal["order"] = "order"
    behavior: str
    row: str
    steps: int

    def put(self, project: Project) -> Project:
        """The project in that order."""
        for _ in range(self.steps):
            project = move_row(project, self.behavior, self.row, -1)
        return project


class Unmuted(Document):
    """A row that is to take part again."""

    kind: Literal["unmute"] = "unmute"
    behavior: str
    row: str

    def put(self, project: Project) -> Project:
        """The project with the row taking part."""
        return set_muted(project, self.behavior, [self.row], False)


class DoneAtTick(Document):
    """Something that is done at the tick, as in a branch."""

    kind: Literal["done"] = "done"
    scenario: str
    tick: int
    does: CueAction

    def put(self, project: Project) -> Project:
        """The project with a cue that does it."""
        return with_cues(project, self.scenario, self.tick, [self.does])


Arrangement = Annotated[
    TakeOverWatch | MovedUp | Unmuted | DoneAtTick, Field(discriminator="kind")
]
"""What can be arranged otherwise."""


def _args_of(row: Row, part: str) -> dict[str, object]:
    if part == BINDS:
        return dict(row.binds)
    family, index = part_index(part)
    if family == "decorator":
        args = row.decorators[index].args
    elif family == "upkeep":
        args = row.upkeep[index].args
    else:
        args = row.args
    return dict(args)
