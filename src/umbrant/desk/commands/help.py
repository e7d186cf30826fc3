"""Help."""

from umbrant.desk.commands.action import Action
from umbrant.desk.commands.commands import Commands

ACTIONS: tuple[Action, ...] = (
    Action("shortcuts", "Help", "Keys", "Every action and its keys", Commands.shortcuts, ("F1",)),
    Action(
        "first_visit",
        "Help",
        "First visit",
        "Five things to do, one after the other",
        Commands.first_visit,
    ),
    Action("about", "Help", "About Umbrant", "What this program is", Commands.about),
)
