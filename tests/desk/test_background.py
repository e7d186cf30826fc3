"""Work off the window's thread: only what was answered last is answered, and a
mistake of ours is said to be one.
"""

import threading
from collections.abc import Iterator
from functools import partial
from pathlib import Path

import pytest
from PySide6.QtCore import QObject
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from tests.conftest import DEMO
from tests.desk.conftest import Driver
from tests.waiting import PATIENCE_MS, PATIENCE_S
from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.validation import open_project
from umbrant.desk.session import background, reviewing
from umbrant.desk.session.background import NewestOnlyWorker
from umbrant.desk.session.desk import Desk
from umbrant.desk.session.numbered_take import NumberedTake
from umbrant.desk.session.reviewing import Reviewed, findings_of
from umbrant.desk.session.takes import KEPT_TAKES
from umbrant.model.edits import Edit, set_guard
from umbrant.model.paths import put


def test_only_the_newest_request_is_answered(qtbot: QtBot) -> None:
    go_on, began, answers = threading.Event(), threading.Event(), []

    def work(request: object) -> object:
        began.set()
        go_on.wait(10)
        return request

    parent = QObject()
    found = NewestOnlyWorker("Reading", work, (), parent)
    found.answered.connect(answers.append)
    found.request("old")
    assert began.wait(PATIENCE_S)
    found.request("new")
    go_on.set()
    qtbot.waitUntil(lambda: not found.busy, timeout=PATIENCE_MS)
    assert answers == ["new"]
    found.close()


def test_once_closed_nothing_more_is_worked_on(qtbot: QtBot) -> None:
    begun: list[object] = []
    parent = QObject()
    worker = NewestOnlyWorker("Reading", begun.append, (), parent)
    worker.close()
    worker.request("late")
    worker.close()
    assert begun == []


def test_a_take_that_is_ready_as_its_window_closes_is_not_read(
    demo_driver: Driver,
) -> None:
    takes = demo_driver.desk.takes
    requests: list[object] = []
    takes._loader.request = requests.append  # type: ignore[method-assign]
    demo_driver.desk.roll()
    roller = takes.roller
    # The reply has come, and Qt has not yet said so.
    assert roller._process is not None
    roller._process.waitForReadyRead(0)
    takes.close()
    QApplication.processEvents()
    assert requests == []


@pytest.mark.parametrize(
    ("error", "text"),
    [(ValueError("no take"), "no take"), (KeyError("row"), "inside Umbrant")],
)
def test_what_was_expected_is_told_as_it_is_and_a_mistake_as_one(
    qtbot: QtBot, monkeypatch: pytest.MonkeyPatch, error: Exception, text: str
) -> None:
    logged: list[str] = []
    monkeypatch.setattr(
        background.log, "exception", lambda text, called: logged.append(called)
    )

    def work(request: object) -> object:
        raise error

    parent = QObject()
    found = NewestOnlyWorker("Reading", work, (ValueError,), parent)
    with qtbot.waitSignal(found.failed, timeout=PATIENCE_MS) as failed:
        found.request(1)
    assert text in failed.args[0]
    assert logged == ([] if isinstance(error, ValueError) else ["Reading"])
    assert not found.busy
    found.close()


def test_a_mistake_in_a_finding_is_not_taken_for_no_findings(
    demo_driver: Driver, monkeypatch: pytest.MonkeyPatch
) -> None:
    logged: list[str] = []
    monkeypatch.setattr(
        background.log, "exception", lambda text, called: logged.append(called)
    )

    def mistaken(*_: object) -> None:
        raise KeyError("a finding that looks for what is not there")

    monkeypatch.setattr(reviewing, "review", mistaken)
    demo_driver.desk.documents.reviewer.request(
        demo_driver.desk.project, demo_driver.desk.catalog
    )
    demo_driver.until(lambda: logged == ["Reviewing the project"])
    text = "Reviewing the project failed inside Umbrant (KeyError"
    demo_driver.until(
        lambda: any(text in message for message in demo_driver.messages)
    )


def test_in_a_project_in_which_something_is_missing_a_missing_thing_is_no_mistake_of_ours(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    def missing(*_: object) -> None:
        raise KeyError("nowhere")

    monkeypatch.setattr(reviewing, "review", missing)
    fine = open_project(DEMO)
    broken = put(fine, ("scenarios", "dusk", "stage"), "nowhere")
    assert findings_of(Reviewed(broken, BUILTIN)) == []
    with pytest.raises(KeyError, match="nowhere"):
        findings_of(Reviewed(fine, BUILTIN))


def _is_rolled_since(desk: Desk, before: NumberedTake | None) -> bool:
    return desk.takes.current is not before and desk.is_current


def test_the_files_of_takes_that_are_no_longer_listed_are_removed(
    demo_driver: Driver,
) -> None:
    desk = demo_driver.desk
    for _ in range(KEPT_TAKES + 2):
        before = desk.takes.current
        desk.roll()
        demo_driver.until(partial(_is_rolled_since, desk, before))
    listed = {entry.loaded.take.path for entry in desk.takes.kept}
    assert len(listed) == KEPT_TAKES
    assert set(Path(desk.take.path.parent).iterdir()) == listed


def test_the_review_lets_what_is_awaited_go_first_but_not_for_ever(
    qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    answered: list[bool] = []
    monkeypatch.setattr(reviewing, "PAUSE_MS", 1)
    for awaited, expected in (
        ([True, True, False], [True, True, False]),
        ([True] * 99, [True] * (reviewing.MOST_PAUSES - 1)),
    ):
        answered.clear()
        parent = QObject()
        reviewer = reviewing.Reviewer(parent)
        answers = iter(awaited)

        def goes_first(answers: Iterator[bool] = answers) -> bool:
            answered.append(next(answers))
            return answered[-1]

        reviewer.lets_go_first = goes_first
        with qtbot.waitSignal(
            reviewer.reviewed, timeout=PATIENCE_MS
        ) as reviewed:
            reviewer.request(open_project(DEMO), BUILTIN)
        assert answered == expected
        assert reviewed.args == [[]]
        reviewer.close()


def test_a_take_is_awaited_until_it_is_read(demo_driver: Driver) -> None:
    desk = demo_driver.desk
    demo_driver.until(lambda: not desk.takes.is_awaited)
    before = desk.takes.current
    desk.roll()
    assert desk.takes.is_awaited
    assert desk.documents.reviewer.lets_go_first()
    demo_driver.until(lambda: not desk.takes.is_awaited)
    assert desk.takes.current is not before


def test_an_edit_that_changes_no_finding_does_not_have_the_tape_painted(
    demo_driver: Driver,
) -> None:
    documents, changed = demo_driver.desk.documents, []
    demo_driver.until(lambda: not documents.reviewer.busy)
    documents.findings_changed.connect(lambda: changed.append(1))
    reviewed: list[int] = []
    documents.reviewed.connect(lambda: reviewed.append(1))
    for when, says in (("can_see(visitor, within=9)", []), ("yes", [1])):
        reviewed.clear()
        demo_driver.desk.apply(
            Edit(
                "Set",
                partial(set_guard, behavior="warden", row_id="esc", when=when),
            )
        )
        demo_driver.until(lambda: bool(reviewed))
        assert changed == says


def test_a_file_is_removed_in_a_thread_and_one_that_cannot_be_is_logged(
    qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    logged: list[Path] = []
    monkeypatch.setattr(
        background.log, "exception", lambda text, path: logged.append(path)
    )
    file, folder = tmp_path / "a.take", tmp_path / "folder"
    file.touch()
    folder.mkdir()
    for path in (file, folder, tmp_path / "gone"):
        background.remove_later(path)
    qtbot.waitUntil(
        lambda: not file.exists() and logged == [folder], timeout=PATIENCE_MS
    )
