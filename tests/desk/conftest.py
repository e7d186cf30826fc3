"""The real window, driven by keys and mouse; its questions are answered by the
test.
"""

import json
import shutil
import subprocess
import sys
import threading
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtWidgets import QApplication, QLineEdit, QPlainTextEdit, QWidget
from pytestqt.qtbot import QtBot

from tests.conftest import DEMO
from tests.desk import warm_worker
from tests.waiting import PATIENCE_MS, PATIENCE_S
from umbrant.desk.chips.sentence import Chip, ChipEditor
from umbrant.desk.session.roller import Roller
from umbrant.desk.session.settings import Settings
from umbrant.desk.views.ledger.model import OUTLINE
from umbrant.desk.views.reasons import ReasonsView
from umbrant.desk.widgets.dialogs import Dialogs
from umbrant.desk.widgets.theme import body_font
from umbrant.desk.window import MainWindow
from umbrant.model.problems import Problem


class Answers(Dialogs):
    """Answers in place of the author, and remembers what was told."""

    def __init__(self) -> None:
        self.messages: list[str] = []
        self.folder: Path | None = None
        self.file: Path | None = None
        self.texts: list[str] = []
        self.edited: list[Path] = []
        self.number: int | None = None
        self.picked = ""
        self.on_unsaved = "discard"
        self.take_up = True
        self.trusting = False
        self.overwriting = False
        self.removing = False

    def folder_to_open(self, start: Path) -> Path | None:
        return self.folder

    def folder_to_save(self, start: Path) -> Path | None:
        return self.folder

    def take_to_open(self, start: Path) -> Path | None:
        return self.file

    def take_to_save(self, start: Path) -> Path | None:
        return self.file

    def edit_file(self, path: Path) -> None:
        self.edited.append(path)

    def _fill(self, title: str, label: str, field: QWidget, verb: str) -> bool:
        """What comes of the filled field is up to the real question."""
        if isinstance(field, QLineEdit) and field.validator() is not None:
            field.setText("" if self.number is None else str(self.number))
            return self.number is not None
        assert isinstance(field, QLineEdit | QPlainTextEdit)
        if self.texts:
            text = self.texts.pop(0)
            field.setText(text) if isinstance(
                field, QLineEdit
            ) else field.setPlainText(text)
            return True
        return False

    def choice(
        self, title: str, label: str, options: list[str], verb: str = ""
    ) -> str | None:
        return self.picked if self.picked in options else options[0]

    def unsaved(self, what: str) -> str:
        self.messages.append(f"{what} has unsaved changes.")
        return self.on_unsaved

    def trust(self, files: str) -> bool:
        self.messages.append(files)
        return self.trusting

    def remove(self, what: str, users: list[str]) -> bool:
        self.messages.append(f"{what} is used by {', '.join(users)}")
        return self.removing

    def breaks(self, what: str, broken: list[str]) -> bool:
        self.messages.append(f"{what} breaks {'; '.join(broken)}")
        return self.removing

    def overwrite(self, files: list[str]) -> bool:
        self.messages.append(f"changed meanwhile: {', '.join(files)}")
        return self.overwriting

    def recover(self, what: str) -> bool:
        self.messages.append(what)
        return self.take_up

    def problems(self, title: str, problems: list[Problem]) -> None:
        self.messages.extend([title, *(str(problem) for problem in problems)])

    def message(self, title: str, text: str) -> None:
        self.messages.append(text)


class Driver:
    """What an author's hands do, and what their eyes read."""

    def __init__(
        self, window: MainWindow, answers: Answers, qtbot: QtBot
    ) -> None:
        self.window = window
        self.answers = answers
        self.qtbot = qtbot
        self.messages: list[str] = []

    @property
    def desk(self):  # type: ignore[no-untyped-def]
        return self.window.desk

    @property
    def pane(self):  # type: ignore[no-untyped-def]
        assert self.window.pane is not None
        return self.window.pane

    @property
    def ledger(self):  # type: ignore[no-untyped-def]
        return self.pane.ledger

    def open(self, folder: Path) -> bool:
        opened = self.window.open_folder(folder)
        if opened:
            self.desk.message.connect(self.messages.append)
            self.settle()
        return opened

    def settle(self) -> None:
        """Wait until the take of the newest edit is shown."""
        self.until(
            lambda: (
                self.desk.take is not None
                and not self.desk.takes.busy
                and self.desk.is_current
            )
        )

    def has_take(self) -> bool:
        """Whether a take is shown that is not still being played."""
        current = self.desk.takes.current
        return current is not None and current.is_finished

    def until(
        self, condition: Callable[[], bool], timeout_ms: int = PATIENCE_MS
    ) -> None:
        self.qtbot.waitUntil(condition, timeout=timeout_ms)

    def key(
        self,
        key: Qt.Key,
        modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier,
        to: QWidget | None = None,
    ) -> None:
        """Press a key in the ledger, or in another widget."""
        target = to or self.ledger
        if not self.window.isActiveWindow():
            self.window.activateWindow()
            self.until(self.window.isActiveWindow)
        target.setFocus()
        self.qtbot.keyClick(target, key, modifier)

    def type(self, text: str) -> None:
        """Type into whatever has the keyboard, and press Enter."""
        target = QApplication.focusWidget()
        assert target is not None
        self.qtbot.keyClicks(target, text)
        self.qtbot.keyClick(target, Qt.Key.Key_Return)

    def select(self, number: str) -> None:
        """Click the name of the row with this number."""
        row_id = self.desk.behavior.outline.find(number)
        assert row_id is not None
        self.click(
            self.chip(row_id, lambda chip: chip.editor is ChipEditor.NAME)[
                1
            ].center()
            - QPointF(0, 14)
        )
        assert self.desk.row_id == row_id

    def chip(
        self, row_id: str, wanted: Callable[[Chip], bool]
    ) -> tuple[Chip, "object"]:
        """A chip of a row, and its rectangle in the viewport."""
        self.desk.select_row(row_id)
        corner = QPointF(
            self.ledger.visualRect(
                self.ledger.ledger.index(
                    self.ledger.ledger.line_of(row_id), OUTLINE
                )
            ).topLeft()
        )
        layout = self.ledger.layout_of(self.desk.behavior.row(row_id))
        chip, rect = next(
            (chip, rect) for chip, rect in layout.chips() if wanted(chip)
        )
        return chip, rect.translated(corner)

    def number_chip(self, row_id: str, param: str) -> tuple[Chip, "object"]:
        return self.chip(
            row_id,
            lambda chip: (
                chip.slot.param == param and chip.editor is ChipEditor.NUMBER
            ),
        )

    def click(self, place: QPointF) -> None:
        self.qtbot.mouseClick(
            self.ledger.viewport(),
            Qt.MouseButton.LeftButton,
            pos=place.toPoint(),
        )

    def drag(
        self,
        place: QPointF,
        right: int,
        widget: QWidget | None = None,
        down: int = 0,
    ) -> None:
        """Press at a place, move in steps, release."""
        target = widget or self.ledger.viewport()
        start = place.toPoint()
        self.qtbot.mousePress(target, Qt.MouseButton.LeftButton, pos=start)
        for step in range(1, 6):
            self.qtbot.mouseMove(
                target, start + QPoint(right * step // 5, down * step // 5)
            )
        self.qtbot.mouseRelease(
            target, Qt.MouseButton.LeftButton, pos=start + QPoint(right, down)
        )

    def names(self) -> list[str]:
        """The rows as they are numbered and named."""
        behavior = self.desk.behavior
        return [
            f"{number} {behavior.row(row_id).name}"
            for row_id, number in behavior.outline.number.items()
        ]

    def reasons(self) -> str:
        """What the pane of reasons shows."""
        return self.pane.views.of(ReasonsView).toPlainText()


@pytest.fixture
def answers() -> Answers:
    return Answers()


@pytest.fixture(scope="session", autouse=True)
def warm_workers(tmp_path_factory: pytest.TempPathFactory) -> Iterator[None]:
    """Windows get their workers without waiting for them to load."""
    path = str(tmp_path_factory.mktemp("workers") / "socket")
    server = subprocess.Popen(
        [sys.executable, "-m", "tests.desk.warm_worker", "serve", path],
        stdin=subprocess.PIPE,
    )
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(
            Roller,
            "COMMAND",
            (sys.executable, "-IS", warm_worker.__file__, "call", path),
        )
        yield
    assert server.stdin is not None
    server.stdin.close()
    server.wait(PATIENCE_S)


@pytest.fixture
def with_snapshots(monkeypatch: pytest.MonkeyPatch) -> None:
    """Workers make snapshots of what they have played."""
    monkeypatch.setattr(Roller, "COMMAND", (*Roller.COMMAND, "prepares"))


@pytest.fixture
def driver(
    qtbot: QtBot, own_folders: Path, answers: Answers
) -> Iterator[Driver]:
    """A window with no project yet. Fails the test if closing it leaves a
    thread or a worker behind.
    """
    before = set(threading.enumerate())
    _look_of_the_application()
    window = MainWindow(Settings(own_folders / "window.ini"), answers)
    window.resize(1280, 800)
    window.show()
    qtbot.waitExposed(window)
    window.activateWindow()
    yield Driver(window, answers, qtbot)
    answers.on_unsaved = "discard"
    roller = window.desk.takes.roller
    window.close()
    assert roller.process_id == 0
    assert [
        thread.name
        for thread in threading.enumerate()
        if thread not in before and not thread.daemon
    ] == []
    window.deleteLater()


def _look_of_the_application() -> None:
    """The style and the font that the application starts with. To set them once more takes half a
    second: every widget that is left of the test before is polished anew.
    """
    if QApplication.style().name() != "fusion":
        QApplication.setStyle("Fusion")
    if QApplication.font() != body_font():
        QApplication.setFont(body_font())


@pytest.fixture
def quay(tmp_path: Path) -> Path:
    """A copy of the whole demo that a test may change."""
    return Path(shutil.copytree(DEMO, tmp_path / "quay"))


@pytest.fixture
def demo(tmp_path: Path) -> Path:
    """A copy of the demo with only the warden and the visitor at dusk, which
    rolls quickly.
    """
    return with_cast(
        Path(shutil.copytree(DEMO, tmp_path / "lantern-quay")),
        "odo",
        "visitor",
    )


def with_cast(folder: Path, *names: str) -> Path:
    """The demo in a folder with only these at dusk."""
    dusk = folder / "scenarios" / "dusk.json"
    scenario = json.loads(dusk.read_text())
    scenario["cast"] = [
        each for each in scenario["cast"] if each["name"] in names
    ]
    dusk.write_text(json.dumps(scenario))
    # What is expected of others than these would be wrong.
    for path in (folder / "expectations").glob("*.json"):
        if json.loads(path.read_text()).get("of", names[0]) not in names:
            path.unlink()
    return folder


@pytest.fixture
def demo_driver(driver: Driver, demo: Path) -> Driver:
    """The window with the warden's part of the demo open and its first take
    shown.
    """
    assert driver.open(demo)
    return driver


@pytest.fixture
def dog_driver(driver: Driver, quay: Path) -> Driver:
    """The window with the warden's and the dog's part of the demo open, and
    its first take shown.
    """
    assert driver.open(with_cast(quay, "odo", "brine", "visitor"))
    return driver


@pytest.fixture
def quay_driver(driver: Driver, quay: Path) -> Driver:
    """The window with the whole demo open and its first take shown."""
    assert driver.open(quay)
    return driver
