"""What an action of the window is, and when it can be done."""

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum

from PySide6.QtGui import QKeySequence

from umbrant.desk.commands.commands import Commands

Keys = str | QKeySequence.StandardKey


class Where(StrEnum):
    """Where an action's keys work. Plain letters and arrows work only in panes, never while
    something is typed.
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
    """Called with the commands, and for a switch also with whether it is now on."""
    keys: tuple[Keys, ...] = ()
    where: Where = Where.WINDOW
    enabled: Callable[[Commands], bool] = lambda commands: True
    starts_group: bool = False
    switch: bool = False
    """Whether it is on or off, and remembered between visits."""


def has_row(commands: Commands) -> bool:
    """Whether a row is selected."""
    return commands.desk.row is not None


def has_take(commands: Commands) -> bool:
    """Whether a take is shown."""
    return commands.desk.take is not None


def can_change(commands: Commands) -> bool:
    """Whether the table at the left has something selected that can be changed."""
    return not commands.table.needs_row or commands.desk.row is not None


def looks_at_rows(commands: Commands) -> bool:
    """Whether a row is selected in a table that shows rows."""
    return commands.table.shows_rows and commands.desk.row is not None


def can_fold(commands: Commands) -> bool:
    """Whether there is anything to fold."""
    return commands.table.can_fold()


def is_overridden(commands: Commands) -> bool:
    """Whether the row differs from its original in a variant."""
    return looks_at_rows(commands) and commands.desk.override_of(commands.desk.row_id) is not None


def needs_trust(commands: Commands) -> bool:
    """Whether own nodes wait to be allowed."""
    return commands.desk.needs_trust


def can_undo(commands: Commands) -> bool:
    """Whether there is an edit to take back."""
    return commands.desk.history.undo_name is not None


def can_redo(commands: Commands) -> bool:
    """Whether there is an edit to do again."""
    return commands.desk.history.redo_name is not None
