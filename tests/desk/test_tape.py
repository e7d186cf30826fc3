"""The tape without a window: what still runs at the end is drawn to the end,
and zooming keeps what is pointed at.
"""

import pytest
from PySide6.QtCore import QRectF
from PySide6.QtGui import QImage
from pytestqt.qtbot import QtBot

from umbrant.catalog.kind import Family
from umbrant.catalog.protocols import Gauge, Measured
from umbrant.desk.session.shown import TapeWindow
from umbrant.desk.views.ledger.tape import Axis, TapePainter
from umbrant.desk.widgets.painted import painting
from umbrant.desk.widgets.theme import DAY
from umbrant.take.record import Changes, Outcome, RowRecord, Span


def running(record: RowRecord, ticks: int) -> list[bool]:
    """For each tick, whether a row's tape shows it as running, ten pixels a
    tick.
    """
    image = QImage(ticks * 10, 34, QImage.Format.Format_RGB32)
    image.fill(DAY.sheet)
    with painting(image) as painter:
        axis = Axis(QRectF(0, 0, ticks * 10, 34), 0, ticks, ticks)
        TapePainter(painter, axis, DAY, 10).draw(Family.ACTION, record)
    columns = (
        [image.pixelColor(tick * 10 + 3, y) for y in range(34)]
        for tick in range(ticks)
    )
    return [
        sum(abs(pixel.hue() - DAY.running.hue()) < 12 for pixel in column) > 10
        for column in columns
    ]


def test_what_still_runs_at_the_end_is_drawn_to_the_end(qtbot: QtBot) -> None:
    assert running(RowRecord(spans=[Span(4)]), 10) == [False] * 4 + [True] * 6
    ended = RowRecord(spans=[Span(2, 5, Outcome.FAILURE)])
    assert running(ended, 10) == [False] * 2 + [True] * 3 + [False] * 5


@pytest.mark.parametrize("factor", [0.5, 0.8, 1.25])
def test_zooming_keeps_the_tick_that_is_pointed_at_where_it_is(
    factor: float,
) -> None:
    tape = TapeWindow()
    tape.fit(2000, 20)
    tape.centre(1000)
    around = tape.start + tape.length * 0.25
    before = tape.length
    tape.zoom(factor, around)
    assert tape.length == pytest.approx(before * factor)
    assert (around - tape.start) / tape.length == pytest.approx(0.25)


def test_an_option_that_began_before_what_is_shown_stays_in_its_cell(
    qtbot: QtBot,
) -> None:
    record = RowRecord(
        spans=[Span(0, 30)],
        gauges={"": Changes([0], [Gauge(Measured.SCORE, 1.0, 0.0)])},
    )
    cell = QRectF(100, 0, 100, 34)
    image = QImage(300, 34, QImage.Format.Format_RGB32)
    image.fill(DAY.sheet)
    with painting(image) as painter:
        painter.setClipRect(cell)
        axis = Axis(cell, 10, 10, 40)
        TapePainter(painter, axis, DAY, 10).draw(Family.OPTION, record)
    middle = int(axis.foot) - 4
    drawn = [
        image.pixelColor(x, middle) != image.pixelColor(0, 0)
        for x in range(image.width())
    ]
    assert all(drawn[101:199])
    assert not any(drawn[:99])
    assert not any(drawn[201:])
