"""The cast as a table: walked by arrows, edited in its cells, the same as the
setting's lines.
"""

from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest

from tests.desk.conftest import Driver
from tests.desk.test_setting import choose
from umbrant.desk.views.cast.view import CastTable
from umbrant.model.paths import at


def table(hands: Driver) -> CastTable:
    hands.pane.actions_by_id["show_cast"].trigger()
    found: CastTable = hands.pane.views.of(CastTable)
    assert hands.pane.left.view is found
    found.setFocus()
    return found


def press(hands: Driver, *keys: Qt.Key) -> None:
    view = hands.pane.views.of(CastTable)
    for key in keys:
        QTest.keyClick(view, key)


def test_the_cast_stands_names_down_and_numbers_across(
    quay_driver: Driver,
) -> None:
    hands = quay_driver
    view = table(hands)
    scenario = hands.desk.project.scenario("dusk")
    names = [row.cells["name"].text for row in view.cast.rows]
    assert names == [each.name for each in scenario.cast]
    titles = [column.title for column in view.cast.columns]
    assert titles[:4] == ["name", "behavior", "group", "at"]
    assert set(titles) >= {"energy", "thirst"}, (
        "a column for each number that any body has"
    )
    tam = view.cast.rows[names.index("tam")]
    assert (
        tam.cells["number energy"].text
        == f"{scenario.member('tam').body.stats['energy'].value:g}"
    )
    assert "number energy" not in view.cast.rows[0].cells
    assert (
        view.heading()
        == f"{scenario.title} · {len(names)} of the cast · Enter adds"
    )
    view.grab()


def test_arrows_walk_the_cells_and_enter_edits_one(
    quay_driver: Driver,
) -> None:
    hands = quay_driver
    view = table(hands)
    playhead = hands.desk.playhead
    picked: list[object] = []
    view.walked.connect(picked.append)
    while view._column != "walk":
        press(hands, Qt.Key.Key_Right)
    assert hands.desk.playhead == playhead, (
        "they do not step through ticks here"
    )
    press(hands, Qt.Key.Key_Down, Qt.Key.Key_Down)
    assert view._column == "walk"
    assert view.selected_path() == ("scenarios", "dusk", "cast", 2)
    assert picked[-1] == ("scenarios", "dusk", "cast", 2)
    assert hands.pane.stage.chosen is not None
    press(hands, Qt.Key.Key_Return)
    hands.type("2.5")
    cast = hands.desk.project.scenario("dusk").cast
    assert cast[2].body.walk_m_s == 2.5
    assert view._column == "walk"
    # Who is taken hold of on the stage is selected here.
    hands.pane.stage.picked.emit(("scenarios", "dusk", "cast", 4))
    assert view.selected_index() == 4
    hands.pane.stage.picked.emit(("stages", "quay"))
    assert view.selected_index() == 4
    hands.pane.stage.picked.emit(("scenarios", "dusk", "cast", 2, "body"))
    assert view.selected_index() == 2
    # The setting's line says the same, and what is changed there stands here.
    hands.pane.actions_by_id["show_setting"].trigger()
    setting = hands.pane.setting
    setting.unfold_to((*view.selected_path(), "body"))
    assert any(piece.text == "2.5 m/s" for piece in setting.line.pieces)
    hands.desk.documents.undo()
    view = table(hands)
    assert view.cast.rows[2].cells["walk"].text != "2.5 m/s"
    press(hands, Qt.Key.Key_Escape)
    assert view.focused_chip is None


def test_a_column_beyond_the_edge_is_brought_into_sight(
    quay_driver: Driver,
) -> None:
    hands = quay_driver
    view = table(hands)
    names = [row.cells["name"].text for row in view.cast.rows]
    view.setCurrentIndex(view.cast.index(names.index("tam"), 0))
    last = view.cast.columns[-1]
    while view._column != last.key:
        press(hands, Qt.Key.Key_Right)
    bar = view.horizontalScrollBar()
    assert last.x + last.wide <= bar.value() + view.viewport().width()
    # The names stay in sight, over what is scrolled past.
    assert bar.value() > 0
    middle = view.visualRect(view.currentIndex()).center().y()
    assert (
        view.chip_at(QPointF(view.cast.columns[0].x + 4, middle))[0].value
        == "tam"
    )
    bar.setValue(26)
    behavior = view.chips()[1][1]
    assert view.chip_at(QPointF(behavior.left() + 2 - 26, middle)) is None, (
        "it is covered"
    )
    assert view.chip_at(QPointF(behavior.right() - 2 - 26, middle)) is not None
    while view._column != "behavior":
        press(hands, Qt.Key.Key_Right)
    column = view.cast.columns[1]
    assert column.x - bar.value() >= view.cast.columns[0].wide
    view.grab()


def test_the_cast_is_added_to_moved_and_removed_from(
    quay_driver: Driver,
) -> None:
    hands = quay_driver
    view = table(hands)
    count = len(view.cast.rows)
    press(hands, Qt.Key.Key_Return)
    titles = [action.text() for action in view.menu.actions()]
    assert "Puppet" in titles
    assert not any(title.startswith("Cue") for title in titles)
    choose(view.menu, "Puppet")
    assert len(view.cast.rows) == count + 1
    assert view.selected_index() == count
    path = view.selected_path()
    assert at(hands.desk.project, path).behavior is None
    view.move_line(-1)
    assert at(hands.desk.project, (*path[:3], count - 1)).name.startswith(
        "puppet"
    )
    assert view.selected_index() == count - 1
    hands.pane.actions_by_id["delete"].trigger()
    assert len(view.cast.rows) == count
    hands.window.set_night(True)
    view.grab()


def test_a_project_without_a_cast_is_told_of(driver: Driver) -> None:
    driver.window.new_project()
    driver.desk.message.connect(driver.messages.append)
    driver.settle()
    view = table(driver)
    while view.cast.rows:
        before = len(view.cast.rows)
        view.delete()
        assert len(view.cast.rows) < before
    view.open_additions()
    assert driver.messages[-1].startswith("The cast is empty")
    view.grab()
