"""Workers without the second it takes to load one: forked from a process that
has loaded everything already.

`python -m tests.desk.warm_worker serve SOCKET` waits for calls until its input
ends. `warm_worker.py call SOCKET` stands in for `python -m
umbrant.rolling.supervisor`: it hands its input and output on to a new fork,
and ends with it. With a further word, `prepares`, that one makes snapshots once
nothing has been ordered for a moment, as it does outside of tests: they take
as long as the take itself, and most tests have ended by then.
"""

import os
import signal
import socket
import sys
import time

YES, NO = b"y", b"n"
NEVER_S = 3600.0


def serve(path: str) -> None:
    """Fork a worker for each call."""
    import select

    from umbrant.rolling import supervisor

    signal.signal(signal.SIGCHLD, signal.SIG_IGN)
    listener = socket.socket(socket.AF_UNIX)
    listener.bind(path)
    listener.listen()
    while listener in select.select([listener, 0], [], [])[0]:
        call, _ = listener.accept()
        prepares, given, _, _ = socket.recv_fds(call, 1, 3)
        if os.fork() == 0:
            signal.signal(signal.SIGCHLD, signal.SIG_DFL)
            listener.close()
            for number, file in enumerate(given):
                os.dup2(file, number)
                os.close(file)
            if prepares == NO:
                supervisor.PREPARE_AFTER_S = NEVER_S
            supervisor.main()
            os._exit(0)
        call.close()
        for file in given:
            os.close(file)


def call(path: str, prepares: str = "") -> None:
    """Be a worker, by having one forked; it is over when that one is."""
    caller = socket.socket(socket.AF_UNIX)
    while True:
        try:
            caller.connect(path)
            break
        except OSError:
            time.sleep(0.01)
    socket.send_fds(caller, [YES if prepares else NO], [0, 1, 2])
    for number in (0, 1, 2):
        os.close(number)
    caller.recv(1)


if __name__ == "__main__":
    {"serve": serve, "call": call}[sys.argv[1]](*sys.argv[2:])
