"""Take the pictures in docs/screenshots/ anew, from the demo project:
`.venv/bin/python scripts/screenshots.py`.
"""

import os
import tempfile
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtCore import QEventLoop, Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractItemView, QApplication

from umbrant.desk.chips.values import chip_edit
from umbrant.desk.session.settings import Settings
from umbrant.desk.views.cast.view import CastTable
from umbrant.desk.views.decisions.view import DecisionsView
from umbrant.desk.views.help.view import HelpView
from umbrant.desk.views.review import ReviewView
from umbrant.desk.views.study.view import StudyView
from umbrant.desk.widgets.paint_turns import PaintTurns
from umbrant.desk.widgets.theme import body_font
from umbrant.desk.window import MainWindow
from umbrant.model.behaviors import Key, Watch
from umbrant.model.edits import Edit, declare_key, set_guard
from umbrant.model.values import KeyType

ROOT = Path(__file__).parents[1]
PICTURES = ROOT / "docs" / "screenshots"
GAVE_UP_S = 36.5
GAVE_UP_TICK = 718
"""The tick at which it gives up the chase."""


def main() -> None:
    """Take each picture at 1280x800."""
    application = QApplication([])
    application.setStyle("Fusion")
    application.setFont(body_font())
    with tempfile.TemporaryDirectory() as folder:
        os.environ["XDG_STATE_HOME"] = folder
        window = MainWindow(Settings(Path(folder) / "window.ini"))
        window.resize(1280, 800)
        window.show()
        window.open_folder(ROOT / "examples" / "lantern-quay")
        _settle(window)
        _gave_up(window)
        _found(window)
        _study(window)
        _decisions(window)
        _this_tick(window)
        _one_number_changed(window)
        _branch(window)
        _nearest(window)
        _completion(window)
        _recipe(window)
        _map(window)
        _table(window)
        _scores(window)
        _rehearsal(window)
        _setting(window)
        _cast(window)
        _help(window)
        _review(window)
        _night(window)
        window.desk.documents.history.saved = window.desk.project
        window.close()


def _gave_up(window: MainWindow) -> None:
    window.desk.move_playhead(int(GAVE_UP_S * 20))
    window.desk.select_row("esc")
    assert window.pane is not None
    window.pane.actions_by_id["why"].trigger()
    _keep(window, "gave-up-the-chase")


def _this_tick(window: MainWindow) -> None:
    assert window.pane is not None
    window.desk.move_playhead(GAVE_UP_TICK)
    window.pane.actions_by_id["this_tick"].trigger()
    for _ in range(5):
        window.pane.actions_by_id["next_step"].trigger()
    _keep(window, "the-steps-of-a-tick")
    window.pane.actions_by_id["why"].trigger()
    window.desk.select_row("esc")


def _one_number_changed(window: MainWindow) -> None:
    assert window.pane is not None
    chip = next(chip for chip, _ in window.pane.ledger.chips() if chip.span)
    window.desk.apply(chip_edit("warden", chip, 11.0))
    _settle(window)
    window.desk.documents.undo()
    _settle(window)


def _branch(window: MainWindow) -> None:
    """A branch beside its parent, and where the two part."""
    assert window.pane is not None
    window.desk.move_playhead(198)
    window.pane.ledger.setFocus()
    window.pane.actions_by_id["from_here"].trigger()
    QTest.keyClicks(window.pane.finder.branches.line, "hold 1.1")
    _keep(window, "what-if-from-here")
    window.pane.finder.branches.line.setText("hold 1.1 at refused")
    QTest.keyClick(window.pane.finder.branches.line, Qt.Key.Key_Return)
    _wait(
        lambda: (
            window.desk.branched_at is not None and not window.desk.takes.busy
        )
    )
    window.pane.actions_by_id["where_they_part"].trigger()
    _keep(window, "where-two-takes-part")
    window.pane.actions_by_id["compare"].trigger()
    window.pane.actions_by_id["drop_take"].trigger()


def _nearest(window: MainWindow) -> None:
    assert window.pane is not None
    window.desk.move_playhead(GAVE_UP_TICK)
    window.desk.select_row("esc")
    window.pane.actions_by_id["why_not"].trigger()
    _wait(
        lambda: (
            bool(window.desk.nearest.found)
            and not window.desk.nearest.is_searching
        )
    )
    _keep(window, "what-would-have-made-it-run")
    window.pane.actions_by_id["why"].trigger()


def _completion(window: MainWindow) -> None:
    """A guard that is being typed: a phrase with its blanks, and what fits the
    first.
    """
    assert window.pane is not None
    window.desk.select_row("close")
    window.pane.ledger.setFocus()
    window.pane.actions_by_id["guard"].trigger()
    _settle(window)
    line = window.pane.ledger.editing.line
    assert line is not None
    QTest.keyClicks(line, "can s")
    for key in (Qt.Key.Key_Down, Qt.Key.Key_Down, Qt.Key.Key_Tab):
        QTest.keyClick(line, key)
    _keep(window, "a-condition-is-completed")
    for _ in range(2):
        QTest.keyClick(line, Qt.Key.Key_Escape)
    window.desk.documents.undo()
    _settle(window)


def _recipe(window: MainWindow) -> None:
    """A recipe that was just put in, its first blank open."""
    assert window.pane is not None
    window.desk.select_row("keep")
    window.pane.ledger.setFocus()
    window.pane.actions_by_id["add_row"].trigger()
    search = window.pane.ledger.search
    QTest.keyClicks(search.line, "hide")
    QTest.keyClick(search.line, Qt.Key.Key_Return)
    editing = window.pane.ledger.editing
    _wait(lambda: editing.line is not None)
    _settle(window)
    _keep(window, "a-recipe-and-its-blanks")
    QTest.keyClick(editing.line, Qt.Key.Key_Escape)
    window.desk.documents.undo()
    _settle(window)


def _setting(window: MainWindow) -> None:
    assert window.pane is not None
    window.pane.actions_by_id["show_setting"].trigger()
    window.pane.setting.select_path(("scenarios", "dusk", "cast", 0))
    window.pane.setting.scrollTo(
        window.pane.setting.currentIndex(),
        QAbstractItemView.ScrollHint.PositionAtCenter,
    )
    _keep(window, "the-setting")


def _review(window: MainWindow) -> None:
    assert window.pane is not None
    desk = window.desk
    desk.apply(
        Edit(
            "Guard",
            lambda p: set_guard(p, "warden", "tend", "yes", Watch.THROUGHOUT),
        )
    )
    desk.apply(
        Edit("Guard", lambda p: set_guard(p, "warden", "walk", "tired < 3"))
    )
    desk.apply(
        Edit(
            "Key",
            lambda p: declare_key(
                p, "quay", Key(name="tired", type=KeyType.NUMBER)
            ),
        )
    )
    _wait(
        lambda: (
            desk.is_current
            and not desk.takes.busy
            and len(desk.documents.findings) > 2
        )
    )
    window.pane.actions_by_id["show_review"].trigger()
    window.pane.views.of(ReviewView).setCurrentIndex(
        window.pane.views.of(ReviewView).review.index(1, 0)
    )
    _keep(window, "the-review")
    for _ in range(3):
        desk.documents.undo()
    _wait(lambda: desk.is_current and not desk.takes.busy)
    window.pane.actions_by_id["show_rows"].trigger()


def _map(window: MainWindow) -> None:
    assert window.pane is not None
    window.desk.select_agent("brine")
    window.desk.select_row("circ")
    window.desk.move_playhead(int(24.5 * 20))
    window.pane.actions_by_id["show_map"].trigger()
    _keep(window, "a-machine-and-its-map")


def _table(window: MainWindow) -> None:
    assert window.pane is not None
    window.pane.actions_by_id["show_table"].trigger()
    _keep(window, "a-machine-as-a-table")
    window.pane.actions_by_id["show_rows"].trigger()


def _study(window: MainWindow) -> None:
    assert window.pane is not None
    pane = window.pane
    view = pane.views.of(StudyView)
    pane.actions_by_id["large_stage"].trigger()
    pane.actions_by_id["show_study"].trigger()
    view.study.start(40)
    _wait(
        lambda: view.study.found is not None and view.study.found.counted == 40
    )
    _wait(lambda: not view.study.is_running)
    _keep(window, "a-study")
    pane.actions_by_id["show_stage"].trigger()
    pane.actions_by_id["large_stage"].trigger()


def _decisions(window: MainWindow) -> None:
    assert window.pane is not None
    pane = window.pane
    view = pane.views.of(DecisionsView)
    window.desk.move_playhead(361)
    window.desk.select_row("esc")
    pane.actions_by_id["large_stage"].trigger()
    pane.actions_by_id["show_decisions"].trigger()
    _wait(
        lambda: (
            view.running.picture is not None and view.running.picture.is_final
        )
    )
    _keep(window, "a-decision-map")
    pane.actions_by_id["show_stage"].trigger()
    pane.actions_by_id["large_stage"].trigger()


def _cast(window: MainWindow) -> None:
    assert window.pane is not None
    window.pane.actions_by_id["show_cast"].trigger()
    view = window.pane.views.of(CastTable)
    view.setFocus()
    view.setCurrentIndex(view.cast.index(4, 0))
    for _ in range(10):
        QTest.keyClick(view, Qt.Key.Key_Right)
    _keep(window, "the-cast")
    window.pane.actions_by_id["show_rows"].trigger()


def _help(window: MainWindow) -> None:
    assert window.pane is not None
    pane = window.pane
    window.desk.select_agent("odo")
    window.desk.select_row("close")
    sizes = pane.down.sizes()
    pane.down.setSizes([420, 60, 60])
    pane.actions_by_id["show_help"].trigger()
    _wait(
        lambda: (
            pane.views.of(HelpView).example.take is not None
            and pane.views.of(HelpView).example.tick > 90
        )
    )
    _keep(window, "the-help")
    pane.down.setSizes(sizes)
    pane.actions_by_id["show_stage"].trigger()


def _scores(window: MainWindow) -> None:
    assert window.pane is not None
    window.desk.select_agent("mila")
    window.desk.select_row("restock")
    window.desk.move_playhead(int(12.0 * 20))
    window.pane.actions_by_id["show_curve"].trigger()
    window.pane.actions_by_id["why_not"].trigger()
    window.desk.move_playhead(int(8.0 * 20))
    window.pane.down.setSizes([230, 300, 90])
    _keep(window, "a-utility-its-scores-and-a-curve")
    window.pane.down.setSizes([290, 180, 130])
    window.pane.actions_by_id["why"].trigger()


def _rehearsal(window: MainWindow) -> None:
    assert window.pane is not None
    window.desk.select_agent("odo")
    window.desk.select_row("esc")
    window.pane.actions_by_id["rehearse"].trigger()
    rehearsing, stage = window.pane.rehearsing, window.pane.stage
    _wait(lambda: rehearsing.frame is not None)
    QTest.keyPress(stage, Qt.Key.Key_Left)
    _wait(lambda: rehearsing.frame is not None and rehearsing.frame.tick >= 60)
    _keep(window, "rehearsing")
    rehearsing.steer(0.0, 0.0)
    rehearsing.finish()
    _wait(lambda: not rehearsing.active and not window.desk.takes.busy)
    window.desk.documents.undo()
    _settle(window)


def _found(window: MainWindow) -> None:
    assert window.pane is not None
    pane, desk = window.pane, window.desk
    pane.actions_by_id["large_stage"].trigger()
    desk.move_playhead(GAVE_UP_TICK)
    desk.select_row("esc")
    pane.actions_by_id["show_expectations"].trigger()
    pane.actions_by_id["find_in_take"].trigger()
    pane.finder.in_take.line.setText("distance(visitor) < 6 and not ran(1.1)")
    _wait(
        lambda: (
            bool(desk.hits.stretches)
            and desk.is_current
            and not desk.takes.busy
        )
    )
    _keep(window, "found-in-the-take")
    desk.show_hits("", [])
    pane.finder.in_take.hide()
    pane.actions_by_id["show_rows"].trigger()
    pane.actions_by_id["large_stage"].trigger()


def _night(window: MainWindow) -> None:
    assert window.pane is not None
    window.pane.actions_by_id["night"].setChecked(True)
    window.pane.actions_by_id["compact"].setChecked(True)
    window.desk.move_playhead(int(GAVE_UP_S * 20))
    window.desk.select_row("easy")
    QTest.keyClick(window.pane.ledger, Qt.Key.Key_X)
    _keep(window, "night-compact-why-not")


def _keep(window: MainWindow, name: str) -> None:
    assert window.pane is not None
    window.pane.notice.hide()
    _pause(150)
    # What waits for its turn would be black in the picture.
    _wait(lambda: PaintTurns.shared().is_over)
    PICTURES.mkdir(parents=True, exist_ok=True)
    window.grab().save(str(PICTURES / f"{name}.png"))


def _pause(milliseconds: int) -> None:
    loop = QEventLoop()
    QTimer.singleShot(milliseconds, loop.quit)
    loop.exec()


def _settle(window: MainWindow) -> None:
    """Wait until the take of the project as it is now is shown to its end, and
    not a look at it.
    """
    _wait(lambda: window.desk.is_current and not window.desk.takes.busy)


def _wait(condition: Callable[[], bool]) -> None:
    for _ in range(6000):
        if condition():
            return
        _pause(20)
    raise TimeoutError(
        "the window did not come to rest; is the worker running?"
    )


main()
