"""Playing the take: the playhead moves as time goes by."""

from PySide6.QtCore import QElapsedTimer, QObject, QTimer, Signal

from umbrant.desk.session.desk import Desk

SPEEDS = (0.1, 0.25, 0.5, 1.0, 2.0, 4.0, 8.0)
FRAME_MS = 16


class Playback(QObject):
    """Moves the playhead at a number of times real time, up to the end of the take."""

    playing_changed = Signal(bool)
    speed_changed = Signal(float)

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._desk = desk
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
        """Play from the playhead on, from the start if it stands at the end; or pause."""
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
        self._exact += self._clock.restart() / 1000 * self.speed * take.header.ticks_per_s
        self._desk.move_playhead(int(self._exact))
        if self._desk.playhead >= take.last_tick:
            self.pause()
