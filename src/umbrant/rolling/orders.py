"""What is ordered of a supervisor, and what it replies: one line of JSON for each."""

import json
from dataclasses import dataclass
from pathlib import Path

from umbrant.model.folder import document_texts, parse_project
from umbrant.model.staging import Cue, Push
from umbrant.rolling.rehearse import RehearsalFrame, SteeringInput
from umbrant.rolling.roll import RollOrder


@dataclass(frozen=True)
class Reply:
    """What became of an order: a take, a message about what went wrong, both for a take that was
    cut short, or neither.

    Neither means that a newer order came first. Of a rehearsal there is a `frame` for each step,
    and with the take what the hand did: its `steps` and `cues`.
    """

    number: int
    take: Path | None = None
    error: str = ""
    frame: RehearsalFrame | None = None
    steps: tuple[Push, ...] = ()
    cues: tuple[Cue, ...] = ()

    def line(self) -> str:
        """The reply as `read_reply` reads it."""
        data = {
            "number": self.number,
            "take": str(self.take) if self.take else None,
            "error": self.error,
            "frame": self.frame.model_dump(mode="json") if self.frame else None,
            "steps": [each.model_dump(mode="json") for each in self.steps],
            "cues": [each.model_dump(mode="json", exclude_defaults=True) for each in self.cues],
        }
        return json.dumps(
            {
                name: value
                for name, value in data.items()
                if value or name in ("number", "take", "error")
            }
        )


def order_line(number: int, order: RollOrder) -> str:
    """An order to roll."""
    return json.dumps(
        {
            "number": number,
            "documents": document_texts(order.project),
            "scenario": order.scenario,
            "path": str(order.path),
            "seed": order.seed,
            "seconds": order.seconds,
            "trusted": order.trusted,
            "node_limit_s": order.project.cover.node_limit_s,
        }
    )


def rehearse_line(number: int, order: RollOrder, puppet: str) -> str:
    """An order to rehearse."""
    return json.dumps({**json.loads(order_line(number, order)), "rehearse": puppet})


def step_line(number: int, hand: SteeringInput) -> str:
    """What the hand does at the next tick of a rehearsal."""
    return json.dumps(
        {"number": number, "hand": hand.model_dump(mode="json", exclude_defaults=True)}
    )


def end_line(number: int) -> str:
    """That a rehearsal is over."""
    return json.dumps({"number": number, "end": True})


def stop_line(number: int, reason: str) -> str:
    """That an order is to be stopped; what was played until then stays, with the reason."""
    return json.dumps({"number": number, "stop": reason})


def read_reply(line: str) -> Reply:
    """A reply from its line. Raises ValueError if it is none."""
    data = json.loads(line)
    return Reply(
        data["number"],
        Path(data["take"]) if data.get("take") else None,
        data.get("error", ""),
        RehearsalFrame.model_validate(data["frame"]) if data.get("frame") else None,
        tuple(Push.model_validate(each) for each in data.get("steps", ())),
        tuple(Cue.model_validate(each) for each in data.get("cues", ())),
    )


def read_order(data: dict[str, object]) -> RollOrder:
    """What an order's line holds. Raises ProjectError where its documents are no project."""
    documents = data["documents"]
    assert isinstance(documents, dict)  # noqa: S101  (the line was written by `order_line`)
    seed, seconds = data["seed"], data["seconds"]
    return RollOrder(
        parse_project(documents),
        str(data["scenario"]),
        Path(str(data["path"])),
        seed if isinstance(seed, int) else None,
        seconds if isinstance(seconds, int | float) else None,
        data.get("trusted") is True,
    )
