"""Ordering takes of a supervisor that runs in a process of its own: how it is
started, and a plain way to ask it.
"""

import os
import subprocess
import sys
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import replace
from tempfile import TemporaryDirectory
from typing import IO

from umbrant.rolling.orders import Reply, order_line, read_reply, stop_line
from umbrant.rolling.roll import RollOrder
from umbrant.take.errors import TakeError

SUPERVISOR = (sys.executable, "-P", "-m", "umbrant.rolling.supervisor")
"""What starts a supervisor. With -P nothing in the folder that it is started
in is taken for a module.
"""

ENVIRONMENT: Mapping[str, str] = {
    "OPENBLAS_NUM_THREADS": "1",
    "OMP_NUM_THREADS": "1",
    "MKL_NUM_THREADS": "1",
    "PYTHONHASHSEED": "0",
}
"""What the environment of a supervisor says. No library starts threads of its
own: a process that has some cannot be forked. And sets of texts have the same
order in every one of them, should a node go by that.
"""


def final_reply(replies: IO[str]) -> Reply | None:
    """The next reply of a supervisor that says more than how far it is; None
    if it has ended.
    """
    while line := replies.readline():
        reply = read_reply(line)
        if not reply.of:
            return reply
    return None


class SupervisedRolls:
    """Orders that a supervisor of its own does, one after the other. Use as a
    context: at its end nothing of it is left running.
    """

    def __init__(self) -> None:
        self._folder = TemporaryDirectory(prefix="umbrant-")
        self._process = subprocess.Popen(  # noqa: S603  (our own module)
            SUPERVISOR,
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            text=True,
            cwd=self._folder.name,
            env={**os.environ, **ENVIRONMENT},
            # A Ctrl+C in the terminal reaches this process alone, which then
            # closes the take.
            start_new_session=True,
        )
        self._stop_reason = ""
        self._number = 0
        self._is_rolling = False

    def __enter__(self) -> "SupervisedRolls":
        return self

    def __exit__(self, *_: object) -> None:
        self._process.kill()
        self._process.communicate()
        self._folder.cleanup()

    def stop(self, reason: str) -> None:
        """Stop the roll that goes on, and all that come. A take is kept as far
        as it went, with the reason. May be called by a signal's handler.
        """
        if self._is_rolling and not self._stop_reason:
            self._write(stop_line(self._number, reason))
        self._stop_reason = self._stop_reason or reason

    def roll(self, order: RollOrder) -> Reply:
        """Wait for what comes of an order. Raises TakeError if the supervisor
        ended without a reply.
        """
        self._number += 1
        self._write(
            order_line(
                self._number, replace(order, path=order.path.absolute())
            )
        )
        self._is_rolling = True
        # A signal may have come before there was an order to be stopped.
        if self._stop_reason:
            self._write(stop_line(self._number, self._stop_reason))
        assert self._process.stdout is not None  # noqa: S101  (it is a pipe)
        reply = final_reply(self._process.stdout)
        self._is_rolling = False
        if reply is None:
            code = self._process.wait()
            raise TakeError(
                f"{order.path}: the process that writes takes has ended ({code}). Roll again."
            )
        return reply

    def _write(self, line: str) -> None:
        assert self._process.stdin is not None  # noqa: S101  (it is a pipe)
        with suppress(
            BrokenPipeError
        ):  # it has ended, which the missing reply tells
            self._process.stdin.write(line + "\n")
            self._process.stdin.flush()
