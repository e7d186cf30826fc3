"""What an author can do in the window, each a plain method. Menus, keys and buttons reach these
through `actions`.
"""

from collections.abc import Callable
from pathlib import Path
from typing import Protocol

from umbrant.desk.chips.table import ChipTable
from umbrant.desk.commands.row_commands import RowCommands
from umbrant.desk.session.desk import Desk
from umbrant.desk.session.playback import Playback
from umbrant.desk.session.rehearsing import Rehearsing
from umbrant.desk.views.ledger.view import LedgerView
from umbrant.desk.views.reasons import ReasonsView
from umbrant.desk.views.registry import ROWS, STAGE
from umbrant.desk.views.setting.view import SettingView
from umbrant.desk.views.spec import Side
from umbrant.desk.views.stage.view import StageView
from umbrant.desk.views.view_set import ViewSet
from umbrant.desk.widgets.dialogs import Dialogs
from umbrant.desk.widgets.tabs import Tabs
from umbrant.model.changes import changes
from umbrant.model.documents import Project
from umbrant.model.edits import Edit, move_row, nest_row, set_guard, set_seed, unnest_row
from umbrant.model.parts import GUARD
from umbrant.model.problems import ProjectError
from umbrant.project_nodes import names_of

FIRST_GUARD = "yes"
"""The condition a new guard begins with; its editor opens at once."""


class Shell(Protocol):
    """What the window around the views can do."""

    def new_project(self) -> None:
        """Begin a project."""

    def open_project(self) -> None:
        """Ask for a project and open it."""

    def open_folder(self, folder: Path) -> bool:
        """Open a project."""

    def begin_first_visit(self) -> None:
        """Lead through five steps."""

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


class Commands:
    """The commands of one desk's views. Switches are given whether they are on."""

    def __init__(
        self,
        desk: Desk,
        playback: Playback,
        rehearsing: Rehearsing,
        views: ViewSet,
        left: Tabs,
        right: Tabs,
        dialogs: Callable[[], Dialogs],
        shell: Shell,
    ) -> None:
        self.desk = desk
        self.playback = playback
        self.rehearsing = rehearsing
        self.ledger = views.of(LedgerView)
        self.setting = views.of(SettingView)
        self.rows = RowCommands(desk, self.ledger, dialogs)
        self._views = views
        self._left = left
        self._right = right
        self._dialogs = dialogs
        self._shell = shell

    @property
    def table(self) -> ChipTable:
        """The table that is shown at the left."""
        table = self._left.view
        if not isinstance(table, ChipTable):
            raise TypeError(f"the view '{self._left.shown}' at the left is no ChipTable")
        return table

    @property
    def in_setting(self) -> bool:
        """Whether the setting is shown at the left."""
        return self.table is self.setting

    def show(self, view_id: str) -> None:
        """Show the tab with this id. One at the left gets the keyboard."""
        if view_id in self._left.buttons:
            self._left.show_view(view_id)
            self.table.setFocus()
        else:
            self._right.show_view(view_id)

    # project

    def new_project(self) -> None:
        """Begin a project."""
        self._shell.new_project()

    def open_project(self) -> None:
        """Open another project."""
        self._shell.open_project()

    def quit(self) -> None:
        """Close the window."""
        self._shell.quit()

    def save(self) -> bool:
        """Save the project; ask for a folder if it has none. Says whether it is saved."""
        return self._save(None) if self.desk.folder else self.save_as()

    def save_as(self) -> bool:
        """Save the project to another folder."""
        folder = self._dialogs().folder_to_save(self.desk.folder or Path.home())
        return self._save(folder) if folder else False

    def revert(self) -> None:
        """Read the project from its folder again; unsaved changes are asked about."""
        if self.desk.folder is not None:
            self._shell.open_folder(self.desk.folder)

    def changes(self) -> None:
        """Tell what is different from what was last saved."""
        saved = self.desk.history.saved
        found = (
            changes(saved, self.desk.project)
            if saved is not None
            else ["nothing of it has been saved yet"]
        )
        self._dialogs().message(
            "Changed since the last save", "\n".join(found) or "Nothing has changed."
        )

    def _save(self, folder: Path | None) -> bool:
        self.table.editing.finish()
        outside = self.desk.changed_outside() if folder is None else []
        if outside and not self._dialogs().overwrite(outside):
            return False
        try:
            self.desk.save(folder)
        except ProjectError as error:
            self._dialogs().problems("The project could not be saved", error.problems)
            return False
        return True

    def open_take(self) -> None:
        """Show a take from a file."""
        path = self._dialogs().take_to_open(self.desk.folder or Path.home())
        if path:
            self.desk.open_take(path)

    def keep_take(self) -> None:
        """Copy the take that is shown to a file of one's own."""
        take = self.desk.take
        path = self._dialogs().take_to_save(self.desk.folder or Path.home()) if take else None
        if take is None or path is None:
            return
        try:
            path.write_bytes(take.path.read_bytes())
        except OSError as error:
            self.desk.message.emit(
                f"{path}: the take could not be written: {error.strerror}. Choose another place."
            )
        else:
            self.desk.message.emit(f"The take is in {path}")

    def trust(self) -> None:
        """Let the project's own nodes run, if the author says so again."""
        if self._dialogs().trust(names_of(self.desk.project.nodes)):
            self.desk.trust_nodes()

    # edit

    def undo(self) -> None:
        """Take the last edit back."""
        self.table.editing.finish()
        self.desk.undo()

    def redo(self) -> None:
        """Do again what was taken back last."""
        self.desk.redo()

    def find(self) -> None:
        """Search over rows, keys, events and the cast."""
        self._shell.find_things()

    def find_command(self) -> None:
        """Search over what can be done."""
        self._shell.find_commands()

    def next_chip(self) -> None:
        """Put the keyboard on the next chip of the row."""
        self.table.focus_chip(1)

    def previous_chip(self) -> None:
        """Put the keyboard on the chip before."""
        self.table.focus_chip(-1)

    # rows

    def add_row(self) -> None:
        """Search for a row to add; in other tables, offer what can be added."""
        self.table.open_additions()

    def add_behind(self) -> None:
        """Search for a row to add behind this one."""
        if self.table is self.ledger:
            self.ledger.open_search(behind=True)

    def rename(self) -> None:
        """Type another name."""
        self.table.rename()

    def guard(self) -> None:
        """Give the row a guard, or edit the one it has."""
        row = self.desk.row
        if row is None:
            return
        if row.guard is None:
            self._edit("Add a guard", lambda p, b: set_guard(p, b, row.id, FIRST_GUARD))
        for chip, rect in self.ledger.chips():
            if chip.slot.part == GUARD:
                self.ledger.edit_chip(chip, rect)
                return

    def delete(self) -> None:
        """Delete the row with all in it; on a guard's, decorator's or upkeep's chip, only that."""
        if not self.table.delete():
            self.rows.delete()

    def nest(self) -> None:
        """Put the row into the one before it."""
        self._change("Nest", nest_row)

    def unnest(self) -> None:
        """Take the row out of the one it is in."""
        self._change("Un-nest", unnest_row)

    def move_up(self) -> None:
        """Move the row before the one above it."""
        self._move("Move up", -1)

    def move_down(self) -> None:
        """Move the row behind the one below it."""
        self._move("Move down", 1)

    def fold(self) -> None:
        """Hide what stands under the line, or show it again."""
        self.table.fold()

    def all_parameters(self) -> None:
        """Show all parameters of the row, or only those not at their default."""
        self.ledger.toggle_full()

    def _move(self, verb: str, step: int) -> None:
        if not self.table.move_line(step):
            self._change(verb, lambda p, b, r: move_row(p, b, r, step))

    def _change(self, verb: str, change: Callable[[Project, str, str], Project]) -> None:
        row = self.desk.row
        if row is not None:
            self._edit(f"{verb} {row.name or row.kind}", lambda p, b: change(p, b, row.id))

    def _edit(self, name: str, change: Callable[[Project, str], Project]) -> None:
        behavior = self.desk.behavior
        if behavior is not None:
            self.desk.apply(Edit(name, lambda project: change(project, behavior.name)))

    # run

    def new_take(self) -> None:
        """Roll the scenario again."""
        self.desk.roll()

    def seed(self) -> None:
        """Give the scenario another seed."""
        scenario = self.desk.scenario
        if scenario is None:
            return
        seed = self._dialogs().integer("Seed", "Seed of the scenario:", scenario.seed)
        if seed is not None:
            self.desk.apply(Edit(f"Seed {seed}", lambda p: set_seed(p, scenario.name, seed)))

    def rehearse(self) -> None:
        """Play the scenario in real time and steer a puppet by hand; or end that."""
        if self.rehearsing.active:
            self.rehearsing.finish()
            return
        self.show(STAGE)
        self.rehearsing.start()
        self._views.of(StageView).setFocus()

    def play(self) -> None:
        """Play the take, or pause."""
        self.playback.toggle()

    def tick_on(self) -> None:
        """One tick on."""
        self._step(1)

    def tick_back(self) -> None:
        """One tick back."""
        self._step(-1)

    def second_on(self) -> None:
        """One second on."""
        self._step(self.desk.tape.ticks_per_s)

    def second_back(self) -> None:
        """One second back."""
        self._step(-self.desk.tape.ticks_per_s)

    def to_start(self) -> None:
        """To the first tick."""
        self.desk.move_playhead(0)

    def to_end(self) -> None:
        """To the last tick."""
        self.desk.move_playhead(self.desk.tape.ticks)

    def next_change(self) -> None:
        """To the next change of mind."""
        self.desk.next_change(1)

    def previous_change(self) -> None:
        """To the change of mind before."""
        self.desk.next_change(-1)

    def faster(self) -> None:
        """Play faster."""
        self.playback.change_speed(1)

    def slower(self) -> None:
        """Play slower."""
        self.playback.change_speed(-1)

    def _step(self, ticks: int) -> None:
        self.playback.pause()
        self.desk.move_playhead(self.desk.playhead + ticks)

    # ask

    def why(self) -> None:
        """Why it does what it does at the playhead."""
        self._views.of(ReasonsView).ask(why_not=False)

    def why_not(self) -> None:
        """Why the selected row does not run at the playhead."""
        self._views.of(ReasonsView).ask(why_not=True)

    def select_running(self) -> None:
        """Select the row that runs at the playhead."""
        explainer = self.desk.explainer
        path = explainer.path(self.desk.playhead) if explainer else ()
        if path:
            self.desk.select_row(path[-1])

    # view

    def tape_closer(self) -> None:
        """Show less time on the tape, in more detail."""
        self.desk.tape.zoom(0.8, self.desk.playhead)

    def tape_wider(self) -> None:
        """Show more time on the tape."""
        self.desk.tape.zoom(1.25, self.desk.playhead)

    def fit_tape(self) -> None:
        """Show the whole take on the tape."""
        self.desk.tape.zoom(1e9, 0)

    def fit_stage(self) -> None:
        """Show the whole stage."""
        self._views.of(StageView).fit()

    def look_at(self) -> None:
        """Show the rows of the behavior that the setting's line is about."""
        if self.in_setting:
            member, behavior = self.setting.member_here(), self.setting.behavior_here()
            if member is not None and member.behavior is None:
                self.desk.message.emit(
                    f"{member.title or member.name} is a puppet: it has no rows."
                )
                return
            scenario = self.desk.scenario
            player = (
                scenario.player_of(member) if scenario is not None and member is not None else None
            )
            if player is not None:
                self.desk.select_agent(player)
            elif behavior is not None:
                self.desk.look_at(behavior)
        self.show(ROWS)

    def night(self, on: bool) -> None:
        """Turn to Night or to Day."""
        self._shell.set_night(on)

    def compact(self, on: bool) -> None:
        """Show compact rows, or roomy ones."""
        self._shell.set_compact(on)

    def shortcuts(self) -> None:
        """List every action and its keys."""
        self._shell.show_shortcuts()

    def first_visit(self) -> None:
        """Lead through five steps."""
        self._shell.begin_first_visit()

    def about(self) -> None:
        """Say what this program is."""
        self._shell.about()

    def next_pane(self) -> None:
        """Put the keyboard into the next pane: the tabs at both sides, then what is under them."""
        under = self._views.keyboard_widgets(Side.UNDER, Side.FOOT)
        panes = (self._left.view, self._right.view, *under)
        focused = next((index for index, pane in enumerate(panes) if pane.hasFocus()), -1)
        panes[(focused + 1) % len(panes)].setFocus()
