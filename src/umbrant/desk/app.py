"""Starting the window, and what happens when something goes wrong in it."""

import signal
import sys
import traceback
from contextlib import suppress
from pathlib import Path
from types import TracebackType

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication

from umbrant.desk.garbage import leave_out_what_lives_long
from umbrant.desk.logs import CrashWatch, log, log_file, log_to_file
from umbrant.desk.shell import DeskPane
from umbrant.desk.widgets.accessible import serve_screen_readers
from umbrant.desk.widgets.theme import body_font
from umbrant.desk.window import VISITED, MainWindow
from umbrant.model.folder import read_project
from umbrant.model.problems import ProjectError
from umbrant.project_nodes import fingerprint

KEEP_S = 3.0
"""How long is waited for unsaved changes to be on disk after something went
wrong.
"""
SWITCH_S = 0.001
"""How soon a thread that reviews or reads a take hands over to the window's:
soon enough for no frame to be missed.
"""


def run_desk(folder: Path | None, *, trust: bool = False) -> int:
    """Open the window on a project, on the one opened last, or on none.
    Returns the exit code.

    With `trust` the nodes that the project brings along may run, as they are
    now.
    """
    application = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(application, QApplication)  # noqa: S101  (nothing else makes one)
    application.setApplicationName("Umbrant")
    application.setDesktopFileName("umbrant")
    application.setStyle("Fusion")
    application.setFont(body_font())
    serve_screen_readers()
    log_to_file()
    watch = CrashWatch()
    window = MainWindow()
    sys.excepthook = _Hook(window)
    if trust and folder is not None:
        _trust(window, folder)
    sys.setswitchinterval(SWITCH_S)
    leave_out_what_lives_long()
    start = folder or next(
        (each for each in window.settings.recent if each.is_dir()), None
    )
    window.show()
    QTimer.singleShot(
        0, window, lambda: _begin(window, start, crashed=watch.crashed)
    )
    _quit_on_signals(window)
    ended = application.exec()
    watch.close()
    return ended


def _begin(window: MainWindow, start: Path | None, *, crashed: bool) -> None:
    """Open what an earlier visit left unsaved, else the project at `start`;
    lead a newcomer through the first visit.
    """
    if window.take_up_new_project():
        pass
    elif start is None:
        window.desk.message.emit(
            "No project is open. Project › Open… (Ctrl+O) opens the folder of one."
        )
    elif window.open_folder(start) and not window.settings.flag(VISITED):
        window.begin_first_visit()
    if crashed:
        known = f"What is known of it is in {log_file()}."
        window.desk.message.emit(
            f"The visit before ended in a crash. {window.recovered} {known}"
        )


def _trust(window: MainWindow, folder: Path) -> None:
    """Remember that a project's own nodes may run. A project that cannot be
    read is told of when it is opened.
    """
    with suppress(ProjectError):
        window.settings.remember(fingerprint(read_project(folder)))


class _Hook:
    """What an exception in a slot, a paint event or a timer reaches: it is
    logged and told, and nothing is lost.
    """

    def __init__(self, window: MainWindow) -> None:
        self._window = window

    def __call__(
        self,
        kind: type[BaseException],
        error: BaseException,
        trace: TracebackType | None,
    ) -> None:
        log.error("".join(traceback.format_exception(kind, error, trace)))
        traceback.print_exception(kind, error, trace)
        pane = self._window.pane
        if pane is not None:
            kept = "Everything is saved."
            if self._window.desk.documents.history.unsaved:
                kept = _keep(pane)
            what = (
                f"Something in Umbrant went wrong ({kind.__name__}: {error})."
            )
            self._window.desk.message.emit(
                f"{what} {kept} What happened is in {log_file()}."
            )


def _keep(pane: DeskPane) -> str:
    """Keep the unsaved changes, and say whether they are kept."""
    try:
        kept = pane.autosave.keep_now().result(KEEP_S)
    except (
        RuntimeError,
        TimeoutError,
    ):  # the window is closing, or the disk does not answer
        kept = False
    if kept:
        return "Your changes are kept."
    return "Your changes could not be kept: save them now, with Ctrl+Shift+S."


def _quit_on_signals(window: MainWindow) -> None:
    """Ctrl+C and a session's end close the window in good order; unsaved
    changes are left for the next visit.
    """

    def leave(*_: object) -> None:
        if window.pane is not None:
            window.pane.close_desk(
                keep_changes=window.desk.documents.history.unsaved
            )
        # `quit` would ask each window whether it may close, and with unsaved
        # changes that is a question to nobody.
        QApplication.exit(0)

    signal.signal(signal.SIGINT, leave)
    signal.signal(signal.SIGTERM, leave)
    ticker = QTimer(window)
    ticker.start(300)
    ticker.timeout.connect(lambda: None)
