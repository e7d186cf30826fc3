"""Finding one's way in large projects: the setting, the lanes and the stage."""

import pytest
from benchmarks.crowded import crowded
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtWidgets import QApplication, QLineEdit, QWidget

from tests.conftest import DEMO
from tests.desk.conftest import Driver
from umbrant.catalog.validation import open_project
from umbrant.desk.session.numbered_take import MOST_NOTICED, noticed_in
from umbrant.desk.views.blackboard import BlackboardView
from umbrant.desk.views.lanes.rows import LaneOrder, lane_rows, odd_ones
from umbrant.desk.views.lanes.view import MOST_SHOWN
from umbrant.desk.views.reasons import ReasonsView
from umbrant.desk.views.registry import VIEWS
from umbrant.desk.views.spec import Side
from umbrant.desk.views.stage.look import look_of
from umbrant.desk.widgets.height_by_use import MOST_SHARE, ROOM
from umbrant.model.folder import save_project
from umbrant.model.paths import at
from umbrant.model.staging import Cue, TakeAway
from umbrant.reasons.decision_changes import LeadingSpan
from umbrant.rolling.roll import RollOrder, roll
from umbrant.take.reader import read_take


@pytest.fixture(scope="module")
def crowd(tmp_path_factory: pytest.TempPathFactory):  # type: ignore[no-untyped-def]
    """A folder with sixty more of the cast, two hundred props, and a machine
    of forty states.
    """
    folder = tmp_path_factory.mktemp("crowd") / "crowd"
    project = crowded(open_project(DEMO))
    short = tuple(
        each.model_copy(update={"seconds": 5.0}) for each in project.scenarios
    )
    save_project(project.model_copy(update={"scenarios": short}), folder)
    return folder


@pytest.fixture
def crowd_driver(driver: Driver, crowd) -> Driver:  # type: ignore[no-untyped-def]
    assert driver.open(crowd)
    return driver


def press(hands: Driver, key: Qt.Key | str) -> None:
    """Press one key in whatever has the keyboard."""
    target = QApplication.focusWidget()
    assert target is not None
    if isinstance(key, str):
        hands.qtbot.keyClicks(target, key)
    else:
        hands.qtbot.keyClick(target, key)


# who has room


def test_the_key_of_a_view_that_is_shown_puts_the_keyboard_into_it(
    demo_driver: Driver,
) -> None:
    pane = demo_driver.pane
    pane.ledger.setFocus()
    for spec in VIEWS:
        if spec.side is Side.RIGHT and spec.id != pane.right.shown:
            pane.actions_by_id[spec.action].trigger()
            assert pane.right.shown == spec.id
            assert pane.ledger.hasFocus()
            pane.actions_by_id[spec.action].trigger()
            assert pane.views[spec.id].hasFocus()
            pane.ledger.setFocus()
    # From a field within a view the next pane is the one after that view.
    field = QLineEdit(pane.right.view)
    field.show()
    field.setFocus()
    assert not pane.right.view.hasFocus()
    pane.actions_by_id["next_pane"].trigger()
    assert pane.views.of(ReasonsView).hasFocus()


def test_the_pane_that_the_keyboard_comes_to_has_room(
    quay_driver: Driver,
) -> None:
    hands, pane = quay_driver, quay_driver.pane
    down = pane.down

    def height_of(view: QWidget) -> int:
        index = next(
            i for i in range(down.count()) if down.widget(i).isAncestorOf(view)
        )
        return down.sizes()[index]

    most = min(ROOM, int(sum(down.sizes()) * MOST_SHARE))
    blackboard, reasons = (
        pane.views.of(BlackboardView),
        pane.views.of(ReasonsView),
    )
    assert height_of(blackboard) < most
    seen = []
    for _ in range(12):
        hands.pane.actions_by_id["next_pane"].trigger()
        QApplication.processEvents()
        for view in (pane.stage, reasons, blackboard):
            if view.hasFocus():
                assert height_of(view) >= most - 1
                seen.append(view)
    assert {*map(id, seen)} == {id(pane.stage), id(reasons), id(blackboard)}
    # What was dragged larger stays so, and the mouse moves nothing away from
    # under it.
    pane.ledger.setFocus()
    down.setSizes([80, 420, 80])
    before = down.sizes()
    reasons.setFocus(Qt.FocusReason.TabFocusReason)
    assert down.sizes() == before
    hands.qtbot.mouseClick(blackboard.viewport(), Qt.MouseButton.LeftButton)
    assert down.sizes() == before


# the setting


def test_many_of_a_kind_are_one_line_that_opens(quay_driver: Driver) -> None:
    hands, setting = quay_driver, quay_driver.pane.setting
    hands.pane.actions_by_id["show_setting"].trigger()
    texts = [line.text for line in setting.setting.lines]
    assert any(
        text.startswith("props lamps × 6 · lamp_west, ") for text in texts
    )
    assert not any("prop lamp_west" in text for text in texts)
    path = next(
        line.path for line in setting.setting.lines if "lamps × 6" in line.text
    )
    setting.select_path(path)
    hands.key(Qt.Key.Key_F, to=setting)
    texts = [line.text for line in setting.setting.lines]
    assert sum("prop lamp_" in text for text in texts) == 6
    assert setting.line.path == path
    hands.key(Qt.Key.Key_F, to=setting)
    assert not any("prop lamp_" in line.text for line in setting.setting.lines)


def test_what_is_folded_away_is_opened_to_be_looked_at(
    quay_driver: Driver,
) -> None:
    hands, setting = quay_driver, quay_driver.pane.setting
    hands.pane.actions_by_id["show_setting"].trigger()
    stage = hands.desk.project.stages[0]
    index = next(
        i for i, prop in enumerate(stage.props) if prop.name == "crate_3"
    )
    path = ("stages", stage.name, "props", index)
    assert setting.setting.line_of(path) < 0
    hands.pane.stage.picked.emit(path)
    assert setting.line.path == path
    assert hands.pane.stage.about == path
    # Without opening, its line stands for it.
    setting.setting.fold(setting.setting.nearest_around(path) or path)
    many = next(
        line for line in setting.setting.lines if "crates × 5" in line.text
    )
    setting.select_path(path)
    assert setting.line.path == many.path


def test_the_section_stays_in_sight(quay_driver: Driver) -> None:
    hands, setting = quay_driver, quay_driver.pane.setting
    hands.pane.actions_by_id["show_setting"].trigger()
    setting.verticalScrollBar().setValue(setting.verticalScrollBar().maximum())
    assert setting.where.text().startswith("Scenarios › ")
    hands.qtbot.mouseClick(
        setting.where.viewport(), Qt.MouseButton.LeftButton, pos=QPoint(60, 10)
    )
    assert setting.line.path[0] == "scenarios"
    assert len(setting.line.path) == 2


def test_a_filter_narrows_the_setting(quay_driver: Driver) -> None:
    hands, setting = quay_driver, quay_driver.pane.setting
    hands.pane.actions_by_id["filter"].trigger()
    assert hands.pane.command_context.in_setting
    press(hands, "crate_4")
    texts = [line.text for line in setting.setting.lines]
    assert sum("prop crate_" in text for text in texts) == 1
    assert len(texts) < 6
    press(hands, Qt.Key.Key_Return)
    assert setting.hasFocus()
    assert "crate_4" in setting.line.text
    hands.pane.actions_by_id["filter"].trigger()
    press(hands, Qt.Key.Key_Escape)
    assert setting.where.filter_line.text() == ""
    assert len(setting.setting.lines) > 40
    assert "crate_4" in setting.line.text or "crates × 5" in setting.line.text


def test_a_filter_that_nothing_fits_shows_nothing_and_breaks_nothing(
    quay_driver: Driver,
) -> None:
    hands, setting = quay_driver, quay_driver.pane.setting
    hands.pane.actions_by_id["filter"].trigger()
    press(hands, "no such thing anywhere")
    assert setting.setting.lines == []
    press(hands, Qt.Key.Key_Return)
    for key in (
        Qt.Key.Key_Down,
        Qt.Key.Key_F,
        Qt.Key.Key_Delete,
        Qt.Key.Key_J,
        Qt.Key.Key_C,
    ):
        hands.key(key, to=setting)
    hands.pane.actions_by_id["filter"].trigger()
    press(hands, Qt.Key.Key_Escape)
    assert setting.setting.lines


@pytest.mark.parametrize(
    ("typed", "wanted"),
    [
        ("_137", "prop rope_137"),
        ("d_44", "cast guard_44"),
        ("bo", "cast bo"),
        ("jetty", "place"),
    ],
)
def test_any_line_of_a_large_project_is_eight_presses_away(
    crowd_driver: Driver, typed: str, wanted: str
) -> None:
    hands, setting = crowd_driver, crowd_driver.pane.setting
    hands.pane.actions_by_id["show_setting"].trigger()
    setting.setFocus()
    hands.key(Qt.Key.Key_Slash, to=setting)
    press(hands, typed)
    press(hands, Qt.Key.Key_Return)
    assert setting.line.text.startswith(wanted)
    assert len(typed) + 2 <= 8


# uses


def test_a_key_leads_to_the_rows_that_use_it_and_back(
    quay_driver: Driver,
) -> None:
    hands, setting = quay_driver, quay_driver.pane.setting
    hands.pane.actions_by_id["show_setting"].trigger()
    keys = at(hands.desk.project, ("blackboards", "quay", "keys"))
    path = (
        "blackboards",
        "quay",
        "keys",
        [each.name for each in keys].index("lamp_oil"),
    )
    setting.unfold_to(path)
    hands.key(Qt.Key.Key_J, to=setting)
    popup = hands.pane.finder.uses
    assert popup.isVisible()
    press(hands, Qt.Key.Key_Return)
    assert not hands.pane.command_context.in_setting
    assert "lamp_oil" in hands.desk.row.model_dump_json()
    hands.key(Qt.Key.Key_J, Qt.KeyboardModifier.ShiftModifier)
    assert hands.pane.command_context.in_setting
    assert setting.line.path == path


def test_what_is_used_nowhere_says_so(quay_driver: Driver) -> None:
    hands, setting = quay_driver, quay_driver.pane.setting
    hands.pane.actions_by_id["show_setting"].trigger()
    setting.unfold_to(("behaviors", "stern-warden"))
    hands.key(Qt.Key.Key_J, to=setting)
    assert "is used nowhere yet" in hands.messages[-1]


# the lanes


def test_lanes_leave_room_for_the_tables(crowd_driver: Driver) -> None:
    hands, lanes = crowd_driver, crowd_driver.pane.lanes
    flocks = [
        row
        for row in lanes.rows()
        if row.kind and row.title.startswith("flock")
    ]
    assert [row.title for row in flocks] == [
        f"flock_{index} × 15" for index in range(4)
    ]
    assert lanes.height() < 220
    hands.desk.select_agent("guard_3")
    lanes.setFocus()
    hands.key(Qt.Key.Key_Return, to=lanes)
    assert len(lanes.rows()) == 5 + 4 + 15
    assert lanes.sizeHint().height() < (MOST_SHOWN + 2) * 18 + 12
    assert lanes._bar.isVisible()
    # Walking on goes from one to the next, and scrolls.
    for _ in range(13):
        hands.key(Qt.Key.Key_Down, to=lanes)
    assert hands.desk.agent == "guard_16"
    assert lanes._bar.value() > 0
    row = lanes._row_at(lanes._top() + 2)
    assert row == lanes.rows()[lanes._bar.value()]
    hands.desk.select_agent("guard_3")
    hands.key(Qt.Key.Key_Return, to=lanes)
    assert len(lanes.rows()) == 5 + 4


def test_a_lane_of_many_is_opened_with_the_mouse(crowd_driver: Driver) -> None:
    hands, lanes = crowd_driver, crowd_driver.pane.lanes
    place = next(index for index, row in enumerate(lanes.rows()) if row.kind)
    y = int(lanes._top()) + 18 * (place - lanes._bar.value()) + 5
    hands.qtbot.mouseClick(lanes, Qt.MouseButton.LeftButton, pos=QPoint(14, y))
    assert any(row.is_inside for row in lanes.rows())
    hands.qtbot.mouseClick(lanes, Qt.MouseButton.LeftButton, pos=QPoint(14, y))
    assert not any(row.is_inside for row in lanes.rows())


def test_lanes_stand_in_other_orders(crowd_driver: Driver) -> None:
    hands, lanes = crowd_driver, crowd_driver.pane.lanes
    before = {row.title for row in lanes.rows()}
    for order in LaneOrder:
        lanes.set_order(order)
        assert {row.title for row in lanes.rows()} == before
        lanes.grab()
    lanes.set_order(LaneOrder.LEAD)
    for tick in (0, 40, 90):
        hands.desk.move_playhead(tick)
        names = [
            row.players[0].name
            for row in lanes.rows()
            if row.behavior == "gull"
        ]
        leads = [hands.desk.leading(name) for name in names]
        assert leads == sorted(leads, key=leads.index)
    hands.key(Qt.Key.Key_O, to=lanes)
    assert lanes.menu.isVisible()
    assert [action.text() for action in lanes.menu.actions()] == [
        each.value for each in LaneOrder
    ]
    lanes.menu.close()


def test_the_odd_ones_are_those_that_others_do_not_do_as() -> None:
    same = ((LeadingSpan(0, 49, "rest"), LeadingSpan(50, 99, "eat")),)
    odd = ((LeadingSpan(0, 99, "rest"),),)
    found = odd_ones(
        ["a", "b", "c", "d"], {"a": same, "b": odd, "c": same, "d": same}
    )
    assert found["a"] == found["c"] == found["d"] == 0
    assert found["b"] == pytest.approx(0.5, abs=0.02)
    assert odd_ones(["x"], {}) == {"x": 0.0}


def test_a_few_of_a_kind_have_a_lane_each() -> None:
    cast = (
        crowded(open_project(DEMO), cast=3, props=1, states=2)
        .scenario("dusk")
        .cast
    )
    rows = lane_rows([each for each in cast if each.behavior], ())
    assert [row.title for row in rows if row.title.startswith("guard")] == [
        "guard_0",
        "guard_1",
        "guard_2",
    ]
    # Copies of one of the cast share a lane however few they are.
    assert any(row.title == "Gull × 6" for row in rows)


def test_what_could_not_be_done_is_told_in_short(tmp_path) -> None:  # type: ignore[no-untyped-def]
    project = open_project(DEMO)
    dusk = project.scenario("dusk")
    cues = tuple(
        Cue(at_s=1.0, does=TakeAway(removes=f"nobody_{index}"))
        for index in range(9)
    )
    changed = dusk.model_copy(update={"cues": cues, "seconds": 2.0})
    others = tuple(
        changed if each is dusk else each for each in project.scenarios
    )
    order = RollOrder(
        project.model_copy(update={"scenarios": others}),
        "dusk",
        tmp_path / "a.take",
    )
    said = noticed_in(read_take(roll(order)))
    assert said.count("cue ") == MOST_NOTICED
    assert said.endswith(f"And {9 - MOST_NOTICED} more like these.")


# the stage


def test_the_stage_and_the_rows_change_places(quay_driver: Driver) -> None:
    hands, stage = quay_driver, quay_driver.pane.stage
    small = stage.width() * stage.height()
    ledger = hands.ledger.width()
    hands.ledger.setFocus()
    hands.pane.actions_by_id["large_stage"].trigger()
    hands.until(hands.ledger.hasFocus)
    assert stage.width() * stage.height() > 3 * small
    assert hands.ledger.width() < ledger
    assert hands.window.settings.flag("large_stage")
    hands.key(Qt.Key.Key_Down)
    assert hands.desk.row is not None
    hands.pane.actions_by_id["large_stage"].trigger()
    QApplication.processEvents()
    assert stage.width() * stage.height() == pytest.approx(small, rel=0.2)
    assert hands.ledger.width() == pytest.approx(ledger, rel=0.05)


def test_the_stage_follows_the_agent(quay_driver: Driver) -> None:
    hands, stage = quay_driver, quay_driver.pane.stage
    middle = QPointF(stage.width() / 2, stage.height() / 2)
    hands.pane.actions_by_id["follow_agent"].trigger()
    for tick in (0, 300, 700):
        hands.desk.move_playhead(tick)
        place, _ = stage.place_of("odo")
        assert (stage.to_pixels(place) - middle).manhattanLength() < 1
    hands.desk.select_agent("mila")
    place, _ = stage.place_of("mila")
    assert (stage.to_pixels(place) - middle).manhattanLength() < 1
    hands.pane.actions_by_id["follow_agent"].trigger()
    stage.setFocus()
    at_first = stage.to_pixels((0.0, 0.0))
    hands.qtbot.keyClick(stage, Qt.Key.Key_Right)
    assert stage.to_pixels((0.0, 0.0)).x() < at_first.x()
    hands.qtbot.keyClicks(stage, "0")
    assert 0 < stage.to_pixels((0.0, 0.0)).x() < stage.width()


def test_what_stands_on_the_stage_says_what_it_is(quay_driver: Driver) -> None:
    hands, stage = quay_driver, quay_driver.pane.stage
    hands.desk.move_playhead(718)
    hands.desk.select_row("esc")

    def words(place: tuple[float, float]) -> str:
        return str(stage.words_at(stage.to_pixels(place)))

    odo, _ = stage.place_of("odo")
    assert words(odo) == "Odo · Warden · Check last sighting"
    assert words(stage.place_of("visitor")[0]) == "the visitor · a puppet"
    assert words((odo[0], odo[1] - 8.0)).endswith("· 8 m")
    assert words((15.0, 1.0)) == "water · nobody can walk there"
    assert (
        words((17.5, 2.9 + 9))
        == "the crates · nobody can walk or see through it"
    )
    lamp = next(
        prop
        for prop in hands.desk.project.stages[0].props
        if prop.name == "lamp_gate"
    )
    assert words(lamp.at).startswith(
        "lamp_gate · of the group lamps · level 0."
    )
    assert words((3.0, 16.5)) == ""


def test_the_two_sides_of_a_guard_are_drawn(quay_driver: Driver) -> None:
    hands, stage = quay_driver, quay_driver.pane.stage
    hands.desk.select_row("esc")
    shown, scenario = stage.shown_stage(), hands.desk.scenario
    hands.desk.move_playhead(718)
    (sides,) = look_of(stage, shown, scenario).sides
    assert sides.words == "8.02 m"
    # At 18.05 s the crates come in between.
    hands.desk.move_playhead(361)
    (sides,) = look_of(stage, shown, scenario).sides
    assert sides.words.endswith(", the crates")
    assert sides.blocked_at is not None


def test_names_give_way_in_a_crowd(crowd_driver: Driver) -> None:
    hands, stage = crowd_driver, crowd_driver.pane.stage
    look = look_of(stage, stage.shown_stage(), hands.desk.scenario)
    labels = [figure.label for figure in look.figures if figure.label]
    assert not any(label.startswith("guard_") for label in labels)
    hands.desk.select_agent("guard_9")
    look = look_of(stage, stage.shown_stage(), hands.desk.scenario)
    labels = [
        figure.label
        for figure in look.figures
        if figure.label.startswith("guard_")
    ]
    assert len(labels) == 1
    place, _ = stage.place_of("guard_12")
    assert "guard_" in stage.words_at(stage.to_pixels(place))
