"""Small files that ask for too much are refused with the rule that they break,
or cost no more than they should.
"""

import sqlite3
from contextlib import closing
from pathlib import Path

import numpy as np
import pytest
from pydantic import ValidationError

from tests.bounded import within
from tests.small import played, project, row, values
from umbrant.catalog.validation import validate
from umbrant.model.behaviors import Behavior, Blackboard, Key, NodeFile, Row
from umbrant.model.documents import Project
from umbrant.model.expanded import MOST_ROWS, expand_behavior
from umbrant.model.json_text import JsonError, read_json
from umbrant.model.staging import MOST_PLAYERS, Member, Scenario
from umbrant.model.values import KeyType
from umbrant.project_nodes import project_catalog
from umbrant.rolling.roll import RollOrder, roll
from umbrant.take.errors import TakeError
from umbrant.take.reader import read_take
from umbrant.take.tables import HEADER


def nested(levels: int, uses: int) -> Project:
    """Behaviors of which each uses the next several times."""
    behaviors = [
        Behavior(
            name=f"b{level}",
            title="B",
            blackboard="k",
            rows=(
                Row(id="top", kind="sequence"),
                *(
                    Row(
                        id=f"u{n}",
                        under="top",
                        kind="use_behavior",
                        args={"behavior": f"b{level + 1}"},
                    )
                    for n in range(uses if level < levels else 0)
                ),
            ),
        )
        for level in range(levels + 1)
    ]
    made = project(row("u0", "use_behavior", behavior="b0"), seconds=0.3)
    return made.model_copy(update={"behaviors": (*made.behaviors, *behaviors)})


@within(20)
def test_behaviors_used_in_each_other_are_counted_before_they_are_put_in() -> (
    None
):
    many = nested(12, 3)
    problem_texts = [str(each) for each in validate(many)]
    assert any(
        f"rows; {MOST_ROWS} is the most. Use fewer behaviors inside each other."
        in each
        for each in problem_texts
    )
    assert len(expand_behavior(many, "b").behavior.rows) < MOST_ROWS + 100
    few = nested(6, 3)
    assert validate(few) == []
    assert len(expand_behavior(few, "b").behavior.rows) > 1000


@within(20)
def test_formulas_that_name_the_one_before_twice_cost_as_much_as_they_are_many() -> (
    None
):
    first = Key(name="n0", type=KeyType.NUMBER)
    others = (
        Key(name=f"n{n}", type=KeyType.NUMBER, formula=f"n{n - 1} + n{n - 1}")
        for n in range(1, 40)
    )
    made = project(
        row("ww", "wait", duration=9.0),
        keys=(first, *others),
        start_keys={"n0": 1.0},
        seconds=0.5,
    )
    assert values(played(made), "n39") == [(0, 2.0**39)]


def test_a_scenario_has_so_many_players_at_most() -> None:
    cast = tuple(
        Member(name=f"m{n}", copies=1000, start=(1, 1)) for n in range(100)
    )
    with pytest.raises(ValidationError, match=f"more than {MOST_PLAYERS}"):
        Scenario(name="s", title="S", stage="yard", cast=cast)


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ('{"a": ' + "9" * 5000 + "}", "number of 5000 digits"),
        ('{"a": 1e999}', "too large"),
        ('{"a": NaN}', "NaN, which is no number"),
        ('{"a": "\\ud800"}', "half of a character"),
        ("[" * 100_000, "nested too deeply"),
    ],
)
def test_json_that_no_file_of_ours_holds_is_told_of(
    text: str, says: str
) -> None:
    with pytest.raises(JsonError, match=says):
        read_json(text)


@within(20)
@pytest.mark.parametrize(
    "body",
    [
        "x = " + "(" * 5000 + ")" * 5000,
        "x = " + "-" * 50_000 + "1",
        "x = " + "[" * 90 + "]" * 90,
        "x: " + "a." * 50_000 + "b = 1",
        "def f():\n"
        + "".join(f"{' ' * n}if 1:\n" for n in range(1, 120))
        + " " * 120
        + "pass",
        "\0",
        "x" * 2_000_000,
    ],
)
def test_files_of_nodes_that_are_nested_or_long_beyond_measure_are_told_of(
    body: str,
) -> None:
    text = f"from umbrant.nodes import *\n{body}\n"
    own = project_catalog(
        project().model_copy(
            update={"nodes": (NodeFile(name="deep.py", text=text),)}
        )
    )
    assert all(str(each).startswith("nodes/deep.py") for each in own.problems)


@pytest.fixture
def small_take(tmp_path: Path) -> Path:
    return roll(
        RollOrder(
            project(row("ww", "wait", duration=9.0), seconds=0.5),
            "s",
            tmp_path / "t.take",
        )
    )


@within(20)
def test_a_small_take_that_asks_for_much_memory_is_damaged(
    small_take: Path,
) -> None:
    with closing(sqlite3.connect(small_take, isolation_level=None)) as file:
        (header,) = file.execute(
            "SELECT value FROM meta WHERE name = ?", (HEADER,)
        ).fetchone()
        file.execute(
            "UPDATE meta SET value = ? WHERE name = ?",
            (header.replace('"ticks":5', '"ticks":20000000'), HEADER),
        )
        file.execute(
            "UPDATE meta SET value = '20000000' WHERE name = 'recorded'"
        )
        for n in range(100):
            file.execute(
                "INSERT INTO level VALUES (?, 0, ?)",
                (f"p{n}", np.zeros(1, np.float32).tobytes()),
            )
    with pytest.raises(TakeError, match="far more memory"):
        read_take(small_take)


@within(20)
def test_a_take_whose_table_is_a_view_without_end_is_damaged(
    small_take: Path,
) -> None:
    with closing(sqlite3.connect(small_take, isolation_level=None)) as file:
        file.executescript(
            "DROP TABLE said; CREATE VIEW said AS WITH RECURSIVE c(x) AS (VALUES(1) UNION ALL "
            "SELECT x + 1 FROM c) "
            "SELECT 'a' AS agent, x AS tick, 'x' AS text, x AS rowid FROM c"
        )
    with pytest.raises(TakeError, match="there is no table"):
        read_take(small_take)


@pytest.mark.parametrize(
    "name", ["a#b.take", "a?b.take", "a%41b.take", "a b.take"]
)
def test_a_take_may_have_any_name(small_take: Path, name: str) -> None:
    folder = small_take.parent / "p#1"
    folder.mkdir()
    assert read_take(small_take.rename(folder / name)).is_complete


def test_a_blackboard_may_be_extended_a_thousand_times() -> None:
    boards = tuple(
        Blackboard(name=f"k{n}", title="K", extends=f"k{n - 1}" if n else None)
        for n in range(1000)
    )
    assert validate(project(row("ww", "wait"), blackboards=boards)) == []
