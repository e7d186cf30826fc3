"""A player as its supervisor sees it: a process that was forked, is sent
orders, sends messages, and may be ended. It is the supervisor's own child, or
a copy of a snapshot.
"""

import os
import re
import signal
import socket
import time
from contextlib import suppress
from typing import Any

import msgpack

from umbrant.model.printable import printable
from umbrant.rolling.parent import die_with
from umbrant.rolling.player import Pipes, run_player
from umbrant.rolling.snapshots import PlayerEnds, Snapshot
from umbrant.rolling.watch import SharedWatch

GONE_S = 2.0
"""How long a player that sends no more may take to be gone."""
DUMPED_S = 2.0
"""How long is waited for a player to note where it is, before it is ended."""
MOST_ENDS = 16
"""How many sockets are taken at a time from what a player sends; those beyond
are not.
"""
LARGEST_MESSAGE = 1 << 30
"""How many bytes a message may have; a player that sends more is not sane."""

_CRASH_LINE = re.compile(r'^ +File "([^"\n]*)", line (\d+)', re.MULTILINE)


class PlayerLink:
    """A player as its supervisor talks with it. `messages` and `orders` are
    file descriptors.
    """

    def __init__(self, watch: SharedWatch) -> None:
        self.watch = watch
        self.ended_because = ""
        """Why the supervisor has ended it; empty while it lives, and where it
        has ended by itself.
        """
        self.fault = ""
        """What is wrong with what it has sent, if that cannot even be read."""
        self.ended_at = 0
        """The number of the order for whose sake it was ended. It may have
        been done with that a moment before.
        """
        orders, self.orders = os.pipe()
        self._socket, messages = socket.socketpair()
        self.messages = self._socket.fileno()
        os.set_blocking(self.orders, False)
        self._socket.setblocking(False)
        self._unsent = bytearray()
        self._unpacker = msgpack.Unpacker(
            max_buffer_size=LARGEST_MESSAGE, strict_map_key=False
        )
        self._sockets: list[socket.socket] = []
        """The sockets that have come with messages and were not taken yet."""
        try:
            self.begin(PlayerEnds(orders, messages.fileno()))
        finally:
            messages.close()
            os.close(orders)

    def begin(self, ends: PlayerEnds) -> None:
        """Start the process, which hears and sends by these ends; they are
        closed here after that. Raises OSError.
        """
        raise NotImplementedError

    def order(self, line: bytes) -> None:
        """Queue a line with an order."""
        self._unsent += line + b"\n"
        self.send()

    def send(self) -> bool:
        """Send as much of the queue as the pipe takes now; returns whether it
        is empty.
        """
        try:
            while self._unsent:
                # Never more than the pipe takes: the supervisor has one
                # thread, and a player that hears nothing must not hold it up.
                del self._unsent[: os.write(self.orders, self._unsent[:65536])]
        except BlockingIOError:
            return False
        except BrokenPipeError:
            # It has ended. That is told of when its messages end.
            self._unsent.clear()
        return True

    def read(self) -> tuple[list[Any], bool]:
        """The complete messages so far, and whether more may come. A malformed
        message sets `fault`.
        """
        try:
            # Sockets of snapshots come beside the bytes, in the order of the
            # messages that speak of them.
            data, ends, _, _ = socket.recv_fds(
                self._socket, 1 << 20, MOST_ENDS
            )
        except BlockingIOError:
            return [], True
        except ConnectionError:
            return [], False
        for each in ends:
            self._keep_socket(each)
        if not data:
            return [], False
        found = []
        try:
            self._unpacker.feed(data)
            found.extend(self._unpacker)
        except (msgpack.UnpackException, ValueError) as error:
            self.fault = str(error) or type(error).__name__
        return found, True

    def _keep_socket(self, end: int) -> None:
        """Keep a file descriptor that was sent, if it is a socket and not one
        too many.
        """
        try:
            if len(self._sockets) < MOST_ENDS:
                self._sockets.append(socket.socket(fileno=end))
                return
        except OSError:  # it is something else
            pass
        os.close(end)

    def take_socket(self) -> socket.socket | None:
        """The socket that came with the first message that brought one; None
        if none did.
        """
        if self._sockets:
            return self._sockets.pop(0)
        return None

    def end(self, because: str = "", number: int = 0) -> None:
        """Kill the process because of an order. What it has sent can still be
        read.
        """
        if not self.ended_because:
            self.ended_because, self.ended_at = because, number
        self.kill()

    def kill(self) -> None:
        """Have the system end the process."""
        raise NotImplementedError

    def close(self) -> str:
        """Let go of a process that sends no more; returns why it ended, empty
        if in good order.
        """
        os.close(self.orders)
        self._socket.close()
        for each in self._sockets:
            each.close()
        return self.ended_because


class ResumedPlayer(PlayerLink):
    """A copy of a snapshot that goes on with an order, and ends with that. It
    runs no project's own code.
    """

    def __init__(self, snapshot: Snapshot, watch: SharedWatch) -> None:
        self._snapshot = snapshot
        self._process = -1
        """A file descriptor of the process, once it has told its id."""
        super().__init__(watch)

    def begin(self, ends: PlayerEnds) -> None:
        self._snapshot.go_on(ends)

    def tell_process(self, process_id: int) -> None:
        """It has sent its id."""
        with suppress(OSError):  # it has ended meanwhile
            self._process = os.pidfd_open(process_id)

    def kill(self) -> None:
        if self._process >= 0:
            with suppress(ProcessLookupError):
                signal.pidfd_send_signal(self._process, signal.SIGKILL)
        # One that has not come so far as to tell its id ends as soon as it
        # hears or sends.
        with suppress(OSError):
            self._socket.shutdown(socket.SHUT_RDWR)

    def close(self) -> str:
        if self._process >= 0:
            os.close(self._process)
        return super().close()


class PlayerProcess(PlayerLink):
    """A player that was forked, as its supervisor sees it."""

    def __init__(self) -> None:
        self._crash = os.memfd_create("crash")
        super().__init__(SharedWatch())

    def begin(self, ends: PlayerEnds) -> None:
        supervisor = os.getpid()
        self.pid = os.fork()
        if self.pid == 0:
            die_with(supervisor, signal.SIGKILL)
            run_player(
                Pipes(ends.orders, ends.messages, self._crash), self.watch
            )

    def kill(self) -> None:
        try:
            os.killpg(self.pid, signal.SIGKILL)
        except (ProcessLookupError, PermissionError):
            os.kill(self.pid, signal.SIGKILL)

    def line_now(self) -> str:
        """The line of the project's file that it is at, as `file, line n`. The
        process is signalled for it, and may no longer answer.
        """
        before = os.fstat(self._crash).st_size
        try:
            os.kill(self.pid, signal.SIGUSR1)
        except ProcessLookupError:
            return self._line()
        until_s = time.monotonic() + DUMPED_S
        while (
            os.fstat(self._crash).st_size == before
            and time.monotonic() < until_s
        ):
            time.sleep(0.01)
        # What it notes is written in several pieces: the rest of them needs a
        # moment.
        time.sleep(0.01)
        return self._line()

    def close(self) -> str:
        """Wait for the process to end; returns why it ended, empty if in good
        order.

        Code of a project may have closed the pipe and still run, so it is
        killed after a moment.
        """
        until_s = time.monotonic() + GONE_S
        pid, status = os.waitpid(self.pid, os.WNOHANG)
        while not pid and time.monotonic() < until_s:
            time.sleep(0.002)
            pid, status = os.waitpid(self.pid, os.WNOHANG)
        if not pid:
            self.end(self._silence_message())
            _, status = os.waitpid(self.pid, 0)
        with suppress(ProcessLookupError, PermissionError):
            os.killpg(
                self.pid, signal.SIGKILL
            )  # what it may have started and left behind
        message = self.ended_because or self._end_message(
            os.waitstatus_to_exitcode(status)
        )
        super().close()
        os.close(self._crash)
        return message

    def _silence_message(self) -> str:
        silent = "the process that played sent no more, so it was ended."
        if self.watch.call:
            return f"{self.line_now()}: while {self.watch.place.called} ran, {silent}"
        last = ""
        if self.watch.place.file:
            last = f" {self.watch.place.last_of_all}"
        return f"{silent[:1].upper()}{silent[1:]}{last}"

    def _end_message(self, code: int) -> str:
        # Whoever sent the signal may have done so from outside, so that
        # nothing is said of who is to blame.
        if code >= 0:
            how = f"with exit code {code}"
        else:
            how = f"by {signal.Signals(-code).name}"
        place = self.watch.place
        if self.watch.call:
            return (
                f"{self._line()}: while {place.called} ran, "
                f"the process that played ended {how}."
            )
        if code == 0:
            return ""
        message = f"The process that played ended {how}."
        if place.file:
            return f"{message} {place.last_of_all}"
        return message

    def _line(self) -> str:
        """The innermost line of the project's file that it noted last; else
        where the node begins.
        """
        place = self.watch.place
        text = os.pread(self._crash, os.fstat(self._crash).st_size, 0).decode(
            "utf-8", "replace"
        )
        last = text.rpartition("most recent call first")[2]
        lines = [
            line
            for file, line in _CRASH_LINE.findall(last)
            if file == place.file
        ]
        return f"{printable(place.file)}, line {(lines or [place.line])[0]}"
