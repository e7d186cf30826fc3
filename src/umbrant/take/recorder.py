"""Recording all that happens in a take, and handing it over in pieces."""

from collections.abc import Callable
from typing import Any

from umbrant.catalog.causes import Cause
from umbrant.model.values import Point
from umbrant.take.agent_writer import AgentWriter, CountingWriter
from umbrant.take.buffer import TakeBuffer
from umbrant.take.pieces import TakePiece
from umbrant.take.samples import LevelTrack, PoseTrack, Posing, unposed
from umbrant.take.stored.values import FARTHEST
from umbrant.take.tables import NUMBER_OF, cause_text


class TakeRecorder(TakeBuffer):
    """Keeps what is played until it is handed over to `push`: at the end of
    each chunk, and whenever `due` says so.

    `chunk_ticks` is how many ticks a chunk has. What the pieces come to
    depends on that alone, never on when `due`, which is asked after each tick
    if there is one, said so. With `counts_only` it is as the header of such a
    take says.
    """

    def __init__(
        self,
        ticks_per_s: float,
        chunk_ticks: int,
        push: Callable[[TakePiece], None],
        due: Callable[[], bool] | None = None,
        *,
        counts_only: bool = False,
    ) -> None:
        super().__init__(ticks_per_s)
        self._counts_only = counts_only
        self._push, self.due = push, due
        self._chunk_ticks = self._chunk_ends_at = max(1, chunk_ticks)
        self._chunk_began_at = 0
        self._agents: dict[str, AgentWriter] = {}
        self._props: list[tuple[object, ...]] = []
        self._places: dict[str, tuple[Point, str | None]] = {}
        self._cues: list[tuple[int, int, str]] = []
        self._notices: list[tuple[str, int, str, str | None]] = []
        self._spoken_at, self._spoken = -1, list[tuple[str, str]]()
        """The last tick at which anything was said, and what was said then."""
        self._poses: dict[str, PoseTrack] = {}
        self._levels: dict[str, LevelTrack] = {}

    def agent(self, name: str) -> AgentWriter:
        """The recorder of one agent."""
        if name not in self._agents:
            make = CountingWriter if self._counts_only else AgentWriter
            self._agents[name] = make(name, self)
        return self._agents[name]

    def said(self, name: str, text: str) -> None:
        """Record what a body said at this tick."""
        self.agent(name).said(text)
        if self._spoken_at != self.tick:
            self._spoken_at, self._spoken = self.tick, []
        self._spoken.append((name, text))

    def just_said(self) -> list[tuple[str, str]]:
        """What was said in the tick that has just ended, as pairs of a body's
        name and its text.
        """
        if self._spoken_at == self.tick - 1:
            return self._spoken
        return []

    def cue_done(self, number: int, whom: str) -> None:
        """Record that a cue was done at this tick, by its number from 1 on."""
        self._cues.append((self.tick, number, whom))

    def noticed(self, name: str, what: str, cause: Cause) -> None:
        """Something of the scenario could not be done as written."""
        self._notices.append((name, self.tick, what, cause_text(cause)))

    def posing(self, name: str) -> Posing:
        """The track of a body's poses."""
        if self._counts_only:
            return unposed
        return self._poses.setdefault(
            name, PoseTrack(self, self._chunk_began_at)
        ).tell

    def prop(
        self, name: str, level: float | None, place: Point, carrier: str | None
    ) -> None:
        """Record the level and the place of a prop at this tick; a level of
        None while it is not on the stage.
        """
        if self._counts_only:
            return
        levels = self._levels.get(name)
        if levels is None:
            levels = self._levels[name] = LevelTrack(
                self, self._chunk_began_at
            )
        levels.tell(level)
        if self._places.get(name) != (place, carrier):
            self._places[name] = place, carrier
            self._props.append((name, self.tick, place[0], place[1], carrier))

    def body_number(self, body: str, number: str, value: float | None) -> None:
        """Record a number of a body at this tick, such as its energy; None
        while the body is not on the stage, or where it is beyond what a take
        can hold.
        """
        if self._counts_only:
            return
        if value is not None and abs(value) > FARTHEST:
            value = None
        name = f"{body}{NUMBER_OF}{number}"
        levels = self._levels.get(name)
        if levels is None:
            levels = self._levels[name] = LevelTrack(
                self, self._chunk_began_at
            )
        levels.tell(value)

    def tick_done(self) -> None:
        """The tick is over, and the next begins."""
        self.tick = tick = self.tick + 1
        if tick >= self._chunk_ends_at:
            self.end_chunk()
        elif self.due is not None and self.due():
            self.hand_over()

    def hand_over(self) -> None:
        """Push what has been recorded since the last piece, without ending the
        chunk.
        """
        self._push(self._piece(ends_chunk=False))

    def end_chunk(self) -> None:
        """Push the rest of the chunk, and begin the next."""
        self._push(self._piece(ends_chunk=True))
        self.chunks = [chunk for chunk in self.chunks if chunk.begin()]
        self._chunk_began_at, self._chunk_ends_at = (
            self.tick,
            self.tick + self._chunk_ticks,
        )

    def _piece(self, *, ends_chunk: bool) -> TakePiece:
        found = (chunk.piece() for chunk in self.chunks)
        return TakePiece(
            self.tick,
            ends_chunk,
            [each for each in found if each is not None],
            _taken(self.keys),
            _taken(self.received),
            _taken(self.raised),
            _taken(self._cues),
            _taken(self._props),
            _taken(self.said_lines),
            _taken(self._notices),
            [
                (name, track.handed_over(self.tick))
                for name, track in self._poses.items()
            ],
            [
                (name, track.handed_over(self.tick))
                for name, track in self._levels.items()
            ],
        )


def _taken(rows: list[Any]) -> tuple[Any, ...]:
    """The rows as a tuple; the list is emptied."""
    found = tuple(rows)
    rows.clear()
    return found
