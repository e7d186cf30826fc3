"""Moving through a take: playhead, lanes, stage, blackboard, reasons;
selecting anywhere selects everywhere.
"""

import json
from pathlib import Path

import pytest
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QHelpEvent, QWheelEvent
from PySide6.QtWidgets import QApplication, QToolTip

from tests.desk.conftest import Driver
from umbrant.desk.commands.registry import ACTIONS, by_id
from umbrant.desk.views.blackboard import VALUE, WRITER, BlackboardView
from umbrant.desk.views.reasons import ReasonsView

SHIFT = Qt.KeyboardModifier.ShiftModifier


def test_arrow_keys_step_ticks_and_seconds_from_any_pane(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.key(Qt.Key.Key_Right)
    assert hands.desk.playhead == 1
    hands.key(Qt.Key.Key_Right, SHIFT, to=hands.pane.lanes)
    assert hands.desk.playhead == 21
    hands.key(Qt.Key.Key_Left)
    assert hands.desk.playhead == 20
    hands.key(Qt.Key.Key_End, Qt.KeyboardModifier.ControlModifier)
    assert hands.desk.playhead == 839
    assert "tick 839 of 840 · 41.95 s" in hands.pane.transport.where.text()


def test_changes_of_mind_are_a_key_away(demo_driver: Driver) -> None:
    hands = demo_driver
    visited = []
    for _ in range(3):
        hands.key(Qt.Key.Key_N)
        visited.append(hands.desk.playhead)
    assert visited == [21, 177, 206]
    hands.key(Qt.Key.Key_P)
    assert hands.desk.playhead == 177
    assert (
        "Check last sighting: last_seen is set"
        in hands.pane.transport.mind.text()
    )


def test_what_has_ended_is_not_said_to_last(
    driver: Driver, demo: Path
) -> None:
    dusk = demo / "scenarios" / "dusk.json"
    scenario = json.loads(dusk.read_text())
    scenario["cues"].append({"at_s": 9.5, "does": {"removes": "odo"}})
    dusk.write_text(json.dumps(scenario))
    assert driver.open(demo)
    mind = driver.pane.transport.mind
    driver.desk.move_playhead(180)
    assert mind.text().startswith("since 8.85 s  ")
    driver.desk.move_playhead(300)
    assert mind.text().startswith("at 8.85 s  ")


def test_clicking_and_dragging_on_tape_ruler_and_lanes_moves_the_playhead(
    demo_driver: Driver,
) -> None:
    hands, ledger = demo_driver, demo_driver.ledger
    tape = ledger._cell_rect(2)
    ledger_y = ledger.rowViewportPosition(2) + 10
    hands.drag(QPointF(tape.left() + 10, ledger_y), tape.width() // 2)
    half = hands.desk.playhead
    assert 120 < half < 170
    assert hands.desk.row_id == "close"
    lanes = hands.pane.lanes
    hands.qtbot.mouseClick(
        lanes,
        Qt.MouseButton.LeftButton,
        pos=QPoint(int(lanes.x_of(600)) + 1, 12),
    )
    assert hands.desk.playhead == 600
    assert hands.desk.tape.start <= 600 <= hands.desk.tape.end


def test_selecting_an_agent_anywhere_selects_it_everywhere(
    demo_driver: Driver,
) -> None:
    hands, lanes = demo_driver, demo_driver.pane.lanes
    hands.desk.move_playhead(250)
    place, _ = hands.pane.stage.place_of("visitor")
    hands.qtbot.mouseClick(
        hands.pane.stage,
        Qt.MouseButton.LeftButton,
        pos=hands.pane.stage.to_pixels(place).toPoint(),
    )
    assert hands.desk.agent == "visitor"
    assert "visitor (puppet)" in hands.pane.top.agent.text()
    assert "puppet" in hands.reasons()
    assert hands.pane.views.of(BlackboardView).board.rowCount() == 0
    hands.qtbot.mouseClick(
        lanes, Qt.MouseButton.LeftButton, pos=QPoint(40, int(lanes._top()) + 5)
    )
    assert hands.desk.agent == "odo"
    assert hands.pane.views.of(BlackboardView).board.rowCount() == 6


def test_the_numbers_of_the_body_stand_below_the_keys(
    quay_driver: Driver,
) -> None:
    hands, view = quay_driver, quay_driver.pane.views.of(BlackboardView)
    hands.desk.select_agent("tam")
    board = view.board
    names = [
        board.data(board.index(row, 0)) for row in range(board.rowCount())
    ]
    assert names[-6:] == [
        "energy",
        "thirst",
        "hunger",
        "warmth",
        "cheer",
        "grip",
    ]
    line = board.rowCount() - 6
    before = float(board.data(board.index(line, VALUE)))
    hands.desk.move_playhead(200)
    later = float(board.data(board.index(line, VALUE)))
    assert later != before
    assert hands.desk.take is not None
    recorded = hands.desk.take.body_numbers["tam"]["energy"][200]
    assert abs(later - recorded) <= 0.005
    assert board.data(board.index(line, WRITER)) == "of the body"
    tip = board.data(board.index(line, 0), Qt.ItemDataRole.ToolTipRole)
    assert tip == "energy: a number of the body, from 0 to 1."


def test_links_in_reasons_select_their_row_in_the_ledger(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.desk.move_playhead(730)
    hands.pane.views.of(ReasonsView).anchorClicked.emit(QUrl("row:esc"))
    assert hands.desk.row_id == "esc"
    assert hands.ledger.currentIndex().row() == hands.ledger.ledger.line_of(
        "esc"
    )


def test_the_steps_of_a_tick_are_walked_with_the_keys_as_they_were(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    desk, views = hands.desk, hands.pane.views
    reasons, board = views.of(ReasonsView), views.of(BlackboardView).board
    lamp_oil = desk.project.keys_of(desk.behavior)["lamp_oil"]
    desk.move_playhead(0)
    hands.key(Qt.Key.Key_T)
    steps = desk.explainer.ticks.steps(0)
    assert reasons.answer.lines == tuple(step.line for step in steps)
    assert board.value(lamp_oil) != 1.0, (
        "at the end of the tick the dimmest lamp was found"
    )
    hands.key(Qt.Key.Key_Right, Qt.KeyboardModifier.AltModifier)
    assert reasons.heading().endswith(f"step 1 of {len(steps)}")
    finds = next(
        index
        for index, step in enumerate(steps)
        if "Find the dimmest" in step.line.text
    )
    for _ in range(finds):
        hands.key(Qt.Key.Key_Down, to=reasons)
    assert desk.row_id == steps[finds].row_id
    assert board.value(lamp_oil) == 1.0, "it had not looked yet"
    hands.key(Qt.Key.Key_Left, Qt.KeyboardModifier.AltModifier)
    assert reasons.heading().endswith(f"step {finds} of {len(steps)}")
    for _ in range(len(steps) - finds + 1):
        hands.key(Qt.Key.Key_Right, Qt.KeyboardModifier.AltModifier)
    assert desk.playhead == 1, "after the last step comes the next tick"
    assert reasons.heading().startswith("step 1 of ")
    hands.key(Qt.Key.Key_W)
    assert desk.step is None, "another question is about the whole tick"


def test_why_not_follows_the_selected_row_and_why_goes_back(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.desk.move_playhead(730)
    hands.select("1.4")
    hands.key(Qt.Key.Key_X)
    assert "Stand easy comes after Check last sighting" in hands.reasons()
    hands.desk.select_row("esc")
    assert "Escort the visitor was refused" in hands.reasons()
    hands.key(Qt.Key.Key_W)
    assert "Keep the quay tries its children in order." in hands.reasons()
    hands.key(Qt.Key.Key_R)
    assert hands.desk.row_id == "go"


def test_the_blackboard_shows_values_writers_and_leads_to_the_writing_row(
    demo_driver: Driver,
) -> None:
    hands, board = demo_driver, demo_driver.pane.views.of(BlackboardView)
    hands.desk.move_playhead(730)
    shown = {
        board.board.data(board.board.index(place, 0)): place
        for place in range(board.board.rowCount())
    }
    mood = shown["mood"]
    assert board.board.data(board.board.index(mood, VALUE)) == "wary"
    assert board.board.data(board.board.index(mood, WRITER)).endswith("1.2.1")
    assert (
        board.board.data(board.board.index(shown["visitor"], WRITER))
        == "from the start"
    )
    board.activated.emit(board.board.index(mood, 0))
    assert hands.desk.row_id == "wary"


def test_dragging_a_point_of_the_visitors_walk_rolls_again(
    demo_driver: Driver,
) -> None:
    hands, stage = demo_driver, demo_driver.pane.stage
    handle = stage.handles()[1]
    hands.drag(stage.to_pixels(handle.at), 40, widget=stage, down=-30)
    moved = stage.handles()[1].at
    assert moved[0] > handle.at[0] + 1
    assert moved[1] > handle.at[1] + 1
    hands.settle()
    assert (
        hands.desk.documents.history.undo_name
        == "Move point 2 of the walk of visitor"
    )
    hands.desk.documents.undo()
    assert stage.handles()[1].at == handle.at


def test_a_point_of_a_walk_is_moved_by_keyboard_too(
    demo_driver: Driver,
) -> None:
    hands, stage = demo_driver, demo_driver.pane.stage
    first = stage.handles()[0].at
    hands.key(Qt.Key.Key_Period, to=stage)
    hands.key(Qt.Key.Key_Left, to=stage)
    hands.key(Qt.Key.Key_Up, SHIFT, to=stage)
    assert stage.handles()[0].at == pytest.approx(
        (first[0] - 0.1, first[1] + 1.0)
    )
    assert hands.desk.playhead == 0


def test_a_walk_into_a_wall_is_told_in_the_take_and_nothing_breaks(
    demo_driver: Driver,
) -> None:
    hands, stage = demo_driver, demo_driver.pane.stage
    stage._move_point(stage.handles()[2], (17.2, 10.0), "test")
    hands.settle()
    ((_, what, cause),) = hands.desk.take.agents["visitor"].notices
    assert (what, cause.kind) == ("point 3 of the walk", "in_area")
    assert any("point 3 of the walk" in message for message in hands.messages)


def test_the_stage_zooms_around_the_mouse_and_fits_again(
    demo_driver: Driver,
) -> None:
    stage = demo_driver.pane.stage
    here = stage.to_pixels((17, 10))
    before = stage.to_stage(here)
    stage.zoom(2.0, here)
    assert stage.to_stage(here) == before
    assert stage._scale > 20
    stage.fit()
    assert stage.to_pixels((0, 0)).x() > 0


def test_play_moves_the_playhead_and_pauses_at_the_end(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.desk.move_playhead(820)
    hands.pane.playback.set_speed(8.0)
    hands.key(Qt.Key.Key_Space)
    assert hands.pane.playback.playing
    hands.until(lambda: not hands.pane.playback.playing)
    assert hands.desk.playhead == 839


def test_the_tape_zooms_and_shows_the_whole_take(demo_driver: Driver) -> None:
    hands = demo_driver
    length = hands.desk.tape.length
    hands.key(Qt.Key.Key_Plus, Qt.KeyboardModifier.ControlModifier)
    assert hands.desk.tape.length < length
    hands.key(Qt.Key.Key_0, Qt.KeyboardModifier.ControlModifier)
    assert (hands.desk.tape.start, hands.desk.tape.length) == (0, 840)


def test_an_earlier_take_can_be_shown_again(demo_driver: Driver) -> None:
    hands = demo_driver
    hands.answers.number = 12
    hands.key(Qt.Key.Key_E, Qt.KeyboardModifier.ControlModifier)
    hands.settle()
    assert "Take 2 · seed 12" in hands.pane.top.take.text()
    hands.desk.takes.show(1)
    assert "Take 1 · seed 11" in hands.pane.top.take.text()
    assert hands.pane.top.state.text() == "not of this state"


def test_every_action_is_in_a_menu_with_help_and_no_key_is_taken_twice(
    demo_driver: Driver,
) -> None:
    assert len(by_id()) == len(ACTIONS)
    in_menus = {
        action.objectName()
        for menu in demo_driver.window.menuBar().actions()
        for action in menu.menu().actions()
        if action.objectName()
    }
    assert in_menus == set(by_id())
    assert all(action.help for action in ACTIONS)


def test_every_control_has_an_accessible_name_and_can_have_the_keyboard(
    demo_driver: Driver,
) -> None:
    pane = demo_driver.pane
    for view in pane.panes():
        assert view.accessibleName()
        assert view.focusPolicy() & Qt.FocusPolicy.TabFocus
    for button in (pane.top.agent, pane.top.take, pane.transport.speed):
        assert button.accessibleName()
        assert button.focusPolicy() & Qt.FocusPolicy.TabFocus
    seen = set()
    for _ in range(5):
        demo_driver.qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_F6)
        seen |= {
            view.accessibleName() for view in pane.panes() if view.hasFocus()
        }
    assert seen == {"Ledger", "Stage", "Reasons", "Blackboard", "Lanes"}


def test_night_and_compact_rows_are_remembered(demo_driver: Driver) -> None:
    hands = demo_driver
    hands.pane.actions_by_id["night"].trigger()
    hands.pane.actions_by_id["compact"].trigger()
    assert hands.ledger.brushes.palette.sheet.lightness() < 60
    assert hands.ledger.rowHeight(2) == 26
    assert hands.window.settings.flag("night")
    hands.window.open_folder(hands.desk.documents.folder)
    assert hands.ledger.rowHeight(2) == 26


def test_keys_are_listed(demo_driver: Driver) -> None:
    demo_driver.key(Qt.Key.Key_F1)
    assert "Next change of mind" in demo_driver.answers.messages[-1]


def test_the_tooltip_over_a_chip_says_what_it_is(demo_driver: Driver) -> None:
    hands = demo_driver
    _, rect = hands.number_chip("close", "reach")
    place = rect.center().toPoint()
    event = QHelpEvent(
        QEvent.Type.ToolTip, place, hands.ledger.viewport().mapToGlobal(place)
    )
    assert hands.ledger.viewportEvent(event)
    assert QToolTip.text().startswith("reach: how near counts as there")
    QToolTip.hideText()


def test_walking_rows_by_keyboard_selects_them(demo_driver: Driver) -> None:
    hands = demo_driver
    hands.select("1.1")
    hands.key(Qt.Key.Key_Down)
    assert hands.desk.row_id == "close"
    hands.key(Qt.Key.Key_Up)
    hands.key(Qt.Key.Key_Up)
    assert hands.desk.row_id == "keep"
    assert hands.ledger.accessibleDescription().startswith(
        "1 selector Keep the quay"
    )


def test_the_wheel_zooms_and_moves_the_tape(demo_driver: Driver) -> None:
    hands, ledger = demo_driver, demo_driver.ledger
    tape = ledger._cell_rect(2)
    place = QPointF(tape.left() + tape.width() / 2, 50)

    def turn(notches: int, modifier: Qt.KeyboardModifier) -> None:
        angle = QPoint(0, 120 * notches)
        where = QPointF(ledger.viewport().mapToGlobal(place.toPoint()))
        none = Qt.MouseButton.NoButton
        ledger.wheelEvent(
            QWheelEvent(
                place,
                where,
                QPoint(),
                angle,
                none,
                modifier,
                Qt.ScrollPhase.NoScrollPhase,
                False,
            )
        )

    turn(1, Qt.KeyboardModifier.ControlModifier)
    assert hands.desk.tape.length == pytest.approx(224)
    start = hands.desk.tape.start
    turn(-1, SHIFT)
    assert hands.desk.tape.start > start
