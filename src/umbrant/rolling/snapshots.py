"""Snapshots of a play: copies of the player that wait, each at a tick, to go
on from there.

A snapshot is a fork of the player. It does nothing but wait at a socket whose
other end only the supervisor holds, so it ends with that, whoever is killed.
Told to go on, it forks once more: the copy plays, and the snapshot waits for
the next order, for who drags a number sends many. Once nothing was ordered for
a moment, that copy is made ahead: it waits at the socket in its place.
"""

import math
import os
import resource
import select
import signal
import socket
from bisect import bisect_left, bisect_right, insort
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from pathlib import Path
from typing import NamedTuple

from umbrant.model.expanded import expand_behavior
from umbrant.rolling.resuming import (
    AgentRow,
    OrderChange,
    RecordedAnswer,
    scenario_ticks,
)
from umbrant.rolling.roll import RollOrder, played
from umbrant.take.pieces import TakePiece
from umbrant.take.tables import What

MOST = 12
"""How many snapshots a take has."""
MOST_AGENT_TICKS = 500_000
"""How long a play may be, in ticks of all agents together, for snapshots to be
kept. What it has recorded is kept with them.
"""
MOST_KIB = 400 * 1024
"""How large a player may be to be copied, in KiB."""
AHEAD_AFTER_MS = 300
"""How long nothing must have been ordered of a snapshot for the copy that goes
on next to be made ahead.
"""


# in the player


class ForkPermission:
    """Whether this process may fork. A node of a project's own that forks
    would have a copy of the player send everything a second time, so such a
    copy ends at once.
    """

    _is_ours = False

    @classmethod
    def end_if_strange(cls) -> None:
        """End a process that was forked by anybody but the player itself.
        Called in it.
        """
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


def is_small() -> bool:
    """Whether this process may be copied."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss < MOST_KIB


def forked() -> int:
    """Fork; returns the id of the copy, 0 in it, and -1 where the system
    allows none.
    """
    with ForkPermission.given():
        try:
            return os.fork()
        except OSError:
            return -1


def still_there(processes: Iterable[int]) -> list[int]:
    """Those of the copies that have not ended. The others are forgotten by the
    system as well.
    """
    found = []
    for each in processes:
        with suppress(ChildProcessError):
            if os.waitpid(each, os.WNOHANG) == (0, 0):
                found.append(each)
    return found


class PlayerEnds(NamedTuple):
    """The file descriptors by which a player that goes on hears orders and
    sends messages.
    """

    orders: int
    messages: int


def wait_to_go_on(
    channel: socket.socket, get_ready: Callable[[], None]
) -> PlayerEnds:
    """Be a snapshot. Returns only in a copy of it that is to go on; ends the
    process when nobody holds the other end of the channel any more.

    A copy that is made ahead calls `get_ready` before it waits.
    """
    # Nobody waits for the copies, so none may be left behind as a process that
    # has ended.
    signal.signal(signal.SIGCHLD, signal.SIG_IGN)
    orders = select.poll()
    orders.register(channel, select.POLLIN)
    makes_ahead = True
    while True:
        if makes_ahead and not orders.poll(AHEAD_AFTER_MS):
            ahead = _copied_ahead()
            if ahead.is_here:
                get_ready()
                ends = _ends_to_go_on_with(channel)
                ahead.go_on()
                channel.close()
                return ends
            # One that was ended from outside is not made again and again.
            makes_ahead = ahead.has_gone_on
            continue
        ends = _ends_to_go_on_with(channel)
        # The copy plays and the snapshot stays, for the next order that comes
        # from here.
        if forked() == 0:
            channel.close()
            return ends
        for each in ends:
            os.close(each)


class _CopyAhead(NamedTuple):
    """A copy of a snapshot that was made ahead, as each of the two sees it."""

    is_here: bool = False
    """Whether this process is the copy."""
    has_gone_on: bool = False
    """In the snapshot: whether the copy was told to go on."""
    pipe: int = -1
    """In the copy: a file descriptor at which the snapshot waits for it."""

    def go_on(self) -> None:
        """Have the snapshot wait for orders again. Called in the copy."""
        with suppress(BrokenPipeError):  # it has been killed
            os.write(self.pipe, b"g")
        os.close(self.pipe)


def _copied_ahead() -> _CopyAhead:
    """Have a copy wait in the place of this process. Returns here when that
    does not wait any more.
    """
    try:
        waits, held = os.pipe()
    except OSError:
        return _CopyAhead()
    copy = forked()
    if copy == 0:
        os.close(waits)
        return _CopyAhead(is_here=True, pipe=held)
    os.close(held)
    has_gone_on = copy > 0 and bool(os.read(waits, 1))
    os.close(waits)
    return _CopyAhead(has_gone_on=has_gone_on)


def _ends_to_go_on_with(channel: socket.socket) -> PlayerEnds:
    """Wait until somebody is to go on; ends the process where nobody can tell
    it to any more.
    """
    try:
        data, ends, _, _ = socket.recv_fds(channel, 1, 2)
    except OSError:
        os._exit(0)
    if not data or len(ends) != 2:
        os._exit(0)
    return PlayerEnds(*ends)


# in the supervisor


def best_ticks(wanted: Sequence[int]) -> list[int]:
    """Before which ticks snapshots are best made, at most `MOST`, if each of
    these ticks is as likely to be the one to go on at: those that leave the
    least to be played again.
    """
    ticks = sorted(each for each in wanted if each > 0)
    chosen = [0]
    while len(chosen) <= MOST:
        # One more snapshot saves, for each tick from it up to the next one,
        # what lies between it and the one before.
        best, saved = 0, 0
        for index, tick in enumerate(ticks):
            before = bisect_right(chosen, tick) - 1
            after = (
                chosen[before + 1] if before + 1 < len(chosen) else math.inf
            )
            saves = (tick - chosen[before]) * (
                bisect_left(ticks, after) - index
            )
            if saves > saved:
                best, saved = tick, saves
        if not best:
            break
        insort(chosen, best)
    return chosen[1:]


class Snapshot(NamedTuple):
    """A snapshot as the supervisor holds it."""

    tick: int
    """The tick that it has not played yet."""
    channel: socket.socket
    past: Sequence[TakePiece]
    """All that had been played before it, and no more."""
    take: Path
    """The take of which it was made: up to its tick all takes are the same
    that go on from it.
    """

    def go_on(self, ends: PlayerEnds) -> None:
        """Have a copy go on with these. Raises OSError if the snapshot is
        gone.
        """
        socket.send_fds(self.channel, [b"g"], ends)


def _first(
    ticks: Mapping[AgentRow, int], places: Iterable[AgentRow]
) -> list[int]:
    """The first of the ticks at which something was at these places; empty if
    it never was, or at the first tick.
    """
    return sorted(tick for each in places if (tick := ticks.get(each)))[:1]


@dataclass
class TakeHistory:
    """What has been played of the newest order: its pieces, and the snapshots
    on the way.
    """

    order: RollOrder
    number: int
    pieces: list[TakePiece] = field(default_factory=list)
    snapshots: list[Snapshot] = field(default_factory=list)
    heard: dict[AgentRow, int] = field(default_factory=dict)
    """At which tick each row of each agent was first heard of."""
    is_resumed: bool = False
    """Whether it went on from a snapshot of another order."""
    given_up: list[Snapshot] = field(default_factory=list)
    """Snapshots of another order that have no use any more. Many processes
    that end at once keep the machine from what is played just then.
    """

    @property
    def ticks(self) -> int:
        """How many ticks have been played."""
        if self.pieces:
            return self.pieces[-1].ticks
        return 0

    def keep(self, snapshot: Snapshot) -> None:
        """Keep a snapshot, instead of an older one at its tick."""
        for each in [
            each for each in self.snapshots if each.tick == snapshot.tick
        ]:
            each.channel.close()
            self.snapshots.remove(each)
        self.snapshots.append(snapshot)

    def keep_only(self, ticks: Sequence[int]) -> None:
        """Let those snapshots go that are at none of these ticks: of older
        orders, that is.
        """
        for each in [
            each for each in self.snapshots if each.tick not in ticks
        ]:
            each.channel.close()
            self.snapshots.remove(each)

    def add(self, piece: TakePiece) -> None:
        """Something more has been played."""
        self.pieces.append(piece)
        for chunk in piece.chunks:
            _, ticks = chunk.columns[0]
            # Its ticks rise, so the first one of the first chunk is when it
            # was heard of.
            if ticks:
                self.heard.setdefault((chunk.agent, chunk.row), ticks[0])

    def answers(
        self, agent: str, row_id: str, part: str
    ) -> Iterator[RecordedAnswer]:
        """What the condition of a part of a row found, in the order of time."""
        place = (agent, row_id, part, What.FOUND)
        for piece in self.pieces:
            for chunk in piece.chunks:
                if chunk[:4] == place:
                    (_, ticks), _, (_, entries) = chunk.columns
                    for tick, entry in zip(ticks, entries, strict=True):
                        # An atom that was passed over is there alone.
                        if len(entry) > 1:
                            yield RecordedAnswer(tick, *entry[:4])

    def snapshot_ticks(self) -> list[int]:
        """Before which ticks snapshots are made; none where they would take
        too much memory.

        Edits are resumed where a row that is given something is first heard
        of, where a condition first turns to something else, a cue is done or a
        stretch of a walk begins, so a snapshot belongs there. A row counts
        once, however many of the cast run it: its edit is resumed at the
        first.
        """
        project, scenario = self.order.project, played(self.order)
        is_long = self.ticks * len(scenario.players) > MOST_AGENT_TICKS
        if is_long or project.nodes:
            return []
        running: dict[str, list[str]] = {}
        for member in scenario.players:
            if member.behavior is not None:
                running.setdefault(member.behavior, []).append(member.name)
        ticks = [*scenario_ticks(scenario), self.ticks]
        turned = self._turned()
        for behavior, agents in running.items():
            for row in expand_behavior(project, behavior).behavior.rows:
                places = [(each, row.id) for each in agents]
                if (
                    row.args
                    or row.decorators
                    or any(each.args for each in row.upkeep)
                ):
                    ticks.extend(_first(self.heard, places))
                ticks.extend(_first(turned, places))
        # What is to come after the end may be edited as well: all of the take
        # stays as it is.
        return best_ticks([min(each, self.ticks) for each in ticks])

    def _turned(self) -> dict[AgentRow, int]:
        """When a condition of each row first found something else than before.
        A number in it that is moved a little has an atom turn at another tick
        than this.
        """
        found: dict[AgentRow, int] = {}
        last: dict[tuple[str, str, str, int], object] = {}
        for piece in self.pieces:
            for agent, row, part, what, columns in piece.chunks:
                if what != What.FOUND or (agent, row) in found:
                    continue
                (_, ticks), _, (_, entries) = columns
                for tick, entry in zip(ticks, entries, strict=True):
                    place = agent, row, part, entry[0]
                    if (
                        len(entry) > 1
                        and last.setdefault(place, entry[1]) != entry[1]
                    ):
                        found[agent, row] = tick
                        break
        return found

    def snapshot_for(self, change: OrderChange) -> Snapshot | None:
        """The last snapshot before anything can differ."""
        tick = change.first_tick(self)
        found = [each for each in self.snapshots if each.tick <= tick]
        return max(found, key=lambda each: each.tick, default=None)

    def gone_back(
        self, snapshot: Snapshot, order: RollOrder, number: int
    ) -> "TakeHistory":
        """The history of an order that goes on from a snapshot. This one must
        not be used any more.
        """
        found = TakeHistory(
            order, number, is_resumed=True, given_up=self.given_up
        )
        for piece in snapshot.past:
            found.add(piece)
        for each in self.snapshots:
            if each.tick <= snapshot.tick:
                found.snapshots.append(each)
            else:
                found.given_up.append(each)
        return found

    def end_given_up(self) -> None:
        """End the snapshots that have no use any more."""
        for each in self.given_up:
            each.channel.close()
        self.given_up.clear()

    def close(self) -> None:
        """Let all snapshots go, which ends them."""
        self.end_given_up()
        for each in self.snapshots:
            each.channel.close()
        self.snapshots.clear()
