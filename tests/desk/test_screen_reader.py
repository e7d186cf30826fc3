"""What a screen reader finds in the window: every painted view with what is in
it.
"""

import gc
from collections.abc import Iterator
from typing import Any

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QAccessible
from PySide6.QtWidgets import QApplication, QWidget

from tests.desk.conftest import Driver
from umbrant.desk.widgets.accessible import MOST_PARTS, serve_screen_readers

NAME = QAccessible.Text.Name


@pytest.fixture(autouse=True)
def reader() -> None:
    serve_screen_readers()


def children(found: Any) -> Iterator[Any]:
    for index in range(found.childCount()):
        child = found.child(index)
        if child is not None:
            yield child


def names(widget: QWidget) -> list[str]:
    """The names of all that is in a view."""
    return [
        each.text(NAME)
        for each in children(QAccessible.queryAccessibleInterface(widget))
    ]


def test_the_views_are_found_by_name_from_the_window_on(
    quay_driver: Driver,
) -> None:
    seen: set[str] = set()
    waiting = [QAccessible.queryAccessibleInterface(quay_driver.window)]
    for _ in range(4000):
        if not waiting:
            break
        found = waiting.pop()
        seen.add(found.text(NAME))
        if found.role() is not QAccessible.Role.Table:
            waiting.extend(children(found))
    assert {"Stage", "Lanes", "Reasons"} <= seen


def test_the_stage_says_who_is_where(quay_driver: Driver) -> None:
    hands, stage = quay_driver, quay_driver.pane.stage
    hands.desk.move_playhead(718)
    found = QAccessible.queryAccessibleInterface(stage)
    assert found.role() is QAccessible.Role.List
    said = names(stage)
    assert any(
        each.startswith("Odo · Warden · Check last sighting · at 15.")
        for each in said
    )
    assert any(each.startswith("lamp_gate · level 0.") for each in said)
    assert any(each.startswith("gate · a place") for each in said)
    chosen = [
        each.text(NAME) for each in children(found) if each.state().selected
    ]
    assert [each.split(" · ")[0] for each in chosen] == ["Odo"]
    body = next(
        each for each in children(found) if each.text(NAME).startswith("Odo")
    )
    middle = stage.mapFromGlobal(body.rect().center())
    place, _ = stage.place_of("odo")
    assert (stage.to_pixels(place) - middle.toPointF()).manhattanLength() < 4
    at = body.rect().center()
    assert found.childAt(at.x(), at.y()).text(NAME).startswith("Odo")
    assert found.indexOfChild(body) == said.index(body.text(NAME))


def test_the_lanes_say_what_leads(quay_driver: Driver) -> None:
    hands, lanes = quay_driver, quay_driver.pane.lanes
    hands.desk.move_playhead(718)
    said = names(lanes)
    assert said[0] == "Odo: Check last sighting"
    assert said[-1].startswith("Gull × 6 · closed: ")
    hands.desk.select_agent("gull_2")
    hands.key(Qt.Key.Key_Return, to=lanes)
    assert any(each.startswith("Gull × 6 · open: ") for each in names(lanes))


def test_maps_and_curves_say_what_is_in_them(quay_driver: Driver) -> None:
    hands = quay_driver
    hands.pane.actions_by_id["show_map"].trigger()
    hands.desk.move_playhead(718)
    said = names(hands.pane.right.view)
    assert "Go there · running" in said
    assert any(each.endswith(" rows folded away") for each in said)
    hands.desk.select_agent("gull_2")
    QApplication.processEvents()
    hands.pane.right.view.grab()
    assert any(
        each.startswith("Perch to Forage · ")
        for each in names(hands.pane.right.view)
    )
    hands.desk.select_agent("mila")
    hands.desk.select_row("close")
    hands.pane.actions_by_id["show_curve"].trigger()
    assert any(" is worth " in each for each in names(hands.pane.right.view))


def test_a_task_is_done_by_what_is_read_alone(quay_driver: Driver) -> None:
    """Find out when the warden gave up the chase, and what he does instead: by
    ear and keys.
    """
    hands, lanes = quay_driver, quay_driver.pane.lanes
    hands.desk.move_playhead(600)
    heard: list[str] = []
    for _ in range(12):
        hands.key(Qt.Key.Key_N)
        heard.append(names(lanes)[0])
        if heard[-2:] == [
            "Odo: Escort the visitor",
            "Odo: Check last sighting",
        ]:
            break
    assert heard[-1] == "Odo: Check last sighting"
    assert hands.desk.playhead in (673, 674, 718)


def test_views_that_are_gone_are_empty_and_break_nothing(
    quay_driver: Driver,
) -> None:
    hands = quay_driver
    part = QAccessible.queryAccessibleInterface(hands.pane.stage).child(0)
    assert part.isValid()
    for _ in range(3):
        assert hands.window.open_folder(hands.desk.documents.folder)
        hands.until(hands.has_take)
        QApplication.processEvents()
        gc.collect()
        assert names(hands.pane.stage)
    assert len(names(hands.pane.stage)) <= MOST_PARTS
