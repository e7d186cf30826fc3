"""`umbrant why`: why an agent did what it did, or did not."""

from typing import Annotated

import typer

from umbrant.cli.ask import explainer_at, row_called
from umbrant.cli.options import AgentOption, AtOption, JsonOption, TakeArg
from umbrant.cli.output import print_json, refuse_cut_take, say
from umbrant.reasons.sentences import Answer


def why(
    take: TakeArg,
    agent: AgentOption,
    at: AtOption,
    instead: Annotated[
        str | None, typer.Option("--not", metavar="ROW", help="why not this row, 1.2 or its id")
    ] = None,
    as_json: JsonOption = False,
) -> None:
    """Say why an agent did what it did at a tick, or why it did not run a row."""
    explainer, tick = explainer_at(take, agent, at)
    answer = (
        explainer.why_not(tick, row_called(explainer, instead)) if instead else explainer.why(tick)
    )
    if as_json:
        print_json(
            {**_answer_data(answer, explainer.header.seconds(tick)), "ended": explainer.take.ended}
        )
    else:
        say(f"{answer.question}, at {explainer.header.seconds(tick):.2f} s\n{answer.text}")
    refuse_cut_take(explainer.take)


def _answer_data(answer: Answer, seconds: float) -> dict[str, object]:
    lines = [
        {
            "row": line.row_id,
            "number": line.number,
            "text": line.text,
            "claims": [each.plain() for each in line.claims],
        }
        for line in answer.lines
    ]
    data: dict[str, object] = {
        "question": answer.question,
        "answer": (answer.headline or answer.lines[0]).text,
        "tick": answer.tick,
        "seconds": seconds,
        "lines": lines,
    }
    if answer.table is not None:
        data["table"] = {
            "columns": answer.table.columns,
            "rows": [[cell.text.strip() for cell in row] for row in answer.table.rows],
        }
    return data
