"""What can stand beside the ledger at the top: the stage, the map or the curve, one at a time, by tabs."""

from collections.abc import Mapping
from typing import Final

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QFrame, QHBoxLayout, QStackedWidget, QToolButton, QVBoxLayout, QWidget

from umbrant.desk.bars import ShortenedLabel
from umbrant.desk.chart.view import MapView
from umbrant.desk.curve_view import CurveView
from umbrant.desk.stage_view import StageView
from umbrant.desk.state import Desk

STAGE: Final = 0
MAP: Final = 1
CURVE: Final = 2
STAGE_ABOUT = "drag a square of a walk · wheel zooms"


class Beside(QWidget):
    """A heading with a tab for each view, and the view that was chosen."""

    def __init__(
        self, desk: Desk, views: tuple[StageView, MapView, CurveView], actions: Mapping[str, QAction], parent: QWidget
    ) -> None:
        super().__init__(parent)
        self.desk = desk
        self.views = views
        self.stack = QStackedWidget(self)
        self._about = ShortenedLabel(self, STAGE_ABOUT)
        self._tabs = [self._tab(actions[name]) for name in ("show_stage", "show_map", "show_curve")]
        for view in views:
            self.stack.addWidget(view)
        self._lay_out()
        for changed in (desk.row_selected, desk.agent_changed, desk.project_changed, desk.take_changed):
            changed.connect(self._tell)
        self.show_view(STAGE)

    @property
    def view(self) -> QWidget:
        """The view that is shown."""
        return self.views[self.stack.currentIndex()]

    def show_view(self, place: int) -> None:
        """Show one of the views."""
        self.stack.setCurrentIndex(place)
        for each, tab in enumerate(self._tabs):
            tab.setChecked(each == place)
        self._tell()

    def _tell(self, *_: object) -> None:
        chart, curve = self.views[MAP], self.views[CURVE]
        self._about.setText((STAGE_ABOUT, chart.about, curve.about)[self.stack.currentIndex()])

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
        for tab in self._tabs:
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
