"""The stage and the mouse: what moves the ground, and what does not."""

from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QWidget

from tests.desk.conftest import Driver


def test_a_click_that_trembles_keeps_the_stage_fitted_and_a_drag_moves_it(
    demo_driver: Driver,
) -> None:
    stage = demo_driver.pane.stage
    button, empty = Qt.MouseButton.LeftButton, QPoint(4, stage.height() - 4)
    at = [stage.to_pixels((1.0, 1.0))]
    QTest.mousePress(stage, button, pos=empty)
    QTest.mouseMove(stage, empty + QPoint(1, 0))
    QTest.mouseRelease(stage, button, pos=empty + QPoint(1, 0))
    at.append(stage.to_pixels((1.0, 1.0)))
    assert at[0] == at[1]
    assert stage._fitted
    QTest.mousePress(stage, button, pos=empty)
    send_move(stage, empty + QPoint(30, -10))
    QTest.mouseRelease(stage, button, pos=empty + QPoint(30, -10))
    moved = stage.to_pixels((1.0, 1.0)) - at[0]
    assert (moved.x(), moved.y()) == (30, -10)
    # Without a button nothing is moved, though the release was never heard of.
    stage.mousePressEvent(
        mouse_event(QEvent.Type.MouseButtonPress, empty, button)
    )
    send_move(stage, empty + QPoint(60, 0), Qt.MouseButton.NoButton)
    assert stage.to_pixels((1.0, 1.0)) - at[0] == moved


def mouse_event(
    kind: QEvent.Type, at: QPoint, held: Qt.MouseButton
) -> QMouseEvent:
    place = QPointF(at)
    return QMouseEvent(
        kind, place, place, held, held, Qt.KeyboardModifier.NoModifier
    )


def send_move(
    stage: QWidget,
    at: QPoint,
    held: Qt.MouseButton = Qt.MouseButton.LeftButton,
) -> None:
    stage.mouseMoveEvent(mouse_event(QEvent.Type.MouseMove, at, held))
