"""How long a decision map of the demo takes, by a worker that was started
ahead as in the view.
"""

import os
import subprocess
import time
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from statistics import median

from benchmarks.figure import Figure, timed
from umbrant.mapping.worker import COMMAND, MapQuestion, MapReply
from umbrant.model.documents import Project
from umbrant.rolling.client import ENVIRONMENT
from umbrant.rolling.roll import RollOrder, roll

STARTED_S = 2.0
"""How long a worker is given to start before it is asked anything."""
QUESTIONS = (
    ("odo", 120, "visitor.x=0:30", "visitor.y=0:18"),
    ("odo", 361, "visitor.x=0:30", "visitor.y=0:18"),
    ("odo", 270, "visitor.distance=0:16", "alarm=0:1"),
    ("brine", 500, "odo.distance=0:20", "visitor.distance=0:20"),
    ("odo", 800, "distance(visitor)=0:20", "lamp_oil=0:1"),
)
"""Agents, ticks and inputs, from early in the take to its end."""


@dataclass(frozen=True)
class _MapTimes:
    """When a map was there, in seconds after it was asked for, and of how many
    places.
    """

    coarse_s: float
    refined_s: float
    places: int


def map_figures(demo: Project, place: Path) -> Iterator[Figure]:
    """Ask for each map, and wait for its first picture and its last."""
    take = place / "mapped.take"
    rolled_s = timed(lambda: roll(RollOrder(demo, "dusk", take)))
    found = [
        _map_times(MapQuestion(take=take, agent=agent, tick=tick, x=x, y=y))
        for agent, tick, x, y in QUESTIONS
    ]
    for name, aim, times in (
        (
            "a coarse map at five ticks, the median",
            "under 500 ms",
            [each.coarse_s for each in found],
        ),
        (
            "the same refined",
            "under 3000 ms",
            [each.refined_s for each in found],
        ),
    ):
        ratio = (
            f"longest {max(times) * 1000:.0f} ms; {median(times) / rolled_s:.2f} × the roll; "
            f"{max(each.places for each in found)} places at most"
        )
        yield Figure(name, f"{median(times) * 1000:.0f} ms", aim, ratio)


def _map_times(question: MapQuestion) -> _MapTimes:
    with subprocess.Popen(
        COMMAND,
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        text=True,
        env={**os.environ, **ENVIRONMENT},
    ) as worker:
        assert worker.stdin is not None
        assert worker.stdout is not None
        time.sleep(STARTED_S)
        began = time.perf_counter()
        worker.stdin.write(question.model_dump_json() + "\n")
        worker.stdin.close()
        came = [(time.perf_counter() - began, line) for line in worker.stdout]
    last = MapReply.model_validate_json(came[-1][1]).picture
    assert last is not None, came[-1][1]
    return _MapTimes(came[0][0], came[-1][0], last.played)
