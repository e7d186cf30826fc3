"""Playing the take: the playhead moves as time goes by."""

from bisect import bisect_right
from contextlib import suppress

from PySide6.QtCore import QElapsedTimer, QObject, QTimer, Signal

from umbrant.catalog.language.tree import LanguageError
from umbrant.desk.session.desk import Desk
from umbrant.expecting.history import TakeSignals, stretches_of

SPEEDS = (0.1, 0.25, 0.5, 1.0, 2.0, 4.0, 8.0)
FRAME_MS = 16


class StopPoint:
    """Where playing stops: as soon as a condition over the take begins to hold
    for one of the cast.
    """

    def __init__(self, desk: Desk) -> None:
        self._desk = desk
        self.condition = ""
        """Empty for nowhere."""
        self.agent = ""
        self._found: tuple[object, list[int]] = (None, [])

    def set(self, condition: str, agent: str) -> None:
        """Stop where a condition begins to hold; nowhere without one. Raises
        LanguageError, and then nothing is changed.
        """
        take = self._desk.take
        if condition and take is not None and agent in take.agents:
            TakeSignals(take, agent).holds(condition)
        self.condition, self.agent = condition, agent

    @property
    def ticks(self) -> list[int]:
        """The ticks of the take that is shown at which it begins to hold."""
        take = self._desk.take
        key = (self._desk.take_number, self.condition, self.agent)
        if self._found[0] != key:
            self._found = key, []
            if (
                take is not None
                and self.condition
                and self.agent in take.agents
            ):
                # What an edit has made unknown stops nowhere.
                with suppress(LanguageError):
                    holds = TakeSignals(take, self.agent).holds(self.condition)
                    self._found = (
                        key,
                        [start for start, _ in stretches_of(holds)],
                    )
        return self._found[1]

    def first_within(self, after: int, until: int) -> int | None:
        """The first tick after one, up to another, at which playing stops."""
        ticks = self.ticks
        place = bisect_right(ticks, after)
        if place < len(ticks) and ticks[place] <= until:
            return ticks[place]
        return None


class Playback(QObject):
    """Moves the playhead at a number of times real time, up to the end of the
    take.
    """

    playing_changed = Signal(bool)
    speed_changed = Signal(float)
    stop_changed = Signal()
    """Playing stops elsewhere."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._desk = desk
        self.stop = StopPoint(desk)
        self.speed = 1.0
        self._exact = 0.0
        self._clock = QElapsedTimer()
        self._timer = QTimer(self)
        self._timer.setInterval(FRAME_MS)
        self._timer.timeout.connect(self._frame)

    @property
    def playing(self) -> bool:
        """Whether the playhead moves by itself."""
        return self._timer.isActive()

    def toggle(self) -> None:
        """Play from the playhead on, from the start if it stands at the end;
        or pause.
        """
        if self.playing:
            self.pause()
            return
        take = self._desk.take
        if take is None:
            return
        if self._desk.playhead >= take.last_tick:
            self._desk.move_playhead(0)
        self._exact = float(self._desk.playhead)
        self._clock.start()
        self._timer.start()
        self.playing_changed.emit(True)

    def move_until_stop(self, tick: int) -> bool:
        """Move the playhead on to a tick, or to where playing stops before it.
        Returns whether it was stopped there; the message says why.
        """
        stop = self.stop.first_within(self._desk.playhead, tick)
        if stop is None:
            self._desk.move_playhead(tick)
        else:
            self._desk.move_playhead(stop)
            says = f"{self.stop.agent}: {self.stop.condition}"
            self._desk.message.emit(
                f"Stopped at {self._desk.seconds(stop):.2f} s: {says}."
            )
        return stop is not None

    def pause(self) -> None:
        """Stop moving the playhead."""
        if self.playing:
            self._timer.stop()
            self.playing_changed.emit(False)

    def change_speed(self, step: int) -> None:
        """Play faster (1) or slower (-1)."""
        index = SPEEDS.index(self.speed) + step
        self.set_speed(SPEEDS[max(0, min(len(SPEEDS) - 1, index))])

    def set_speed(self, speed: float) -> None:
        """Play at one of SPEEDS."""
        if speed != self.speed:
            self.speed = speed
            self.speed_changed.emit(speed)

    def _frame(self) -> None:
        take = self._desk.take
        if take is None:
            self.pause()
            return
        if int(self._exact) != self._desk.playhead:
            self._exact = float(self._desk.playhead)
        self._exact += (
            self._clock.restart() / 1000 * self.speed * take.header.ticks_per_s
        )
        if self.move_until_stop(int(self._exact)):
            self.pause()
        if self._desk.playhead >= take.last_tick:
            self.pause()
