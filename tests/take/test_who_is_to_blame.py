"""A mistake of ours is never said to be the take's: only what a file holds
makes it a damaged one.
"""

import sqlite3
from pathlib import Path

import pytest

from tests.small import project, row
from umbrant.rolling.roll import RollOrder, roll
from umbrant.take import reader
from umbrant.take.errors import TakeError
from umbrant.take.reader import read_take


@pytest.fixture
def path(tmp_path: Path) -> Path:
    return roll(
        RollOrder(project(row("top", "wait")), "s", tmp_path / "t.take")
    )


@pytest.mark.parametrize(
    "error", [ValueError, KeyError, TypeError, AttributeError]
)
def test_a_mistake_in_the_reader_is_not_said_to_be_damage(
    path: Path, error: type[Exception], monkeypatch: pytest.MonkeyPatch
) -> None:
    def mistaken(*_: object) -> None:
        raise error("a mistake of the program")

    monkeypatch.setattr(reader.Take, "__init__", mistaken)
    with pytest.raises(error, match="a mistake of the program"):
        read_take(path)


@pytest.mark.parametrize(
    "damage",
    [
        "UPDATE meta SET value = 'many' WHERE name = 'recorded'",
        "DELETE FROM meta WHERE name = 'header'",
        "UPDATE chunk SET ticks = x'00'",
        "UPDATE chunk SET more = '{'",
        "UPDATE chunk SET what = 'nonsense'",
        "UPDATE chunk SET agent = 'nobody'",
        "UPDATE pose SET tick = 'soon'",
        "DROP TABLE received",
    ],
)
def test_what_a_file_holds_is(path: Path, damage: str) -> None:
    with sqlite3.connect(path) as file:
        file.execute(damage)
    file.close()
    with pytest.raises(
        TakeError, match=r"t\.take.*damaged.*Roll the scenario again"
    ):
        read_take(path)
