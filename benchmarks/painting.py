"""Figures of painting a crowd: 73 of the cast, more than 200 props and a
machine of 40 states.

Each view is painted again and again while the playhead moves, as it is while a
take is played.
"""

import time
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
from PySide6.QtCore import QElapsedTimer
from PySide6.QtWidgets import QAbstractScrollArea, QApplication, QWidget

from benchmarks.crowded import crowded
from benchmarks.figure import Figure
from umbrant.desk.session.settings import Settings
from umbrant.desk.views.map.view import MapView
from umbrant.desk.window import MainWindow
from umbrant.model.documents import Project
from umbrant.model.folder import save_project

FRAMES, APART = 80, 7
"""How many times a view is painted, and how many ticks the playhead moves from
one to the next.
"""
LONGEST_MS = 120_000


def painting_figures(demo: Project, place: Path) -> Iterator[Figure]:
    """Paint one view after the other."""
    save_project(crowded(demo), place / "crowd")
    window = MainWindow(Settings(place / "crowd.ini"))
    window.resize(1280, 800)
    window.show()
    window.open_folder(place / "crowd")
    _until(
        lambda: (
            window.desk.is_current and not window.desk.documents.reviewer.busy
        )
    )
    pane = window.pane
    assert pane is not None
    yield _frames(window, "the stage", pane.stage)
    _do(window, "large_stage")
    yield _frames(window, "the stage in the large place", pane.stage)
    _do(window, "large_stage")
    yield _frames(window, "the lanes", pane.lanes)
    _do(window, "show_map")
    yield _frames(window, "the map of a tree", pane.views.of(MapView))
    window.desk.look_at("day")
    window.desk.select_row("st9")
    QApplication.processEvents()
    yield _frames(window, "the map of 40 states", pane.views.of(MapView))
    _do(window, "show_setting")
    yield _frames(window, "the setting", pane.setting)
    window.close()


def _do(window: MainWindow, action: str) -> None:
    assert window.pane is not None
    window.pane.actions_by_id[action].trigger()
    QApplication.processEvents()


def _frames(window: MainWindow, name: str, view: QWidget) -> Figure:
    painted = (
        view.viewport() if isinstance(view, QAbstractScrollArea) else view
    )
    times = []
    for frame in range(FRAMES):
        window.desk.move_playhead(frame * APART)
        QApplication.processEvents()
        began_s = time.perf_counter()
        painted.repaint()
        times.append(1000 * (time.perf_counter() - began_s))
    p95, middle = float(np.percentile(times, 95)), float(np.median(times))
    of = f"{name} of a crowd, a frame, 95th percentile"
    return Figure(
        of, f"{p95:.1f} ms", "under 16 ms", f"median {middle:.1f} ms"
    )


def _until(condition: Callable[[], bool]) -> None:
    clock = QElapsedTimer()
    clock.start()
    while not condition():
        QApplication.processEvents()
        if clock.hasExpired(LONGEST_MS):
            raise TimeoutError("the crowd has not been played")
