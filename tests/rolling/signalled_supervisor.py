"""A supervisor that is sent signals while it closes its takes."""

import os
import signal
import time

from umbrant.rolling import supervisor
from umbrant.take.take_file import TakeFile

close = TakeFile.close


def closed_with_signals(file: TakeFile, *ended: str) -> None:
    for _ in range(2):
        os.kill(os.getpid(), signal.SIGTERM)
        # Python calls a handler between two steps of its own.
        time.sleep(0.01)
    close(file, *ended)


if __name__ == "__main__":
    TakeFile.close = closed_with_signals  # type: ignore[method-assign]
    supervisor.main()
