"""Actions that change rows."""

from collections.abc import Callable

from PySide6.QtGui import QKeySequence

from umbrant.desk.commands.action import (
    Action,
    Where,
    can_change,
    can_fold,
    is_overridden,
    looks_at_rows,
)
from umbrant.desk.commands.context import CommandContext
from umbrant.model.documents import Project
from umbrant.model.edits import Edit, move_row, nest_row, set_guard, unnest_row
from umbrant.model.parts import GUARD

_S = QKeySequence.StandardKey

FIRST_GUARD = "yes"
"""The condition a new guard begins with; its editor opens at once."""


def add_row(context: CommandContext) -> None:
    """Search for a row to add; in other tables, offer what can be added."""
    context.table.open_additions()


def add_behind(context: CommandContext) -> None:
    """Search for a row to add behind this one."""
    if context.table is context.ledger:
        context.ledger.open_search(behind=True)


def rename(context: CommandContext) -> None:
    """Type another name."""
    context.table.rename()


def guard(context: CommandContext) -> None:
    """Give the row a guard, or edit the one it has."""
    row = context.desk.row
    if row is None:
        return
    if row.guard is None:
        _edit(
            context,
            "Add a guard",
            lambda p, b: set_guard(p, b, row.id, FIRST_GUARD),
        )
    for chip, rect in context.ledger.chips():
        if chip.slot.part == GUARD:
            context.ledger.edit_chip(chip, rect)
            return


def delete(context: CommandContext) -> None:
    """Delete the row with all in it; on a guard's, decorator's or upkeep's
    chip, only that.
    """
    if not context.table.delete():
        context.rows.delete()


def nest(context: CommandContext) -> None:
    """Put the row into the one before it."""
    _change(context, "Nest", nest_row)


def unnest(context: CommandContext) -> None:
    """Take the row out of the one it is in."""
    _change(context, "Un-nest", unnest_row)


def move_up(context: CommandContext) -> None:
    """Move the row before the one above it."""
    _move(context, "Move up", -1)


def move_down(context: CommandContext) -> None:
    """Move the row behind the one below it."""
    _move(context, "Move down", 1)


def fold(context: CommandContext) -> None:
    """Fold the rows or lines under the selected one, or unfold them."""
    context.table.fold()


def all_parameters(context: CommandContext) -> None:
    """Show all parameters of the row, or only those not at their default."""
    context.ledger.toggle_full()


def _move(context: CommandContext, verb: str, step: int) -> None:
    if not context.table.move_line(step):
        _change(context, verb, lambda p, b, r: move_row(p, b, r, step))


def _change(
    context: CommandContext,
    verb: str,
    change: Callable[[Project, str, str], Project],
) -> None:
    row = context.desk.row
    if row is not None:
        _edit(
            context,
            f"{verb} {row.name or row.kind}",
            lambda p, b: change(p, b, row.id),
        )


def _edit(
    context: CommandContext,
    name: str,
    change: Callable[[Project, str], Project],
) -> None:
    behavior = context.desk.behavior
    if behavior is not None:
        context.desk.apply(
            Edit(name, lambda project: change(project, behavior.name))
        )


ACTIONS: tuple[Action, ...] = (
    Action(
        "add_row",
        "Row",
        "Add a row…",
        "Search for a row to add, or for something to put on this one; in the setting, add what "
        "fits there",
        add_row,
        ("Return", "Enter"),
        Where.LEDGER,
    ),
    Action(
        "add_behind",
        "Row",
        "Add a row behind…",
        "Search for a row to add after this one, rather than inside it",
        add_behind,
        ("Shift+Return",),
        Where.LEDGER,
        looks_at_rows,
    ),
    Action(
        "rename",
        "Row",
        "Rename",
        "Type another name",
        rename,
        ("F2",),
        Where.LEDGER,
        can_change,
    ),
    Action(
        "guard",
        "Row",
        "Guard…",
        "Give the row a guard, or edit it",
        guard,
        ("G",),
        Where.LEDGER,
        looks_at_rows,
    ),
    Action(
        "delete",
        "Row",
        "Delete",
        "Delete the row and all in it; on a guard's, decorator's or upkeep's chip, only that",
        delete,
        (_S.Delete,),
        Where.LEDGER,
        can_change,
    ),
    Action(
        "nest",
        "Row",
        "Nest",
        "Put it into the row before",
        nest,
        ("Tab",),
        Where.LEDGER,
        looks_at_rows,
        True,
    ),
    Action(
        "unnest",
        "Row",
        "Un-nest",
        "Take it out of its row",
        unnest,
        ("Shift+Tab",),
        Where.LEDGER,
        looks_at_rows,
    ),
    Action(
        "move_up",
        "Row",
        "Move up",
        "Before the row above",
        move_up,
        ("Alt+Up",),
        Where.LEDGER,
        can_change,
    ),
    Action(
        "move_down",
        "Row",
        "Move down",
        "Behind the row below",
        move_down,
        ("Alt+Down",),
        Where.LEDGER,
        can_change,
    ),
    Action(
        "mute",
        "Row",
        "Mute",
        "The engine passes over a muted row",
        lambda context: context.rows.mute(),
        ("M",),
        Where.LEDGER,
        looks_at_rows,
        True,
    ),
    Action(
        "follow",
        "Row",
        "Follow the original",
        "In a variant: put the chip, or the whole row, back to what it is in the original",
        lambda context: context.rows.follow(),
        ("U",),
        Where.LEDGER,
        is_overridden,
    ),
    Action(
        "fold",
        "Row",
        "Fold",
        "Hide or show what is in it",
        fold,
        ("F",),
        Where.LEDGER,
        can_fold,
    ),
    Action(
        "wrap",
        "Row",
        "Wrap…",
        "Put the rows into a new one",
        lambda context: context.rows.wrap(),
        ("Ctrl+G",),
        Where.LEDGER,
        looks_at_rows,
        starts_group=True,
    ),
    Action(
        "extract",
        "Row",
        "Make a behavior of it…",
        "Put the rows into a behavior of their own, which is used in their place",
        lambda context: context.rows.extract(),
        ("Ctrl+B",),
        Where.LEDGER,
        looks_at_rows,
    ),
    Action(
        "swap_kind",
        "Row",
        "Another kind…",
        "Make the row into one of another kind, keeping what fits",
        lambda context: context.rows.swap_kind(),
        ("K",),
        Where.LEDGER,
        looks_at_rows,
    ),
    Action(
        "note",
        "Row",
        "Comment…",
        "Say something about the row that is only for its readers",
        lambda context: context.rows.note(),
        ("Shift+N",),
        Where.LEDGER,
        looks_at_rows,
    ),
    Action(
        "all_parameters",
        "Row",
        "All parameters",
        "Show also the parameters that are at their default",
        all_parameters,
        ("A",),
        Where.LEDGER,
        looks_at_rows,
    ),
)
