"""What is shown, and how. The actions that show a view come from its record."""

from collections.abc import Iterator

from umbrant.desk.commands.action import Action
from umbrant.desk.commands.commands import Commands
from umbrant.desk.views.registry import VIEWS
from umbrant.desk.views.spec import Side


def _shows(side: Side) -> Iterator[Action]:
    """The actions that show the tabs at one side, from the records of the views."""
    for index, spec in enumerate(spec for spec in VIEWS if spec.side is side):
        yield Action(
            spec.action,
            "View",
            spec.title,
            spec.help,
            lambda commands, view_id=spec.id: commands.show(view_id),
            (spec.keys,) if spec.keys else (),
            starts_group=index == 0 and side is Side.RIGHT,
        )


ACTIONS: tuple[Action, ...] = (
    *_shows(Side.LEFT),
    Action(
        "look_at",
        "View",
        "Look at the behavior",
        "Show the rows of the behavior that the setting's line is about",
        Commands.look_at,
        ("Ctrl+L",),
    ),
    *_shows(Side.RIGHT),
    Action(
        "tape_closer",
        "View",
        "Tape closer",
        "Less time on the tape",
        Commands.tape_closer,
        ("Ctrl++", "Ctrl+="),
        starts_group=True,
    ),
    Action(
        "tape_wider",
        "View",
        "Tape wider",
        "More time on the tape",
        Commands.tape_wider,
        ("Ctrl+-",),
    ),
    Action(
        "tape_whole",
        "View",
        "Whole take",
        "The whole take on the tape",
        Commands.fit_tape,
        ("Ctrl+0",),
    ),
    Action("fit_stage", "View", "Whole stage", "The whole stage", Commands.fit_stage, ("Ctrl+9",)),
    Action(
        "night",
        "View",
        "Night",
        "Dark colours",
        Commands.night,
        ("Ctrl+D",),
        starts_group=True,
        switch=True,
    ),
    Action(
        "compact",
        "View",
        "Compact rows",
        "Lower rows",
        Commands.compact,
        ("Ctrl+Shift+D",),
        switch=True,
    ),
    Action(
        "next_pane",
        "View",
        "Next pane",
        "Put the keyboard into the next pane",
        Commands.next_pane,
        ("F6",),
    ),
)
