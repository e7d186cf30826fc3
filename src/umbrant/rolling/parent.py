"""Ending with whoever started this process, however that ends."""

import ctypes
import os
import signal

_PR_SET_PDEATHSIG = 1
# Found once: a process that is forked for a single question has it already.
_prctl = ctypes.CDLL(None).prctl
ENDS_WITH = "UMBRANT_ENDS_WITH"
"""The variable of the environment that holds the id of the process with which
a command is to end: the window's, for a study that it has started.
"""


def die_with(parent: int, number: int) -> None:
    """Have the system end this process by a signal when its parent ends,
    however that ends. Linux only.
    """
    _prctl(_PR_SET_PDEATHSIG, int(number), 0, 0, 0)
    if os.getppid() != parent:
        os._exit(1)


def end_with_parent() -> None:
    """End with the process that the environment names, if it names one."""
    # Taken out, for what this process starts has this process as its parent.
    parent = os.environ.pop(ENDS_WITH, "")
    if parent.isdecimal():
        die_with(int(parent), signal.SIGTERM)
