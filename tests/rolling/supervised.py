"""A supervisor of its own for a test: lines in, replies out."""

import os
import subprocess
from collections.abc import Iterable, Sequence
from pathlib import Path

from tests.waiting import PATIENCE_S
from umbrant.rolling.client import ENVIRONMENT, SUPERVISOR, final_reply
from umbrant.rolling.orders import Reply, read_reply


def replies_to(
    lines: Iterable[str], folder: Path | None = None, code: int = 0
) -> list[Reply]:
    """What a supervisor replies to these lines, until it has ended."""
    done = subprocess.run(
        SUPERVISOR,
        input="".join(f"{line}\n" for line in lines),
        stdout=subprocess.PIPE,
        text=True,
        cwd=folder,
        env={**os.environ, **ENVIRONMENT},
        timeout=PATIENCE_S,
    )
    assert done.returncode == code
    replies = map(read_reply, done.stdout.splitlines())
    return [reply for reply in replies if not reply.of]


def replies_in_turn(lines: Iterable[str]) -> list[Reply]:
    """What a supervisor replies to these lines, each given to it when it has
    replied to the one before.
    """
    command = subprocess.Popen(
        SUPERVISOR,
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        text=True,
        env={**os.environ, **ENVIRONMENT},
    )
    assert command.stdin is not None
    assert command.stdout is not None
    replies = []
    with command:
        for line in lines:
            command.stdin.write(f"{line}\n")
            command.stdin.flush()
            reply = final_reply(command.stdout)
            assert reply is not None
            replies.append(reply)
        command.stdin.close()
    assert command.returncode == 0
    return replies


class Supervisor:
    """One that is asked line by line."""

    def __init__(self, command: Sequence[str] = SUPERVISOR) -> None:
        self.process = subprocess.Popen(
            command,
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            text=True,
            env={**os.environ, **ENVIRONMENT},
        )

    def say(self, line: str) -> None:
        assert self.process.stdin is not None
        self.process.stdin.write(line + "\n")
        self.process.stdin.flush()

    def hear(self) -> Reply:
        assert self.process.stdout is not None
        return read_reply(self.process.stdout.readline())

    def end(self) -> None:
        self.process.kill()
        self.process.wait()
        for stream in (self.process.stdin, self.process.stdout):
            assert stream is not None
            stream.close()
