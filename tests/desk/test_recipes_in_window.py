"""Recipes by keyboard: from a new project to an NPC that chases, strikes and
hides.
"""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication

from tests.desk.conftest import Driver
from tests.desk.presses import Presses, new_project
from umbrant.catalog.recipes.builtin import RECIPES
from umbrant.desk.chips.inline_editor import InlineEditor
from umbrant.desk.views.ledger.search import RecipeOffer
from umbrant.model.behaviors import UpkeepMoment
from umbrant.model.values import KeyType


def test_a_fighter_in_under_40_presses(driver: Driver) -> None:
    new_project(driver)
    presses = Presses(driver)
    for word in ("chase and", "circle and"):
        presses.key(Qt.Key.Key_Home)
        presses.key(Qt.Key.Key_Return)
        presses.type(word)
        presses.key(Qt.Key.Key_Return)
        driver.until(
            lambda: (
                QApplication.activePopupWidget() is not None
                or isinstance(QApplication.focusWidget(), InlineEditor)
            )
        )
        presses.key(Qt.Key.Key_Escape)
    driver.settle()
    assert presses.count < 40
    names = [each.name for each in driver.desk.behavior.rows]
    assert {"Walk the beat", "Chase and give up", "Circle and strike"} <= set(
        names
    )
    # What takes over stands before what it takes over from.
    assert names.index("Chase and give up") < names.index("Walk the beat")
    assert driver.desk.documents.problems == []


def test_a_recipe_is_one_step_of_undo_and_its_blanks_open_in_order(
    driver: Driver,
) -> None:
    new_project(driver)
    before = driver.desk.project
    driver.key(Qt.Key.Key_Home)
    driver.key(Qt.Key.Key_Return)
    driver.type("idle chatter")
    editing = driver.ledger.editing
    opened = []
    for _ in range(4):
        driver.until(
            lambda: editing.line is not None and editing.line.isVisible()
        )
        opened.append((driver.desk.row.name, editing.line.text()))
        driver.qtbot.keyClick(editing.line, Qt.Key.Key_Return)
        driver.until(
            lambda: driver.desk.row.name != opened[-1][0] or len(opened) == 4
        )
    assert opened == [
        ("A line", "Cold again."),
        ("Another", "What was that?"),
        ("A third", "Hm hm."),
        ("Pause", "4 ± 2"),
    ]
    driver.settle()
    assert driver.desk.documents.history.undo_name == "Add idle chatter"
    driver.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert driver.desk.project == before


def test_escape_leaves_the_blanks_as_they_are(driver: Driver) -> None:
    new_project(driver)
    driver.key(Qt.Key.Key_Home)
    driver.key(Qt.Key.Key_Return)
    driver.type("patrol")
    editing = driver.ledger.editing
    driver.until(lambda: editing.line is not None and editing.line.isVisible())
    assert editing.line.text() == "gate, well"
    driver.qtbot.keyClick(editing.line, Qt.Key.Key_Escape)
    driver.qtbot.wait(50)
    assert QApplication.focusWidget() is driver.ledger
    assert driver.desk.row.name == "Walk the rounds"


def test_every_recipe_is_found_by_its_name_and_its_words(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.desk.select_row("keep")
    hands.key(Qt.Key.Key_Return)
    search = hands.ledger.search
    for recipe in RECIPES:
        for text in (recipe.title, recipe.words[0]):
            search.line.setText(text)
            found = [search.offer_at(index) for index in range(3)]
            titles = [
                each.title for each in found if isinstance(each, RecipeOffer)
            ]
            assert recipe.title in titles, text
    search.line.setText("patrol")
    search.list.setCurrentIndex(search.list.model().index(0, 0))
    assert "Walks from place to place" in search.help.text()
    search.dismiss()


def test_keys_that_are_typed_and_do_not_exist_are_offered_to_be_made(
    driver: Driver,
) -> None:
    new_project(driver)
    driver.key(Qt.Key.Key_Home)
    driver.key(Qt.Key.Key_Return)
    search = driver.ledger.search
    search.line.setText("look out upkeep visitor seen last_seen")
    first = search.offer_at(0)
    assert first.place == "makes the keys seen, last_seen"
    driver.qtbot.keyClick(search.line, Qt.Key.Key_Return)
    driver.settle()
    upkeep = driver.desk.behavior.rows[0].upkeep[0]
    assert {name: value.key for name, value in upkeep.args.items()} == {
        "target": "visitor",
        "seen": "seen",
        "where": "last_seen",
    }
    keys = driver.desk.keys_at(driver.desk.behavior.rows[0].id)
    assert (keys["seen"].type, keys["last_seen"].type) == (
        KeyType.YES_NO,
        KeyType.POINT,
    )
    assert driver.desk.documents.problems == []
    assert driver.desk.documents.history.undo_name == "Add look out"
    driver.desk.documents.undo()
    assert driver.desk.documents.history.undo_name is None


@pytest.mark.parametrize(
    ("typed", "moment"),
    [
        ("set yes no on entry seen yes", UpkeepMoment.ENTRY),
        ("on leaving set yes no seen no", UpkeepMoment.LEAVING),
        ("on exit set yes no seen no", UpkeepMoment.LEAVING),
    ],
)
def test_what_is_done_once_is_typed_with_its_moment(
    driver: Driver, typed: str, moment: UpkeepMoment
) -> None:
    new_project(driver)
    driver.key(Qt.Key.Key_Home)
    driver.key(Qt.Key.Key_Return)
    search = driver.ledger.search
    search.line.setText(typed)
    assert search.offer_at(0).kind.id == "set_yes_no"
    assert search.offer_at(0).at is moment
    driver.qtbot.keyClick(search.line, Qt.Key.Key_Return)
    driver.settle()
    upkeep = driver.desk.behavior.rows[0].upkeep[0]
    assert (upkeep.at, upkeep.kind) == (moment, "set_yes_no")
    assert upkeep.args["key"].key == "seen"
    assert driver.desk.documents.problems == []


def test_what_may_be_a_slip_is_offered_second_and_what_fits_nothing_is_said(
    driver: Driver,
) -> None:
    new_project(driver)
    driver.key(Qt.Key.Key_Home)
    driver.key(Qt.Key.Key_Return)
    search = driver.ledger.search
    search.line.setText("move to visitr")
    assert [search.offer_at(index).place for index in range(2)] == [
        "action",
        "makes the key visitr",
    ]
    driver.qtbot.keyClick(search.line, Qt.Key.Key_Return)
    driver.until(
        lambda: any(
            "“visitr” fits nothing here" in each for each in driver.messages
        )
    )
