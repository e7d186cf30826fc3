"""The worker process: orders come in as lines of JSON, answers go out as lines of JSON. The newest order wins.

Run as `python -m umbrant.rolling.worker`. It ends when its input does. What a node prints goes to stderr.
"""

import json
import os
import queue
import sys
import threading
import traceback
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import IO

from umbrant.model.documents import Project
from umbrant.model.folder import document_texts, parse_project
from umbrant.model.problems import ProjectError
from umbrant.model.staging import Cue, Step
from umbrant.rolling.rehearse import Frame, Hand, Rehearsal
from umbrant.rolling.roll import Order, RollStopped, roll
from umbrant.take.errors import TakeError


@dataclass(frozen=True)
class Reply:
    """What became of an order: a take, a message about what went wrong, or neither when a newer order came first.

    Of a rehearsal there is a `frame` for each step, and with the take what the hand did: its `steps` and `cues`.
    """

    number: int
    take: Path | None = None
    error: str = ""
    frame: Frame | None = None
    steps: tuple[Step, ...] = ()
    cues: tuple[Cue, ...] = ()

    def line(self) -> str:
        """The reply as the window reads it."""
        data = {
            "number": self.number,
            "take": str(self.take) if self.take else None,
            "error": self.error,
            "frame": self.frame.model_dump(mode="json") if self.frame else None,
            "steps": [each.model_dump(mode="json") for each in self.steps],
            "cues": [each.model_dump(mode="json", exclude_defaults=True) for each in self.cues],
        }
        return json.dumps({name: value for name, value in data.items() if value or name in ("number", "take", "error")})


def order_line(number: int, order: Order) -> str:
    """An order as the worker reads it."""
    return json.dumps(
        {
            "number": number,
            "documents": document_texts(order.project),
            "scenario": order.scenario,
            "path": str(order.path),
            "seed": order.seed,
            "seconds": order.seconds,
            "trusted": order.trusted,
        }
    )


def rehearse_line(number: int, order: Order, puppet: str) -> str:
    """An order to rehearse, as the worker reads it."""
    return json.dumps({**json.loads(order_line(number, order)), "rehearse": puppet})


def step_line(number: int, hand: Hand) -> str:
    """What the hand does at the next tick of a rehearsal."""
    return json.dumps({"number": number, "hand": hand.model_dump(mode="json", exclude_defaults=True)})


def end_line(number: int) -> str:
    """That a rehearsal is over."""
    return json.dumps({"number": number, "end": True})


def read_reply(line: str) -> Reply:
    """A reply from the worker's line. Raises ValueError if it is none."""
    data = json.loads(line)
    return Reply(
        data["number"],
        Path(data["take"]) if data.get("take") else None,
        data.get("error", ""),
        Frame.model_validate(data["frame"]) if data.get("frame") else None,
        tuple(Step.model_validate(each) for each in data.get("steps", ())),
        tuple(Cue.model_validate(each) for each in data.get("cues", ())),
    )


class _Inbox:
    """Lines as they come in, gathered in a thread of their own so that a roll can see that a newer one is waiting."""

    def __init__(self, lines: Iterable[str]) -> None:
        self._lines = lines
        self._queue: queue.Queue[str | None] = queue.Queue()
        self._came = self._taken = 0
        threading.Thread(target=self._gather, daemon=True).start()

    def take(self) -> str | None:
        """The next line, once there is one; None after the last."""
        line = self._queue.get()
        self._taken += 1
        return line

    def has_newer(self) -> bool:
        """Whether a line is waiting."""
        return self._came > self._taken

    def _gather(self) -> None:
        for line in self._lines:
            self._queue.put(line)
            self._came += 1
        self._queue.put(None)


def serve(lines: Iterable[str], out: IO[str]) -> None:
    """Take orders until the lines end."""
    worker = _Worker(_Inbox(lines))
    while (line := worker.inbox.take()) is not None:
        out.write(worker.answer(json.loads(line)).line() + "\n")
        out.flush()


class _Worker:
    """Does one order after the other. A rehearsal goes on over many lines, until it is ended or an order comes."""

    def __init__(self, inbox: _Inbox) -> None:
        self.inbox = inbox
        self._rehearsal: Rehearsal | None = None

    def answer(self, data: dict[str, object]) -> Reply:
        """Do what a line says."""
        number = int(str(data["number"]))
        try:
            if "hand" in data or "end" in data:
                return self._go_on(number, data)
            self._drop()
            order = _order(data)
            if "rehearse" in data:
                self._rehearsal = Rehearsal(order, str(data["rehearse"]))
                return Reply(number)
            return self._roll(number, order)
        except (ProjectError, TakeError) as error:
            return Reply(number, error=str(error))
        except Exception as error:  # a bug: the window shows it, and the worker goes on with the next order
            traceback.print_exc()
            return Reply(number, error=f"Rolling failed inside Umbrant: {type(error).__name__}: {error}")

    def _roll(self, number: int, order: Order) -> Reply:
        try:
            return Reply(number, roll(order, should_stop=self.inbox.has_newer))
        except RollStopped:
            order.path.unlink(missing_ok=True)
            return Reply(number)

    def _go_on(self, number: int, data: dict[str, object]) -> Reply:
        rehearsal = self._rehearsal
        if rehearsal is None:
            return Reply(number)
        if "end" not in data and not rehearsal.over:
            return Reply(number, frame=rehearsal.step(Hand.model_validate(data["hand"])))
        self._rehearsal = None
        rehearsal.close()
        return Reply(number, rehearsal.path, steps=tuple(rehearsal.track.steps), cues=tuple(rehearsal.track.cues))

    def _drop(self) -> None:
        """Something else has been ordered: nobody asks for the take of what was being rehearsed."""
        if self._rehearsal is not None:
            self._rehearsal.drop()
            self._rehearsal = None


def _order(data: dict[str, object]) -> Order:
    trusted = data.get("trusted") is True
    return Order(_project(data), str(data["scenario"]), Path(str(data["path"])), *_settings(data), trusted)


def _project(data: dict[str, object]) -> Project:
    documents = data["documents"]
    assert isinstance(documents, dict)  # noqa: S101  (the line was written by `order_line`)
    return parse_project(documents)


def _settings(data: dict[str, object]) -> tuple[int | None, float | None]:
    seed, seconds = data["seed"], data["seconds"]
    return (seed if isinstance(seed, int) else None), (seconds if isinstance(seconds, int | float) else None)


def main() -> None:
    """Serve stdin and stdout; whatever else is printed to stdout goes to stderr."""
    out = os.fdopen(os.dup(sys.stdout.fileno()), "w", encoding="utf-8")
    os.dup2(sys.stderr.fileno(), sys.stdout.fileno())
    serve(sys.stdin, out)


if __name__ == "__main__":
    main()
