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
from umbrant.rolling.roll import Order, RollStopped, roll
from umbrant.take.writer import TakeError


@dataclass(frozen=True)
class Reply:
    """What became of an order: a take, a message about what went wrong, or neither when a newer order came first."""

    number: int
    take: Path | None = None
    error: str = ""


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


def read_reply(line: str) -> Reply:
    """A reply from the worker's line. Raises ValueError if it is none."""
    data = json.loads(line)
    return Reply(data["number"], Path(data["take"]) if data.get("take") else None, data.get("error", ""))


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
    inbox = _Inbox(lines)
    while (line := inbox.take()) is not None:
        reply = _done(json.loads(line), inbox)
        data = {"number": reply.number, "take": str(reply.take) if reply.take else None, "error": reply.error}
        out.write(json.dumps(data) + "\n")
        out.flush()


def _done(data: dict[str, object], inbox: _Inbox) -> Reply:
    number = int(str(data["number"]))
    try:
        trusted = data.get("trusted") is True
        order = Order(_project(data), str(data["scenario"]), Path(str(data["path"])), *_settings(data), trusted)
        return Reply(number, roll(order, should_stop=inbox.has_newer))
    except RollStopped:
        order.path.unlink(missing_ok=True)
        return Reply(number)
    except (ProjectError, TakeError) as error:
        return Reply(number, error=str(error))
    except Exception as error:  # a bug: the window shows it, and the worker goes on with the next order
        traceback.print_exc()
        return Reply(number, error=f"Rolling failed inside Umbrant: {type(error).__name__}: {error}")


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
