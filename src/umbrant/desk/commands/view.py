"""What is shown, and how. The actions that show a view come from its record."""

from collections.abc import Iterator

from PySide6.QtWidgets import QApplication, QWidget

from umbrant.desk.commands.action import Action
from umbrant.desk.commands.context import CommandContext
from umbrant.desk.views.registry import ROWS, VIEWS
from umbrant.desk.views.spec import Side
from umbrant.desk.views.stage.view import StageView


def _shows(side: Side) -> Iterator[Action]:
    """The actions that show the tabs at one side, from the records of the
    views.
    """
    for index, spec in enumerate(spec for spec in VIEWS if spec.side is side):
        keys: tuple[str, ...] = ()
        if spec.keys:
            keys = (spec.keys,)
        yield Action(
            spec.action,
            "View",
            spec.title,
            spec.help,
            lambda context, view_id=spec.id: context.show_or_enter(view_id),
            keys,
            starts_group=index == 0 and side is Side.RIGHT,
        )


def tape_closer(context: CommandContext) -> None:
    """Show less time on the tape, in more detail."""
    context.desk.tape.zoom(0.8, context.desk.playhead)


def tape_wider(context: CommandContext) -> None:
    """Show more time on the tape."""
    context.desk.tape.zoom(1.25, context.desk.playhead)


def fit_tape(context: CommandContext) -> None:
    """Show the whole take on the tape."""
    context.desk.tape.zoom(1e9, 0)


def fit_stage(context: CommandContext) -> None:
    """Show the whole stage."""
    context.views.of(StageView).fit()


def follow_agent(context: CommandContext, on: bool) -> None:
    """Keep the one who is looked at in the middle of the stage."""
    context.views.of(StageView).follow(on)


def large_stage(context: CommandContext, on: bool) -> None:
    """Let the stage and the rows change places."""
    context.shell.set_large_stage(on)


def look_at(context: CommandContext) -> None:
    """Show the rows of the behavior that the setting's line is about."""
    if context.in_setting:
        member, behavior = (
            context.setting.member_here(),
            context.setting.behavior_here(),
        )
        if member is not None and member.behavior is None:
            context.desk.message.emit(
                f"{member.title or member.name} is a puppet: it has no rows."
            )
            return
        scenario = context.desk.scenario
        player = None
        if scenario is not None and member is not None:
            player = scenario.player_of(member)
        if player is not None:
            context.desk.select_agent(player)
        elif behavior is not None:
            context.desk.look_at(behavior)
    context.show(ROWS)


def night(context: CommandContext, on: bool) -> None:
    """Turn to Night or to Day."""
    context.shell.set_night(on)


def compact(context: CommandContext, on: bool) -> None:
    """Show compact rows, or roomy ones."""
    context.shell.set_compact(on)


def has_keyboard(pane: QWidget) -> bool:
    """Whether a pane or a field within it has the keyboard."""
    within = QApplication.focusWidget()
    return pane.hasFocus() or (
        within is not None and pane.isAncestorOf(within)
    )


def next_pane(context: CommandContext) -> None:
    """Put the keyboard into the next pane: the tabs at both sides, then what
    is under them.
    """
    under = context.views.keyboard_widgets(Side.UNDER, Side.FOOT)
    panes = (context.left.view, context.right.view, *under)
    focused = next(
        (index for index, pane in enumerate(panes) if has_keyboard(pane)), -1
    )
    panes[(focused + 1) % len(panes)].setFocus()


ACTIONS: tuple[Action, ...] = (
    *_shows(Side.LEFT),
    Action(
        "look_at",
        "View",
        "Look at the behavior",
        "Show the rows of the behavior that the setting's line is about",
        look_at,
        ("Ctrl+L",),
    ),
    *_shows(Side.RIGHT),
    Action(
        "tape_closer",
        "View",
        "Tape closer",
        "Less time on the tape",
        tape_closer,
        ("Ctrl++", "Ctrl+="),
        starts_group=True,
    ),
    Action(
        "tape_wider",
        "View",
        "Tape wider",
        "More time on the tape",
        tape_wider,
        ("Ctrl+-",),
    ),
    Action(
        "tape_whole",
        "View",
        "Whole take",
        "The whole take on the tape",
        fit_tape,
        ("Ctrl+0",),
    ),
    Action(
        "fit_stage",
        "View",
        "Whole stage",
        "The whole stage",
        fit_stage,
        ("Ctrl+9",),
    ),
    Action(
        "follow_agent",
        "View",
        "Stage follows the agent",
        "Keep the one who is looked at in the middle of the stage",
        follow_agent,
        ("Ctrl+J",),
        switch=True,
    ),
    Action(
        "large_stage",
        "View",
        "Large stage",
        "The stage and the rows change places",
        large_stage,
        ("Ctrl+M",),
        switch=True,
    ),
    Action(
        "night",
        "View",
        "Night",
        "Dark colours",
        night,
        ("Ctrl+D",),
        starts_group=True,
        switch=True,
    ),
    Action(
        "compact",
        "View",
        "Compact rows",
        "Lower rows",
        compact,
        ("Ctrl+Shift+D",),
        switch=True,
    ),
    Action(
        "next_pane",
        "View",
        "Next pane",
        "Put the keyboard into the next pane",
        next_pane,
        ("F6",),
    ),
)
