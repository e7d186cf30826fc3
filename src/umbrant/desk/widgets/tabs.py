"""Several views in one place, one of them shown: a heading with a tab for
each, and a line about what it shows.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QAction
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from umbrant.desk.widgets.shortened_label import ShortenedLabel


@dataclass(frozen=True)
class Tab:
    """One tab: the view with its id, the action that shows it, and what is
    written about it.
    """

    id: str
    view: QWidget
    action: QAction
    title: Callable[[], str]
    heading: Callable[[], str]


class Tabs(QWidget):
    """A stack of views with a tab for each. It never shows one by itself: its
    actions do.
    """

    changed = Signal(str)
    """Another view is shown: its id."""

    def __init__(self, tabs: Sequence[Tab], parent: QWidget) -> None:
        super().__init__(parent)
        self._tabs = {tab.id: tab for tab in tabs}
        self._shown = tabs[0].id
        self._stack = QStackedWidget(self)
        self.buttons = {tab.id: self._button(tab.action) for tab in tabs}
        self._heading = ShortenedLabel(self)
        # Beside many tabs there may be room for a few letters, which say
        # nothing.
        self._heading.drops_all = True
        for tab in tabs:
            self._stack.addWidget(tab.view)
        self._lay_out()
        self.show_view(self._shown)

    @property
    def shown(self) -> str:
        """The id of the view that is shown."""
        return self._shown

    @property
    def view(self) -> QWidget:
        """The view that is shown."""
        return self._tabs[self._shown].view

    def heading(self) -> str:
        """The line about the view that is shown."""
        return self._tabs[self._shown].heading()

    def show_view(self, view_id: str) -> None:
        """Show one of the views. Raises KeyError."""
        tab = self._tabs[view_id]
        is_other = view_id != self._shown
        self._shown = view_id
        self._stack.setCurrentWidget(tab.view)
        for each, button in self.buttons.items():
            button.setChecked(each == view_id)
        self.refresh()
        if is_other:
            self.changed.emit(view_id)

    def refresh(self, *_: object) -> None:
        """Write the tabs' titles and the heading anew."""
        for each, button in self.buttons.items():
            button.setText(self._tabs[each].title())
        self._heading.setText(self.heading())

    def _button(self, action: QAction) -> QToolButton:
        button = QToolButton(self)
        button.setObjectName("tab")
        button.setToolTip(action.toolTip())
        button.setCheckable(True)
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        button.clicked.connect(action.trigger)
        return button

    def _lay_out(self) -> None:
        bar = QWidget(self)
        bar.setObjectName("heading")
        bar.setFixedHeight(27)
        row = QHBoxLayout(bar)
        row.setContentsMargins(6, 0, 6, 0)
        row.setSpacing(2)
        for button in self.buttons.values():
            row.addWidget(button)
        row.addSpacing(10)
        row.addWidget(self._heading, 1)
        line = QFrame(self)
        line.setObjectName("rule")
        line.setFixedHeight(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(bar)
        layout.addWidget(line)
        layout.addWidget(self._stack, 1)
