"""A window on a project whose own nodes are wrong: it lives, says what is
wrong with file and line, and goes on.
"""

import os
from pathlib import Path

import pytest
from benchmarks.fuzz.hostile_nodes import HostileNode, action
from benchmarks.fuzz.nodes import project_with
from PySide6.QtCore import Qt

from tests.desk.conftest import Driver
from umbrant.desk.first_visit import FAILED
from umbrant.desk.views.review import ReviewView
from umbrant.model.folder import save_project


def opened(driver: Driver, folder: Path, node: HostileNode) -> Path:
    """Open a project with this node, which its user has trusted."""
    save_project(project_with(node), folder)
    driver.answers.trusting = True
    assert driver.window.open_folder(folder)
    driver.desk.message.connect(driver.messages.append)
    return folder / "nodes" / "bad.py"


def assert_in_review(driver: Driver, file: Path) -> None:
    """The file's fault stands at the row that uses its node and in the review;
    Enter goes there.
    """
    row = next(
        each for each in driver.desk.behavior.rows if each.kind == "bad"
    )
    (problem,) = driver.desk.problems_of(row.id)
    assert problem.message.startswith("its node stands in nodes/bad.py, ")
    driver.pane.actions_by_id["show_review"].trigger()
    view = driver.pane.views.of(ReviewView)
    assert (
        view.review.data(view.review.index(0, 0)) == "Problems: 2 to be mended"
    )
    driver.key(Qt.Key.Key_Home, to=view)
    driver.key(Qt.Key.Key_Down, to=view)
    driver.key(Qt.Key.Key_Return, to=view)
    assert driver.desk.row_id == row.id
    driver.pane.actions_by_id["show_review"].trigger()
    driver.key(Qt.Key.Key_Down, to=view)
    driver.key(Qt.Key.Key_Return, to=view)
    assert driver.answers.edited == [file]


@pytest.mark.parametrize(
    "before",
    [
        "import os; os._exit(1)",
        "while True: pass",
        "sum(range(10**12))",
        "import sys; sys.exit(0)",
        "raise RuntimeError('no')",
    ],
)
def test_a_file_that_fails_as_it_is_run_is_told_of_and_mending_it_is_enough(
    driver: Driver, tmp_path: Path, before: str
) -> None:
    file = opened(
        driver,
        tmp_path / "p",
        HostileNode("top", action("return True", before=before)),
    )
    driver.window.begin_first_visit()
    driver.until(
        lambda: any(
            each.startswith("nodes/bad.py") for each in driver.messages
        )
    )
    assert driver.desk.take is None
    assert FAILED in driver.pane.first_visit.text
    assert "bad" in driver.desk.catalog.kinds, "it is declared all the same"
    assert_in_review(driver, file)
    file.write_text(action("return True"))
    driver.desk.roll()
    assert driver.desk.documents.needs_trust, (
        "other code is to be trusted anew"
    )
    driver.desk.documents.trust_nodes()
    driver.desk.roll()
    driver.settle()
    assert driver.desk.take.is_complete
    assert driver.desk.documents.problems == []


def test_a_node_that_does_not_come_back_ends_its_take_which_is_shown_as_far_as_it_went(
    driver: Driver, tmp_path: Path
) -> None:
    body = "yield\nyield\nwhile True: pass"
    opened(driver, tmp_path / "p", HostileNode("spins", action(body)))
    driver.until(driver.has_take)
    take = driver.desk.take
    assert (take.ticks, take.is_complete) == (2, False)
    assert [
        each
        for each in driver.messages
        if "This take is not whole: nodes/bad.py, line" in each
    ]
    assert "did not come back within" in take.ended
    driver.desk.roll()
    driver.until(lambda: len(driver.desk.takes.kept) == 2)


def test_nothing_of_a_trusted_project_runs_in_the_windows_process(
    driver: Driver, tmp_path: Path
) -> None:
    mark = tmp_path / "ran"
    before = (
        f"import os, pathlib\npathlib.Path({str(mark)!r}).open('a')"
        ".write(str(os.getpid()) + '\\n')"
    )
    opened(
        driver,
        tmp_path / "p",
        HostileNode("marks", action("return True", before=before)),
    )
    driver.settle()
    driver.until(lambda: not driver.desk.documents.reviewer.busy)
    assert mark.exists(), "it was trusted, and played"
    assert str(os.getpid()) not in mark.read_text().split()
