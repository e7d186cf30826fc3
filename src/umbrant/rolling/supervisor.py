"""The supervisor: takes orders, has them played by a process of its own making, and alone writes
the takes.

Run as `python -P -m umbrant.rolling.supervisor`: orders come in on stdin and replies go out on
stdout, one line of JSON each (`rolling.orders`). It ends when its input does. What a node prints
goes to stderr.

It runs no code of a project, has one thread, and never waits for a player: a player that takes too
long is ended.
"""

import gc
import os
import selectors
import signal
import struct
import sys
import time
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path
from typing import IO, Any

from pydantic import ValidationError

from umbrant.model.printable import printable
from umbrant.model.staging import Cue, Push
from umbrant.rolling.orders import (
    EndMessage,
    LookMessage,
    Reply,
    RollMessage,
    StepMessage,
    StopMessage,
    read_order,
    refused,
    stop_line,
)
from umbrant.rolling.player_process import PlayerProcess, die_with
from umbrant.rolling.rehearse import RehearsalFrame
from umbrant.take.errors import TakeError
from umbrant.take.header import Header
from umbrant.take.pieces import ChunkPiece, TakePiece
from umbrant.take.take_file import TakeFile

LOOK_S = 0.05
"""How often it looks after a player that plays."""
STOP_S = 0.5
"""How long a player may take to stop by itself before it is ended."""
PROGRESS_S = 0.04
"""How often the progress of a take is told: the window shows what there is of it by then."""
STALLED_S = 120.0
"""How long a player may be at one tick. With thousands of agents one takes a small part of that."""


@dataclass
class RollJob:
    """An order that has not been replied to."""

    number: int
    line: bytes
    path: Path
    limit_s: float
    """How long a call of the project's own code may take."""
    is_rehearsal: bool
    file: TakeFile | None = None
    """The take, once it has been begun."""
    stopped_because: str = ""
    """Why it is to be stopped and its take kept; empty where it goes on, or where nobody wants it
    any more.
    """
    is_ending: bool = False
    """Of a rehearsal: whether it has been told to end, so that its take comes."""
    is_superseded: bool = False
    """Whether a newer order has come, so that nobody wants it any more."""
    stop_by_s: float | None = None
    """When it should have stopped by itself."""
    is_tried: bool = False
    """Whether a player has ended without a word before it began with this."""
    ticks: int = 0
    """How many ticks the take is to have."""
    progress_s: float = field(default_factory=time.monotonic)
    """When its progress was told last."""

    def stopped(self) -> str:
        """Why and where it was stopped; empty where it was not to be."""
        if not self.stopped_because or self.file is None:
            return self.stopped_because
        return f"{self.stopped_because} at tick {self.file.ticks} of {self.ticks}"


@dataclass
class Supervisor:
    """Does orders. The newest order wins: what was being rolled is stopped, and its take is
    removed.
    """

    orders: int
    """A file descriptor to read lines from."""
    replies: IO[str]
    _selector: selectors.DefaultSelector = field(default_factory=selectors.DefaultSelector)
    _jobs: list[RollJob] = field(default_factory=list)
    _player: PlayerProcess | None = None
    _read: bytes = b""
    _is_input_over: bool = False
    _signal: int = 0
    _call: tuple[int, float] = (0, 0.0)
    """The call of the project's own code that was seen last, and since when."""
    _tick: tuple[int, float] = (0, 0.0)
    """The tick that was seen last, and since when."""

    def run(self) -> int:
        """Carry out orders until the input ends; returns the exit code."""
        self._selector.register(self.orders, selectors.EVENT_READ)
        self._new_player()
        while self._jobs or not self._is_input_over:
            for key, _ in self._selector.select(LOOK_S if self._jobs else None):
                if key.fd == self.orders:
                    self._read_orders()
                elif self._player is not None and key.fd == self._player.messages:
                    self._read_messages(self._player)
                elif self._player is not None and self._player.send():
                    self._selector.unregister(key.fd)
            self._heed_signal()
            self._look_after()
        if self._player is not None:
            self._player.end()
            self._player.close()
        return 128 + self._signal if self._signal else 0

    def interrupt(self, number: int, _: object) -> None:
        """Handle a signal: takes being rolled are closed as far as they went.

        It arrives between any two bytecodes, so it is only noted, and the selector is woken.
        """
        self._signal = number
        if not self._jobs:
            if self._player is not None:
                self._player.end()
            os._exit(128 + number)

    def _heed_signal(self) -> None:
        """Stop all rolls if a signal has been noted."""
        if not self._signal:
            return
        self._is_input_over = True
        for job in self._jobs:
            if not job.stopped_because:
                self._stop(job, f"stopped by {signal.Signals(self._signal).name}")

    # orders

    def _read_orders(self) -> None:
        data = os.read(self.orders, 1 << 20)
        if not data:
            self._selector.unregister(self.orders)
            self._is_input_over = True
            self._drop_rehearsals()
        *lines, self._read = (self._read + data).split(b"\n")
        for line in lines:
            if line.strip():
                self._take(line)

    def _take(self, line: bytes) -> None:
        try:
            message = read_order(line)
        except ValidationError as error:
            self._reply(refused(line, error))
            return
        job = next((each for each in self._jobs if each.number == message.number), None)
        match message:
            case StopMessage(stop=reason):
                if job is not None:
                    self._stop(job, reason)
            case LookMessage(look=path):
                if job is not None and job.file is not None and not job.is_superseded:
                    self._show_so_far(job, job.file, Path(path))
            case StepMessage() | EndMessage():
                if job is None or self._player is None:
                    self._reply(Reply(number=message.number))
                else:
                    job.is_ending = job.is_ending or isinstance(message, EndMessage)
                    self._send(self._player, line)
            case RollMessage():
                is_rehearsal = message.rehearse is not None
                place, limit_s = Path(message.path), message.node_limit_s
                self._begin(RollJob(message.number, line, place, limit_s, is_rehearsal))

    def _begin(self, job: RollJob) -> None:
        self._drop_rehearsals()
        for older in self._jobs:
            older.is_superseded = True
            older.stop_by_s = older.stop_by_s or time.monotonic() + STOP_S
        self._jobs.append(job)
        self._forget_calls()
        if self._player is not None:
            self._send(self._player, job.line)

    def _stop(self, job: RollJob, because: str) -> None:
        job.stopped_because = job.stopped_because or because
        job.stop_by_s = job.stop_by_s or time.monotonic() + STOP_S
        if self._player is not None:
            self._send(self._player, stop_line(job.number, because).encode())

    def _send(self, player: PlayerProcess, line: bytes) -> None:
        player.order(line)
        if not player.send() and player.orders not in self._selector.get_map():
            self._selector.register(player.orders, selectors.EVENT_WRITE)

    # the player

    def _new_player(self) -> None:
        """Fork a player, which has all modules loaded and none of what other takes left behind."""
        self._player = PlayerProcess()
        self._selector.register(self._player.messages, selectors.EVENT_READ)
        self._forget_calls()
        for job in self._jobs:
            self._send(self._player, job.line)

    def _forget_calls(self) -> None:
        now_s = time.monotonic()
        self._call, self._tick = (0, now_s), (-1, now_s)

    def _read_messages(self, player: PlayerProcess) -> None:
        try:
            messages, may_go_on = player.read()
            for number, what, *more in messages:
                job = next((each for each in self._jobs if each.number == number), None)
                if job is not None:
                    self._hear(job, what, more)
            if player.fault:
                # One place tells of all that cannot be used.
                raise ValueError(player.fault)  # noqa: TRY301
        except TakeError as error:
            self._fail(player, str(error))
        except (
            Exception
        ) as error:  # what a player sends can be anything once a stranger's code has been at it
            what = (
                f"The process that played sent what is no part of a take ({printable(str(error))})."
            )
            player.end(what, self._jobs[0].number if self._jobs else 0)
            self._ended(player)
        else:
            if not may_go_on:
                self._ended(player)

    def _hear(self, job: RollJob, what: str, more: list[Any]) -> None:
        """Act on a message about a job."""
        if what == "begun":
            if not job.is_superseded:
                header = Header.model_validate_json(more[0])
                job.file, job.ticks = TakeFile(job.path, header), header.ticks
        elif what == "piece":
            if job.file is not None:
                job.file.push(_piece(more[0]))
                self._say_how_far(job, job.file.ticks)
        elif what == "ready":
            self._reply(Reply(number=job.number))
        elif what == "frame":
            self._reply(Reply(number=job.number, frame=RehearsalFrame.model_validate_json(more[0])))
        elif what == "stopped":
            self._conclude(job, job.stopped())
        elif what == "failed":
            self._conclude(job, str(more[0]))
        elif what == "played":
            steps = tuple(Push.model_validate_json(each) for each in more[0])
            cues = tuple(Cue.model_validate_json(each) for each in more[1])
            self._conclude(job, "", steps, cues)

    def _say_how_far(self, job: RollJob, ticks: int) -> None:
        """Tell of the progress of a take, every so often: short ones are done before that."""
        now_s = time.monotonic()
        if job.is_superseded or job.is_rehearsal or now_s - job.progress_s < PROGRESS_S:
            return
        job.progress_s = now_s
        self._reply(Reply(number=job.number, ticks=ticks, of=job.ticks))

    def _show_so_far(self, job: RollJob, file: TakeFile, path: Path) -> None:
        """Write what has been played of a take into another file, and tell of it."""
        try:
            file.copy_so_far(path)
        except (TakeError, ValueError, TypeError, OverflowError, struct.error):
            # Whatever is wrong is told of when the take itself is written.
            with suppress(OSError):
                path.unlink(missing_ok=True)
            return
        self._reply(Reply(number=job.number, ticks=file.ticks, of=job.ticks, look=path))

    def _ended(self, player: PlayerProcess) -> None:
        """The player has ended: conclude the take it was playing and leave the rest to a new
        player.
        """
        for each in (player.messages, player.orders):
            if each in self._selector.get_map():
                self._selector.unregister(each)
        how = player.close()
        self._player = None
        job = self._jobs[0] if self._jobs else None
        if job is not None and (
            job.is_tried or job.file is not None or self._is_to_blame(job, player, how)
        ):
            self._conclude(
                job,
                ""
                if job.is_superseded
                else job.stopped() or how or "The player has ended by itself.",
            )
        elif job is not None:
            # It had not begun with this order. A player also ends after a take in which code of a
            # project ran.
            job.is_tried = True
        if not self._is_input_over or self._jobs:
            self._new_player()

    def _is_to_blame(self, job: RollJob, player: PlayerProcess, how: str) -> bool:
        """Whether it was this order at which a player ended that had not begun its take yet."""
        return player.ended_at == job.number if player.ended_because else bool(how)

    def _look_after(self) -> None:
        """Kill a player that takes too long for its task."""
        player = self._player
        if player is None or not self._jobs or player.ended_because:
            return
        now_s, job = time.monotonic(), self._jobs[0]
        if player.watch.call != self._call[0]:
            self._call = player.watch.call, now_s
        if player.watch.ticks != self._tick[0]:
            self._tick = player.watch.ticks, now_s
        if job.stop_by_s is not None and now_s > job.stop_by_s:
            player.end(job.stopped_because or "a newer order came", job.number)
        elif self._call[0] and now_s - self._call[1] > job.limit_s:
            because = (
                f"{player.called()} did not come back within {job.limit_s:g} s, so it was ended."
            )
            player.end(f"{player.line_now()}: {because}", job.number)
        elif now_s - self._tick[1] > STALLED_S and not job.is_rehearsal:
            because = (
                f"One tick took longer than {STALLED_S:g} s, so the roll was ended. Is the "
                "scenario too large?"
            )
            player.end(because, job.number)

    # what comes of a job

    def _conclude(
        self, job: RollJob, error: str, steps: tuple[Push, ...] = (), cues: tuple[Cue, ...] = ()
    ) -> None:
        """Close the take of a job and reply. With an `error` it was cut short."""
        self._jobs.remove(job)
        self._forget_calls()
        if job.is_superseded:
            if job.file is not None:
                job.file.remove()
            if not job.is_rehearsal:
                self._reply(Reply(number=job.number))
            return
        take = None
        if job.file is not None:
            take = job.path
            try:
                job.file.close(error) if error else job.file.close()
            except TakeError as cannot:
                error = error or str(cannot)
        self._reply(Reply(number=job.number, take=take, error=error, steps=steps, cues=cues))

    def _fail(self, player: PlayerProcess, error: str) -> None:
        """Give a take up because its file cannot be written."""
        job = self._jobs[0]
        if job.file is not None:
            job.file.remove()
            job.file = None
        player.end(error, job.number)

    def _drop_rehearsals(self) -> None:
        """Give up all rehearsals: nobody waits for their takes."""
        for job in self._jobs:
            if job.is_rehearsal and not job.is_ending:
                job.is_superseded = True
                self._stop(job, "it was given up")

    def _reply(self, reply: Reply) -> None:
        self.replies.write(reply.line() + "\n")
        self.replies.flush()


def _piece(data: list[Any]) -> TakePiece:
    ticks, ends_chunk, chunks, *rest = data
    return TakePiece(int(ticks), bool(ends_chunk), [ChunkPiece(*each) for each in chunks], *rest)


def main() -> None:
    """Serve stdin and stdout; whatever else is printed to stdout goes to stderr."""
    out = os.fdopen(os.dup(1), "w", encoding="utf-8")
    os.dup2(2, 1)
    supervisor = Supervisor(0, out)
    die_with(os.getppid(), signal.SIGTERM)
    for each in (signal.SIGINT, signal.SIGTERM):
        signal.signal(each, supervisor.interrupt)
    gc.freeze()
    try:
        code = supervisor.run()
    except BrokenPipeError:  # whoever gave the orders is no more
        code = 1
    sys.exit(code)


if __name__ == "__main__":
    main()
