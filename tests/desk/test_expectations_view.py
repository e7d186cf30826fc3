"""The expectations as sentences: each chip writes its file, and the take is
held against it.
"""

import json
from pathlib import Path

import pytest
from PySide6.QtCore import Qt

from tests.desk.conftest import Driver
from umbrant.desk.chips.values import FieldChip
from umbrant.desk.views.expectations.lines import KINDS, ExpectationState
from umbrant.desk.views.expectations.view import UNSAVED, ExpectationsView
from umbrant.expecting.expectation import (
    Expectation,
    Expected,
    read_expectations,
)
from umbrant.expecting.files import (
    ExpectationError,
    checked_text,
    new_file,
    with_field,
)
from umbrant.model.edits import Edit, rename_row

LAMP = "a-lamp-is-tended-soon.json"


@pytest.fixture
def view(quay_driver: Driver) -> ExpectationsView:
    quay_driver.pane.actions_by_id["show_expectations"].trigger()
    found: ExpectationsView = quay_driver.pane.views.of(ExpectationsView)
    found.setFocus()
    return found


def written(quay: Path, name: str = LAMP) -> dict[str, object]:
    found: dict[str, object] = json.loads(
        (quay / "expectations" / name).read_text()
    )
    return found


def select(view: ExpectationsView, name: str) -> None:
    files = [each.file for each in view.model_.lines]
    view.setCurrentIndex(
        view.model_.index(files.index(f"expectations/{name}"), 0)
    )


def retype(
    hands: Driver, view: ExpectationsView, field: str, text: str
) -> None:
    """Open the chip of a field, and type another value."""
    chip, rect = next(
        each for each in view.chips() if each[0].slot.param == field
    )
    view.edit_chip(chip, rect)
    line = view.editing.line
    assert line is not None
    line.selectAll()
    hands.qtbot.keyClicks(line, text)
    hands.qtbot.keyClick(line, Qt.Key.Key_Return)


def put(view: ExpectationsView, field: str, value: object) -> None:
    """Choose from the list of a chip."""
    chip = next(each for each, _ in view.chips() if each.slot.param == field)
    assert isinstance(chip, FieldChip)
    assert any(choice.value == value for choice in chip.offered)
    view.editing._set(chip, value)


def checked(hands: Driver, view: ExpectationsView) -> None:
    hands.until(lambda: view.model_.is_checked)


def state(view: ExpectationsView) -> ExpectationState:
    return view.model_.states[view.selected_index()]


def test_each_expectation_is_a_line_with_what_the_take_says(
    view: ExpectationsView, quay: Path
) -> None:
    names = [each.file for each in read_expectations(quay)]
    assert [each.file for each in view.model_.lines] == names
    assert len(names) == 13
    states = dict(zip(names, view.model_.states, strict=True))
    assert states[f"expectations/{LAMP}"] is ExpectationState.HOLDS
    assert (
        states["expectations/the-alarm-is-a-share.json"]
        is not ExpectationState.UNKNOWN
    )
    assert ExpectationState.MANY in states.values()
    assert view.heading().startswith("13 expectations · 0 broken")
    assert not view.grab().isNull()


def test_a_number_that_is_typed_over_is_checked_at_once(
    quay_driver: Driver, view: ExpectationsView, quay: Path
) -> None:
    hands = quay_driver
    select(view, LAMP)
    retype(hands, view, "that", "ran(1.1)")
    assert written(quay)["that"] == "ran(1.1)"
    checked(hands, view)
    assert state(view) is ExpectationState.BROKEN
    assert [each.file for each in hands.desk.broken] == [
        f"expectations/{LAMP}"
    ]
    hands.desk.move_playhead(300)
    view.go_to()
    assert hands.desk.playhead == 8 * hands.desk.take.header.ticks_per_s
    assert "broken at 8.00 s by odo" in hands.messages[-1]
    retype(hands, view, "by_s", "30 s")
    checked(hands, view)
    assert state(view) is ExpectationState.HOLDS
    assert hands.desk.broken == ()
    assert written(quay)["by_s"] == 30.0


def test_what_cannot_be_is_told_and_nothing_is_written(
    quay_driver: Driver, view: ExpectationsView, quay: Path
) -> None:
    hands = quay_driver
    select(view, LAMP)
    before = written(quay)
    retype(hands, view, "that", "ran(9.9)")
    assert "9.9" in hands.messages[-1]
    retype(hands, view, "that", " ")
    assert hands.messages[-1] == "Write a condition, such as ran(1.2)."
    retype(hands, view, "by_s", "soon")
    assert "no number" in hands.messages[-1]
    assert written(quay) == before
    select(view, "she-restocks.json")
    retype(hands, view, "between low", "100")
    retype(hands, view, "between high", "40")
    assert "the lower share comes first" in hands.messages[-1]
    assert written(quay, "she-restocks.json")["between"] == [1.0, 1.0]


def test_an_expectation_becomes_one_of_another_kind(
    quay_driver: Driver, view: ExpectationsView, quay: Path
) -> None:
    select(view, LAMP)
    for choice in KINDS:
        put(view, "expect", choice.value)
        checked(quay_driver, view)
        assert written(quay)["expect"] == choice.value
        assert written(quay)["that"] == 'ran("Tend the lamps")'
        assert state(view) is not ExpectationState.UNKNOWN
        view.grab()
    put(view, "of", "brine")
    put(
        view, "scenario", "storm" if "storm" in _scenarios(quay_driver) else ""
    )
    retype(quay_driver, view, "title", "The dog, too")
    assert written(quay)["of"] == "brine"
    assert written(quay)["title"] == "The dog, too"
    assert "The dog, too" in str(view.model_.data(view.currentIndex()))


def _scenarios(hands: Driver) -> list[str]:
    return [each.name for each in hands.desk.project.scenarios]


def test_one_is_added_removed_and_brought_back(
    quay_driver: Driver, view: ExpectationsView, quay: Path
) -> None:
    hands = quay_driver
    hands.desk.select_row("esc")
    view.open_additions()
    assert view.menu is not None
    texts = [each.text() for each in view.menu.actions() if each.text()]
    assert len(texts) == len(KINDS)
    view.menu.close()
    view.add(Expected.BY)
    assert view.selected is not None
    file = view.selected.file
    assert view.selected.expectation == Expectation(
        expect=Expected.BY, that="ran(1.1)", by_s=10.0, of="odo"
    )
    assert len(view.model_.lines) == 14
    assert view.delete()
    assert not (quay / file).exists()
    assert len(view.model_.lines) == 13
    undo, redo = (hands.pane.actions_by_id[each] for each in ("undo", "redo"))
    assert undo.text() == "Undo: Delete expectation: odo: by 10 s ran(1.1)"
    undo.trigger()
    assert (quay / file).exists()
    assert len(view.model_.lines) == 14
    # A step before it, and on again; the documents of the project are as they
    # were.
    project = hands.desk.project
    assert hands.pane.left._heading.text().startswith("14 expectations")
    undo.trigger()
    assert not (quay / file).exists()
    redo.trigger()
    redo.trigger()
    assert not (quay / file).exists()
    assert len(view.model_.lines) == 13
    assert "13 expectations" in hands.pane.left.heading()
    assert hands.pane.left._heading.text() == hands.pane.left.heading()
    assert hands.desk.project is project
    assert not hands.desk.documents.history.unsaved
    checked(hands, view)


def test_steps_of_a_drag_are_one_and_stand_between_other_edits(
    quay_driver: Driver, view: ExpectationsView, quay: Path
) -> None:
    hands = quay_driver
    select(view, LAMP)
    before = written(quay)
    chip = next(each for each, _ in view.chips() if each.slot.param == "by_s")
    for steps in (1, 2, 3):
        view.editing.step(chip, steps, merges="drag 1")
    hands.desk.documents.history.settle()
    assert written(quay)["by_s"] == before["by_s"] + 1.5
    hands.desk.apply(
        Edit("Rename", lambda p: rename_row(p, "warden", "esc", "See to them"))
    )
    retype(hands, view, "by_s", "20")
    assert written(quay)["by_s"] == 20
    undo = hands.pane.actions_by_id["undo"]
    undo.trigger()
    assert written(quay)["by_s"] == before["by_s"] + 1.5
    undo.trigger()
    assert (
        hands.desk.project.behavior("warden").row("esc").name
        == "Escort the visitor"
    )
    undo.trigger()
    assert written(quay) == before
    assert not undo.isEnabled()


def test_a_step_back_is_written_where_the_project_is_by_now(
    quay_driver: Driver, view: ExpectationsView, quay: Path, tmp_path: Path
) -> None:
    hands = quay_driver
    select(view, LAMP)
    before = written(quay)
    retype(hands, view, "by_s", "20")
    hands.desk.documents.save(tmp_path / "elsewhere")
    hands.pane.actions_by_id["undo"].trigger()
    assert written(tmp_path / "elsewhere") == before
    assert written(quay)["by_s"] == 20


def test_a_step_back_that_cannot_be_written_is_told_and_can_be_tried_again(
    quay_driver: Driver,
    view: ExpectationsView,
    quay: Path,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    hands, said = quay_driver, list[str]()
    hands.desk.message.connect(said.append)
    select(view, LAMP)
    before = written(quay)
    put(view, "expect", Expected.ALWAYS)
    with monkeypatch.context() as patch:

        def full(*_: object) -> None:
            raise OSError(28, "No space left on device", LAMP)

        patch.setattr("umbrant.expecting.files.write_atomically", full)
        hands.pane.actions_by_id["undo"].trigger()
    assert (
        said[-1]
        == f"{LAMP}: it could not be written: No space left on device."
    )
    assert written(quay)["expect"] == "always"
    hands.pane.actions_by_id["undo"].trigger()
    assert written(quay) == before


def test_a_project_without_a_folder_says_what_to_do(driver: Driver) -> None:
    said: list[str] = []
    driver.desk.message.connect(said.append)
    driver.pane.actions_by_id["show_expectations"].trigger()
    view = driver.pane.views.of(ExpectationsView)
    assert view.model_.rowCount() == 1
    assert "must be so" in str(view.model_.data(view.model_.index(0, 0)))
    assert driver.desk.documents.folder is None
    view.add(Expected.NEVER)
    assert said == [UNSAVED]
    assert view.delete()
    view.go_to()
    assert not view.grab().isNull()


def test_a_file_of_its_own_and_fields_that_fit(tmp_path: Path) -> None:
    assert new_file(tmp_path) == "expectations/expectation-1.json"
    (tmp_path / "expectations").mkdir()
    for index in (1, 2):
        (tmp_path / "expectations" / f"expectation-{index}.json").write_text(
            "{}"
        )
    assert new_file(tmp_path) == "expectations/expectation-3.json"
    always = Expectation(expect=Expected.ALWAYS, that="ran(1)")
    often = with_field(always, "expect", Expected.OFTEN)
    assert often.between == (0.2, 0.4)
    assert (
        with_field(
            with_field(always, "expect", "whenever"), "expect", "never"
        ).within_s
        is None
    )
    with pytest.raises(ExpectationError, match="between"):
        with_field(often, "between", (0.9, 0.1))
    with pytest.raises(ExpectationError, match="greater than or equal to 0"):
        with_field(always, "times", -1)
    with pytest.raises(ExpectationError, match="Write a condition"):
        checked_text("  ", always, None)
