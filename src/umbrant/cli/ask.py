"""Reading a take to ask about one of its agents."""

from pathlib import Path

from umbrant.cli.output import InputError
from umbrant.model.problems import did_you_mean
from umbrant.reasons.why import Explainer
from umbrant.take.reader import read_take


def explainer_at(path: Path, agent: str, at: float) -> tuple[Explainer, int]:
    """What answers questions about an agent of a take, and the tick at a time
    in seconds. Raises TakeError and InputError.
    """
    take = read_take(path, only=agent)
    if agent not in take.agents:
        raise InputError(
            f"{path}: there is no '{agent}' in this take. {did_you_mean(agent, list(take.agents))}"
        )
    end = take.header.seconds(take.ticks)
    if at > end:
        raise InputError(
            f"{path}: the take ends at {end:.2f} s; ask about a time before that."
        )
    return Explainer(take, agent), take.clamp(take.header.tick(at))


def row_called(explainer: Explainer, text: str) -> str:
    """The id of a row, given its number, its id, or the name that it alone
    has. Raises InputError.
    """
    try:
        return explainer.behavior.row_called(text)
    except LookupError as error:
        raise InputError(f"{explainer.title} has {error.args[0]}") from None
