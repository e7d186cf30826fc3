"""Actions on the project and on takes as files."""

from PySide6.QtGui import QKeySequence

from umbrant.desk.commands.action import Action, has_take, needs_trust
from umbrant.desk.commands.commands import Commands

_S = QKeySequence.StandardKey

ACTIONS: tuple[Action, ...] = (
    Action("new", "Project", "New", "Begin a project of your own", Commands.new_project, (_S.New,)),
    Action(
        "open",
        "Project",
        "Open…",
        "Open the folder of a project",
        Commands.open_project,
        (_S.Open,),
    ),
    Action("save", "Project", "Save", "Write the project to its folder", Commands.save, (_S.Save,)),
    Action(
        "save_as",
        "Project",
        "Save as…",
        "Write the project to another folder",
        Commands.save_as,
        ("Ctrl+Shift+S",),
    ),
    Action(
        "revert",
        "Project",
        "Revert",
        "Read the project from its folder again",
        Commands.revert,
        enabled=lambda commands: commands.desk.folder is not None,
    ),
    Action(
        "changes",
        "Project",
        "What has changed…",
        "Tell what is different from what was last saved",
        Commands.changes,
    ),
    Action(
        "open_take",
        "Project",
        "Open take…",
        "Show a take from a file",
        Commands.open_take,
        starts_group=True,
    ),
    Action(
        "keep_take",
        "Project",
        "Keep this take…",
        "Copy the take to a file",
        Commands.keep_take,
        enabled=has_take,
    ),
    Action(
        "trust",
        "Project",
        "Trust own nodes…",
        "Let the nodes that the project brings along run",
        Commands.trust,
        enabled=needs_trust,
    ),
    Action(
        "quit", "Project", "Quit", "Close the window", Commands.quit, ("Ctrl+Q",), starts_group=True
    ),
)
