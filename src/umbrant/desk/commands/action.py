"""What an action of the window is, and when it can be done."""

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum

from PySide6.QtGui import QKeySequence

from umbrant.desk.commands.context import CommandContext

Keys = str | QKeySequence.StandardKey


class Where(StrEnum):
    """Where an action's keys work. Plain letters and arrows work only in
    panes, never while something is typed.
    """

    WINDOW = "window"
    PANES = "panes"
    LEDGER = "ledger"


@dataclass(frozen=True)
class Action:
    """One thing the author can do."""

    id: str
    menu: str
    title: str
    help: str
    run: Callable[..., object]
    """Called with the context, and for a switch also with whether it is now
    on.
    """
    keys: tuple[Keys, ...] = ()
    where: Where = Where.WINDOW
    enabled: Callable[[CommandContext], bool] = lambda context: True
    starts_group: bool = False
    button: str = ""
    """What stands on a button, where the title is too long for one."""
    switch: bool = False
    """Whether it is on or off, and remembered between visits."""


def has_row(context: CommandContext) -> bool:
    """Whether a row is selected."""
    return context.desk.row is not None


def has_take(context: CommandContext) -> bool:
    """Whether a take is shown."""
    return context.desk.take is not None


def has_finished_take(context: CommandContext) -> bool:
    """Whether a take is shown that is not still being played."""
    current = context.desk.takes.current
    return current is not None and current.is_finished


def can_change(context: CommandContext) -> bool:
    """Whether the table at the left has something selected that can be
    changed.
    """
    return not context.table.needs_row or context.desk.row is not None


def looks_at_rows(context: CommandContext) -> bool:
    """Whether a row is selected in a table that shows rows."""
    return context.table.shows_rows and context.desk.row is not None


def can_paste(context: CommandContext) -> bool:
    """Whether what is on the clipboard can be put in here."""
    return looks_at_rows(context) or context.table.can_paste()


def can_fold(context: CommandContext) -> bool:
    """Whether there is anything to fold."""
    return context.table.can_fold()


def is_overridden(context: CommandContext) -> bool:
    """Whether the row differs from its original in a variant."""
    return (
        looks_at_rows(context)
        and context.desk.override_of(context.desk.row_id) is not None
    )


def needs_trust(context: CommandContext) -> bool:
    """Whether own nodes wait to be allowed."""
    return context.desk.documents.needs_trust


def can_undo(context: CommandContext) -> bool:
    """Whether there is an edit to take back."""
    return context.desk.documents.history.undo_name is not None


def can_redo(context: CommandContext) -> bool:
    """Whether there is an edit to do again."""
    return context.desk.documents.history.redo_name is not None
