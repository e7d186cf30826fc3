"""The bar above the panes and the transport below them."""

from collections.abc import Callable, Mapping

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QAction, QResizeEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QMenu,
    QSizePolicy,
    QToolButton,
    QWidget,
)

from umbrant.desk.session.desk import Desk
from umbrant.desk.session.playback import SPEEDS, Playback
from umbrant.desk.widgets.icons import icon
from umbrant.desk.widgets.shortened_label import ShortenedLabel
from umbrant.desk.widgets.theme import Palette, body_font
from umbrant.reasons.decision_changes import lead_at

Actions = Mapping[str, QAction]
ROOMY = 1000
"""How wide a bar is, in pixels, that has room for whole labels."""


def pill(
    name: str, fill: Callable[[QMenu], None], parent: QWidget, says: str
) -> QToolButton:
    """A button with a list that is filled anew each time it opens; `says` what
    it chooses.
    """
    button = QToolButton(parent)
    button.setToolTip(says)
    button.setObjectName("pill")
    button.setAccessibleName(name)
    button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
    button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
    menu = QMenu(button)

    def refill() -> None:
        menu.clear()
        fill(menu)

    menu.aboutToShow.connect(refill)
    button.setMenu(menu)
    return button


class TopBar(QWidget):
    """Project and behavior, the agent and the take that are looked at, and New
    take.
    """

    def __init__(
        self, desk: Desk, actions: Actions, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setObjectName("bar")
        self.setSizePolicy(
            QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed
        )
        self.desk = desk
        self.where = QLabel(self)
        self.behavior = pill(
            "Behavior",
            self._behaviors,
            self,
            "Which behavior's rows are shown",
        )
        self.scenario = pill(
            "Scenario", self._scenarios, self, "Which scenario is played"
        )
        self.agent = pill(
            "Agent", self._agents, self, "Which one of the cast is looked at"
        )
        self.take = pill("Take", self._takes, self, "Which take is shown")
        self.state = QLabel(self)
        self.state.setObjectName("dim")
        new = QToolButton(self)
        new.setObjectName("newTake")
        new.setDefaultAction(actions["new_take"])
        new.setText("● New take")
        new.setAccessibleName("New take")
        new.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(12, 6, 12, 6)
        layout.setSpacing(12)
        for widget in (
            self.where,
            self.behavior,
            self.scenario,
            self.agent,
            self.take,
            self.state,
        ):
            layout.addWidget(widget)
        layout.addStretch(1)
        layout.addWidget(_plain_button(actions["rehearse"], self))
        layout.addWidget(new)
        for changed in (
            desk.project_changed,
            desk.take_changed,
            desk.agent_changed,
            desk.takes.busy_changed,
            desk.takes.progressed,
        ):
            changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Say anew what is looked at."""
        desk = self.desk
        behavior = desk.behavior
        title = "no behavior"
        if behavior:
            title = behavior.title
        mark = ""
        if desk.documents.history.unsaved:
            mark = " *"
        self.where.setText(f"<b>{desk.project.cover.title}</b>{mark}")
        self.where.setVisible(self.width() >= ROOMY)
        self.behavior.setText(f"{title} ▾")
        member = desk.member
        who = "no cast"
        if member:
            who = f"Agent: {_called(member.title or member.name, member.behavior)} ▾"
        self.agent.setText(who)
        scenario = desk.scenario
        text = "no scenario"
        if scenario:
            text = f"{scenario.title} ▾"
        self.scenario.setText(text)
        take = desk.takes.current
        label = ""
        if take is not None:
            label = take.label
        if label:
            self.take.setToolTip(f"Which take is shown: {label}")
            if self.width() < ROOMY:
                label = label.partition(" · ")[0]
            self.take.setText(f"{label} ▾")
        else:
            self.take.setToolTip("Which take is shown")
            self.take.setText("no take yet")
        self.state.setText(self._state())

    def _state(self) -> str:
        """What is to be known of the take that is shown."""
        desk, current = self.desk, self.desk.takes.current
        if desk.takes.busy:
            percent = desk.takes.percent
            if percent is None:
                return "rolling…"
            return f"rolling… {percent} %"
        if desk.compared is not None and current is not None:
            return f"over {current.against}"
        is_other = (
            current is not None and current.is_finished and not desk.is_current
        )
        if is_other:
            return "not of this state"
        return ""

    def resizeEvent(self, event: QResizeEvent) -> None:
        """In a narrow window, or at a large scale, the take is called by its
        number alone, and the project not at all: its name stands in the title
        of the window.
        """
        super().resizeEvent(event)
        if (event.size().width() >= ROOMY) != (
            event.oldSize().width() >= ROOMY
        ):
            self.refresh()

    def _behaviors(self, menu: QMenu) -> None:
        looked_at = self.desk.behavior
        for behavior in self.desk.project.behaviors:
            action = menu.addAction(behavior.title)
            action.setCheckable(True)
            action.setChecked(
                looked_at is not None and behavior.name == looked_at.name
            )
            action.triggered.connect(
                lambda _=False, name=behavior.name: self.desk.look_at(name)
            )

    def _scenarios(self, menu: QMenu) -> None:
        for scenario in self.desk.project.scenarios:
            action = menu.addAction(
                f"{scenario.title} ({scenario.seconds:g} s)"
            )
            action.setCheckable(True)
            action.setChecked(scenario.name == self.desk.scenario_name)
            action.triggered.connect(
                lambda _=False, name=scenario.name: self.desk.select_scenario(
                    name
                )
            )

    def _agents(self, menu: QMenu) -> None:
        scenario = self.desk.scenario
        for member in scenario.players if scenario else ():
            action = menu.addAction(
                _called(member.title or member.name, member.behavior)
            )
            action.setCheckable(True)
            action.setChecked(member.name == self.desk.agent)
            action.triggered.connect(
                lambda _=False, name=member.name: self.desk.select_agent(name)
            )

    def _takes(self, menu: QMenu) -> None:
        for depth, entry in self.desk.takes.tree():
            action = menu.addAction(f"{'      ' * depth}{entry.label}")
            action.setCheckable(True)
            action.setChecked(entry is self.desk.takes.current)
            action.triggered.connect(
                lambda _=False, number=entry.number: self.desk.takes.show(
                    number
                )
            )


def _plain_button(action: QAction, parent: QWidget) -> QToolButton:
    """A button with an action's title."""
    button = QToolButton(parent)
    button.setObjectName("pill")
    button.setDefaultAction(action)
    button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
    return button


_WIDEST_TIME = "tick 88888 of 88888 · 8888.88 s · 888 ticks/s"

_SHAPES = {
    "previous_change": "mind_back",
    "tick_back": "tick_back",
    "play": "play",
    "tick_on": "tick_on",
    "next_change": "mind_on",
}
"""The actions of the transport, and the icon of each."""


class Transport(QWidget):
    """Play and step through the take."""

    def __init__(
        self,
        desk: Desk,
        player: Playback,
        actions: Actions,
        palette: Palette,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.setObjectName("bar")
        self.setSizePolicy(
            QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed
        )
        self.desk = desk
        self.player = player
        self._palette = palette
        self._actions = actions
        layout = QHBoxLayout(self)
        layout.setContentsMargins(12, 3, 16, 5)
        layout.setSpacing(4)
        for name in _SHAPES:
            layout.addWidget(self._button(name))
        self.speed = pill(
            "Speed", self._speeds, self, "How fast the take is played"
        )
        layout.addWidget(self.speed)
        self.mind = ShortenedLabel(self)
        layout.addWidget(self.mind, 1)
        self.where = ShortenedLabel(self, align=Qt.AlignmentFlag.AlignRight)
        self.where.setFont(body_font())
        self.where.setFixedWidth(
            self.where.fontMetrics().horizontalAdvance(_WIDEST_TIME)
        )
        # Unlike other shortened labels it may not be squeezed: the layout
        # would leave it no room at all.
        self.where.setSizePolicy(
            QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Preferred
        )
        layout.addWidget(self.where)
        player.playing_changed.connect(self._played)
        player.speed_changed.connect(self.refresh)
        for changed in (desk.take_changed, desk.agent_changed):
            changed.connect(self.refresh)
        desk.playhead_moved.connect(self.refresh)
        self.refresh()

    def set_palette(self, palette: Palette) -> None:
        """Turn to Day or Night."""
        self._palette = palette
        for name in _SHAPES:
            self._draw(name)

    def refresh(self) -> None:
        """Show the time, the tick and the speed anew."""
        desk, take = self.desk, self.desk.take
        self.speed.setText(f"× {self.player.speed:g} ▾")
        if take is None:
            self.where.setText("no take yet")
            self.mind.setText("")
            return
        rate = take.header.ticks_per_s
        self.where.setText(
            f"tick {desk.playhead} of {take.ticks} · {desk.seconds(desk.playhead):.2f} s · "
            f"{rate} ticks/s"
        )
        self.mind.setText(self._mind())

    def _mind(self) -> str:
        explainer = self.desk.explainer
        before = [
            lead
            for lead in self.desk.changes
            if lead.start <= self.desk.playhead
        ]
        if explainer is None or not before:
            return ""
        last = before[-1]
        leads = lead_at(explainer.leading[last.branch], self.desk.playhead)
        # Once it has ended with nothing after it, it is no more than when it
        # came.
        word = "at"
        if leads is not None and leads.row_id == last.row_id:
            word = "since"
        at_s = self.desk.seconds(last.start)
        return f"{word} {at_s:.2f} s  {explainer.change(last).text}"

    def _button(self, name: str) -> QToolButton:
        button = QToolButton(self)
        button.setDefaultAction(self._actions[name])
        button.setAccessibleName(self._actions[name].text())
        button.setIconSize(QSize(18, 18))
        button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonIconOnly)
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self._draw(name)
        return button

    def _draw(self, name: str) -> None:
        """The icon stands on the action, for a button takes whatever its
        action has.
        """
        if name == "play" and self.player.playing:
            shape = "pause"
        else:
            shape = _SHAPES[name]
        self._actions[name].setIcon(icon(shape, self._palette.ink))
        self._actions[name].setIconVisibleInMenu(False)

    def _played(self) -> None:
        self._draw("play")

    def _speeds(self, menu: QMenu) -> None:
        for speed in SPEEDS:
            action = menu.addAction(f"× {speed:g}")
            action.setCheckable(True)
            action.setChecked(speed == self.player.speed)
            action.triggered.connect(
                lambda _=False, speed=speed: self.player.set_speed(speed)
            )


def _called(title: str, behavior: str | None) -> str:
    if behavior:
        return f"{title} ({behavior})"
    return f"{title} (puppet)"
