"""The setting in the real window: everything but rows is made, changed and
removed there.
"""

from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QMenu

from tests.desk.conftest import Answers, Driver
from umbrant.desk.commands.project import save
from umbrant.desk.views.stage.view import StageView
from umbrant.model.behaviors import Sharing
from umbrant.model.documents import Project
from umbrant.model.edits import Edit
from umbrant.model.folder import save_project
from umbrant.model.paths import Path as DocumentPath
from umbrant.model.paths import put
from umbrant.model.values import KeyRef, KeyType

CTRL = Qt.KeyboardModifier.ControlModifier
ALT = Qt.KeyboardModifier.AltModifier


class Hands:
    """Hands on the setting."""

    def __init__(self, driver: Driver) -> None:
        self.driver = driver
        self.desk = driver.desk
        driver.pane.actions_by_id["show_setting"].trigger()
        self.view = driver.pane.setting

    @property
    def project(self):  # type: ignore[no-untyped-def]
        return self.desk.project

    def key(
        self,
        key: Qt.Key,
        modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier,
    ) -> None:
        self.driver.key(key, modifier, self.view)

    def at(self, *path: str | int) -> None:
        self.view.select_path(path)
        assert self.view.line.path == path

    def on_chip(self, label: str) -> None:
        """Walk to a chip of the line by keyboard."""
        self.view.leave_chips()
        for _ in range(40):
            self.key(Qt.Key.Key_C)
            if self.view.focused_chip[0].label == label:
                return
        raise AssertionError(f"{label} is no chip of this line")

    def write(self, label: str, text: str) -> None:
        """Walk to a chip and type over it."""
        self.on_chip(label)
        self.key(Qt.Key.Key_Return)
        self.driver.type(text)

    def pick(self, label: str, wanted: str) -> None:
        """Walk to a chip and choose from its list."""
        self.on_chip(label)
        self.key(Qt.Key.Key_Return)
        choose(self.view.editing.menu, wanted)

    def add(self, wanted: str) -> DocumentPath:
        """Add something from the list that Enter opens; returns its path."""
        self.view.leave_chips()
        self.key(Qt.Key.Key_Return)
        choose(self.view.menu, wanted)
        return self.view.line.path


def choose(menu: QMenu | None, wanted: str) -> None:
    assert menu is not None
    action = next(
        each for each in menu.actions() if each.text().startswith(wanted)
    )
    action.trigger()
    menu.close()


@pytest.fixture
def hands(demo_driver: Driver) -> Hands:
    return Hands(demo_driver)


def test_every_document_stands_in_the_setting(hands: Hands) -> None:
    text = "\n".join(line.text for line in hands.view.all_lines())
    project = hands.project
    for board in project.blackboards:
        assert all(key.name in text for key in board.keys)
    for stage in project.stages:
        assert all(
            each.name in text
            for each in (*stage.areas, *stage.places, *stage.props)
        )
    assert all(event.name in text for event in project.event_list.events)
    assert all(
        member.name in text
        for scenario in project.scenarios
        for member in scenario.cast
    )


def test_a_scenario_without_any_stage_comes_with_one(hands: Hands) -> None:
    nowhere = {"stages": (), "scenarios": ()}
    hands.desk.apply(
        Edit("Remove", lambda project: project.model_copy(update=nowhere))
    )
    hands.at("scenarios")
    path = hands.add("Scenario")
    assert path == ("scenarios", "scenario")
    (stage,) = hands.project.stages
    assert hands.project.scenario("scenario").stage == stage.name == "stage"
    # It is seen, and so is what there is to say of a take of it.
    view = hands.driver.pane.views.of(StageView)
    corners = [view.to_pixels(each) for each in ((0.0, 0.0), (24.0, 14.0))]
    assert all(view.rect().contains(each.toPoint()) for each in corners)
    assert corners[1].x() - corners[0].x() > 100
    hands.at("stages", "stage")
    hands.write("width", "100")
    assert view.rect().contains(view.to_pixels((100.0, 14.0)).toPoint())
    hands.driver.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    hands.driver.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert not hands.project.stages


def test_a_take_in_which_nobody_decides_is_said_to_be_one(
    hands: Hands, tmp_path: Path
) -> None:
    alone = hands.project.scenario("dusk").model_copy(update={"cast": ()})

    def remove(project: Project) -> Project:
        return project.model_copy(update={"scenarios": (alone,)})

    hands.desk.apply(Edit("Remove", remove))
    hands.driver.settle()
    assert hands.driver.reasons() == "odo plays no part in this take."
    save_project(hands.project, tmp_path / "alone")
    hands.driver.answers.on_unsaved = "discard"
    assert hands.driver.open(tmp_path / "alone")
    assert hands.driver.desk.take is not None
    assert "There is nobody to ask about" in hands.driver.reasons()


def test_a_number_is_stepped_and_typed_by_keyboard(hands: Hands) -> None:
    hands.at("scenarios", "dusk", "cast", 0, "body")
    hands.on_chip("sight")
    before = hands.project.scenario("dusk").cast[0].body.sight_m
    hands.key(Qt.Key.Key_Up)
    assert hands.project.scenario("dusk").cast[
        0
    ].body.sight_m == pytest.approx(before + 0.1)
    hands.write("walk", "2.5")
    assert hands.project.scenario("dusk").cast[0].body.walk_m_s == 2.5
    assert hands.desk.documents.history.undo_name == "Set walk to 2.5 m/s"


def test_what_cannot_stand_somewhere_is_told_and_changes_nothing(
    hands: Hands,
) -> None:
    before = hands.project
    hands.at("stages", "quay")
    hands.write("width", "0")
    hands.write("height", "wide")
    hands.at("stages", "quay", "places", 0)
    hands.write("where", "over there")
    hands.write("name of the place", "Not A Name")
    assert hands.project is before
    assert [text.partition(".")[0] for text in hands.driver.messages[-4:]] == [
        "0 cannot stand there: width_m: should be greater than 0",
        "'wide' is no number; write a number such as 2",
        "'over there' is no point; write x, y such as 12",
        "Not A Name cannot stand there: name: write it with small letters, digits and _, a "
        "letter first",
    ]


def test_a_key_is_made_set_up_renamed_and_removed(hands: Hands) -> None:
    first = hands.project
    hands.at("blackboards", "quay")
    path = hands.add("Key")
    hands.key(Qt.Key.Key_F2)
    hands.driver.type("patience")
    hands.write("lowest", "0")
    hands.write("highest", "10")
    hands.write("value", "3")
    hands.pick("who shares it", "shared by the group")
    key = hands.project.blackboard("quay").by_name["patience"]
    assert (key.type, key.low, key.high, key.default, key.scope) == (
        KeyType.NUMBER,
        0.0,
        10.0,
        3.0,
        Sharing.GROUP,
    )
    hands.pick("type", "yes/no")
    assert hands.project.blackboard("quay").by_name["patience"].default is None
    hands.at(*path)
    hands.key(Qt.Key.Key_Delete)
    assert "patience" not in hands.project.blackboard("quay").by_name
    for _ in range(20):
        if hands.desk.documents.history.undo_name:
            hands.driver.pane.actions_by_id["undo"].trigger()
    assert hands.project == first


def test_renaming_a_key_renames_it_everywhere(hands: Hands) -> None:
    keys = [key.name for key in hands.project.blackboard("quay").keys]
    hands.at("blackboards", "quay", "keys", keys.index("last_seen"))
    hands.key(Qt.Key.Key_F2)
    hands.driver.type("sighting")
    warden = hands.project.behavior("warden")
    assert (
        warden.row("chk").guard.when
        == "is_set(sighting) and time_since(sighting) < 15"
    )
    assert KeyRef(key="sighting") in [
        value for row in warden.rows for value in row.args.values()
    ]
    assert not [
        problem
        for problem in hands.desk.documents.problems
        if "last_seen" in str(problem)
    ]


def test_an_events_kinds_and_cues_follow_its_name(hands: Hands) -> None:
    names = [event.name for event in hands.project.event_list.events]
    hands.at("event_list", "events", names.index("thunder"))
    hands.key(Qt.Key.Key_F2)
    hands.driver.type("storm")
    text = hands.project.model_dump_json()
    assert '"thunder"' not in text
    assert '"storm"' in text
    assert not hands.desk.documents.problems


def test_places_props_and_areas_are_added_and_moved(hands: Hands) -> None:
    hands.at("stages", "quay")
    path = hands.add("Place")
    hands.write("where", "3.5, 2")
    hands.write("name of the place", "anchor")
    assert hands.project.stage("quay").places[path[-1]].at == (3.5, 2.0)
    hands.key(Qt.Key.Key_Up, ALT)
    assert hands.project.stage("quay").places[path[-1] - 1].name == "anchor"
    hands.add("Area")
    hands.write("corners", "(1, 1) (3, 1) (3, 2)")
    hands.pick("what it blocks", "way")
    area = hands.project.stage("quay").areas[-1]
    assert (area.corners, area.blocks.value) == (
        ((1.0, 1.0), (3.0, 1.0), (3.0, 2.0)),
        "way",
    )


def test_a_new_agent_comes_onto_the_stage_and_decides(hands: Hands) -> None:
    hands.at("scenarios", "dusk")
    path = hands.add("Agent that runs Gull")
    hands.write("start", "12, 3")
    hands.write("title on the stage", "Kit")
    hands.driver.settle()
    name = hands.project.scenario("dusk").cast[path[-1]].name
    assert hands.desk.take.agents[name].rows
    hands.add("Number of the body")
    hands.write("value", "0.25")
    assert (
        hands.project.scenario("dusk")
        .cast[path[-1]]
        .body.stats["health"]
        .value
        == 0.25
    )


def test_a_number_of_a_body_is_renamed_where_it_is_used_too(
    hands: Hands,
) -> None:
    cast = hands.project.scenario("dusk").cast
    odo = next(index for index, each in enumerate(cast) if each.name == "odo")
    hands.at("scenarios", "dusk", "cast", odo)
    path = hands.add("Number of the body")
    hands.driver.pane.actions_by_id["show_rows"].trigger()
    warden = hands.project.behavior("warden")
    row = warden.rows[-1].model_copy(
        update={
            "id": "tire",
            "kind": "change_stat",
            "args": {"stat": "health", "amount": -0.1},
        }
    )
    changed = warden.with_rows((*warden.rows, row))
    project = put(hands.project, ("behaviors", "warden"), changed)
    hands.desk.apply(Edit("Tire", lambda _: project))
    hands.driver.pane.actions_by_id["show_setting"].trigger()
    hands.at(*path)
    hands.key(Qt.Key.Key_F2)
    hands.driver.type("vigour")
    assert hands.view.line.path == (*path[:-1], "vigour")
    assert list(hands.project.scenario("dusk").cast[odo].body.stats) == [
        "vigour"
    ]
    assert (
        hands.project.behavior("warden").row("tire").args["stat"] == "vigour"
    )
    before = hands.project
    hands.key(Qt.Key.Key_F2)
    hands.driver.type("Not A Name")
    assert hands.project is before


def test_a_variant_begins_a_number_of_the_body_elsewhere(hands: Hands) -> None:
    cast = hands.project.scenario("dusk").cast
    odo = next(index for index, each in enumerate(cast) if each.name == "odo")
    hands.at("scenarios", "dusk", "cast", odo)
    hands.add("Number of the body")
    hands.at("behaviors", "stern-warden")
    path = hands.add("Other health of the body")
    assert path == ("behaviors", "stern-warden", "stats", "health")
    hands.write("what health begins at", "0.4")
    assert hands.project.stats_of("stern-warden") == {"health": 0.4}
    pieces = hands.view.line.pieces
    assert [piece.text for piece in pieces] == [
        "begins with",
        "health",
        "=",
        "0.4",
    ]
    hands.key(Qt.Key.Key_Delete)
    assert hands.project.stats_of("stern-warden") == {}


def test_a_selected_number_may_go_with_whom_it_belongs_to(
    hands: Hands,
) -> None:
    before = hands.project
    hands.at("scenarios", "dusk")
    hands.add("Agent that runs Gull")
    hands.add("Number of the body")
    hands.desk.apply(Edit("All at once", lambda _: before))
    assert hands.view.line is not None
    assert hands.view.line.path[0] == "scenarios"


def test_twelve_numbers_are_pasted_as_a_list_and_bad_ones_are_named(
    hands: Hands,
) -> None:
    hands.at("scenarios", "dusk", "cast", 0)
    needs = [f"need_{number} 0..100 = {number}" for number in range(1, 12)]
    text = "\n".join([*needs, "Bad one 3", "gold 0"])
    QGuiApplication.clipboard().setText(text)
    hands.key(Qt.Key.Key_V, CTRL)
    stats = hands.project.scenario("dusk").cast[0].body.stats
    assert [(name, stat.value) for name, stat in stats.items()][-12:] == [
        *((f"need_{number}", float(number)) for number in range(1, 12)),
        ("gold", 0.0),
    ]
    assert hands.driver.messages[-1].startswith(
        "Made 12 numbers. Not taken: ‘Bad one 3’: 'Bad' is"
    )
    hands.driver.pane.actions_by_id["undo"].trigger()
    assert "gold" not in hands.project.scenario("dusk").cast[0].body.stats


def test_keys_are_typed_as_a_list(hands: Hands) -> None:
    hands.at("blackboards", "quay")
    hands.driver.answers.texts = ["tired 0..100, seen_it no, who agent"]
    hands.add("Several keys, typed as a list…")
    board = hands.project.blackboard("quay").by_name
    assert [board[name].type for name in ("tired", "seen_it", "who")] == [
        KeyType.NUMBER,
        KeyType.YES_NO,
        KeyType.AGENT,
    ]
    assert hands.view.line.text.startswith("key tired")


def test_a_list_is_pasted_where_one_belongs_only(hands: Hands) -> None:
    before = hands.project
    hands.at("event_list", "events")
    QGuiApplication.clipboard().setText("tired 0..100")
    hands.key(Qt.Key.Key_V, CTRL)
    assert hands.project is before


def test_cues_are_made_of_each_sort(hands: Hands) -> None:
    before = len(hands.project.scenario("dusk").cues)
    for sort in ("raise", "put", "drop", "take somebody", "set"):
        hands.at("scenarios", "dusk")
        hands.add(f"Cue: {sort}")
    assert len(hands.project.scenario("dusk").cues) == before + 5
    hands.write("when", "7")
    hands.write("value", "yes")
    assert hands.project.scenario("dusk").cues[-1].at_s == 7
    assert hands.project.scenario("dusk").cues[-1].does.value is True


def test_a_new_project_is_written_saved_and_opened_again(
    driver: Driver, answers: Answers, tmp_path: object
) -> None:
    answers.folder = tmp_path / "mine"  # type: ignore[operator]
    driver.pane.actions_by_id["new"].trigger()
    driver.until(lambda: driver.desk.is_current)
    assert driver.desk.documents.problems == []
    hands = Hands(driver)
    hands.at("behaviors")
    name = hands.add("Behavior of states")[1]
    driver.pane.actions_by_id["look_at"].trigger()
    assert not driver.pane.command_context.in_setting
    assert driver.desk.behavior.name == name
    assert save(driver.pane.command_context)
    assert driver.open(answers.folder)
    assert driver.desk.project.behavior(name).rows
    assert driver.desk.documents.problems == []


def test_lines_fold_and_the_mouse_drags_their_numbers(hands: Hands) -> None:
    count = len(hands.view.setting.lines)
    hands.at("stages")
    hands.key(Qt.Key.Key_F)
    assert len(hands.view.setting.lines) < count
    hands.key(Qt.Key.Key_F)
    assert len(hands.view.setting.lines) == count
    hands.at("scenarios", "dusk")
    chip, rect = next(
        (chip, rect)
        for chip, rect in hands.view.chips()
        if chip.label == "length"
    )
    corner = hands.view.visualRect(hands.view.currentIndex()).topLeft()
    hands.driver.drag(rect.center() + corner, 20, hands.view.viewport())
    assert hands.project.scenario("dusk").seconds == chip.value + 5


def test_a_behavior_nobody_runs_can_be_looked_at(hands: Hands) -> None:
    hands.at("behaviors", "stern-warden")
    hands.driver.pane.actions_by_id["look_at"].trigger()
    assert hands.desk.behavior.name == "stern-warden"
    assert "nobody here runs it" in hands.driver.pane.left.heading()
    hands.desk.select_agent("odo")
    assert hands.desk.behavior.name == "warden"


def test_what_stands_on_the_stage_is_dragged_while_setting_up(
    hands: Hands,
) -> None:
    stage = hands.driver.pane.stage
    assert stage.arranging
    shown = stage.grab().toImage()
    stage.arrange(False)
    assert stage.grab().toImage() != shown, "what can be dragged is to be seen"
    stage.arrange(True)
    assert stage.grab().toImage() == shown
    props = hands.project.stage("quay").props
    handle = next(
        each for each in stage.handles() if each.label == props[0].name
    )
    hands.driver.drag(stage.to_pixels(handle.at), 20, stage, down=-10)
    moved = hands.project.stage("quay").props[0].at
    assert moved != props[0].at
    assert hands.desk.documents.history.undo_name == f"Move {props[0].name}"
    assert hands.view.line.path == ("stages", "quay", "props", 0), (
        "the setting shows what was taken hold of"
    )
    corners = hands.project.stage("quay").areas[0].corners
    handle = next(each for each in stage.handles() if "corners" in each.path)
    hands.driver.drag(stage.to_pixels(handle.at), 12, stage)
    assert hands.project.stage("quay").areas[0].corners[0] != corners[0]
    assert hands.project.stage("quay").areas[0].corners[1:] == corners[1:]
    hands.at("stages", "quay", "places", 1)
    hands.key(Qt.Key.Key_Down)
    hands.key(Qt.Key.Key_Up)
    hands.driver.key(Qt.Key.Key_Right, to=stage)
    assert (
        hands.desk.documents.history.undo_name
        == f"Move {hands.project.stage('quay').places[1].name}"
    )
    hands.driver.pane.actions_by_id["show_rows"].trigger()
    assert all("walk" in each.path for each in stage.handles())


def test_what_is_used_is_removed_only_when_its_author_says_so_again(
    hands: Hands,
) -> None:
    answers = hands.driver.answers
    hands.at("behaviors", "warden")
    hands.key(Qt.Key.Key_Delete)
    assert answers.messages[-1] == "Warden is used by Odo, Stern warden"
    assert "warden" in [each.name for each in hands.project.behaviors]
    hands.at("stages", "quay")
    hands.key(Qt.Key.Key_Delete)
    assert answers.messages[-1].startswith("The quay at dusk is used by Dusk")
    answers.removing = True
    hands.at("blackboards", "stay")
    hands.key(Qt.Key.Key_Delete)
    assert (
        answers.messages[-1]
        == "Going somewhere to stay is used by Go and stay"
    )
    assert "stay" not in [each.name for each in hands.project.blackboards]
    hands.at("behaviors", "stern-warden")
    text = len(answers.messages)
    hands.key(Qt.Key.Key_Delete)
    assert len(answers.messages) == text, "nobody uses it, so nothing is asked"


def test_a_documents_file_is_renamed_with_all_that_names_it(
    hands: Hands,
) -> None:
    hands.at("behaviors", "warden")
    hands.write("name of the file", "keeper")
    assert hands.project.behavior("keeper").title == "Warden"
    assert (
        next(
            each
            for each in hands.project.scenario("dusk").cast
            if each.name == "odo"
        ).behavior
        == "keeper"
    )
    hands.at("blackboards", "quay")
    hands.write("name of the file", "shore")
    assert hands.project.behavior("keeper").blackboard == "shore"
    assert "quay" not in {each.extends for each in hands.project.blackboards}
    assert hands.view.line.path == ("blackboards", "shore")
    hands.at("stages", "quay")
    hands.write("name of the file", "harbour")
    assert {each.stage for each in hands.project.scenarios} == {"harbour"}
    hands.at("scenarios", "dusk")
    hands.write("name of the file", "nightfall")
    assert (
        hands.project.cover.scenario == hands.desk.scenario_name == "nightfall"
    )
    assert hands.desk.documents.problems == []
    hands.driver.settle()
    for _ in range(4):
        hands.desk.documents.undo()
    assert hands.desk.scenario_name == "dusk"
    assert not hands.desk.documents.history.unsaved


def test_two_documents_cannot_have_the_same_file(hands: Hands) -> None:
    before = hands.project
    hands.at("scenarios", "dusk")
    hands.write("name of the file", "evening")
    assert hands.project is before
    assert (
        "another of the scenarios is called evening"
        in hands.driver.messages[-1]
    )


def test_what_another_type_of_a_key_breaks_is_told_before(
    hands: Hands, answers: Answers
) -> None:
    place = next(
        n
        for n, key in enumerate(hands.project.blackboard("quay").keys)
        if key.name == "lamp_oil"
    )
    hands.at("blackboards", "quay", "keys", place)
    before = hands.project
    hands.pick("type", "text")
    assert hands.project is before
    assert "holds a text" in answers.messages[-1]
    answers.removing = True
    hands.pick("type", "text")
    assert (
        hands.project.blackboard("quay").by_name["lamp_oil"].type
        is KeyType.TEXT
    )
    assert hands.desk.documents.problems


def test_a_starting_value_that_no_longer_fits_its_key_is_shown_and_marked(
    hands: Hands, answers: Answers
) -> None:
    answers.removing = True
    place = next(
        n
        for n, key in enumerate(hands.project.blackboard("quay").keys)
        if key.name == "visitor"
    )
    hands.at("blackboards", "quay", "keys", place)
    for wanted in ("number", "point", "text", "yes/no"):
        hands.pick("type", wanted)
        line = next(
            each
            for each in hands.view.all_lines()
            if each.path[-2:] == ("keys", "visitor")
        )
        chip = next(
            piece.chip for piece in line.pieces if piece.chip is not None
        )
        assert chip.missing == (wanted != "text")
        assert "visitor" in line.text


def test_a_keys_line_names_the_rows_that_read_and_write_it(
    hands: Hands,
) -> None:
    place = next(
        n
        for n, key in enumerate(hands.project.blackboard("quay").keys)
        if key.name == "lamp_oil"
    )
    hands.at("blackboards", "quay", "keys", place)
    text = hands.view.line.help
    assert "Read by Warden 1.3.2 All bright?" in text
    assert "Written by Warden 1.3.1 Find the dimmest" in text


def test_lines_that_an_edit_does_not_touch_are_kept(hands: Hands) -> None:
    hands.at("scenarios", "dusk", "cast", 0, "body")
    before = hands.view.all_lines()
    hands.on_chip("sight")
    hands.key(Qt.Key.Key_Up)
    after = hands.view.all_lines()
    shown = [line.text for line in hands.view.setting.lines]
    assert set(shown) <= {line.text for line in after}
    written = [
        line.path
        for line, old in zip(after, before, strict=True)
        if line is not old and len(line.path) > 3
    ]
    assert written
    assert all(
        path[:4] == ("scenarios", "dusk", "cast", 0) for path in written
    )


def test_what_is_no_point_is_told_as_it_is_typed_and_changes_nothing(
    hands: Hands,
) -> None:
    place = next(
        n
        for n, key in enumerate(hands.project.blackboard("quay").keys)
        if key.name == "last_seen"
    )
    hands.at("blackboards", "quay", "keys", place)
    before = hands.project
    hands.write("value", "over there")
    assert hands.project is before
    assert "'over there' is no point" in hands.driver.messages[-1]
    hands.write("value", "3, 4")
    assert hands.project.blackboard("quay").keys[place].default == (3.0, 4.0)
    hands.write("value", "not set")
    assert hands.project == before
    hands.at("scenarios", "dusk")
    hands.add("Cue: set a key")
    hands.write("value", "(3 or so")
    assert "is no point" in hands.driver.messages[-1]
    hands.write("value", "(3, 4)")
    assert hands.project.scenario("dusk").cues[-1].does.value == (3.0, 4.0)


def test_one_of_the_cast_becomes_a_spawner(hands: Hands) -> None:
    hands.at("scenarios", "dusk", "cast", 0)
    hands.write("copies", "3")
    assert "at once, or one every" in hands.view.line.text
    hands.write("time between them", "2")
    assert "one every 2 s" in hands.view.line.text
    member = hands.project.scenario("dusk").cast[0]
    assert (member.copies, member.every_s) == (3, 2.0)
    assert [cue.at_s for cue in member.arrivals()] == [2.0, 4.0]
