"""The cues above the lanes, in the real window."""

from PySide6.QtCore import QPoint, Qt

from tests.desk.conftest import Driver
from tests.desk.test_setting import choose
from umbrant.desk.views.lanes.cue_ruler import marks

LEFT = Qt.MouseButton.LeftButton


def place_of(driver: Driver, seconds: float) -> QPoint:
    lanes = driver.pane.lanes
    return QPoint(
        round(lanes.x_of(seconds * 20)), round(lanes.ruler_box().center().y())
    )


def test_a_cue_is_dragged_to_another_time_and_rolled_again(
    dog_driver: Driver,
) -> None:
    desk, lanes = dog_driver.desk, dog_driver.pane.lanes
    first = next(iter(marks(desk)))
    dog_driver.pane.actions_by_id["show_setting"].trigger()
    start, end = place_of(dog_driver, first.at_s), place_of(dog_driver, 10.0)
    playhead = desk.playhead
    dog_driver.drag(start.toPointF(), end.x() - start.x(), lanes)
    moved = next(iter(marks(desk)))
    assert abs(moved.at_s - 10.0) < 0.1
    assert desk.playhead == playhead
    assert dog_driver.pane.setting.line.path == first.path
    assert desk.documents.history.undo_name == f"Move the cue {first.text}"
    dog_driver.settle()
    desk.documents.undo()
    assert next(iter(marks(desk))) == first


def test_a_cue_is_added_at_the_time_that_is_double_clicked(
    demo_driver: Driver,
) -> None:
    desk, lanes = demo_driver.desk, demo_driver.pane.lanes
    high = lanes.sizeHint().height()
    demo_driver.pane.actions_by_id["show_setting"].trigger()
    before = len(list(marks(desk)))
    demo_driver.qtbot.mouseDClick(lanes, LEFT, pos=place_of(demo_driver, 21.0))
    choose(lanes.ruler.menu, "at 21 s raise an event")
    found = list(marks(desk))
    assert len(found) == before + 1
    assert found[-1].at_s == 21.0
    lanes.grab()
    assert lanes.sizeHint().height() >= high
    for kind in ("put somebody", "drop", "take somebody", "set a key"):
        demo_driver.qtbot.mouseDClick(
            lanes, LEFT, pos=place_of(demo_driver, 25.0 + len(found))
        )
        title = next(
            each.text()
            for each in lanes.ruler.menu.actions()
            if kind in each.text()
        )
        choose(lanes.ruler.menu, title)
        found = list(marks(desk))
    assert [each.text for each in found[-4:]] == [
        "odo comes",
        "drop dropped",
        "odo goes",
        "key = yes",
    ]
