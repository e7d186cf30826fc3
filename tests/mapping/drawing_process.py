"""Maps drawn in a process that has loaded nothing else: it is forked for each place, and forking a
process that runs tests takes ten times as long.
"""

import gc
from concurrent.futures import ProcessPoolExecutor
from functools import cache
from multiprocessing import get_context

from umbrant.catalog.builtin import BUILTIN
from umbrant.mapping import field
from umbrant.mapping.asking import DecisionAsker
from umbrant.mapping.axes import MapSubject, read_axis
from umbrant.mapping.field import MapField, MapPicture
from umbrant.take.reader import Take


def drawn(take: Take, agent: str, tick: int, x: str, y: str, steps: int) -> MapPicture:
    """The final map of two inputs, with so many steps along each."""
    return _drawers().submit(_draw, take, agent, tick, x, y, steps).result()


@cache
def _drawers() -> ProcessPoolExecutor:
    context = get_context("forkserver")
    context.set_forkserver_preload([__name__])
    return ProcessPoolExecutor(1, context)


def _draw(take: Take, agent: str, tick: int, x: str, y: str, steps: int) -> MapPicture:
    gc.freeze()
    field.STEPS = steps
    subject = MapSubject(take, agent, tick, BUILTIN)
    axes = read_axis(x, subject, "x"), read_axis(y, subject, "y")
    asker = DecisionAsker(subject, axes, trusted=False)
    *_, last = MapField(subject, axes, asker.ask).pictures()
    return last
