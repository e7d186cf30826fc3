"""`umbrant study`: many takes of one scenario, counted."""

import json
import sys
from collections.abc import Iterator
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Annotated

import typer

from umbrant.catalog.validation import validate
from umbrant.cli.options import JobsOption, JsonOption, ProjectArg, TrustOption
from umbrant.cli.output import InputError, print_json, say
from umbrant.cli.roll_project import playable_scenario
from umbrant.model.documents import Project
from umbrant.model.expanded import expand_behavior
from umbrant.model.folder import read_project
from umbrant.model.problems import ProjectError
from umbrant.model.values import times_text
from umbrant.project_nodes import project_catalog
from umbrant.rolling.many_takes import default_jobs, takes_of
from umbrant.rolling.roll import RollOrder
from umbrant.studying.study import RowSummary, Run, StudyError, StudyFile, TakeSpread, identity
from umbrant.studying.vary import MOST, Varied, VaryError, combinations, read_vary, with_values

MOST_SAID = 40


def study(
    project: ProjectArg,
    out: Annotated[Path, typer.Option("--out", metavar="DIR", help="where its results are kept")],
    scenario: Annotated[str | None, typer.Option(metavar="S", help="which scenario")] = None,
    seeds: Annotated[
        int, typer.Option("--seeds", metavar="N", min=1, max=MOST, help="how many seeds")
    ] = 100,
    vary: Annotated[
        list[str] | None,
        typer.Option(metavar="PLACE=FROM:TO:STEP", help="a number to vary; may be given again"),
    ] = None,
    jobs: JobsOption = None,
    trust: TrustOption = False,
    as_json: JsonOption = False,
) -> None:
    """Play a scenario with many seeds, and with other numbers, and say how often each row ran.

    What has been played is kept in DIR: a study that was stopped is taken up there.
    """
    found = read_project(project)
    name = playable_scenario(found, str(project), scenario)
    try:
        varied = [read_vary(each, found) for each in vary or ()]
        runs = list(_runs(found, name, seeds, varied))
        first = found.scenario(name).seed
        same = identity(found, name, range(first, first + seeds), vary or ())
        with StudyFile(out, same) as file:
            file.note(scenario=name, ticks_per_s=found.scenario(name).ticks_per_s, runs=len(runs))
            _play(file, found, name, runs, varied, jobs or default_jobs(), trust)
            if as_json:
                print_json(_data(file))
            else:
                _tell(file, found, name)
    except (VaryError, StudyError) as error:
        raise InputError(str(error)) from None


def _runs(project: Project, scenario: str, seeds: int, varied: list[Varied]) -> Iterator[Run]:
    """The takes of a study: all seeds with the first values, then with the next."""
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
        given = {each.name: value for each, value in zip(varied, values, strict=True)}
        for seed in range(first, first + seeds):
            yield Run(number, seed, given)
            number += 1


def _play(
    file: StudyFile,
    project: Project,
    scenario: str,
    runs: list[Run],
    varied: list[Varied],
    jobs: int,
    trust: bool,
) -> None:
    """Play what has not been counted yet."""
    known = file.counted()
    # Runs are numbered alike whenever the study is begun, so what is counted says what is left.
    left = [run for run in runs if run.number not in known]
    made: dict[tuple[float, ...], Project] = {}
    with TemporaryDirectory(prefix="umbrant-") as folder:
        orders = []
        for run in left:
            values = tuple(run.given[each.name] for each in varied)
            # All seeds of the same values share one project, which is checked and written once.
            if values not in made:
                made[values] = _checked(with_values(project, varied, values))
            path = Path(folder) / f"{run.number}.take"
            orders.append(RollOrder(made[values], scenario, path, run.seed, trusted=trust))
        for run, (_, take) in zip(left, takes_of(orders, jobs), strict=True):
            if isinstance(take, str):
                file.count(run, None, take)
            else:
                file.count(run, take)
            if sys.stderr.isatty():
                done = len(runs) - len(left) + run.number + 1 - left[0].number
                print(f"\r{done} of {len(runs)} takes", end="", file=sys.stderr, flush=True)
    if sys.stderr.isatty() and left:
        print(file=sys.stderr)


def _checked(project: Project) -> Project:
    """The project, if it can be played. Raises ProjectError."""
    problems = validate(project, project_catalog(project).catalog)
    if problems:
        raise ProjectError(problems)
    return project


def _tell(file: StudyFile, project: Project, scenario: str) -> None:
    for given in file.groups():
        values = json.loads(given)
        if values:
            say(", ".join(f"{name} = {value:g}" for name, value in values.items()) + ":")
        names = _names(project, scenario)
        order = {place: number for number, place in enumerate(names)}
        last = len(order)
        summary = sorted(
            file.summary(given), key=lambda each: order.get((each.agent, each.row), last)
        )
        for each in summary[:MOST_SAID]:
            say(f"  {_line(each, names)}")
        if len(summary) > MOST_SAID:
            say(f"  and {len(summary) - MOST_SAID} more rows; --json has them all")
    for seed, fault in file.faults():
        say(f"seed {seed}: {fault}")


def _names(project: Project, scenario: str) -> dict[tuple[str, str], str]:
    """The number and the name of each row of each agent."""
    found = {}
    for member in project.scenario(scenario).players:
        if member.behavior is None:
            continue
        behavior = expand_behavior(project, member.behavior).behavior
        for row_id, number in behavior.outline.number.items():
            found[member.name, row_id] = f"{number} {behavior.row(row_id).name}"
    return found


def _line(each: RowSummary, names: dict[tuple[str, str], str]) -> str:
    low, high = each.share
    ran = f"in {each.takes} of {each.of} takes ({low * 100:.0f} to {high * 100:.0f} %)"
    title = names.get((each.agent, each.row), each.row)
    time = f"{each.time.median * 100:.0f} % of the time"
    return f"{each.agent} {title}: {ran}, {times_text(each.entered.median)}, {time}"


def _data(file: StudyFile) -> dict[str, object]:
    return {
        "groups": [
            {"given": json.loads(given), "rows": [_plain(each) for each in file.summary(given)]}
            for given in file.groups()
        ],
        "faults": [{"seed": seed, "fault": fault} for seed, fault in file.faults()],
    }


def _plain(each: RowSummary) -> dict[str, object]:
    return {
        "agent": each.agent,
        "row": each.row,
        "takes": each.takes,
        "of": each.of,
        "share": list(each.share),
        "entered": _spread(each.entered),
        "time": _spread(each.time),
        "succeeded": each.succeeded,
        "failed": each.failed,
        "stopped": each.stopped,
        "first_s": _spread(each.first_s) if each.first_s else None,
        "longest_s": _spread(each.longest_s),
    }


def _spread(each: TakeSpread) -> dict[str, float]:
    return {"median": each.median, "low": each.low, "high": each.high}
