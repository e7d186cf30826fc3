"""Help."""

from umbrant.desk.commands.action import Action
from umbrant.desk.commands.context import CommandContext


def shortcuts(context: CommandContext) -> None:
    """List every action and its keys."""
    context.shell.show_shortcuts()


def first_visit(context: CommandContext) -> None:
    """Lead through six steps."""
    context.shell.begin_first_visit()


def about(context: CommandContext) -> None:
    """Say what this program is."""
    context.shell.about()


ACTIONS: tuple[Action, ...] = (
    Action(
        "shortcuts",
        "Help",
        "Keys",
        "Every action and its keys",
        shortcuts,
        ("F1",),
    ),
    Action(
        "first_visit",
        "Help",
        "First visit",
        "Five things to do, one after the other",
        first_visit,
    ),
    Action("about", "Help", "About Umbrant", "What this program is", about),
)
