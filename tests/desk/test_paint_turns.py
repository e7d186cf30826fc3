"""Views that show the same change are painted one after the other."""

from PySide6.QtCore import QEvent, QObject
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QApplication, QVBoxLayout, QWidget
from pytestqt.qtbot import QtBot

from tests.waiting import PATIENCE_MS
from umbrant.desk.widgets.paint_turns import PaintTurns
from umbrant.desk.widgets.painted import PaintedView


class Counting(PaintedView):
    """Notes when it is painted, in the list that all of a window share."""

    def __init__(self, name: str, painted: list[str], parent: QWidget) -> None:
        super().__init__(parent)
        self._name, self._painted = name, painted
        self.setMinimumSize(20, 20)

    def draw(self, painter: QPainter) -> None:
        self._painted.append(self._name)


def window_of(
    qtbot: QtBot, painted: list[str], names: str
) -> tuple[QWidget, list[Counting]]:
    window = QWidget()
    qtbot.addWidget(window)
    views = [Counting(each, painted, window) for each in names]
    layout = QVBoxLayout(window)
    for view in views:
        layout.addWidget(view)
    window.show()
    qtbot.waitUntil(lambda: set(painted) == set(names), timeout=PATIENCE_MS)
    qtbot.wait(20)
    painted.clear()
    return window, views


def test_each_view_is_painted_in_a_turn_of_its_own(qtbot: QtBot) -> None:
    painted: list[str] = []
    window, views = window_of(qtbot, painted, "abc")
    for view in (views[2], views[0], views[1], views[0]):
        view.update_in_turn()
    assert painted == []
    qtbot.waitUntil(lambda: len(painted) == 3, timeout=PATIENCE_MS)
    qtbot.wait(20)
    assert painted == ["c", "a", "b"]
    assert window.isVisible()


def test_a_view_that_is_gone_is_left_out(qtbot: QtBot) -> None:
    painted: list[str] = []
    window, views = window_of(qtbot, painted, "ab")
    for view in views:
        view.update_in_turn()
    views[0].deleteLater()
    qtbot.waitUntil(lambda: "b" in painted, timeout=PATIENCE_MS)
    assert "a" not in painted
    assert window.isVisible()


def test_what_asks_again_while_it_waits_is_painted_once(qtbot: QtBot) -> None:
    painted: list[str] = []
    window, views = window_of(qtbot, painted, "ab")
    for _ in range(5):
        views[0].update_in_turn()
    qtbot.waitUntil(lambda: painted == ["a"], timeout=PATIENCE_MS)
    qtbot.wait(20)
    assert painted == ["a"]
    assert window.isVisible()


def test_what_goes_before_is_done_in_the_turn_once(qtbot: QtBot) -> None:
    painted: list[str] = []
    window, views = window_of(qtbot, painted, "ab")
    turns = PaintTurns.shared()
    assert turns.is_over
    turns.ask(views[0])
    assert not turns.is_over
    turns.ask(views[1], lambda: painted.append("before b"))
    turns.ask(views[1])
    turns.ask(views[1], lambda: painted.append("just before b"))
    assert painted == []
    qtbot.waitUntil(lambda: "b" in painted, timeout=PATIENCE_MS)
    qtbot.wait(20)
    assert painted == ["a", "just before b", "b"]
    assert turns.is_over
    assert window.isVisible()


def test_a_mistake_in_what_goes_before_leaves_a_view_that_is_painted(
    qtbot: QtBot,
) -> None:
    painted: list[str] = []
    _, views = window_of(qtbot, painted, "ab")

    def fails() -> None:
        raise LookupError("no such thing")

    with qtbot.captureExceptions() as errors:
        PaintTurns.shared().ask(views[0], fails)
        PaintTurns.shared().ask(views[1])
        qtbot.waitUntil(
            lambda: set(painted) == {"a", "b"}, timeout=PATIENCE_MS
        )
    assert [str(each[1]) for each in errors] == ["no such thing"]


def test_who_waits_is_not_painted_for_another_reason(qtbot: QtBot) -> None:
    """The window is painted anew meanwhile, as when the mouse moves over it."""
    painted: list[str] = []
    window, views = window_of(qtbot, painted, "abc")
    frames: list[list[str]] = []

    class Frames(QObject):
        def eventFilter(self, watched: QObject, event: QEvent) -> bool:
            if event.type() is QEvent.Type.UpdateRequest:
                frames.append([])
            return False

    counts = Frames()
    window.installEventFilter(counts)
    for view in views:
        view.update_in_turn()
    for view in views:
        view.update()
    window.update()
    while len(painted) < len(views):
        seen = len(painted)
        QApplication.processEvents()
        if frames:
            frames[-1].extend(painted[seen:])
    assert painted == ["a", "b", "c"]
    assert max(map(len, frames)) == 1
    assert all(view.updatesEnabled() for view in views)
