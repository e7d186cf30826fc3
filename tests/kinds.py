"""Kinds that only tests use: actions that last as long as they are told, and
senses that know the time.
"""

import sys

from umbrant.catalog.builtin import MODULES
from umbrant.catalog.declare import Steps, action, sense
from umbrant.catalog.kind import Catalog
from umbrant.catalog.params import Number, Seconds
from umbrant.catalog.world import Me
from umbrant.model.values import KeyType

LEFT: list[str] = []
"""What `tidy` actions undid, in order. A test that reads it clears it first.
"""

NOTED: list[tuple[int, int, bool]] = []
"""When `noted` senses were asked and what they said: which, the tick, and the
answer. A test that reads it clears it first.
"""


@action("last {ticks} and end with {success}", failure="it was to fail")
def last(me: Me, ticks: Number = 1.0, success: bool = True) -> Steps:
    """Runs for so many ticks.

    ticks: at how many ticks it says that it runs on
    success: how it ends
    """
    for _ in range(int(ticks)):
        yield None
    return success


@action("tidy {text}")
def tidy(me: Me, text: str) -> Steps:
    """Runs on for ever, and undoes what it did when it is left.

    text: what it notes in LEFT when it is left
    """
    try:
        while True:
            yield None
    finally:
        LEFT.append(text)


@sense("between {start} and {end}", gives=KeyType.YES_NO)
def between(me: Me, start: Seconds, end: Seconds) -> bool:
    """Whether the time is from `start` up to but not including `end`.

    start: from when
    end: until when
    """
    return start <= me.world.now_s + 1e-9 and me.world.now_s + 1e-9 < end


@sense("noted {which} of {answers}", gives=KeyType.YES_NO)
def noted(me: Me, which: Number, answers: str) -> bool:
    """Whether a tick is one of those at which the answer is yes. Notes in
    NOTED that it was asked.

    which: what it is noted as
    answers: 0 or 1 for each tenth of a second
    """
    tick = round(me.world.now_s * 10)
    yes = answers[tick % len(answers)] == "1"
    NOTED.append((int(which), tick, yes))
    return yes


@sense("the time", gives=KeyType.NUMBER, unit="s")
def clock(me: Me) -> float:
    """The time of the take in seconds."""
    return me.world.now_s


CATALOG = Catalog.of([*MODULES, sys.modules[__name__]])
