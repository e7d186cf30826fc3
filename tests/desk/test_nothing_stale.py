"""No view tells of what was before: another agent, a step of a drag, an old
name, another behavior's rows.
"""

import json
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QImage

from tests.desk.conftest import Driver
from umbrant.desk.session.loader import Load, load
from umbrant.desk.views.blackboard import HISTORY, BlackboardView
from umbrant.model.edits import Edit
from umbrant.model.folder import read_project
from umbrant.model.paths import put
from umbrant.rolling.roll import RollOrder, roll
from umbrant.take.compare import different

CTRL = Qt.KeyboardModifier.ControlModifier


def history(hands: Driver, place: int) -> QImage:
    """The picture of a key's history on the blackboard."""
    board = hands.pane.views.of(BlackboardView)
    return (
        board.viewport()
        .grab(board.visualRect(board.board.index(place, HISTORY)))
        .toImage()
    )


def test_the_blackboards_histories_are_those_of_the_agent_that_is_looked_at(
    driver: Driver, demo: Path
) -> None:
    dusk = demo / "scenarios" / "dusk.json"
    scenario = json.loads(dusk.read_text())
    odo = next(each for each in scenario["cast"] if each["name"] == "odo")
    scenario["cast"].append(
        {**odo, "name": "ada", "title": "Ada", "start": [40, 4]}
    )
    dusk.write_text(json.dumps(scenario))
    assert driver.open(demo)
    names = [
        key.name for key in driver.pane.views.of(BlackboardView).board.keys
    ]
    seen = names.index("visitor_seen")
    driver.desk.select_agent("odo")
    odos = history(driver, seen)
    driver.desk.select_agent("ada")
    shown = history(driver, seen)
    driver.window.set_night(True)
    driver.window.set_night(False)
    driver.pane.views.of(BlackboardView).delegate._pictures._kept.clear()
    assert history(driver, seen) == shown
    assert shown != odos


def test_what_a_drag_changed_is_measured_against_the_take_before_it(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    before = hands.desk.take
    _, rect = hands.number_chip("esc", "when")
    start = rect.center().toPoint()
    viewport = hands.ledger.viewport()
    hands.qtbot.mousePress(viewport, Qt.MouseButton.LeftButton, pos=start)
    for right in (40, 80, 120):
        place = rect.center().toPoint()
        place.setX(start.x() + right)
        hands.qtbot.mouseMove(viewport, place)
        hands.settle()
    hands.qtbot.mouseRelease(viewport, Qt.MouseButton.LeftButton, pos=place)
    assert len(hands.desk.takes.kept) >= 3
    assert hands.desk.different == different(before, hands.desk.take, "odo")
    hands.desk.documents.undo()
    hands.settle()
    after = hands.desk.take
    assert hands.desk.different == different(
        hands.desk.takes.kept[-2].loaded.take, after, "odo"
    )


def test_the_review_of_a_take_knows_the_projects_own_nodes(
    demo: Path, tmp_path: Path
) -> None:
    (demo / "nodes").mkdir()
    (demo / "nodes" / "mine.py").write_text(
        "from umbrant.nodes import *\n\n\n@action('hum')\ndef hum(me: Agent):\n    '''Hums.'''\n "
        "   return True\n"
    )
    rows = demo / "behaviors" / "warden.json"
    behavior = json.loads(rows.read_text())
    behavior["rows"].append(
        {"id": "hm", "under": "keep", "kind": "hum", "name": "Hum"}
    )
    rows.write_text(json.dumps(behavior))
    project = read_project(demo)
    path = roll(RollOrder(project, "dusk", tmp_path / "t.take", seconds=2.0))
    loaded = load(Load(path))
    assert "hm" in [
        each.row_id
        for each in loaded.findings["odo"]
        if each.rule.id == "never_ran"
    ]


def test_renaming_one_of_the_cast_renames_it_in_what_keys_begin_with(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    keys = [key.name for key in hands.desk.project.blackboard("quay").keys]
    default = ("blackboards", "quay", "keys", keys.index("visitor"), "default")
    hands.desk.apply(
        Edit(
            "Begin with somebody",
            lambda project: put(project, default, "visitor"),
        )
    )
    hands.pane.actions_by_id["show_setting"].trigger()
    place = next(
        number
        for number, member in enumerate(hands.desk.scenario.cast)
        if member.name == "visitor"
    )
    hands.pane.setting.select_path(("scenarios", "dusk", "cast", place))
    hands.pane.setting.setFocus()
    hands.key(Qt.Key.Key_F2, to=hands.pane.setting)
    hands.type("stranger")
    hands.settle()
    defaults = {
        key.name: key.default
        for board in hands.desk.project.blackboards
        for key in board.keys
    }
    assert defaults["visitor"] == "stranger"
    assert {
        str(value)
        for member in hands.desk.scenario.cast
        for value in member.keys.values()
    } == {"stranger"}
    assert hands.desk.documents.problems == []
    assert hands.desk.explainer.record.row("esc").spans


def test_the_rows_shown_from_a_line_of_the_cast_are_those_of_its_behavior(
    quay_driver: Driver,
) -> None:
    hands = quay_driver
    hands.desk.select_agent("odo")
    hands.pane.actions_by_id["show_setting"].trigger()
    place = next(
        number
        for number, member in enumerate(hands.desk.scenario.cast)
        if member.name == "brine"
    )
    hands.pane.setting.select_path(("scenarios", "dusk", "cast", place))
    hands.key(Qt.Key.Key_L, CTRL, to=hands.pane.setting)
    assert hands.desk.behavior.name == "dog"
    before = {
        each.name: len(each.rows) for each in hands.desk.project.behaviors
    }
    hands.desk.select_row(hands.desk.behavior.rows[0].id)
    hands.key(Qt.Key.Key_Return)
    hands.type("state")
    after = {
        each.name: len(each.rows) for each in hands.desk.project.behaviors
    }
    assert [name for name in after if after[name] != before[name]] == ["dog"]
