"""Having snapshots made of what was played last, and on the way finding out
whether it was right.

For its snapshots an order is played once more, from its first tick. So a take
that went on from a snapshot can be held against the take from the first tick,
which it has to be equal to.
"""

import socket
from collections.abc import Sequence
from dataclasses import dataclass, field

from umbrant.rolling.orders import order_line
from umbrant.rolling.roll import RollOrder
from umbrant.rolling.snapshots import MOST, Snapshot, TakeHistory
from umbrant.take.pieces import TakePiece
from umbrant.take.take_file import first_difference


@dataclass
class SnapshotMaker:
    """What the supervisor keeps of the newest order that snapshots are wanted
    of.
    """

    history: TakeHistory | None = None
    """What has been played of it."""
    mistrusts: bool = False
    """Whether a take that went on from a snapshot was another one than that
    from its first tick. From then on every order is played from there.
    """
    _number: int = 0
    """The number of the order of which snapshots were made last."""
    _ticks: Sequence[int] = ()
    """Before which ticks they are."""
    _pieces: list[TakePiece] = field(default_factory=list)
    """What has been played while they were made: each snapshot goes on from
    all of it so far.
    """

    @property
    def is_due(self) -> bool:
        """Whether no snapshots have been made yet of what was played last."""
        return self.history is not None and self.history.number != self._number

    @property
    def is_busy(self) -> bool:
        """Whether snapshots of it may still be being made."""
        return self.history is not None and self.history.number == self._number

    def makes(self, number: int) -> bool:
        """Whether an order is played for its snapshots. Never one in which a project's own code
        runs: its player can send anything, and any number of it.
        """
        history = self.history
        return (
            history is not None
            and history.number == self._number == number
            and not history.order.project.nodes
        )

    def keep(self, order: RollOrder, number: int) -> None:
        """Keep what is played of an order, from its first tick on."""
        self.forget()
        if not self.mistrusts:
            self.history = TakeHistory(order, number)

    def forget(self) -> None:
        """Let all snapshots go."""
        if self.history is not None:
            self.history.close()
        self.history = None

    def line(self) -> str:
        """The order by which snapshots are made; empty where none are wanted."""
        history = self.history
        if history is None:
            return ""
        self._number, self._pieces = history.number, []
        history.end_given_up()
        self._ticks = ticks = history.snapshot_ticks()
        if not ticks:
            return ""
        return order_line(
            history.number,
            history.order,
            prepares=ticks,
            checks=history.is_resumed,
        )

    def add(self, piece: TakePiece) -> None:
        """Something was played while snapshots were made."""
        self._pieces.append(piece)

    def keep_snapshot(
        self, number: int, tick: int, channel: socket.socket
    ) -> None:
        """A player has left a snapshot behind."""
        history, past = self.history, tuple(self._pieces)
        # It goes on from what was sent before it, so that has to end where it
        # begins.
        fits = bool(past) and past[-1].ticks == tick <= (
            history.ticks if history else 0
        )
        has_room = history is not None and len(history.snapshots) < 2 * MOST
        if history is not None and fits and has_room and self.makes(number):
            history.keep(Snapshot(tick, channel, past, history.order.path))
        else:
            channel.close()

    def finish(self) -> str:
        """All snapshots have been made: hold what went on from an older one
        against what has been played since. Returns where they differ; empty
        where they are equal. All snapshots go where they are not.
        """
        history = self.history
        if history is None:
            return ""
        history.keep_only(self._ticks)
        differs = ""
        if history.is_resumed:
            differs = _difference(history.pieces, self._pieces)
        if differs:
            self.mistrusts = True
            self.forget()
        return differs


def _difference(one: Sequence[TakePiece], other: Sequence[TakePiece]) -> str:
    """Where two recordings differ; empty where one of them has not come to its
    end.
    """
    if not one or not other or one[-1].ticks != other[-1].ticks:
        return ""
    return first_difference(one, other)
