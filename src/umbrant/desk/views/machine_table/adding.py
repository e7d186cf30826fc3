"""Adding transitions and states to a machine, from the table and from the map
alike.
"""

from collections.abc import Callable
from functools import partial

from PySide6.QtWidgets import QMenu, QWidget

from umbrant.desk.session.desk import Desk
from umbrant.desk.views.machine_table.cells import MachineCells, TriggerColumn
from umbrant.model.behaviors import Row
from umbrant.model.edits import Edit, fresh_id, insert_row
from umbrant.model.kind_ids import (
    AFTER,
    ON_DONE,
    ON_EVENT,
    STATES,
    TRANSITIONS,
    WHEN,
)

Added = Callable[[str], None]
"""Told the id of the row that was added."""


def add_transition(
    desk: Desk, source: str, trigger: TriggerColumn, target: str
) -> str | None:
    """Add a transition behind those that its source has; returns its id, or
    None if it cannot be.
    """
    behavior = desk.behavior
    if (
        behavior is None or source not in behavior.by_id
    ):  # another behavior may be shown by now
        return None
    rows = [behavior.row(child) for child in behavior.outline.children[source]]
    after = next(
        (row.id for row in reversed(rows) if row.kind in TRANSITIONS), None
    )
    if target:
        to = {"to": target.rpartition("/")[2]}
    else:
        to = {}
    new = Row(
        id=fresh_id(behavior), kind=trigger.kind, args={**trigger.args(), **to}
    )
    name = behavior.name
    edit = Edit(
        f"Add a transition {trigger.title}",
        lambda p: insert_row(p, name, new, after=after, under=source),
    )
    return _done(desk, edit, source, new)


def add_state(desk: Desk, after: str | None, under: str) -> str | None:
    """Add a state to a machine or a state, behind another or as its last;
    returns its id.
    """
    behavior = desk.behavior
    if behavior is None or not {after, under} <= {None, *behavior.by_id}:
        return None
    children = behavior.outline.children[under]
    behind = after or (children[-1] if children else None)
    count = sum(behavior.row(child).kind in STATES for child in children)
    new = Row(id=fresh_id(behavior), kind="state", name=f"State {count + 1}")
    name = behavior.name
    return _done(
        desk,
        Edit(
            "Add a state",
            lambda p: insert_row(p, name, new, after=behind, under=under),
        ),
        under,
        new,
    )


def target_menu(
    parent: QWidget, cells: MachineCells, chosen: Callable[[str], None]
) -> QMenu:
    """The states that a transition can lead to."""
    menu = QMenu(parent)
    menu.setAccessibleName("leads to")
    for row in cells.targets():
        menu.addAction(f"→ {row.name or row.kind}", partial(chosen, row.id))
    menu.addSeparator()
    menu.addAction(
        "leads nowhere: only does what is in it", partial(chosen, "")
    )
    return menu


def trigger_menu(
    parent: QWidget, desk: Desk, chosen: Callable[[TriggerColumn], None]
) -> QMenu:
    """What a transition can wait for."""
    menu = QMenu(parent)
    menu.setAccessibleName("leads on")
    menu.addAction(
        "when a condition holds", partial(chosen, TriggerColumn(WHEN))
    )
    menu.addAction("after a time", partial(chosen, TriggerColumn(AFTER)))
    menu.addAction("once it is done", partial(chosen, TriggerColumn(ON_DONE)))
    menu.addSeparator()
    for event in desk.project.event_list.events:
        menu.addAction(
            f"on {event.name}",
            partial(chosen, TriggerColumn(ON_EVENT, event.name)),
        )
    if not desk.project.event_list.events:
        menu.addAction("on an event", partial(chosen, TriggerColumn(ON_EVENT)))
    return menu


def _done(desk: Desk, edit: Edit, row_id: str, new: Row) -> str | None:
    if not desk.apply(edit):
        return None
    path = row_id.rpartition("/")[0]
    row_id = f"{path}/{new.id}" if path else new.id
    desk.select_row(row_id)
    return row_id
