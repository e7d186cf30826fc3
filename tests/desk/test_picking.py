"""Sliders of chips, and points picked on the stage, in the real window."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication

from tests.desk.conftest import Driver
from tests.desk.test_setting import choose
from umbrant.model.edits import Edit, add_decorator


def test_a_number_with_a_short_range_has_a_slider_that_rolls_as_it_moves(
    demo_driver: Driver,
) -> None:
    desk = demo_driver.desk
    desk.apply(
        Edit(
            "Add",
            lambda p: add_decorator(
                p, "warden", "easy", "chance", {"share": 0.5}
            ),
        )
    )
    chip, rect = demo_driver.number_chip("easy", "share")
    demo_driver.click(rect.center())
    line = QApplication.focusWidget()
    assert line.slider.isVisible()
    line.slider.setValue(line.slider.maximum())
    line.slider.setValue(round(0.8 / chip.quantity.step))
    assert desk.behavior.row("easy").decorators[-1].args["share"] == 0.8
    assert line.text() == "0.8"
    demo_driver.type("")
    desk.documents.undo()
    assert desk.behavior.row("easy").decorators[-1].args["share"] == 0.5


def test_a_number_without_a_short_range_has_none(demo_driver: Driver) -> None:
    _, rect = demo_driver.number_chip("close", "reach")
    demo_driver.click(rect.center())
    assert QApplication.focusWidget().slider is None


def test_a_point_is_picked_on_the_stage_by_mouse_or_keyboard(
    demo_driver: Driver,
) -> None:
    desk, stage = demo_driver.desk, demo_driver.pane.stage

    def begin() -> None:
        chip, rect = demo_driver.chip(
            "close", lambda each: each.slot.param == "target"
        )
        demo_driver.ledger.editing.pick(chip, rect)
        choose(demo_driver.ledger.editing.menu, "Pick on the stage")

    begin()
    demo_driver.qtbot.mouseClick(
        stage,
        Qt.MouseButton.LeftButton,
        pos=stage.to_pixels((8.0, 9.0)).toPoint(),
    )
    target = desk.behavior.row("close").args["target"]
    assert target == (pytest.approx(8.0, abs=0.2), pytest.approx(9.0, abs=0.2))
    begin()
    start = stage.picking.cross
    demo_driver.key(
        Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier, to=stage
    )
    demo_driver.key(Qt.Key.Key_Up, to=stage)
    demo_driver.key(Qt.Key.Key_Return, to=stage)
    picked = desk.behavior.row("close").args["target"]
    assert picked == (
        pytest.approx(start[0] + 1.0, abs=0.01),
        pytest.approx(start[1] + 0.1, abs=0.01),
    )
    begin()
    demo_driver.key(Qt.Key.Key_Escape, to=stage)
    assert desk.behavior.row("close").args["target"] == picked
