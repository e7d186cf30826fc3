"""A window on broken projects and damaged takes: it lives, draws every view or
says why not, and logs no mistake.
"""

import json
import logging
import random
import shutil
import sys
import time
from collections.abc import Iterator
from pathlib import Path

from PySide6.QtCore import QCoreApplication, QEvent
from PySide6.QtWidgets import QApplication

from benchmarks.fuzz import documents, takes
from benchmarks.fuzz.tally import Tally
from umbrant.desk.app import SWITCH_S
from umbrant.desk.logs import log
from umbrant.desk.session.settings import Settings
from umbrant.desk.widgets.dialogs import Dialogs
from umbrant.desk.widgets.theme import body_font
from umbrant.desk.window import MainWindow
from umbrant.model.problems import Problem

ROLLED_S = 12.0
"""How long is waited for a take of a project that can be played; many of the
examples last minutes.
"""


class Silent(Dialogs):
    """Answers what is asked as a careful author does, and shows nothing."""

    def trust(self, files: str) -> bool:
        return False

    def unsaved(self, what: str) -> str:
        return "discard"

    def recover(self, what: str) -> bool:
        return False

    def problems(self, title: str, problems: list[Problem]) -> None: ...
    def message(self, title: str, text: str) -> None: ...


class _Mistakes(logging.Handler):
    """Gathers what is logged as a mistake, and exceptions that reach nobody."""

    def __init__(self) -> None:
        super().__init__(logging.ERROR)
        self.found: list[str] = []
        sys.excepthook = lambda kind, error, trace: self.found.append(
            f"{kind.__name__}: {error}"
        )

    def emit(self, record: logging.LogRecord) -> None:
        self.found.append(self.format(record))


def attack(attempts: int, seed: int, folder: Path, tally: Tally) -> Tally:
    """Open so many projects and takes, one after the other, in one window, and
    look at all of it.
    """
    application = QApplication.instance() or QApplication([])
    assert isinstance(application, QApplication)
    application.setStyle("Fusion")
    application.setFont(body_font())
    sys.setswitchinterval(SWITCH_S)
    mistakes = _Mistakes()
    log.addHandler(mistakes)
    window = MainWindow(Settings(folder / "window.ini"))
    window.dialogs = Silent(window)
    window.resize(1280, 800)
    window.show()

    def attempt(place: Path) -> str:
        mistakes.found.clear()
        if place.suffix == ".take":
            window.desk.takes.open(place)
        else:
            window.open_folder(place)
        _look(window)
        return mistakes.found[0][-900:] if mistakes.found else ""

    found = tally.each(_broken(attempts, seed, folder), attempt)
    window.close()
    log.removeHandler(mistakes)
    return found


def _broken(
    attempts: int, seed: int, folder: Path
) -> Iterator[tuple[str, Path]]:
    """Projects in folders, and every fifth time a take."""
    bases = documents.bases()
    parsed = [
        {
            name: json.loads(text)
            for name, text in base.items()
            if name.endswith(".json")
        }
        for base in bases
    ]
    words = documents.words(parsed)
    images = [path.read_bytes() for path in takes.bases(folder)]
    for number in range(attempts):
        rng = random.Random(f"{seed}/{number}")
        if number % 5 == 4:
            path = folder / "damaged.take"
            takes.damage(rng, images, path)
            yield f"{seed}/{number}", path
            continue
        which = rng.randrange(len(bases))
        place = folder / "broken"
        shutil.rmtree(place, ignore_errors=True)
        for name, text in documents.broken(
            rng, bases[which], parsed[which], words
        ).items():
            file = place / name
            file.parent.mkdir(parents=True, exist_ok=True)
            try:
                file.write_text(text, encoding="utf-8", errors="surrogatepass")
            except (OSError, ValueError):
                continue
        yield f"{seed}/{number}", place


def _look(window: MainWindow) -> None:
    """Wait until what can be shown is shown, and look at every view and at
    several moments.
    """
    _events()
    pane, desk = window.pane, window.desk
    if pane is None:
        return
    until_s = time.monotonic() + ROLLED_S
    while (
        desk.takes.busy or desk.documents.reviewer.busy
    ) and time.monotonic() < until_s:
        _events()
    _events()
    for name, action in pane.actions_by_id.items():
        if name.startswith("show_") and action.isEnabled():
            action.trigger()
            _events()
            window.grab()
    behavior = desk.behavior
    for row_id in (
        list(behavior.outline.number)[:4] if behavior is not None else ()
    ):
        desk.select_row(row_id)
        for tick in (0, 7, 10**6):
            desk.move_playhead(tick)
            window.grab()


def _events() -> None:
    for _ in range(3):
        QCoreApplication.processEvents()
        QCoreApplication.sendPostedEvents(
            None, int(QEvent.Type.DeferredDelete.value)
        )
        time.sleep(0.005)
