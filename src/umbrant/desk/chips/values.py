"""What changing a chip does to the project. Knows nothing of Qt."""

import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from itertools import chain
from typing import Any

from umbrant.catalog.input_range import take_over_range
from umbrant.catalog.language.completion import Completion
from umbrant.catalog.language.tree import SIGNS
from umbrant.catalog.params import ParamType
from umbrant.desk.chips.sentence import (
    EVERY,
    STEP_SIGN,
    STEP_THRESHOLD,
    Chip,
    ChipEditor,
    number_of,
)
from umbrant.model.behaviors import Key, Upkeep, UpkeepMoment, Watch
from umbrant.model.documents import Project
from umbrant.model.edits import (
    Edit,
    rename_row,
    row_of,
    set_guard,
    set_moment,
    set_value,
)
from umbrant.model.expanded import ExpandedBehavior
from umbrant.model.kind_ids import (
    ANY_EVENT,
    MACHINE,
    ON_EVENT,
    STATE_DONE,
    STATES,
)
from umbrant.model.parts import GUARD, Slot
from umbrant.model.staging import Member
from umbrant.model.values import (
    Curve,
    KeyRef,
    ParamValue,
    PlaceRef,
    Shape,
    Spread,
    number_text,
    value_text,
)

_SPREAD = re.compile(
    r"^\s*([-+]?[\d.]+)\s*[a-z°]*\s*(?:±|\+-|\+/-|~)\s*([\d.]+)\s*[a-z°]*\s*$"
)
_NUMBER = re.compile(r"^\s*([-+]?(?:\d+\.?\d*|\.\d+))\s*[a-z°/%]*\s*$")

MOST_STEPS = 120
"""How many steps a slider has at the most."""
_WRITTEN = re.compile(r"-?\s*(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?")


class ChipError(ValueError):
    """What was typed into a chip cannot stand there. The message says what
    can.
    """


@dataclass(frozen=True)
class Choice:
    """Something a chip can be set to from a list."""

    label: str
    value: ParamValue | None
    help: str = ""
    section: str = ""
    """The heading it is listed under."""


def _not_put(project: Project, value: Any) -> Project:
    return project


@dataclass(frozen=True)
class FieldChip(Chip):
    """A chip for a field of a document rather than for a value of a row: it
    says itself what changing it does.
    """

    put: Callable[[Project, Any], Project] = _not_put
    """The project with another value. Raises PathError."""
    read: Callable[[str], Any] = str
    """What was typed, as a value. Raises ChipError."""
    offered: tuple[Choice, ...] = ()
    keys: Mapping[str, Key] = field(default_factory=dict)
    """The keys that a condition or a formula may use."""
    help: str = ""
    says: str = ""
    """What the edit is called; empty for the usual."""
    careful: bool = False
    """Whether what a change would break is told before it is made."""
    act: Callable[[Any, str], None] | None = None
    """What is done with a new value instead of an edit of the project, where
    the field is of something that stands beside its documents. While a drag
    goes on its steps share the text. Raises ChipError.
    """


def typed_value(chip: Chip, text: str) -> Any:
    """What was typed, as a value of the chip. Raises ChipError."""
    if isinstance(chip, FieldChip):
        return chip.read(text)
    if chip.editor is not ChipEditor.NUMBER:
        return text
    if chip.quantity.zero and text.strip() == chip.quantity.zero:
        return 0.0
    if chip.slot.param == EVERY and text.strip() in _MOMENT_HELP:
        return text.strip()
    is_spread = chip.param is not None and chip.param.type is ParamType.SPREAD
    spread = _SPREAD.match(text)
    if spread and is_spread:
        return Spread(mean=_float(spread[1]), half_width=_float(spread[2]))
    number = _NUMBER.match(text)
    if not number:
        way = "a number such as 2.5"
        if is_spread:
            way = "2 or 2 ± 0.5"
        raise ChipError(f"'{text}' is no number; write {way}.")
    return bounded(chip, _float(number[1]))


def stepped(chip: Chip, steps: float) -> ParamValue:
    """The chip's number after so many steps of its quantity; a spread keeps
    its give.
    """
    step = chip.quantity.step
    number = bounded(chip, round(number_of(chip.value) + steps * step, 6))
    if isinstance(chip.value, Spread):
        return Spread(mean=number, half_width=chip.value.half_width)
    return number


def is_short(chip: Chip) -> bool:
    """Whether the range of a chip's plain number has so few steps that a
    slider can reach each of them.
    """
    low, high, step = chip.quantity.low, chip.quantity.high, chip.quantity.step
    plain = isinstance(chip.value, int | float) and not isinstance(
        chip.value, bool
    )
    return (
        plain
        and low is not None
        and high is not None
        and 0 < (high - low) / step <= MOST_STEPS
    )


def bounded(chip: Chip, number: float) -> float:
    """The nearest number that the chip may hold."""
    low, high = chip.quantity.low, chip.quantity.high
    if chip.quantity.is_count:
        number = float(round(number))
    if low is not None:
        number = max(float(low), number)
    if high is None:
        return number
    return min(float(high), number)


def chip_edit(
    behavior: str, chip: Chip, value: ParamValue | None, *, merges: str = ""
) -> Edit:
    """The edit that puts a value into a chip. While a drag goes on its edits
    share `merges`.
    """
    name = f"Set {chip.label} to {value_text(value, chip.quantity.unit)}"
    slot = chip.slot
    if isinstance(chip, FieldChip):
        return Edit(
            chip.says or name, lambda project: chip.put(project, value), merges
        )

    def apply(project: Project) -> Project:
        if chip.editor is ChipEditor.NAME:
            return rename_row(project, behavior, slot.row_id, str(value or ""))
        if slot.part == GUARD:
            return _set_guard(project, behavior, chip, value)
        if slot.param in (STEP_SIGN, STEP_THRESHOLD):
            return _with_step(project, behavior, slot, value)
        if slot.param == EVERY:
            return set_moment(project, behavior, slot, _moment(value))
        if chip.span is not None:
            return set_value(
                project,
                behavior,
                slot,
                _respelled(project, behavior, chip, value),
            )
        changed = set_value(project, behavior, slot, value)
        if chip.editor is ChipEditor.FORMULA and not slot.part:
            return take_over_range(
                changed, behavior, slot.row_id, str(value or "")
            )
        return changed

    return Edit(name, apply, merges)


_HOW = {
    ChipEditor.NUMBER: "Drag sideways, click to type, or right-click for a key.",
    ChipEditor.TEXT: "Click to type.",
    ChipEditor.CONDITION: "Click to type a condition; its numbers can be dragged.",
    ChipEditor.PICK: "Click to pick.",
    ChipEditor.WATCH: "When the guard is asked. Click to pick.",
    ChipEditor.NAME: "Click to rename.",
    ChipEditor.FORMULA: "Click to type a formula; its numbers can be dragged.",
    ChipEditor.CURVE: "Click to pick a shape; it is drawn and dragged in the curve view.",
}


def chip_tip(chip: Chip) -> str:
    """What a chip is, and how it is changed."""
    if isinstance(chip, FieldChip):
        if chip.help:
            return f"{chip.label}: {chip.help}. {_HOW[chip.editor]}"
        return f"{chip.label}. {_HOW[chip.editor]}"
    about = ""
    if chip.param is not None:
        about = f"{chip.param.label}: {chip.param.help}. "
    follows = ""
    if chip.overridden:
        follows = " Other than in the original; U puts it back."
    return about + _HOW[chip.editor] + follows


def choices(
    chip: Chip, project: Project, expanded: ExpandedBehavior | None
) -> list[Choice]:
    """What a chip can be set to from a list: keys of the right type first,
    then what the stage and cast have.
    """
    if isinstance(chip, FieldChip):
        return list(chip.offered)
    if chip.editor is ChipEditor.WATCH:
        return [
            Choice(str(watch), str(watch), WATCH_HELP[watch])
            for watch in Watch
        ]
    if chip.slot.param == EVERY and chip.slot.part:
        return _moments(chip)
    if chip.slot.param == STEP_SIGN:
        return [
            Choice(SIGNS[sign], sign, about)
            for sign, about in _SIGN_HELP.items()
        ]
    param = chip.param
    if param is None:
        return []
    known = expanded.key_scope(chip.slot.row_id).keys if expanded else {}
    keys = [
        key
        for key in known.values()
        if key.type in param.keys and not (param.writes and key.formula)
    ]
    found = [
        Choice(
            key.name, KeyRef(key=key.name), key.help or str(key.type), "Keys"
        )
        for key in keys
    ]
    found.extend(Choice(each, each) for each in param.choices)
    if param.type is ParamType.YES_NO:
        found.extend([Choice("yes", True), Choice("no", False)])
    elif param.type is ParamType.STATE and expanded is not None:
        found.extend(_states(chip, expanded))
    elif param.type is ParamType.CURVE:
        found.extend(_curves(chip))
    elif param.type is ParamType.EVENT and expanded is not None:
        found.extend(_inside_events(chip, expanded))
    named = (offer(project) for offer in _NAMED.get(param.type, ()))
    return [*found, *chain.from_iterable(named)]


def _with_step(
    project: Project, behavior: str, slot: Slot, value: ParamValue | None
) -> Project:
    """The project with another sign or threshold in a curve that is a step; as
    it is where the curve has become another.
    """
    name, _, field_name = slot.param.partition(".")
    curve = row_of(project, behavior, slot.row_id).args.get(name)
    if not isinstance(curve, Curve) or value is None:
        return project
    changed = curve.model_copy(update={field_name: value})
    return set_value(
        project, behavior, Slot(slot.row_id, slot.part, name), changed
    )


def _moments(chip: Chip) -> list[Choice]:
    """When an upkeep may be done: as often as it is, or as its row is entered
    or left.
    """
    if chip.editor is ChipEditor.NUMBER:
        every = chip.value
    else:
        every = Upkeep.model_fields["every_s"].default
    often = Choice(
        "every so often",
        every,
        "when the row is entered, then again and again",
    )
    return [
        often,
        *(
            Choice(moment, moment, about)
            for moment, about in _MOMENT_HELP.items()
        ),
    ]


def _moment(value: ParamValue | None) -> float | UpkeepMoment:
    if isinstance(value, str):
        return UpkeepMoment(value)
    return number_of(value)


def _inside_events(chip: Chip, expanded: ExpandedBehavior) -> Iterator[Choice]:
    """What a transition may wait for besides the events in the list."""
    if expanded.behavior.row(chip.slot.row_id).kind != ON_EVENT:
        return
    yield Choice("any event", ANY_EVENT, "whatever is heard", "States")
    for each in _states(chip, expanded):
        event = f"{STATE_DONE}.{each.value}"
        yield Choice(
            f"{each.label.strip()} is done",
            event,
            "a state of this machine",
            "States",
        )


def _states(chip: Chip, expanded: ExpandedBehavior) -> Iterator[Choice]:
    """The states of the machine that a row belongs to."""
    behavior, row_id = expanded.behavior, chip.slot.row_id
    machine = behavior.innermost(row_id, MACHINE)
    for inner in behavior.outline.within(machine) if machine else ():
        row = behavior.row(inner)
        if row.kind in STATES:
            depth = (
                behavior.outline.depth[inner]
                - behavior.outline.depth[machine or inner]
                - 1
            )
            yield Choice(
                "  " * max(0, depth) + (row.name or row.kind),
                inner.rpartition("/")[2],
                row.kind,
            )


def _curves(chip: Chip) -> Iterator[Choice]:
    """Each shape, as the curve now is otherwise; and the curve flipped."""
    if isinstance(chip.value, Curve):
        curve = chip.value
    else:
        curve = Curve(shape=Shape.LINEAR)
    for shape in Shape:
        yield Choice(
            str(shape),
            curve.model_copy(update={"shape": shape}),
            f"a {shape} curve",
            "Shape",
        )
    flipped = curve.model_copy(update={"flipped": not curve.flipped})
    way_up = "flipped"
    if curve.flipped:
        way_up = "as it is"
    yield Choice(
        way_up,
        flipped,
        "turn the curve upside down",
        "Which way up",
    )


def _places(project: Project) -> Iterator[Choice]:
    for name in sorted(
        {place.name for stage in project.stages for place in stage.places}
    ):
        yield Choice(
            name, PlaceRef(place=name), "a place of the stage", "Places"
        )


def _cast(project: Project) -> Iterator[Choice]:
    for name in sorted({member.name for member in _players(project)}):
        yield Choice(name, name, "always this one of the cast", "Cast")


def _props(project: Project) -> Iterator[Choice]:
    for name in sorted(
        {prop.name for stage in project.stages for prop in stage.props}
    ):
        yield Choice(name, name, "always this prop", "Props")


def _groups(project: Project) -> Iterator[Choice]:
    of_props = {prop.group for stage in project.stages for prop in stage.props}
    of_cast = {member.group for member in _players(project) if member.group}
    for name in sorted(of_props | of_cast):
        yield Choice(name, name, "a group", "Groups")


def _events(project: Project) -> Iterator[Choice]:
    for event in project.event_list.events:
        yield Choice(event.name, event.name, event.help, "Events")


def _behaviors(project: Project) -> Iterator[Choice]:
    for behavior in project.behaviors:
        yield Choice(behavior.title, behavior.name, behavior.name, "Behaviors")


def _body_numbers(project: Project) -> Iterator[Choice]:
    for name in sorted(
        {stat for member in _players(project) for stat in member.body.stats}
    ):
        yield Choice(name, name, "a number of the body", "Numbers")


def _areas(project: Project) -> Iterator[Choice]:
    for name in sorted(
        {area.name for stage in project.stages for area in stage.areas}
    ):
        yield Choice(name, name, "an area of the stage", "Areas")


def _players(project: Project) -> Iterator[Member]:
    return (
        each for scenario in project.scenarios for each in scenario.players
    )


_NAMED: Mapping[
    ParamType, tuple[Callable[[Project], Iterator[Choice]], ...]
] = {
    ParamType.PLACE: (_places, _cast, _props),
    ParamType.AGENT: (_cast,),
    ParamType.PROP: (_props,),
    ParamType.GROUP: (_groups,),
    ParamType.EVENT: (_events,),
    ParamType.BEHAVIOR: (_behaviors,),
    ParamType.STAT: (_body_numbers,),
    ParamType.ZONE: (_areas,),
}
"""What a project has that a chip of a type can name, in the order in which it
is offered.
"""


_SIGN_HELP = {
    "<": "worth 1 where the input is below the threshold",
    "<=": "worth 1 where the input is at most the threshold",
    ">": "worth 1 where the input is above the threshold",
    ">=": "worth 1 where the input is at least the threshold",
    "==": "worth 1 where the input is just the threshold",
    "!=": "worth 1 where the input is anything but the threshold",
}
_MOMENT_HELP = {
    str(UpkeepMoment.ENTRY): "once, when the row is entered, before it begins",
    str(
        UpkeepMoment.LEAVING
    ): "once, when the row is left, however it is left",
}
WATCH_HELP = {
    # Each goes on "a guard that is …".
    Watch.ON_ENTRY: "asked once, when the row is to be entered",
    Watch.WHILE_RUNNING: (
        "asked at every tick while the row runs; when it turns to no the row is stopped"
    ),
    Watch.TAKE_OVER: (
        "asked also while a later sibling runs; when it turns to yes this row takes its place"
    ),
    Watch.THROUGHOUT: (
        "asked at every tick while the row runs, which stops it, and while a later sibling runs, "
        "whose place it takes"
    ),
}


def _set_guard(
    project: Project, behavior: str, chip: Chip, value: ParamValue | None
) -> Project:
    guard = row_of(project, behavior, chip.slot.row_id).guard
    when = ""
    if guard:
        when = guard.when
    if chip.editor is ChipEditor.WATCH:
        return set_guard(
            project, behavior, chip.slot.row_id, when, Watch(str(value))
        )
    if chip.span is not None:
        text = _with_number(when, chip, value)
    else:
        text = str(value or "")
    return set_guard(project, behavior, chip.slot.row_id, text)


_WATCHED = re.compile(
    rf"^(?P<when>.*?)\s*[·,;]\s*(?P<watch>{'|'.join(each.value for each in Watch)})\s*$",
    re.DOTALL,
)


def split_watch(text: str) -> tuple[str, Watch | None]:
    """A guard as it is read, `can see visitor within 8 m · throughout`, as its
    condition and when it is asked; None where that is not said. For the dot a
    comma will do.
    """
    found = _WATCHED.match(text)
    if found:
        return (found["when"], Watch(found["watch"]))
    return (text, None)


def watch_completions(text: str, cursor: int) -> list[Completion]:
    """When a guard can be asked, where that is being typed behind its
    condition.
    """
    before = text[:cursor]
    start = max(before.rfind(sign) for sign in "·,;") + 1
    if (
        not start
        or "(" in before[start:]
        or before.count("(") > before.count(")")
    ):
        return []
    typed = before[start:].lstrip()
    return [
        Completion(
            each.value,
            "when it is asked",
            "",
            "",
            each.value,
            cursor - len(typed),
        )
        for each in Watch
        if each.value.startswith(typed)
    ]


def guard_edit(behavior: str, row_id: str, when: str, watch: Watch) -> Edit:
    """The edit that gives a row a guard, and says when it is asked."""
    return Edit(
        f"Set the guard to {when}, {watch}",
        lambda project: set_guard(project, behavior, row_id, when, watch),
    )


def _respelled(
    project: Project, behavior: str, chip: Chip, value: ParamValue | None
) -> str:
    row = row_of(project, behavior, chip.slot.row_id)
    return _with_number(str(row.args.get(chip.slot.param, "")), chip, value)


def _with_number(when: str, chip: Chip, value: ParamValue | None) -> str:
    """The condition with another number in place of the one that begins where
    the chip's did.

    Its end is looked for anew: during a drag the number in the condition grows
    and shrinks while the chip stays.
    """
    start = 0
    if chip.span:
        start = chip.span[0]
    found = _WRITTEN.match(when, start)
    if found:
        return (
            when[:start] + number_text(number_of(value)) + when[found.end() :]
        )
    return when


def _float(text: str) -> float:
    try:
        return float(text)
    except ValueError:
        raise ChipError(f"'{text}' is no number.") from None
