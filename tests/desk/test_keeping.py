"""Opening, saving, and everything that goes wrong with files, takes and
workers: told clearly, nothing lost.
"""

import json
import os
import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path
from random import Random

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QWidget
from pytestqt.qtbot import QtBot

from tests.conftest import DEMO
from tests.desk.conftest import Answers, Driver
from tests.waiting import PATIENCE_S, until
from umbrant.desk import app
from umbrant.desk.commands.project import keep_take, open_take, save, save_as
from umbrant.desk.session.autosave import kept_changes, recovery_path
from umbrant.desk.session.settings import Settings
from umbrant.desk.window import MainWindow
from umbrant.model.edits import (
    Edit,
    delete_rows,
    rename_row,
    set_muted,
    set_seed,
)
from umbrant.model.folder import read_project, save_project

RENAME = Edit(
    "Rename", lambda project: rename_row(project, "warden", "go", "Run there")
)
CONTROL = Qt.KeyboardModifier.ControlModifier


def test_a_window_without_a_project_says_how_to_get_one(
    driver: Driver,
) -> None:
    assert driver.window.windowTitle() == "No project — Umbrant"
    assert driver.desk.take is None
    assert driver.pane.top.state.text() == ""
    assert "Nothing has been rolled yet" in driver.reasons()
    assert driver.desk.documents.problems == []
    driver.key(Qt.Key.Key_Return)
    assert not driver.ledger.search.isVisible()


def test_open_asks_for_a_folder_and_remembers_it(
    driver: Driver, demo: Path
) -> None:
    driver.answers.folder = demo
    driver.window.open_project()
    driver.settle()
    assert driver.window.windowTitle() == "Lantern Quay — Umbrant"
    assert driver.window.settings.recent == [demo]


def test_saving_writes_only_what_changed_and_clears_the_mark(
    demo_driver: Driver, demo: Path
) -> None:
    hands = demo_driver
    untouched = (demo / "stages" / "quay.json").stat().st_mtime_ns
    hands.desk.apply(RENAME)
    hands.key(Qt.Key.Key_S, CONTROL)
    assert not hands.desk.documents.history.unsaved
    assert read_project(demo).behavior("warden").row("go").name == "Run there"
    assert (demo / "stages" / "quay.json").stat().st_mtime_ns == untouched


def test_save_as_makes_a_copy_that_opens(
    demo_driver: Driver, tmp_path: Path
) -> None:
    hands = demo_driver
    hands.desk.apply(RENAME)
    hands.answers.folder = tmp_path / "copy"
    save_as(hands.pane.command_context)
    assert (
        read_project(tmp_path / "copy").behavior("warden").row("go").name
        == "Run there"
    )
    assert hands.desk.documents.folder == tmp_path / "copy"


def test_a_folder_that_cannot_be_written_keeps_the_changes_in_the_window(
    demo_driver: Driver, demo: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    hands = demo_driver
    before = (demo / "behaviors" / "warden.json").read_bytes()
    hands.desk.apply(RENAME)

    def forbidden(*_: object, **__: object) -> None:
        raise PermissionError(13, "Permission denied", str(demo / "behaviors"))

    monkeypatch.setattr("tempfile.mkstemp", forbidden)
    assert save(hands.pane.command_context) is False
    assert "Permission denied" in hands.answers.messages[-1]
    assert hands.desk.documents.history.unsaved
    assert (demo / "behaviors" / "warden.json").read_bytes() == before


def test_a_project_that_cannot_be_read_leaves_the_open_one_as_it_is(
    demo_driver: Driver, tmp_path: Path
) -> None:
    hands = demo_driver
    hands.desk.apply(RENAME)
    broken = tmp_path / "broken"
    broken.mkdir()
    (broken / "project.json").write_text('{"title": "Half')
    assert not hands.window.open_folder(broken)
    assert hands.answers.messages[0] == "broken could not be opened"
    assert "The file ends too early" in hands.answers.messages[1]
    assert hands.desk.behavior.row("go").name == "Run there"


def test_a_project_with_an_unknown_node_and_key_opens_and_says_which_rows_cannot_run(
    driver: Driver, demo: Path
) -> None:
    path = demo / "behaviors" / "warden.json"
    path.write_text(
        path.read_text()
        .replace('"look_about"', '"lok_about"')
        .replace('"lamp_oil > 0.7"', '"lamp_ol > 0.7"')
    )
    said: list[str] = []
    assert driver.window.open_folder(demo)
    driver.desk.message.connect(said.append)
    driver.settle()
    assert {problem.row_id for problem in driver.desk.documents.problems} == {
        "look",
        "dim",
    }
    tip = driver.ledger.ledger._tip(driver.desk.behavior.row("look"))
    assert tip == "`lok_about` is no kind of node. Did you mean 'look_about'?"
    notice = driver.pane.notice
    assert notice.isVisible()
    assert notice.height() < 80
    assert driver.pane.across.geometry().contains(notice.geometry())
    driver.qtbot.mouseClick(notice, Qt.MouseButton.LeftButton)
    assert not notice.isVisible()
    driver.desk.select_row("dim")
    driver.key(Qt.Key.Key_X)
    assert "`lamp_ol` is no key" in driver.reasons()


def test_closing_with_unsaved_changes_asks_and_may_stay(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.desk.apply(RENAME)
    hands.answers.on_unsaved = "stay"
    assert hands.window.close() is False
    hands.answers.on_unsaved = "save"
    assert hands.window.close() is True
    assert (
        read_project(hands.desk.documents.folder)
        .behavior("warden")
        .row("go")
        .name
        == "Run there"
    )


def test_unsaved_changes_survive_a_crash_and_are_offered_again(
    demo_driver: Driver, demo: Path, qtbot: QtBot, own_folders: Path
) -> None:
    hands = demo_driver
    hands.desk.apply(RENAME)
    hands.until(lambda: recovery_path(demo).exists())
    kept = kept_changes(demo, read_project(demo))
    assert kept is not None
    assert kept.behavior("warden").row("go").name == "Run there"

    for take_up, expected in ((True, "Run there"), (False, "Go there")):
        answers = Answers()
        answers.take_up = take_up
        later = MainWindow(Settings(own_folders / "later.ini"), answers)
        later.show()
        text = recovery_path(demo).read_text()
        assert later.open_folder(demo)
        assert "ended before its changes were saved" in answers.messages[0]
        assert later.desk.behavior is not None
        assert later.desk.behavior.row("go").name == expected
        later.close()
        recovery_path(demo).write_text(text)
        later.deleteLater()


def test_a_damaged_recovery_file_is_passed_over(
    driver: Driver, demo: Path
) -> None:
    path = recovery_path(demo)
    path.parent.mkdir(parents=True)
    for text in ("{", "[]", json.dumps({"documents": {"project.json": "{"}})):
        path.write_text(text)
        assert kept_changes(demo, read_project(demo)) is None
    assert driver.open(demo)


def test_saving_forgets_the_kept_changes(
    demo_driver: Driver, demo: Path
) -> None:
    hands = demo_driver
    hands.desk.apply(RENAME)
    hands.until(lambda: recovery_path(demo).exists())
    save(hands.pane.command_context)
    hands.until(lambda: not recovery_path(demo).exists())


def test_a_worker_killed_during_a_roll_is_told_and_the_next_take_works(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.desk.apply(RENAME)
    assert hands.desk.takes.busy
    os.kill(hands.desk.takes.roller.process_id, signal.SIGKILL)
    hands.until(lambda: any("worker" in message for message in hands.messages))
    assert not hands.desk.takes.busy
    assert hands.desk.behavior.row("go").name == "Run there"
    assert len(hands.desk.takes.kept) == 1
    hands.key(Qt.Key.Key_F5)
    hands.settle()
    assert len(hands.desk.takes.kept) == 2


def test_a_take_is_kept_and_opened_again_after_the_project_changed(
    demo_driver: Driver, tmp_path: Path
) -> None:
    hands = demo_driver
    hands.answers.file = tmp_path / "kept.take"
    keep_take(hands.pane.command_context)
    hands.desk.apply(
        Edit(
            "Delete",
            lambda project: rename_row(project, "warden", "esc", "Chase"),
        )
    )
    hands.settle()
    open_take(hands.pane.command_context)
    hands.until(lambda: len(hands.desk.takes.kept) == 3)
    assert "made from another state of the project" in hands.messages[-1]
    hands.desk.move_playhead(730)
    assert "Escort the visitor" in hands.reasons()


def test_a_file_that_is_no_take_is_told(
    demo_driver: Driver, tmp_path: Path
) -> None:
    hands = demo_driver
    (tmp_path / "x.take").write_text("no take at all" * 200)
    hands.answers.file = tmp_path / "x.take"
    open_take(hands.pane.command_context)
    hands.until(
        lambda: any(
            "no take, or it is damaged" in message
            for message in hands.messages
        )
    )
    assert hands.desk.takes.current.number == 1


def test_a_take_that_cannot_be_kept_is_told(
    demo_driver: Driver, tmp_path: Path
) -> None:
    hands = demo_driver
    hands.answers.file = tmp_path / "no" / "such" / "folder.take"
    keep_take(hands.pane.command_context)
    assert "could not be written" in hands.messages[-1]


def test_an_error_inside_is_logged_told_and_keeps_the_changes(
    demo_driver: Driver,
    demo: Path,
    monkeypatch: pytest.MonkeyPatch,
    capsys: pytest.CaptureFixture[str],
) -> None:
    hands = demo_driver
    hands.desk.apply(RENAME)
    logged: list[str] = []
    monkeypatch.setattr(app.log, "error", logged.append)
    error = RuntimeError("out of paint")
    app._Hook(hands.window)(RuntimeError, error, None)
    assert "out of paint" in hands.messages[-1]
    assert "Your changes are kept." in hands.messages[-1]
    assert "out of paint" in logged[0]
    hands.until(lambda: recovery_path(demo).exists())
    assert "out of paint" in capsys.readouterr().err


def test_a_sessions_end_closes_the_window_in_good_order(
    demo: Path, own_folders: Path
) -> None:
    """The end of a session, or Ctrl+C, is no question to be answered: unsaved
    changes are kept for the next visit.
    """
    started = own_folders / "started"
    script = (
        "import sys, pathlib\n"
        "from PySide6.QtCore import QTimer\n"
        "from umbrant.desk import app, window\n"
        "from umbrant.model.edits import Edit, rename_row\n"
        "rename = Edit('Rename', lambda p: rename_row(p, 'warden', 'go', 'Run there'))\n"
        "opened = window.MainWindow.open_folder\n"
        "def open_folder(self, folder):\n"
        "    done = opened(self, folder)\n"
        "    self.desk.apply(rename)\n"
        f"    pathlib.Path({str(started)!r}).touch()\n"
        "    return done\n"
        "window.MainWindow.open_folder = open_folder\n"
        f"sys.exit(app.run_desk(pathlib.Path({str(demo)!r})))\n"
    )
    (own_folders / "temporary").mkdir()
    process = subprocess.Popen(
        [sys.executable, "-c", script],
        env={**os.environ, "TMPDIR": str(own_folders / "temporary")},
    )
    until(started.exists)
    process.send_signal(signal.SIGTERM)
    assert process.wait(timeout=PATIENCE_S) == 0
    kept = kept_changes(demo, read_project(demo))
    assert kept is not None
    assert kept.behavior("warden").row("go").name == "Run there"
    assert list((own_folders / "temporary").iterdir()) == []


def test_an_empty_project_shows_an_empty_window(
    driver: Driver, tmp_path: Path
) -> None:
    (tmp_path / "bare").mkdir()
    (tmp_path / "bare" / "project.json").write_text(
        '{"title": "Bare", "scenario": "none"}'
    )
    assert driver.window.open_folder(tmp_path / "bare")
    assert driver.window.windowTitle() == "Bare — Umbrant"
    driver.window.grab()


def test_files_changed_by_another_program_are_noticed_and_not_written_over_unasked(
    driver: Driver, answers: Answers, tmp_path: Path
) -> None:
    folder = tmp_path / "quay"
    shutil.copytree(DEMO, folder)
    assert driver.open(folder)
    events = folder / "events.json"
    events.write_text(events.read_text().replace("thunder", "storm"))
    other = QWidget()
    other.show()
    other.activateWindow()
    driver.until(lambda: not driver.window.isActiveWindow())
    driver.window.activateWindow()
    driver.until(
        lambda: any(
            "Another program has changed events.json." in each
            for each in driver.messages
        )
    )
    other.close()
    driver.desk.apply(
        Edit("Mute", lambda p: set_muted(p, "warden", ["warn"], True))
    )
    assert not save(driver.pane.command_context)
    assert answers.messages[-1] == "changed meanwhile: events.json"
    assert "storm" in events.read_text(), "nothing was written over"
    driver.pane.actions_by_id["revert"].trigger()
    assert "storm" in [
        event.name for event in driver.desk.project.event_list.events
    ]
    assert not driver.desk.behavior.row("warn").muted
    assert driver.desk.documents.changed_outside() == []


def test_what_has_changed_since_the_last_save_is_told(
    demo_driver: Driver, answers: Answers
) -> None:
    desk = demo_driver.desk
    demo_driver.pane.actions_by_id["changes"].trigger()
    assert answers.messages[-1] == "Nothing has changed."
    desk.apply(
        Edit("Mute", lambda p: set_muted(p, "warden", ["warn", "along"], True))
    )
    desk.apply(Edit("Delete", lambda p: delete_rows(p, "warden", ["easy"])))
    desk.apply(Edit("Seed", lambda p: set_seed(p, "dusk", 3)))
    demo_driver.pane.actions_by_id["changes"].trigger()
    assert (
        answers.messages[-1]
        == "behaviors/warden.json: 1 row removed, 2 rows changed\nscenarios/dusk.json: changed"
    )


def test_kill_9_at_any_moment_loses_nothing_that_was_saved_or_kept(
    demo: Path, own_folders: Path
) -> None:
    """What is on disk opens, is no older than what was told to be saved, and
    what was kept last is offered.
    """
    random, seen = Random(5), set()  # noqa: S311  (when to kill, the same each time)
    command = [sys.executable, "-m", "tests.desk.restless_writer", str(demo)]
    with subprocess.Popen(
        command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    ) as writer:
        assert writer.stdin is not None
        assert writer.stdout is not None
        for turn in range(60):
            if turn >= 12 and len(seen) == 2:
                break
            print("go", file=writer.stdin, flush=True)
            lines = []
            for _ in range(random.randint(3, 30)):
                lines.append(writer.stdout.readline())
                assert not lines[-1].startswith("ended"), lines
            time.sleep(random.uniform(0.0, 0.01))
            os.kill(
                next(
                    int(line.split()[1])
                    for line in lines
                    if line.startswith("began")
                ),
                signal.SIGKILL,
            )
            while not lines[-1].startswith("ended"):
                lines.append(writer.stdout.readline())
                assert lines[-1], "the writer has died"
            assert lines[-1] == f"ended {-signal.SIGKILL}\n"
            problem_texts = [
                line.split()
                for line in lines
                if line.startswith(("kept", "saved"))
            ]
            project = read_project(demo)
            kept = kept_changes(demo, project)
            newest = int(
                (kept or project).stage("quay").title.removeprefix("n")
            )
            what, number = problem_texts[-1]
            assert newest >= int(number)
            seen.add(what)
            on_disk = {
                project.stage("quay").title,
                project.behavior("warden").row("keep").name,
            }
            assert len(on_disk) == 1 or kept is not None, (
                "half a save can be completed from what was kept"
            )
            save_project(kept or project, demo)
            recovery_path(demo).unlink(missing_ok=True)
    assert seen == {"kept", "saved"}


def test_a_long_drag_is_kept_while_it_goes_on(
    demo_driver: Driver, demo: Path
) -> None:
    desk = demo_driver.desk
    for step in range(30):
        edit = Edit(
            "Rename",
            lambda p, n=step: rename_row(p, "warden", "keep", f"name {n}"),
            "drag",
        )  # type: ignore[misc]
        desk.apply(edit)
        demo_driver.qtbot.wait(50)
    kept = kept_changes(demo, read_project(demo))
    assert kept is not None
    assert kept.behavior("warden").row("keep").name.startswith("name ")


def open_name_editor(hands: Driver, text: str) -> None:
    """Begin to type another name for a row, and leave it at that."""
    hands.desk.select_row("go")
    hands.key(Qt.Key.Key_F2)
    editor = QApplication.focusWidget()
    assert editor is not None
    hands.qtbot.keyClicks(editor, text)


def test_what_is_being_typed_counts_when_the_window_is_closed(
    demo_driver: Driver, demo: Path
) -> None:
    hands = demo_driver
    open_name_editor(hands, "Run there")
    hands.answers.on_unsaved = "save"
    assert hands.window.close()
    assert hands.answers.messages == ["Lantern Quay has unsaved changes."]
    assert read_project(demo).behavior("warden").row("go").name == "Run there"


def test_what_is_being_typed_is_saved(demo_driver: Driver, demo: Path) -> None:
    hands = demo_driver
    open_name_editor(hands, "Run there")
    hands.pane.actions_by_id["save"].trigger()
    assert read_project(demo).behavior("warden").row("go").name == "Run there"


def test_a_desk_that_was_closed_changes_and_starts_nothing_more(
    demo_driver: Driver, demo: Path
) -> None:
    hands = demo_driver
    pane, desk = hands.pane, hands.desk
    pane.close_desk()
    assert desk.apply(RENAME) is False
    desk.roll()
    desk.project_changed.emit()
    assert desk.takes.roller.process_id == 0
    assert pane.autosave.keep_now().result() is False
    assert not recovery_path(demo).exists()
