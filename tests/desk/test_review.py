"""The review in the real window: told beside rows and in a list, mended or
dismissed from there.
"""

from PySide6.QtCore import Qt

from tests.desk.conftest import Driver
from tests.desk.test_setting import choose
from umbrant.desk.views.review import ReviewView
from umbrant.model.behaviors import Key, Watch
from umbrant.model.documents import Project
from umbrant.model.edits import Edit, declare_key, set_guard
from umbrant.model.values import KeyType
from umbrant.review.findings import Finding, Severity


def mistaken(driver: Driver) -> None:
    """Give a row a guard that goes without saying, and open the review."""
    driver.desk.apply(
        Edit(
            "Guard",
            lambda p: set_guard(p, "warden", "tend", "yes", Watch.ON_ENTRY),
        )
    )
    driver.until(
        lambda: any(
            each.row_id == "tend" for each in driver.desk.documents.findings
        )
    )
    driver.pane.actions_by_id["show_review"].trigger()


def press(driver: Driver, key: Qt.Key) -> None:
    driver.key(key, to=driver.pane.views.of(ReviewView))


def test_the_demo_has_no_findings_in_its_documents(
    demo_driver: Driver,
) -> None:
    demo_driver.until(lambda: not demo_driver.desk.documents.reviewer.busy)
    assert demo_driver.pane.left.buttons["review"].text() == "Review"
    assert demo_driver.desk.documents.findings == []


def test_a_mistake_is_told_as_it_is_written_and_enter_goes_to_its_row(
    demo_driver: Driver,
) -> None:
    mistaken(demo_driver)
    desk, review = demo_driver.desk, demo_driver.pane.views.of(ReviewView)
    assert demo_driver.pane.left.buttons["review"].text().startswith("Review ")
    assert "Its guard is always yes." in demo_driver.ledger.ledger._tip(
        desk.behavior.row("tend")
    )
    assert "In the documents: " in review.review.data(
        review.review.index(0, 0)
    )
    desk.select_row("keep")
    press(demo_driver, Qt.Key.Key_Down)
    press(demo_driver, Qt.Key.Key_Return)
    assert desk.row_id == "tend"
    assert demo_driver.pane.left.view is demo_driver.ledger


def test_a_finding_is_mended_from_the_list(demo_driver: Driver) -> None:
    mistaken(demo_driver)
    review = demo_driver.pane.views.of(ReviewView)
    press(demo_driver, Qt.Key.Key_Down)
    review.leave_chips()
    review.focus_chip(-1)
    review.focus_chip(1)
    press(demo_driver, Qt.Key.Key_Return)
    choose(review.editing.menu, "Take the guard off")
    assert (
        demo_driver.desk.project.behavior("warden").row("tend").guard is None
    )
    assert demo_driver.desk.documents.history.undo_name == "Take the guard off"
    demo_driver.until(lambda: demo_driver.desk.documents.findings == [])


def test_a_finding_is_dismissed_with_a_reason_that_is_kept(
    demo_driver: Driver,
) -> None:
    mistaken(demo_driver)
    review = demo_driver.pane.views.of(ReviewView)
    press(demo_driver, Qt.Key.Key_Down)
    review.focus_chip(-1)
    press(demo_driver, Qt.Key.Key_Return)
    choose(review.editing.menu, "it is meant so")
    demo_driver.until(lambda: demo_driver.desk.documents.findings == [])
    kept = demo_driver.desk.project.cover.dismissed[-1]
    assert (kept.finding, kept.reason) == (
        "settled_guard behaviors/warden.json tend",
        "it is meant so",
    )
    demo_driver.desk.documents.undo()
    demo_driver.until(lambda: len(demo_driver.desk.documents.findings) == 1)


def test_keys_of_rows_do_nothing_in_the_review(demo_driver: Driver) -> None:
    mistaken(demo_driver)
    before = demo_driver.desk.project
    for key in (
        Qt.Key.Key_Delete,
        Qt.Key.Key_M,
        Qt.Key.Key_G,
        Qt.Key.Key_Tab,
        Qt.Key.Key_F2,
    ):
        press(demo_driver, key)
    assert demo_driver.desk.project is before


def test_what_matters_most_stands_first(demo_driver: Driver) -> None:
    """The row that only hints stands before the one with an error in its
    file.
    """
    desk = demo_driver.desk
    demo_driver.pane.actions_by_id["show_review"].trigger()
    tired = Key(name="tired", type=KeyType.NUMBER)

    def mistakes(project: Project) -> Project:
        project = declare_key(project, "quay", tired)
        for row_id, when in (("tend", "yes"), ("walk", "tired < 3")):
            project = set_guard(
                project, "warden", row_id, when, Watch.ON_ENTRY
            )
        return project

    desk.apply(Edit("Guards", mistakes))
    demo_driver.until(lambda: len(desk.documents.findings) >= 2)
    lines = demo_driver.pane.views.of(ReviewView).review.lines
    said = [each for each in lines if isinstance(each, Finding)]
    written = [each for each in said if each in desk.documents.findings]
    assert [each.row_id for each in written[:2]] == ["walk", "tend"]
    assert written[0].rule.severity is Severity.ERROR
    assert desk.documents.findings[0].rule.severity is not Severity.ERROR
