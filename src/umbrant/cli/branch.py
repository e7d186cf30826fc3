"""`umbrant branch`: what if, from here: a take that leaves another at a tick."""

from pathlib import Path
from typing import Annotated

import typer

from umbrant.branching.actions import (
    ActionError,
    ActionScope,
    action_text,
    read_actions,
)
from umbrant.branching.branch import branch_order, check_past
from umbrant.cli.options import JsonOption, TakeArg, TrustOption
from umbrant.cli.output import InputError, print_json, refuse_cut_take, say
from umbrant.cli.roll_project import roll_into
from umbrant.comparing.comparison import TakeComparison, compared
from umbrant.comparing.words import parting_answer
from umbrant.model.problems import did_you_mean
from umbrant.model.staging import CueAction
from umbrant.take.reader import Take, read_take

Repeated = list[str] | None


def branch(
    take: TakeArg,
    at: Annotated[
        float,
        typer.Option("--at", metavar="SECONDS", min=0, help="from when on"),
    ],
    agent: Annotated[
        str | None,
        typer.Option(
            "--agent",
            metavar="A",
            help="whose keys and rows are meant; the first’s",
        ),
    ] = None,
    sets: Annotated[
        Repeated,
        typer.Option(
            "--set", metavar="KEY=VALUE", help="set a key or a body's number"
        ),
    ] = None,
    raises: Annotated[
        Repeated,
        typer.Option(
            "--raise", metavar="EVENT", help="raise an event, 'E' or 'E to A'"
        ),
    ] = None,
    moves: Annotated[
        tuple[str, str] | None,
        typer.Option(
            "--move",
            metavar="WHO X,Y",
            help="put somebody or a prop elsewhere",
        ),
    ] = None,
    holds: Annotated[
        tuple[str, str] | None,
        typer.Option(
            "--hold", metavar="ROW RESULT", help="success, failure or refused"
        ),
    ] = None,
    does: Annotated[
        Repeated,
        typer.Option(
            "--do", metavar="TEXT", help="anything of these, as it is said"
        ),
    ] = None,
    out: Annotated[
        Path | None,
        typer.Option(
            "--out", metavar="FILE", help="where to write the branch"
        ),
    ] = None,
    trust: TrustOption = False,
    as_json: JsonOption = False,
) -> None:
    """Play a take again up to a time, do something else there, and say what
    became of it.
    """
    parent = read_take(take)
    tick = _tick(parent, at)
    scope = ActionScope(parent, _agent(parent, agent), tick)
    actions = _read(_texts(sets, raises, moves, holds, does), scope)
    path = out or parent.path.with_name(
        f"{parent.path.stem}-branch-{tick}.take"
    )
    if path.resolve() == parent.path.resolve():
        raise InputError(
            f"{path}: a branch cannot take its parent's place. Give another --out."
        )
    branched = roll_into(
        branch_order(parent, tick, actions, path, trusted=trust)
    )
    check_past(parent, branched)
    found = compared(parent, branched)
    if as_json:
        _print_data(path, tick, found)
    else:
        says = (
            "; ".join(action_text(each, scope.behavior) for each in actions)
            or "nothing else"
        )
        say(
            f"From {parent.header.seconds(tick):.2f} s (tick {tick}) on: {says}.\n"
        )
        say(parting_answer(found, parent.path.name, path.name).text)
        say(f"\nThe branch is in {path}")
    refuse_cut_take(branched)


def _texts(
    sets: Repeated,
    raises: Repeated,
    moves: tuple[str, str] | None,
    holds: tuple[str, str] | None,
    does: Repeated,
) -> list[str]:
    """What is done, as it is said with `--do`."""
    lines = [*(sets or ()), *(f"raise {each}" for each in raises or ())]
    if moves:
        lines.append(f"move {moves[0]} to {moves[1]}")
    if holds:
        lines.append(f"hold {holds[0]} at {holds[1]}")
    return [*lines, *(does or ())]


def _print_data(path: Path, tick: int, found: TakeComparison) -> None:
    """Print what became of a branch as JSON."""
    first = None
    if found.first:
        first = found.first.plain()
    agents = {name: each.plain() for name, each in found.by_agent.items()}
    print_json(
        {"take": str(path), "tick": tick, "first": first, "agents": agents}
    )


def _tick(parent: Take, at: float) -> int:
    tick = round(at * parent.header.ticks_per_s)
    if tick > parent.last_tick:
        end = parent.header.seconds(parent.last_tick)
        raise InputError(
            f"{parent.path}: the take ends at {end:.2f} s; branch off before that."
        )
    return tick


def _agent(parent: Take, agent: str | None) -> str:
    if agent is not None and agent not in parent.agents:
        known = list(parent.agents)
        remedy = did_you_mean(agent, known)
        raise InputError(
            f"{parent.path}: there is no '{agent}' in this take. {remedy}"
        )
    thinking = (each.name for each in parent.header.cast if each.behavior)
    return agent or next(thinking, "")


def _read(texts: list[str], scope: ActionScope) -> tuple[CueAction, ...]:
    try:
        return tuple(
            action for text in texts for action in read_actions(text, scope)
        )
    except ActionError as error:
        raise InputError(str(error)) from None
