"""Workers without the second it takes to load one: forked from a process that
has loaded everything already.

`python -m tests.desk.warm_worker serve SOCKET` waits for calls until its input
ends. `warm_worker.py call SOCKET` stands in for `python -m
umbrant.rolling.supervisor`: it hands its input and output on to a new fork,
and ends with it.
"""

import os
import signal
import socket
import sys
import time


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
        _, given, _, _ = socket.recv_fds(call, 1, 3)
        if os.fork() == 0:
            signal.signal(signal.SIGCHLD, signal.SIG_DFL)
            listener.close()
            for number, file in enumerate(given):
                os.dup2(file, number)
                os.close(file)
            supervisor.main()
            os._exit(0)
        call.close()
        for file in given:
            os.close(file)


def call(path: str) -> None:
    """Be a worker, by having one forked; it is over when that one is."""
    caller = socket.socket(socket.AF_UNIX)
    while True:
        try:
            caller.connect(path)
            break
        except OSError:
            time.sleep(0.01)
    socket.send_fds(caller, [b"."], [0, 1, 2])
    for number in (0, 1, 2):
        os.close(number)
    caller.recv(1)


if __name__ == "__main__":
    {"serve": serve, "call": call}[sys.argv[1]](sys.argv[2])
