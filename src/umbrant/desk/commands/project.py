"""Actions on the project and on takes as files."""

from pathlib import Path

from PySide6.QtGui import QKeySequence

from umbrant.catalog.templates.node_file import new_node_file
from umbrant.desk.commands.action import Action, has_finished_take, needs_trust
from umbrant.desk.commands.context import CommandContext
from umbrant.model.changes import changes
from umbrant.model.problems import ProjectError
from umbrant.project_nodes import names_of

_S = QKeySequence.StandardKey


def new_project(context: CommandContext) -> None:
    """Begin a project."""
    context.shell.new_project()


def open_project(context: CommandContext) -> None:
    """Open another project."""
    context.shell.open_project()


def quit_program(context: CommandContext) -> None:
    """Close the window."""
    context.shell.quit()


def save(context: CommandContext) -> bool:
    """Save the project; ask for a folder if it has none. Says whether it is
    saved.
    """
    if context.desk.documents.folder:
        return _save(context, None)
    return save_as(context)


def save_as(context: CommandContext) -> bool:
    """Save the project to another folder."""
    folder = context.dialogs().folder_to_save(
        context.desk.documents.folder or Path.home()
    )
    if folder:
        return _save(context, folder)
    return False


def revert(context: CommandContext) -> None:
    """Read the project from its folder again; unsaved changes are asked about."""
    if context.desk.documents.folder is not None:
        context.shell.open_folder(context.desk.documents.folder)


def list_changes(context: CommandContext) -> None:
    """Tell what is different from what was last saved."""
    saved = context.desk.documents.history.saved
    if saved is not None:
        found = changes(saved, context.desk.project)
    else:
        found = ["nothing of it has been saved yet"]
    context.dialogs().message(
        "Changed since the last save",
        "\n".join(found) or "Nothing has changed.",
    )


def _save(context: CommandContext, folder: Path | None) -> bool:
    context.table.editing.finish()
    if folder is None:
        outside = context.desk.documents.changed_outside()
    else:
        outside = []
    if outside and not context.dialogs().overwrite(outside):
        return False
    try:
        context.desk.documents.save(folder)
    except ProjectError as error:
        context.dialogs().problems(
            "The project could not be saved", error.problems
        )
        return False
    return True


def open_take(context: CommandContext) -> None:
    """Show a take from a file."""
    path = context.dialogs().take_to_open(
        context.desk.documents.folder or Path.home()
    )
    if path:
        context.desk.takes.open(path)


def keep_take(context: CommandContext) -> None:
    """Copy the take that is shown to a file of one's own."""
    take = context.desk.take
    path = None
    if take:
        path = context.dialogs().take_to_save(
            context.desk.documents.folder or Path.home()
        )
    if take is None or path is None:
        return
    try:
        path.write_bytes(take.path.read_bytes())
    except OSError as error:
        context.desk.message.emit(
            f"{path}: the take could not be written: {error.strerror}. Choose another place."
        )
    else:
        context.desk.message.emit(f"The take is in {path}")


def new_node(context: CommandContext) -> None:
    """Write a file with a working node of the project's own, and open it in
    the author's editor.
    """
    documents, dialogs = context.desk.documents, context.dialogs()
    if documents.folder is None and not save_as(context):
        return
    label = "What it does, in a word or two, such as: ring the bell"
    title = dialogs.text("A node of your own", label, verb="Write it")
    if title is None:
        return
    taken = [file.name for file in documents.project.nodes]
    try:
        file = new_node_file(title, documents.catalog.kinds, taken)
        path = documents.add_node_file(file)
    except (OSError, ValueError) as error:
        context.desk.message.emit(f"The node could not be written: {error}.")
        return
    dialogs.edit_file(path)
    context.desk.message.emit(
        f"{path} is a node that works: + finds it by its name. It is read again as you save it."
    )


def trust(context: CommandContext) -> None:
    """Let the project's own nodes run, if the author says so again."""
    documents = context.desk.documents
    if context.dialogs().trust(names_of(documents.project.nodes)):
        documents.trust_nodes()
    else:
        documents.decline_nodes()


ACTIONS: tuple[Action, ...] = (
    Action(
        "new",
        "Project",
        "New",
        "Begin a project of your own",
        new_project,
        (_S.New,),
    ),
    Action(
        "open",
        "Project",
        "Open…",
        "Open the folder of a project",
        open_project,
        (_S.Open,),
    ),
    Action(
        "save",
        "Project",
        "Save",
        "Write the project to its folder",
        save,
        (_S.Save,),
    ),
    Action(
        "save_as",
        "Project",
        "Save as…",
        "Write the project to another folder",
        save_as,
        ("Ctrl+Shift+S",),
    ),
    Action(
        "revert",
        "Project",
        "Revert",
        "Read the project from its folder again",
        revert,
        enabled=lambda context: context.desk.documents.folder is not None,
    ),
    Action(
        "changes",
        "Project",
        "What has changed…",
        "Tell what is different from what was last saved",
        list_changes,
    ),
    Action(
        "open_take",
        "Project",
        "Open take…",
        "Show a take from a file",
        open_take,
        starts_group=True,
    ),
    Action(
        "keep_take",
        "Project",
        "Keep this take…",
        "Copy the take to a file",
        keep_take,
        enabled=has_finished_take,
    ),
    Action(
        "new_node",
        "Project",
        "New node of your own…",
        "Write a file with a working node in Python, and open it in your editor",
        new_node,
    ),
    Action(
        "trust",
        "Project",
        "Trust own nodes…",
        "Let the nodes that the project brings along run",
        trust,
        enabled=needs_trust,
    ),
    Action(
        "quit",
        "Project",
        "Quit",
        "Close the window",
        quit_program,
        ("Ctrl+Q",),
        starts_group=True,
    ),
)
