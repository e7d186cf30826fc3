"""Labels: none over another, none cut off, and left out where there is no
room.
"""

import itertools
from collections.abc import Iterator

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QColor, QImage, QPainter
from pytestqt.qtbot import QtBot

from umbrant.desk.views.stage.painting import speech_place
from umbrant.desk.widgets.figures import box_for
from umbrant.desk.widgets.labels import Labels

AREA = QRectF(0, 0, 300, 200)
MIDDLE = QPointF(150, 100)
INK = QColor("black")


@pytest.fixture
def painter(qtbot: QtBot) -> Iterator[QPainter]:
    image = QImage(300, 200, QImage.Format.Format_RGB32)
    painting = QPainter(image)
    yield painting
    painting.end()


def test_a_label_stands_on_the_first_side_that_is_free(
    painter: QPainter,
) -> None:
    labels = Labels(painter, AREA)
    written = [
        labels.write(name, MIDDLE, 8, INK)
        for name in ("one", "two", "three", "four", "five", "six")
    ]
    right, left, lower_right, lower_left, below, above = (
        box for box in written if box is not None
    )
    assert (
        right.left(),
        left.right(),
        lower_right.left(),
        lower_left.right(),
    ) == (
        158,
        142,
        158,
        142,
    )
    assert lower_right.top() == lower_left.top() > right.top() == left.top()
    assert (below.top(), above.bottom()) == (lower_right.bottom(), right.top())
    assert labels.write("seven", MIDDLE, 8, INK) is None
    # What must be there stands further out, and over something only where
    # nothing is free.
    forced = labels.write("seven", MIDDLE, 8, INK, must=True)
    assert forced is not None
    assert not any(
        forced.intersects(box) for box in (right, left, below, above)
    )
    labels.keep_clear(AREA)
    labels.keep_clear(QRectF(0, 0, 300, 150))
    covered = labels.write("eight", MIDDLE, 8, INK, must=True)
    assert covered is not None
    assert covered.top() >= 150, "where all is covered, it covers least"


def test_a_line_leads_from_a_text_that_stands_far_off(
    painter: QPainter,
) -> None:
    image = painter.device()
    assert isinstance(image, QImage)
    image.fill(QColor("white"))
    labels = Labels(painter, AREA)
    labels.write("near", MIDDLE, 8, INK, must=True)
    labels.keep_clear(QRectF(0, 60, 300, 80))
    box = labels.write("far", MIDDLE, 8, INK, must=True)
    assert box is not None
    assert box.top() >= 140
    between = [
        image.pixelColor(x, y) for y in range(115, 139) for x in range(300)
    ]
    assert any(each != QColor("white") for each in between)
    assert all(image.pixelColor(x, 85) == QColor("white") for x in range(300))


def test_nothing_is_written_over_what_is_kept_clear(painter: QPainter) -> None:
    labels = Labels(painter, AREA)
    labels.keep_clear(QRectF(150, 0, 150, 200))
    box = labels.write("here", MIDDLE, 8, INK)
    assert box is not None
    assert box.right() == 142


def test_a_text_goes_over_what_is_spared_only_where_there_is_no_other_room(
    painter: QPainter,
) -> None:
    labels = Labels(painter, AREA)
    labels.spare(QRectF(150, 0, 150, 200))
    away = labels.write("here", MIDDLE, 8, INK)
    assert away is not None
    assert away.right() == 142
    labels.keep_clear(QRectF(0, 0, 150, 200))
    over = labels.write("there", MIDDLE, 8, INK)
    assert over is not None
    assert over.left() == 158


@settings(
    suppress_health_check=[HealthCheck.function_scoped_fixture],
    max_examples=40,
    deadline=None,
)
@given(
    st.lists(st.tuples(st.floats(-20, 320), st.floats(-20, 220)), max_size=30)
)
def test_no_label_covers_another_or_is_cut_off(
    painter: QPainter, places: list[tuple[float, float]]
) -> None:
    labels = Labels(painter, AREA)
    found = [
        labels.write(f"lamp {number}", QPointF(*place), 6, INK)
        for number, place in enumerate(places)
    ]
    boxes = [box for box in found if box is not None]
    assert bool(boxes) == bool(places)
    assert all(AREA.contains(box) for box in boxes)
    assert not any(
        one.intersects(other)
        for one, other in itertools.combinations(boxes, 2)
    )


def test_speech_covers_no_name_and_stands_further_off_where_it_must(
    painter: QPainter,
) -> None:
    labels = Labels(painter, AREA)
    seen = []
    for _ in range(7):
        where = speech_place(painter, "Halt!", MIDDLE, 8, 300, labels)
        box = box_for(painter, "Halt!", where, 300)
        assert labels.best_of([box]) == box
        labels.keep_clear(box)
        seen.append(abs(where.y() - MIDDLE.y()))
    assert seen[0] == 24
    assert max(seen[:4]) <= 34 < max(seen)
    # Where there is no room at all it is said all the same.
    labels.keep_clear(AREA)
    assert (
        speech_place(painter, "Halt!", MIDDLE, 8, 300, labels).y()
        == MIDDLE.y() - 24
    )
