"""`umbrant study`: many takes of one scenario, counted."""

import sys
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Annotated

import typer

from umbrant.cli.options import JobsOption, JsonOption, ProjectArg, TrustOption
from umbrant.cli.output import InputError, print_json
from umbrant.cli.roll_project import checked_project, playable_scenario
from umbrant.cli.study.telling import data_of, row_titles, tell, tell_against
from umbrant.model.documents import Project
from umbrant.model.folder import read_project
from umbrant.rolling.many_takes import default_jobs
from umbrant.rolling.roll import RollOrder
from umbrant.studying.cluster import TakeOrder, counted_on_cluster
from umbrant.studying.counts import CountedTake
from umbrant.studying.local import counted_here
from umbrant.studying.study import (
    COUNTS_ONLY,
    Run,
    StudyError,
    StudyFile,
    identity,
)
from umbrant.studying.vary import (
    MOST,
    Varied,
    VaryError,
    combinations,
    read_vary,
    with_values,
)


def study(
    project: ProjectArg,
    out: Annotated[
        Path,
        typer.Option(
            "--out", metavar="DIR", help="where its results are kept"
        ),
    ],
    scenario: Annotated[
        str | None, typer.Option(metavar="S", help="which scenario")
    ] = None,
    seeds: Annotated[
        int,
        typer.Option(
            "--seeds", metavar="N", min=1, max=MOST, help="how many seeds"
        ),
    ] = 100,
    vary: Annotated[
        list[str] | None,
        typer.Option(
            metavar="PLACE=FROM:TO:STEP",
            help="a number to vary; may be given again",
        ),
    ] = None,
    jobs: JobsOption = None,
    scheduler: Annotated[
        str | None,
        typer.Option(
            metavar="ADDRESS",
            help="of a Dask scheduler, whose workers play the takes",
        ),
    ] = None,
    against: Annotated[
        Path | None,
        typer.Option(
            metavar="DIR",
            help="a study from before, to say what is otherwise now",
        ),
    ] = None,
    counts_only: Annotated[
        bool,
        typer.Option(
            "--counts-only",
            help="count alone, faster: no findings are looked for",
        ),
    ] = False,
    trust: TrustOption = False,
    as_json: JsonOption = False,
) -> None:
    """Play a scenario with many seeds, and with other numbers, and say how
    often each row ran.

    What has been played is kept in DIR: a study that was stopped is taken up
    there.
    """
    found = read_project(project)
    name = playable_scenario(found, str(project), scenario)
    try:
        varied = [read_vary(each, found) for each in vary or ()]
        runs = list(_runs(found, name, seeds, varied))
        first = found.scenario(name).seed
        taken = range(first, first + seeds)
        same = identity(
            found, name, taken, vary or (), counts_only=counts_only
        )
        with StudyFile(out, same) as file:
            file.note(
                scenario=name,
                ticks_per_s=found.scenario(name).ticks_per_s,
                runs=len(runs),
            )
            if counts_only:
                file.note(**{COUNTS_ONLY: "yes"})
            orders = _Orders(
                found, name, varied, trust, jobs or default_jobs(), counts_only
            )
            _play(file, runs, orders, scheduler)
            if against is not None:
                tell_against(against, file, row_titles(found, name), as_json)
            elif as_json:
                print_json(data_of(file))
            else:
                tell(file, found, name)
    except (VaryError, StudyError) as error:
        raise InputError(str(error)) from None


def _runs(
    project: Project, scenario: str, seeds: int, varied: list[Varied]
) -> Iterator[Run]:
    """The takes of a study: all seeds with the first values, then with the
    next.
    """
    count = seeds
    for each in varied:
        count *= len(each.values)
    if count > MOST:
        raise VaryError(
            f"these are {count:,} takes, and a study has at most {MOST:,}. Vary less, or take "
            "fewer seeds."
        )
    first, number = project.scenario(scenario).seed, 0
    for values in combinations(varied):
        given = {
            each.name: value
            for each, value in zip(varied, values, strict=True)
        }
        for seed in range(first, first + seeds):
            yield Run(number, seed, given)
            number += 1


def _play(
    file: StudyFile, runs: list[Run], orders: "_Orders", scheduler: str | None
) -> None:
    """Play what has not been counted yet."""
    known = file.counted()
    # Runs are numbered alike whenever the study is begun, so what is counted
    # says what is left.
    left = [run for run in runs if run.number not in known]
    if scheduler:
        counted = orders.on_cluster(left, scheduler)
    else:
        counted = orders.here(left)
    for done, (run, found) in enumerate(
        zip(left, counted, strict=True), len(runs) - len(left)
    ):
        if isinstance(found, str):
            file.count(run, None, found)
        else:
            file.count(run, found)
        if sys.stderr.isatty():
            print(
                f"\r{done + 1} of {len(runs)} takes",
                end="",
                file=sys.stderr,
                flush=True,
            )
    if sys.stderr.isatty() and left:
        print(file=sys.stderr)


@dataclass
class _Orders:
    """How the takes of a study are played: which project each is of, and by
    how many.
    """

    project: Project
    scenario: str
    varied: list[Varied]
    trust: bool
    jobs: int
    counts_only: bool

    def __post_init__(self) -> None:
        self._made: dict[tuple[float, ...], Project] = {}

    def of(self, run: Run) -> Project:
        """The project with the values of a run. All seeds of the same values
        share one, which is checked and written once. Raises ProjectError.
        """
        values = tuple(run.given[each.name] for each in self.varied)
        if values not in self._made:
            self._made[values] = checked_project(
                with_values(self.project, self.varied, values)
            )
        return self._made[values]

    def here(self, runs: list[Run]) -> Iterator[CountedTake | str]:
        """Play them with processes of this machine, and count them in their
        order.
        """
        with TemporaryDirectory(prefix="umbrant-") as folder:
            orders = [
                RollOrder(
                    self.of(run),
                    self.scenario,
                    Path(folder) / f"{run.number}.take",
                    run.seed,
                    trusted=self.trust,
                    counts_only=self.counts_only,
                )
                for run in runs
            ]
            yield from counted_here(orders, self.jobs)

    def on_cluster(
        self, runs: list[Run], scheduler: str
    ) -> Iterator[CountedTake | str]:
        """Have a cluster play and count them."""
        orders = [
            TakeOrder(
                self.of(run),
                self.scenario,
                run.seed,
                self.trust,
                self.counts_only,
            )
            for run in runs
        ]
        yield from counted_on_cluster(scheduler, orders)
