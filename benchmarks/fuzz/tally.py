"""Counting attempts and failures."""

import sys
import traceback
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import TypeVar

T = TypeVar("T")


@dataclass
class Tally:
    """What an attack came to."""

    attempts: int = 0
    failures: list[str] = field(default_factory=list)
    shows: bool = False
    """Whether failures are printed as they come."""

    def fail(self, what: str, how: str) -> None:
        """An attempt has failed."""
        self.failures.append(f"{what}: {how}")
        if self.shows:
            print(f"FAILED {what}: {how}", file=sys.stderr, flush=True)

    def each(
        self, attempts: Iterable[tuple[str, T]], attempt: Callable[[T], str]
    ) -> "Tally":
        """Make each attempt; one that says something, or that raises anything,
        has failed.
        """
        for name, subject in attempts:
            self.attempts += 1
            try:
                how = attempt(subject)
            except Exception:
                how = traceback.format_exc(limit=-6)
            if how:
                self.fail(name, how)
        return self

    @property
    def line(self) -> str:
        """The last line of a run."""
        return f"attempts {self.attempts} failures {len(self.failures)}"
