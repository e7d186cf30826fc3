"""All views of one desk, laid out: ledger, stage, reasons, blackboard, lanes, transport."""

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QSplitter,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from umbrant.desk.bars import ShortenedLabel, TopBar, Transport
from umbrant.desk.commands.commands import Commands, Shell, Views
from umbrant.desk.commands.finder import Finder
from umbrant.desk.commands.registry import ACTIONS, Action, Where, sequences
from umbrant.desk.first_visit import FirstVisit
from umbrant.desk.left_tabs import SETTING, Written
from umbrant.desk.right_tabs import Beside
from umbrant.desk.session.autosave import Autosave
from umbrant.desk.session.desk import Desk
from umbrant.desk.session.playback import Playback
from umbrant.desk.session.rehearsing import Rehearsing
from umbrant.desk.views.blackboard import BlackboardView
from umbrant.desk.views.curve.view import CurveView
from umbrant.desk.views.help.view import HelpView
from umbrant.desk.views.lanes.view import LanesView
from umbrant.desk.views.ledger.view import LedgerView
from umbrant.desk.views.machine_table.view import MachineTable
from umbrant.desk.views.map.view import MapView
from umbrant.desk.views.reasons import ReasonsView
from umbrant.desk.views.review import ReviewView
from umbrant.desk.views.setting.view import SettingView
from umbrant.desk.views.stage.view import StageView
from umbrant.desk.widgets.dialogs import Dialogs
from umbrant.desk.widgets.notice import Notice
from umbrant.desk.widgets.theme import Palette, body_font
from umbrant.model.paths import Path


class DeskPane(QWidget):
    """The central widget of the window for one desk. `actions` are the registry's, bound to this
    desk.
    """

    def __init__(
        self, desk: Desk, palette: Palette, dialogs: Callable[[], Dialogs], shell: Shell
    ) -> None:
        super().__init__()
        self.setFont(body_font())
        self.desk = desk
        desk.setParent(self)
        self.keeper = Autosave(desk)
        self.player = Playback(desk)
        self.rehearsing = Rehearsing(desk, self.player)
        self.ledger = LedgerView(desk, palette, dialogs, self)
        self.machine = MachineTable(desk, palette, dialogs, self)
        self.setting = SettingView(desk, palette, dialogs, self)
        self.review = ReviewView(desk, palette, dialogs, lambda: self.commands.show_rows(), self)
        self.stage = StageView(desk, palette, self)
        self.reasons = ReasonsView(desk, palette, self)
        self.board = BlackboardView(desk, palette, self)
        self.lanes = LanesView(desk, palette, self)
        self.chart = MapView(desk, palette, self)
        self.curve = CurveView(desk, palette, self)
        self.help = HelpView(desk, palette, self)
        views = Views(
            self.ledger,
            self.machine,
            self.setting,
            self.review,
            self.stage,
            self.reasons,
            self.board,
            self.lanes,
            self.rehearsing,
        )
        self.stage.hold_rehearsals(self.rehearsing)
        self.commands = Commands(desk, self.player, views, dialogs, shell)
        self.actions_by_id = {action.id: self._bound(action) for action in ACTIONS}
        self.beside = Beside(
            desk, (self.stage, self.chart, self.curve, self.help), self.actions_by_id, self
        )
        self.commands.beside = self.beside
        self.written = Written(
            desk, (self.ledger, self.machine, self.setting, self.review), self.actions_by_id, self
        )
        self.commands.written = self.written
        self.finder = Finder(self, self.ledger.brushes, self.commands, self.actions_by_id)
        self.commands.open_finder = self._open_finder
        self.top = TopBar(desk, self.actions_by_id, self)
        self.transport = Transport(desk, self.player, self.actions_by_id, palette, self)
        self.first_visit = FirstVisit(desk, self.actions_by_id, self)
        self.across = QSplitter(Qt.Orientation.Horizontal, self)
        self.down = QSplitter(Qt.Orientation.Vertical, self)
        self._lay_out()
        self.notice = Notice(self, self.across)
        self._connect()
        self.refresh_actions()

    def _connect(self) -> None:
        """Have the views follow one another."""
        desk = self.desk
        desk.message.connect(self.notice.tell)
        desk.point_wanted.connect(lambda _: self.commands.show_stage())
        for changed in (
            desk.project_changed,
            desk.take_changed,
            desk.agent_changed,
            desk.row_selected,
        ):
            changed.connect(self.refresh_actions)
        self.written.stack.currentChanged.connect(self.refresh_actions)
        self.written.stack.currentChanged.connect(lambda place: self._arrange(place == SETTING))
        for view in (self.stage, self.lanes):
            view.picked.connect(self._show_in_setting)
        self.chart.drawn.connect(lambda _: self.commands.table.begin_missing())
        self.setting.walked.connect(self.stage.choose)
        for follows in (self.refresh_actions, self.beside.refresh):
            self.rehearsing.switched.connect(follows)

    def set_palette(self, palette: Palette) -> None:
        """Turn to Day or Night."""
        self.ledger.set_palette(palette)
        self.machine.set_palette(palette)
        self.help.set_palette(palette)
        self.setting.set_palette(palette)
        self.review.set_palette(palette)
        self.transport.set_palette(palette)
        for view in (
            self.stage,
            self.chart,
            self.curve,
            self.reasons,
            self.lanes,
            self.board.delegate,
        ):
            view.palette_ = palette
        self.beside.view.update()
        self.lanes.update()
        self.reasons.refresh()
        self.board.viewport().update()

    def refresh_actions(self, *_: object) -> None:
        """Enable what can be done now, and name what undo and redo would do."""
        for action in ACTIONS:
            self.actions_by_id[action.id].setEnabled(action.enabled(self.commands))
        history = self.desk.history
        for name, title, step in (
            ("undo", "Undo", history.undo_name),
            ("redo", "Redo", history.redo_name),
        ):
            self.actions_by_id[name].setText(f"{title}: {step}" if step else title)
        row = self.desk.row
        self.actions_by_id["rehearse"].setText(
            "End rehearsal" if self.rehearsing.active else "Rehearse"
        )
        self.actions_by_id["mute"].setText("Unmute" if row is not None and row.muted else "Mute")

    def finish_editing(self) -> None:
        """Close whatever editor is open, keeping what was typed."""
        for table in (self.ledger, self.machine, self.setting, self.review):
            table.editing.finish()

    def close_desk(self, *, keep_changes: bool = False) -> None:
        """End what runs in the background. `keep_changes` leaves unsaved changes for the next
        visit.
        """
        self.player.pause()
        self.help.example.finish()
        if keep_changes:
            self.keeper.keep_now()
            self.keeper.abandon()
        else:
            self.keeper.close()
        self.desk.close()

    def _open_finder(self, for_commands: bool) -> None:
        if for_commands:
            self.finder.open_commands()
        else:
            self.finder.open_things()

    def _arrange(self, on: bool) -> None:
        self.stage.arrange(on)
        self.lanes.arrange(on)
        self.beside.refresh()

    def _show_in_setting(self, path: Path) -> None:
        if self.commands.in_setting:
            self.stage.about = path
            self.setting.unfold_to(path)

    def panes(self) -> tuple[QWidget, ...]:
        """The panes in which plain letters and arrows are keys."""
        return (
            self.ledger,
            self.machine,
            self.setting,
            self.review,
            self.stage,
            self.chart,
            self.curve,
            self.help.page,
            self.reasons,
            self.board,
            self.lanes,
        )

    def _bound(self, action: Action) -> QAction:
        bound = QAction(action.title, self)
        bound.setObjectName(action.id)
        bound.setShortcuts(sequences(action))
        keys = ", ".join(each.toString() for each in sequences(action)[:1])
        bound.setToolTip(f"{action.help} ({keys})" if keys else action.help)
        bound.setStatusTip(action.help)
        bound.setCheckable(action.switch)
        if action.switch:
            bound.toggled.connect(lambda on: action.run(self.commands, on))
        else:
            bound.triggered.connect(lambda _=False: action.run(self.commands))
        if action.where is Where.WINDOW:
            self.addAction(bound)
            return bound
        bound.setShortcutContext(Qt.ShortcutContext.WidgetShortcut)
        written = (self.ledger, self.machine, self.setting, self.review)
        for pane in self.panes() if action.where is Where.PANES else written:
            pane.addAction(bound)
        return bound

    def _lay_out(self) -> None:
        self.down.addWidget(self.beside)
        self.down.addWidget(self._reasons_pane())
        self.down.addWidget(self._titled("Blackboard", "Enter shows who wrote it", self.board))
        self.down.setSizes([290, 180, 130])
        self.across.addWidget(self.written)
        self.across.addWidget(self.down)
        self.across.setSizes([816, 464])
        self.across.setStretchFactor(0, 5)
        self.across.setStretchFactor(1, 3)
        for splitter in (self.across, self.down):
            splitter.setHandleWidth(1)
            splitter.setChildrenCollapsible(False)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self.top)
        layout.addWidget(_line(self))
        layout.addWidget(self.across, 1)
        layout.addWidget(_line(self))
        layout.addWidget(self.first_visit)
        layout.addWidget(self.lanes)
        layout.addWidget(self.transport)

    def _titled(self, title: str, about: str, view: QWidget, *more: QWidget) -> QWidget:
        pane = QWidget(self)
        heading = QWidget(pane)
        heading.setObjectName("heading")
        heading.setFixedHeight(27)
        row = QHBoxLayout(heading)
        row.setContentsMargins(12, 0, 6, 0)
        row.setSpacing(12)
        name = QLabel(f"<b>{title}</b>", heading)
        about_label = ShortenedLabel(heading, about)
        row.addWidget(name)
        row.addWidget(about_label, 1)
        for widget in more:
            row.addWidget(widget)
        layout = QVBoxLayout(pane)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(heading)
        layout.addWidget(_line(pane))
        layout.addWidget(view, 1)
        return pane

    def _reasons_pane(self) -> QWidget:
        buttons = []
        for name, text in (("why", "Why?"), ("why_not", "Why not?")):
            button = QToolButton(self)
            button.setDefaultAction(self.actions_by_id[name])
            button.setText(text)
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            buttons.append(button)
        pane = self._titled("Reasons", "", self.reasons, *buttons)
        self.reasons.question_changed.connect(pane.findChildren(ShortenedLabel)[0].setText)
        self.reasons.refresh()
        return pane


def _line(parent: QWidget) -> QFrame:
    line = QFrame(parent)
    line.setObjectName("rule")
    line.setFixedHeight(1)
    return line
