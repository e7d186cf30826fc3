"""A machine typed into its table as one writes it on paper."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QApplication

from tests.desk.conftest import Driver
from tests.desk.presses import Presses, new_project
from tests.small import project, row
from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.validation.names import names_in
from umbrant.desk.views.machine_table.cells import TriggerColumn
from umbrant.desk.views.machine_table.typed import (
    CellError,
    CellScope,
    TypedTransition,
    paste_cells,
    read_transition,
)
from umbrant.desk.views.machine_table.view import MachineTable
from umbrant.model.behaviors import Event, EventList, Key
from umbrant.model.kind_ids import AFTER, ON_DONE, ON_EVENT, WHEN
from umbrant.model.values import KeyType, Spread

KEYS = {"visitor": Key(name="visitor", type=KeyType.AGENT, default="a")}
STATES = (
    row("mm", "machine"),
    row("idle", "state", "mm", name="Idle"),
    row("chase", "state", "mm", name="Chase"),
    row("strike", "state", "mm", name="Strike"),
)


@pytest.fixture(scope="module")
def scope() -> CellScope:
    events = EventList(events=(Event(name="alarm"),))
    made = project(*STATES, keys=tuple(KEYS.values())).model_copy(
        update={"event_list": events}
    )
    states = [each for each in made.behaviors[0].rows if each.kind == "state"]
    return CellScope(made, KEYS, BUILTIN, names_in(made), states)


WRITTEN = {
    ("distance to visitor < 6 → Chase", WHEN): TypedTransition(
        "when", {"when": "distance(visitor) < 6"}, "chase"
    ),
    ("if distance(visitor) < 6 -> cha", WHEN): TypedTransition(
        "when", {"when": "distance(visitor) < 6"}, "chase"
    ),
    ("2 -> Idle", AFTER): TypedTransition("after", {"time": 2.0}, "idle"),
    ("after 2 s ± 0.5 => idle", WHEN): TypedTransition(
        "after", {"time": Spread(mean=2.0, half_width=0.5)}, "idle"
    ),
    ("→ Strike", ON_DONE): TypedTransition("on_done", {}, "strike"),
    ("once done with failure → Strike", WHEN): TypedTransition(
        "on_done", {"result": "failure"}, "strike"
    ),
    ("on alarm → Flee", WHEN): TypedTransition(
        "on_event", {"event": "alarm"}, new_state="Flee"
    ),
    ("on thunder if distance to visitor > 2 → Idle", WHEN): TypedTransition(
        "on_event",
        {"event": "thunder", "when": "distance(visitor) > 2"},
        "idle",
        new_event="thunder",
    ),
    ("distance to visitor < 6", WHEN): TypedTransition(
        "when", {"when": "distance(visitor) < 6"}
    ),
}


@pytest.mark.parametrize(("text", "column"), WRITTEN)
def test_a_cell_is_read_as_it_is_written(
    text: str, column: str, scope: CellScope
) -> None:
    assert (
        read_transition(text, TriggerColumn(column), scope)
        == WRITTEN[text, column]
    )


def test_the_column_of_an_event_says_which(scope: CellScope) -> None:
    found = read_transition("→ Idle", TriggerColumn(ON_EVENT, "alarm"), scope)
    assert found == TypedTransition("on_event", {"event": "alarm"}, "idle")


@pytest.mark.parametrize(
    ("text", "column", "said"),
    [
        ("distanc to visitor < 6 → Chase", WHEN, "distanc"),
        ("soon → Idle", AFTER, "'soon' is no time. Write seconds"),
        ("1.2.3 → Idle", AFTER, "is no time"),
        ("on The Bell → Idle", WHEN, "is no name of an event"),
        ("once done with joy → Idle", WHEN, "'joy' is no way of being done"),
        ("→ Idle", WHEN, ""),
    ],
)
def test_what_is_no_transition_is_said(
    text: str, column: str, said: str, scope: CellScope
) -> None:
    with pytest.raises(CellError) as refused:
        read_transition(text, TriggerColumn(column), scope)
    assert said in str(refused.value)


def test_the_cells_of_a_spreadsheet_make_states_transitions_and_events(
    scope: CellScope,
) -> None:
    text = (
        "state\twhen\tafter\ton thunder\n"
        "Idle\tdistance to visitor < 8 → Chase\t\t→ Hide\n"
        "Chase\tdistance to visitor < 2 → Strike; distance to visitor > 9 → Idle\t20 → Idle\t\n"
        "Hide\tnonsense here → Idle\t3 → Idle\t\n"
    )
    behavior = scope.project.behaviors[0]
    pasted = paste_cells(scope, behavior, "mm", text)
    assert len(pasted.wrong) == 1
    assert pasted.wrong[0].startswith("Hide, “nonsense here → Idle”:")
    made = pasted.project.behaviors[0]
    states = {each.id: each.name for each in made.rows if each.kind == "state"}
    assert list(states.values()) == ["Idle", "Chase", "Strike", "Hide"]
    found = [
        (states[each.under], each.kind, states.get(each.args.get("to", "")))
        for each in made.rows
        if each.kind in ("when", "after", "on_event")
    ]
    assert sorted(found) == sorted(
        [
            ("Idle", "when", "Chase"),
            ("Idle", "on_event", "Hide"),
            ("Chase", "when", "Strike"),
            ("Chase", "when", "Idle"),
            ("Chase", "after", "Idle"),
            ("Hide", "after", "Idle"),
        ]
    )
    assert "thunder" in [
        each.name for each in pasted.project.event_list.events
    ]


def at_table(driver: Driver) -> MachineTable:
    """A new project whose behavior has an empty machine, at its table."""
    new_project(driver)
    driver.key(Qt.Key.Key_Home)
    driver.key(Qt.Key.Key_Return)
    driver.type("machine")
    driver.pane.actions_by_id["show_table"].trigger()
    table = driver.pane.views.of(MachineTable)
    table.setFocus()
    return table


def test_three_states_of_a_chaser_in_under_40_presses(driver: Driver) -> None:
    table = at_table(driver)
    presses = Presses(driver)
    table.setCurrentIndex(table.machine.index(0, 0))
    presses.key(Qt.Key.Key_Return)
    for name in ("Idle", "Chase", "Strike"):
        presses.type(name)
        presses.key(Qt.Key.Key_Return)
    presses.key(Qt.Key.Key_Escape)
    assert presses.count < 40
    names = [
        table.machine.name_of(each) for each in table.machine.cells.sources
    ]
    assert names == ["from any state", "Idle", "Chase", "Strike"]
    # And a transition, typed in its cell.
    table.setCurrentIndex(table.machine.index(1, 1))
    presses.key(Qt.Key.Key_Return)
    presses.type("distance to visitor < 6 -> ch")
    presses.key(Qt.Key.Key_Return)
    assert table.machine.data(table.machine.index(1, 1)) == (
        "→ Chase when distance to visitor < 6 m"
    )


def test_what_is_wrong_is_said_below_and_the_line_stays(
    driver: Driver,
) -> None:
    table = at_table(driver)
    table.setCurrentIndex(table.machine.index(0, 1))
    driver.qtbot.keyClick(table, Qt.Key.Key_Return)
    line = table.additions.line
    driver.qtbot.keyClicks(line, "distanc to visitor < 6 -> Chase")
    driver.qtbot.keyClick(line, Qt.Key.Key_Return)
    assert line.isVisible()
    assert line._fault.isVisible()
    assert "distanc" in line._fault.text()
    driver.qtbot.keyClick(line, Qt.Key.Key_Escape)
    assert QApplication.focusWidget() is table


def test_cells_are_pasted_with_one_step_of_undo(driver: Driver) -> None:
    table = at_table(driver)
    before = driver.desk.project
    QGuiApplication.clipboard().setText(
        "Idle\tdistance to visitor < 6 → Chase\nChase\t\n"
    )
    driver.pane.actions_by_id["paste"].trigger()
    names = [
        table.machine.name_of(each) for each in table.machine.cells.sources
    ]
    assert names == ["from any state", "Idle", "Chase"]
    assert driver.desk.documents.history.undo_name == "Paste cells"
    driver.desk.documents.undo()
    assert driver.desk.project == before
