"""Undo, search, the clipboard, and the walk over chips."""

from PySide6.QtGui import QKeySequence

from umbrant.desk.commands.action import (
    Action,
    Where,
    can_change,
    can_redo,
    can_undo,
    looks_at_rows,
)
from umbrant.desk.commands.commands import Commands

_S = QKeySequence.StandardKey

ACTIONS: tuple[Action, ...] = (
    Action(
        "undo",
        "Edit",
        "Undo",
        "Take the last edit back",
        Commands.undo,
        (_S.Undo,),
        enabled=can_undo,
    ),
    Action(
        "redo",
        "Edit",
        "Redo",
        "Do it again",
        Commands.redo,
        ("Ctrl+Shift+Z", "Ctrl+Y"),
        enabled=can_redo,
    ),
    Action(
        "find",
        "Edit",
        "Find…",
        "Find a row, a key, an event, one of the cast",
        Commands.find,
        (_S.Find,),
        starts_group=True,
    ),
    Action(
        "find_command",
        "Edit",
        "Do…",
        "Find a command by typing",
        Commands.find_command,
        ("Ctrl+K",),
    ),
    Action(
        "cut",
        "Edit",
        "Cut",
        "Copy the rows and delete them",
        lambda commands: commands.rows.cut(),
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
        lambda commands: commands.rows.copy(),
        (_S.Copy,),
        Where.LEDGER,
        looks_at_rows,
    ),
    Action(
        "paste",
        "Edit",
        "Paste",
        "Put copied rows in",
        lambda commands: commands.rows.paste(),
        (_S.Paste,),
        Where.LEDGER,
        looks_at_rows,
    ),
    Action(
        "duplicate",
        "Edit",
        "Duplicate",
        "Put a copy of the rows behind them",
        lambda commands: commands.rows.duplicate(),
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
        Commands.next_chip,
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
        Commands.previous_chip,
        ("Shift+C",),
        Where.LEDGER,
        can_change,
    ),
)
