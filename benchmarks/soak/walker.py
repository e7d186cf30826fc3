"""The hands of the random walk: does one action after the other to a real
window, and notes what goes wrong.

`python -m benchmarks.soak.walker` does one walk and tells on stdout how it
went; `benchmarks.soak` starts it.
"""

import argparse
import json
import logging
import shutil
import sys
import time
import traceback
from collections.abc import Iterator
from pathlib import Path
from types import TracebackType

from PySide6.QtCore import (
    QEvent,
    QPoint,
    QPointF,
    Qt,
    QTimer,
    QtMsgType,
    qInstallMessageHandler,
)
from PySide6.QtGui import QContextMenuEvent, QKeyEvent, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QDialog,
    QMenu,
    QTextEdit,
    QWidget,
)
from shiboken6 import isValid

from benchmarks.soak.steps import PROJECTS, Step, steps_of
from umbrant.desk.commands import project
from umbrant.desk.commands.registry import ACTIONS
from umbrant.desk.logs import log
from umbrant.desk.session.settings import Settings
from umbrant.desk.widgets.dialogs import Dialogs
from umbrant.desk.widgets.theme import body_font
from umbrant.desk.window import MainWindow

EXAMPLES = Path(__file__).parents[2] / "examples"
PAUSE_MS = 1
"""How long the window is left to itself between two actions; what it waits for
goes on meanwhile.
"""
EVERY = 25
"""After so many actions it is waited until the window has come to rest, for
some of what goes wrong comes later.
"""
REST_S = 5.0
HARMLESS = (
    "This plugin does not support",
    "propagateSizeHints",
    "Mouse event",
    "QtTestLog",
)
"""What Qt says of the offscreen platform itself, and of a click where nothing
waits for one.
"""


class Files(Dialogs):
    """Asks for files in place of the author: only those of the walk's own
    folder are touched. All else is asked.
    """

    def __init__(self, parent: QWidget, folder: Path) -> None:
        super().__init__(parent)
        self._folder = folder
        self._count = 0

    def _next(self, name: str) -> Path:
        self._count += 1
        return self._folder / f"{name}-{self._count % 4}"

    def folder_to_open(self, start: Path) -> Path | None:
        return self._folder / PROJECTS[0]

    def folder_to_save(self, start: Path) -> Path | None:
        return self._next("saved")

    def take_to_open(self, start: Path) -> Path | None:
        return next(iter(sorted(self._folder.glob("kept-*"))), None)

    def take_to_save(self, start: Path) -> Path | None:
        return self._next("kept")


class Walker:
    """Walks over one window after the other. Every action and every failure is
    a line in a file.
    """

    def __init__(self, folder: Path, path: Path) -> None:
        self.done = self.failures = 0
        self._is_doing = False
        self.actions = [action.id for action in ACTIONS]
        self._folder = folder
        self._file = path.open("a", buffering=1)
        for name in PROJECTS:
            shutil.copytree(EXAMPLES / name, folder / name)
        found = QApplication.instance() or QApplication(sys.argv[:1])
        assert isinstance(found, QApplication)
        self._application = found
        found.setStyle("Fusion")
        found.setFont(body_font())
        found.setQuitOnLastWindowClosed(False)
        self._watch()
        self._window = self._open_window()

    def run(self, steps: Iterator[Step], count: int) -> None:
        """Do so many actions, each in the event loop: a dialog that one opens
        is answered by those that follow.
        """
        self._steps, self._left = steps, count
        QTimer.singleShot(PAUSE_MS, self._step)
        self._application.exec()
        self._close()
        self._file.close()

    def _step(self) -> None:
        """Do the next action. The one after it is ordered first: an action may
        open a dialog or a menu, and wait.
        """
        waits = (
            QApplication.activeModalWidget() is not None
            or QApplication.activePopupWidget() is not None
        )
        if self._is_doing and not waits:
            QTimer.singleShot(PAUSE_MS, self._step)
            return
        step = next(self._steps, None) if self._left else None
        if step is None:
            self._end_dialogs()
            QApplication.exit(
                0
            )  # `quit` would ask whether the window may close, which nobody answers any more
            return
        QTimer.singleShot(PAUSE_MS, self._step)
        self._left -= 1
        self.done += 1
        self._note({"number": self.done, "step": step})
        was_doing, self._is_doing = self._is_doing, True
        try:
            self._do(step)
            if (
                self.done % EVERY == 0
                and QApplication.activeModalWidget() is None
            ):
                self._rest()
        except Exception:
            self._fail(traceback.format_exc())
        self._is_doing = was_doing

    def _do(self, step: Step) -> None:
        kind, *args = step
        modal = QApplication.activeModalWidget()
        popup = QApplication.activePopupWidget()
        if popup is not None:
            self._choose(popup, kind, args)
        elif isinstance(modal, QDialog):
            self._answer(modal, kind, args)
        elif kind in ("click", "double", "context", "drag", "wheel"):
            self._point(kind, args)
        else:
            getattr(self, f"_do_{kind}")(*args)

    # each kind of action

    def _do_action(self, action_id: str) -> None:
        pane = self._window.pane
        if pane is not None and pane.actions_by_id[action_id].isEnabled():
            pane.actions_by_id[action_id].trigger()

    def _do_key(self, name: str, modifiers: int) -> None:
        target = (
            QApplication.activePopupWidget()
            or QApplication.focusWidget()
            or self._window
        )
        QTest.keyClick(
            target, getattr(Qt.Key, f"Key_{name}"), _modifier(modifiers)
        )

    def _do_type(self, text: str) -> None:
        _type(
            QApplication.activePopupWidget()
            or QApplication.focusWidget()
            or self._window,
            text,
        )

    def _do_menu(self, name: str, place: int) -> None:
        pane = self._window.pane
        menu = getattr(pane.top, name).menu() if pane is not None else None
        if menu is not None:
            menu.aboutToShow.emit()
            if menu.actions():
                menu.actions()[place % len(menu.actions())].trigger()

    def _do_bar(self, place: int) -> None:
        """Open one of the menus; what follows walks it."""
        titles = self._window.menuBar().actions()
        menu = titles[place % len(titles)].menu()
        if isinstance(menu, QMenu):
            menu.popup(self._window.mapToGlobal(QPoint(60 * place, 30)))

    def _do_project(self, does: str, place: int) -> None:
        window = self._window
        if does == "open":
            window.open_folder(self._folder / PROJECTS[place])
        elif does == "new":
            window.new_project()
        elif does == "close":
            if window.close():
                window.deleteLater()
                self._window = self._open_window()
        elif window.pane is not None:
            getattr(project, does)(window.pane.command_context)

    def _do_resize(self, wide: int, high: int) -> None:
        self._window.resize(wide, high)

    def _do_wait(self, milliseconds: int) -> None:
        QTest.qWait(milliseconds)

    def _point(self, kind: str, args: list[object]) -> None:
        """Something with the mouse, in a view or a menu; all drawn numbers are
        shares of its size.
        """
        number, x, y, *more = args
        target = self._target(int(str(number)))
        at = QPoint(
            int(float(str(x)) * target.width()),
            int(float(str(y)) * target.height()),
        )
        left = Qt.MouseButton.LeftButton
        if kind == "click":
            QTest.mouseClick(target, left, _modifier(int(str(more[0]))), at)
        elif kind == "double":
            QTest.mouseDClick(target, left, _modifier(int(str(more[0]))), at)
        elif kind == "context":
            place = target.mapToGlobal(at)
            QApplication.sendEvent(
                target,
                QContextMenuEvent(QContextMenuEvent.Reason.Mouse, at, place),
            )
        elif kind == "wheel":
            turn = QPoint(0, 120 if float(str(x)) > 0.5 else -120)
            place = QPointF(target.mapToGlobal(at))
            buttons, phase = (
                Qt.MouseButton.NoButton,
                Qt.ScrollPhase.NoScrollPhase,
            )
            modifiers = _modifier(int(str(more[0])))
            event = QWheelEvent(
                QPointF(at),
                place,
                QPoint(),
                turn,
                buttons,
                modifiers,
                phase,
                False,
            )
            QApplication.sendEvent(target, event)
        else:
            across, down = (
                float(str(more[0])) * target.width(),
                float(str(more[1])) * target.height(),
            )
            _forget_selection(target)
            QTest.mousePress(target, left, Qt.KeyboardModifier.NoModifier, at)
            for share in (0.3, 0.6, 1.0):
                if isValid(target):
                    QTest.mouseMove(
                        target,
                        at + QPoint(int(across * share), int(down * share)),
                    )
            if isValid(target):
                end = at + QPoint(int(across), int(down))
                QTest.mouseRelease(
                    target, left, Qt.KeyboardModifier.NoModifier, end
                )

    def _choose(
        self, popup: QWidget, kind: object, args: list[object]
    ) -> None:
        """A menu is open, which has the keyboard and the mouse: walk it,
        choose from it, or leave it.
        """
        if kind == "key":
            QTest.keyClick(popup, getattr(Qt.Key, f"Key_{args[0]}"))
        elif kind in ("click", "drag", "wheel"):
            at = QPoint(
                int(float(str(args[1])) * popup.width()),
                int(float(str(args[2])) * popup.height()),
            )
            QTest.mouseClick(
                popup,
                Qt.MouseButton.LeftButton,
                Qt.KeyboardModifier.NoModifier,
                at,
            )
        elif kind == "type":
            _type(popup, str(args[0]))
        else:
            QTest.keyClick(popup, Qt.Key.Key_Escape)

    def _target(self, number: int) -> QWidget:
        pane = self._window.pane
        shown = (
            [view for view in pane.panes() if view.isVisible()]
            if pane is not None
            else []
        )
        buttons = (
            [
                each
                for each in pane.findChildren(QAbstractButton)
                if each.isVisible()
            ]
            if pane is not None
            else []
        )
        known: list[QWidget] = [
            getattr(each, "viewport", lambda each=each: each)()
            for each in shown
        ]
        return [*known * 3, *buttons, self._window][
            number % (3 * len(known) + len(buttons) + 1)
        ]

    def _answer(
        self, dialog: QDialog, kind: object, args: list[object]
    ) -> None:
        """A dialog is open: type into it, press a key, or one of its buttons."""
        buttons = [
            each
            for each in dialog.findChildren(QAbstractButton)
            if each.isVisible() and each.isEnabled()
        ]
        if kind == "type":
            _type(QApplication.focusWidget() or dialog, str(args[0]))
        elif kind == "wait":
            QTest.keyClick(dialog, Qt.Key.Key_Escape)
        elif buttons:
            buttons[self.done % len(buttons)].click()
        else:
            dialog.reject()

    # the window

    def _open_window(self) -> MainWindow:
        window = MainWindow(Settings(self._folder / "window.ini"))
        window.dialogs = Files(window, self._folder)
        window.show()
        window.activateWindow()
        return window

    def _rest(self) -> None:
        """Let the window come to rest, paint all of it, and see that it
        answers.
        """
        until = time.monotonic() + REST_S
        while time.monotonic() < until:
            pane = self._window.pane
            if (
                pane is None
                or pane.rehearsing.active
                or not (
                    self._window.desk.takes.busy
                    or self._window.desk.documents.reviewer.busy
                )
            ):
                break
            QTest.qWait(10)
        self._window.grab()

    def _end_dialogs(self) -> None:
        while True:
            modal = QApplication.activeModalWidget()
            popup = QApplication.activePopupWidget()
            if isinstance(popup, QMenu):
                popup.close()
            elif isinstance(modal, QDialog):
                modal.reject()
            else:
                return
            QTest.qWait(5)

    def _close(self) -> None:
        self._window.desk.documents.history.saved = self._window.desk.project
        self._window.close()
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)

    # what goes wrong

    def _watch(self) -> None:
        """Note exceptions that reach no handler, errors in the log, and what
        Qt warns of.
        """

        def raised(
            kind: type[BaseException],
            error: BaseException,
            trace: TracebackType | None,
        ) -> None:
            self._fail("".join(traceback.format_exception(kind, error, trace)))

        sys.excepthook = raised
        walker = self

        class Listener(logging.Handler):
            def emit(self, record: logging.LogRecord) -> None:
                walker._fail(self.format(record))

        log.addHandler(Listener(logging.ERROR))

        def said(kind: QtMsgType, context: object, text: str) -> None:
            if (
                kind is not QtMsgType.QtDebugMsg
                and kind is not QtMsgType.QtInfoMsg
                and not text.startswith(HARMLESS)
            ):
                self._fail(f"Qt: {text}")

        qInstallMessageHandler(said)

    def _fail(self, what: str) -> None:
        self.failures += 1
        self._note({"after": self.done, "failure": what})

    def _note(self, entry: dict[str, object]) -> None:
        self._file.write(json.dumps(entry) + "\n")


def _forget_selection(target: QWidget) -> None:
    """Have a drag in a text select anew. One that begins on selected text
    carries the text along until the real mouse is let go, which nobody holds.
    """
    text = target.parentWidget()
    if isinstance(text, QTextEdit):
        cursor = text.textCursor()
        cursor.clearSelection()
        text.setTextCursor(cursor)


def _type(target: QWidget, text: str) -> None:
    """Type any text. (`QTest.keyClicks` ends the process for what is not
    ASCII.)
    """
    for letter in text:
        for kind in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease):
            QApplication.sendEvent(
                target,
                QKeyEvent(kind, 0, Qt.KeyboardModifier.NoModifier, letter),
            )


def _modifier(bits: int) -> Qt.KeyboardModifier:
    found = Qt.KeyboardModifier.NoModifier
    for bit, modifier in (
        (1, Qt.KeyboardModifier.ShiftModifier),
        (2, Qt.KeyboardModifier.ControlModifier),
        (4, Qt.KeyboardModifier.AltModifier),
    ):
        if bits & bit:
            found |= modifier
    return found


def main() -> None:
    """Do one walk in this process."""
    parser = argparse.ArgumentParser()
    for name in ("folder", "log", "seed", "play"):
        parser.add_argument(f"--{name}", default="")
    parser.add_argument("--actions", type=int, default=0)
    args = parser.parse_args()
    walker = Walker(Path(args.folder), Path(args.log))
    if args.play:
        played = [
            json.loads(line)["step"]
            for line in Path(args.play).read_text().splitlines()
            if '"step"' in line
        ]
        walker.run(iter(played), len(played))
    else:
        walker.run(steps_of(args.seed, walker.actions), args.actions)
    print(json.dumps({"done": walker.done, "failures": walker.failures}))


if __name__ == "__main__":
    main()
