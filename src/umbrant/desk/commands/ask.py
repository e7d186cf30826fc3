"""Questions about what happened."""

from umbrant.desk.commands.action import Action, Where, has_take
from umbrant.desk.commands.commands import Commands

ACTIONS: tuple[Action, ...] = (
    Action(
        "why",
        "Ask",
        "Why?",
        "Why it does what it does",
        Commands.why,
        ("W",),
        Where.PANES,
        has_take,
    ),
    Action(
        "why_not",
        "Ask",
        "Why not?",
        "Why the row does not run",
        Commands.why_not,
        ("X",),
        Where.PANES,
        has_take,
    ),
    Action(
        "select_running",
        "Ask",
        "Select what runs",
        "Select the row that runs at the playhead",
        Commands.select_running,
        ("R",),
        Where.PANES,
        has_take,
        True,
    ),
)
