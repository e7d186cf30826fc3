"""The first visit, done by keyboard as a newcomer would."""

from pathlib import Path

from PySide6.QtCore import Qt

from tests.desk.conftest import Driver
from umbrant.desk.first_visit import FAILED, VISIT_STEPS, WAITING
from umbrant.desk.window import VISITED


def test_each_step_notices_that_it_was_done(demo_driver: Driver) -> None:
    visit, window = demo_driver.pane.first_visit, demo_driver.window
    assert not visit.isVisible()
    demo_driver.pane.actions_by_id["first_visit"].trigger()
    assert visit.isVisible()

    def done(step: int) -> None:
        demo_driver.until(lambda: VISIT_STEPS[step].done in visit.text)
        assert f"{step + 1} of 6" in visit.text
        visit.next_step()

    demo_driver.key(Qt.Key.Key_Space)
    demo_driver.key(Qt.Key.Key_Space)
    done(0)
    demo_driver.key(Qt.Key.Key_N)
    done(1)
    demo_driver.key(Qt.Key.Key_X)
    done(2)
    demo_driver.desk.select_row("close")
    demo_driver.key(Qt.Key.Key_C)
    while demo_driver.ledger.focused_chip[0].slot.param != "reach":
        demo_driver.key(Qt.Key.Key_C)
    demo_driver.key(Qt.Key.Key_Up)
    done(3)
    demo_driver.ledger.leave_chips()
    demo_driver.key(Qt.Key.Key_Return)
    demo_driver.type("wait 2")
    done(4)
    demo_driver.settle()
    demo_driver.key(Qt.Key.Key_B)
    demo_driver.type("hold 1.1 at failure")
    done(5)
    assert not visit.isVisible()
    assert window.settings.flag(VISITED)


def test_the_keyboard_stays_with_the_rows_when_it_is_left(
    demo_driver: Driver,
) -> None:
    visit, ledger = demo_driver.pane.first_visit, demo_driver.ledger
    demo_driver.window.begin_first_visit()
    ledger.setFocus()
    demo_driver.qtbot.mouseClick(visit._on, Qt.MouseButton.LeftButton)
    assert ledger.hasFocus()
    demo_driver.qtbot.mouseClick(visit._leave, Qt.MouseButton.LeftButton)
    assert ledger.hasFocus()
    demo_driver.window.begin_first_visit()
    visit._leave.setFocus(Qt.FocusReason.TabFocusReason)
    demo_driver.qtbot.keyClick(visit._leave, Qt.Key.Key_Space)
    assert not visit.isVisible()
    assert ledger.hasFocus()


def test_it_can_be_skipped_left_and_begun_again(demo_driver: Driver) -> None:
    visit = demo_driver.pane.first_visit
    demo_driver.window.begin_first_visit()
    demo_driver.qtbot.mouseClick(visit._on, Qt.MouseButton.LeftButton)
    assert visit.step == 1
    demo_driver.key(Qt.Key.Key_Space)
    assert VISIT_STEPS[1].text in visit.text
    demo_driver.qtbot.mouseClick(visit._leave, Qt.MouseButton.LeftButton)
    assert not visit.isVisible()
    assert demo_driver.window.settings.flag(VISITED)
    demo_driver.window.begin_first_visit()
    assert visit.step == 0
    assert VISIT_STEPS[0].text in visit.text


def test_it_says_what_becomes_of_the_first_take(
    driver: Driver, demo: Path
) -> None:
    assert driver.window.open_folder(demo)
    driver.window.begin_first_visit()
    visit = driver.pane.first_visit
    assert WAITING in visit.text
    driver.until(lambda: VISIT_STEPS[0].text in visit.text)


def test_it_does_not_say_that_what_cannot_be_played_is(
    driver: Driver, demo: Path
) -> None:
    for each in (demo / "scenarios").iterdir():
        each.unlink()
    assert driver.window.open_folder(demo)
    driver.window.begin_first_visit()
    assert FAILED in driver.pane.first_visit.text
    assert driver.desk.documents.problems, (
        "the Review lists what is in the way"
    )
