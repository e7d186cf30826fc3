"""What views draw, drawn onto a picture without a window: the functions need
nothing but what is to be seen.
"""

from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from PySide6.QtCore import QPointF, QRectF, QSizeF
from PySide6.QtGui import QColor, QImage, QPainter
from pytestqt.qtbot import QtBot

from tests.small import project, row
from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.templates.examples import NPC, example_of
from umbrant.desk.views.curve.painting import (
    CurveLook,
    Grip,
    paint_curve,
    point_in,
)
from umbrant.desk.views.help.example_painting import paint_example
from umbrant.desk.views.lanes.cue_ruler import Mark
from umbrant.desk.views.lanes.painting import (
    Bar,
    Lane,
    paint_cues,
    paint_lanes,
)
from umbrant.desk.views.ledger.ruler_painting import RulerLook, paint_ruler
from umbrant.desk.views.map.layout import draw
from umbrant.desk.views.map.painting import (
    MapLook,
    Placement,
    paint_map,
    trace,
)
from umbrant.desk.views.stage.painting import (
    BodyFigure,
    Cone,
    Projection,
    PropFigure,
    Square,
    StageLook,
    StandingLook,
    paint_moving,
    paint_standing,
)
from umbrant.desk.widgets.history_painting import paint_history
from umbrant.desk.widgets.painted import painting
from umbrant.desk.widgets.theme import DAY, NIGHT, Palette
from umbrant.desk.widgets.time_scale import TimeScale
from umbrant.model.behaviors import Key
from umbrant.model.staging import Place
from umbrant.model.values import Curve, KeyType, Shape
from umbrant.reasons.why import Explainer
from umbrant.rolling.roll import RollOrder, roll
from umbrant.take.reader import read_take
from umbrant.take.record import Changes, KeyWrite

WIDE, HIGH = 400, 200
BOX = QRectF(0, 0, WIDE, HIGH)
SCALE = TimeScale(110, 390, 100)
NUMBER = Key(name="n", type=KeyType.NUMBER)


@pytest.fixture(autouse=True)
def fonts(qtbot: QtBot) -> None:
    """Fonts need an application; nothing here needs a window."""


def drawn(
    paint: Callable[[QPainter], object], palette: Palette = DAY
) -> QImage:
    image = QImage(WIDE, HIGH, QImage.Format.Format_RGB32)
    image.fill(palette.sheet)
    with painting(image) as painter:
        paint(painter)
    return image


def near(
    image: QImage, colour: QColor, left: int, top: int, wide: int, high: int
) -> int:
    """How many pixels of a part are nearly of a colour."""
    wanted = colour.getRgb()[:3]
    pixels = (
        image.pixelColor(x, y).getRgb()[:3]
        for x in range(left, left + wide)
        for y in range(top, top + high)
    )
    return sum(
        all(abs(a - b) < 12 for a, b in zip(pixel, wanted, strict=True))
        for pixel in pixels
    )


def inked(image: QImage, left: int, top: int, wide: int, high: int) -> int:
    """How many pixels of a part anything is drawn on."""
    pixels = (
        image.pixelColor(x, y)
        for x in range(left, left + wide)
        for y in range(top, top + high)
    )
    return sum(
        abs(pixel.lightness() - DAY.sheet.lightness()) > 25 for pixel in pixels
    )


@pytest.mark.parametrize("times", [[], [2.0], [0.0, 0.0], [1.0, 1.1, 9.0]])
def test_cues_are_drawn_however_many_there_are(times: list[float]) -> None:
    marks = [
        Mark(("scenarios", "s", "cues", number), at_s, f"cue {number}")
        for number, at_s in enumerate(times)
    ]
    image = drawn(
        lambda painter: paint_cues(painter, marks, None, SCALE, 10, DAY)
    )
    for at_s in times:
        assert (
            near(image, DAY.dim, int(SCALE.x_of(at_s * 10)) - 2, 10, 5, 6) > 4
        )
    assert near(image, DAY.now, 0, 0, WIDE, 24) == 0


def test_a_cue_that_is_held_has_the_colour_of_now() -> None:
    mark = Mark(("scenarios", "s", "cues", 0), 5.0, "rain")
    image = drawn(
        lambda painter: paint_cues(painter, [mark], mark, SCALE, 10, DAY)
    )
    assert near(image, DAY.now, int(SCALE.x_of(50)) - 2, 10, 5, 6) > 4


def test_what_leads_is_a_bar_from_its_first_tick_to_its_last() -> None:
    lane = Lane(
        "Odo",
        "Odo (warden)",
        0,
        ((Bar(0, 49, 0, "Tend"), Bar(50, 99, 1, "Escort")),),
    )
    image = drawn(lambda painter: paint_lanes(painter, [lane], SCALE, 0, DAY))
    middle = int(SCALE.x_of(50))
    assert near(image, DAY.leads[0], middle - 30, 2, 20, 3) == 60
    # The second has a texture over its colour.
    assert 40 <= near(image, DAY.leads[1], middle + 90, 2, 20, 3) < 60
    assert near(image, DAY.leads[0], middle + 90, 2, 20, 3) == 0


def test_copies_are_stripes_of_one_lane_and_the_chosen_one_is_marked() -> None:
    bars = ((Bar(0, 99, 0, "Perch"),), (Bar(0, 99, 1, "Forage"),))
    image = drawn(
        lambda painter: paint_lanes(
            painter,
            [Lane("Gull × 2", "Gull", 1, bars, is_crowd=True)],
            SCALE,
            0,
            DAY,
        )
    )
    assert near(image, DAY.leads[0], 200, 1, 10, 4) == 40
    assert near(image, DAY.leads[1], 200, 9, 10, 4) == 40
    assert near(image, DAY.ink, 105, 8, 3, 5) == 15
    assert near(image, DAY.ink, 105, 1, 3, 5) == 0


@settings(
    max_examples=40,
    deadline=None,
    suppress_health_check=[HealthCheck.function_scoped_fixture],
)
@given(
    st.floats(0, 1e5),
    st.floats(10, 1e5),
    st.integers(1, 240),
    st.integers(0, 10**5),
)
def test_a_ruler_is_drawn_for_any_stretch(
    start: float, length: float, rate: int, playhead: int
) -> None:
    image = drawn(
        lambda painter: paint_ruler(
            painter, BOX, RulerLook(start, length, rate, playhead), DAY
        )
    )
    x = (playhead - start) / length * WIDE
    if 2 <= x <= WIDE - 2:
        assert near(image, DAY.now, int(x) - 1, 100, 3, 10) >= 10


def test_a_curve_shows_its_grips_its_bars_and_the_input_now() -> None:
    plot = QRectF(40, 16, 200, 150)
    look = CurveLook(
        Curve(shape=Shape.LINEAR),
        0.0,
        10.0,
        grips=(Grip("low", (0.0, 0.0)), Grip("high", (1.0, 1.0))),
        chosen="high",
        counts=(0.0, 4.0),
        now=(5.0, 0.5),
    )
    image = drawn(lambda painter: paint_curve(painter, look, plot, DAY))
    at = point_in(plot, (1.0, 1.0)).toPoint()
    assert near(image, DAY.now, at.x() - 7, at.y() - 7, 14, 14) > 10
    assert near(image, DAY.different, 150, 120, 80, 40) > 500
    assert near(image, DAY.different, 50, 120, 80, 40) == 0
    middle = point_in(plot, (0.5, 0.5)).toPoint()
    assert near(image, DAY.now, middle.x() - 3, middle.y() - 3, 6, 6) > 20


@pytest.mark.parametrize("palette", [DAY, NIGHT], ids=["day", "night"])
def test_a_map_fills_what_runs_and_rings_what_is_selected(
    palette: Palette,
) -> None:
    made = project(
        row("mm", "machine"),
        row("aa", "state", "mm"),
        row("t1", "when", "aa", when="n > 0", to="bb"),
        row("bb", "state", "mm"),
        row("t2", "when", "bb", when="n > 0", to="bb"),
    )
    drawing = draw(made.behaviors[0], "mm", lambda text: 7.0 * len(text))
    placement = Placement(1.0, 10, 10)
    look = MapLook(
        running=frozenset({"aa"}),
        fired=frozenset({"t1"}),
        selected="bb",
        link=("aa", QPointF(200, 150)),
    )
    traced = trace(drawing, placement)
    assert {arrow.row_id for arrow in traced.curves} == {"t1", "t2"}
    image = drawn(
        lambda painter: paint_map(
            painter, drawing, traced, look, placement, palette
        ),
        palette,
    )
    for state, colour in (("aa", palette.running), ("bb", palette.now)):
        box = drawing.box(state)
        assert box is not None
        rect = placement.rect(box).adjusted(-2, -2, 2, 2).toRect()
        assert (
            near(
                image,
                colour,
                rect.left(),
                rect.top(),
                rect.width(),
                rect.height(),
            )
            > 30
        )


def test_a_stage_shows_bodies_things_ranges_and_what_can_be_dragged() -> None:
    stage = project(
        row("top", "wait"), places=(Place(name="spot", at=(15, 8)),)
    ).stages[0]
    projection = Projection(18.0, 20.0, 190.0)
    ground = StandingLook(
        stage,
        walks=(((1, 1), (5, 1)),),
        squares=(Square((5, 1), True),),
        off_limits_for_m=None,
        handled=True,
    )
    odo = BodyFigure(
        (10, 5),
        0.0,
        0.5,
        puppet=False,
        lead=1,
        followed=True,
        said="Off!",
        label="Odo · Escort",
    )
    look = StageLook(
        things=(PropFigure((3, 8), 0.5, True),),
        figures=(odo,),
        way=((10, 5), (12, 6)),
        cone=Cone((10, 5), 0.0, 4.0, 90.0),
    )

    def paint(painter: QPainter) -> None:
        written = paint_standing(painter, ground, projection, DAY)
        paint_moving(
            painter, stage, look, projection, QSizeF(WIDE, HIGH), written, DAY
        )

    image = drawn(paint)
    body = projection.to_pixels((10, 5)).toPoint()
    assert near(image, DAY.leads[1], body.x() - 6, body.y() - 6, 12, 12) > 40
    square = projection.to_pixels((5, 1)).toPoint()
    assert near(image, DAY.now, square.x() - 4, square.y() - 4, 8, 8) > 8
    nobody = drawn(
        lambda painter: paint_moving(
            painter,
            stage,
            StageLook(),
            projection,
            QSizeF(WIDE, HIGH),
            [],
            DAY,
        )
    )
    assert near(nobody, DAY.leads[1], 0, 0, WIDE, HIGH) == 0


def test_a_history_shows_numbers_by_height_and_texts_where_they_changed() -> (
    None
):
    level: Changes[KeyWrite] = Changes()
    for tick, value in ((0, 0.0), (50, 1.0)):
        level.add(tick, KeyWrite(value, "", ""))
    cell = QRectF(0, 0, 216, 60)
    image = drawn(
        lambda painter: paint_history(painter, cell, NUMBER, level, 100, DAY)
    )
    assert inked(image, 20, 52, 60, 6) > 40
    assert inked(image, 130, 2, 60, 6) > 40
    assert inked(image, 20, 2, 60, 40) == 0
    mood: Changes[KeyWrite] = Changes()
    for tick, text in ((0, "calm"), (50, "wary")):
        mood.add(tick, KeyWrite(text, "", ""))
    image = drawn(
        lambda painter: paint_history(painter, cell, NUMBER, mood, 100, DAY)
    )
    assert inked(image, 103, 10, 7, 40) > 20
    assert inked(image, 20, 2, 60, 56) == 0


def test_an_example_shows_its_stage_and_its_rows(tmp_path: Path) -> None:
    made = example_of(BUILTIN.kinds["move_to"])
    explainer = Explainer(
        read_take(roll(RollOrder(made, "example", tmp_path / "e.take"))),
        NPC,
        BUILTIN,
    )
    rows = list(explainer.outline.number)[:3]

    def paint(painter: QPainter) -> None:
        paint_example(painter, explainer, made.stages[0], rows, 30, BOX, DAY)

    image = drawn(paint)
    assert near(image, DAY.leads[0], 0, 0, 150, HIGH) > 20, "the NPC"
    assert near(image, DAY.now, WIDE - 120, 60, 115, 80) > 60, (
        "the line of now on the tapes"
    )
