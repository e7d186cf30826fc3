"""A process that draws decision maps: run as `python -P -m
umbrant.mapping.worker`.

A question comes in on stdin as one line of JSON, and the map goes out on
stdout each time more of it is known. Who does not want it any more ends the
process.
"""

import gc
import os
import signal
import sys
from functools import partial
from importlib import import_module
from pathlib import Path
from typing import NoReturn

from umbrant.catalog.builtin import BUILTIN
from umbrant.mapping.asking import DecisionAsker
from umbrant.mapping.axes import AxisError, MapSubject, read_axis
from umbrant.mapping.call_limit import CallLimit
from umbrant.mapping.field import MapField, MapPicture
from umbrant.model.printable import printable
from umbrant.model.problems import ProjectError
from umbrant.model.values import Document
from umbrant.take.errors import TakeError
from umbrant.take.reader import read_take

COMMAND = (sys.executable, "-P", "-m", "umbrant.mapping.worker")
"""What starts a worker."""


class MapQuestion(Document):
    """What is to be mapped: the inputs as they are typed, with their ranges."""

    take: Path
    agent: str
    tick: int
    x: str
    y: str
    trusted: bool = False


class MapReply(Document):
    """The map as far as it is known, or why there is none."""

    picture: MapPicture | None = None
    error: str = ""


def main() -> int:
    """Answer the question that comes in."""
    # What the map is drawn with, loaded before there is a question.
    import_module("scipy.ndimage")
    # What lives now lives until the end. Left out of what is searched for
    # garbage its pages stay shared with the processes that are forked for each
    # place. Done before there is a question, for then somebody waits.
    gc.collect()
    gc.freeze()
    gc.disable()
    question = MapQuestion.model_validate_json(sys.stdin.readline())
    try:
        subject = MapSubject(
            read_take(question.take), question.agent, question.tick, BUILTIN
        )
        axes = (
            read_axis(question.x, subject, "x"),
            read_axis(question.y, subject, "y"),
        )
        calls = CallLimit(subject.take.header.project.cover.node_limit_s)
        signal.signal(signal.SIGALRM, partial(_give_up, calls))
        asker = DecisionAsker(subject, axes, calls, trusted=question.trusted)
        for picture in MapField(subject, axes, asker.ask).pictures():
            _say(MapReply(picture=picture))
    except (AxisError, TakeError, ProjectError) as error:
        _say(MapReply(error=str(error)))
        return 1
    return 0


def _give_up(calls: CallLimit, *_signal: object) -> NoReturn:
    """End the process: own code does not come back on the way to the tick. An
    exception would end in that code's own handlers.
    """
    place = calls.place
    _say(
        MapReply(
            error=f"{printable(place.file)}, line {printable(place.line)}: "
            f"{place.called} did not come back within {calls.limit_s:g} s, so "
            "there is no map. Mend it, or raise the limit of own nodes of the project."
        )
    )
    os._exit(1)


def _say(reply: MapReply) -> None:
    print(reply.model_dump_json(), flush=True)


if __name__ == "__main__":
    sys.exit(main())
