"""Maps drawn in a process that has loaded nothing else: it is forked for each
place, and forking a process that runs tests takes ten times as long.
"""

import gc
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context

from umbrant.catalog.builtin import BUILTIN
from umbrant.mapping import field
from umbrant.mapping.asking import DecisionAsker
from umbrant.mapping.axes import MapSubject, read_axis
from umbrant.mapping.call_limit import CallLimit
from umbrant.mapping.field import MapField, MapPicture
from umbrant.take.reader import Take


def drawn(
    take: Take, agent: str, tick: int, x: str, y: str, steps: int
) -> MapPicture:
    """The final map of two inputs, with so many steps along each."""
    context = get_context("forkserver")
    # The server has loaded what is needed, and stays; what it forks ends with
    # the map.
    context.set_forkserver_preload([__name__])
    with ProcessPoolExecutor(1, context) as drawers:
        return drawers.submit(_draw, take, agent, tick, x, y, steps).result()


def _draw(
    take: Take, agent: str, tick: int, x: str, y: str, steps: int
) -> MapPicture:
    gc.freeze()
    field.STEPS = steps
    subject = MapSubject(take, agent, tick, BUILTIN)
    axes = read_axis(x, subject, "x"), read_axis(y, subject, "y")
    asker = DecisionAsker(subject, axes, CallLimit(2.0), trusted=False)
    *_, last = MapField(subject, axes, asker.ask).pictures()
    return last
