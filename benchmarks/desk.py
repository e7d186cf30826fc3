"""Figures of the writing desk: a behavior of 2,000 rows is opened, scrolled
and written in; reviews.
"""

import time
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QWidget

from benchmarks.figure import Figure, timed
from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.validation import validate
from umbrant.desk.session.settings import Settings
from umbrant.desk.views.ledger.view import LedgerView
from umbrant.desk.window import MainWindow
from umbrant.model.behaviors import Behavior, Guard, Row
from umbrant.model.documents import Project
from umbrant.model.folder import save_project
from umbrant.model.problems import ProjectError
from umbrant.model.values import KeyRef
from umbrant.model.variants import in_outline_order
from umbrant.review import review

ROWS, SCROLLS, REVIEWS = 2000, 200, 7
NAME = "Walk slowly to where the last one was seen"


def desk_figures(demo: Project, place: Path) -> Iterator[Figure]:
    """Measure one thing after the other."""
    large = with_many_rows(demo)
    small_s, large_s = (
        min(timed(lambda p=each: review(p, BUILTIN)) for _ in range(REVIEWS))
        for each in (demo, large)
    )  # type: ignore[misc]
    yield Figure(
        "the review of the demo",
        f"{small_s * 1000:.0f} ms",
        "under 100 ms",
        "",
    )
    ratio = f"{large_s / small_s:.1f} × that of the demo"
    yield Figure(
        "the review of 2,000 rows",
        f"{large_s * 1000:.0f} ms",
        "under 1 s",
        ratio,
    )
    save_project(large, place / "large")
    window = MainWindow(Settings(place / "large.ini"))
    window.resize(1280, 800)
    window.show()
    opened_s = timed(lambda: _open(window, place / "large"))
    yield Figure(
        "2,000 rows are opened and painted",
        f"{opened_s * 1000:.0f} ms",
        "under 1 s",
        "",
    )
    assert window.pane is not None
    ledger = window.pane.ledger
    _rest(
        lambda: (
            window.desk.take is not None
            and not window.desk.documents.reviewer.busy
        )
    )
    yield _frames(
        "scrolling 2,000 rows, a frame",
        [_scrolled_s(ledger, step) for step in range(SCROLLS)],
    )
    row = window.desk.behavior.rows[1000].id if window.desk.behavior else ""
    window.desk.select_row(row)
    typed, kept = _typed_s(window, ledger)
    yield _frames("typing a row's name among 2,000, a key", typed)
    yield _frames("what was typed is taken up", kept)
    window.desk.documents.history.saved = window.desk.project
    window.close()


def with_many_rows(project: Project) -> Project:
    """The project with a behavior of 2,000 rows that the first of the cast at
    dusk runs.
    """
    rows = [Row(id="top", kind="selector", name="Guard the quay")]
    while len(rows) < ROWS:
        number = len(rows)
        if number % 81 == 1:
            branch = f"b{number}"
            guard = Guard(
                when=f"distance(visitor) < {number % 9} and visitor_seen"
            )
            rows.append(
                Row(
                    id=branch,
                    under="top",
                    kind="selector",
                    name=f"When near {number}",
                    guard=guard,
                )
            )
        elif number % 4 == 2:
            sequence = f"s{number}"
            rows.append(
                Row(
                    id=sequence,
                    under=branch,
                    kind="sequence",
                    name=f"Look and go {number}",
                )
            )
        elif number % 4 == 3:
            look = {
                "target": "visitor",
                "seen": KeyRef(key="visitor_seen"),
                "where": KeyRef(key="last_seen"),
            }
            rows.append(
                Row(
                    id=f"l{number}",
                    under=sequence,
                    kind="look_out",
                    name="Look",
                    args=look,
                )
            )
        elif number % 4 == 0:
            move = {"target": "visitor", "reach": 1.2 + number % 5}
            rows.append(
                Row(
                    id=f"m{number}",
                    under=sequence,
                    kind="move_to",
                    name="Go there",
                    args=move,
                )
            )
        else:
            rows.append(
                Row(
                    id=f"w{number}",
                    under=sequence,
                    kind="wait",
                    name="Rest",
                    args={"duration": 2.0},
                )
            )
    warden = project.behavior("warden")
    large = in_outline_order(
        Behavior(
            name="warden",
            title=warden.title,
            blackboard=warden.blackboard,
            rows=tuple(rows),
        )
    )
    others = tuple(
        large if each is warden else each
        for each in project.behaviors
        if each.variant_of != "warden"
    )
    made = project.model_copy(update={"behaviors": others})
    if problems := validate(made):
        raise ProjectError(problems)
    return made


def _open(window: MainWindow, folder: Path) -> None:
    if not window.open_folder(folder):
        raise RuntimeError("the large project could not be opened")
    QApplication.processEvents()
    assert window.pane is not None
    window.pane.ledger.viewport().repaint()


def _scrolled_s(ledger: LedgerView, step: int) -> float:
    """The time of one turn of the wheel with its repaint, there and back."""
    viewport = ledger.viewport()
    turn = QPoint(0, -240 if step < SCROLLS // 2 else 240)
    middle = QPointF(200, 300)
    wheel = QWheelEvent(
        middle,
        viewport.mapToGlobal(middle),
        QPoint(),
        turn,
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )

    def scroll() -> None:
        QApplication.sendEvent(viewport, wheel)
        QApplication.processEvents()

    return timed(scroll)


def _typed_s(
    window: MainWindow, ledger: LedgerView
) -> tuple[list[float], list[float]]:
    """The time of each key of a name that is typed with its repaint; and of
    Enter, which takes the name up.
    """
    typed, kept = [], []
    for round_ in range(5):
        ledger.setFocus()
        ledger.rename()
        line = QApplication.focusWidget()
        typed.extend(_key_s(line, letter) for letter in f"{NAME} {round_}")
        kept.append(_key_s(line, "\r"))
        _rest(
            lambda: (
                window.desk.is_current
                and not window.desk.documents.reviewer.busy
            )
        )
    return typed, kept


def _key_s(line: QWidget, letter: str) -> float:
    def press() -> None:
        if letter == "\r":
            QTest.keyClick(line, Qt.Key.Key_Return)
        else:
            QTest.keyClicks(line, letter)
        QApplication.processEvents()

    return timed(press)


def _rest(condition: Callable[[], bool]) -> None:
    while not condition():
        QApplication.processEvents()
        time.sleep(0.01)


def _frames(name: str, times: list[float]) -> Figure:
    p95, middle = float(np.percentile(times, 95)), float(np.median(times))
    return Figure(
        f"{name}, 95th percentile",
        f"{p95 * 1000:.1f} ms",
        "under 16 ms",
        f"median {middle * 1000:.1f} ms",
    )
