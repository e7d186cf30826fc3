"""What is ordered of a supervisor, and what it replies: one line of JSON for
each.

The window and the command line write orders, the supervisor and its player
read them; replies go the other way. Every field is typed strictly: a seed that
is a text is an error, not no seed.
"""

import json
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Literal, NamedTuple

from pydantic import BaseModel, ConfigDict, TypeAdapter, ValidationError

from umbrant.model.folder import document_texts, parse_project
from umbrant.model.staging import Cue, Push
from umbrant.rolling.rehearse import RehearsalFrame, SteeringInput
from umbrant.rolling.roll import RollOrder


class Look(NamedTuple):
    """A look at what has been played of an order, once more than `after` ticks
    are over.
    """

    path: Path
    after: int


class Message(BaseModel):
    """One line. `number` is that of the order it belongs to; later orders have
    higher numbers.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", strict=True)

    number: int


class RollMessage(Message):
    """An order to roll a scenario into the file at `path`, or to rehearse it."""

    documents: Mapping[str, str]
    """The project's files: path within its folder, and text."""
    scenario: str
    path: str
    seed: int | None
    """Another seed than the scenario's; None for its own."""
    seconds: float | None
    """Another length than the scenario's; None for its own."""
    trusted: bool
    node_limit_s: float
    branched_at: int | None = None
    rehearse: str | None = None
    """The puppet that is steered by hand; None to roll."""
    from_tick: int = 0
    """Of a rehearsal: the tick from which the hand has the puppet."""
    keeps: bool = False
    """Whether what is played is kept, so that the next order may go on from a
    snapshot of it.
    """
    prepares: tuple[int, ...] = ()
    """Before which ticks snapshots are to be left behind; nothing else is
    wanted then. Sent by the supervisor.
    """
    checks: bool = False
    """Whether it is played to its end for that, to be held against what had
    been played of it. Sent by the supervisor.
    """
    look: str | None = None
    """A file for what has been played once more than `look_after` ticks are
    over: a look that need not be asked for while it goes on.
    """
    look_after: int = 0
    counts_only: bool = False

    def order(self) -> RollOrder:
        """The order itself. Raises ProjectError where the documents are no
        project.
        """
        return RollOrder(
            parse_project(dict(self.documents)),
            self.scenario,
            Path(self.path),
            self.seed,
            self.seconds,
            self.trusted,
            self.branched_at,
            self.counts_only,
        )


class StepMessage(Message):
    """What the hand does at the next tick of a rehearsal."""

    hand: SteeringInput


class EndMessage(Message):
    """A message that the hand has ended a rehearsal."""

    end: Literal[True]


class StopMessage(Message):
    """An order is to be stopped, for this reason; what was played until then
    is kept.
    """

    stop: str


class LookMessage(Message):
    """What has been played of an order so far is to be written into the file
    `look`, to be looked at while it goes on.
    """

    look: str


class Reply(Message):
    """What became of an order: a take, a message about what went wrong, both
    for a take that was cut short, or neither.

    Neither means that a newer order came first. A rehearsal has a `frame` for
    each step, and with the take what the hand did: its `steps` and `cues`.
    """

    take: Path | None = None
    error: str = ""
    frame: RehearsalFrame | None = None
    steps: tuple[Push, ...] = ()
    cues: tuple[Cue, ...] = ()
    ticks: int = 0
    """How many ticks have been played so far; such a reply is no end, another
    one follows.
    """
    of: int = 0
    """How many ticks the take is to have."""
    look: Path | None = None
    """Where what has been played so far can be looked at, if that was asked
    for.
    """
    past: Path | None = None
    """With a look the take that it goes on from, which has been replied with
    before; None for one that is whole.
    """
    differs: str = ""
    """Where a take that had been replied with is not the one from the first
    tick. It went on from a snapshot, which no order does from now on: it
    should be ordered again.
    """

    def line(self) -> str:
        """The reply as `read_reply` reads it."""
        return self.model_dump_json(exclude_defaults=True)


Order = RollMessage | StepMessage | EndMessage | StopMessage | LookMessage
_ORDER: TypeAdapter[Order] = TypeAdapter(Order)


def order_line(
    number: int,
    order: RollOrder,
    rehearse: str | None = None,
    *,
    from_tick: int = 0,
    keeps: bool = False,
    prepares: Sequence[int] = (),
    checks: bool = False,
    look: Look | None = None,
) -> str:
    """An order to roll; with the name of a puppet, to rehearse, from a tick
    on. `keeps` has the next such order go on from a snapshot, where it can.
    """
    look_path, look_after = None, 0
    if look is not None:
        look_path, look_after = str(look.path), look.after
    return RollMessage(
        number=number,
        documents=document_texts(order.project),
        scenario=order.scenario,
        path=str(order.path),
        seed=order.seed,
        seconds=order.seconds,
        trusted=order.trusted,
        node_limit_s=order.project.cover.node_limit_s,
        branched_at=order.branched_at,
        rehearse=rehearse,
        from_tick=from_tick,
        keeps=keeps,
        prepares=tuple(prepares),
        checks=checks,
        look=look_path,
        look_after=look_after,
        counts_only=order.counts_only,
    ).model_dump_json()


def step_line(number: int, hand: SteeringInput) -> str:
    """What the hand does at the next tick of a rehearsal."""
    return StepMessage(number=number, hand=hand).model_dump_json(
        exclude_defaults=True
    )


def end_line(number: int) -> str:
    """That a rehearsal is over."""
    return EndMessage(number=number, end=True).model_dump_json()


def stop_line(number: int, reason: str) -> str:
    """That an order is to be stopped."""
    return StopMessage(number=number, stop=reason).model_dump_json()


def look_line(number: int, path: Path) -> str:
    """That what has been played of an order so far is wanted in a file."""
    return LookMessage(number=number, look=str(path)).model_dump_json()


def read_order(line: str | bytes) -> Order:
    """An order from its line. Raises ValueError, which names the field, if it
    is none.
    """
    return _ORDER.validate_json(line)


def read_reply(line: str | bytes) -> Reply:
    """A reply from its line. Raises ValueError, which names the field, if it
    is none.
    """
    return Reply.model_validate_json(line)


def refused(line: str | bytes, error: ValidationError) -> Reply:
    """The reply to a line that is no order: what is wrong with it, for the
    number in it.
    """
    try:
        number = json.loads(line)["number"]
    except (ValueError, TypeError, KeyError):
        number = 0
    fault = error.errors(include_url=False)[0]
    field = ".".join(str(step) for step in fault["loc"])
    message = f"The order could not be read: `{field}`: {fault['msg']}."
    known = 0
    if isinstance(number, int):
        known = number
    return Reply(number=known, error=message)
