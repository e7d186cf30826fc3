"""The promise of the product, driven through the real window: see it give up,
read why, change one number, see.
"""

import re

from PySide6.QtCore import Qt

from tests.desk.conftest import Driver
from umbrant.take.record import RowState

GAVE_UP = 730


def test_a_chip_changes_the_take_the_tape_and_the_reason_and_undo_brings_them_back(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.desk.move_playhead(GAVE_UP)
    before, first = hands.reasons(), hands.ledger.grab().toImage()
    assert re.search(
        r"Escort the visitor was refused: can see visitor within 8 m is no — "
        r"[\d.]+ m away, beyond 8 m",
        before,
    )
    assert (
        hands.desk.explainer.record.row("esc").state_at(GAVE_UP)
        is RowState.REFUSED
    )

    _, rect = hands.number_chip("esc", "when")
    hands.click(rect.center())
    hands.type("11")
    hands.settle()

    assert (
        hands.desk.behavior.row("esc").guard.when
        == "can_see(visitor, within=11)"
    )
    assert (
        hands.desk.explainer.record.row("esc").state_at(GAVE_UP)
        is RowState.RUNNING
    )
    assert "Close in has been running for 2.20 s" in hands.reasons()
    assert any(
        stretch.start <= GAVE_UP <= stretch.end
        for stretch in hands.desk.different["esc"]
    )
    assert hands.ledger.grab().toImage() != first
    assert hands.window.windowTitle().startswith("*")

    hands.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    hands.settle()
    assert hands.reasons() == before
    assert (
        hands.desk.explainer.record.row("esc").state_at(GAVE_UP)
        is RowState.REFUSED
    )
    assert not hands.window.windowTitle().startswith("*")

    hands.key(
        Qt.Key.Key_Z,
        Qt.KeyboardModifier.ControlModifier
        | Qt.KeyboardModifier.ShiftModifier,
    )
    hands.settle()
    assert "Close in has been running for 2.20 s" in hands.reasons()


def test_dragging_a_number_sideways_rolls_as_it_goes_and_is_one_step_of_undo(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    _, rect = hands.number_chip("esc", "when")
    hands.drag(rect.center(), 80)
    assert (
        hands.desk.behavior.row("esc").guard.when
        == "can_see(visitor, within=10)"
    )
    hands.settle()
    assert hands.desk.documents.history.undo_name == "Set number to 10 m"
    hands.desk.documents.undo()
    assert (
        hands.desk.behavior.row("esc").guard.when
        == "can_see(visitor, within=8)"
    )
    assert hands.desk.documents.history.undo_name is None


def test_the_differences_are_marked_until_the_next_edit(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    assert hands.desk.different == {}
    _, rect = hands.number_chip("esc", "when")
    hands.drag(rect.center(), 80)
    hands.settle()
    hands.desk.roll()
    hands.until(
        lambda: len(hands.desk.takes.kept) > 2 and not hands.desk.takes.busy
    )
    hands.until(lambda: hands.desk.different == {})
