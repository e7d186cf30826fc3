"""The tasks whose presses are counted are built as they are meant, within what they may take."""

import pytest
from benchmarks.hands import TASKS, Task, is_built, perform, presses

from tests.desk.conftest import Driver
from tests.desk.presses import new_project


@pytest.mark.parametrize("task", TASKS, ids=lambda task: task.name)
def test_a_task_is_built_by_keyboard_alone_in_few_presses(driver: Driver, task: Task) -> None:
    new_project(driver)
    perform(f"**Home** {task.script}")
    driver.settle()
    assert driver.desk.documents.problems == []
    assert is_built(task, driver.window), driver.names()
    assert presses(task.script) <= 250
