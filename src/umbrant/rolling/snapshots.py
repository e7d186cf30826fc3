"""Snapshots of a play: copies of the player that wait, each at a tick, to go on from there.

A snapshot is a fork of the player. It does nothing but wait at a socket whose other end only the
supervisor holds, so it ends with that, whoever is killed. Told to go on, it forks once more: the
copy plays, and the snapshot waits for the next order, for who drags a number sends many.
"""

import os
import resource
import signal
import socket
from collections.abc import Iterable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from typing import NamedTuple

from umbrant.model.staging import Scenario
from umbrant.rolling.resuming import AgentRow, OrderChange
from umbrant.rolling.roll import RollOrder
from umbrant.take.pieces import TakePiece

MOST = 8
"""How many snapshots a take has."""
MOST_AGENT_TICKS = 500_000
"""How long a play may be, in ticks of all agents together, for snapshots to be kept. What it has
recorded is kept with them.
"""
MOST_KIB = 400 * 1024
"""How large a player may be to be copied, in KiB."""


# in the player


class ForkPermission:
    """Whether this process may fork. A node of a project's own that forks would have a copy of the
    player send everything a second time, so such a copy ends at once.
    """

    _is_ours = False

    @classmethod
    def end_if_strange(cls) -> None:
        """End a process that was forked by anybody but the player itself. Called in it."""
        if not cls._is_ours:
            os._exit(1)

    @classmethod
    @contextmanager
    def given(cls) -> Iterator[None]:
        """What is forked meanwhile may go on."""
        cls._is_ours = True
        try:
            yield
        finally:
            cls._is_ours = False


def snapshot_ticks(scenario: Scenario) -> frozenset[int]:
    """Before which ticks a snapshot of a play is made; none where it would take too much memory."""
    ticks = scenario.tick_count
    if ticks * len(scenario.players) > MOST_AGENT_TICKS:
        return frozenset()
    return frozenset(ticks * each // (MOST + 1) for each in range(1, MOST + 1)) - {0}


def is_small() -> bool:
    """Whether this process may be copied."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss < MOST_KIB


def forked() -> int:
    """Fork; returns the id of the copy, 0 in it, and -1 where the system allows none."""
    with ForkPermission.given():
        try:
            return os.fork()
        except OSError:
            return -1


def still_there(processes: Iterable[int]) -> list[int]:
    """Those of the copies that have not ended. The others are forgotten by the system as well."""
    found = []
    for each in processes:
        with suppress(ChildProcessError):
            if os.waitpid(each, os.WNOHANG) == (0, 0):
                found.append(each)
    return found


class PlayerEnds(NamedTuple):
    """The file descriptors by which a player that goes on hears orders and sends messages."""

    orders: int
    messages: int


def wait_to_go_on(channel: socket.socket) -> PlayerEnds:
    """Be a snapshot. Returns only in a copy of it that is to go on; ends the process when nobody
    holds the other end of the channel any more.
    """
    # Nobody waits for the copies, so none may be left behind as a process that has ended.
    signal.signal(signal.SIGCHLD, signal.SIG_IGN)
    while True:
        try:
            data, ends, _, _ = socket.recv_fds(channel, 1, 2)
        except OSError:
            os._exit(0)
        if not data or len(ends) != 2:
            os._exit(0)
        # The copy plays and the snapshot stays, for the next order that comes from here.
        if forked() == 0:
            channel.close()
            return PlayerEnds(*ends)
        for each in ends:
            os.close(each)


# in the supervisor


class Snapshot(NamedTuple):
    """A snapshot as the supervisor holds it."""

    tick: int
    """The tick that it has not played yet."""
    channel: socket.socket

    def go_on(self, ends: PlayerEnds) -> None:
        """Have a copy go on with these. Raises OSError if the snapshot is gone."""
        socket.send_fds(self.channel, [b"g"], ends)


@dataclass
class TakeHistory:
    """What has been played of the newest order: its pieces, and the snapshots on the way."""

    order: RollOrder
    number: int
    pieces: list[TakePiece] = field(default_factory=list)
    snapshots: list[Snapshot] = field(default_factory=list)
    heard: dict[AgentRow, int] = field(default_factory=dict)
    """At which tick each row of each agent was first heard of."""

    @property
    def ticks(self) -> int:
        """How many ticks have been played."""
        return self.pieces[-1].ticks if self.pieces else 0

    def keep(self, snapshot: Snapshot) -> None:
        """Keep a snapshot, instead of an older one at its tick."""
        for each in [each for each in self.snapshots if each.tick == snapshot.tick]:
            each.channel.close()
            self.snapshots.remove(each)
        self.snapshots.append(snapshot)

    def add(self, piece: TakePiece) -> None:
        """Something more has been played."""
        self.pieces.append(piece)
        for chunk in piece.chunks:
            _, ticks = chunk.columns[0]
            # Its ticks rise, so the first one of the first chunk is when it was heard of.
            if ticks:
                self.heard.setdefault((chunk.agent, chunk.row), ticks[0])

    def snapshot_for(self, change: OrderChange) -> Snapshot | None:
        """The last snapshot before anything can differ."""
        tick = change.first_tick(self.heard)
        return max((each for each in self.snapshots if each.tick <= tick), default=None)

    def gone_back(self, tick: int, order: RollOrder, number: int) -> "TakeHistory":
        """The history of an order that goes on before a tick. This one must not be used any
        more.
        """
        found = TakeHistory(order, number)
        for piece in self.pieces:
            if piece.ticks <= tick:
                found.add(piece)
        for each in self.snapshots:
            if each.tick <= tick:
                found.snapshots.append(each)
            else:
                each.channel.close()
        self.snapshots = []
        return found

    def close(self) -> None:
        """Let all snapshots go, which ends them."""
        for each in self.snapshots:
            each.channel.close()
        self.snapshots = []
