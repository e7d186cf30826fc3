"""Editing rows and chips by keyboard and mouse."""

import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtWidgets import QApplication

from tests.desk.conftest import Driver
from umbrant.desk.chips.sentence import ChipEditor
from umbrant.model.behaviors import Guard, Key, Row, Watch
from umbrant.model.documents import Project
from umbrant.model.edits import (
    Edit,
    declare_key,
    delete_rows,
    replace_behavior,
)
from umbrant.model.values import KeyRef, KeyType, PlaceRef, Spread

ALT, SHIFT = Qt.KeyboardModifier.AltModifier, Qt.KeyboardModifier.ShiftModifier


def test_enter_searches_the_nodes_and_adds_a_row_whose_empty_chips_are_then_filled(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.select("1.1.1")
    hands.key(Qt.Key.Key_Return)
    assert hands.ledger.search.isVisible()
    hands.type("move")
    assert hands.names()[3] == "1.1.2 Move to"
    new = hands.desk.row
    assert new.kind == "move_to"
    menu = hands.ledger.editing.menu
    assert menu is not None
    assert "last_seen" in [action.text() for action in menu.actions()]
    assert "mood" not in [action.text() for action in menu.actions()]
    next(
        action for action in menu.actions() if action.text() == "last_seen"
    ).trigger()
    menu.close()
    assert hands.desk.row.args == {"target": KeyRef(key="last_seen")}
    hands.settle()
    assert hands.desk.documents.problems == []


def test_a_row_that_is_not_filled_in_is_marked_and_fails_with_its_reason(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.select("1.3")
    hands.key(Qt.Key.Key_Return)
    hands.type("use")
    hands.ledger.editing.menu.close()
    hands.settle()
    assert hands.names()[-2] == "1.3.6 Use"
    assert "`target` of `use` is not filled in" in hands.ledger.ledger._tip(
        hands.desk.row
    )
    hands.select("1.3.6")
    hands.key(Qt.Key.Key_X)
    assert "Use" in hands.reasons()


def test_escape_closes_the_search_and_adds_nothing(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    before = hands.names()
    hands.key(Qt.Key.Key_Return)
    hands.qtbot.keyClick(hands.ledger.search.line, Qt.Key.Key_Escape)
    assert not hands.ledger.search.isVisible()
    assert hands.names() == before


def test_the_search_offers_decorators_and_upkeep_for_the_row(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.select("1.4")
    hands.key(Qt.Key.Key_Return)
    hands.type("time limit")
    hands.select("1.4")
    assert [each.kind for each in hands.desk.row.decorators] == ["time_limit"]


def test_rows_are_nested_un_nested_moved_muted_and_deleted_by_keys_and_undone(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    first = hands.names()
    hands.select("1.4")
    hands.key(Qt.Key.Key_Tab)
    assert hands.names()[-1] == "1.3.6 Stand easy"
    hands.key(Qt.Key.Key_Tab, SHIFT)
    assert hands.names() == first
    hands.key(Qt.Key.Key_Up, ALT)
    assert "1.3 Stand easy" in hands.names()
    hands.key(Qt.Key.Key_Down, ALT)
    assert hands.names() == first
    hands.key(Qt.Key.Key_M)
    assert hands.desk.row.muted
    hands.key(Qt.Key.Key_Delete)
    assert hands.names() == first[:-1]
    assert hands.desk.row.name == "Tend the lamps"
    for _ in range(6):
        hands.desk.documents.undo()
    assert hands.names() == first
    assert not hands.desk.documents.history.unsaved


def test_rename_types_over_the_name(demo_driver: Driver) -> None:
    hands = demo_driver
    hands.select("1.2.2")
    hands.key(Qt.Key.Key_F2)
    hands.type("Run there")
    assert "1.2.2 Run there" in hands.names()


def test_escape_leaves_a_chip_as_it_was(demo_driver: Driver) -> None:
    hands = demo_driver
    hands.click(hands.number_chip("close", "reach")[1].center())
    editor = QApplication.focusWidget()
    hands.qtbot.keyClicks(editor, "99")
    hands.qtbot.keyClick(editor, Qt.Key.Key_Escape)
    assert hands.desk.behavior.row("close").args["reach"] == 2.2
    assert hands.desk.documents.history.undo_name is None


@pytest.mark.parametrize(
    ("typed", "expected"),
    [
        ("3", 3.0),
        ("3 ± 0.5", Spread(mean=3, half_width=0.5)),
        ("lamp_oil", KeyRef(key="lamp_oil")),
    ],
)
def test_a_number_chip_takes_a_number_a_spread_or_a_key(
    demo_driver: Driver, typed: str, expected: object
) -> None:
    hands = demo_driver
    hands.click(hands.number_chip("rest", "duration")[1].center())
    hands.type(typed)
    assert hands.desk.behavior.row("rest").args["duration"] == expected


def test_what_is_no_number_is_told_and_changes_nothing(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.click(hands.number_chip("rest", "duration")[1].center())
    hands.type("a while")
    assert hands.messages == ["'a while' is no number; write 2 or 2 ± 0.5."]
    assert hands.desk.behavior.row("rest").args["duration"] == Spread(
        mean=2, half_width=0.5
    )


def test_chips_are_walked_and_changed_by_keyboard_alone(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.select("1.1.1")
    hands.key(Qt.Key.Key_C)
    hands.key(Qt.Key.Key_Right)
    chip, _ = hands.ledger.focused_chip
    assert chip.slot.param == "reach"
    hands.key(Qt.Key.Key_Up)
    hands.key(Qt.Key.Key_Up)
    hands.key(Qt.Key.Key_Down, SHIFT)
    assert hands.desk.row.args["reach"] == pytest.approx(2.39)
    hands.key(Qt.Key.Key_Return)
    hands.type("1.5")
    assert hands.desk.row.args["reach"] == 1.5
    hands.key(Qt.Key.Key_Escape)
    assert hands.ledger.focused_chip is None


def test_a_condition_typed_into_the_search_is_offered_as_a_check_and_as_a_guard(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.select("1.1.1")
    hands.key(Qt.Key.Key_Return)
    search = hands.ledger.search
    hands.qtbot.keyClicks(search.line, "see visitor within 6 m")
    offered = [search.offer_at(index) for index in range(2)]
    assert [(each.title, each.place) for each in offered] == [
        ("check", "condition"),
        ("guard", "on 1.1.1 Close in"),
    ]
    hands.qtbot.keyClick(search.line, Qt.Key.Key_Down)
    hands.qtbot.keyClick(search.line, Qt.Key.Key_Return)
    assert (
        hands.desk.behavior.row("close").guard.when
        == "can_see(visitor, within=6)"
    )
    hands.key(Qt.Key.Key_Return)
    hands.qtbot.keyClicks(search.line, "see visitor within 6 m")
    hands.qtbot.keyClick(search.line, Qt.Key.Key_Return)
    assert hands.desk.row.kind == "check"
    assert hands.desk.row.args == {"when": "can_see(visitor, within=6)"}


def test_a_condition_is_typed_as_it_is_read(demo_driver: Driver) -> None:
    hands = demo_driver
    hands.select("1.1.1")
    hands.key(Qt.Key.Key_G)
    editor = hands.ledger.editing.line
    hands.qtbot.keyClicks(editor, "can see visiter within 6 m")
    assert (
        editor._fault.text()
        == "`visiter` is not understood here. Did you mean 'visitor'?"
    )
    assert editor._fault.y() < editor.y(), (
        "the words that are offered stand below"
    )
    editor.selectAll()
    hands.qtbot.keyClicks(
        editor, "see visitor within 6 m and last_seen is not set"
    )
    assert not editor._fault.isVisible()
    hands.qtbot.keyClick(editor, Qt.Key.Key_Return)
    guard = hands.desk.behavior.row("close").guard
    assert guard.when == "can_see(visitor, within=6) and not is_set(last_seen)"


def test_a_condition_is_typed_and_says_what_is_wrong_while_it_is(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.select("1.1.1")
    hands.key(Qt.Key.Key_G)
    editor = hands.ledger.editing.line
    hands.qtbot.keyClicks(editor, "lamp_ol > 0.5")
    assert editor._fault.isVisible()
    assert "Did you mean 'lamp_oil'?" in editor._fault.text()
    editor.selectAll()
    hands.qtbot.keyClicks(editor, "lamp_oil > 0.5")
    assert not editor._fault.isVisible()
    hands.qtbot.keyClick(editor, Qt.Key.Key_Return)
    assert hands.desk.behavior.row("close").guard.when == "lamp_oil > 0.5"


def test_a_guard_is_typed_with_when_it_is_asked(demo_driver: Driver) -> None:
    hands = demo_driver
    hands.select("1.1.1")
    hands.key(Qt.Key.Key_G)
    editor = hands.ledger.editing.line
    hands.qtbot.keyClicks(editor, "can see visitor within 6 m, thr")
    assert [each.title for each in editor.completing.shown] == ["throughout"]
    hands.qtbot.keyClick(editor, Qt.Key.Key_Tab)
    assert not editor._fault.isVisible()
    hands.qtbot.keyClick(editor, Qt.Key.Key_Return)
    guard = hands.desk.behavior.row("close").guard
    assert (guard.when, guard.watch) == (
        "can_see(visitor, within=6)",
        Watch.THROUGHOUT,
    )
    hands.key(Qt.Key.Key_G)
    editor = hands.ledger.editing.line
    editor.selectAll()
    hands.qtbot.keyClicks(editor, "visitor_seen")
    hands.qtbot.keyClick(editor, Qt.Key.Key_Return)
    guard = hands.desk.behavior.row("close").guard
    assert (guard.when, guard.watch) == ("visitor_seen", Watch.THROUGHOUT), (
        "it stays"
    )


def test_a_condition_is_completed_phrase_by_phrase_and_blank_by_blank(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.select("1.1.1")
    hands.key(Qt.Key.Key_G)
    editor = hands.ledger.editing.line
    listed = editor.completing
    assert listed.isVisible(), "an empty condition offers what it can be"
    hands.qtbot.keyClicks(editor, "can s")
    hands.qtbot.keyClick(editor, Qt.Key.Key_Down)
    hands.qtbot.keyClick(editor, Qt.Key.Key_Down)
    hands.qtbot.keyClick(editor, Qt.Key.Key_Tab)
    assert editor.text() == "can see ‹target› within ‹100 m›"
    assert editor.selectedText() == "‹target›"
    assert not editor._fault.isVisible(), (
        "what is still to be filled in is no fault"
    )
    assert "visitor" in [each.title for each in listed.shown]
    assert "shed" not in [each.title for each in listed.shown]
    hands.qtbot.keyClicks(editor, "vis")
    hands.qtbot.keyClick(editor, Qt.Key.Key_Tab)
    assert editor.text() == "can see visitor within ‹100 m›"
    assert editor.selectedText() == "‹100 m›"
    hands.qtbot.keyClicks(editor, "6")
    hands.qtbot.keyClick(editor, Qt.Key.Key_Return)
    assert (
        hands.desk.behavior.row("close").guard.when
        == "can_see(visitor, within=6)"
    )


def test_enter_goes_to_a_blank_that_is_left_and_escape_closes_the_list_first(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.select("1.1.1")
    hands.key(Qt.Key.Key_G)
    editor = hands.ledger.editing.line
    hands.qtbot.keyClicks(editor, "dist")
    hands.qtbot.keyClick(editor, Qt.Key.Key_Tab)
    editor.deselect()
    hands.qtbot.keyClick(editor, Qt.Key.Key_Return)
    assert editor.isVisible()
    assert editor.selectedText() == "‹target›"
    hands.qtbot.keyClick(editor, Qt.Key.Key_Escape)
    assert editor.isVisible()
    assert not editor.completing.isVisible()
    hands.qtbot.keyClick(editor, Qt.Key.Key_Escape)
    assert hands.desk.behavior.row("close").guard.when == "yes"


def test_what_is_wrong_and_what_can_be_written_never_cover_each_other(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    for row in ("1", "1.1.1"):
        hands.select(row)
        hands.key(Qt.Key.Key_G)
        editor = hands.ledger.editing.line
        editor.selectAll()
        hands.qtbot.keyClicks(editor, "lamp_oil > 3 and dog")
        assert editor._fault.isVisible()
        fault, listed = editor._fault.geometry(), editor.completing
        assert not listed.isVisible() or not fault.intersects(
            listed.geometry()
        )
        assert not fault.intersects(editor.geometry())
        hands.qtbot.keyClick(editor, Qt.Key.Key_Escape)
        hands.qtbot.keyClick(editor, Qt.Key.Key_Escape)


def test_delete_on_a_guards_chip_takes_only_the_guard_off(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.select("1.1")
    hands.key(Qt.Key.Key_C)
    assert hands.ledger.focused_chip[0].slot.part == "guard"
    hands.key(Qt.Key.Key_Delete)
    assert hands.desk.behavior.row("esc").guard is None


def test_the_watch_is_picked_from_a_list(demo_driver: Driver) -> None:
    hands = demo_driver
    _, rect = hands.chip("esc", lambda chip: chip.editor is ChipEditor.WATCH)
    hands.click(rect.center())
    menu = hands.ledger.editing.menu
    assert [action.text() for action in menu.actions()][:4] == [
        "on entry",
        "while running",
        "take over",
        "throughout",
    ]
    menu.actions()[1].trigger()
    menu.close()
    assert hands.desk.behavior.row("esc").guard.watch == "while running"


def test_a_new_key_is_made_in_place(demo_driver: Driver) -> None:
    hands = demo_driver
    _, rect = hands.chip("forget", lambda chip: chip.slot.param == "key")
    hands.click(rect.center())
    hands.answers.texts = ["hunch"]
    menu = hands.ledger.editing.menu
    next(
        action for action in menu.actions() if action.text() == "New key…"
    ).trigger()
    menu.close()
    assert hands.desk.behavior.row("forget").args == {
        "key": KeyRef(key="hunch")
    }
    assert (
        hands.desk.project.blackboard("quay").by_name["hunch"].type
        is KeyType.YES_NO
    )
    hands.desk.documents.undo()
    assert "hunch" not in hands.desk.project.blackboard("quay").by_name


def test_a_key_with_an_impossible_name_is_refused_with_the_rule(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    chip, _ = hands.chip("forget", lambda chip: chip.slot.param == "key")
    hands.answers.texts = ["My Key"]
    hands.ledger.editing.new_key(chip, chip.param.keys)
    assert "small letters" in hands.messages[-1]
    assert not hands.desk.documents.history.unsaved


def test_folding_hides_what_is_inside_and_selecting_it_unfolds(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.select("1.1")
    hands.key(Qt.Key.Key_F)
    assert hands.ledger.ledger.line_of("close") == -1
    hands.desk.select_row("warn")
    assert hands.ledger.ledger.line_of("warn") == 4


def test_all_parameters_shows_those_at_their_default(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.select("1.1.1")
    assert "pace" not in [chip.slot.param for chip, _ in hands.ledger.chips()]
    hands.key(Qt.Key.Key_A)
    assert "pace" in [chip.slot.param for chip, _ in hands.ledger.chips()]


def test_text_is_nowhere_cut_off_in_the_outline(demo_driver: Driver) -> None:
    """Every piece of every row lies inside its cell, and no two overlap, at
    the full and at a narrow width.
    """
    hands = demo_driver
    for width in (456, 300):
        hands.ledger.setColumnWidth(0, width)
        hands.ledger.lay_out_again()
        for row in hands.desk.behavior.rows:
            layout = hands.ledger.layout_of(row)
            for place, each in enumerate(layout.placed):
                assert each.rect.right() <= width
                assert each.rect.bottom() <= layout.height
                assert (
                    each.rect.width() + 0.5
                    >= hands.ledger.brushes.fonts.width(each.piece)
                )
                assert not any(
                    each.rect.intersects(other.rect)
                    for other in layout.placed[place + 1 :]
                )


def test_clicking_beside_everything_changes_nothing(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.click(QPointF(5, hands.ledger.viewport().height() - 3))
    hands.click(QPointF(445, 10))
    assert hands.desk.documents.history.undo_name is None


def _add(hands: Driver, typed: str) -> str:
    """Add a row after or in the selected one by typing, and say which it is;
    open chips are left as they are.
    """
    hands.key(Qt.Key.Key_Return)
    hands.type(typed)
    for _ in range(3):
        if hands.ledger.editing.line is not None:
            hands.ledger.editing.line.cancel()
        if hands.ledger.editing.menu is not None:
            hands.ledger.editing.menu.close()
    return hands.desk.row_id


def test_a_machine_is_written_by_typing_with_what_fits_offered_at_each_place(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.desk.select_row("keep")
    machine = _add(hands, "machine")
    first = _add(hands, "state")
    assert hands.desk.row is not None
    assert (hands.desk.row.kind, hands.desk.row.under) == ("state", machine)
    wait = _add(hands, "wait")
    assert hands.desk.row.under == first
    after = _add(hands, "after")
    assert (
        hands.desk.row.kind,
        hands.desk.row.under,
        hands.desk.row.name,
    ) == (
        "after",
        first,
        "",
    )
    hands.desk.select_row(machine)
    second = _add(hands, "state")
    chip, rect = hands.chip(after, lambda each: each.label == "to")
    hands.ledger.editing.pick(chip, rect)
    menu = hands.ledger.editing.menu
    assert menu is not None
    offered = [action.text() for action in menu.actions() if action.text()]
    assert offered[:2] == ["State", "State"]
    [action for action in menu.actions() if action.text() == "State"][
        1
    ].trigger()
    menu.close()
    assert (
        hands.desk.project.behavior("warden").row(after).args["to"] == second
    )
    problems = [
        str(each)
        for each in hands.desk.documents.problems
        if each.row_id in (machine, first, second, after, wait)
    ]
    assert problems == []


def test_a_utility_is_written_by_typing_and_its_formula_and_curve_are_chips(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.desk.select_row("keep")
    _add(hands, "utility")
    option = _add(hands, "option")
    consider = _add(hands, "consider")
    assert hands.desk.row is not None
    assert hands.desk.row.under == option
    chip, rect = hands.chip(consider, lambda each: each.label == "input")
    hands.ledger.editing.begin(chip, rect)
    hands.type("lamp_oil")
    assert (
        hands.desk.project.behavior("warden").row(consider).args["input"]
        == "lamp_oil"
    )
    curve, rect = hands.chip(consider, lambda each: each.label == "curve")
    hands.ledger.editing.begin(curve, rect)
    menu = hands.ledger.editing.menu
    assert menu is not None
    next(
        action for action in menu.actions() if action.text() == "bell"
    ).trigger()
    menu.close()
    assert (
        hands.desk.project.behavior("warden").row(consider).args["curve"].shape
        == "bell"
    )


def test_what_is_being_typed_is_kept_where_it_belongs_when_another_agent_is_looked_at(
    quay_driver: Driver,
) -> None:
    hands = quay_driver
    hands.desk.select_row("esc")
    hands.ledger.rename()
    assert hands.ledger.editing.line is not None
    hands.ledger.editing.line.setText("Shadow the visitor")
    hands.desk.select_agent("mila")
    hands.ledger.editing.finish()
    assert (
        hands.desk.project.behavior("warden").row("esc").name
        == "Shadow the visitor"
    )


@pytest.mark.parametrize(
    ("text", "kind", "args"),
    [
        (
            "move visitor 1.5",
            "move_to",
            {"target": KeyRef(key="visitor"), "reach": 1.5},
        ),
        (
            "move lamp_gate run",
            "move_to",
            {"target": "lamp_gate", "pace": "run"},
        ),
        ("wait 3 ± 1", "wait", {"duration": Spread(mean=3, half_width=1)}),
        ("say Who goes there?", "say", {"text": "Who goes there?"}),
        (
            "check distance(visitor) < 6",
            "check",
            {"when": "distance(visitor) < 6"},
        ),
    ],
)
def test_what_is_typed_after_a_kind_fills_its_chips(
    demo_driver: Driver, text: str, kind: str, args: dict[str, object]
) -> None:
    hands = demo_driver
    hands.select("1.1.1")
    hands.key(Qt.Key.Key_Return)
    hands.type(text)
    row = hands.desk.row
    assert (row.kind, row.args) == (kind, args)


@pytest.mark.parametrize(
    ("text", "kind", "args"),
    [
        ("after 2 s -> Away", "after", {"time": 2.0, "to": "away"}),
        ("after 2 to 4 s", "after", {"time": Spread(mean=3, half_width=1)}),
        (
            "after 2 if lamp_oil is above 0.5 -> Away",
            "after",
            {"time": 2.0, "to": "away", "when": "lamp_oil > 0.5"},
        ),
        (
            "when distance to visitor < 6 -> Away",
            "when",
            {"when": "distance(visitor) < 6", "to": "away"},
        ),
        (
            "on event thunder -> Away",
            "on_event",
            {"event": "thunder", "to": "away"},
        ),
    ],
)
def test_a_transition_is_typed_with_its_time_its_condition_and_where_it_leads(
    demo_driver: Driver, text: str, kind: str, args: dict[str, object]
) -> None:
    hands = demo_driver
    rows = (
        Row(id="mm", kind="machine", name="Day"),
        Row(id="home", under="mm", kind="state", name="Home"),
        Row(id="away", under="mm", kind="state", name="Away"),
    )
    hands.desk.apply(
        Edit("Day", lambda p: replace_behavior(p, "warden", rows))
    )
    hands.desk.select_row("home")
    hands.key(Qt.Key.Key_Return)
    hands.type(text)
    row = hands.desk.row
    assert (row.kind, row.under, row.args) == (kind, "home", args)


def test_a_consideration_takes_over_the_range_of_its_key(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    rows = (
        Row(id="uu", kind="utility", name="Choose"),
        Row(id="oo", under="uu", kind="option", name="Rest"),
    )
    tired = Key(name="tired", type=KeyType.NUMBER, low=0, high=100)

    def make(project: Project) -> Project:
        return replace_behavior(
            declare_key(project, "quay", tired), "warden", rows
        )

    hands.desk.apply(Edit("Choose", make))
    hands.desk.select_row("oo")
    hands.key(Qt.Key.Key_Return)
    hands.type("consider tired")
    assert hands.desk.row.args == {"input": "tired", "low": 0.0, "high": 100.0}
    hands.desk.select_row("oo")
    hands.key(Qt.Key.Key_Return)
    hands.type("consider")
    hands.qtbot.keyClicks(hands.ledger.editing.line, "tired")
    hands.qtbot.keyClick(hands.ledger.editing.line, Qt.Key.Key_Return)
    assert hands.desk.row.args == {"input": "tired", "low": 0.0, "high": 100.0}


def test_a_sentence_offers_its_rows_one_after_the_other(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.select("1.4")
    before = hands.desk.project
    hands.key(Qt.Key.Key_Return)
    hands.qtbot.keyClicks(
        hands.ledger.search.line,
        "wait 2 to 4 s, then go to the gate then qwxyz",
    )
    assert hands.ledger.search.offer_at(0).place != "3 rows", "that is no row"
    hands.ledger.search.line.clear()
    hands.type("wait 2 to 4 s, then go to the gate and then look about")
    behavior = hands.desk.project.behavior("warden")
    rows = [
        each
        for each in behavior.rows
        if each not in before.behavior("warden").rows
    ]
    assert [each.kind for each in rows] == [
        "sequence",
        "wait",
        "move_to",
        "look_about",
    ]
    assert rows[1].args == {"duration": Spread(mean=3.0, half_width=1.0)}
    assert rows[2].args == {"target": PlaceRef(place="gate")}
    assert [each.under for each in rows[1:]] == [rows[0].id] * 3
    assert hands.desk.row.kind == "wait"
    hands.settle()
    assert hands.desk.documents.problems == []
    hands.pane.actions_by_id["undo"].trigger()
    assert hands.desk.project == before


def test_a_sentence_may_begin_with_its_condition(demo_driver: Driver) -> None:
    hands = demo_driver
    top = hands.desk.behavior.rows[0]
    for word, watch, index in (
        ("if", Watch.ON_ENTRY, -1),
        ("when", Watch.TAKE_OVER, 0),
        ("whenever", Watch.THROUGHOUT, 0),
        ("while", Watch.WHILE_RUNNING, -1),
    ):
        before = hands.desk.project
        hands.select("1")
        hands.key(Qt.Key.Key_Return)
        hands.type(f"{word} lamp_oil under 0.3: wait 2 to 4; look about")
        behavior = hands.desk.project.behavior("warden")
        around = [row for row in behavior.rows if row.under == top.id][index]
        assert around.guard == Guard(when="lamp_oil < 0.3", watch=watch)
        assert (around.kind, around.name) == ("sequence", "Wait")
        assert [
            each.kind
            for each in [
                row for row in behavior.rows if row.under == around.id
            ]
        ] == [
            "wait",
            "look_about",
        ]
        hands.pane.actions_by_id["undo"].trigger()
        assert hands.desk.project == before
    hands.select("1.4")
    hands.key(Qt.Key.Key_Return)
    hands.type("if lamp_oil under 0.3: wait 2")
    assert hands.desk.row.kind == "wait"
    assert hands.desk.row.guard == Guard(when="lamp_oil < 0.3")
    hands.key(Qt.Key.Key_Return)
    search = hands.ledger.search
    search.line.setText("when can_see(visitor, within=8): wait 2; look about")
    assert search.offer_at(0).phrase == "if can see visitor within 8 m"
    assert "asked also while a later sibling runs" in search.help.text()


def test_a_sentence_whose_condition_is_wrong_says_so_and_adds_nothing(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    before = hands.desk.project
    hands.select("1")
    hands.key(Qt.Key.Key_Return)
    search = hands.ledger.search
    hands.qtbot.keyClicks(search.line, "when lamp_oyl under 0.3: wait 2")
    assert search.offer_at(0) is None
    assert "lamp_oyl" in search.help.text()
    assert "lamp_oil" in search.help.text(), "what would be right"
    hands.qtbot.keyClick(search.line, Qt.Key.Key_Return)
    assert search.isVisible()
    search.line.setText("when lamp_oil under 0.3: qwxyz 2")
    assert search.offer_at(0) is None
    assert "lamp_oyl" not in search.help.text()
    hands.qtbot.keyClick(search.line, Qt.Key.Key_Escape)
    assert hands.desk.project == before


def test_tab_completes_a_name_in_the_search(demo_driver: Driver) -> None:
    hands = demo_driver
    hands.select("1")
    hands.key(Qt.Key.Key_Return)
    search = hands.ledger.search
    hands.qtbot.keyClicks(search.line, "f")
    assert search.completion == "", "the first word says what is searched for"
    hands.qtbot.keyClicks(search.line, "ollow vis")
    assert search.help.text().endswith("Tab: visitor")
    hands.qtbot.keyClick(search.line, Qt.Key.Key_Tab)
    assert search.line.text() == "follow visitor"
    assert search.isVisible()
    assert "Tab" not in search.help.text(), "there is no more to complete"
    hands.qtbot.keyClick(search.line, Qt.Key.Key_Return)
    assert hands.desk.row.args["target"] == KeyRef(key="visitor")


def test_options_are_made_of_a_list_of_keys_and_numbers(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    rows = (Row(id="uu", kind="utility", name="Choose"),)
    tired = Key(name="tired", type=KeyType.NUMBER, low=0, high=100)

    def make(project: Project) -> Project:
        return replace_behavior(
            declare_key(project, "quay", tired), "warden", rows
        )

    hands.desk.apply(Edit("Choose", make))
    hands.desk.select_row("uu")
    hands.key(Qt.Key.Key_Return)
    hands.type("options tired, lamp_oil, nothing_like_it")
    made = hands.desk.project.behavior("warden").rows
    assert [(each.kind, each.name) for each in made[1:]] == [
        ("option", "Tired"),
        ("consider", ""),
        ("option", "Lamp oil"),
        ("consider", ""),
    ]
    assert made[2].args == {"input": "tired", "low": 0.0, "high": 100.0}
    assert "“nothing_like_it” fits nothing here" in hands.messages[-1]


def test_in_a_sequence_the_rows_of_a_sentence_need_none_of_their_own(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.select("1.1.1")
    hands.key(Qt.Key.Key_Return)
    hands.type("stop; wait 1")
    assert hands.names()[3:5] == ["1.1.2 Stop", "1.1.3 Wait"]


def test_what_stands_behind_a_word_of_intent_fills_its_chips(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.select("1.1.1")
    hands.key(Qt.Key.Key_Return)
    hands.type("go to the gate")
    assert hands.desk.row.kind == "move_to"
    assert hands.desk.row.args == {"target": PlaceRef(place="gate")}


def test_a_row_is_added_though_what_the_search_was_opened_at_is_gone(
    demo_driver: Driver,
) -> None:
    demo_driver.desk.select_row("look")
    demo_driver.key(Qt.Key.Key_Return)
    search = demo_driver.ledger.search.line
    warden = demo_driver.desk.project.behavior("warden")
    demo_driver.desk.apply(
        Edit("Delete", lambda project: delete_rows(project, "warden", ["chk"]))
    )
    demo_driver.desk.select_row("tend")
    search.setFocus()
    demo_driver.type("wait")
    assert demo_driver.desk.row is not None
    assert demo_driver.desk.row.kind == "wait"
    assert (
        demo_driver.desk.behavior.outline.parent[demo_driver.desk.row_id]
        == "tend"
    )
    demo_driver.desk.documents.undo()
    demo_driver.desk.documents.undo()
    assert demo_driver.desk.project.behavior("warden") == warden
