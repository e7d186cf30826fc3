"""`umbrant find`: at which ticks of a take a condition holds."""

import shutil
import sys
from pathlib import Path
from typing import Annotated

import typer

from umbrant.catalog.language.tree import LanguageError
from umbrant.cli.options import JsonOption, TrustOption
from umbrant.cli.output import InputError, print_json, refuse_cut_take, say
from umbrant.cli.roll_project import playable_scenario
from umbrant.expecting.history import TakeSignals, stretches_of
from umbrant.model.folder import read_project
from umbrant.model.problems import did_you_mean
from umbrant.model.values import times_text
from umbrant.rolling.many_takes import default_jobs, seeds_of, takes_of
from umbrant.take.reader import Take, read_take

NOT_FOUND = 1
"""The exit code where it holds at no tick."""
MOST_SAID = 40


def find(
    take: Annotated[
        Path, typer.Argument(metavar="TAKE", help="a take; or a project, to look for a seed")
    ],
    condition: Annotated[
        str, typer.Argument(metavar="CONDITION", help="such as 'alarm > 0.5 and ran(1.2)'")
    ],
    agent: Annotated[
        str | None, typer.Option("--agent", metavar="A", help="whose it is; the first of the cast")
    ] = None,
    seeds: Annotated[
        int, typer.Option("--seeds", metavar="N", min=1, max=100_000, help="of a project, how many")
    ] = 100,
    for_s: Annotated[
        float, typer.Option("--for", metavar="T", min=0, help="for how many seconds at a time")
    ] = 0.0,
    scenario: Annotated[
        str | None, typer.Option(metavar="S", help="of a project, which scenario")
    ] = None,
    out: Annotated[
        Path | None, typer.Option(metavar="FILE", help="of a project, where the take is kept")
    ] = None,
    trust: TrustOption = False,
    as_json: JsonOption = False,
) -> None:
    """Say at which ticks of a take a condition holds; of a project, play seeds until it does in
    one. Exits with 1 where it holds nowhere.
    """
    if take.is_dir():
        found = _first_seed(take, condition, agent, scenario, seeds, for_s, out, trust)
        if found is None:
            say(f"It holds in none of {seeds} seeds.")
            raise SystemExit(NOT_FOUND)
    else:
        found = read_take(take)
    name = agent_of(found, agent)
    stretches = _stretches(found, name, condition, for_s)
    seconds = found.header.seconds
    if as_json:
        data = [{"start": start, "end": end} for start, end in stretches]
        seed = found.header.seed
        said = {"agent": name, "seed": seed, "condition": condition, "stretches": data}
        print_json(said)
    else:
        for start, end in stretches[:MOST_SAID]:
            to = f" to {seconds(end):.2f} s" if end > start else ""
            say(f"{seconds(start):8.2f} s{to}  (tick {start}{f' to {end}' if end > start else ''})")
        if len(stretches) > MOST_SAID:
            say(f"and {len(stretches) - MOST_SAID} more")
        ticks = sum(end - start + 1 for start, end in stretches)
        times = times_text(len(stretches))
        say(f"{times}, {seconds(ticks):.2f} s in all" if stretches else "It holds at no tick.")
    refuse_cut_take(found)
    if not stretches:
        raise SystemExit(NOT_FOUND)


def _stretches(take: Take, agent: str, condition: str, for_s: float) -> list[tuple[int, int]]:
    """Where a condition holds for so long at a time. Raises InputError."""
    try:
        found = stretches_of(TakeSignals(take, agent).holds(condition))
    except LanguageError as error:
        raise InputError(f"{condition}: {error}") from None
    least = for_s * take.header.ticks_per_s
    return [(start, end) for start, end in found if end - start + 1 >= least]


def _first_seed(
    folder: Path,
    condition: str,
    agent: str | None,
    scenario: str | None,
    seeds: int,
    for_s: float,
    out: Path | None,
    trust: bool,
) -> Take | None:
    """The take with the first seed in which a condition holds; None if it does in none."""
    project = read_project(folder)
    name = playable_scenario(project, str(folder), scenario)
    first = project.scenario(name).seed
    with seeds_of(project, name, first, seeds, trust=trust) as orders:
        for order, take in takes_of(orders, default_jobs()):
            if isinstance(take, str):
                raise InputError(f"seed {order.seed}: {take}")
            if _stretches(take, agent_of(take, agent), condition, for_s):
                say(f"seed {order.seed}:", file=sys.stderr)
                if out is not None:
                    shutil.copyfile(order.path, out)
                return take
    return None


def agent_of(take: Take, wanted: str | None) -> str:
    """One of the cast that decides; the first where nobody is named. Raises InputError."""
    deciding = [each.name for each in take.header.cast if each.behavior]
    if wanted is None and deciding:
        return deciding[0]
    if wanted not in take.agents:
        raise InputError(
            f"{take.path}: there is no '{wanted}' among the cast. "
            f"{did_you_mean(str(wanted), sorted(take.agents))}"
        )
    return str(wanted)
