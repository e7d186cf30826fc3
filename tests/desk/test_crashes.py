"""When something goes wrong: a mistake in painting stays in its view, a crash
is told of at the next start, and what was not saved is offered again.
"""

import ast
import os
import subprocess
import sys
from importlib import import_module
from pathlib import Path
from pkgutil import walk_packages
from types import FunctionType
from typing import Any

import pytest
from PySide6.QtCore import QObject, Qt
from PySide6.QtGui import QImage, QPainter, QPixmap
from PySide6.QtWidgets import QWidget
from pytestqt.qtbot import QtBot

import umbrant.desk
from tests.desk.conftest import Answers, Driver
from tests.waiting import PATIENCE_S
from umbrant.desk import app
from umbrant.desk.commands.project import save
from umbrant.desk.logs import CrashWatch, log_file
from umbrant.desk.session import autosave
from umbrant.desk.session.autosave import kept_new_projects
from umbrant.desk.session.settings import Settings
from umbrant.desk.views.registry import VIEWS
from umbrant.desk.views.spec import ViewSpec
from umbrant.desk.widgets import painted
from umbrant.desk.widgets.painted import (
    FAULT,
    PaintedDelegate,
    PaintedTable,
    PaintedView,
    painting,
    saved,
)
from umbrant.desk.window import MainWindow
from umbrant.model.edits import Edit, rename_row

DESK = Path(umbrant.desk.__file__).parent


def test_a_new_project_shows_its_setting(driver: Driver) -> None:
    """Without a cue the ruler has nothing to draw, and that ended the process."""
    driver.window.new_project()
    driver.settle()
    driver.pane.actions_by_id["show_setting"].trigger()
    assert not driver.window.grab().isNull()
    assert driver.pane.lanes.ruler_box().height() > 0


@pytest.fixture
def faults(monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """The names of the views that could not be drawn, as they are logged."""
    logged: list[str] = []
    monkeypatch.setattr(
        painted.log, "exception", lambda text, name: logged.append(name)
    )
    return logged


def broken(*_: object, **__: object) -> None:
    raise ValueError("zip() argument 2 is longer than argument 1")


def colours(widget: QWidget) -> set[int]:
    image = widget.grab().toImage().convertToFormat(QImage.Format.Format_RGB32)
    return {
        image.pixel(x, y)
        for x in range(0, image.width(), 2)
        for y in range(0, image.height(), 2)
    }


WRITTEN = ("help", "reasons")
"""The views that are texts, which Qt paints."""
PAINTED = [spec for spec in VIEWS if spec.id not in WRITTEN]


@pytest.mark.parametrize("spec", PAINTED, ids=[spec.id for spec in PAINTED])
def test_a_mistake_in_a_view_is_logged_once_and_told_in_its_place_while_the_window_lives(
    demo_driver: Driver,
    faults: list[str],
    monkeypatch: pytest.MonkeyPatch,
    spec: ViewSpec[Any],
) -> None:
    hands, view = demo_driver, demo_driver.pane.views[spec.id]
    if spec.is_tab:
        hands.pane.actions_by_id[spec.action].trigger()
    hands.until(view.updatesEnabled)
    before = colours(view)
    with monkeypatch.context() as patch:
        patch.setattr(
            type(view),
            "draw" if isinstance(view, PaintedView) else "draw_ground",
            broken,
        )
        assert colours(view) != before
        assert colours(view) != before
        assert faults == [view.accessibleName()]
        assert "zip() argument 2" in view.property(FAULT)
        hands.desk.move_playhead(100)
        assert not hands.window.grab().isNull()
    hands.desk.move_playhead(0)
    assert colours(view) == before


def test_a_mistake_in_a_cell_leaves_the_others(
    demo_driver: Driver, faults: list[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(type(demo_driver.ledger.now_delegate), "draw", broken)
    assert not demo_driver.ledger.grab().isNull()
    assert faults == ["Ledger"]


def test_a_painter_is_ended_and_put_back_however_it_is_left(
    qtbot: QtBot,
) -> None:
    picture = QPixmap(8, 8)
    picture.fill(Qt.GlobalColor.white)
    painters: list[QPainter] = []

    def draw() -> None:
        with painting(picture) as painter, saved(painter):
            painters.append(painter)
            broken()

    with pytest.raises(ValueError, match="zip"):
        draw()
    assert not painters[0].isActive()
    with painting(picture) as painter:
        with saved(painter):
            painter.setOpacity(0.5)
        assert painter.opacity() == 1.0


def test_nothing_else_paints() -> None:
    """All paint events and painters of the window are those of the base, which
    lets nothing pass.
    """
    for path in sorted(DESK.rglob("*.py")):
        tree = ast.parse(path.read_text())
        names = {
            node.name
            for node in ast.walk(tree)
            if isinstance(node, ast.FunctionDef)
        }
        calls = [
            node.func for node in ast.walk(tree) if isinstance(node, ast.Call)
        ]
        opened = [
            each
            for each in calls
            if isinstance(each, ast.Name) and each.id == "QPainter"
        ]
        if path.name != "painted.py":
            assert opened == [], f"{path.name} opens a painter; use painting()"
            assert "paintEvent" not in names, (
                f"{path.name} has a paint event; derive from PaintedView or PaintedTable"
            )
    for base in (PaintedView, PaintedTable):
        assert all("paintEvent" not in vars(each) for each in _below(base))
    assert all("paint" not in vars(each) for each in _below(PaintedDelegate))


def _below(kind: type) -> list[type]:
    return [
        inner
        for each in kind.__subclasses__()
        for inner in (each, *_below(each))
    ]


# crashes


def test_a_crash_is_logged_with_its_stack_and_told_of_once(
    own_folders: Path,
) -> None:
    script = (
        "import faulthandler\n"
        "from umbrant.desk.logs import CrashWatch\n"
        "watch = CrashWatch()\n"
        "def draw_the_setting():\n"
        "    faulthandler._sigsegv()\n"
        "draw_the_setting()\n"
    )
    done = subprocess.run(
        [sys.executable, "-c", script],
        env=dict(os.environ),
        capture_output=True,
        check=False,
    )
    assert done.returncode < 0
    written: list[str] = []
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(
            "umbrant.desk.logs.log.error",
            lambda text, stack: written.append(stack),
        )
        watch = CrashWatch()
        assert watch.crashed
        assert "draw_the_setting" in written[0]
        watch.close()
        again = CrashWatch()
        assert not again.crashed
        again.close()
    assert list(log_file().parent.glob("crash-*.log")) == []


def test_the_start_after_a_crash_says_what_was_recovered_and_where_the_log_is(
    driver: Driver, demo: Path
) -> None:
    driver.window.open_folder(demo)
    driver.settle()
    driver.desk.apply(
        Edit(
            "Run",
            lambda project: rename_row(project, "warden", "go", "Run there"),
        )
    )
    assert driver.pane.autosave.keep_now().result()
    driver.desk.documents.history.saved = driver.desk.project
    messages: list[str] = []
    text = autosave.recovery_path(demo).read_text()
    driver.window.new_project()
    autosave.recovery_path(demo).write_text(text)
    shown = driver.window._show

    def show(desk: object) -> object:
        pane = shown(desk)  # type: ignore[arg-type]
        driver.desk.message.connect(messages.append)
        return pane

    driver.window._show = show  # type: ignore[method-assign, assignment]
    driver.desk.documents.history.saved = driver.desk.project
    app._begin(driver.window, demo, crashed=True)
    assert messages[-1] == (
        "The visit before ended in a crash. The unsaved changes of Lantern Quay have been taken "
        "up. "
        f"What is known of it is in {log_file()}."
    )
    assert driver.desk.behavior.row("go").name == "Run there"


def test_a_project_without_a_folder_is_kept_and_offered_after_a_crash(
    driver: Driver, own_folders: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    driver.window.new_project()
    driver.settle()
    behavior = driver.desk.behavior
    driver.desk.apply(
        Edit(
            "Name",
            lambda project: rename_row(
                project, behavior.name, behavior.rows[0].id, "Mine"
            ),
        )
    )
    assert driver.pane.autosave.keep_now().result()
    assert kept_new_projects() == [], "its window is still there"
    monkeypatch.setattr(autosave, "lives", lambda _: False)
    answers = Answers()
    later = MainWindow(Settings(own_folders / "later.ini"), answers)
    assert later.take_up_new_project()
    assert "has no folder yet" in answers.messages[0]
    assert later.desk.behavior is not None
    assert later.desk.behavior.rows[0].name == "Mine"
    assert later.desk.documents.history.unsaved
    answers.on_unsaved = "discard"
    later.close()
    later.deleteLater()
    assert kept_new_projects() == []


def test_saving_a_new_project_forgets_what_was_kept_of_it(
    driver: Driver, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    driver.window.new_project()
    driver.settle()
    assert driver.pane.autosave.keep_now().result()
    kept = driver.pane.autosave.path
    assert kept.exists()
    driver.answers.folder = tmp_path / "mine"
    save(driver.pane.command_context)
    driver.until(lambda: not kept.exists())


def test_where_nothing_can_be_kept_that_is_said(
    demo_driver: Driver,
    monkeypatch: pytest.MonkeyPatch,
    capsys: pytest.CaptureFixture[str],
) -> None:
    hands = demo_driver
    hands.desk.apply(
        Edit(
            "Run",
            lambda project: rename_row(project, "warden", "go", "Run there"),
        )
    )

    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(autosave, "write_atomically", full)
    monkeypatch.setattr(app.log, "error", lambda text: None)
    app._Hook(hands.window)(RuntimeError, RuntimeError("out of paint"), None)
    assert (
        "Your changes could not be kept: save them now" in hands.messages[-1]
    )
    assert "out of paint" in capsys.readouterr().err


# what Qt calls


def test_every_method_that_qt_calls_is_shielded(driver: Driver) -> None:
    """In all classes of the window, those too that no test makes."""
    for module in walk_packages(umbrant.desk.__path__, "umbrant.desk."):
        import_module(module.name)
    assert driver.window.isVisible()
    bare = [
        f"{kind.__module__}.{kind.__name__}.{name}"
        for kind in _below(QObject)
        if kind.__module__.startswith("umbrant.")
        for name, method in vars(kind).items()
        if isinstance(method, FunctionType)
        and not name.startswith("__")
        and any(
            hasattr(each, name)
            for each in kind.__mro__
            if each.__module__.startswith("PySide6.")
        )
        and not hasattr(method, "__wrapped__")
    ]
    assert bare == []


MISTAKEN = """
import os
import sys
from pathlib import Path
from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from umbrant.desk.session.settings import Settings
from umbrant.desk.views.stage.view import StageView
from umbrant.desk.window import MainWindow

application, heard = QApplication([]), []
sys.excepthook = lambda kind, error, trace: heard.append(kind.__name__)
window = MainWindow(Settings(Path(sys.argv[1]) / "settings.ini"))
window.show()
window.new_project()
stage = window.pane.views.of(StageView)
StageView._handle_at = lambda *_: {mistake}

def press():
    QTest.mousePress(stage, Qt.MouseButton.LeftButton, pos=QPoint(9, 9))

def end():
    print(*heard, flush=True)
    os._exit(0)

QTimer.singleShot(0, window, press)
QTimer.singleShot(500, window, end)
application.exec()
"""


@pytest.mark.parametrize(
    ("mistake", "kind"),
    [
        ("[][0]", "IndexError"),
        ("int('a')", "ValueError"),
        ("None.x", "AttributeError"),
    ],
)
def test_a_mistake_in_what_qt_calls_does_not_end_the_process(
    mistake: str, kind: str, tmp_path: Path, own_folders: Path
) -> None:
    """Also where an event is handed on to Qt by the view itself: PySide would
    take an error of compiled code for an object.
    """
    done = subprocess.run(
        [
            sys.executable,
            "-c",
            MISTAKEN.format(mistake=mistake),
            str(tmp_path),
        ],
        env=dict(os.environ),
        capture_output=True,
        text=True,
        check=False,
        timeout=PATIENCE_S,
    )
    assert done.returncode == 0, done.stderr
    assert done.stdout.split() == [kind]
