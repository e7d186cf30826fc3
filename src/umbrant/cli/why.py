"""`umbrant why`: why an agent did what it did, or did not."""

from collections.abc import Iterator
from typing import Annotated

import typer

from umbrant.cli.ask import explainer_at, row_called
from umbrant.cli.options import (
    AgentOption,
    AtOption,
    JsonOption,
    TakeArg,
    TrustOption,
)
from umbrant.cli.output import InputError, print_json, refuse_cut_take, say
from umbrant.nearest.search import NOTHING_HELPS, NearestChange, NearestSearch
from umbrant.nearest.trials import ran, trial_player
from umbrant.reasons.sentences import Answer
from umbrant.reasons.why import Explainer


def why(
    take: TakeArg,
    agent: AgentOption,
    at: AtOption,
    instead: Annotated[
        str | None,
        typer.Option(
            "--not",
            metavar="ROW",
            help="why not this row: its number as 1.2, its name, or its id",
        ),
    ] = None,
    nearest: Annotated[
        bool,
        typer.Option(
            "--nearest",
            help="play what would have made the row run, nearest first",
        ),
    ] = False,
    trust: TrustOption = False,
    as_json: JsonOption = False,
) -> None:
    """Say why an agent did what it did at a tick, or why it did not run a row."""
    if nearest and not instead:
        raise InputError(
            "--nearest searches for what would have made a row run: name it by --not."
        )
    explainer, tick = explainer_at(take, agent, at)
    row_id = ""
    if instead:
        row_id = row_called(explainer, instead)
    if row_id:
        answer = explainer.why_not(tick, row_id)
    else:
        answer = explainer.why(tick)
    if as_json:
        data = _answer_data(answer, explainer.header.seconds(tick))
        if nearest:
            data["nearest"] = [
                _change_data(each)
                for each in _nearest(explainer, tick, row_id, trust)
            ]
        print_json({**data, "ended": explainer.take.ended})
    else:
        say(
            f"{answer.question}, at {explainer.header.seconds(tick):.2f} s\n{answer.text}"
        )
        if nearest and ran(explainer.record.row(row_id), tick):
            say(
                "\nIt ran at this tick, so nothing has to be otherwise for that."
            )
        elif nearest and explainer.might_run(row_id, tick):
            _tell_nearest(_nearest(explainer, tick, row_id, trust))
    refuse_cut_take(explainer.take)


def _nearest(
    explainer: Explainer, tick: int, row_id: str, trust: bool
) -> Iterator[NearestChange]:
    """What would have made the row run, each as soon as it has been played."""
    if not explainer.might_run(row_id, tick):
        return
    with trial_player(
        explainer.header, explainer.member.name, tick, trusted=trust
    ) as player:
        yield from NearestSearch(explainer, tick, row_id, player).found()


def _tell_nearest(found: Iterator[NearestChange]) -> None:
    say("\nWhat would have made it run:")
    is_any = False
    for each in found:
        is_any = True
        say(f"  {each.says}")
    if not is_any:
        say(f"  {NOTHING_HELPS}")


def _change_data(change: NearestChange) -> dict[str, object]:
    return {"says": change.says, **change.model_dump(mode="json")}


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
            "rows": [
                [cell.text.strip() for cell in row]
                for row in answer.table.rows
            ],
        }
    return data
