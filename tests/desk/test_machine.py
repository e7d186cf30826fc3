"""A machine as a table and on the map, in the real window: both and the rows
say the same.
"""

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtWidgets import QApplication

from tests.desk.conftest import Driver
from tests.desk.test_setting import choose
from umbrant.desk.views.machine_table.adding import add_state, add_transition
from umbrant.desk.views.machine_table.cells import WHEN, TriggerColumn
from umbrant.desk.views.machine_table.view import MachineTable
from umbrant.desk.views.map.view import MapView
from umbrant.model.behaviors import Row

NONE = Qt.KeyboardModifier.NoModifier


class Hands:
    """Hands on the table of Brine's machine."""

    def __init__(self, driver: Driver) -> None:
        self.driver = driver
        self.desk = driver.desk
        self.desk.select_agent("brine")
        driver.pane.actions_by_id["show_map"].trigger()
        driver.pane.actions_by_id["show_table"].trigger()
        self.table = driver.pane.views.of(MachineTable)
        self.chart = driver.pane.views.of(MapView)

    def key(self, key: Qt.Key, modifier: Qt.KeyboardModifier = NONE) -> None:
        self.driver.key(key, modifier, self.table)

    def read(self) -> dict[tuple[str, str], str]:
        """What stands in the cells, by state and trigger."""
        model = self.table.machine
        return {
            (
                str(model.data(model.index(line, 0))),
                model.headerData(column, Qt.Orientation.Horizontal),
            ): text
            for line in range(model.rowCount())
            for column in range(1, model.columnCount())
            if (text := str(model.data(model.index(line, column))))
        }

    def at(self, state: str, trigger: str) -> None:
        """Select a cell."""
        model = self.table.machine
        line = next(
            line
            for line in range(model.rowCount())
            if model.data(model.index(line, 0)) == state
        )
        heads = [
            model.headerData(column, Qt.Orientation.Horizontal)
            for column in range(model.columnCount())
        ]
        self.table.setCurrentIndex(model.index(line, heads.index(trigger)))

    def add(self, *wanted: str) -> None:
        """Add something from the list that Enter and then Down open."""
        self.key(Qt.Key.Key_Return)
        self.driver.qtbot.keyClick(self.table.additions.line, Qt.Key.Key_Down)
        menu = self.table.additions.menu
        for inner in wanted[:-1]:
            menu = next(
                each.menu() for each in menu.actions() if each.text() == inner
            )
        choose(menu, wanted[-1])

    def named(self, name: str) -> Row:
        return next(row for row in self.desk.behavior.rows if row.name == name)

    def middle(self, name: str) -> QPoint:
        box = self.chart.drawing.box(self.named(name).id)
        return self.chart.box_rect(box).center().toPoint()

    def labels(self) -> list[tuple[str, str, str]]:
        """The arrows of the map: from, to and what is written on them."""
        name = {row.id: row.name for row in self.desk.behavior.rows}
        return [
            (name[each.start], name[each.end], each.label)
            for each in self.chart.drawing.arrows
        ]


@pytest.fixture
def hands(dog_driver: Driver) -> Hands:
    return Hands(dog_driver)


def test_states_stand_down_and_what_is_waited_for_across(hands: Hands) -> None:
    assert hands.read() == {
        ("from any state", "on thunder"): "Thunder → Cower",
        (
            "Doze",
            "when",
        ): "Someone comes → Circle when can see visitor within 9 m",
        ("Circle", "when"): "It went → Doze when distance to visitor > 12 m",
        ("Circle", "after"): "Enough of that → Bark after 2.5 s ± 0.5",
        ("Bark", "once done"): "Again → Circle once done",
        ("Cower", "after"): "It is over → What it did after 5 s",
    }
    assert "5 states" in hands.driver.pane.left.heading()


def test_cells_are_walked_by_arrows_and_select_their_rows(
    hands: Hands,
) -> None:
    hands.at("Doze", "State")
    assert hands.desk.row.name == "Doze"
    tick = hands.desk.playhead
    hands.key(Qt.Key.Key_Right)
    assert hands.desk.row.name == "Someone comes"
    hands.key(Qt.Key.Key_Down)
    assert hands.desk.row.name == "It went"
    assert hands.desk.playhead == tick
    hands.desk.select_row(hands.named("It is over").id)
    index = hands.table.currentIndex()
    assert (hands.table.machine.data(index)).startswith("It is over")


def test_chips_are_walked_typed_over_and_dragged_in_their_cells(
    hands: Hands,
) -> None:
    hands.at("Circle", "after")
    hands.key(Qt.Key.Key_C)
    hands.key(Qt.Key.Key_C)
    while hands.table.focused_chip[0].label != "time":
        hands.key(Qt.Key.Key_C)
    hands.key(Qt.Key.Key_Return)
    hands.driver.type("4")
    assert hands.named("Enough of that").args["time"] == 4.0
    assert hands.read()["Circle", "after"] == "Enough of that → Bark after 4 s"
    chip, rect = next(
        each for each in hands.table.chips() if each[0].label == "time"
    )
    place = rect.center() + QPointF(
        hands.table.visualRect(hands.table.currentIndex()).topLeft()
    )
    hands.driver.drag(place, 40, hands.table.viewport())
    assert hands.named("Enough of that").args["time"] == pytest.approx(
        4.0 + 10 * chip.quantity.step
    )


def test_enter_adds_a_transition_to_a_cell_and_opens_what_it_lacks(
    hands: Hands,
) -> None:
    hands.at("Bark", "when")
    hands.add("→ Doze")
    hands.driver.type("distance(visitor) > 20")
    assert (
        hands.read()["Bark", "when"]
        == "→ Doze when distance to visitor > 20 m"
    )
    assert ("Bark", "Doze", "distance(visitor) > 20") in hands.labels()
    bark, added = hands.named("Bark"), hands.desk.row
    assert hands.desk.behavior.outline.parent[added.id] == bark.id
    inside = [
        hands.desk.behavior.row(each).name
        for each in hands.desk.behavior.outline.children[bark.id]
    ]
    assert inside.index("Again") == inside.index("") - 1
    hands.driver.until(lambda: hands.desk.is_current)
    hands.desk.documents.undo()
    hands.desk.documents.undo()
    assert ("Bark", "when") not in hands.read()


def test_a_trigger_gets_a_column_and_a_state_a_line(hands: Hands) -> None:
    hands.at("Cower", "State")
    hands.add("State after this one")
    hands.driver.type("Sulk")
    assert hands.named("Sulk").kind == "state"
    hands.at("Sulk", "State")
    hands.add("Transition", "on alarm")
    assert ("Sulk", "on alarm") in hands.read()
    hands.at("Awake", "State")
    hands.add("State inside this one")
    hands.driver.type("Fetch")
    assert (
        hands.desk.behavior.outline.parent[hands.named("Fetch").id]
        == hands.named("Awake").id
    )
    assert hands.desk.documents.problems == []


def test_delete_takes_away_what_the_cell_holds(hands: Hands) -> None:
    hands.at("Cower", "after")
    hands.key(Qt.Key.Key_Delete)
    assert ("Cower", "after") not in hands.read()
    hands.at("from any state", "State")
    before = hands.desk.project
    hands.key(Qt.Key.Key_Delete)
    assert hands.desk.project is before
    hands.at("Bark", "State")
    hands.key(Qt.Key.Key_Delete)
    assert "Bark" not in [name for name, _ in hands.read()]


def test_renaming_a_state_shows_in_the_cells_that_lead_to_it(
    hands: Hands,
) -> None:
    hands.at("Circle", "State")
    hands.key(Qt.Key.Key_F2)
    hands.driver.type("Go round")
    assert hands.read()["Doze", "when"].startswith("Someone comes → Go round")


def test_a_transition_is_drawn_on_the_map_with_the_mouse(hands: Hands) -> None:
    chart, start, end = (
        hands.chart,
        hands.middle("Doze"),
        hands.middle("Cower"),
    )
    hands.driver.qtbot.mousePress(chart, Qt.MouseButton.LeftButton, pos=start)
    for step in range(1, 6):
        hands.driver.qtbot.mouseMove(chart, start + (end - start) * step / 5)
    hands.driver.qtbot.mouseRelease(chart, Qt.MouseButton.LeftButton, pos=end)
    choose(chart.menu, "when a condition holds")
    hands.driver.type("rain")
    assert hands.read()["Doze", "when"].endswith("→ Cower when rain")
    assert ("Doze", "Cower", "rain") in hands.labels()


def test_a_transition_is_drawn_on_the_map_by_keyboard(hands: Hands) -> None:
    hands.desk.select_row(hands.named("Circle").id)
    hands.driver.key(Qt.Key.Key_Return, to=hands.chart)
    hands.driver.key(Qt.Key.Key_Right, to=hands.chart)
    assert hands.desk.row.name == "Bark"
    hands.driver.key(Qt.Key.Key_Return, to=hands.chart)
    choose(hands.chart.menu, "on thunder")
    assert hands.read()["Circle", "on thunder"] == "→ Bark"
    hands.driver.key(Qt.Key.Key_Return, to=hands.chart)
    hands.driver.key(Qt.Key.Key_Escape, to=hands.chart)
    assert QApplication.activePopupWidget() is None
    assert "drag from state to state" in hands.chart.heading()


def test_a_behavior_without_a_machine_says_so(hands: Hands) -> None:
    hands.desk.select_agent("odo")
    assert hands.table.machine.rowCount() == 0
    assert "no machine here" in hands.driver.pane.left.heading()
    hands.key(Qt.Key.Key_Return)
    assert "no machine here" in hands.driver.messages[-1]
    hands.table.grab()


def test_a_machine_in_a_used_behavior_is_edited_where_it_is_used(
    hands: Hands,
) -> None:
    hands.driver.pane.actions_by_id["show_rows"].trigger()
    hands.desk.select_row(hands.named("Brine’s watch").id)
    hands.driver.answers.texts = ["Watch"]
    hands.driver.pane.actions_by_id["extract"].trigger()
    used = next(
        each for each in hands.desk.project.behaviors if each.title == "Watch"
    )
    hands.desk.select_row(hands.named("Bark").id)
    hands.driver.pane.actions_by_id["show_table"].trigger()
    hands.at("Bark", "when")
    hands.add("→ Doze")
    hands.driver.type("distance(visitor) > 20")
    assert (
        hands.read()["Bark", "when"]
        == "→ Doze when distance to visitor > 20 m"
    )
    assert (
        len(hands.desk.project.behavior(used.name).rows) == len(used.rows) + 1
    )
    hands.at("Bark", "State")
    hands.add("State after this one")
    hands.driver.type("Growl")
    assert (
        hands.desk.behavior.outline.parent[hands.named("Growl").id]
        == hands.named("Awake").id
    )
    hands.at("Circle", "State")
    hands.key(Qt.Key.Key_F2)
    hands.driver.type("Go round")
    assert hands.read()["Doze", "when"].startswith("Someone comes → Go round")
    assert hands.desk.documents.problems == []


def test_a_menu_that_is_still_open_when_another_behavior_is_shown_adds_nothing(
    hands: Hands,
) -> None:
    desk, before = hands.desk, hands.desk.project
    assert desk.behavior is not None
    source = next(row.id for row in desk.behavior.rows if row.kind == "state")
    desk.select_agent("odo")
    assert add_transition(desk, source, TriggerColumn(WHEN), "") is None
    assert add_state(desk, source, source) is None
    assert desk.project is before
