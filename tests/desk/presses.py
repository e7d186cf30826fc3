"""Pressing keys as an author does, and counting them."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication

from tests.desk.conftest import Driver


class Presses:
    """Presses keys in whatever has the keyboard, and counts them."""

    def __init__(self, hands: Driver) -> None:
        self.hands = hands
        self.count = 0

    def key(self, key: Qt.Key) -> None:
        self.count += 1
        target = QApplication.activePopupWidget() or QApplication.focusWidget()
        assert target is not None
        self.hands.qtbot.keyClick(target, key)

    def type(self, text: str) -> None:
        """Type letters that a keyboard has."""
        self.count += len(text)
        for letter in text:
            self.hands.qtbot.keyClicks(QApplication.focusWidget(), letter)


def new_project(driver: Driver) -> None:
    """Begin a new project, with the keyboard in its rows."""
    driver.window.new_project()
    driver.desk.message.connect(driver.messages.append)
    driver.settle()
    driver.ledger.setFocus()
