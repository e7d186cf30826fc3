"""The window's content for one desk: its views laid out, its actions bound,
its commands.
"""

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import Qt, QTimer
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

from umbrant.desk.bars import TopBar, Transport
from umbrant.desk.chips.table import ChipTable
from umbrant.desk.commands.action import Action, Where
from umbrant.desk.commands.context import CommandContext, Shell
from umbrant.desk.commands.finder import Finder
from umbrant.desk.commands.registry import ACTIONS, sequences
from umbrant.desk.first_visit import FirstVisit
from umbrant.desk.session.autosave import Autosave
from umbrant.desk.session.desk import Desk
from umbrant.desk.session.older_version import OlderVersion
from umbrant.desk.session.playback import Playback
from umbrant.desk.session.rehearsing import Rehearsing
from umbrant.desk.views.cast.view import CastTable
from umbrant.desk.views.decisions.view import DecisionsView
from umbrant.desk.views.expectations.view import ExpectationsView
from umbrant.desk.views.lanes.view import LanesView
from umbrant.desk.views.ledger.view import LedgerView
from umbrant.desk.views.map.view import MapView
from umbrant.desk.views.reasons import ReasonsView
from umbrant.desk.views.registry import CAST, SETTING, STAGE, VIEWS
from umbrant.desk.views.setting.view import SettingView
from umbrant.desk.views.spec import Side, ViewContext, ViewSpec
from umbrant.desk.views.stage.view import StageView
from umbrant.desk.views.study.view import StudyView
from umbrant.desk.views.view_set import ViewSet
from umbrant.desk.widgets.dialogs import Dialogs
from umbrant.desk.widgets.height_by_use import HeightByUse
from umbrant.desk.widgets.notice import Notice
from umbrant.desk.widgets.shortened_label import ShortenedLabel
from umbrant.desk.widgets.tabs import Tab, Tabs
from umbrant.desk.widgets.theme import Palette, body_font
from umbrant.model.paths import Path


class DeskPane(QWidget):
    """The central widget of the window for one desk. `actions` are the
    registry's, bound to this desk.
    """

    def __init__(
        self,
        desk: Desk,
        palette: Palette,
        dialogs: Callable[[], Dialogs],
        shell: Shell,
    ) -> None:
        super().__init__()
        self.setFont(body_font())
        self.desk = desk
        desk.setParent(self)
        self.autosave = Autosave(desk)
        self.playback = Playback(desk)
        self.rehearsing = Rehearsing(desk, self.playback)
        self.older = OlderVersion(desk)
        context = ViewContext(
            desk,
            palette,
            dialogs,
            lambda view: self.command_context.show(view),
            self,
        )
        self.views = ViewSet(VIEWS, context)
        self.ledger = self.views.of(LedgerView)
        self.setting = self.views.of(SettingView)
        self.stage = self.views.of(StageView)
        self.lanes = self.views.of(LanesView)
        self.stage.hold_rehearsals(self.rehearsing)
        # Actions reach the commands only when they are triggered, so they can
        # be bound before the tabs, which show them, and the commands, which
        # act on the tabs.
        self.actions_by_id = {
            action.id: self._bound(action) for action in ACTIONS
        }
        self.left = self._tabs(Side.LEFT)
        self.right = self._tabs(Side.RIGHT)
        self.command_context = CommandContext(
            desk,
            self.playback,
            self.rehearsing,
            self.older,
            self.views,
            self.left,
            self.right,
            dialogs,
            shell,
        )
        self.finder = Finder(
            self, self.ledger.brushes, self.command_context, self.actions_by_id
        )
        self.top = TopBar(desk, self.actions_by_id, self)
        self.transport = Transport(
            desk, self.playback, self.actions_by_id, palette, self
        )
        self.first_visit = FirstVisit(desk, self.actions_by_id, self)
        self.first_visit.left.connect(self._after_first_visit)
        self.across = QSplitter(Qt.Orientation.Horizontal, self)
        self.down = QSplitter(Qt.Orientation.Vertical, self)
        self._heights = HeightByUse(self.down)
        self._lay_out()
        self.notice = Notice(self, self.across)
        self._connect()
        self.refresh_actions()

    def _connect(self) -> None:
        """Have the views follow one another."""
        desk = self.desk
        desk.message.connect(self.notice.show_message)
        desk.point_wanted.connect(lambda _: self.command_context.show(STAGE))
        for changed in (
            desk.project_changed,
            desk.take_changed,
            desk.agent_changed,
            desk.row_selected,
        ):
            changed.connect(self.refresh_actions)
            for tabs in (self.left, self.right):
                changed.connect(tabs.refresh)
        desk.take_changed.connect(self._follow_compared)
        desk.takes.busy_changed.connect(self.refresh_actions)
        desk.documents.findings_changed.connect(self.left.refresh)
        desk.documents.stepped.connect(self.refresh_actions)
        # Connected after the views: the help says by then what it is about.
        desk.considered.connect(self.right.refresh)
        self.left.changed.connect(self.refresh_actions)
        self.left.changed.connect(
            lambda view: self._arrange(view in (SETTING, CAST))
        )
        self.stage.picked.connect(self._show_in_setting)
        self.lanes.picked.connect(self._show_in_setting)
        self.views.of(MapView).drawn.connect(
            lambda _: self.command_context.table.begin_missing()
        )
        self.setting.walked.connect(self.stage.choose)
        self.views.of(CastTable).walked.connect(self.stage.choose)
        self.setting.walked.connect(self.refresh_actions)
        self.views.of(ExpectationsView).model_.modelReset.connect(
            self.left.refresh
        )
        self.views.of(StudyView).study.changed.connect(self.right.refresh)
        self.views.of(DecisionsView).running.changed.connect(
            self.right.refresh
        )
        for changed in (self.playback.stop_changed, desk.take_changed):
            changed.connect(self._mark_stops)
        for follows in (self.refresh_actions, self.right.refresh):
            self.rehearsing.switched.connect(follows)

    def set_palette(self, palette: Palette) -> None:
        """Turn to Day or Night."""
        self.views.set_palette(palette)
        self.transport.set_palette(palette)

    def set_compact(self, compact: bool) -> None:
        """Show low rows in all tables at the left, or roomy ones."""
        for table in self._tables():
            table.set_compact(compact)

    def set_large_stage(self, on: bool) -> None:
        """Have the tabs at both sides change places. Each place keeps its
        size.
        """
        first, second = (
            (self.right, self.left) if on else (self.left, self.right)
        )
        if self.across.widget(0) is first:
            return
        across, down = self.across.sizes(), self.down.sizes()
        focused = self.focusWidget()
        self.down.insertWidget(0, second)
        self.across.insertWidget(0, first)
        self.across.setSizes(across)
        self.down.setSizes(down)
        self.across.setStretchFactor(0, 5)
        self.across.setStretchFactor(1, 3)
        if focused is not None:
            # What was put elsewhere is shown by the event loop, and has no
            # keyboard before that.
            QTimer.singleShot(0, focused, focused.setFocus)

    def refresh_actions(self, *_: object) -> None:
        """Enable what can be done now, and name what undo and redo would do."""
        for action in ACTIONS:
            self.actions_by_id[action.id].setEnabled(
                action.enabled(self.command_context)
            )
        history = self.desk.documents.history
        for name, title, step in (
            ("undo", "Undo", history.undo_name),
            ("redo", "Redo", history.redo_name),
        ):
            if step:
                words = f"{title}: {step}"
            else:
                words = title
            self.actions_by_id[name].setText(words)
        row = self.desk.row
        self.actions_by_id["rehearse"].setText(
            "End rehearsal" if self.rehearsing.active else "Rehearse"
        )
        text = "Mute"
        if row is not None and row.muted:
            text = "Unmute"
        self.actions_by_id["mute"].setText(text)

    def _mark_stops(self) -> None:
        """Show on the lanes where playing stops."""
        self.lanes.stops = self.playback.stop.ticks
        self.lanes.update()

    def _follow_compared(self) -> None:
        """Offer where two takes part while there are two."""
        self._parting.setVisible(self.desk.compared is not None)

    def finish_editing(self) -> None:
        """Close whatever editor is open, keeping what was typed."""
        for table in self._tables():
            table.editing.finish()

    def _tables(self) -> list[ChipTable]:
        return [
            view
            for _, view in self.views.at(Side.LEFT)
            if isinstance(view, ChipTable)
        ]

    def close_desk(self, *, keep_changes: bool = False) -> None:
        """End what runs in the background. `keep_changes` leaves unsaved
        changes for the next visit.
        """
        self.playback.pause()
        self.views.close()
        self.older.close()
        if keep_changes:
            self.autosave.keep_now()
            self.autosave.abandon()
        else:
            self.autosave.close()
        self.desk.close()

    def _arrange(self, on: bool) -> None:
        self.stage.arrange(on)
        self.lanes.arrange(on)
        self.right.refresh()

    def _show_in_setting(self, path: Path) -> None:
        if self.command_context.in_setting:
            self.stage.about = path
            self.setting.unfold_to(path)
        elif self.left.shown == CAST:
            self.stage.about = path
            self.views.of(CastTable).select_path(path)

    def panes(self) -> list[QWidget]:
        """The panes in which plain letters and arrows are keys."""
        return self.views.keyboard_widgets()

    def _tabs(self, side: Side) -> Tabs:
        return Tabs(
            [self._tab(spec, view) for spec, view in self.views.at(side)], self
        )

    def _tab(self, spec: ViewSpec[Any], view: QWidget) -> Tab:
        return Tab(
            spec.id,
            view,
            self.actions_by_id[spec.action],
            title=lambda: spec.tab_title(view, spec.title),
            heading=lambda: spec.heading(view),
        )

    def _bound(self, action: Action) -> QAction:
        bound = QAction(action.title, self)
        bound.setObjectName(action.id)
        if action.button:
            # Only where it differs: a set icon text keeps a later setText from
            # the buttons.
            bound.setIconText(action.button)
        bound.setShortcuts(sequences(action))
        keys = ", ".join(each.toString() for each in sequences(action)[:1])
        if keys:
            tool_tip = f"{action.help} ({keys})"
        else:
            tool_tip = action.help
        bound.setToolTip(tool_tip)
        bound.setStatusTip(action.help)
        bound.setCheckable(action.switch)
        if action.switch:
            bound.toggled.connect(
                lambda on: action.run(self.command_context, on)
            )
        else:
            bound.triggered.connect(
                lambda _=False: action.run(self.command_context)
            )
        if action.where is Where.WINDOW:
            self.addAction(bound)
            return bound
        bound.setShortcutContext(Qt.ShortcutContext.WidgetShortcut)
        if action.where is Where.PANES:
            sides = tuple(Side)
        else:
            sides = (Side.LEFT,)
        for pane in self.views.keyboard_widgets(*sides):
            pane.addAction(bound)
        return bound

    def _after_first_visit(self, had_keyboard: bool) -> None:
        if had_keyboard:
            self.ledger.setFocus()

    def _lay_out(self) -> None:
        self.down.addWidget(self.right)
        for spec, view in self.views.at(Side.UNDER):
            self.down.addWidget(self._titled(spec, view))
        self.down.setSizes([290, 180, 130])
        for widget in self.views.keyboard_widgets(
            Side.LEFT, Side.RIGHT, Side.UNDER
        ):
            self._heights.watch(widget)
        self.across.addWidget(self.left)
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
        for _, view in self.views.at(Side.FOOT):
            layout.addWidget(view)
        layout.addWidget(self.transport)

    def _titled(self, spec: ViewSpec[Any], view: QWidget) -> QWidget:
        """A view under a heading of its own, with buttons for what is asked of
        it.
        """
        pane = QWidget(self)
        heading = QWidget(pane)
        heading.setObjectName("heading")
        heading.setFixedHeight(27)
        row = QHBoxLayout(heading)
        row.setContentsMargins(12, 0, 6, 0)
        row.setSpacing(12)
        about = ShortenedLabel(heading, spec.heading(view))
        row.addWidget(QLabel(f"<b>{spec.title}</b>", heading))
        row.addWidget(about, 1)
        if isinstance(view, ReasonsView):
            view.question_changed.connect(about.setText)
            view.question_put.connect(lambda: self._heights.make_room(pane))
            for name in ("why", "why_not", "this_tick"):
                row.addWidget(self._question_button(name))
            self._parting = self._question_button("where_they_part")
            row.addWidget(self._parting)
            self._follow_compared()
        layout = QVBoxLayout(pane)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(heading)
        layout.addWidget(_line(pane))
        layout.addWidget(view, 1)
        return pane

    def _question_button(self, name: str) -> QToolButton:
        button = QToolButton(self)
        button.setDefaultAction(self.actions_by_id[name])
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        return button


def _line(parent: QWidget) -> QFrame:
    line = QFrame(parent)
    line.setObjectName("rule")
    line.setFixedHeight(1)
    return line
