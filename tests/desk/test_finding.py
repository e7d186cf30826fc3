"""Finding things and commands by typing."""

from PySide6.QtCore import Qt

from tests.desk.conftest import Driver
from umbrant.desk.views.help.view import HelpView

CTRL = Qt.KeyboardModifier.ControlModifier


def test_a_row_of_another_behavior_is_found_by_its_words(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.key(Qt.Key.Key_F, CTRL)
    hands.type("scatter")
    assert "catter" in (hands.desk.row.name or hands.desk.row.kind)
    assert hands.desk.behavior.name == "gull"


def test_a_key_is_found_in_the_setting_though_it_is_folded_away(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.pane.actions_by_id["show_setting"].trigger()
    hands.pane.setting.select_path(("blackboards",))
    hands.pane.setting.fold()
    hands.pane.actions_by_id["find"].trigger()
    hands.type("visitor_seen")
    assert hands.pane.command_context.in_setting
    assert "visitor_seen" in hands.pane.setting.line.text
    assert hands.pane.setting.line.path[:2] == ("blackboards", "quay")


def test_a_command_is_found_and_done(demo_driver: Driver) -> None:
    hands = demo_driver
    hands.select("1.1.1")
    hands.key(Qt.Key.Key_K, CTRL)
    hands.type("mute")
    assert hands.desk.row.muted
    hands.key(Qt.Key.Key_K, CTRL)
    hands.type("undo")
    assert not hands.desk.row.muted


def test_escape_leaves_the_search_and_gives_the_keyboard_back(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.key(Qt.Key.Key_K, CTRL)
    assert hands.pane.finder.commands.isVisible()
    hands.qtbot.keyClick(hands.pane.finder.commands.line, Qt.Key.Key_Escape)
    assert not hands.pane.finder.commands.isVisible()
    assert hands.ledger.hasFocus()


def test_the_help_beside_the_rows_is_about_the_selected_row(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.pane.actions_by_id["show_help"].trigger()
    hands.select("1.1.1")
    text = hands.pane.views.of(HelpView).page.toPlainText()
    assert "move to" in text
    assert "how near it must come" in text or "reach" in text
    hands.select("1.1")
    text = hands.pane.views.of(HelpView).page.toPlainText()
    assert text.index("sequence") < text.index("can see"), (
        "the senses of its guard come after its kind"
    )
    assert (
        hands.pane.right.heading() == "about sequence · and what is on the row"
    )


def test_the_help_plays_the_recipe_that_the_search_would_add(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    help_view = hands.pane.views.of(HelpView)
    hands.pane.actions_by_id["show_help"].trigger()
    hands.select("1")
    hands.key(Qt.Key.Key_Return)
    hands.qtbot.keyClicks(hands.ledger.search.line, "chase and")
    hands.until(
        lambda: help_view.example.accessibleName() == "Example of recipe chase"
    )
    assert "Chase and give up" in help_view.page.toPlainText()
    assert help_view.heading() == "about chase and give up · Enter adds it"
    assert not help_view.example.grab().isNull()
    hands.ledger.search.line.clear()
    hands.qtbot.keyClicks(hands.ledger.search.line, "look about")
    hands.until(
        lambda: help_view.example.accessibleName() == "Example of look about"
    )
    hands.qtbot.keyClick(hands.ledger.search.line, Qt.Key.Key_Escape)
    hands.until(
        lambda: help_view.example.accessibleName() == "Example of selector"
    )


def test_the_help_plays_the_example_of_the_rows_kind(
    demo_driver: Driver,
) -> None:
    demo_driver.pane.actions_by_id["show_help"].trigger()
    example = demo_driver.pane.views.of(HelpView).example
    demo_driver.desk.select_row("close")
    demo_driver.until(lambda: example.take is not None)
    assert example.accessibleName() == "Example of move to"
    assert example.isVisible()
    first = example.tick
    demo_driver.until(lambda: example.tick != first)
    demo_driver.key(Qt.Key.Key_Space, to=example)
    assert not example.playing
    assert not example.grab().isNull()
    demo_driver.qtbot.mouseClick(example, Qt.MouseButton.LeftButton)
    assert example.playing
    demo_driver.desk.select_row("esc")
    demo_driver.until(
        lambda: example.accessibleName() == "Example of sequence"
    )
    demo_driver.pane.actions_by_id["show_stage"].trigger()
    assert not example.playing
