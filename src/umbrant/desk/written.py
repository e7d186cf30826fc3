"""What is written, at the left: the rows of a behavior, and the setting of the project."""

from collections.abc import Mapping
from typing import Final

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QWidget

from umbrant.desk.ledger.view import LedgerView
from umbrant.desk.setting.view import SettingView
from umbrant.desk.state import Desk
from umbrant.desk.tabs import Tabs

ROWS: Final = 0
SETTING: Final = 1


class Written(Tabs):
    """Rows and setting."""

    def __init__(
        self, desk: Desk, views: tuple[LedgerView, SettingView], actions: Mapping[str, QAction], parent: QWidget
    ) -> None:
        self.desk = desk
        super().__init__(views, [actions[name] for name in ("show_rows", "show_setting")], parent)
        for changed in (desk.agent_changed, desk.project_changed):
            changed.connect(self.refresh)
        self.show_view(ROWS)

    def about(self) -> str:
        if self.place == SETTING:
            return "keys, events, stages, cast and cues · Enter adds · Delete removes"
        behavior, member = self.desk.behavior, self.desk.member
        if behavior is None:
            return ""
        mine = member is not None and member.behavior == behavior.name
        return f"{behavior.title} · {len(behavior.rows)} rows" + ("" if mine else " · nobody here runs it")
