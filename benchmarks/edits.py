"""From a changed number to its new take on the tape: the demo's whole cast,
with every view shown.

Eleven numbers are changed one after the other. The playhead stands where the
new take first differs, and what counts is the first repaint of the new take
that reaches there.
"""

import math
import tempfile
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from PySide6.QtCore import QElapsedTimer, QEvent, QEventLoop, QObject, QTimer

from benchmarks.figure import Figure, timed
from umbrant.catalog.builtin import BUILTIN
from umbrant.desk.session.desk import Desk
from umbrant.desk.session.settings import Settings
from umbrant.desk.window import MainWindow
from umbrant.model.documents import Project
from umbrant.model.edits import Edit, change_row, set_guard
from umbrant.model.folder import save_project
from umbrant.rolling.roll import Play, RollOrder, chunk_ticks, roll
from umbrant.take.compare import different
from umbrant.take.reader import read_take
from umbrant.take.recorder import TakeRecorder

NUMBERS = (
    ("warden", "close", "reach", 2.6),
    ("warden", "along", "distance", 2.0),
    ("warden", "fill", "duration", 2.0),
    ("dog", "ring", "distance", 4.0),
    ("dog", "woof", "duration", 0.8),
    ("gull", "from", "most", 3.5),
    ("gull", "away", "reach", 0.5),
    ("stall-keeper", "heave", "duration", 2.5),
    ("porter", "regain", "duration", 4.0),
    ("warden", "easy", "duration", 2.0),
)
"""A behavior, a row, a parameter and its new value; the last is of a row that
the first tick visits. The guard of the chase is the eleventh.
"""
GUARD = "can_see(visitor, within=11)"
BEAT_MS = 1
LONGEST_MS = 60_000
RESTED_MS = 1500
STARTED_BY = 64
"""Before which tick a take that is played from its first one is heard of."""


def edit_figures(demo: Project, place: Path) -> Iterator[Figure]:
    """Change each number, and back again."""
    save_project(demo, place / "edits")
    window = MainWindow(Settings(place / "edits.ini"))
    window.resize(1280, 800)
    window.show()
    window.open_folder(place / "edits")
    _until(lambda: window.desk.is_current)
    edits = [_number_edit(*each) for each in NUMBERS]
    edits.append(
        Edit("Set", lambda project: set_guard(project, "warden", "esc", GUARD))
    )
    seen, rolls = [], [_roll_ms(demo)]
    for edit in edits:
        seen.append(_seen(window, edit))
        window.desk.documents.undo()
        _until(lambda: window.desk.is_current)
    rolls.append(_roll_ms(demo))
    window.desk.documents.history.saved = window.desk.project
    window.close()
    resumed = [each for each in seen if each.is_resumed]
    others = [each for each in seen if not each.is_resumed]
    seen_on = "a changed number is seen on the tape"
    for name, times, aim in (
        (
            f"{seen_on}, resumed",
            [each.first_ms for each in resumed],
            "under 100 ms",
        ),
        (
            f"{seen_on}, from tick 0",
            [each.first_ms for each in others],
            "under 250 ms",
        ),
        (
            "the whole take is there, resumed",
            [each.all_ms for each in resumed],
            "under 500 ms",
        ),
        (
            "the whole take is there, from tick 0",
            [each.all_ms for each in others],
            "none",
        ),
        (
            "the window does not answer meanwhile for",
            [each.still_ms for each in seen],
            "8 ms",
        ),
    ):
        if times:
            p95, middle = (
                float(np.percentile(times, 95)),
                float(np.median(times)),
            )
            share = p95 / float(np.mean(rolls))
            note = (
                f"median {middle:.0f} ms of {len(times)} numbers; {share:.2f} times the "
                "roll"
            )
            yield Figure(
                f"{name}, 95th percentile", f"{p95:.0f} ms", aim, note
            )


def _roll_ms(demo: Project) -> float:
    """How long the ticks of its scenario take to be played and recorded."""
    scenario = demo.scenario(demo.cover.scenario)
    recorder = TakeRecorder(
        scenario.ticks_per_s, chunk_ticks(scenario), lambda piece: None
    )
    play = Play(demo, scenario, recorder, BUILTIN)
    ticks = range(scenario.tick_count)
    return timed(lambda: [play.tick(tick) for tick in ticks]) * 1e3


@dataclass(frozen=True)
class Seen:
    """What an edit took, in milliseconds."""

    first_ms: float
    """Until the new take was painted where it first differs."""
    all_ms: float
    """Until all of it was."""
    still_ms: float
    """The longest time for which the window's thread did nothing else."""
    is_resumed: bool
    """Whether it was played from a later tick than the first."""


def _number_edit(
    behavior: str, row: str, parameter: str, value: float
) -> Edit:
    def change(project: Project) -> Project:
        return change_row(
            project,
            behavior,
            row,
            lambda found: found.model_copy(
                update={"args": {**found.args, parameter: value}}
            ),
        )

    return Edit("Set", change)


def _seen(window: MainWindow, edit: Edit) -> Seen:
    desk = window.desk
    first = _first_difference(desk.project, edit.apply(desk.project))
    desk.move_playhead(first)
    # The author looks at what is there, and meanwhile snapshots are made.
    _rest()
    assert window.pane is not None
    before, clock, reached = desk.takes.current, QElapsedTimer(), []
    painted = PaintWatch(desk, first, clock)
    tape = window.pane.ledger.viewport()
    tape.installEventFilter(painted)
    clock.start()
    desk.takes.progressed.connect(reached.append)
    desk.apply(edit)
    still_ms = _until(
        lambda: desk.takes.current is not before and desk.is_current
    )
    all_ms = clock.nsecsElapsed() / 1e6
    desk.takes.progressed.disconnect(reached.append)
    tape.removeEventFilter(painted)
    return Seen(
        painted.at_ms, all_ms, still_ms, is_resumed=reached[0] > STARTED_BY
    )


class PaintWatch(QObject):
    """Notes when the tape is first painted with a new take that reaches beyond
    a tick.
    """

    def __init__(self, desk: Desk, first: int, clock: QElapsedTimer) -> None:
        super().__init__()
        self.at_ms = float("nan")
        self._desk, self._first, self._clock = desk, first, clock
        self._before = desk.take

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:  # noqa: N802
        take = self._desk.take
        is_new = (
            take is not None
            and take is not self._before
            and take.ticks > self._first
        )
        if (
            event.type() == QEvent.Type.Paint
            and is_new
            and math.isnan(self.at_ms)
        ):
            # The filter comes before the paint itself: the first beat after it
            # is when it is over.
            QTimer.singleShot(0, self._note)
        return False

    def _note(self) -> None:
        if math.isnan(self.at_ms):
            self.at_ms = self._clock.nsecsElapsed() / 1e6


def _first_difference(one: Project, other: Project) -> int:
    """The first tick at which two projects' takes differ for any of the cast."""
    with tempfile.TemporaryDirectory() as folder:
        before, after = (
            read_take(
                roll(
                    RollOrder(
                        each,
                        each.cover.scenario,
                        Path(folder) / f"{name}.take",
                    )
                )
            )
            for name, each in (("one", one), ("other", other))
        )
    ranges = [
        each
        for name in after.agents
        for each in different(before, after, name).values()
    ]
    return min((each.start for found in ranges for each in found), default=0)


def _rest() -> None:
    """Let the window come to rest, and what follows a take be done."""
    clock = QElapsedTimer()
    clock.start()
    _until(lambda: clock.hasExpired(RESTED_MS))


def _until(condition) -> float:  # type: ignore[no-untyped-def]
    """Let the window work until a condition holds. Returns the longest time
    between two beats.
    """
    loop, beat, clock, longest = QEventLoop(), QTimer(), QElapsedTimer(), [0.0]

    def came() -> None:
        longest[0] = max(longest[0], clock.nsecsElapsed() / 1e6)
        clock.restart()
        if condition():
            loop.quit()

    beat.timeout.connect(came)
    beat.start(BEAT_MS)
    clock.start()
    QTimer.singleShot(LONGEST_MS, loop.quit)
    loop.exec()
    beat.stop()
    if not condition():
        raise TimeoutError(
            "the window did not come to rest; is the worker running?"
        )
    return longest[0]
