"""In which call of a project's own code a player is, and how far it has come:
told through memory that is shared.

The player writes a few numbers at each such call; its supervisor reads them
now and then. So a call that does not come back is found from outside, whatever
it does inside.
"""

import mmap
from typing import NamedTuple

from umbrant.model.printable import printable

_CALLS, _DEPTH, _LENGTH, _TICKS = range(4)
_PLACE = 64
"""Where in the memory the place of the call stands."""
FILE_TICKS = 5
"""How many times as long as a tick a file of nodes may take to run: what it
imports is read from the disk, once.
"""
_SIZE = 4096


class CallPlace(NamedTuple):
    """Where a call of a project's own code was made. All are empty before the
    first.
    """

    file: str = ""
    line: str = ""
    kind: str = ""
    agent: str = ""
    row: str = ""

    @classmethod
    def of(cls, place: bytes) -> "CallPlace":
        """The place that a `CallWatch` was given."""
        return cls(*place.decode("utf-8", "replace").split("\0")[:5])

    @property
    def is_file(self) -> bool:
        """Whether a file of nodes as a whole was run."""
        return not self.kind

    def limit_s(self, node_limit_s: float) -> float:
        """How long the call may take, where a node may take so long."""
        if self.is_file:
            return node_limit_s * FILE_TICKS
        return node_limit_s

    @property
    def called(self) -> str:
        """What was called, and on whose behalf: '`hum` (warden, row 1.2
        'Hum')', or the file as a whole.
        """
        if self.is_file:
            return "the file"
        on_behalf = [self.agent] if self.agent else []
        if self.row:
            on_behalf.append(f"row {self.row}")
        name = f"`{printable(self.kind)}`"
        if not on_behalf:
            return name
        return f"{name} ({printable(', '.join(on_behalf))})"

    @property
    def last_of_all(self) -> str:
        """A sentence for when something went wrong after the call, and maybe
        because of it.
        """
        where = f"{printable(self.file)}, line {printable(self.line)}"
        kind = printable(self.kind)
        return f"The last node of the project's own that ran was `{kind}` ({where})."


class SharedWatch:
    """The memory of one player. Made before it is forked; it is an engine's
    `CallWatch` in the player.
    """

    def __init__(self) -> None:
        self._memory = mmap.mmap(-1, _SIZE)
        self._numbers = memoryview(self._memory)[:_PLACE].cast("Q")

    # the player's side

    def enter(self, place: bytes) -> None:
        numbers = self._numbers
        # Of calls inside each other only the outermost is told: it is the one
        # that does not come back.
        if not numbers[_DEPTH]:
            length = min(len(place), _SIZE - _PLACE)
            self._memory[_PLACE : _PLACE + length] = place[:length]
            numbers[_LENGTH] = length
            numbers[_CALLS] += 1
        numbers[_DEPTH] += 1

    def leave(self) -> None:
        self._numbers[_DEPTH] -= 1

    def come_on(self) -> None:
        """Count a tick, which shows the supervisor that the player is alive."""
        self._numbers[_TICKS] += 1

    # the supervisor's side

    @property
    def call(self) -> int:
        """The number of the outermost call that the player is in; 0 if it is
        in none.
        """
        # The number tells one call from the next of the same node, which may
        # be as quick as one look.
        if self._numbers[_DEPTH]:
            return self._numbers[_CALLS]
        return 0

    @property
    def ticks(self) -> int:
        """How many ticks the player has begun."""
        return self._numbers[_TICKS]

    @property
    def place(self) -> CallPlace:
        """Where the last call was made."""
        length = min(self._numbers[_LENGTH], _SIZE - _PLACE)
        return CallPlace.of(self._memory[_PLACE : _PLACE + length])
