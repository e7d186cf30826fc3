"""The supervisor: takes orders, has them played by a process of its own
making, and alone writes the takes.

Run as `python -P -m umbrant.rolling.supervisor`: orders come in on stdin and
replies go out on stdout, one line of JSON each (`rolling.orders`). It ends
when its input does. What a node prints goes to stderr.

It runs no code of a project, has one thread, and never waits for a player: a
player that takes too long is ended.
"""

import gc
import os
import select
import selectors
import signal
import struct
import sys
import time
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path
from typing import IO, Any

from pydantic import ValidationError

from umbrant.model.printable import printable
from umbrant.model.problems import ProjectError
from umbrant.model.staging import Cue, Push
from umbrant.rolling.orders import (
    EndMessage,
    Look,
    LookMessage,
    Reply,
    RollMessage,
    StepMessage,
    StopMessage,
    read_order,
    refused,
    stop_line,
)
from umbrant.rolling.parent import die_with
from umbrant.rolling.player_process import (
    PlayerLink,
    PlayerProcess,
    ResumedPlayer,
)
from umbrant.rolling.rehearse import RehearsalFrame
from umbrant.rolling.resuming import change_of
from umbrant.rolling.roll import header_of, played
from umbrant.rolling.roll_job import RollJob
from umbrant.rolling.snapshot_maker import SnapshotMaker
from umbrant.rolling.stalls import StallWatch
from umbrant.rolling.watch import SharedWatch
from umbrant.take.errors import TakeError
from umbrant.take.header import Header
from umbrant.take.pieces import ChunkPiece, TakePiece
from umbrant.take.take_file import TakeFile

LOOK_S = 0.05
"""How often it looks after a player that plays."""
STOP_S = 0.5
"""How long a player may take to stop by itself before it is ended."""
PROGRESS_S = 0.04
"""How often the progress of a take is told: the window shows what there is of
it by then.
"""
PREPARE_AFTER_S = 0.2
"""How long nothing must have been ordered for snapshots to be made."""


@dataclass
class Supervisor:
    """Does orders. The newest order wins: what was being rolled is stopped,
    and its take is removed.
    """

    orders: int
    """A file descriptor to read lines from."""
    replies: IO[str]
    _selector: selectors.DefaultSelector = field(
        default_factory=selectors.DefaultSelector
    )
    _jobs: list[RollJob] = field(default_factory=list)
    _player: PlayerProcess | None = None
    """Who plays from the first tick."""
    _resumed: list[ResumedPlayer] = field(default_factory=list)
    """Those that go on from snapshots: the last of them with the newest order.
    """
    _maker: SnapshotMaker = field(default_factory=SnapshotMaker)
    """The snapshots, and what was played of the order that they are of."""
    _rests_since_s: float = 0.0
    """Since when there is nothing to be done."""
    _read: bytes = b""
    _is_input_over: bool = False
    _signal: int = 0
    _stalls: StallWatch = field(default_factory=StallWatch)

    def run(self) -> int:
        """Carry out orders until the input ends; returns the exit code."""
        self._selector.register(self.orders, selectors.EVENT_READ)
        self._new_player()
        while self._jobs or not self._is_input_over:
            is_waiting = bool(self._jobs) or self._wants_snapshots()
            for key, _ in self._selector.select(
                LOOK_S if is_waiting else None
            ):
                if key.fd == self.orders:
                    self._read_orders()
                    continue
                for player in self._players():
                    if key.fd == player.messages:
                        self._read_messages(player)
                    elif key.fd == player.orders and player.send():
                        self._selector.unregister(key.fd)
            self._heed_signal()
            self._heed_silence()
            self._look_after()
            if self._wants_snapshots():
                self._prepare()
        for player in self._players():
            player.end()
            player.close()
        if self._signal:
            return 128 + self._signal
        return 0

    def interrupt(self, number: int, _: object) -> None:
        """Handle a signal: takes being rolled are closed as far as they went.

        It arrives between any two bytecodes, so it is only noted, and the
        selector is woken.
        """
        if self._signal:
            # A second one may come while takes are being closed. A parent that
            # is killed sends one for each of its threads.
            return
        self._signal = number
        if not self._jobs:
            for player in self._players():
                player.end()
            os._exit(128 + number)

    def _heed_signal(self) -> None:
        """Stop all rolls if a signal has been noted."""
        if not self._signal:
            return
        self._is_input_over = True
        for job in self._jobs:
            if not job.stopped_because:
                self._stop(
                    job, f"stopped by {signal.Signals(self._signal).name}"
                )

    def _heed_silence(self) -> None:
        """Stop all rolls if whoever ordered them is no more. A parent that was
        killed while this process was still starting sends it no signal.
        """
        if not (self._is_input_over and self._jobs):
            return
        # Asked for nothing, a pipe still tells that nobody reads from it.
        poll = select.poll()
        poll.register(self.replies, 0)
        if any(event & select.POLLERR for _, event in poll.poll(0)):
            for job in self._jobs:
                if not job.stopped_because:
                    self._stop(job, "stopped, for nobody waits for it,")

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
        job = next(
            (each for each in self._jobs if each.number == message.number),
            None,
        )
        match message:
            case StopMessage(stop=reason):
                if job is not None:
                    self._stop(job, reason)
            case LookMessage(look=path):
                if (
                    job is not None
                    and job.file is not None
                    and not job.is_superseded
                ):
                    self._show(job, Path(path), job.file.copy_so_far)
            case StepMessage() | EndMessage():
                if job is None or job.player is None:
                    self._reply(Reply(number=message.number))
                else:
                    job.is_ending = job.is_ending or isinstance(
                        message, EndMessage
                    )
                    self._send(job.player, line)
            case RollMessage():
                is_rehearsal = message.rehearse is not None
                place, limit_s = Path(message.path), message.node_limit_s
                job = RollJob(
                    message.number,
                    line,
                    place,
                    limit_s,
                    is_rehearsal,
                    message.keeps,
                )
                if message.look is not None:
                    job.look = Look(Path(message.look), message.look_after)
                self._begin(job, message)

    def _begin(self, job: RollJob, message: RollMessage) -> None:
        self._drop_rehearsals()
        for older in self._jobs:
            older.is_superseded = True
            self._stop(older, "a newer order came")
        self._jobs.append(job)
        self._stalls.forget()
        if not (job.keeps and self._resume(job, message)):
            self._play_from_first(job)

    def _play_from_first(self, job: RollJob) -> None:
        """Have an order played from its first tick."""
        job.player, job.past = self._player, ()
        if job.keeps:
            self._maker.forget()
        if self._player is not None:
            self._send(self._player, job.line)

    def _resume(self, job: RollJob, message: RollMessage) -> bool:
        """Go on with an order from the last snapshot before anything in it can
        differ from the one before. Returns whether there is one.
        """
        history = self._maker.history
        if history is None:
            return False
        if self._player is not None and self._maker.is_busy:
            # Snapshots may still be being made, which the machine has no time
            # for now.
            self._send(
                self._player,
                stop_line(history.number, "a newer order came").encode(),
            )
        if not history.snapshots:
            return False
        try:
            order = message.order()
            change = change_of(history.order, order)
        except (
            ProjectError,
            LookupError,
        ):  # whoever plays it tells what is wrong
            return False
        snapshot = None
        if change is not None:
            snapshot = history.snapshot_for(change)
        if snapshot is None:
            return False
        try:
            job.player = player = ResumedPlayer(snapshot, self._watch())
        except (
            OSError
        ):  # it has been killed, or there is no room for another process
            return False
        self._maker.history = gone_back = history.gone_back(
            snapshot, order, job.number
        )
        job.past, job.goes_on_from = tuple(gone_back.pieces), snapshot.take
        self._resumed.append(player)
        self._selector.register(player.messages, selectors.EVENT_READ)
        self._send(player, job.line)
        # While its player gets going there is time to begin the file.
        header = header_of(
            order.project,
            played(order),
            order.branched_at,
            counts_only=order.counts_only,
        )
        try:
            self._begin_file(job, header)
        except TakeError as error:
            self._fail(player, str(error))
        return True

    def _watch(self) -> SharedWatch:
        """A copy of a snapshot counts its ticks where the player does that it
        was forked from.
        """
        if self._player is not None:
            return self._player.watch
        return SharedWatch()

    def _stop(self, job: RollJob, because: str) -> None:
        job.stopped_because = job.stopped_because or because
        job.stop_by_s = job.stop_by_s or time.monotonic() + STOP_S
        if job.player is not None:
            self._send(job.player, stop_line(job.number, because).encode())

    def _send(self, player: PlayerLink, line: bytes) -> None:
        player.order(line)
        if not player.send() and player.orders not in self._selector.get_map():
            self._selector.register(player.orders, selectors.EVENT_WRITE)

    # the players

    def _players(self) -> list[PlayerLink]:
        first: list[PlayerLink] = (
            [self._player] if self._player is not None else []
        )
        return [*first, *self._resumed]

    def _jobs_of(self, player: PlayerLink) -> list[RollJob]:
        """The jobs that a player has been sent, in their order: it is at the
        first.
        """
        return [each for each in self._jobs if each.player is player]

    def _new_player(self) -> None:
        """Fork a player, which has all modules loaded and none of what other
        takes left behind.
        """
        # What went before was forked by the player that has ended.
        self._maker.forget()
        self._player = PlayerProcess()
        self._selector.register(self._player.messages, selectors.EVENT_READ)
        self._stalls.forget()
        for job in self._jobs_of_none():
            job.player = self._player
            self._send(self._player, job.line)

    def _jobs_of_none(self) -> list[RollJob]:
        """The jobs whose player is gone."""
        known = self._players()
        return [
            each
            for each in self._jobs
            if each.player not in known or each.player is None
        ]

    def _read_messages(self, player: PlayerLink) -> None:
        try:
            messages, may_go_on = player.read()
            for number, what, *more in messages:
                if self._hear_of_snapshots(player, number, what, more):
                    continue
                job = next(
                    (
                        each
                        for each in self._jobs_of(player)
                        if each.number == number
                    ),
                    None,
                )
                if job is not None:
                    self._hear(job, what, more)
            if player.fault:
                # One place tells of all that cannot be used.
                raise ValueError(player.fault)  # noqa: TRY301
        except TakeError as error:
            self._fail(player, str(error))
        except Exception as error:
            # What a player sends can be anything once a stranger's code has
            # been at it.
            what = (
                "The process that played sent what is no part of a take "
                f"({printable(str(error))})."
            )
            player.end(
                what, next((each.number for each in self._jobs_of(player)), 0)
            )
            self._ended(player)
        else:
            if not may_go_on:
                self._ended(player)

    def _hear_of_snapshots(
        self, player: PlayerLink, number: int, what: str, more: list[Any]
    ) -> bool:
        """Act on a message about an order that is played for its snapshots.
        Returns whether it is one.
        """
        if what == "snapshot":
            self._keep_snapshot(player, number, *more)
        elif not self._maker.makes(number):
            return False
        elif what == "piece":
            self._maker.add(_piece(more[0]))
        elif what == "prepared":
            differs = self._maker.finish()
            if differs:
                self._reply(Reply(number=number, differs=differs))
        return True

    def _hear(self, job: RollJob, what: str, more: list[Any]) -> None:
        """Act on a message about a job."""
        if what == "begun":
            if not job.is_superseded:
                self._begin_file(job, Header.model_validate_json(more[0]))
        elif what == "piece":
            if job.file is not None:
                self._add(job, job.file, _piece(more[0]))
        elif what in ("process", "declined"):
            self._hear_of_copy(job, *more)
        elif what in ("ready", "frame"):
            frame = None
            if more:
                frame = RehearsalFrame.model_validate_json(more[0])
            self._reply(Reply(number=job.number, frame=frame))
        else:
            self._hear_end(job, what, more)

    def _hear_of_copy(self, job: RollJob, process_id: int = 0) -> None:
        """The copy of a snapshot has told its process id; without one it
        cannot go on.
        """
        if not process_id:
            self._fall_back(job)
        elif isinstance(job.player, ResumedPlayer):
            job.player.tell_process(int(process_id))

    def _hear_end(self, job: RollJob, what: str, more: list[Any]) -> None:
        """Act on the last message about a job."""
        if what == "stopped":
            self._conclude(job, job.stopped())
        elif what == "failed":
            self._conclude(job, str(more[0]))
        elif what == "played":
            steps = tuple(Push.model_validate_json(each) for each in more[0])
            cues = tuple(Cue.model_validate_json(each) for each in more[1])
            self._conclude(job, "", steps, cues)

    def _begin_file(self, job: RollJob, header: Header) -> None:
        job.ticks = header.ticks
        job.file = TakeFile(job.path, header)
        for piece in job.past:
            job.file.push(piece)
        self._begin_history(job)
        if job.goes_on_from is not None and not job.file.go_on_apart():
            job.goes_on_from = None

    def _add(self, job: RollJob, file: TakeFile, piece: TakePiece) -> None:
        """Something more of a job has been played."""
        file.push(piece)
        history = self._maker.history
        if history is not None and history.number == job.number:
            history.add(piece)
        look = job.look
        if (
            look is not None
            and not job.is_superseded
            and file.ticks > look.after
        ):
            job.look = None
            if job.goes_on_from is not None:
                self._show(job, look.path, file.copy_since, job.goes_on_from)
            else:
                self._show(job, look.path, file.copy_so_far)
        self._say_how_far(job, file.ticks)

    def _begin_history(self, job: RollJob) -> None:
        """Keep what is played of an order from its first tick on, if snapshots
        are kept of it.
        """
        if job.keeps and not job.past:
            message = read_order(job.line)
            if isinstance(message, RollMessage):
                self._maker.keep(message.order(), job.number)

    def _keep_snapshot(
        self, player: PlayerLink, number: int, tick: int
    ) -> None:
        """A player has left a snapshot behind."""
        channel = player.take_socket()
        if channel is not None:
            self._maker.keep_snapshot(number, int(tick), channel)

    def _wants_snapshots(self) -> bool:
        """Whether there are none yet of what was played last, and nothing else
        is to be done.
        """
        return (
            self._maker.is_due and not self._jobs and not self._is_input_over
        )

    def _prepare(self) -> None:
        """Once nothing has been ordered for a moment, have snapshots made of
        what was played last. It is played once more for them, rather than
        being slowed down by them.
        """
        rested_s = time.monotonic() - self._rests_since_s
        if self._player is None or rested_s < PREPARE_AFTER_S:
            return
        line = self._maker.line()
        if line:
            self._send(self._player, line.encode())

    def _fall_back(self, job: RollJob) -> None:
        """Play an order from its first tick, since nobody can go on with it
        from a later one.
        """
        if job.file is not None:
            job.file.remove()
            job.file = None
        job.goes_on_from = None
        self._play_from_first(job)

    def _say_how_far(self, job: RollJob, ticks: int) -> None:
        """Tell of the progress of a take, every so often: short ones are done
        before that.
        """
        now_s = time.monotonic()
        if (
            job.is_superseded
            or job.is_rehearsal
            or now_s - job.progress_s < PROGRESS_S
        ):
            return
        job.progress_s = now_s
        self._reply(Reply(number=job.number, ticks=ticks, of=job.ticks))

    def _show(
        self,
        job: RollJob,
        path: Path,
        write: Callable[[Path], None],
        past: Path | None = None,
    ) -> None:
        """Write what has been played of a take into another file, and tell of
        it; `past` is the take that this goes on from.
        """
        if job.file is None:
            return
        try:
            write(path)
        except (TakeError, ValueError, TypeError, OverflowError, struct.error):
            # Whatever is wrong is told of when the take itself is written.
            with suppress(OSError):
                path.unlink(missing_ok=True)
            return
        self._reply(
            Reply(
                number=job.number,
                ticks=job.file.ticks,
                of=job.ticks,
                look=path,
                past=past,
            )
        )

    def _ended(self, player: PlayerLink) -> None:
        """A player has ended: conclude the take it was playing and leave the
        rest to a new player.
        """
        for each in (player.messages, player.orders):
            if each in self._selector.get_map():
                self._selector.unregister(each)
        jobs = self._jobs_of(player)
        if isinstance(player, ResumedPlayer):
            self._resumed.remove(player)
            player.close()
            for job in jobs:
                if job.is_superseded or job.stopped_because:
                    if job.is_superseded:
                        because = ""
                    else:
                        because = job.stopped()
                    self._conclude(job, because)
                else:
                    self._fall_back(job)
        else:
            self._first_ended(player, jobs[0] if jobs else None)

    def _first_ended(self, player: PlayerLink, job: RollJob | None) -> None:
        """The player has ended that plays from the first tick."""
        how = player.close()
        self._player = None
        if job is not None and (
            job.is_tried
            or job.file is not None
            or self._is_to_blame(job, player, how)
        ):
            if job.is_superseded:
                because = ""
            else:
                because = (
                    job.stopped() or how or "The player has ended by itself."
                )
            self._conclude(
                job,
                because,
            )
        elif job is not None:
            # It had not begun with this order. A player also ends after a take
            # in which code of a project ran.
            job.is_tried = True
        if not self._is_input_over or self._jobs:
            self._new_player()

    def _is_to_blame(self, job: RollJob, player: PlayerLink, how: str) -> bool:
        """Whether it was this order at which a player ended that had not begun
        its take yet.
        """
        if player.ended_because:
            return player.ended_at == job.number
        return bool(how)

    def _look_after(self) -> None:
        """Kill a player that takes too long for its task."""
        for player in self._players():
            jobs = self._jobs_of(player)
            if not jobs or player.ended_because:
                continue
            because = self._stalls.why_end(player, jobs[0])
            if because:
                player.end(because, jobs[0].number)

    # what comes of a job

    def _conclude(
        self,
        job: RollJob,
        error: str,
        steps: tuple[Push, ...] = (),
        cues: tuple[Cue, ...] = (),
    ) -> None:
        """Close the take of a job and reply. With an `error` it was cut short."""
        try:
            self._close(job, error, steps, cues)
        finally:
            # Not before its take is closed: without jobs a signal ends this
            # process at once.
            self._jobs.remove(job)
        self._rests_since_s = time.monotonic()
        self._stalls.forget()

    def _close(
        self,
        job: RollJob,
        error: str,
        steps: tuple[Push, ...],
        cues: tuple[Cue, ...],
    ) -> None:
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
        self._reply(
            Reply(
                number=job.number,
                take=take,
                error=error,
                steps=steps,
                cues=cues,
            )
        )

    def _fail(self, player: PlayerLink, error: str) -> None:
        """Give a take up because its file cannot be written."""
        job = self._jobs_of(player)[0]
        if job.file is not None:
            job.file.remove()
            job.file = None
        player.end(error, job.number)
        # Now, and not once the player has ended: what it had sent by then
        # would be taken for how the take went on, and its end for a good one.
        self._conclude(job, error)

    def _drop_rehearsals(self) -> None:
        """Give up all rehearsals: nobody waits for their takes."""
        for job in self._jobs:
            if job.is_rehearsal and not job.is_ending:
                job.is_superseded = True
                self._stop(job, "it was given up")

    def _reply(self, reply: Reply) -> None:
        # Whoever gave the orders may be no more. That is no fault of what is
        # being played: the end of the input, or a signal, says what becomes of
        # it.
        with suppress(BrokenPipeError):
            self.replies.write(reply.line() + "\n")
            self.replies.flush()


def _piece(data: list[Any]) -> TakePiece:
    ticks, ends_chunk, chunks, *rest = data
    return TakePiece(
        int(ticks),
        bool(ends_chunk),
        [ChunkPiece(*each) for each in chunks],
        *rest,
    )


def main() -> None:
    """Serve stdin and stdout; whatever else is printed to stdout goes to
    stderr.
    """
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
