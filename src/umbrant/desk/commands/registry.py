"""Every action of the window, declared once: its menu, its keys, its help, when it can be done, and
what it does.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from enum import StrEnum

from PySide6.QtGui import QKeySequence

from umbrant.desk.commands.commands import Commands
from umbrant.desk.views.registry import VIEWS
from umbrant.desk.views.spec import Side

Keys = str | QKeySequence.StandardKey


class Where(StrEnum):
    """Where an action's keys work. Plain letters and arrows work only in panes, never while
    something is typed.
    """

    WINDOW = "window"
    PANES = "panes"
    LEDGER = "ledger"


@dataclass(frozen=True)
class Action:
    """One thing the author can do."""

    id: str
    menu: str
    title: str
    help: str
    run: Callable[..., object]
    """Called with the commands, and for a switch also with whether it is now on."""
    keys: tuple[Keys, ...] = ()
    where: Where = Where.WINDOW
    enabled: Callable[[Commands], bool] = lambda commands: True
    starts_group: bool = False
    switch: bool = False
    """Whether it is on or off, and remembered between visits."""


def _has_row(commands: Commands) -> bool:
    return commands.desk.row is not None


def _has_take(commands: Commands) -> bool:
    return commands.desk.take is not None


def _can_change(commands: Commands) -> bool:
    return not commands.table.needs_row or commands.desk.row is not None


def _looks_at_rows(commands: Commands) -> bool:
    return commands.table.shows_rows and commands.desk.row is not None


def _can_fold(commands: Commands) -> bool:
    return commands.table.can_fold()


def _is_overridden(commands: Commands) -> bool:
    return _looks_at_rows(commands) and commands.desk.override_of(commands.desk.row_id) is not None


def _needs_trust(commands: Commands) -> bool:
    return commands.desk.needs_trust


def _can_undo(commands: Commands) -> bool:
    return commands.desk.history.undo_name is not None


def _can_redo(commands: Commands) -> bool:
    return commands.desk.history.redo_name is not None


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
        enabled=_has_take,
    ),
    Action(
        "trust",
        "Project",
        "Trust own nodes…",
        "Let the nodes that the project brings along run",
        Commands.trust,
        enabled=_needs_trust,
    ),
    Action(
        "quit", "Project", "Quit", "Close the window", Commands.quit, ("Ctrl+Q",), starts_group=True
    ),
    Action(
        "undo",
        "Edit",
        "Undo",
        "Take the last edit back",
        Commands.undo,
        (_S.Undo,),
        enabled=_can_undo,
    ),
    Action(
        "redo",
        "Edit",
        "Redo",
        "Do it again",
        Commands.redo,
        ("Ctrl+Shift+Z", "Ctrl+Y"),
        enabled=_can_redo,
    ),
    Action(
        "find",
        "Edit",
        "Find…",
        "Find a row, a key, an event, one of the cast",
        Commands.find,
        (_S.Find,),
        starts_group=True,
    ),
    Action(
        "find_command",
        "Edit",
        "Do…",
        "Find a command by typing",
        Commands.find_command,
        ("Ctrl+K",),
    ),
    Action(
        "cut",
        "Edit",
        "Cut",
        "Copy the rows and delete them",
        lambda commands: commands.rows.cut(),
        (_S.Cut,),
        Where.LEDGER,
        _looks_at_rows,
        starts_group=True,
    ),
    Action(
        "copy",
        "Edit",
        "Copy",
        "Put the rows on the clipboard as text; Shift+Up and Shift+Down select several",
        lambda commands: commands.rows.copy(),
        (_S.Copy,),
        Where.LEDGER,
        _looks_at_rows,
    ),
    Action(
        "paste",
        "Edit",
        "Paste",
        "Put copied rows in",
        lambda commands: commands.rows.paste(),
        (_S.Paste,),
        Where.LEDGER,
        _looks_at_rows,
    ),
    Action(
        "duplicate",
        "Edit",
        "Duplicate",
        "Put a copy of the rows behind them",
        lambda commands: commands.rows.duplicate(),
        ("Ctrl+Shift+V",),
        Where.LEDGER,
        _looks_at_rows,
    ),
    Action(
        "next_chip",
        "Edit",
        "Next chip",
        "Put the keyboard on the row's next chip: arrows change it, Enter edits it, Escape "
        "leaves it",
        Commands.next_chip,
        ("C",),
        Where.LEDGER,
        _can_change,
        starts_group=True,
    ),
    Action(
        "previous_chip",
        "Edit",
        "Previous chip",
        "Put the keyboard on the chip before",
        Commands.previous_chip,
        ("Shift+C",),
        Where.LEDGER,
        _can_change,
    ),
    Action(
        "add_row",
        "Row",
        "Add a row…",
        "Search for a row to add, or for something to put on this one; in the setting, add what "
        "fits there",
        Commands.add_row,
        ("Return", "Enter"),
        Where.LEDGER,
    ),
    Action(
        "add_behind",
        "Row",
        "Add a row behind…",
        "Search for a row to add after this one, rather than inside it",
        Commands.add_behind,
        ("Shift+Return",),
        Where.LEDGER,
        _looks_at_rows,
    ),
    Action(
        "rename",
        "Row",
        "Rename",
        "Type another name",
        Commands.rename,
        ("F2",),
        Where.LEDGER,
        _can_change,
    ),
    Action(
        "guard",
        "Row",
        "Guard…",
        "Give the row a guard, or edit it",
        Commands.guard,
        ("G",),
        Where.LEDGER,
        _looks_at_rows,
    ),
    Action(
        "delete",
        "Row",
        "Delete",
        "Delete the row and all in it; on a guard's, decorator's or upkeep's chip, only that",
        Commands.delete,
        (_S.Delete,),
        Where.LEDGER,
        _can_change,
    ),
    Action(
        "nest",
        "Row",
        "Nest",
        "Put it into the row before",
        Commands.nest,
        ("Tab",),
        Where.LEDGER,
        _looks_at_rows,
        True,
    ),
    Action(
        "unnest",
        "Row",
        "Un-nest",
        "Take it out of its row",
        Commands.unnest,
        ("Shift+Tab",),
        Where.LEDGER,
        _looks_at_rows,
    ),
    Action(
        "move_up",
        "Row",
        "Move up",
        "Before the row above",
        Commands.move_up,
        ("Alt+Up",),
        Where.LEDGER,
        _can_change,
    ),
    Action(
        "move_down",
        "Row",
        "Move down",
        "Behind the row below",
        Commands.move_down,
        ("Alt+Down",),
        Where.LEDGER,
        _can_change,
    ),
    Action(
        "mute",
        "Row",
        "Mute",
        "The engine passes over a muted row",
        lambda commands: commands.rows.mute(),
        ("M",),
        Where.LEDGER,
        _looks_at_rows,
        True,
    ),
    Action(
        "follow",
        "Row",
        "Follow the original",
        "Of a variant: put the chip, or all of the row, back to what it is in the behavior that "
        "it is made from",
        lambda commands: commands.rows.follow(),
        ("U",),
        Where.LEDGER,
        _is_overridden,
    ),
    Action(
        "fold",
        "Row",
        "Fold",
        "Hide or show what is in it",
        Commands.fold,
        ("F",),
        Where.LEDGER,
        _can_fold,
    ),
    Action(
        "wrap",
        "Row",
        "Wrap…",
        "Put the rows into a new one",
        lambda commands: commands.rows.wrap(),
        ("Ctrl+G",),
        Where.LEDGER,
        _looks_at_rows,
        starts_group=True,
    ),
    Action(
        "extract",
        "Row",
        "Make a behavior of it…",
        "Put the rows into a behavior of their own, which is used in their place",
        lambda commands: commands.rows.extract(),
        ("Ctrl+B",),
        Where.LEDGER,
        _looks_at_rows,
    ),
    Action(
        "swap_kind",
        "Row",
        "Another kind…",
        "Make the row into one of another kind, keeping what fits",
        lambda commands: commands.rows.swap_kind(),
        ("K",),
        Where.LEDGER,
        _looks_at_rows,
    ),
    Action(
        "note",
        "Row",
        "Comment…",
        "Say something about the row that is only for its readers",
        lambda commands: commands.rows.note(),
        ("Shift+N",),
        Where.LEDGER,
        _looks_at_rows,
    ),
    Action(
        "all_parameters",
        "Row",
        "All parameters",
        "Show also the parameters that are at their default",
        Commands.all_parameters,
        ("A",),
        Where.LEDGER,
        _looks_at_rows,
    ),
    Action(
        "new_take",
        "Run",
        "New take",
        "Play the scenario again and record it",
        Commands.new_take,
        ("F5",),
    ),
    Action("seed", "Run", "Seed…", "Give the scenario another seed", Commands.seed, ("Ctrl+E",)),
    Action(
        "rehearse",
        "Run",
        "Rehearse",
        "Play in real time and steer a puppet by hand: arrow keys or the mouse, E raises an "
        "event, D drops, Esc ends",
        Commands.rehearse,
        ("Ctrl+R",),
    ),
    Action(
        "play",
        "Run",
        "Play",
        "Play or pause",
        Commands.play,
        ("Space",),
        Where.PANES,
        _has_take,
        True,
    ),
    Action(
        "tick_on",
        "Run",
        "Tick on",
        "One tick on",
        Commands.tick_on,
        ("Right",),
        Where.PANES,
        _has_take,
    ),
    Action(
        "tick_back",
        "Run",
        "Tick back",
        "One tick back",
        Commands.tick_back,
        ("Left",),
        Where.PANES,
        _has_take,
    ),
    Action(
        "second_on",
        "Run",
        "Second on",
        "One second on",
        Commands.second_on,
        ("Shift+Right",),
        Where.PANES,
        _has_take,
    ),
    Action(
        "second_back",
        "Run",
        "Second back",
        "One second back",
        Commands.second_back,
        ("Shift+Left",),
        Where.PANES,
        _has_take,
    ),
    Action(
        "to_start",
        "Run",
        "To the start",
        "First tick",
        Commands.to_start,
        ("Ctrl+Home",),
        Where.PANES,
        _has_take,
    ),
    Action(
        "to_end",
        "Run",
        "To the end",
        "Last tick",
        Commands.to_end,
        ("Ctrl+End",),
        Where.PANES,
        _has_take,
    ),
    Action(
        "next_change",
        "Run",
        "Next change of mind",
        "To where it next turned to something else",
        Commands.next_change,
        ("N",),
        Where.PANES,
        _has_take,
        True,
    ),
    Action(
        "previous_change",
        "Run",
        "Previous change of mind",
        "To where it last turned to something else",
        Commands.previous_change,
        ("P",),
        Where.PANES,
        _has_take,
    ),
    Action(
        "faster", "Run", "Faster", "Play faster", Commands.faster, ("Ctrl+Up",), starts_group=True
    ),
    Action("slower", "Run", "Slower", "Play slower", Commands.slower, ("Ctrl+Down",)),
    Action(
        "why",
        "Ask",
        "Why?",
        "Why it does what it does",
        Commands.why,
        ("W",),
        Where.PANES,
        _has_take,
    ),
    Action(
        "why_not",
        "Ask",
        "Why not?",
        "Why the row does not run",
        Commands.why_not,
        ("X",),
        Where.PANES,
        _has_take,
    ),
    Action(
        "select_running",
        "Ask",
        "Select what runs",
        "Select the row that runs at the playhead",
        Commands.select_running,
        ("R",),
        Where.PANES,
        _has_take,
        True,
    ),
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

MENUS = ("Project", "Edit", "Row", "Run", "Ask", "View", "Help")


def by_id(actions: tuple[Action, ...] = ACTIONS) -> dict[str, Action]:
    """The actions by id. Raises ValueError where an id or a key is declared twice."""
    found: dict[str, Action] = {}
    keys: set[str] = set()
    for action in actions:
        if action.id in found:
            raise ValueError(f"two actions are called '{action.id}'")
        for sequence in sequences(action):
            text = sequence.toString()
            if text in keys:
                raise ValueError(
                    f"'{action.id}' has the keys {text}, which another action has already"
                )
            keys.add(text)
        found[action.id] = action
    return found


def sequences(action: Action) -> list[QKeySequence]:
    """The key sequences of an action."""
    return [QKeySequence(keys) for keys in action.keys]
