"""What a command of the window works on. The commands are the functions beside
their records in `project`, `edit`, `rows`, `run`, `ask`, `view` and `help`.
"""

from collections.abc import Callable
from pathlib import Path
from typing import Protocol

from umbrant.desk.chips.table import ChipTable
from umbrant.desk.commands.row_commands import RowCommands
from umbrant.desk.session.desk import Desk
from umbrant.desk.session.older_version import OlderVersion
from umbrant.desk.session.playback import Playback
from umbrant.desk.session.rehearsing import Rehearsing
from umbrant.desk.views.ledger.view import LedgerView
from umbrant.desk.views.registry import ROWS, SETTING
from umbrant.desk.views.setting.view import SettingView
from umbrant.desk.views.view_set import ViewSet
from umbrant.desk.widgets.dialogs import Dialogs
from umbrant.desk.widgets.tabs import Tabs
from umbrant.model import paths

MOST_PLACES = 50
"""How many places an author can go back to."""


class Shell(Protocol):
    """What the window around the views can do."""

    def new_project(self) -> None:
        """Ask for a starting point and open a new project."""

    def open_project(self) -> None:
        """Ask for a project and open it."""

    def open_folder(self, folder: Path) -> bool:
        """Open the project in a folder. Returns whether it was opened."""

    def begin_first_visit(self) -> None:
        """Show the six steps for newcomers above the tables."""

    def set_night(self, on: bool) -> None:
        """Turn to Night or to Day."""

    def set_compact(self, on: bool) -> None:
        """Show compact rows, or roomy ones."""

    def set_large_stage(self, on: bool) -> None:
        """Have the stage at the large place, and the rows at the small one; or
        the other way.
        """

    def show_shortcuts(self) -> None:
        """List every action and its keys."""

    def about(self) -> None:
        """Say what this program is."""

    def quit(self) -> None:
        """Close the window."""

    def find_things(self) -> None:
        """Open the search over what is written."""

    def find_commands(self) -> None:
        """Open the search over what can be done."""

    def branch_off(self) -> None:
        """Open the line that says what is done from the playhead on."""

    def choose_other(self) -> None:
        """Open the search over what a take can be compared with."""

    def find_in_take(self) -> None:
        """Open the line that finds ticks of the take."""

    def find_uses(self) -> None:
        """Open the list of where what the setting's line is about is used."""


class CommandContext:
    """One window's desk and views, as its commands need them. Lives in the
    window's thread.
    """

    def __init__(
        self,
        desk: Desk,
        playback: Playback,
        rehearsing: Rehearsing,
        older: OlderVersion,
        views: ViewSet,
        left: Tabs,
        right: Tabs,
        dialogs: Callable[[], Dialogs],
        shell: Shell,
    ) -> None:
        self.desk = desk
        self.playback = playback
        self.rehearsing = rehearsing
        self.older = older
        self.ledger = views.of(LedgerView)
        self.setting = views.of(SettingView)
        self.rows = RowCommands(desk, self.ledger, dialogs)
        self.views = views
        self.left = left
        self.right = right
        self.dialogs = dialogs
        self.shell = shell
        self._trail: list[Callable[[], None]] = []
        """What goes back to where the author jumped from, the last place last.
        """

    @property
    def table(self) -> ChipTable:
        """The table that is shown at the left."""
        table = self.left.view
        if not isinstance(table, ChipTable):
            raise TypeError(
                f"the view '{self.left.shown}' at the left is no ChipTable"
            )
        return table

    @property
    def in_setting(self) -> bool:
        """Whether the setting is shown at the left."""
        return self.table is self.setting

    @property
    def can_go_back(self) -> bool:
        """Whether the author has jumped from somewhere."""
        return bool(self._trail)

    def remember_place(self) -> None:
        """Note where the author is, before a jump."""
        if self.in_setting:
            path = self.setting.path
            self._trail.append(lambda: self.go_to_line(path))
        else:
            desk, view = self.desk, self.left.shown
            behavior_name = ""
            if desk.behavior:
                behavior_name = desk.behavior.name
            behavior, row = behavior_name, desk.row_id
            self._trail.append(lambda: self.go_to_row(behavior, row, view))
        del self._trail[:-MOST_PLACES]

    def go_back(self) -> None:
        """Go back to where the author jumped from last."""
        if self._trail:
            self._trail.pop()()

    def go_to_row(self, behavior: str, row: str, view: str = ROWS) -> None:
        """Look at a row of a behavior."""
        self.desk.look_at(behavior)
        self.desk.select_row(row)
        self.show(view)

    def go_to_line(self, path: paths.Path) -> None:
        """Look at a line of the setting."""
        self.show(SETTING)
        self.setting.unfold_to(path)

    def show_or_enter(self, view_id: str) -> None:
        """Show the tab with this id. One that is shown already gets the
        keyboard.
        """
        if view_id in (self.left.shown, self.right.shown):
            self.views[view_id].setFocus()
        else:
            self.show(view_id)

    def show(self, view_id: str) -> None:
        """Show the tab with this id. One at the left gets the keyboard."""
        if view_id in self.left.buttons:
            self.left.show_view(view_id)
            self.table.setFocus()
        else:
            self.right.show_view(view_id)
