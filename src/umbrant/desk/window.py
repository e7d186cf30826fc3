"""The main window: menus, one desk at a time, and what is remembered between
visits.
"""

from concurrent.futures import Future
from functools import partial
from pathlib import Path
from urllib.parse import quote

from PySide6.QtCore import QEvent, QSize, QTimer
from PySide6.QtGui import QAction, QCloseEvent, QShowEvent
from PySide6.QtWidgets import QMainWindow, QMenu

from umbrant import __version__
from umbrant.catalog.templates.behaviors import new_project
from umbrant.desk.commands.project import save
from umbrant.desk.commands.registry import ACTIONS, MENUS, sequences
from umbrant.desk.garbage import reclaim_everything
from umbrant.desk.overrides import shield_overrides
from umbrant.desk.session.autosave import (
    forget_changes,
    kept_changes,
    kept_new_projects,
)
from umbrant.desk.session.desk import Desk
from umbrant.desk.session.settings import Settings
from umbrant.desk.shell import DeskPane
from umbrant.desk.widgets.dialogs import Dialogs
from umbrant.desk.widgets.theme import DAY, NIGHT, Palette, style_sheet
from umbrant.model.documents import Cover, Project
from umbrant.model.edits import Edit
from umbrant.model.folder import read_project
from umbrant.model.problems import ProjectError
from umbrant.project_nodes import names_of

NOTHING = Project(cover=Cover(title="No project", scenario="none"))


COMFORTABLE = QSize(1280, 800)
WARM_AFTER_MS = 2500
"""When the process that searches for nearest changes is started: after the
first take.
"""
FRAMED_AFTER_MS = (0, 200, 1000, 3000, 9000)
"""When, after it is shown, the window looks whether it fits onto the desktop:
on a busy machine the window manager may be late.
"""
RECLAIM_MS = 1000
"""How long after another project was opened the memory of the one before is
reclaimed: Qt must have let go of its views.
"""
NOTHING_KEPT = "No unsaved changes were found."
VISITED = "visited"
"""The choice that remembers a first visit that is over."""


class MainWindow(QMainWindow):
    """One window on one project."""

    def __init__(
        self, settings: Settings | None = None, dialogs: Dialogs | None = None
    ) -> None:
        shield_overrides()
        super().__init__()
        self.settings = settings or Settings()
        self.dialogs = dialogs or Dialogs(self)
        self.pane: DeskPane | None = None
        self._reported: list[str] = []
        self.recovered = NOTHING_KEPT
        """What was taken up of what an earlier visit had not saved, as a
        sentence.
        """
        self.setMinimumSize(760, 480)
        self.resize(self._room())
        self.setStyleSheet(style_sheet(self._palette()))
        geometry = self.settings.state("window")
        if geometry is not None:
            self.restoreGeometry(geometry)
        self._given_size = self.size()
        """The size that the window gave itself. One that it is given from
        elsewhere is left alone.
        """
        self._show(Desk(NOTHING, None))

    @property
    def desk(self) -> Desk:
        """The desk that is shown."""
        if self.pane is None:
            raise LookupError(
                "the window has no desk yet; it gets one when it is made"
            )
        return self.pane.desk

    def open_folder(self, folder: Path) -> bool:
        """Open a project, offering what an earlier visit did not save. Says
        whether it was opened.
        """
        folder = folder.resolve()
        try:
            project = read_project(folder)
        except ProjectError as error:
            self.dialogs.problems(
                f"{folder.name} could not be opened", error.problems
            )
            return False
        if not self._may_leave():
            return False
        desk = Desk(project, folder, self.settings)
        self._show(desk)
        self.settings.opened(folder)
        self._offer_kept(desk, folder)
        desk.takes.roller.start()
        QTimer.singleShot(WARM_AFTER_MS, desk, desk.nearest.start)
        if desk.documents.needs_trust and self.dialogs.trust(
            names_of(desk.project.nodes)
        ):
            desk.documents.trust_nodes()
        else:
            desk.documents.decline_nodes()
            desk.roll()
        if desk.documents.problems:
            more = ""
            if len(desk.documents.problems) > 1:
                more = f" And {len(desk.documents.problems) - 1} more, marked ! beside their rows."
            desk.message.emit(f"{desk.documents.problems[0]}{more}")
        return True

    # what the commands ask of the window

    def new_project(self) -> None:
        """Begin a project, which has no folder until it is saved."""
        if not self._may_leave():
            return
        self._show_unsaved(new_project("New project"))

    def take_up_new_project(self) -> bool:
        """Offer a project that an earlier visit left without a folder. Says
        whether it was taken up.
        """
        for path, project in kept_new_projects():
            title = project.cover.title
            what = (
                f"The last visit ended before {title}, which has no folder yet, was saved. "
                "Take its changes up?"
            )
            if self.dialogs.recover(what):
                self.recovered = (
                    f"{title} has been taken up; it is still to be saved."
                )
                # What was kept goes only once it is kept anew, under the name
                # of this visit.
                self._show_unsaved(project).add_done_callback(
                    partial(_forget_kept, path)
                )
                return True
            path.unlink(missing_ok=True)
            self.recovered = f"{title} was discarded."
        return False

    def _show_unsaved(self, project: Project) -> Future[bool]:
        """Show a project that has no folder. The answer comes when it is kept
        for the next visit.
        """
        desk = Desk(project, None, self.settings)
        desk.documents.history.saved = None
        pane = self._show(desk)
        desk.takes.roller.start()
        QTimer.singleShot(WARM_AFTER_MS, desk, desk.nearest.start)
        desk.roll()
        return pane.autosave.keep_now()

    def open_project(self) -> None:
        """Ask for a project and open it."""
        if self.desk.documents.folder:
            begins_at = self.desk.documents.folder.parent
        else:
            begins_at = Path.home()
        folder = self.dialogs.folder_to_open(begins_at)
        if folder is not None:
            self.open_folder(folder)

    def begin_first_visit(self) -> None:
        """Lead through six steps; once it is left, it is not begun again
        unasked.
        """
        if self.pane is not None:
            self.pane.first_visit.left.connect(
                lambda _: self.settings.set_flag(VISITED, True)
            )
            self.pane.first_visit.begin()

    def set_night(self, on: bool) -> None:
        """Turn to Night or to Day."""
        self.settings.set_flag("night", on)
        self.setStyleSheet(style_sheet(self._palette()))
        if self.pane is not None:
            self.pane.set_palette(self._palette())

    def set_compact(self, on: bool) -> None:
        """Show compact rows, or roomy ones."""
        self.settings.set_flag("compact", on)
        if self.pane is not None:
            self.pane.set_compact(on)

    def set_large_stage(self, on: bool) -> None:
        """Have the stage at the large place, and the rows at the small one; or
        the other way.
        """
        self.settings.set_flag("large_stage", on)
        if self.pane is not None:
            self.pane.set_large_stage(on)

    def show_shortcuts(self) -> None:
        """List every action and its keys."""
        keyed = [
            (action.title, sequences(action))
            for action in ACTIONS
            if action.keys
        ]
        lines = [f"{keys[0].toString():16}{title}" for title, keys in keyed]
        self.dialogs.message("Keys", "\n".join(lines))

    def about(self) -> None:
        """Say what this program is."""
        text = (
            f"Umbrant {__version__}\n\nWrite how an NPC makes up its mind, watch it happen, "
            "and ask why."
        )
        self.dialogs.message("About Umbrant", text)

    def find_things(self) -> None:
        """Open the search over what is written."""
        if self.pane is not None:
            self.pane.finder.open_things()

    def find_commands(self) -> None:
        """Open the search over what can be done."""
        if self.pane is not None:
            self.pane.finder.open_commands()

    def branch_off(self) -> None:
        """Open the line that says what is done from the playhead on."""
        if self.pane is not None:
            self.pane.finder.open_branches()

    def choose_other(self) -> None:
        """Open the search over what a take can be compared with."""
        if self.pane is not None:
            self.pane.finder.open_others()

    def find_in_take(self) -> None:
        """Open the line that finds ticks of the take."""
        if self.pane is not None:
            self.pane.finder.open_in_take()

    def find_uses(self) -> None:
        """Open the list of where what the setting's line is about is used."""
        if self.pane is not None:
            self.pane.finder.open_uses()

    def quit(self) -> None:
        """Close the window."""
        self.close()

    def changeEvent(self, event: QEvent) -> None:
        """Coming back to the window, look whether another program has changed
        the project's files meanwhile.
        """
        super().changeEvent(event)
        if (
            event.type() == QEvent.Type.ActivationChange
            and self.isActiveWindow()
            and self.pane is not None
        ):
            found = self.desk.documents.changed_outside()
            if found and found != self._reported:
                self.desk.message.emit(
                    f"Another program has changed {', '.join(found[:3])}. Project › Revert reads "
                    "it."
                )
            self._reported = found

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        if not event.spontaneous():
            # How wide a frame the window manager puts around the window is
            # known only when it has done so.
            for milliseconds in FRAMED_AFTER_MS:
                QTimer.singleShot(milliseconds, self, self._fit_to_screen)

    def _room(self) -> QSize:
        """The size of a window that was never sized: as large as is
        comfortable, and not larger than the desktop.
        """
        screen = self.screen().availableGeometry()
        return QSize(
            min(COMFORTABLE.width(), screen.width()),
            min(COMFORTABLE.height(), screen.height()),
        )

    def _fit_to_screen(self) -> None:
        """Make the window smaller where, with its frame, it is larger than
        what the desktop leaves for it.
        """
        if (
            self.isMaximized()
            or self.isFullScreen()
            or self.size() != self._given_size
        ):
            return
        screen, frame = self.screen().availableGeometry(), self.frameGeometry()
        wide, high = (
            max(0, frame.width() - screen.width()),
            max(0, frame.height() - screen.height()),
        )
        if wide or high:
            self.resize(self.width() - wide, self.height() - high)
            self._given_size = self.size()
            self.move(screen.topLeft())

    def closeEvent(self, event: QCloseEvent) -> None:
        if not self._may_leave():
            event.ignore()
            return
        if self.pane is not None:
            self.settings.set_state("window", self.saveGeometry())
            self.settings.set_state("across", self.pane.across.saveState())
            self.settings.set_state("down", self.pane.down.saveState())
            self.pane.close_desk()
        event.accept()

    # inside

    def _show(self, desk: Desk) -> DeskPane:
        before = self.pane
        if before is not None:
            before.close_desk()
            QTimer.singleShot(RECLAIM_MS, self, reclaim_everything)
        self.pane = DeskPane(desk, self._palette(), lambda: self.dialogs, self)
        self.pane.set_palette(self._palette())
        for name in ("across", "down"):
            state = self.settings.state(name)
            if state is not None:
                getattr(self.pane, name).restoreState(state)
        self.setCentralWidget(self.pane)
        self._fill_menus(self.pane)
        for name in ("night", "compact", "large_stage"):
            self.pane.actions_by_id[name].setChecked(self.settings.flag(name))
        self._recall_stop(self.pane)
        desk.project_changed.connect(self._name_window)
        self._name_window()
        if self.isVisible():
            # The event loop would show it, but later; and what is not shown
            # yet cannot have the keyboard.
            self.pane.show()
        self.pane.ledger.setFocus()
        return self.pane

    def _recall_stop(self, pane: DeskPane) -> None:
        """Where playing stops is each author's own, so it is kept here and not
        with the project.
        """
        folder, playback = pane.desk.documents.folder, pane.playback
        name = f"stop/{quote(str(folder), safe='')}"
        if folder is not None:
            agent, _, condition = self.settings.text(name).partition(" ")
            playback.stop.set(condition, agent)

        def keep() -> None:
            stop = playback.stop
            said = ""
            if stop.condition:
                said = f"{stop.agent} {stop.condition}"
            if folder is None:
                said = ""
            self.settings.set_text(name, said)

        playback.stop_changed.connect(keep)

    def _fill_menus(self, pane: DeskPane) -> None:
        bar = self.menuBar()
        bar.clear()
        for title in MENUS:
            menu = bar.addMenu(title)
            menu.setToolTipsVisible(True)
            for action in ACTIONS:
                if action.menu == title:
                    if action.starts_group:
                        menu.addSeparator()
                    menu.addAction(pane.actions_by_id[action.id])
                    if action.id == "open":
                        self._add_recent(menu)

    def _add_recent(self, menu: QMenu) -> None:
        recent = menu.addMenu("Open recent")

        def fill() -> None:
            recent.clear()
            for folder in self.settings.recent:
                action: QAction = recent.addAction(str(folder))
                action.triggered.connect(
                    lambda _=False, folder=folder: self.open_folder(folder)
                )
            if not self.settings.recent:
                recent.addAction("none yet").setEnabled(False)

        recent.aboutToShow.connect(fill)

    def _may_leave(self) -> bool:
        """Whether the project may be left: it is saved, or its author says so.
        What is being typed counts as well.
        """
        if self.pane is not None:
            self.pane.finish_editing()
        if self.pane is None or not self.desk.documents.history.unsaved:
            return True
        answer = self.dialogs.unsaved(self.desk.project.cover.title)
        if answer == "save":
            return save(self.pane.command_context)
        return answer == "discard"

    def _offer_kept(self, desk: Desk, folder: Path) -> None:
        kept = kept_changes(folder, desk.project)
        if kept is None:
            return
        what = (
            f"The last visit to {desk.project.cover.title} ended before its changes were "
            "saved. Take them up again?"
        )
        if self.dialogs.recover(what):
            desk.apply(Edit("Take up kept changes", lambda _: kept))
            title = desk.project.cover.title
            self.recovered = (
                f"The unsaved changes of {title} have been taken up."
            )
        else:
            forget_changes(folder)
            self.recovered = f"The unsaved changes of {desk.project.cover.title} were discarded."

    def _name_window(self) -> None:
        mark = ""
        if self.desk.documents.history.unsaved:
            mark = "*"
        self.setWindowTitle(f"{mark}{self.desk.project.cover.title} — Umbrant")

    def _palette(self) -> Palette:
        if self.settings.flag("night"):
            return NIGHT
        return DAY


def _forget_kept(path: Path, kept: Future[bool]) -> None:
    """Remove what an earlier visit left of a project, once it is kept for this
    one; else it is offered again.
    """
    if kept.result():
        path.unlink(missing_ok=True)
