"""One step of what happens within a tick, and how those of a tick are found."""

from bisect import bisect_left, bisect_right
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any, TypeVar

from umbrant.reasons.sentences import AnswerLine, Bit

Words = list[Bit]


class StepKind(StrEnum):
    """The kinds of steps within a tick."""

    CUE = "cue"
    RECEIVED = "received"
    EVALUATED = "asked"
    SCORED = "scored"
    REFUSED = "refused"
    ENTERED = "entered"
    RUNS = "runs"
    UPKEEP = "upkeep"
    WROTE = "wrote"
    RAISED = "raised"
    SAID = "said"
    FIRED = "fired"
    CUT_OFF = "cut off"
    LEFT = "left"


@dataclass(frozen=True)
class TickStep:
    """One thing that happened within a tick: a sentence, and the facts it
    rests on.
    """

    kind: StepKind
    row_id: str
    line: AnswerLine
    step: int = 0
    """Its place in the order of the tick, from 1 on; 0 for a cue, and for what
    is repeated.
    """
    facts: Mapping[str, object] = field(default_factory=dict)

    @property
    def is_repeated(self) -> bool:
        """Whether the same held at the tick before, so that the take does not
        store it anew.
        """
        return self.step == 0 and self.kind is not StepKind.CUE

    def plain(self) -> dict[str, object]:
        """The step as JSON has it."""
        found: dict[str, object] = {"kind": self.kind.value, "step": self.step}
        if self.row_id:
            found |= {"row": self.row_id, "number": self.line.number}
        return {**found, **self.facts, "text": self.line.text}


T = TypeVar("T")


def at_tick(
    items: Sequence[T], tick: int, tick_of: Callable[[T], Any]
) -> Sequence[T]:
    """Those of some items in the order of time that are of one tick."""
    return items[
        bisect_left(items, tick, key=tick_of) : bisect_right(
            items, tick, key=tick_of
        )
    ]
