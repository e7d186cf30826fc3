"""How often a process that plays looks for garbage: objects that only refer to
each other.
"""

import gc

EVERY = 10_000, 10, 10
"""After how many objects more than before Python looks through the new ones,
and after how many such searches through older ones.
"""


def search_seldom() -> None:
    """Have this process look for garbage seldom.

    A player keeps what it records until the chunk ends, and makes hardly any
    garbage. Searched as often as Python does by itself, with some hundred
    agents up to a sixth of its time went into finding that all is in use.
    """
    gc.set_threshold(*EVERY)
