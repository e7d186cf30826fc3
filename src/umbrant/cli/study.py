"""`umbrant study`: many takes of one scenario, counted."""

import json
import sys
from collections.abc import Iterator
from dataclasses import asdict, dataclass
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
from umbrant.studying.cluster import TakeAsked, counted_on_cluster
from umbrant.studying.clusters import TakeCluster
from umbrant.studying.counts import CountedTake, count_take
from umbrant.studying.differences import RowDifference, differences
from umbrant.studying.study import Run, StudyError, StudyFile, identity
from umbrant.studying.summaries import (
    FindingSummary,
    KeySummary,
    RowSummary,
    ShareSummary,
    TakeSpread,
)
from umbrant.studying.vary import MOST, Varied, VaryError, combinations, read_vary, with_values

MOST_SAID = 40
MOST_LED = 3
"""How many rows that led, and how many seeds, are told of takes that went alike."""


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
    scheduler: Annotated[
        str | None,
        typer.Option(metavar="ADDRESS", help="of a Dask scheduler, whose workers play the takes"),
    ] = None,
    against: Annotated[
        Path | None,
        typer.Option(metavar="DIR", help="a study from before, to say what is otherwise now"),
    ] = None,
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
            orders = _Orders(found, name, varied, trust, jobs or default_jobs())
            _play(file, runs, orders, scheduler)
            if against is not None:
                _tell_against(against, file, _names(found, name), as_json)
            elif as_json:
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


def _play(file: StudyFile, runs: list[Run], orders: "_Orders", scheduler: str | None) -> None:
    """Play what has not been counted yet."""
    known = file.counted()
    # Runs are numbered alike whenever the study is begun, so what is counted says what is left.
    left = [run for run in runs if run.number not in known]
    counted = orders.on_cluster(left, scheduler) if scheduler else orders.here(left)
    for done, (run, found) in enumerate(zip(left, counted, strict=True), len(runs) - len(left)):
        if isinstance(found, str):
            file.count(run, None, found)
        else:
            file.count(run, found)
        if sys.stderr.isatty():
            print(f"\r{done + 1} of {len(runs)} takes", end="", file=sys.stderr, flush=True)
    if sys.stderr.isatty() and left:
        print(file=sys.stderr)


@dataclass
class _Orders:
    """How the takes of a study are played: which project each is of, and by how many."""

    project: Project
    scenario: str
    varied: list[Varied]
    trust: bool
    jobs: int

    def __post_init__(self) -> None:
        self._made: dict[tuple[float, ...], Project] = {}

    def of(self, run: Run) -> Project:
        """The project with the values of a run. All seeds of the same values share one, which is
        checked and written once. Raises ProjectError.
        """
        values = tuple(run.given[each.name] for each in self.varied)
        if values not in self._made:
            self._made[values] = _checked(with_values(self.project, self.varied, values))
        return self._made[values]

    def here(self, runs: list[Run]) -> Iterator[CountedTake | str]:
        """Play them with processes of this machine, and count them in their order."""
        with TemporaryDirectory(prefix="umbrant-") as folder:
            orders = []
            for run in runs:
                path = Path(folder) / f"{run.number}.take"
                made = self.of(run)
                orders.append(RollOrder(made, self.scenario, path, run.seed, trusted=self.trust))
            for _, take in takes_of(orders, self.jobs):
                yield take if isinstance(take, str) else count_take(take)

    def on_cluster(self, runs: list[Run], scheduler: str) -> Iterator[CountedTake | str]:
        """Have a cluster play and count them."""
        asked = [TakeAsked(self.of(run), self.scenario, run.seed, self.trust) for run in runs]
        yield from counted_on_cluster(scheduler, asked)


def _checked(project: Project) -> Project:
    """The project, if it can be played. Raises ProjectError."""
    problems = validate(project, project_catalog(project).catalog)
    if problems:
        raise ProjectError(problems)
    return project


def _tell(file: StudyFile, project: Project, scenario: str) -> None:
    names = _names(project, scenario)
    agents = [each.name for each in project.scenario(scenario).players if each.behavior]
    for given in file.groups():
        values = json.loads(given)
        if values:
            say(", ".join(f"{name} = {value:g}" for name, value in values.items()) + ":")
        _tell_rows(file, given, names)
        # A key that is the same at every tick of every take has nothing to tell.
        keys = [each for each in file.key_summaries(given) if each.lowest < each.highest]
        by_chance = [*file.chances(given), *file.draws(given)]
        _tell_lines("Left to chance:", [_chance_line(each, names) for each in by_chance])
        _tell_lines("Keys:", [_key_line(each) for each in keys])
        _tell_lines("Found:", [_finding_line(each) for each in file.findings(given)])
        led = [(agent, file.clusters(agent, given)) for agent in agents]
        _tell_lines(
            "Takes that went alike, the odd ones first:",
            [_cluster_line(agent, each, names) for agent, found in led for each in found[:-1]],
        )
    for seed, fault in file.faults():
        say(f"seed {seed}: {fault}")


def _tell_against(
    folder: Path, file: StudyFile, names: dict[tuple[str, str], str], as_json: bool
) -> None:
    """Say what is otherwise than in a study from before."""
    with StudyFile(folder) as before:
        found = differences(before, file)
    if as_json:
        print_json({"differences": [asdict(each) for each in found]})
        return
    likely = [_difference_line(each, names) for each in found if each.is_likely]
    chance = [_difference_line(each, names) for each in found if not each.is_likely]
    _tell_lines("Otherwise than before:", likely)
    _tell_lines("Otherwise, maybe by chance:", chance)
    if not found:
        say("Nothing is otherwise than before.")


def _difference_line(each: RowDifference, names: dict[tuple[str, str], str]) -> str:
    title = names.get((each.agent, each.row), each.row)
    takes = f"in {each.takes[0]} of {each.of[0]} takes, now in {each.takes[1]} of {each.of[1]}"
    time = f"{each.time[0] * 100:.0f} % of the time, now {each.time[1] * 100:.0f} %"
    return f"{each.agent} {title}: {takes}; {time}"


def _tell_rows(file: StudyFile, given: str, names: dict[tuple[str, str], str]) -> None:
    order = {place: number for number, place in enumerate(names)}
    last = len(order)
    summary = sorted(file.summary(given), key=lambda each: order.get((each.agent, each.row), last))
    _tell_lines("", [_line(each, names) for each in summary])


def _tell_lines(heading: str, lines: list[str]) -> None:
    if heading and lines:
        say(heading)
    for each in lines[:MOST_SAID]:
        say(f"  {each}")
    if len(lines) > MOST_SAID:
        say(f"  and {len(lines) - MOST_SAID} more; --json has them all")


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


def _chance_line(each: ShareSummary, names: dict[tuple[str, str], str]) -> str:
    title = names.get((each.agent, each.row), each.row)
    low, high = (share * 100 for share in each.share)
    share = 100 * each.happened / max(1, each.tried)
    came = f"{each.happened} of {each.tried} times, {share:.1f} % ({low:.0f} to {high:.0f} %)"
    if each.expected is None:
        return f"{each.agent} {title}: {came}"
    verdict = ", which is not likely" if each.is_odd else ""
    return f"{each.agent} {title}: {came}; set {each.expected * 100:.1f} %{verdict}"


def _key_line(each: KeySummary) -> str:
    last, times = each.last, times_text(each.changes.median)
    return (
        f"{each.agent} {each.key}: {each.lowest:.3g} to {each.highest:.3g}, changes {times}, ends "
        f"at {last.median:.3g} ({last.low:.3g} to {last.high:.3g})"
    )


def _finding_line(each: FindingSummary) -> str:
    return f"in {each.takes} of {each.of} takes (seed {each.seed}): {each.agent}: {each.says}"


def _cluster_line(agent: str, each: TakeCluster, names: dict[tuple[str, str], str]) -> str:
    led = ", ".join(
        f"{names.get((agent, row), row)} {share * 100:.0f} %"
        for row, share in list(each.shares.items())[:MOST_LED]
    )
    seeds = ", ".join(map(str, each.runs[:MOST_LED]))
    count = len(each.runs)
    takes = f"seed {seeds}" if count == 1 else f"{count} takes (seeds {seeds}"
    more = ", …)" if count > MOST_LED else ")" if count > 1 else ""
    return f"{agent}: {takes}{more}: {led}"


def _data(file: StudyFile) -> dict[str, object]:
    return {
        "groups": [
            {
                "given": json.loads(given),
                "rows": [_plain(each) for each in file.summary(given)],
                "chances": [_plain_share(each) for each in file.chances(given)],
                "draws": [_plain_share(each) for each in file.draws(given)],
                "keys": [asdict(each) for each in file.key_summaries(given)],
                "findings": [asdict(each) for each in file.findings(given)],
                "clusters": [
                    {"agent": agent, "seeds": each.runs, "shares": each.shares}
                    for agent in file.agents()
                    for each in file.clusters(agent, given)
                ],
            }
            for given in file.groups()
        ],
        "faults": [{"seed": seed, "fault": fault} for seed, fault in file.faults()],
    }


def _plain_share(each: ShareSummary) -> dict[str, object]:
    return {**asdict(each), "share": list(each.share), "is_odd": each.is_odd}


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
        "bins": each.bins,
    }


def _spread(each: TakeSpread) -> dict[str, float]:
    return {"median": each.median, "low": each.low, "high": each.high}
