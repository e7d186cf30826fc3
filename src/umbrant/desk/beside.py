"""What can stand beside the rows at the top: the stage, the map or the curve."""

from collections.abc import Mapping
from typing import Final

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QWidget

from umbrant.desk.chart.view import MapView
from umbrant.desk.curve_view import CurveView
from umbrant.desk.stage_view import StageView
from umbrant.desk.state import Desk
from umbrant.desk.tabs import Tabs

STAGE: Final = 0
MAP: Final = 1
CURVE: Final = 2
STAGE_ABOUT = "drag a square to move it · wheel zooms"


class Beside(Tabs):
    """Stage, map and curve."""

    def __init__(
        self, desk: Desk, views: tuple[StageView, MapView, CurveView], actions: Mapping[str, QAction], parent: QWidget
    ) -> None:
        self.views = views
        super().__init__(views, [actions[name] for name in ("show_stage", "show_map", "show_curve")], parent)
        for changed in (desk.row_selected, desk.agent_changed, desk.project_changed, desk.take_changed):
            changed.connect(self.refresh)
        self.show_view(STAGE)

    def about(self) -> str:
        return (STAGE_ABOUT, self.views[MAP].about, self.views[CURVE].about)[self.place]
