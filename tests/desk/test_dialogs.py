"""The real questions, answered by pressing their buttons."""

from typing import Any

import pytest
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication, QMessageBox, QWidget
from pytestqt.qtbot import QtBot

from umbrant.desk.widgets.dialogs import Dialogs

QUESTIONS = [
    ("breaks", ("Set type to text", ["one row", "another"]), "Change it", "Leave it"),
    ("remove", ("lamps", ["Warden"]), "Remove it", "Keep it"),
    ("trust", ("nodes/hum.py",), "Let them run", "Do not run them"),
    ("overwrite", (["project.json"],), "Save all the same", "Do not save"),
]


@pytest.mark.parametrize(("name", "args", "yes", "no"), QUESTIONS)
def test_only_the_button_that_says_so_agrees_and_enter_does_not(
    qtbot: QtBot, name: str, args: tuple[Any, ...], yes: str, no: str
) -> None:
    parent = QWidget()
    qtbot.addWidget(parent)
    shown = []

    def press(text: str) -> None:
        box = QApplication.activeModalWidget()
        assert isinstance(box, QMessageBox)
        shown.append((box.text(), box.defaultButton().text()))
        next(button for button in box.buttons() if button.text() == text).click()

    for text, agreed in ((yes, True), (no, False)):
        QTimer.singleShot(0, lambda text=text: press(text))
        assert getattr(Dialogs(parent), name)(*args) is agreed
    assert all(default == no for _, default in shown)
    assert all(
        str(args[0] if isinstance(args[0], str) else args[0][0]) in text for text, _ in shown
    )
