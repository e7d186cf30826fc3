"""A look at a take while it is played: what has come so far, in a file of its
own.
"""

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import pytest

from tests.conftest import DEMO
from tests.rolling.supervised import Supervisor
from umbrant.catalog.validation import open_project
from umbrant.rolling.orders import Reply, look_line, order_line
from umbrant.rolling.roll import RollOrder, roll
from umbrant.take.export import ExportFormat, export_text
from umbrant.take.reader import read_take

QUAY = open_project(DEMO)


@pytest.fixture
def supervisor() -> Iterator[Supervisor]:
    made = Supervisor()
    yield made
    made.end()


def looks_at(
    supervisor: Supervisor, order: RollOrder, folder: Path
) -> list[Reply]:
    """Roll, and ask for a look whenever it is said how far it is."""
    looks: list[Reply] = []
    supervisor.say(order_line(1, order))
    while (reply := supervisor.hear()).of:
        if reply.look is not None:
            looks.append(reply)
        else:
            supervisor.say(look_line(1, folder / f"{reply.ticks}.look"))
    assert reply.take == order.path
    return looks


def test_a_look_is_the_beginning_of_the_take(
    supervisor: Supervisor, tmp_path: Path
) -> None:
    order = RollOrder(QUAY, "dusk", tmp_path / "dusk.take")
    looks = looks_at(supervisor, order, tmp_path)
    full = read_take(order.path)
    assert len(looks) > 1
    for reply in looks:
        assert reply.look is not None
        seen = read_take(reply.look)
        assert not seen.is_complete
        assert 0 < seen.ticks == reply.ticks <= full.ticks
        for name, record in full.agents.items():
            begun = [
                (row_id, span.start)
                for row_id, row in record.rows.items()
                for span in row.spans
                if span.start < seen.ticks
            ]
            assert begun == [
                (row_id, span.start)
                for row_id in record.rows
                for span in seen.agents[name].row(row_id).spans
            ]
            assert (seen.poses[name] == full.poses[name][: seen.ticks]).all()


def test_a_take_that_was_looked_at_is_the_take_that_was_not(
    supervisor: Supervisor, tmp_path: Path
) -> None:
    order = RollOrder(QUAY, "dusk", tmp_path / "dusk.take", seconds=15.0)
    assert looks_at(supervisor, order, tmp_path)
    alone = roll(replace(order, path=tmp_path / "alone.take"))
    for kind in ExportFormat:
        one, other = (
            export_text(read_take(each), kind) for each in (order.path, alone)
        )
        assert one == other
    left = sorted(
        each.name for each in tmp_path.iterdir() if each.suffix != ".look"
    )
    assert left == ["alone.take", "dusk.take"]


def test_a_look_that_cannot_be_written_leaves_the_take_alone(
    supervisor: Supervisor, tmp_path: Path
) -> None:
    (tmp_path / "file").write_text("no folder")
    order = RollOrder(QUAY, "dusk", tmp_path / "dusk.take")
    assert looks_at(supervisor, order, tmp_path / "file") == []
    assert read_take(order.path).is_complete


def test_a_look_at_nothing_has_no_reply(
    supervisor: Supervisor, tmp_path: Path
) -> None:
    supervisor.say(look_line(7, tmp_path / "seven.look"))
    order = RollOrder(QUAY, "dusk", tmp_path / "dusk.take", seconds=1.0)
    supervisor.say(order_line(8, order))
    while (reply := supervisor.hear()).of:
        assert reply.number == 8
    assert reply.take == order.path
    assert not (tmp_path / "seven.look").exists()
