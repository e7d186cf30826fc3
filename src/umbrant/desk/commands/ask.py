"""Questions about what happened."""

from umbrant.desk.commands.action import Action, Where, has_take
from umbrant.desk.commands.context import CommandContext
from umbrant.desk.commands.expecting import expect_now
from umbrant.desk.views.reasons import Question, ReasonsView


def why(context: CommandContext) -> None:
    """Ask why the agent does what it does at the playhead."""
    context.views.of(ReasonsView).ask(Question.WHY)


def why_not(context: CommandContext) -> None:
    """Why the selected row does not run at the playhead."""
    context.views.of(ReasonsView).ask(Question.WHY_NOT)


def this_tick(context: CommandContext) -> None:
    """List what the agent did within the tick at the playhead."""
    context.views.of(ReasonsView).ask(Question.THIS_TICK)


def next_step(context: CommandContext) -> None:
    """Look at the next step of the tick, or at the first of the next tick."""
    context.views.of(ReasonsView).walk(1)


def previous_step(context: CommandContext) -> None:
    """Look at the step before, or at the last of the tick before."""
    context.views.of(ReasonsView).walk(-1)


def find_in_take(context: CommandContext) -> None:
    """Find the ticks of the take at which a condition holds."""
    context.shell.find_in_take()


def next_hit(context: CommandContext) -> None:
    """Go to the next tick at which what was found begins to hold."""
    context.desk.next_hit(1)


def previous_hit(context: CommandContext) -> None:
    """Go to the tick before at which what was found begins to hold."""
    context.desk.next_hit(-1)


def expect_this(context: CommandContext) -> None:
    """Write down that what is so at the playhead must be so."""
    context.desk.message.emit(expect_now(context.desk, context.dialogs()))


def select_running(context: CommandContext) -> None:
    """Select the row that runs at the playhead."""
    explainer = context.desk.explainer
    if explainer:
        path = explainer.path(context.desk.playhead)
    else:
        path = ()
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
        "this_tick",
        "Ask",
        "This tick",
        "What it did within the tick, step by step",
        this_tick,
        ("T",),
        Where.PANES,
        has_take,
    ),
    Action(
        "next_step",
        "Ask",
        "Next step",
        "The next thing that it did within the tick; after the last, the next tick",
        next_step,
        ("Alt+Right",),
        Where.PANES,
        has_take,
        True,
    ),
    Action(
        "previous_step",
        "Ask",
        "Step before",
        "The thing that it did before; before the first, the tick before",
        previous_step,
        ("Alt+Left",),
        Where.PANES,
        has_take,
    ),
    Action(
        "find_in_take",
        "Ask",
        "Find in the take…",
        "Find the ticks at which a condition holds",
        find_in_take,
        ("Ctrl+Shift+F",),
        Where.WINDOW,
        has_take,
        True,
    ),
    Action(
        "next_hit",
        "Ask",
        "Next that was found",
        "Go to where what was found begins to hold next",
        next_hit,
        ("F3",),
        Where.WINDOW,
        has_take,
    ),
    Action(
        "previous_hit",
        "Ask",
        "Previous that was found",
        "Go to where what was found began to hold before",
        previous_hit,
        ("Shift+F3",),
        Where.WINDOW,
        has_take,
    ),
    Action(
        "expect_this",
        "Ask",
        "Expect this…",
        "Write down what must be so in every take: it is checked after each",
        expect_this,
        ("Ctrl+Shift+E",),
        Where.WINDOW,
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
