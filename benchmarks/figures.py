"""What is measured, and how. Nothing here is a test: a figure is printed, and
read by a person.
"""

import sys
import tempfile
import time
from collections.abc import Callable, Collection, Iterator, Mapping
from pathlib import Path
from statistics import median

import numpy as np
from PySide6.QtCore import QEventLoop, QTimer
from PySide6.QtWidgets import QApplication

from benchmarks.desk import desk_figures
from benchmarks.edits import edit_figures
from benchmarks.engine import engine_figures
from benchmarks.figure import Figure, timed
from benchmarks.hands import hands_figures
from benchmarks.mapping import map_figures
from benchmarks.painting import painting_figures
from benchmarks.routes import route_figures
from benchmarks.studying import study_figures
from benchmarks.supervised import supervised_figures
from benchmarks.what_if import what_if_figures
from umbrant.catalog.validation import open_project
from umbrant.desk.app import SWITCH_S
from umbrant.desk.garbage import leave_out_what_lives_long
from umbrant.desk.session.settings import Settings
from umbrant.desk.widgets.theme import body_font
from umbrant.desk.window import MainWindow
from umbrant.model.documents import Project
from umbrant.model.edits import Edit, set_guard
from umbrant.model.folder import save_project
from umbrant.rolling.roll import RollOrder, roll

DEMO = Path(__file__).parents[1] / "examples" / "lantern-quay"
EDITS, MOVES, ROLLS = 40, 300, 9
LONG_TICKS = 20_000


WITHOUT_WINDOW: Mapping[str, Callable[[Path], Iterator[Figure]]] = {
    "rolls": lambda place: _roll_figures(place),
    "supervised": lambda place: supervised_figures(open_project(DEMO), place),
    "what_if": lambda place: what_if_figures(open_project(DEMO), place),
    "engine": engine_figures,
    "routes": route_figures,
    "studying": lambda place: study_figures(open_project(DEMO), place),
    "mapping": lambda place: map_figures(open_project(DEMO), place),
}
IN_WINDOW: Mapping[str, Callable[[Path], Iterator[Figure]]] = {
    "edits": lambda place: edit_figures(open_project(DEMO), place),
    "window": lambda place: _window_figures(place),
    "desk": lambda place: desk_figures(open_project(DEMO), place),
    "painting": lambda place: painting_figures(open_project(DEMO), place),
    "hands": lambda place: hands_figures(Settings(place / "hands.ini")),
}
GROUPS = (*WITHOUT_WINDOW, *IN_WINDOW)
"""What can be measured by itself."""


def figures_of(groups: Collection[str]) -> Iterator[Figure]:
    """Measure one thing after the other."""
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        for group in filter(groups.__contains__, WITHOUT_WINDOW):
            yield from WITHOUT_WINDOW[group](place)
        wanted = [group for group in IN_WINDOW if group in groups]
        if wanted:
            _begin_application()
        for group in wanted:
            yield from IN_WINDOW[group](place)


def _begin_application() -> None:
    """What the program itself does as it starts."""
    application = QApplication([])
    application.setStyle("Fusion")
    application.setFont(body_font())
    sys.setswitchinterval(SWITCH_S)
    leave_out_what_lives_long()


def _roll_figures(place: Path) -> Iterator[Figure]:
    rolled_s = _rolling_s(place)
    ratio = (
        f"this machine counts to a million in {timed(_count) * 1000:.0f} ms"
    )
    name = "the warden's part of the demo rolls, times faster than real time"
    yield Figure(name, f"{42 / rolled_s:.0f} ×", "over 100 ×", ratio)


def _wardens_part(project: Project) -> Project:
    """The demo with only the warden and the visitor at dusk."""
    dusk = project.scenario("dusk")
    two = dusk.model_copy(
        update={
            "cast": tuple(
                each for each in dusk.cast if each.name in ("odo", "visitor")
            )
        }
    )
    return project.with_scenario(two)


def _rolling_s(place: Path) -> float:
    """The median time of a roll of the warden's 42 s, with everything
    recorded, in seconds.
    """
    project = _wardens_part(open_project(DEMO))
    times = [
        timed(lambda: roll(RollOrder(project, "dusk", place / "demo.take")))
        for _ in range(ROLLS)
    ]
    return median(times)


def _window_figures(place: Path) -> Iterator[Figure]:
    rolled_s = _rolling_s(place)
    window = MainWindow(Settings(place / "window.ini"))
    window.resize(1280, 800)
    window.show()
    folder = place / "demo"
    save_project(_wardens_part(open_project(DEMO)), folder)
    window.open_folder(folder)
    _wait(lambda: window.desk.take is not None and not window.desk.takes.busy)
    edited = [
        _edit_to_repaint_s(window, metres)
        for metres in np.linspace(7, 12, EDITS).round(2)
    ]
    p95 = float(np.percentile(edited, 95))
    middle_ms, times = median(edited) * 1000, p95 / rolled_s
    ratio = (
        f"median {middle_ms:.0f} ms; {times:.2f} × the time of the roll alone"
    )
    yield Figure(
        "a chip's change to the repainted tape, 95th percentile",
        f"{p95 * 1000:.0f} ms",
        "under 400 ms",
        ratio,
    )
    short = _moves_s(window)
    long_take = roll(
        RollOrder(
            window.desk.project,
            "dusk",
            place / "long.take",
            seconds=LONG_TICKS / 20,
        )
    )
    window.desk.takes.open(long_take)
    _wait(
        lambda: (
            window.desk.take is not None
            and window.desk.take.ticks == LONG_TICKS
        )
    )
    long = _moves_s(window)
    p95 = float(np.percentile(long, 95))
    ratio = (
        f"median {median(long) * 1000:.1f} ms, {median(long) / median(short):.2f} × that in a "
        "take of 840 ticks"
    )
    yield Figure(
        "the playhead's move in 20,000 ticks, 95th percentile",
        f"{p95 * 1000:.1f} ms",
        "under 16 ms",
        ratio,
    )
    window.desk.documents.history.saved = window.desk.project
    window.close()


def _edit_to_repaint_s(window: MainWindow, metres: float) -> float:
    """From changing the chip that decides the chase until the tape of the new
    take has been painted.
    """
    before = window.desk.takes.current
    start = time.perf_counter()
    when = f"can_see(visitor, within={metres})"
    window.desk.apply(
        Edit("Set", lambda project: set_guard(project, "warden", "esc", when))
    )
    _wait(
        lambda: (
            window.desk.takes.current is not before and window.desk.is_current
        )
    )
    assert window.pane is not None
    window.pane.ledger.viewport().repaint()
    return time.perf_counter() - start


def _moves_s(window: MainWindow) -> list[float]:
    """The times of moving the playhead all over a take, with every view that
    follows it painted.
    """
    take = window.desk.take
    assert take is not None
    ticks = np.random.default_rng(1).integers(0, take.ticks, MOVES)

    def move(tick: int) -> None:
        window.desk.move_playhead(tick)
        QApplication.processEvents()

    return [timed(lambda tick=int(tick): move(tick)) for tick in ticks]


def _count() -> int:
    """A plain loop, to tell how fast the machine is at the moment."""
    total = 0
    for number in range(1_000_000):
        total += number
    return total


def _wait(condition: Callable[[], bool], longest_ms: int = 60_000) -> None:
    """Let the window work until a condition holds. Raises TimeoutError."""
    loop, poll = QEventLoop(), QTimer()
    poll.timeout.connect(lambda: loop.quit() if condition() else None)
    poll.start(1)
    QTimer.singleShot(longest_ms, loop.quit)
    if not condition():
        loop.exec()
    poll.stop()
    if not condition():
        raise TimeoutError(
            "the window did not come to rest; is the worker running?"
        )
