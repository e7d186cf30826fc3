"""Small parts of takes, each held to what it says: steps, gauges, times."""

import math

import pytest

from tests.small import RATE, played, project, row
from umbrant.catalog.protocols import Gauge, Measured
from umbrant.engine.project_view import value_for
from umbrant.model.values import KeyType
from umbrant.take.buffer import StepCounter, TakeBuffer
from umbrant.take.chunks import GaugeChunk


def test_steps_count_from_one_in_each_tick() -> None:
    buffer = TakeBuffer(20.0)
    counter = StepCounter(buffer)
    assert [counter.next() for _ in range(3)] == [1, 2, 3]
    buffer.tick += 1
    assert [counter.next() for _ in range(2)] == [1, 2]


def test_a_gauge_is_kept_where_anything_of_it_is_news() -> None:
    buffer = TakeBuffer(20.0)
    chunk = GaugeChunk(("a", "row", ""), Measured.SCORE, buffer)
    added = [
        Gauge(Measured.SCORE, 0.5, 0.0, "one"),
        Gauge(Measured.SCORE, 0.5, 0.0, "one"),
        Gauge(Measured.SCORE, 0.5, 0.2, "one"),
        Gauge(Measured.SCORE, 0.5, 0.2, "other"),
        Gauge(Measured.SCORE, 0.6, 0.2, "other"),
        Gauge(Measured.SCORE, 0.6, None, "other"),
    ]
    for tick, gauge in enumerate(added):
        buffer.tick = tick
        chunk.add(gauge)
    piece = chunk.piece()
    assert piece is not None
    (_, ticks), (_, values), (_, totals), (_, abouts) = piece.columns
    assert ticks == [0, 2, 3, 4, 5]
    assert values == [0.5, 0.5, 0.5, 0.6, 0.6]
    assert totals[:4] == [0.0, 0.2, 0.2, 0.2]
    assert math.isnan(totals[4])
    assert abouts == ["one", "one", "other", "other", "other"]


def test_a_time_is_a_tick_within_the_take() -> None:
    header = played(project(row("ww", "wait"), seconds=2.0)).header
    times = {
        -1.0: 0,
        0.0: 0,
        0.1: 1,
        1.0: RATE,
        1.9: 2 * RATE - 1,
        2.0: 2 * RATE - 1,
        99.0: 19,
    }
    assert {seconds: header.tick(seconds) for seconds in times} == times


@pytest.mark.parametrize("type_", KeyType)
def test_any_key_can_be_cleared_by_a_node(type_: KeyType) -> None:
    assert value_for(type_, None, "key") is None
