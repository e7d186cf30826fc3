"""`umbrant find`: at which ticks of a take a condition holds."""

import math
import shutil
import sys
from collections.abc import Mapping, Sequence
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Annotated

import typer

from umbrant.catalog.language.tree import LanguageError
from umbrant.cli.options import JsonOption, TrustOption
from umbrant.cli.output import InputError, print_json, refuse_cut_take, say
from umbrant.cli.roll_project import checked_project, playable_scenario
from umbrant.expecting.history import TakeSignals, stretches_of
from umbrant.model.documents import Project
from umbrant.model.folder import read_project
from umbrant.model.problems import did_you_mean
from umbrant.model.values import count_text, times_text
from umbrant.rolling.many_takes import default_jobs, takes_of
from umbrant.rolling.roll import RollOrder
from umbrant.studying.vary import (
    MOST,
    VaryError,
    combinations,
    read_vary,
    with_values,
)
from umbrant.take.reader import Take, read_take

NOT_FOUND = 1
"""The exit code where it holds at no tick."""
MOST_SAID = 40


def find(
    take: Annotated[
        Path,
        typer.Argument(
            metavar="TAKE", help="a take; or a project, to look for a seed"
        ),
    ],
    condition: Annotated[
        str,
        typer.Argument(
            metavar="CONDITION", help="such as 'alarm > 0.5 and ran(1.2)'"
        ),
    ],
    agent: Annotated[
        str | None,
        typer.Option(
            "--agent", metavar="A", help="whose it is; the first of the cast"
        ),
    ] = None,
    seeds: Annotated[
        int,
        typer.Option(
            "--seeds",
            metavar="N",
            min=1,
            max=100_000,
            help="of a project, how many",
        ),
    ] = 100,
    for_s: Annotated[
        float,
        typer.Option(
            "--for", metavar="T", min=0, help="for how many seconds at a time"
        ),
    ] = 0.0,
    scenario: Annotated[
        str | None,
        typer.Option(metavar="S", help="of a project, which scenario"),
    ] = None,
    vary: Annotated[
        list[str] | None,
        typer.Option(
            metavar="PLACE=FROM:TO:STEP",
            help="of a project, a number to vary; maybe several",
        ),
    ] = None,
    out: Annotated[
        Path | None,
        typer.Option(
            metavar="FILE", help="of a project, where the take is kept"
        ),
    ] = None,
    trust: TrustOption = False,
    as_json: JsonOption = False,
) -> None:
    """Say at which ticks of a take a condition holds; of a project, play
    seeds, with other numbers too, until it does in one. Exits with 1 where it
    holds nowhere.
    """
    given: Mapping[str, float] = {}
    if take.is_dir():
        trials = _trials(take, scenario, seeds, vary or ())
        first = _first_trial(trials, condition, agent, for_s, out, trust)
        if first is None:
            if vary:
                what = count_text(len(trials), "take")
            else:
                what = count_text(seeds, "seed")
            say(f"It holds in none of {what}.")
            raise SystemExit(NOT_FOUND)
        given, found = first
    else:
        found = read_take(take)
    name = agent_of(found, agent)
    stretches = _stretches(found, name, condition, for_s)
    if as_json:
        data = [{"start": start, "end": end} for start, end in stretches]
        seed = found.header.seed
        said = {
            "agent": name,
            "seed": seed,
            "condition": condition,
            "stretches": data,
        }
        print_json({**said, "given": dict(given)} if given else said)
    else:
        _tell(found, stretches)
    refuse_cut_take(found)
    if not stretches:
        raise SystemExit(NOT_FOUND)


def _tell(take: Take, stretches: Sequence[tuple[int, int]]) -> None:
    """Say where a condition holds, and for how long in all."""
    seconds = take.header.seconds
    for start, end in stretches[:MOST_SAID]:
        to = last = ""
        if end > start:
            to, last = f" to {seconds(end):.2f} s", f" to {end}"
        say(f"{seconds(start):8.2f} s{to}  (tick {start}{last})")
    if len(stretches) > MOST_SAID:
        say(f"and {len(stretches) - MOST_SAID} more")
    ticks = sum(end - start + 1 for start, end in stretches)
    times = times_text(len(stretches))
    words = "It holds at no tick."
    if stretches:
        words = f"{times}, {seconds(ticks):.2f} s in all"
    say(words)


def _stretches(
    take: Take, agent: str, condition: str, for_s: float
) -> list[tuple[int, int]]:
    """Where a condition holds for so long at a time. Raises InputError."""
    try:
        found = stretches_of(TakeSignals(take, agent).holds(condition))
    except LanguageError as error:
        raise InputError(f"{condition}: {error}") from None
    least = for_s * take.header.ticks_per_s
    return [(start, end) for start, end in found if end - start + 1 >= least]


@dataclass(frozen=True)
class _Trial:
    """A take that is played to see whether a condition holds in it."""

    project: Project
    scenario: str
    seed: int
    given: Mapping[str, float]
    """The varied values, by what they are of."""

    @property
    def says(self) -> str:
        """How the take is called: by its seed and what was varied."""
        values = (
            f", {name} = {value:g}" for name, value in self.given.items()
        )
        return f"seed {self.seed}{''.join(values)}"


def _trials(
    folder: Path, scenario: str | None, seeds: int, vary: Sequence[str]
) -> list[_Trial]:
    """All seeds with the first values, then with the next. Raises InputError
    and ProjectError.
    """
    project = read_project(folder)
    name = playable_scenario(project, str(folder), scenario)
    first = project.scenario(name).seed
    trials = []
    try:
        varied = [read_vary(each, project) for each in vary]
        count = seeds * math.prod(len(each.values) for each in varied)
        if count > MOST:
            raise InputError(
                f"these are {count:,} takes; {MOST:,} is the most. Vary less."
            )
        for values in combinations(varied):
            if varied:
                made = checked_project(with_values(project, varied, values))
            else:
                made = project
            given = {
                each.name: value
                for each, value in zip(varied, values, strict=True)
            }
            trials += [
                _Trial(made, name, first + index, given)
                for index in range(seeds)
            ]
    except VaryError as error:
        raise InputError(str(error)) from None
    return trials


def _first_trial(
    trials: Sequence[_Trial],
    condition: str,
    agent: str | None,
    for_s: float,
    out: Path | None,
    trust: bool,
) -> tuple[Mapping[str, float], Take] | None:
    """The varied values, and the take, of the first in which a condition
    holds; None if it does in none.
    """
    with TemporaryDirectory(prefix="umbrant-") as folder:
        orders = [
            RollOrder(
                each.project,
                each.scenario,
                Path(folder) / f"{index}.take",
                each.seed,
                trusted=trust,
            )
            for index, each in enumerate(trials)
        ]
        # Closed before the folder goes: others are still being played into it.
        with closing(takes_of(orders, default_jobs())) as played:
            for trial, (order, take) in zip(trials, played, strict=True):
                if isinstance(take, str):
                    raise InputError(f"{trial.says}: {take}")
                if _stretches(take, agent_of(take, agent), condition, for_s):
                    say(f"{trial.says}:", file=sys.stderr)
                    if out is not None:
                        shutil.copyfile(order.path, out)
                    return trial.given, take
    return None


def agent_of(take: Take, wanted: str | None) -> str:
    """One of the cast that decides; the first where nobody is named. Raises
    InputError.
    """
    deciding = [each.name for each in take.header.cast if each.behavior]
    if wanted is None and deciding:
        return deciding[0]
    if wanted not in take.agents:
        raise InputError(
            f"{take.path}: there is no '{wanted}' among the cast. "
            f"{did_you_mean(str(wanted), sorted(take.agents))}"
        )
    return str(wanted)
