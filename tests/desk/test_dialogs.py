"""The real questions, answered by pressing their buttons."""

from collections.abc import Callable
from typing import Any

import pytest
from PySide6.QtCore import Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QWidget
from pytestqt.qtbot import QtBot

from umbrant.desk.widgets.dialogs import Dialogs
from umbrant.desk.widgets.question import (
    QuestionDialog,
    Verb,
    integer_field,
    line_field,
    note_field,
)
from umbrant.desk.widgets.theme import DAY, style_sheet

QUESTIONS = [
    (
        "breaks",
        ("Set type to text", ["one row", "another"]),
        "Change it",
        "Leave it",
    ),
    ("remove", ("lamps", ["Warden"]), "Remove it", "Keep it"),
    ("trust", ("nodes/hum.py",), "Let them run", "Do not run them"),
    ("overwrite", (["project.json"],), "Overwrite them", "Do not save"),
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
        assert isinstance(box, QuestionDialog)
        default = next(button for button in box.buttons if button.isDefault())
        shown.append((box.text, default.text()))
        next(button for button in box.buttons if button.text() == text).click()

    for text, agreed in ((yes, True), (no, False)):
        QTimer.singleShot(0, lambda text=text: press(text))
        assert getattr(Dialogs(parent), name)(*args) is agreed
    assert all(default == no for _, default in shown)
    assert all(
        str(args[0] if isinstance(args[0], str) else args[0][0]) in text
        for text, _ in shown
    )


def answered(
    qtbot: QtBot,
    ask: Callable[[Dialogs], object],
    *keys: Qt.Key | str,
    ctrl: bool = False,
) -> object:
    """What a question comes to when these keys are pressed in it, one after
    the other.
    """
    parent = QWidget()
    qtbot.addWidget(parent)
    parent.resize(900, 600)
    held = (
        Qt.KeyboardModifier.ControlModifier
        if ctrl
        else Qt.KeyboardModifier.NoModifier
    )

    def press() -> None:
        for each in keys:
            box = QApplication.activeModalWidget()
            assert isinstance(box, QuestionDialog)
            target = box.focusWidget() or box
            if isinstance(each, str):
                QTest.keyClicks(target, each)
            else:
                QTest.keyClick(
                    target, each, held if each is Qt.Key.Key_Return else NONE
                )

    QTimer.singleShot(50, press)
    return ask(Dialogs(parent))


NONE, ENTER, ESCAPE = (
    Qt.KeyboardModifier.NoModifier,
    Qt.Key.Key_Return,
    Qt.Key.Key_Escape,
)


def test_a_line_is_typed_and_enter_takes_it(qtbot: QtBot) -> None:
    def ask(dialogs: Dialogs) -> str | None:
        return dialogs.text("New key", "Name of the key:", "old", "Make it")

    assert answered(qtbot, ask, "mood", ENTER) == "mood"
    assert answered(qtbot, ask, "mood", ESCAPE) is None
    assert answered(qtbot, ask, Qt.Key.Key_Delete, ENTER) is None

    def ask_for_any(dialogs: Dialogs) -> str | None:
        return dialogs.optional_text(
            "Stop where", "Empty for nowhere:", "old", "Stop there"
        )

    assert answered(qtbot, ask_for_any, Qt.Key.Key_Delete, ENTER) == ""
    assert answered(qtbot, ask_for_any, Qt.Key.Key_Delete, ESCAPE) is None


@pytest.mark.parametrize(
    "make",
    [line_field, note_field, lambda text: integer_field(int(text))],
    ids=["line", "lines", "number"],
)
def test_what_is_in_a_field_is_seen(
    qtbot: QtBot, make: Callable[[str], QWidget]
) -> None:
    pictures = []
    for text in ("1", "1888"):
        parent, field = QWidget(), make(text)
        qtbot.addWidget(parent)
        parent.setStyleSheet(style_sheet(DAY))
        box = QuestionDialog(
            parent, "Seed", "Which?", [Verb("Go on", is_default=True)], field
        )
        box.show()
        pictures.append(field.grab().toImage())
    assert pictures[0].size() == pictures[1].size()
    assert pictures[0] != pictures[1]


def test_several_lines_are_kept_with_ctrl(qtbot: QtBot) -> None:
    def ask(dialogs: Dialogs) -> str | None:
        return dialogs.note("Comment", "About it:", "")

    assert answered(qtbot, ask, "one", ENTER, ctrl=True) == "one"
    assert answered(qtbot, ask, "one", ENTER, "two", ESCAPE) is None


def test_a_number_and_one_of_a_list_are_given_by_keys(qtbot: QtBot) -> None:
    assert (
        answered(qtbot, lambda d: d.integer("Seed", "Seed:", 7), "12", ENTER)
        == 12
    )
    assert answered(qtbot, lambda d: d.integer("Seed", "Seed:", 7), ENTER) == 7
    assert (
        answered(
            qtbot, lambda d: d.integer("Seed", "Seed:", 7), "x-3.5", ENTER
        )
        == 35
    )
    rubbed_out = Qt.Key.Key_Delete
    assert (
        answered(
            qtbot, lambda d: d.integer("Seed", "Seed:", 7), rubbed_out, ENTER
        )
        is None
    )
    options = ["number", "text", "point"]
    down = Qt.Key.Key_Down
    assert (
        answered(
            qtbot, lambda d: d.choice("Key", "Holds:", options), down, ENTER
        )
        == "text"
    )
    assert (
        answered(
            qtbot, lambda d: d.choice("Key", "Holds:", options), "p", ENTER
        )
        == "point"
    )


def test_the_arrows_go_from_button_to_button_and_escape_stays(
    qtbot: QtBot,
) -> None:
    right = Qt.Key.Key_Right
    assert answered(qtbot, lambda d: d.unsaved("It"), ENTER) == "save"
    assert (
        answered(qtbot, lambda d: d.unsaved("It"), right, ENTER) == "discard"
    )
    assert answered(qtbot, lambda d: d.unsaved("It"), ESCAPE) == "stay"
    assert answered(qtbot, lambda d: d.recover("It was kept."), ESCAPE) is True
    assert (
        answered(qtbot, lambda d: d.recover("It was kept."), right, ENTER)
        is False
    )
    assert answered(qtbot, lambda d: d.message("Keys", "a\nb"), ENTER) is None
