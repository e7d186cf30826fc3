"""One play of a take that trials share up to where each parts from it.

It is played in a process of its own, up to the tick that is asked about. On
the way copies of that process are left behind, each at a tick: they wait, and
each trial goes on in a fork of the last of them before anything in it can
differ. What cannot go on so is declined, and has to be played from its first
tick.

Each process ends with the one that it was forked from, however that ends.
"""

import gc
import os
import pickle
import signal
import socket
import struct
from collections.abc import Sequence
from contextlib import suppress
from multiprocessing import Pipe
from multiprocessing.connection import Connection
from typing import NamedTuple, NoReturn

from umbrant.catalog.builtin import BUILTIN
from umbrant.model.problems import ProjectError
from umbrant.rolling.parent import die_with
from umbrant.rolling.resuming import change_of
from umbrant.rolling.roll import (
    Play,
    RollOrder,
    chunk_ticks,
    header_of,
    played,
)
from umbrant.rolling.snapshots import TakeHistory, is_small
from umbrant.take.pieces import TakePiece
from umbrant.take.recorder import TakeRecorder
from umbrant.take.take_file import TakeFile

COPIES = 8
"""How many copies are left behind on the way, besides one at its end."""
_SIZE = struct.Struct("<Q")
_DONE = b"d"


class SharedPlay:
    """Plays an order once, and trials of it, in processes of its own. Ends
    them as it is closed.

    Of a trial the rows of one agent alone are written. Own code of a project
    must not be in it: it would run where nobody ends it.
    """

    def __init__(self, order: RollOrder, agent: str) -> None:
        self._channel, theirs = Pipe()
        parent = os.getpid()
        self._process = os.fork()
        if self._process == 0:
            self._channel.close()
            _run(parent, theirs, order, agent)
        theirs.close()
        self._is_ready = False

    @property
    def is_ready(self) -> bool:
        """Whether the play that is shared has come to its end, so that no
        trial has to wait for it.
        """
        with suppress(OSError, EOFError):
            if not self._is_ready and self._channel.poll():
                self._wait()
        return self._is_ready

    def _wait(self) -> None:
        """Wait until the play has come to its end."""
        if not self._is_ready:
            _schedule(self._process, os.SCHED_OTHER)
            self._channel.recv()
            self._is_ready = True

    def play(self, orders: Sequence[RollOrder]) -> list[bool]:
        """Play several orders at once; returns whether each has been played.
        Waits until the play that they share has come to its end.
        """
        with suppress(OSError, EOFError):
            self._wait()
            self._channel.send(orders)
            found: list[bool] = self._channel.recv()
            return found
        # It has been killed, or there was no room for it.
        return [False] * len(orders)

    def close(self) -> None:
        """End all of its processes."""
        self._channel.close()
        # Where whoever started this program ignores that children end, the
        # system has forgotten it already.
        with suppress(ProcessLookupError, ChildProcessError):
            os.kill(self._process, signal.SIGKILL)
            os.waitpid(self._process, 0)


class _Copy(NamedTuple):
    """A copy of the play that waits, as it is seen from where it was left."""

    tick: int
    """The tick that it has not played yet."""
    channel: socket.socket

    def go_on(self, order: RollOrder) -> int:
        """Have a fork of it go on with an order; returns the file descriptor
        on which it says that it is done. Raises OSError if it is gone.
        """
        data = pickle.dumps(order)
        hears, says = os.pipe()
        try:
            size = _SIZE.pack(len(data))
            socket.send_fds(self.channel, [size], [says])
            self.channel.sendall(data)
        except OSError:
            os.close(hears)
            raise
        finally:
            os.close(says)
        return hears


class _BasePlay:
    """The play that trials share, in its own process."""

    def __init__(self, order: RollOrder, agent: str) -> None:
        self._order, self._agent = order, agent
        scenario = played(order)
        self._ticks = scenario.tick_count
        self._history = TakeHistory(order, 0)
        self._recorder = TakeRecorder(
            scenario.ticks_per_s, chunk_ticks(scenario), self._history.add
        )
        self._play = Play(order.project, scenario, self._recorder, BUILTIN)
        self._copies: list[_Copy] = []

    def run(self, channel: Connection) -> None:
        """Play to the end, and then have trials played until nobody asks."""
        due = {count * self._ticks // COPIES for count in range(COPIES)}
        # Many a change makes its first difference just where it is asked for.
        due.add(self._ticks - 1)
        for tick in range(self._ticks):
            if tick in due and is_small():
                self._leave_copy(tick, channel)
            self._play.tick(tick)
        self._recorder.hand_over()
        channel.send(None)
        with suppress(EOFError):
            while True:
                hears = [self._begin(each) for each in channel.recv()]
                channel.send([_is_done(each) for each in hears])

    def _begin(self, order: RollOrder) -> int | None:
        """Begin a trial; returns where it says that it is done, None if it
        cannot go on from a copy.
        """
        try:
            change = change_of(self._order, order)
        except (ProjectError, LookupError):  # who plays it tells what is wrong
            return None
        if change is None:
            return None
        # A copy at that very tick has not played it yet, so it may go on.
        first = change.first_tick(self._history)
        found = [each for each in self._copies if each.tick <= first]
        if not found:
            return None
        try:
            return found[-1].go_on(order)
        except OSError:
            return None

    def _leave_copy(self, tick: int, channel: Connection) -> None:
        """Leave a copy behind that goes on from before a tick."""
        self._recorder.hand_over()
        ours, theirs = socket.socketpair()
        parent = os.getpid()
        # Its pages stay shared with the copy.
        gc.freeze()
        try:
            copy = os.fork()
        except OSError:  # there is room for no more
            ours.close()
            theirs.close()
            return
        if copy:
            theirs.close()
            self._copies.append(_Copy(tick, ours))
            return
        die_with(parent, signal.SIGKILL)
        # What is left open here would keep those alive that wait at it.
        channel.close()
        for each in (ours, *(other.channel for other in self._copies)):
            each.close()
        order, says = _wait_to_go_on(theirs)
        _schedule(0, os.SCHED_OTHER)
        if self._go_on(order, tick):
            os.write(says, _DONE)
        os._exit(0)

    def _go_on(self, order: RollOrder, tick: int) -> bool:
        """Play an order from a tick to its end, and write its take; returns
        False where it cannot be gone on with.
        """
        change, scenario = change_of(self._order, order), played(order)
        if change is None or not self._play.take_up(
            order.project, scenario, change.behaviors
        ):
            return False
        for each in range(tick, scenario.tick_count):
            self._play.tick(each)
        self._recorder.end_chunk()
        # All of it is written only now: a file that is open as a process forks
        # would be shared with it.
        file = TakeFile(order.path, header_of(order.project, scenario))
        for piece in self._history.pieces:
            file.push(_of_agent(piece, self._agent))
        file.close()
        return True


def _run(
    parent: int, channel: Connection, order: RollOrder, agent: str
) -> NoReturn:
    """Be the process of a shared play. What goes wrong in it is not told:
    whatever it was, the trial is played from its first tick, which tells it.
    """
    with suppress(BaseException):
        die_with(parent, signal.SIGKILL)
        # The first trials are played beside it, and somebody waits for them:
        # it takes what processor time nobody else wants.
        _schedule(0, os.SCHED_IDLE)
        gc.disable()
        _BasePlay(order, agent).run(channel)
    os._exit(0)


def _schedule(process: int, policy: int) -> None:
    """Have a process, 0 for this one, take processor time before others or
    after them.
    """
    # Where the system does not let that be chosen it is as good as before.
    with suppress(OSError):
        os.sched_setscheduler(process, policy, os.sched_param(0))


def _wait_to_go_on(channel: socket.socket) -> tuple[RollOrder, int]:
    """Be a copy that waits. Returns only in a fork of it that has an order,
    with where that says that it is done.
    """
    # Nobody waits for the forks, so none may be left behind as a process that
    # has ended.
    signal.signal(signal.SIGCHLD, signal.SIG_IGN)
    while True:
        size, ends, _, _ = socket.recv_fds(channel, _SIZE.size, 1)
        if len(size) < _SIZE.size or not ends:
            os._exit(0)
        data = channel.recv(_SIZE.unpack(size)[0], socket.MSG_WAITALL)
        parent = os.getpid()
        if os.fork() == 0:
            die_with(parent, signal.SIGKILL)
            channel.close()
            order: RollOrder = pickle.loads(data)  # noqa: S301  (our own)
            return order, ends[0]
        os.close(ends[0])


def _is_done(hears: int | None) -> bool:
    """Wait for a trial to end; returns whether it was played."""
    if hears is None:
        return False
    try:
        return os.read(hears, 1) == _DONE
    finally:
        os.close(hears)


def _of_agent(piece: TakePiece, agent: str) -> TakePiece:
    """A piece without the rows of other agents."""
    return piece._replace(
        chunks=[each for each in piece.chunks if each.agent == agent]
    )
