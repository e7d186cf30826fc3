"""Several rows at once, in the real window: selected, copied, pasted, wrapped;
and one made another kind.
"""

from pathlib import Path

import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QGuiApplication

from tests.desk.conftest import Driver
from umbrant.desk.chips.sentence import ChipEditor
from umbrant.model.behaviors import Row
from umbrant.model.documents import Project
from umbrant.model.edits import Edit, insert_row, rename_row
from umbrant.model.folder import read_project, save_project

SHIFT, CTRL = (
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.ControlModifier,
)


@pytest.fixture
def hands(demo_driver: Driver) -> Driver:
    return demo_driver


def test_rows_are_selected_with_shift_and_deleted_together(
    hands: Driver,
) -> None:
    first = hands.desk.project
    hands.select("1.2.1")
    hands.key(Qt.Key.Key_Down, SHIFT)
    hands.key(Qt.Key.Key_Down, SHIFT)
    hands.key(Qt.Key.Key_Up, SHIFT)
    assert hands.ledger.selected_rows == ["wary", "go"]
    hands.key(Qt.Key.Key_Delete)
    assert [name for name in hands.names() if name.startswith("1.2")] == [
        "1.2 Check last sighting",
        "1.2.1 Look about",
        "1.2.2 Forget it",
    ]
    assert hands.desk.documents.history.undo_name == "Delete 2 rows"
    hands.desk.documents.undo()
    assert hands.desk.project == first


def test_shift_and_a_click_select_up_to_there(hands: Driver) -> None:
    hands.select("1.2.1")
    place = hands.chip("look", lambda chip: chip.editor is ChipEditor.NAME)[
        1
    ].center() - QPointF(0, 14)
    hands.desk.select_row("wary")
    hands.qtbot.mouseClick(
        hands.ledger.viewport(),
        Qt.MouseButton.LeftButton,
        SHIFT,
        place.toPoint(),
    )
    assert hands.ledger.selected_rows == ["wary", "go", "look"]


def test_rows_are_copied_as_text_and_pasted_where_they_fit(
    hands: Driver,
) -> None:
    hands.select("1.2.3")
    hands.key(Qt.Key.Key_C, CTRL)
    assert '"kind": "look_about"' in QGuiApplication.clipboard().text()
    hands.select("1.1")
    hands.key(Qt.Key.Key_V, CTRL)
    assert "1.1.3 Look about" in hands.names()
    assert hands.desk.row.name == "Look about"
    hands.key(Qt.Key.Key_V, CTRL)
    assert "1.1.4 Look about" in hands.names()


def test_rows_are_cut_and_come_back_elsewhere(hands: Driver) -> None:
    hands.select("1.2.3")
    hands.key(Qt.Key.Key_X, CTRL)
    assert "1.2.3 Forget it" in hands.names()
    hands.select("1.3")
    hands.key(Qt.Key.Key_V, CTRL)
    assert "1.3.6 Look about" in hands.names()


def test_what_holds_no_rows_is_not_pasted(hands: Driver) -> None:
    before = hands.desk.project
    QGuiApplication.clipboard().setText("a shopping list")
    hands.select("1.1")
    hands.key(Qt.Key.Key_V, CTRL)
    assert (
        hands.messages[-1]
        == "What was copied is no text of rows; copy some rows first."
    )
    QGuiApplication.clipboard().setText(
        '{"rows": [{"id": "tt", "kind": "after"}]}'
    )
    hands.key(Qt.Key.Key_V, CTRL)
    assert hands.messages[-1] == "There is no place here for rows like these."
    assert hands.desk.project is before


def test_rows_are_duplicated_wrapped_and_made_a_behavior(
    hands: Driver,
) -> None:
    hands.select("1.2.1")
    hands.key(Qt.Key.Key_Down, SHIFT)
    hands.key(Qt.Key.Key_V, CTRL | SHIFT)
    assert [
        name.split(" ", 1)[1]
        for name in hands.names()
        if name.startswith("1.2.")
    ][:4] == [
        "Grow wary",
        "Go there",
    ] * 2
    assert len(hands.ledger.selected_rows) == 2
    hands.key(Qt.Key.Key_G, CTRL)
    hands.type("parallel")
    hands.key(Qt.Key.Key_Return)
    assert hands.desk.row.kind == "parallel"
    hands.answers.texts = ["Go and look"]
    hands.key(Qt.Key.Key_B, CTRL)
    assert hands.desk.row.kind == "use_behavior"
    assert [
        row.name for row in hands.desk.project.behavior("go-and-look").rows
    ] == [
        "Parallel",
        "Grow wary",
        "Go there",
    ]
    hands.settle()
    assert hands.desk.documents.problems == []


def test_a_row_becomes_another_kind_and_keeps_what_fits(hands: Driver) -> None:
    hands.select("1.1.1")
    before = hands.desk.row.args
    hands.key(Qt.Key.Key_K)
    assert hands.ledger.search.line.placeholderText() == "Make Close in into …"
    hands.type("move away")
    hands.key(Qt.Key.Key_Return)
    assert hands.desk.row.kind == "move_away"
    assert hands.desk.row.args["target"] == before["target"]


def test_a_comment_is_kept_and_shown(hands: Driver) -> None:
    hands.select("1.1.1")
    hands.answers.texts = ["He must not come too near."]
    hands.key(Qt.Key.Key_N, SHIFT)
    assert hands.desk.row.note == "He must not come too near."
    assert (
        hands.ledger.ledger._tip(hands.desk.row)
        == "He must not come too near."
    )


def test_of_thousands_of_rows_those_in_sight_are_laid_out_first_and_nothing_jumps(
    driver: Driver, demo: Path
) -> None:
    project = read_project(demo)
    long = "a name so long that with all its chips the row takes more than one line of the outline"
    rows = [Row(id="top", kind="selector")]
    rows.extend(
        Row(
            id=f"r{n}",
            under="top",
            kind="move_to",
            name=long if n % 3 else "Go",
            args={"target": "visitor"},
        )
        for n in range(600)
    )
    save_project(replace_rows(project, rows), demo)
    assert driver.open(demo)
    ledger = driver.ledger
    driver.desk.select_row("r400")
    top = ledger.visualRect(ledger.currentIndex()).top()
    assert 0 <= top < ledger.viewport().height()
    driver.until(lambda: not ledger._not_laid_out)
    assert abs(ledger.visualRect(ledger.currentIndex()).top() - top) <= 2
    for place in range(ledger.ledger.rowCount()):
        assert ledger.rowHeight(place) == int(ledger.layout_at(place).height)


def replace_rows(project: Project, rows: list[Row]) -> Project:
    warden = project.behavior("warden").with_rows(rows)
    kept = [each for each in project.behaviors if each.variant_of != "warden"]
    return project.model_copy(
        update={
            "behaviors": tuple(
                warden if each.name == "warden" else each for each in kept
            )
        }
    )


def test_a_transition_is_told_with_the_new_name_of_its_state(
    dog_driver: Driver,
) -> None:
    desk, ledger = dog_driver.desk, dog_driver.ledger
    desk.select_agent("brine")
    transition = next(
        row for row in desk.behavior.rows if row.kind == "on_event"
    )
    state = transition.args["to"]
    before = [
        placed.piece.text for placed in ledger.layout_of(transition).placed
    ]
    desk.apply(
        Edit("Rename", lambda p: rename_row(p, "dog", state, "Somewhere else"))
    )
    transition = desk.behavior.row(transition.id)
    after = [
        placed.piece.text for placed in ledger.layout_of(transition).placed
    ]
    assert "Somewhere else" not in before
    assert "Somewhere else" in after


def drag_row(hands: Driver, row_id: str, onto: str, share: float) -> None:
    """Drag a row by its gutter to a share of the height of another."""
    ledger = hands.ledger

    def place(wanted: str, part: float) -> QPointF:
        rect = ledger.visualRect(
            ledger.ledger.index(ledger.ledger.line_of(wanted), 0)
        )
        return QPointF(34, rect.top() + part * rect.height())

    start = place(row_id, 0.5)
    hands.drag(start, 0, down=round(place(onto, share).y() - start.y()))


def test_a_row_is_dragged_behind_before_and_into_others(hands: Driver) -> None:
    first = hands.desk.project
    drag_row(hands, "forget", "wary", 0.1)
    assert "1.2.1 Forget it" in hands.names()
    assert hands.desk.row_id == "forget"
    assert hands.desk.documents.history.undo_name == "Move Forget it"
    drag_row(hands, "forget", "look", 0.9)
    drag_row(hands, "forget", "tend", 0.5)
    assert hands.desk.behavior.outline.parent["forget"] == "tend"
    for _ in range(3):
        hands.desk.documents.undo()
    assert hands.desk.project == first


def test_rows_are_not_dropped_where_they_cannot_stand(hands: Driver) -> None:
    first = hands.desk.project
    drag_row(hands, "chk", "look", 0.1)
    drag_row(hands, "keep", "look", 0.5)
    assert hands.desk.project is first
    assert hands.ledger.dragging.drop is None


def test_several_rows_are_dragged_together(hands: Driver) -> None:
    hands.select("1.2.1")
    hands.key(Qt.Key.Key_Down, SHIFT)
    drag_row(hands, "go", "tend", 0.5)
    children = hands.desk.behavior.outline.children["tend"]
    assert children[:2] == ("wary", "go")
    assert hands.ledger.selected_rows == ["wary", "go"]


def test_what_a_variant_has_otherwise_is_marked_and_put_back(
    dog_driver: Driver,
) -> None:
    desk, ledger = dog_driver.desk, dog_driver.ledger
    desk.look_at("stern-warden")
    assert "3 other than in warden" in dog_driver.pane.left.heading()
    marked = {row.id for row in desk.behavior.rows if desk.override_of(row.id)}
    assert marked == {"warn", "esc", "easy"}
    chip, _ = dog_driver.chip("warn", lambda each: each.slot.param == "text")
    assert chip.overridden
    assert not dog_driver.chip(
        "close", lambda each: each.slot.param == "reach"
    )[0].overridden
    desk.select_row("warn")
    dog_driver.key(Qt.Key.Key_C)
    while ledger.focused_chip[0].slot.param != "text":
        dog_driver.key(Qt.Key.Key_C)
    dog_driver.key(Qt.Key.Key_U)
    original = desk.project.behavior("warden").row("warn")
    assert desk.behavior.row("warn").args == original.args
    assert desk.override_of("warn") is not None
    assert desk.documents.history.undo_name == "Follow the original in text"
    ledger.leave_chips()
    dog_driver.key(Qt.Key.Key_U)
    assert desk.override_of("warn") is None
    assert desk.behavior.row("warn") == original
    desk.select_row("easy")
    dog_driver.key(Qt.Key.Key_U)
    assert not desk.behavior.row("easy").muted
    assert {
        row.id for row in desk.behavior.rows if desk.override_of(row.id)
    } == {"esc"}
    assert not dog_driver.pane.actions_by_id["follow"].isEnabled()


def test_rows_that_a_variant_has_put_in_are_taken_back_together(
    dog_driver: Driver,
) -> None:
    desk = dog_driver.desk
    desk.look_at("stern-warden")
    before = desk.behavior.rows
    desk.select_row("forget")
    dog_driver.key(Qt.Key.Key_Delete)
    new = Row(
        id="new1", kind="wait", name="Wait a little", args={"duration": 1.0}
    )
    desk.apply(
        Edit(
            "Add",
            lambda p: insert_row(
                p, "stern-warden", new, after="look", under="chk"
            ),
        )
    )
    assert desk.override_of("new1") is not None
    desk.select_row("new1")
    dog_driver.key(Qt.Key.Key_U)
    assert desk.behavior.rows == before


def test_a_row_that_no_other_kind_can_stand_for_says_so(
    dog_driver: Driver,
) -> None:
    desk = dog_driver.desk
    desk.look_at("stall-keeper")
    option = next(row for row in desk.behavior.rows if row.kind == "option")
    desk.select_row(option.id)
    before = desk.project
    dog_driver.key(Qt.Key.Key_K)
    assert desk.project is before
    assert "No other kind can stand" in dog_driver.messages[-1]
