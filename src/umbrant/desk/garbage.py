"""When Python looks for garbage: objects that only refer to each other.

It looks through all objects of the process at once, and no thread does
anything meanwhile. With a dozen takes in memory that is up to a third of a
second, which comes in the middle of an edit or of a drag. Takes hold no such
garbage and live long, so they are left out of the search; what is left is
small enough to be looked through at any moment.
"""

import gc
from collections.abc import Iterator
from contextlib import contextmanager

FULL_EVERY = 200
"""After how many searches among young objects all that are not left out are
searched.
"""


class _Policy:
    is_on = False


def leave_out_what_lives_long() -> None:
    """Begin to do so, with all that the process holds by now. Called once, as
    the window starts.
    """
    _Policy.is_on = True
    young, middle, _ = gc.get_threshold()
    gc.set_threshold(young, middle, FULL_EVERY)
    gc.collect()
    gc.freeze()


@contextmanager
def making_what_lives_long() -> Iterator[None]:
    """What is made meanwhile is left out of every search. Used in the thread
    that reads takes.
    """
    if not _Policy.is_on:
        yield
        return
    # All that is garbage by now must go first: what is left out is never
    # reclaimed.
    gc.collect()
    with without_search():
        yield
        gc.freeze()


@contextmanager
def without_search() -> Iterator[None]:
    """Nothing is searched meanwhile. For work that makes very many objects and
    hardly any garbage: each search would only find that they are all in use.
    """
    if not _Policy.is_on:
        yield
        return
    gc.disable()
    try:
        yield
    finally:
        gc.enable()


def reclaim_everything() -> None:
    """Search through all objects, once: those of a project that was closed are
    garbage now.
    """
    if _Policy.is_on:
        gc.unfreeze()
        gc.collect()
        gc.freeze()
