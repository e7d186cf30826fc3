"""What is on the screen: the tape tells status by height, the playhead stands
where it should.
"""

from PySide6.QtCore import QRectF
from PySide6.QtGui import QColor, QImage

from tests.desk.conftest import Driver
from umbrant.desk.views.ledger.model import TAPE
from umbrant.desk.widgets.theme import DAY


def column(hands: Driver, row_id: str, tick: float) -> list[QColor]:
    """The pixels of a row's tape, from top to bottom, at a tick."""
    ledger = hands.ledger
    cell = QRectF(
        ledger.visualRect(
            ledger.ledger.index(ledger.ledger.line_of(row_id), TAPE)
        )
    )
    x = int(ledger.tape_delegate.x_of(cell, tick))
    image: QImage = ledger.viewport().grab().toImage()
    return [
        image.pixelColor(x, y)
        for y in range(int(cell.top()), int(cell.bottom()) - 1)
    ]


def height(pixels: list[QColor], colour: QColor) -> int:
    """How many pixels are near a colour."""

    def near(one: QColor) -> bool:
        return all(
            abs(a - b) < 45
            for a, b in zip(one.getRgb()[:3], colour.getRgb()[:3], strict=True)
        )

    return sum(near(pixel) for pixel in pixels)


def test_running_is_tall_success_is_half_refused_is_a_thin_line_and_not_reached_is_nothing(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.desk.move_playhead(0)
    running = column(hands, "close", 240)
    success = column(hands, "close", 275)
    refused = column(hands, "esc", 100)
    nothing = column(hands, "warn", 100)
    assert height(running, DAY.running) == 20
    assert height(success, DAY.success) == 9
    assert height(refused, DAY.refused) == 3
    for colour in (DAY.running, DAY.success, DAY.refused):
        assert height(nothing, colour) == 0


def test_the_heights_differ_in_grey_too(demo_driver: Driver) -> None:
    hands = demo_driver
    sheet = DAY.sheet.lightness()

    def marked(row_id: str, tick: float) -> int:
        return sum(
            abs(pixel.lightness() - sheet) > 25
            for pixel in column(hands, row_id, tick)
        )

    assert (
        marked("close", 240)
        > marked("close", 275)
        > marked("esc", 100)
        > marked("warn", 100)
        == 0
    )


def test_the_playhead_is_a_line_through_every_row(demo_driver: Driver) -> None:
    hands = demo_driver
    hands.desk.move_playhead(150)
    for row_id in ("keep", "esc", "warn"):
        pixels = column(hands, row_id, 150)
        assert height(pixels, DAY.now) >= len(pixels) - 1


def test_what_became_different_is_tinted(demo_driver: Driver) -> None:
    hands = demo_driver
    hands.desk.move_playhead(600)
    before = column(hands, "chk", 740)
    _, rect = hands.number_chip("esc", "when")
    hands.drag(rect.center(), 120)
    hands.settle()
    after = column(hands, "chk", 740)
    assert height(before, DAY.different) == 0
    assert height(after, DAY.different) > 20


def test_every_view_paints_for_a_puppet_without_a_take_and_at_each_end(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    for agent in ("visitor", "odo"):
        hands.desk.select_agent(agent)
        for tick in (0, 839):
            hands.desk.move_playhead(tick)
            for row in hands.desk.behavior.rows[:6]:
                hands.desk.select_row(row.id)
                assert not hands.window.grab().isNull()
    hands.desk.takes.current = None
    hands.desk.take_changed.emit()
    assert not hands.window.grab().isNull()
