"""The tasks whose presses are counted are built as they are meant, within what
they may take.
"""

from itertools import groupby, pairwise
from pathlib import Path

import pytest
from benchmarks.hands import TASKS, Task, is_built, perform, presses

from tests.catalog.test_recipes import visited
from tests.desk.conftest import Driver
from tests.desk.presses import new_project
from umbrant.rolling.roll import RollOrder, roll
from umbrant.take.reader import read_take


@pytest.mark.parametrize("task", TASKS, ids=lambda task: task.name)
def test_a_task_is_built_by_keyboard_alone_in_few_presses(
    driver: Driver, task: Task
) -> None:
    new_project(driver)
    perform(f"**Home** {task.script}")
    driver.settle()
    assert driver.desk.documents.problems == []
    assert is_built(task, driver.window), driver.names()
    assert presses(task.script) <= task.most


def test_what_is_typed_in_three_sentences_patrols_chases_strikes_searches_and_gives_up(
    driver: Driver, tmp_path: Path
) -> None:
    new_project(driver)
    perform(f"**Home** {TASKS[0].script}")
    driver.settle()
    take = read_take(
        roll(
            RollOrder(visited(driver.desk.project), "day", tmp_path / "a.take")
        )
    )
    behavior, played = (
        take.header.expanded("guard").behavior,
        take.agents["guard"].rows,
    )
    idle = {row.name for row in behavior.rows if row.id not in played}
    assert idle <= {"Back to the well"}, "it is called off before"
    chase, search, beat = (
        row.id for row in behavior.rows if row.under == behavior.rows[0].id
    )
    began = sorted(
        (span.start, row_id)
        for row_id in (chase, search, beat)
        for span in played[row_id].spans
    )
    order = [row_id for row_id, _ in groupby(row_id for _, row_id in began)]
    follows = set(pairwise(order))
    assert {(beat, chase), (chase, search), (search, chase)} <= follows
    assert (search, beat) in follows, "and it gives up"
