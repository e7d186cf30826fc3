"""Several views in one place, one of them shown: a heading with a tab for each, and a line about
what it shows.
"""

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QFrame, QHBoxLayout, QStackedWidget, QToolButton, QVBoxLayout, QWidget

from umbrant.desk.bars import ShortenedLabel


class Tabs(QWidget):
    """The views, and the actions that show them. Subclasses say what is told of each."""

    def __init__(
        self, views: Sequence[QWidget], actions: Sequence[QAction], parent: QWidget
    ) -> None:
        super().__init__(parent)
        self._views = views
        self.stack = QStackedWidget(self)
        self.tabs = [self._tab(action) for action in actions]
        self._about = ShortenedLabel(self)
        for view in views:
            self.stack.addWidget(view)
        self._lay_out()

    @property
    def place(self) -> int:
        """Which of the views is shown."""
        return self.stack.currentIndex()

    @property
    def view(self) -> QWidget:
        """The view that is shown."""
        return self._views[self.place]

    def about(self) -> str:
        """A line about the view that is shown."""
        return ""

    def show_view(self, place: int) -> None:
        """Show one of the views."""
        self.stack.setCurrentIndex(place)
        for each, tab in enumerate(self.tabs):
            tab.setChecked(each == place)
        self.refresh()

    def refresh(self, *_: object) -> None:
        """Tell anew about the view that is shown."""
        self._about.setText(self.about())

    def _tab(self, action: QAction) -> QToolButton:
        tab = QToolButton(self)
        tab.setObjectName("tab")
        tab.setText(action.text())
        tab.setToolTip(action.toolTip())
        tab.setCheckable(True)
        tab.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        tab.clicked.connect(action.trigger)
        return tab

    def _lay_out(self) -> None:
        heading = QWidget(self)
        heading.setObjectName("heading")
        heading.setFixedHeight(27)
        row = QHBoxLayout(heading)
        row.setContentsMargins(6, 0, 6, 0)
        row.setSpacing(2)
        for tab in self.tabs:
            row.addWidget(tab)
        row.addSpacing(10)
        row.addWidget(self._about, 1)
        line = QFrame(self)
        line.setObjectName("rule")
        line.setFixedHeight(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(heading)
        layout.addWidget(line)
        layout.addWidget(self.stack, 1)
