"""Drawing on the stage while setting up, in the real window."""

from itertools import pairwise

import pytest
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QApplication

from tests.desk.conftest import Driver
from tests.desk.test_setting import choose
from umbrant.model.edits import Edit
from umbrant.model.paths import put
from umbrant.model.staging import Area, Blocks, Scenario
from umbrant.model.values import Point

LEFT = Qt.MouseButton.LeftButton
NONE, CTRL, ALT = (
    Qt.KeyboardModifier.NoModifier,
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.AltModifier,
)


class Hands:
    """Hands on the stage while the setting is shown."""

    def __init__(self, driver: Driver) -> None:
        self.driver, self.desk = driver, driver.desk
        driver.pane.actions_by_id["show_setting"].trigger()
        self.stage, self.setting = driver.pane.stage, driver.pane.setting

    def pixel(self, place: Point) -> QPoint:
        return self.stage.to_pixels(place).toPoint()

    def drag(
        self, *places: Point, modifier: Qt.KeyboardModifier = NONE
    ) -> None:
        """Press at the first place, move through the others, release at the
        last.
        """
        pixels = [self.pixel(each) for each in places]
        self.driver.qtbot.mousePress(self.stage, LEFT, modifier, pixels[0])
        for start, end in pairwise(pixels):
            for step in range(1, 7):
                at = QPointF(start + (end - start) * step / 6)
                globally = self.stage.mapToGlobal(at)
                move = QMouseEvent(
                    QEvent.Type.MouseMove,
                    at,
                    globally,
                    Qt.MouseButton.NoButton,
                    LEFT,
                    modifier,
                )
                QApplication.sendEvent(self.stage, move)
        self.driver.qtbot.mouseRelease(self.stage, LEFT, modifier, pixels[-1])

    @property
    def areas(self) -> tuple[Area, ...]:
        return self.desk.project.stage("quay").areas

    @property
    def scenario(self) -> Scenario:
        return self.desk.project.scenario("dusk")

    def at(self, *path: str | int) -> None:
        self.setting.unfold_to(path)


@pytest.fixture
def hands(demo_driver: Driver) -> Hands:
    return Hands(demo_driver)


def test_an_area_is_drawn_and_asked_what_it_is(hands: Hands) -> None:
    before = len(hands.areas)
    hands.drag((5.0, 8.0), (7.0, 9.5))
    choose(hands.stage.sketching.menu, "Wall")
    assert len(hands.areas) == before + 1
    wall = hands.areas[-1]
    assert wall.blocks is Blocks.SIGHT_AND_WAY
    xs, ys = [x for x, _ in wall.corners], [y for _, y in wall.corners]
    assert (min(xs), max(xs)) == (
        pytest.approx(5.0, abs=0.4),
        pytest.approx(7.0, abs=0.4),
    )
    assert (min(ys), max(ys)) == (
        pytest.approx(8.0, abs=0.4),
        pytest.approx(9.5, abs=0.4),
    )
    assert hands.setting.line.path == ("stages", "quay", "areas", before)
    hands.stage.grab()
    hands.desk.documents.undo()
    assert len(hands.areas) == before


def test_a_click_draws_nothing_and_while_reading_the_ground_is_moved(
    hands: Hands,
) -> None:
    before = hands.desk.project
    hands.drag((5.0, 8.0), (5.0, 8.0))
    hands.driver.pane.actions_by_id["show_rows"].trigger()
    place = hands.pixel((0.0, 0.0))
    hands.drag((5.0, 8.0), (7.0, 9.0))
    assert hands.pixel((0.0, 0.0)) != place
    assert hands.desk.project is before


def test_a_walk_is_drawn_at_the_puppets_pace(hands: Hands) -> None:
    hands.drag((5.0, 8.0), (6.0, 8.0), modifier=CTRL)
    assert "select the line of a puppet" in hands.driver.messages[-1]
    index = next(
        place
        for place, each in enumerate(hands.scenario.cast)
        if each.name == "visitor"
    )
    hands.at("scenarios", "dusk", "cast", index)
    before = hands.scenario.cast[index].walk
    hands.drag((8.0, 9.0), (12.0, 9.0), (12.0, 7.0), modifier=CTRL)
    member = hands.scenario.cast[index]
    new = member.walk[len(before) :]
    assert member.walk[: len(before)] == before
    assert new[-1].to == (
        pytest.approx(12.0, abs=0.4),
        pytest.approx(7.0, abs=0.4),
    )
    for one, other in zip(member.walk[len(before) - 1 :], new, strict=False):
        long = (
            (one.to[0] - other.to[0]) ** 2 + (one.to[1] - other.to[1]) ** 2
        ) ** 0.5
        assert other.at_s - one.at_s == pytest.approx(
            long / member.body.walk_m_s, abs=0.05
        )


def test_things_are_put_where_the_stage_is_double_clicked(
    hands: Hands,
) -> None:
    hands.driver.qtbot.mouseDClick(
        hands.stage, LEFT, pos=hands.pixel((6.0, 9.0))
    )
    choose(hands.stage.sketching.menu, "Place")
    place = hands.desk.project.stage("quay").places[-1]
    assert place.at == (
        pytest.approx(6.0, abs=0.2),
        pytest.approx(9.0, abs=0.2),
    )
    hands.driver.key(Qt.Key.Key_Return, to=hands.stage)
    choose(hands.stage.sketching.menu, "Agent that runs Warden")
    assert hands.scenario.cast[-1].behavior == "warden"
    assert hands.setting.line.path == (
        "scenarios",
        "dusk",
        "cast",
        len(hands.scenario.cast) - 1,
    )


def test_a_corner_is_put_into_an_edge_and_taken_out_by_delete(
    hands: Hands,
) -> None:
    place, area = next(
        (n, each)
        for n, each in enumerate(hands.areas)
        if each.name == "the rope store"
    )
    (x0, y0), (x1, y1) = area.corners[:2]
    hands.driver.qtbot.mouseDClick(
        hands.stage, LEFT, pos=hands.pixel(((x0 + x1) / 2, (y0 + y1) / 2))
    )
    choose(hands.stage.sketching.menu, "Corner of the rope store")
    assert len(hands.areas[place].corners) == len(area.corners) + 1
    hands.stage.chosen = ("stages", "quay", "areas", place, "corners", 1)
    hands.driver.key(Qt.Key.Key_Delete, to=hands.stage)
    assert hands.areas[place].corners == area.corners
    last = len(hands.desk.project.stage("quay").places) - 1
    hands.stage.chosen = ("stages", "quay", "places", last, "at")
    hands.driver.key(Qt.Key.Key_Delete, to=hands.stage)
    assert len(hands.desk.project.stage("quay").places) == last


def test_a_dragged_point_comes_into_line_with_others_but_not_with_alt(
    hands: Hands,
) -> None:
    stage = hands.desk.project.stage("quay")
    number, place = next(
        (n, each)
        for n, each in enumerate(stage.places)
        if each.name == "awning"
    )
    prop = next(each for each in stage.props if each.name == "lamp_gate")
    near = 3 / hands.stage._scale
    hands.drag(place.at, (prop.at[0] + near, 13.2))
    assert hands.desk.project.stage("quay").places[number].at[0] == prop.at[0]
    hands.drag(
        hands.desk.project.stage("quay").places[number].at,
        (prop.at[0] + near, 13.2),
        modifier=ALT,
    )
    assert hands.desk.project.stage("quay").places[number].at[0] != prop.at[0]


def test_where_nobody_can_walk_is_hatched_while_setting_up(
    hands: Hands,
) -> None:
    def ink() -> int:
        image = hands.stage.grab().toImage()
        water = hands.pixel((16.0, 1.5))
        return len(
            {
                image.pixel(water.x() + dx, water.y() + dy)
                for dx in range(12)
                for dy in range(12)
            }
        )

    hatched = ink()
    hands.driver.pane.actions_by_id["show_rows"].trigger()
    assert hatched > ink()


def test_the_stage_is_drawn_on_after_whom_its_line_was_about_has_left(
    hands: Hands,
) -> None:
    scenario = hands.desk.project.scenario("dusk")
    last = len(scenario.cast) - 1
    hands.stage.choose(("scenarios", "dusk", "cast", last, "start"))
    shorter = scenario.model_copy(update={"cast": scenario.cast[:last]})
    hands.desk.apply(
        Edit(
            "Remove",
            lambda project: put(project, ("scenarios", "dusk"), shorter),
        )
    )
    hands.drag((5.0, 8.0), (6.0, 8.0), modifier=CTRL)
    assert "select the line of a puppet" in hands.driver.messages[-1]
