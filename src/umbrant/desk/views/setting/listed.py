"""What a list that is typed or pasted into the setting makes: keys, or numbers
of a body. Knows nothing of Qt.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Protocol

from umbrant.catalog.language.typed_lists import (
    ListFault,
    typed_keys,
    typed_numbers,
)
from umbrant.model.documents import Project
from umbrant.model.paths import Path, at, put

MOST_NAMED = 3
"""How many of the entries that were not taken a message names."""


class ListTarget(Protocol):
    """Where a list goes."""

    @property
    def what(self) -> str:
        """What its entries are, as a plural."""

    @property
    def example(self) -> str:
        """How such a list is written."""

    def read(
        self, project: Project, text: str
    ) -> tuple[Mapping[str, Any], Sequence[ListFault]]:
        """The entries of a text by their names, and those that cannot be
        taken.
        """

    def put(self, project: Project, taken: Mapping[str, Any]) -> Project:
        """The project with these entries."""

    def line_of(self, project: Project, name: str) -> Path:
        """The path of an entry that is in the project."""


@dataclass(frozen=True)
class KeysTarget:
    """The blackboard of a path."""

    board: Path
    what = "keys"
    example = "tired 0..100, near 2.5 m, seen no, spot point, who agent"

    def read(
        self, project: Project, text: str
    ) -> tuple[Mapping[str, Any], Sequence[ListFault]]:
        found = typed_keys(text, list(project.keys_on(str(self.board[1]))))
        return found.taken, found.faults

    def put(self, project: Project, taken: Mapping[str, Any]) -> Project:
        path = (*self.board, "keys")
        return put(project, path, (*at(project, path), *taken.values()))

    def line_of(self, project: Project, name: str) -> Path:
        path = (*self.board, "keys")
        names = [key.name for key in at(project, path)]
        return (*path, names.index(name))


@dataclass(frozen=True)
class NumbersTarget:
    """The body of the one of the cast of a path."""

    member: Path
    what = "numbers"
    example = "health 0..1 = 1, tired 0..100, thirst 0..100 +0.5/s, gold 0"

    @property
    def _path(self) -> Path:
        return (*self.member, "body", "stats")

    def read(
        self, project: Project, text: str
    ) -> tuple[Mapping[str, Any], Sequence[ListFault]]:
        found = typed_numbers(text, list(at(project, self._path)))
        return found.taken, found.faults

    def put(self, project: Project, taken: Mapping[str, Any]) -> Project:
        return put(project, self._path, {**at(project, self._path), **taken})

    def line_of(self, project: Project, name: str) -> Path:
        return (*self._path, name)


def listed_message(
    what: str, taken: Mapping[str, Any], faults: Sequence[ListFault]
) -> str:
    """What was made of a list, and what was not, with the reasons."""
    made = f"Made {len(taken)} {what if len(taken) != 1 else what.removesuffix('s')}."
    if not faults:
        return made
    named = [f"‘{each.entry}’: {each.message}" for each in faults[:MOST_NAMED]]
    more = ""
    if len(faults) > MOST_NAMED:
        more = f" And {len(faults) - MOST_NAMED} more."
    return f"{made} Not taken: {' '.join(named)}{more}"
