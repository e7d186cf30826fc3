"""What a play is recorded into: a take, or as much of it as somebody wants to
know.
"""

from typing import Protocol

from umbrant.engine.recorder import Recorder
from umbrant.model.values import Point
from umbrant.stage.world import Listener
from umbrant.take.samples import Posing


class PlayRecorder(Listener, Protocol):
    """What a play is recorded into: a take, or less."""

    def agent(self, name: str) -> Recorder:
        """The recorder of an agent."""

    def posing(self, name: str) -> Posing:
        """What is called with each pose of a body."""

    def body_number(self, body: str, number: str, value: float | None) -> None:
        """A number of a body at this tick; None while it is not on the stage."""

    def prop(
        self, name: str, level: float | None, place: Point, carrier: str | None
    ) -> None:
        """A prop at this tick; a level of None while it is not on the stage."""

    def cue_done(self, number: int, whom: str) -> None:
        """A cue was done at this tick."""

    def tick_done(self) -> None:
        """The tick is over."""
