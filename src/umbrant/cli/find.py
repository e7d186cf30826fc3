"""`umbrant find`: at which ticks of a take a condition holds."""

from typing import Annotated

import typer

from umbrant.catalog.language.tree import LanguageError
from umbrant.cli.options import JsonOption, TakeArg
from umbrant.cli.output import InputError, print_json, say
from umbrant.expecting.history import TakeSignals, stretches_of
from umbrant.model.problems import did_you_mean
from umbrant.take.reader import Take, read_take

NOT_FOUND = 1
"""The exit code where it holds at no tick."""
MOST_SAID = 40


def find(
    take: TakeArg,
    condition: Annotated[
        str, typer.Argument(metavar="CONDITION", help="such as 'alarm > 0.5 and ran(1.2)'")
    ],
    agent: Annotated[
        str | None, typer.Option("--agent", metavar="A", help="whose it is; the first of the cast")
    ] = None,
    as_json: JsonOption = False,
) -> None:
    """Say at which ticks of a take a condition holds. Exits with 1 where it holds at none."""
    found = read_take(take)
    name = agent_of(found, agent)
    try:
        stretches = stretches_of(TakeSignals(found, name).holds(condition))
    except LanguageError as error:
        raise InputError(f"{condition}: {error}") from None
    seconds = found.header.seconds
    if as_json:
        data = [{"start": start, "end": end} for start, end in stretches]
        print_json({"agent": name, "condition": condition, "stretches": data})
    else:
        for start, end in stretches[:MOST_SAID]:
            to = f" to {seconds(end):.2f} s" if end > start else ""
            say(f"{seconds(start):8.2f} s{to}  (tick {start}{f' to {end}' if end > start else ''})")
        if len(stretches) > MOST_SAID:
            say(f"and {len(stretches) - MOST_SAID} more")
        ticks = sum(end - start + 1 for start, end in stretches)
        times = "once" if len(stretches) == 1 else f"{len(stretches)} times"
        say(f"{times}, {seconds(ticks):.2f} s in all" if stretches else "It holds at no tick.")
    if not stretches:
        raise SystemExit(NOT_FOUND)


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
