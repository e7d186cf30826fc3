"""Waiting for what another process or thread does."""

import time
from collections.abc import Callable

PATIENCE_S = 120.0
"""After how many seconds a test gives up. What takes a moment takes many times
as long on a busy machine, and whoever comes sooner is not kept waiting.
"""
PATIENCE_MS = round(PATIENCE_S * 1000)


def until(condition: Callable[[], object], what: str = "it") -> None:
    """Wait until this is so; fails once patience is at its end."""
    last_s = time.monotonic() + PATIENCE_S
    while not condition():
        assert time.monotonic() < last_s, f"{what} was waited for in vain"
        time.sleep(0.02)
