"""What can stand beside the rows at the top: the stage, the map, the curve or the help."""

from collections.abc import Mapping
from typing import Final

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QWidget

from umbrant.desk.session.desk import Desk
from umbrant.desk.views.curve.view import CurveView
from umbrant.desk.views.help.view import HelpView
from umbrant.desk.views.map.view import MapView
from umbrant.desk.views.stage.view import StageView
from umbrant.desk.widgets.tabs import Tabs

STAGE: Final = 0
MAP: Final = 1
CURVE: Final = 2
HELP: Final = 3


class Beside(Tabs):
    """Stage, map, curve and help."""

    def __init__(
        self,
        desk: Desk,
        views: tuple[StageView, MapView, CurveView, HelpView],
        actions: Mapping[str, QAction],
        parent: QWidget,
    ) -> None:
        self.views = views
        super().__init__(
            views,
            [actions[name] for name in ("show_stage", "show_map", "show_curve", "show_help")],
            parent,
        )
        for changed in (
            desk.row_selected,
            desk.agent_changed,
            desk.project_changed,
            desk.take_changed,
        ):
            changed.connect(self.refresh)
        self.show_view(STAGE)

    def about(self) -> str:
        return (
            self.views[STAGE].heading,
            self.views[MAP].about,
            self.views[CURVE].about,
            self.views[HELP].about,
        )[self.place]
