"""The guide's first section, replayed: every line of it is pressed and typed
in the window.
"""

from pathlib import Path

from benchmarks.hands import actions_of

from tests.desk.conftest import Driver
from tests.desk.guide_steps import follow, guide_steps

GUIDE = Path(__file__).parents[2] / "docs" / "guide.md"


def test_every_line_of_the_guide_does_what_it_says(driver: Driver) -> None:
    steps = guide_steps(GUIDE)
    assert len(steps) > 10
    assert all(actions_of(step.does) and step.seen for step in steps), (
        "each does something that is seen"
    )
    driver.window.setFocus()
    for step in steps:
        follow(driver, step)
        driver.settle()
    assert driver.desk.documents.problems == []
    names = [row.name for row in driver.desk.behavior.rows]
    assert {"Walk the beat", "Chase and give up", "Circle and strike"} <= set(
        names
    )
