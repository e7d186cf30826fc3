"""Maps at every size: what is written in them can be read, and what runs is in
sight.
"""

import pytest
from benchmarks.crowded import machine_of
from benchmarks.desk import with_many_rows
from PySide6.QtCore import QPoint, QPointF, QRectF, Qt
from PySide6.QtGui import QFontMetricsF, QWheelEvent
from PySide6.QtWidgets import QApplication

from tests.conftest import DEMO
from tests.desk.conftest import Driver
from umbrant.catalog.validation import open_project
from umbrant.desk.views.map.arrows import bowed
from umbrant.desk.views.map.layout import (
    LINE_W,
    MOST_COLUMNS,
    draw_machine,
    draw_tree,
    in_lines,
    lines_in,
    open_rows,
)
from umbrant.desk.views.map.view import LEGIBLE, MapView
from umbrant.model.behaviors import Behavior

QUAY = open_project(DEMO)
WARDEN = QUAY.behavior("warden")
LARGE = with_many_rows(QUAY).behavior("warden")


def measure(text: str) -> float:
    return 6.5 * len(text)


def shown(hands: Driver) -> MapView:
    hands.pane.actions_by_id["show_map"].trigger()
    view = hands.pane.views.of(MapView)
    QApplication.processEvents()
    view.grab()
    return view


def titles(view: MapView) -> set[str]:
    drawing = view.drawing
    assert drawing is not None
    return {box.title for box in drawing.boxes}


@pytest.mark.parametrize(
    "behavior", [WARDEN, LARGE], ids=["demo", "2,000 rows"]
)
@pytest.mark.parametrize("lines", [1, 6, 12, 40])
def test_what_leads_to_the_wanted_rows_is_open_and_the_rest_as_it_fits(
    behavior: Behavior, lines: int
) -> None:
    wanted = behavior.rows[-1].id
    opened = open_rows(behavior, [wanted], lines)
    drawing = draw_tree(behavior, measure, opened)
    drawn = {box.row_id for box in drawing.boxes}
    assert wanted in drawn
    leaves = [
        box
        for box in drawing.boxes
        if not any(a.start == box.row_id for a in drawing.arrows)
    ]
    least = draw_tree(behavior, measure, open_rows(behavior, [wanted], 1))
    count = sum(
        not any(a.start == box.row_id for a in least.arrows)
        for box in least.boxes
    )
    assert len(leaves) <= max(lines, count)
    # What is not shown is counted.
    below = {
        row.id: len(behavior.outline.children[row.id]) for row in behavior.rows
    }
    for box in drawing.boxes:
        assert box.folded in (0, below[box.row_id])
        assert bool(box.folded) == (
            box.row_id not in opened and below[box.row_id] > 0
        )


def test_a_tree_that_fits_is_shown_whole() -> None:
    opened = open_rows(WARDEN, [], 100)
    drawing = draw_tree(WARDEN, measure, opened)
    assert len(drawing.boxes) == len(WARDEN.rows)
    assert not any(box.folded for box in drawing.boxes)
    assert lines_in(drawing.height) >= len(drawing.boxes) - len(drawing.arrows)


def test_names_are_broken_between_words() -> None:
    assert in_lines("Go there", measure) == ("Go there",)
    assert in_lines("Walk slowly to where the last one was seen", measure) == (
        "Walk slowly to where",
        "the last one was seen",
    )
    long = "Unbreakable" * 4
    assert in_lines(long, measure) == (long,)
    assert (
        max(map(measure, in_lines("Check the last sighting", measure)))
        <= LINE_W
    )


def test_names_have_room_in_their_boxes_at_every_size(
    quay_driver: Driver,
) -> None:
    hands = quay_driver
    for width in (1280, 1600, 1000):
        hands.window.resize(width, 800)
        view = shown(hands)
        placement = view.placement
        assert placement.scale >= LEGIBLE
        metrics = QFontMetricsF(placement.title_font)
        drawing = view.drawing
        assert drawing is not None
        for box in drawing.boxes:
            rect = placement.rect(box)
            assert (
                max(map(metrics.horizontalAdvance, box.lines)) <= rect.width()
            )
            assert metrics.lineSpacing() * len(box.lines) <= rect.height() + 2


def test_the_map_of_a_tree_follows_the_playhead(quay_driver: Driver) -> None:
    hands = quay_driver
    view = shown(hands)
    hands.desk.move_playhead(718)
    assert {"Check last sighting", "Go there", "Escort the visitor"} <= titles(
        view
    )
    assert "Warn" not in titles(view)
    hands.desk.move_playhead(250)
    assert "Close in" in titles(view)
    row = next(
        box for box in view.drawing.boxes if box.title == "Tend the lamps"
    )
    assert row.folded == 5
    hands.desk.select_row("fill")
    assert "Refill" in titles(view)
    # Zoomed by hand it is all there.
    place = QPointF(view.rect().center())
    hands.qtbot.wait(1)
    wheel = QWheelEvent(
        place,
        view.mapToGlobal(place),
        QPoint(),
        QPoint(0, 120),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    QApplication.sendEvent(view, wheel)
    assert len(view.drawing.boxes) == len(hands.desk.behavior.rows)
    hands.qtbot.mouseDClick(view, Qt.MouseButton.LeftButton, pos=QPoint(3, 3))
    assert len(view.drawing.boxes) < len(hands.desk.behavior.rows)


def test_an_arrow_between_a_box_and_one_around_it_is_short() -> None:
    outer, inner = QRectF(0, 0, 300, 200), QRectF(20, 80, 60, 30)
    into, out = bowed(outer, inner, 0), bowed(inner, outer, 0)
    assert (into.path.pointAtPercent(0), into.tip) == (
        QPointF(0, 95),
        QPointF(20, 95),
    )
    assert (out.path.pointAtPercent(0), out.tip) == (
        QPointF(20, 95),
        QPointF(0, 95),
    )
    low = bowed(outer, QRectF(120, 150, 60, 30), 0)
    assert (low.path.pointAtPercent(0), low.tip) == (
        QPointF(150, 200),
        QPointF(150, 180),
    )


def test_the_map_folds_with_the_outline(quay_driver: Driver) -> None:
    hands, desk = quay_driver, quay_driver.desk
    hands.pane.actions_by_id["large_stage"].trigger()
    view = shown(hands)
    top = desk.behavior.outline.tops[0]
    row_id = next(
        each for each in desk.behavior.outline.children[top] if each == "esc"
    )
    inside = [
        each for each in desk.behavior.outline.within(row_id) if each != row_id
    ]
    desk.select_row(row_id)
    assert {box.row_id for box in view.drawing.boxes} >= {row_id, *inside}
    hands.key(Qt.Key.Key_F, to=view)
    boxes = {box.row_id: box for box in view.drawing.boxes}
    assert not boxes.keys() & set(inside)
    assert boxes[row_id].folded == len(desk.behavior.outline.children[row_id])
    # The outline is folded as well, and is unfolded there for both.
    assert all(hands.ledger.ledger.line_of(each) < 0 for each in inside)
    hands.pane.actions_by_id["large_stage"].trigger()
    hands.key(Qt.Key.Key_F, to=hands.ledger)
    assert all(hands.ledger.ledger.line_of(each) >= 0 for each in inside)
    assert desk.folds.rows == frozenset()
    # Zoomed by hand, what is folded stays so.
    hands.key(Qt.Key.Key_F, to=hands.ledger)
    hands.qtbot.keyClicks(view, "+")
    assert not {box.row_id for box in view.drawing.boxes} & set(inside)
    hands.qtbot.keyClicks(view, "0")
    # What is looked at is never hidden.
    desk.select_row(inside[-1])
    assert inside[-1] in {box.row_id for box in view.drawing.boxes}


def test_a_guard_and_decorators_are_marked(quay_driver: Driver) -> None:
    hands = quay_driver
    hands.pane.actions_by_id["large_stage"].trigger()
    view = shown(hands)
    marked = {
        box.row_id: (box.guarded, box.decorators) for box in view.drawing.boxes
    }
    assert marked["esc"] == (True, 0)
    assert marked["go"] == (False, 1)


def test_forty_states_go_on_below_and_are_named() -> None:
    machine = machine_of(40)
    drawing = draw_machine(machine, "top", measure)
    boxes = [box for top in drawing.boxes for box in top.all()]
    assert len(boxes) == 40
    # States inside one another stand in bands of so many, and no box lies over
    # another.
    widest = max(
        len({round(inner.x) for inner in top.inside}) for top in drawing.boxes
    )
    assert widest <= MOST_COLUMNS
    for top in drawing.boxes:
        rects = [QRectF(box.x, box.y, box.w, box.h) for box in top.inside]
        for index, one in enumerate(rects):
            assert not any(
                one.intersects(other) for other in rects[index + 1 :]
            )
            assert QRectF(top.x, top.y, top.w, top.h).contains(one)
    assert all(
        measure(box.title) + 20 <= box.w for box in boxes if not box.inside
    )


def test_a_new_state_moves_its_neighbours_and_not_the_world() -> None:
    before = draw_machine(machine_of(39), "top", measure)
    after = draw_machine(machine_of(40), "top", measure)
    places = {
        box.row_id: (box.x, box.y) for top in before.boxes for box in top.all()
    }
    moved = [
        box.row_id
        for top in after.boxes
        for box in top.all()
        if box.row_id in places and places[box.row_id] != (box.x, box.y)
    ]
    assert len(moved) < 10


def test_what_runs_is_in_sight_where_not_all_has_room(
    quay_driver: Driver,
) -> None:
    hands = quay_driver
    hands.desk.select_agent("gull_2")
    view = shown(hands)
    view.setFixedSize(260, 120)
    QApplication.processEvents()
    for tick in range(0, 840, 60):
        hands.desk.move_playhead(tick)
        running = [
            box
            for top in view.drawing.boxes
            for box in top.all()
            if view._state(box.row_id).name == "RUNNING"
        ]
        assert running
        assert view.rect().contains(
            view.box_rect(running[-1]).center().toPoint()
        )
