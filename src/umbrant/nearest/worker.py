"""A process that searches for nearest changes: run as `python -P -m
umbrant.nearest.worker`.

Questions come in on stdin, one line of JSON each, and what is found goes out
on stdout in the same way. The newest question wins. Each search is a process
of its own, forked from this one, which has everything loaded; it is ended when
another question or an empty line comes, and with this process.
"""

import os
import shutil
import signal
import sys
import tempfile
import traceback
from pathlib import Path
from typing import NoReturn

from umbrant.model.values import Document
from umbrant.nearest.search import NearestChange, NearestSearch
from umbrant.nearest.trials import trial_player
from umbrant.reasons.why import Explainer
from umbrant.rolling.parent import die_with
from umbrant.take.errors import TakeError
from umbrant.take.reader import read_take


class NearestQuestion(Document):
    """A row of an agent at a tick of a take, which did not run there."""

    number: int
    take: Path
    agent: str
    tick: int
    row_id: str
    trusted: bool


class NearestReply(Document):
    """Something that was found, or that the search has come to its end."""

    number: int
    change: NearestChange | None = None


class NearestWorker:
    """Has one question searched at a time."""

    def __init__(self) -> None:
        self._search: tuple[int, str] | None = None
        """The process that searches, and its folder."""

    def run(self) -> int:
        """Take questions until the input ends."""
        for line in sys.stdin:
            self._end_search()
            if line.strip():
                self._begin(NearestQuestion.model_validate_json(line))
        self._end_search()
        return 0

    def _begin(self, question: NearestQuestion) -> None:
        folder = tempfile.mkdtemp(prefix="umbrant-")
        parent = os.getpid()
        pid = os.fork()
        if pid == 0:
            _search_in_child(question, folder, parent)
        self._search = pid, folder

    def _end_search(self) -> None:
        """End the search, if there is one, and remove what it has left."""
        if self._search is None:
            return
        pid, folder = self._search
        os.kill(pid, signal.SIGKILL)
        os.waitpid(pid, 0)
        shutil.rmtree(folder, ignore_errors=True)
        self._search = None


def _search_in_child(
    question: NearestQuestion, folder: str, parent: int
) -> NoReturn:
    """Search, in a process just forked, and say what was found."""
    try:
        die_with(parent, signal.SIGKILL)
        tempfile.tempdir = folder
        _search(question)
    except TakeError as error:
        print(error, file=sys.stderr, flush=True)
    except BaseException:
        traceback.print_exc()
    _reply(NearestReply(number=question.number))
    os._exit(0)


def _search(question: NearestQuestion) -> None:
    take = read_take(question.take, only=question.agent)
    explainer, tick = Explainer(take, question.agent), question.tick
    with trial_player(
        take.header, question.agent, tick, trusted=question.trusted
    ) as player:
        for found in NearestSearch(
            explainer, tick, question.row_id, player
        ).found():
            _reply(NearestReply(number=question.number, change=found))


def _reply(reply: NearestReply) -> None:
    print(reply.model_dump_json(), flush=True)


if __name__ == "__main__":
    sys.exit(NearestWorker().run())
