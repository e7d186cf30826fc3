"""`umbrant show`: the rows of an agent at a tick."""

from rich.table import Table

from umbrant.cli.ask import explainer_at
from umbrant.cli.options import AgentOption, AtOption, JsonOption, TakeArg
from umbrant.cli.output import console, print_json, refuse_cut_take, say
from umbrant.model.printable import printable
from umbrant.reasons.now import now_value


def show(take: TakeArg, agent: AgentOption, at: AtOption, as_json: JsonOption = False) -> None:
    """Print each row's status and value at a tick."""
    explainer, tick = explainer_at(take, agent, at)
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
        table.add_row(*(printable(row[each]) for each in ("number", "name", "status", "value")))
    say(f"{explainer.title} at {explainer.header.seconds(tick):.2f} s (tick {tick})")
    console().print(table)
    refuse_cut_take(explainer.take)
