"""What a command of the window works on. The commands are the functions beside their records in
`project`, `edit`, `rows`, `run`, `ask`, `view` and `help`.
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
from umbrant.desk.views.setting.view import SettingView
from umbrant.desk.views.view_set import ViewSet
from umbrant.desk.widgets.dialogs import Dialogs
from umbrant.desk.widgets.tabs import Tabs


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


class CommandContext:
    """One window's desk and views, as its commands need them. Lives in the window's thread."""

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

    @property
    def table(self) -> ChipTable:
        """The table that is shown at the left."""
        table = self.left.view
        if not isinstance(table, ChipTable):
            raise TypeError(f"the view '{self.left.shown}' at the left is no ChipTable")
        return table

    @property
    def in_setting(self) -> bool:
        """Whether the setting is shown at the left."""
        return self.table is self.setting

    def show(self, view_id: str) -> None:
        """Show the tab with this id. One at the left gets the keyboard."""
        if view_id in self.left.buttons:
            self.left.show_view(view_id)
            self.table.setFocus()
        else:
            self.right.show_view(view_id)
