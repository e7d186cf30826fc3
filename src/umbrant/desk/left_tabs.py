"""What is written, at the left: the rows of a behavior, its machine as a table, the setting, and
the review.
"""

from collections.abc import Mapping
from typing import Final

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QWidget

from umbrant.desk.session.desk import Desk
from umbrant.desk.views.ledger.view import LedgerView
from umbrant.desk.views.machine_table.view import MachineTable
from umbrant.desk.views.review import ReviewView
from umbrant.desk.views.setting.view import SettingView
from umbrant.desk.widgets.tabs import Tabs
from umbrant.review.findings import Severity

ROWS: Final = 0
TABLE: Final = 1
SETTING: Final = 2
REVIEW: Final = 3


class Written(Tabs):
    """Rows, table, setting and review."""

    def __init__(
        self,
        desk: Desk,
        views: tuple[LedgerView, MachineTable, SettingView, ReviewView],
        actions: Mapping[str, QAction],
        parent: QWidget,
    ) -> None:
        self.desk = desk
        self._table = views[TABLE]
        names = ("show_rows", "show_table", "show_setting", "show_review")
        super().__init__(views, [actions[name] for name in names], parent)
        for changed in (desk.agent_changed, desk.project_changed, desk.row_selected):
            changed.connect(self.refresh)
        for changed in (desk.findings_changed, desk.take_changed, desk.agent_changed):
            changed.connect(self._count)
        self.show_view(ROWS)

    def about(self) -> str:
        if self.place == TABLE:
            return self._table.about
        if self.place == SETTING:
            return "keys, events, stages, cast and cues · Enter adds · Delete removes"
        if self.place == REVIEW:
            return "Enter goes to the row · C walks to what can be done about it"
        behavior, member = self.desk.behavior, self.desk.member
        if behavior is None:
            return ""
        mine = member is not None and member.behavior == behavior.name
        summary = f"{behavior.title} · {len(behavior.rows)} rows"
        if behavior.variant_of:
            summary += f" · {len(behavior.overrides)} other than in {behavior.variant_of}, marked ≠"
        return summary + ("" if mine else " · nobody here runs it")

    def _count(self) -> None:
        """Say on the tab how many warnings and errors there are."""
        found = [*self.desk.findings, *self.desk.take_findings]
        count = sum(each.sort.weight is not Severity.HINT for each in found)
        self.tabs[REVIEW].setText(f"Review {count}" if count else "Review")
