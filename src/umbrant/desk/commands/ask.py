"""Questions about what happened."""

from umbrant.desk.commands.action import Action, Where, has_take
from umbrant.desk.commands.context import CommandContext
from umbrant.desk.views.reasons import ReasonsView


def why(context: CommandContext) -> None:
    """Ask why the agent does what it does at the playhead."""
    context.views.of(ReasonsView).ask(why_not=False)


def why_not(context: CommandContext) -> None:
    """Why the selected row does not run at the playhead."""
    context.views.of(ReasonsView).ask(why_not=True)


def select_running(context: CommandContext) -> None:
    """Select the row that runs at the playhead."""
    explainer = context.desk.explainer
    path = explainer.path(context.desk.playhead) if explainer else ()
    if path:
        context.desk.select_row(path[-1])


ACTIONS: tuple[Action, ...] = (
    Action(
        "why",
        "Ask",
        "Why?",
        "Why it does what it does",
        why,
        ("W",),
        Where.PANES,
        has_take,
    ),
    Action(
        "why_not",
        "Ask",
        "Why not?",
        "Why the row does not run",
        why_not,
        ("X",),
        Where.PANES,
        has_take,
    ),
    Action(
        "select_running",
        "Ask",
        "Select what runs",
        "Select the row that runs at the playhead",
        select_running,
        ("R",),
        Where.PANES,
        has_take,
        True,
    ),
)
