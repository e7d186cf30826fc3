"""The actions of a random walk: drawn from a seed, and plain data, to be
written down and played again.
"""

from collections.abc import Iterator, Sequence
from random import Random

Step = list[object]
"""An action as it is written down: what it is, and with what."""

KEYS = (
    *("Return", "Escape", "Tab", "Backtab", "Space", "Delete", "Backspace"),
    *(
        "Up",
        "Down",
        "Left",
        "Right",
        "Home",
        "End",
        "PageUp",
        "PageDown",
        "F1",
        "F2",
        "F5",
        "F6",
    ),
    *"ACDEFGKMNPRUWX0128",
    *("Plus", "Minus", "Comma", "Period", "BracketLeft", "BracketRight"),
)
MODIFIERS = (0, 0, 0, 0, 1, 2, 3, 4)
"""Bits: 1 Shift, 2 Control, 4 Alt."""
TEXTS = (
    "wait 2",
    "chase",
    "can_see(visitor, within=8)",
    "n > ",
    "say Hm",
    "state",
    "0.5",
    "-3",
    "",
    "x",
    "((",
    "é☂",
    "a b",
)
PROJECTS = ("lantern-quay", "first-steps", "own-game/cellar")
"""The examples that are walked over."""
NOT_TRIGGERED = ("quit",)
"""Closing is an action of its own here."""


OFTEN = {
    "action": 30,
    "key": 30,
    "click": 25,
    "double": 4,
    "context": 3,
    "drag": 12,
    "wheel": 5,
    "type": 8,
    "menu": 6,
    "bar": 3,
    "project": 2,
    "resize": 1,
    "wait": 3,
}
"""How often each kind of action is drawn, in shares."""


def draw_step(random: Random, actions: Sequence[str]) -> Step:
    """The next action."""
    x, y = round(random.random(), 3), round(random.random(), 3)
    kind = random.choices(list(OFTEN), list(OFTEN.values()))[0]
    if kind == "action":
        return [
            kind,
            random.choice(
                [each for each in actions if each not in NOT_TRIGGERED]
            ),
        ]
    if kind == "key":
        return [kind, random.choice(KEYS), random.choice(MODIFIERS)]
    if kind in ("click", "double", "context", "wheel"):
        return [kind, random.randrange(100), x, y, random.choice(MODIFIERS)]
    if kind == "drag":
        return [
            kind,
            random.randrange(100),
            x,
            y,
            round(random.uniform(-0.4, 0.4), 3),
            round(random.uniform(-0.4, 0.4), 3),
        ]
    if kind == "type":
        return [kind, random.choice(TEXTS)]
    if kind == "menu":
        return [
            kind,
            random.choice(["behavior", "scenario", "agent", "take"]),
            random.randrange(100),
        ]
    if kind == "bar":
        return [kind, random.randrange(7)]
    if kind == "project":
        does = random.choices(
            ["open", "new", "revert", "save_as", "close", "open_take"],
            [5, 2, 2, 1, 2, 1],
        )[0]
        return [kind, does, random.randrange(len(PROJECTS))]
    if kind == "resize":
        return [kind, random.randrange(760, 1500), random.randrange(480, 900)]
    return ["wait", random.randrange(5, 60)]


def steps_of(seed: str, actions: Sequence[str]) -> Iterator[Step]:
    """The actions that a seed stands for, without end."""
    random = Random(seed)
    while True:
        yield draw_step(random, actions)
