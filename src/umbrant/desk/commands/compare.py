"""What if, from here; and one take beside another."""

from pathlib import Path

from umbrant.desk.commands.action import (
    Action,
    Where,
    has_finished_take,
    has_take,
)
from umbrant.desk.commands.context import CommandContext
from umbrant.desk.session.branches import do_nearest, keep_branch
from umbrant.desk.views.reasons import Question, ReasonsView


def from_here(context: CommandContext) -> None:
    """Say what is done at the playhead, and play on from there."""
    context.playback.pause()
    context.shell.branch_off()


def keep_as_scenario(context: CommandContext) -> None:
    """Keep what was done in the branch as a scenario of the project."""
    keep_branch(context.desk)


def drop_take(context: CommandContext) -> None:
    """Drop the take that is shown."""
    context.desk.takes.drop()


def compare(context: CommandContext) -> None:
    """Show the take beside the one it is compared with, or alone again."""
    context.desk.takes.show_compared(not context.desk.takes.compares)


def compare_with(context: CommandContext) -> None:
    """Choose what to compare the take with."""
    context.shell.choose_other()


def where_they_part(context: CommandContext) -> None:
    """Go to where the two takes part, and say why."""
    desk = context.desk
    if desk.compared is None:
        desk.takes.show_compared(True)
    comparison = None
    if desk.compared is not None:
        comparison = desk.compared.comparison
    first = None
    if comparison is not None:
        first = comparison.worth_telling
    if first is not None:
        if (
            first.agent
            and desk.scenario
            and desk.scenario.find_player(first.agent)
        ):
            desk.select_agent(first.agent)
        desk.move_playhead(first.tick)
    context.views.of(ReasonsView).ask(Question.PARTING)


def compare_with_file(context: CommandContext) -> None:
    """Compare the take with one from a file."""
    desk = context.desk
    folder = desk.documents.folder or Path.home()
    path = context.dialogs().take_to_open(folder)
    if path is not None:
        desk.takes.compare_with_file(path, path.name)


def compare_with_revision(context: CommandContext) -> None:
    """Play the scenario with the project as it was at a revision, and compare
    the take with that.
    """
    revision = context.dialogs().text(
        "An older version",
        "Revision of its git repository:",
        "HEAD",
        "Compare",
    )
    if revision is not None:
        context.older.request(revision)


def apply_nearest(context: CommandContext) -> None:
    """Write the nearest change that would have made the row run into the
    project.
    """
    found = context.desk.nearest.found
    if found:
        do_nearest(context.desk, found[0])
    else:
        context.desk.message.emit(
            "Ask why not of a row first: what would have made it run is then searched for."
        )


def compare_nearest(context: CommandContext) -> None:
    """Show the take beside what the nearest change would have made of it."""
    found = context.desk.nearest.found
    if found:
        do_nearest(context.desk, found[0], compares=True)


def is_branch(context: CommandContext) -> bool:
    """Whether a branch is shown."""
    return context.desk.branched_at is not None


def has_other(context: CommandContext) -> bool:
    """Whether there is a take to compare the shown one with."""
    current = context.desk.takes.current
    return current is not None and current.loaded.before is not None


ACTIONS: tuple[Action, ...] = (
    Action(
        "from_here",
        "Run",
        "From here on…",
        "What if: set a key, move somebody, raise an event or hold a row, and play on from here",
        from_here,
        ("B",),
        Where.PANES,
        has_finished_take,
        True,
    ),
    Action(
        "keep_as_scenario",
        "Run",
        "Keep as a scenario",
        "Write what was done in the branch into the project, as cues of a new scenario",
        keep_as_scenario,
        enabled=is_branch,
    ),
    Action(
        "drop_take",
        "Run",
        "Drop this take",
        "Forget the take that is shown",
        drop_take,
        enabled=has_finished_take,
    ),
    Action(
        "apply_nearest",
        "Ask",
        "Apply the nearest change",
        "After Why not?: change the project so that the row would have run",
        apply_nearest,
        ("Shift+X",),
        Where.PANES,
        has_take,
    ),
    Action(
        "compare_nearest",
        "Ask",
        "Compare with the nearest change",
        "After Why not?: show the take beside what that change would have made of it",
        compare_nearest,
        ("Alt+X",),
        Where.PANES,
        has_take,
    ),
    Action(
        "compare",
        "Ask",
        "Compare",
        "Show the take beside the one before the last edit, its parent, or the one you chose; N "
        "and P then go to what differs",
        compare,
        ("D",),
        Where.PANES,
        has_other,
        True,
    ),
    Action(
        "compare_with",
        "Ask",
        "Compare with…",
        "Choose the take to compare with: of this visit, from a file, or an older version",
        compare_with,
        ("Alt+D",),
        enabled=has_take,
    ),
    Action(
        "where_they_part",
        "Ask",
        "Where they part",
        "Go to the first thing that differs between the two takes, and say why",
        where_they_part,
        ("Shift+D",),
        Where.PANES,
        has_other,
        button="They part",
    ),
)
