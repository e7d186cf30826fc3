"""A transition as one writes it on paper, read: `distance to visitor < 6 →
Chase`, `after 2 s → Idle`, `on alarm → Flee`, `once done → Rest`. Knows
nothing of Qt.
"""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

from umbrant.catalog.kind import Catalog
from umbrant.catalog.language.reading import typed_condition
from umbrant.catalog.language.sense_phrases import Names
from umbrant.desk.views.machine_table.cells import TriggerColumn
from umbrant.model.behaviors import Behavior, Event, Key, Row
from umbrant.model.documents import Project
from umbrant.model.edits import fresh_id, insert_row
from umbrant.model.expanded import expand_behavior
from umbrant.model.kind_ids import (
    AFTER,
    ON_DONE,
    ON_EVENT,
    STATE,
    STATES,
    TRANSITIONS,
    WHEN,
)
from umbrant.model.values import ParamValue, Spread

ARROW = re.compile(r"\s*(?:→|->|=>)\s*")
_TIME = re.compile(
    r"^([\d.]+)\s*(?:s|sec|seconds?)?\s*(?:(?:±|\+-|\+/-|~)\s*([\d.]+)\s*(?:s|seconds?)?)?$"
)
_EVENT = re.compile(r"^([a-z][a-z0-9_]*(?:\.[a-z0-9_]+)*)(?:\s+if\s+(.+))?$")
_DONE = {
    "": "",
    "success": "success",
    "failure": "failure",
    "either way": "either way",
}
PREFIXES = (
    ("when ", WHEN),
    ("if ", WHEN),
    ("after ", AFTER),
    ("on event ", ON_EVENT),
    ("on ", ON_EVENT),
    ("once done with ", ON_DONE),
    ("once done", ON_DONE),
    ("when done", ON_DONE),
    ("done", ON_DONE),
)
"""What a transition can begin with, whatever column it is written in; the
longer ones first.
"""


class CellError(ValueError):
    """What was typed is no transition. The message says what is wrong."""


@dataclass(frozen=True)
class TypedTransition:
    """A transition that was typed, and what has to be made for it."""

    kind: str
    args: Mapping[str, ParamValue]
    target: str = ""
    """The id of the state that it leads to; empty for none, and for a new one.
    """
    new_state: str = ""
    """The name of the state that is to be made for it."""
    new_event: str = ""
    """The event that is to be made for it."""


@dataclass(frozen=True)
class CellScope:
    """What a cell can name."""

    project: Project
    keys: Mapping[str, Key]
    catalog: Catalog
    names: Names
    targets: Sequence[Row] = field(default=())
    """The states that a transition can lead to."""


def read_transition(
    text: str, column: TriggerColumn, scope: CellScope
) -> TypedTransition:
    """The transition in a text that was typed into a column. Raises CellError."""
    waits, *rest = ARROW.split(text.strip(), maxsplit=1)
    kind, said = _kind_of(waits.strip(), column)
    event = ""
    # A column of an event says which one; what is typed there need only name
    # the state.
    if kind == ON_EVENT == column.kind and not said:
        event = column.event
    args, new_event = _args_of(kind, said, event, scope)
    named = ""
    if rest:
        named = rest[0].strip()
    target = _target(named, scope.targets)
    new_state = ""
    if named and target is None:
        new_state = named
    return TypedTransition(kind, args, target or "", new_state, new_event)


def _kind_of(waits: str, column: TriggerColumn) -> tuple[str, str]:
    """The kind of a transition, and what is left to read of what it waits for."""
    lower = f"{waits.lower()} "
    for prefix, kind in PREFIXES:
        # `when done` begins as `when` does, and is another kind.
        if lower.startswith(prefix) and not (
            kind == WHEN and lower.startswith("when done")
        ):
            return kind, waits[len(prefix.strip()) :].strip()
    return column.kind, waits


def _args_of(
    kind: str, said: str, event: str, scope: CellScope
) -> tuple[dict[str, ParamValue], str]:
    """The parameters of a kind of transition, and the event that has to be
    made.
    """
    if kind == WHEN:
        return {"when": _condition(said, scope)}, ""
    if kind == AFTER:
        return {"time": _time(said)}, ""
    if kind == ON_DONE:
        result = _DONE.get(said.lower().removeprefix("with ").strip())
        if result is None:
            raise CellError(
                f"'{said}' is no way of being done. Write success or failure."
            )
        if result:
            return {"result": result}, ""
        return {}, ""
    return _event(said or event, scope)


def _condition(said: str, scope: CellScope) -> str:
    stored, faults = typed_condition(
        said, scope.keys, scope.catalog, scope.names
    )
    if faults:
        raise CellError(
            f"{faults[0].message.rstrip('.')}. {faults[0].remedy}".strip()
        )
    return stored


def _time(said: str) -> ParamValue:
    found = _TIME.match(said)
    if found is None:
        raise CellError(
            f"'{said}' is no time. Write seconds, such as 2 or 2 ± 0.5."
        )
    try:
        mean, half_width = float(found[1]), float(found[2] or 0)
    except ValueError:
        raise CellError(
            f"'{said}' is no time. Write seconds, such as 2 or 2 ± 0.5."
        ) from None
    if half_width:
        return Spread(mean=mean, half_width=half_width)
    return mean


def _event(said: str, scope: CellScope) -> tuple[dict[str, ParamValue], str]:
    found = _EVENT.match(said)
    if found is None:
        raise CellError(
            f"'{said}' is no name of an event. Write small letters, digits, underscores and dots."
        )
    args: dict[str, ParamValue] = {"event": found[1]}
    if found[2]:
        args["when"] = _condition(found[2], scope)
    known = [each.name for each in scope.project.event_list.events]
    # Events that machines raise themselves are declared nowhere, and any event
    # needs no name of its own.
    is_known = (
        found[1] in known
        or found[1] == "*"
        or found[1].startswith("done.state")
    )
    return args, "" if is_known else found[1]


def _target(named: str, targets: Sequence[Row]) -> str | None:
    """The id of the state of this name, or of the only one that begins so;
    None if there is none.
    """
    lower = named.lower()
    same = [each.id for each in targets if each.name.lower() == lower]
    begins = [
        each.id
        for each in targets
        if lower and each.name.lower().startswith(lower)
    ]
    if same or len(begins) == 1:
        return (same or begins)[0]
    return None


def put_transition(
    project: Project, behavior: Behavior, source: str, typed: TypedTransition
) -> tuple[Project, str]:
    """The project with a typed transition behind those of its source, and with
    the state and the event that it needs; and its id as the behavior runs it.
    """
    if typed.new_event:
        events = (*project.event_list.events, Event(name=typed.new_event))
        listed = project.event_list.model_copy(update={"events": events})
        project = project.model_copy(update={"event_list": listed})
    # In a behavior that another one uses, ids begin with the path of the row
    # that uses it. Documents hold them without.
    path = source.rpartition("/")[0]
    target = typed.target.rpartition("/")[2]
    if typed.new_state:
        project, target = put_state(project, behavior, source, typed.new_state)
    args = dict(typed.args)
    if target:
        args["to"] = target
    rows = [behavior.row(child) for child in behavior.outline.children[source]]
    after = next(
        (row.id for row in reversed(rows) if row.kind in TRANSITIONS), None
    )
    new = Row(id=fresh_id(behavior), kind=typed.kind, args=args)
    project = insert_row(
        project, behavior.name, new, after=after, under=source
    )
    return project, f"{path}/{new.id}" if path else new.id


def put_state(
    project: Project, behavior: Behavior, line: str, name: str
) -> tuple[Project, str]:
    """The project with a state of this name behind that of a line, or as the
    last of a machine; and its id where it is written.
    """
    is_state = behavior.row(line).kind in STATES
    if is_state:
        under = behavior.outline.parent[line]
    else:
        under = line
    if under:
        children = behavior.outline.children[under]
    else:
        children = ()
    if is_state:
        after = line
    else:
        after = None
        if children:
            after = children[-1]
    new = Row(id=fresh_id(behavior), kind=STATE, name=name.strip())
    return insert_row(
        project, behavior.name, new, after=after, under=under
    ), new.id


@dataclass(frozen=True)
class PastedCells:
    """A project with the cells of a spreadsheet in it, and which of them were
    no transitions.
    """

    project: Project
    wrong: tuple[str, ...] = ()


def paste_cells(
    scope: CellScope, behavior: Behavior, machine: str, text: str
) -> PastedCells:
    """States down and what they wait for across, parted by tabs, as a
    spreadsheet copies them. A first line whose first cell is empty or `state`
    heads the columns; else they are `when`. States and events that do not
    exist are made.
    """
    lines = [line.split("\t") for line in text.splitlines() if line.strip()]
    heads: list[str] = []
    if lines and lines[0][0].strip().lower() in ("", "state", "states"):
        heads = lines.pop(0)[1:]
    project, root = scope.project, behavior.name
    # All states first: a cell may lead to one that stands further down.
    for name, *_ in lines:
        project = _with_state(project, root, machine, name.strip())
    wrong: list[str] = []
    for name, *cells in lines:
        for index, cell in enumerate(cells):
            column = _column(heads[index] if index < len(heads) else "")
            for typed in filter(
                None, (each.strip() for each in cell.split(";"))
            ):
                behavior = expand_behavior(project, root).behavior
                states = _states_of(behavior, machine)
                if name.strip():
                    source = _target(name.strip(), states)
                else:
                    source = machine
                here = replace(scope, project=project, targets=states)
                try:
                    found = read_transition(typed, column, here)
                except CellError as error:
                    wrong.append(f"{name.strip()}, “{typed}”: {error}")
                    continue
                if source is not None:
                    project, _ = put_transition(
                        project, behavior, source, found
                    )
    return PastedCells(project, tuple(wrong))


def _with_state(
    project: Project, root: str, machine: str, name: str
) -> Project:
    behavior = expand_behavior(project, root).behavior
    known = {each.name.lower() for each in _states_of(behavior, machine)}
    if not name or name.lower() in known:
        return project
    return put_state(project, behavior, machine, name)[0]


def _states_of(behavior: Behavior, machine: str) -> list[Row]:
    within = (behavior.row(each) for each in behavior.outline.within(machine))
    return [each for each in within if each.kind in STATES]


def _column(head: str) -> TriggerColumn:
    """The column with this head, as a table shows it or somebody writes it."""
    words = head.strip().lower()
    for prefix, kind in PREFIXES:
        if f"{words} ".startswith(
            prefix if prefix.endswith(" ") else f"{prefix} "
        ):
            event = ""
            if kind == ON_EVENT:
                event = words[len(prefix) :].strip()
            return TriggerColumn(kind, event)
    return TriggerColumn(WHEN)
