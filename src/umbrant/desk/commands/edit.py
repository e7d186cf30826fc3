"""Undo, search, the clipboard, and the walk over chips."""

from PySide6.QtGui import QGuiApplication, QKeySequence

from umbrant.catalog.uses import has_uses
from umbrant.desk.commands.action import (
    Action,
    Where,
    can_change,
    can_paste,
    can_redo,
    can_undo,
    looks_at_rows,
)
from umbrant.desk.commands.context import CommandContext
from umbrant.desk.views.registry import SETTING

_S = QKeySequence.StandardKey


def undo(context: CommandContext) -> None:
    """Take the last edit back."""
    context.table.editing.finish()
    context.desk.documents.undo()


def redo(context: CommandContext) -> None:
    """Do again what was taken back last."""
    context.desk.documents.redo()


def find(context: CommandContext) -> None:
    """Search over rows, keys, events and the cast."""
    context.shell.find_things()


def find_command(context: CommandContext) -> None:
    """Search over what can be done."""
    context.shell.find_commands()


def paste(context: CommandContext) -> None:
    """Put what is on the clipboard in."""
    if not context.table.paste_text(QGuiApplication.clipboard().text()):
        context.rows.paste()


def next_chip(context: CommandContext) -> None:
    """Put the keyboard on the next chip of the row."""
    context.table.focus_chip(1)


def previous_chip(context: CommandContext) -> None:
    """Put the keyboard on the chip before."""
    context.table.focus_chip(-1)


def uses(context: CommandContext) -> None:
    """Go to where what the setting's line is about is used."""
    context.shell.find_uses()


def can_have_uses(context: CommandContext) -> bool:
    """Whether the setting's line is about something that can be used."""
    return context.in_setting and has_uses(context.setting.path)


def can_go_back(context: CommandContext) -> bool:
    """Whether the author has jumped from somewhere."""
    return context.can_go_back


def filter_setting(context: CommandContext) -> None:
    """Show the setting, and put the keyboard into its filter."""
    context.show(SETTING)
    context.setting.begin_filter()


ACTIONS: tuple[Action, ...] = (
    Action(
        "undo",
        "Edit",
        "Undo",
        "Take the last edit back",
        undo,
        (_S.Undo,),
        enabled=can_undo,
    ),
    Action(
        "redo",
        "Edit",
        "Redo",
        "Do it again",
        redo,
        ("Ctrl+Shift+Z", "Ctrl+Y"),
        enabled=can_redo,
    ),
    Action(
        "find",
        "Edit",
        "Find…",
        "Find a row, a key, an event, one of the cast",
        find,
        (_S.Find,),
        starts_group=True,
    ),
    Action(
        "uses",
        "Edit",
        "Where it is used",
        "In the setting: go to the rows and lines that use a key, an event, a place, one of the "
        "cast",
        uses,
        ("J",),
        Where.PANES,
        can_have_uses,
    ),
    Action(
        "go_back",
        "Edit",
        "Go back",
        "Go back to where you jumped from",
        lambda context: context.go_back(),
        ("Shift+J",),
        Where.PANES,
        can_go_back,
    ),
    Action(
        "filter",
        "Edit",
        "Filter the setting",
        "Show only the lines of the setting that hold some words",
        filter_setting,
        ("/",),
        Where.PANES,
    ),
    Action(
        "find_command",
        "Edit",
        "Do…",
        "Find a command by typing",
        find_command,
        ("Ctrl+K",),
    ),
    Action(
        "cut",
        "Edit",
        "Cut",
        "Copy the rows and delete them",
        lambda context: context.rows.cut(),
        (_S.Cut,),
        Where.LEDGER,
        looks_at_rows,
        starts_group=True,
    ),
    Action(
        "copy",
        "Edit",
        "Copy",
        "Put the rows on the clipboard as text; Shift+Up and Shift+Down select several",
        lambda context: context.rows.copy(),
        (_S.Copy,),
        Where.LEDGER,
        looks_at_rows,
    ),
    Action(
        "paste",
        "Edit",
        "Paste",
        "Put copied rows in; a spreadsheet's cells into a machine's table, a list into the setting",
        paste,
        (_S.Paste,),
        Where.LEDGER,
        can_paste,
    ),
    Action(
        "duplicate",
        "Edit",
        "Duplicate",
        "Put a copy of the rows behind them",
        lambda context: context.rows.duplicate(),
        ("Ctrl+Shift+V",),
        Where.LEDGER,
        looks_at_rows,
    ),
    Action(
        "next_chip",
        "Edit",
        "Next chip",
        "Put the keyboard on the row's next chip: arrows change it, Enter edits it, Escape "
        "leaves it",
        next_chip,
        ("C",),
        Where.LEDGER,
        can_change,
        starts_group=True,
    ),
    Action(
        "previous_chip",
        "Edit",
        "Previous chip",
        "Put the keyboard on the chip before",
        previous_chip,
        ("Shift+C",),
        Where.LEDGER,
        can_change,
    ),
)
