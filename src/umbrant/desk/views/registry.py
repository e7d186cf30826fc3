"""Every view of the window, in the order of tabs, menus and F6."""

from typing import Any

from umbrant.desk.views.blackboard import BlackboardView
from umbrant.desk.views.cast.view import CastTable
from umbrant.desk.views.curve.view import CurveView
from umbrant.desk.views.decisions.view import DecisionsView
from umbrant.desk.views.expectations.view import ExpectationsView
from umbrant.desk.views.help.view import HelpView
from umbrant.desk.views.lanes.view import LanesView
from umbrant.desk.views.ledger.view import LedgerView
from umbrant.desk.views.machine_table.view import MachineTable
from umbrant.desk.views.map.view import MapView
from umbrant.desk.views.reasons import ReasonsView
from umbrant.desk.views.review import ReviewView
from umbrant.desk.views.setting.view import SettingView
from umbrant.desk.views.spec import Side, ViewSpec
from umbrant.desk.views.stage.view import StageView
from umbrant.desk.views.study.view import StudyView

ROWS, SETTING, CAST, STAGE = "rows", "setting", "cast", "stage"
"""The ids of views that other views lead to."""

VIEWS: tuple[ViewSpec[Any], ...] = (
    ViewSpec(
        ROWS,
        Side.LEFT,
        "Rows",
        "Show the rows of the behavior",
        lambda c: LedgerView(c.desk, c.palette, c.dialogs, c.parent),
        "Ctrl+5",
    ),
    ViewSpec(
        "table",
        Side.LEFT,
        "Table",
        "Show the machine as a table",
        lambda c: MachineTable(c.desk, c.palette, c.dialogs, c.parent),
        "Ctrl+8",
    ),
    ViewSpec(
        SETTING,
        Side.LEFT,
        "Setting",
        "Show keys, events, stages, cast and cues",
        lambda c: SettingView(c.desk, c.palette, c.dialogs, c.parent),
        "Ctrl+4",
    ),
    ViewSpec(
        CAST,
        Side.LEFT,
        "Cast",
        "Show the cast of the scenario as a table",
        lambda c: CastTable(c.desk, c.palette, c.dialogs, c.parent),
        "Ctrl+Shift+A",
    ),
    ViewSpec(
        "expectations",
        Side.LEFT,
        "Expected",
        "Show what must be so in takes, and whether it is",
        lambda c: ExpectationsView(c.desk, c.palette, c.dialogs, c.parent),
        "Ctrl+Shift+X",
        close=lambda view: view.close_worker(),
    ),
    ViewSpec(
        "review",
        Side.LEFT,
        "Review",
        "Show what looks like a mistake",
        lambda c: ReviewView(
            c.desk, c.palette, c.dialogs, lambda: c.show(ROWS), c.parent
        ),
        "Ctrl+6",
        tab_title=ReviewView.tab_title,
    ),
    ViewSpec(
        STAGE,
        Side.RIGHT,
        "Stage",
        "Show the stage beside the ledger",
        lambda c: StageView(c.desk, c.palette, c.parent),
        "Ctrl+1",
    ),
    ViewSpec(
        "map",
        Side.RIGHT,
        "Map",
        "Show the map of the behavior",
        lambda c: MapView(c.desk, c.palette, c.parent),
        "Ctrl+2",
    ),
    ViewSpec(
        "curve",
        Side.RIGHT,
        "Curve",
        "Show a consideration's curve",
        lambda c: CurveView(c.desk, c.palette, c.parent),
        "Ctrl+3",
    ),
    ViewSpec(
        "help",
        Side.RIGHT,
        "Help",
        "Read about the selected row",
        lambda c: HelpView(c.desk, c.palette, c.parent),
        "Ctrl+7",
        keyboard=lambda view: view.page,
        close=lambda view: view.example.finish(),
    ),
    ViewSpec(
        "study",
        Side.RIGHT,
        "Study",
        "Show how often each row ran in many takes",
        lambda c: StudyView(c.desk, c.palette, c.parent),
        "Ctrl+Shift+U",
        close=lambda view: view.study.close(),
    ),
    ViewSpec(
        "decisions",
        Side.RIGHT,
        "Decisions",
        "Show which row would lead now, over two inputs",
        lambda c: DecisionsView(c.desk, c.palette, c.parent),
        "Ctrl+Shift+I",
        close=lambda view: view.running.close(),
    ),
    ViewSpec(
        "reasons",
        Side.UNDER,
        "Reasons",
        "Why, and why not",
        lambda c: ReasonsView(c.desk, c.palette, c.parent),
    ),
    ViewSpec(
        "blackboard",
        Side.UNDER,
        "Blackboard",
        "The keys at the playhead, and who wrote them",
        lambda c: BlackboardView(c.desk, c.palette, c.parent),
    ),
    ViewSpec(
        "lanes",
        Side.FOOT,
        "Lanes",
        "What each of the cast did in the take",
        lambda c: LanesView(c.desk, c.palette, c.parent),
    ),
)
