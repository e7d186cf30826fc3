"""What a search of the window lists."""

from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True)
class FinderEntry:
    """Something that can be gone to, or done."""

    title: str
    place: str
    phrase: str
    go: Callable[[], object]
    help: str = ""

    @property
    def label(self) -> str:
        """How it is listed in words."""
        return f"{self.title}, {self.place}: {self.phrase}"
