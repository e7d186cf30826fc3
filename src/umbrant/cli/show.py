"""`umbrant show`: the rows of an agent at a tick, or the steps of the tick."""

from typing import Annotated

import typer
from rich.table import Table

from umbrant.cli.ask import explainer_at
from umbrant.cli.options import AgentOption, AtOption, JsonOption, TakeArg
from umbrant.cli.output import console, print_json, refuse_cut_take, say
from umbrant.model.printable import printable
from umbrant.reasons.now import now_value
from umbrant.reasons.why import Explainer


def show(
    take: TakeArg,
    agent: AgentOption,
    at: AtOption,
    steps: Annotated[
        bool,
        typer.Option(
            "--steps", help="what the agent did within the tick, in order"
        ),
    ] = False,
    as_json: JsonOption = False,
) -> None:
    """Print each row's status and value at a tick, or what the agent did
    within it.
    """
    explainer, tick = explainer_at(take, agent, at)
    if steps:
        _show_steps(explainer, tick, as_json=as_json)
        refuse_cut_take(explainer.take)
        return
    rows = [
        {
            "row": row_id,
            "number": explainer.outline.number[row_id],
            "name": explainer.names.titles[row_id],
            "status": explainer.record.row(row_id).state_at(tick).value,
            "value": now_value(explainer, row_id, tick),
        }
        for row_id in explainer.outline.number
    ]
    if as_json:
        seconds = explainer.header.seconds(tick)
        print_json(
            {
                "agent": agent,
                "tick": tick,
                "seconds": seconds,
                "ended": explainer.take.ended,
                "rows": rows,
            }
        )
        refuse_cut_take(explainer.take)
        return
    table = Table("row", "", "status", "value", box=None, pad_edge=False)
    for row in rows:
        table.add_row(
            *(
                printable(row[each])
                for each in ("number", "name", "status", "value")
            )
        )
    say(
        f"{explainer.title} at {explainer.header.seconds(tick):.2f} s (tick {tick})"
    )
    console().print(table)
    refuse_cut_take(explainer.take)


def _show_steps(explainer: Explainer, tick: int, *, as_json: bool) -> None:
    found, seconds = (
        explainer.ticks.steps(tick),
        explainer.header.seconds(tick),
    )
    if as_json:
        print_json(
            {
                "agent": explainer.member.name,
                "tick": tick,
                "seconds": seconds,
                "ended": explainer.take.ended,
                "steps": [step.plain() for step in found],
            }
        )
        return
    say(f"{explainer.title} at {seconds:.2f} s (tick {tick})")
    if not found:
        say("It did nothing at this tick.")
    for step in found:
        # What is repeated has no number: it stands where the order of the rows
        # puts it.
        say(f"{step.step or '':>4}  {step.line.number:9} {step.line.text}")
