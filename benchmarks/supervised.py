"""What it costs that takes are played by one process and written by another:
in turns with a roll in one process.
"""

from collections.abc import Iterator
from pathlib import Path
from statistics import median

from benchmarks.figure import Figure, timed
from benchmarks.fuzz.nodes import Conversation
from umbrant.model.documents import Project
from umbrant.rolling.roll import RollOrder, roll

TURNS = 15


def supervised_figures(project: Project, place: Path) -> Iterator[Figure]:
    """The whole cast of the demo, 42 s, through a supervisor that is warm."""
    folder = place / "supervised"
    folder.mkdir()
    with Conversation(folder) as supervisor:
        there, here = (
            RollOrder(project, "dusk", folder / "there.take"),
            RollOrder(project, "dusk", folder / "here.take"),
        )
        times = [
            (timed(lambda: supervisor.roll(there)), timed(lambda: roll(here)))
            for _ in range(TURNS)
        ][1:]
    cost = median(one / other for one, other in times) - 1
    one, other = (median(column) * 1000 for column in zip(*times, strict=True))
    ratio = f"{one:.0f} ms against {other:.0f} ms in one process"
    yield Figure(
        "a roll of the whole cast through the supervisor costs more by",
        f"{cost:+.0%}",
        "at most 10 %",
        ratio,
    )
