"""An order that a supervisor does, and how far it is."""

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from umbrant.rolling.orders import Look
from umbrant.rolling.player_process import PlayerLink
from umbrant.take.pieces import TakePiece
from umbrant.take.take_file import TakeFile


@dataclass
class RollJob:
    """An order that has not been replied to."""

    number: int
    line: bytes
    path: Path
    limit_s: float
    """How long a call of the project's own code may take."""
    is_rehearsal: bool
    keeps: bool = False
    """Whether what is played is kept, for the next order to go on from."""
    player: PlayerLink | None = None
    """Who plays it."""
    past: Sequence[TakePiece] = ()
    """What had been played before the tick at which it goes on; empty for one
    that is played from its first.
    """
    file: TakeFile | None = None
    """The take, once it has been begun."""
    stopped_because: str = ""
    """Why it is to be stopped and its take kept; empty where it goes on, or
    where nobody wants it any more.
    """
    is_ending: bool = False
    """Of a rehearsal: whether it has been told to end, so that its take comes.
    """
    is_superseded: bool = False
    """Whether a newer order has come, so that nobody wants it any more."""
    stop_by_s: float | None = None
    """When it should have stopped by itself."""
    is_tried: bool = False
    """Whether a player has ended without a word before it began with this."""
    ticks: int = 0
    """How many ticks the take is to have."""
    progress_s: float = 0.0
    """When its progress was told last."""
    look: Look | None = None
    """What is to be shown of it as soon as there is enough; None once it has
    been.
    """
    goes_on_from: Path | None = None
    """The take from which that goes on; None where it is a whole one."""

    def stopped(self) -> str:
        """Why and where it was stopped; empty where it was not to be."""
        if not self.stopped_because or self.file is None:
            return self.stopped_because
        return (
            f"{self.stopped_because} at tick {self.file.ticks} of {self.ticks}"
        )
