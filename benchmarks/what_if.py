"""What it costs to compare two takes, and to find the first change that would
have made a row run, against a roll of the same cast in the same run.
"""

from collections.abc import Iterator
from pathlib import Path
from statistics import median

from benchmarks.figure import Figure, timed
from umbrant.comparing.comparison import compared
from umbrant.model.documents import Project
from umbrant.nearest.search import NearestSearch
from umbrant.nearest.trials import trial_player
from umbrant.reasons.why import Explainer
from umbrant.rolling.roll import RollOrder, roll
from umbrant.take.reader import Take, read_take

TURNS = 5
GAVE_UP = 719
"""A tick at which the warden has just given up the chase."""
NOTHING_SEEN = 614
"""A tick at which no change has a gull run the row that is asked about."""


def what_if_figures(project: Project, place: Path) -> Iterator[Figure]:
    """The whole cast of the demo at dusk."""
    order = RollOrder(project, "dusk", place / "whatif.take")
    other = RollOrder(project, "dusk", place / "other.take", seed=12)
    roll(order)
    roll(other)
    one, two = read_take(order.path), read_take(other.path)
    times = [
        (
            timed(lambda: roll(order)),
            timed(lambda: compared(one, two)),
            timed(lambda: _first(one)),
        )
        for _ in range(TURNS)
    ]
    rolled, held, found = (
        median(column) for column in zip(*times, strict=True)
    )
    yield Figure(
        "two takes of the whole cast, held against each other",
        f"{held * 1000:.0f} ms",
        "under a fifth of the roll",
        f"{held / rolled:.2f} × the time of the roll",
    )
    in_vain = timed(lambda: _all(one))
    yield Figure(
        "all that is tried for a row that no change has run, played",
        f"{in_vain:.1f} s",
        "none",
        f"{in_vain / rolled:.1f} × the time of the roll, on as many cores as there are",
    )
    yield Figure(
        "the first change that would have made a row run, played",
        f"{found:.1f} s",
        "under 2 s",
        f"{found / rolled:.1f} × the time of the roll, on as many cores as there are",
    )


def _all(take: Take) -> None:
    """Search to the end where nothing is found."""
    agent = "gull_4"
    explainer = Explainer(take, agent)
    with trial_player(
        take.header, agent, NOTHING_SEEN, trusted=False
    ) as player:
        list(NearestSearch(explainer, NOTHING_SEEN, "spot", player).found())


def _first(take: Take) -> None:
    """Search until the first change has been found."""
    explainer = Explainer(take, "odo")
    with trial_player(take.header, "odo", GAVE_UP, trusted=False) as player:
        next(NearestSearch(explainer, GAVE_UP, "esc", player).found())
