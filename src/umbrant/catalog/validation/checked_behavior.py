"""A behavior whose rows are checked, as every check of them looks at it."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

from umbrant.catalog.kind import ROWS, Catalog, Family, Kind
from umbrant.model.behaviors import Behavior, Key, Row
from umbrant.model.documents import Project
from umbrant.model.kind_ids import MACHINE
from umbrant.model.problems import Problem
from umbrant.model.values import KeyType


@dataclass(frozen=True)
class CheckedBehavior:
    """A behavior with the project that it is of, and the kinds that its rows
    may be.
    """

    project: Project
    behavior: Behavior
    catalog: Catalog

    @property
    def file(self) -> str:
        """The path of its file within the project."""
        return f"behaviors/{self.behavior.name}.json"

    @cached_property
    def keys(self) -> Mapping[str, Key]:
        """The keys that its rows may use, by name."""
        return self.project.keys_of(self.behavior)

    def at(self, row: Row, message: str, remedy: str = "") -> Problem:
        """A problem of one of its rows."""
        number = self.behavior.outline.number[row.id]
        return Problem(
            self.file, f"{number} '{row.name}'", message, remedy, row.id
        )

    def key_meant(self, value: object, *types: KeyType) -> str:
        """The way out where a text was written that can only be the name of a
        key of one of these types; empty for anything else.
        """
        key = self.keys.get(value) if isinstance(value, str) else None
        if key is None or key.type not in types:
            return ""
        return f'To use the key of that name, write {{"key": "{key.name}"}}.'

    def kind_of(self, row_id: str) -> Kind | None:
        """The kind of a row; None for one that is not known."""
        return self.catalog.get(self.behavior.row(row_id).kind, *ROWS)

    def is_of(self, row_id: str, kind: str) -> bool:
        """Whether a row is of a kind, by the kind's id."""
        return self.behavior.row(row_id).kind == kind

    def states_around(self, row: Row) -> Sequence[str]:
        """The states of the machine that a row belongs to, by id."""
        outline = self.behavior.outline
        machine = next(
            (
                each
                for each in reversed(outline.path(row.id))
                if self.is_of(each, MACHINE)
            ),
            None,
        )
        if machine is None:
            return ()
        if machine not in self._states:
            self._states[machine] = tuple(self._states_of(machine))
        return self._states[machine]

    @cached_property
    def _states(self) -> dict[str, Sequence[str]]:
        """The states of each machine, once they have been looked for."""
        return {}

    def _states_of(self, machine: str) -> Iterator[str]:
        outline = self.behavior.outline
        waiting = [machine]
        while waiting:
            for child in outline.children[waiting.pop()]:
                kind = self.kind_of(child)
                if kind is not None and kind.family is Family.STATE:
                    yield child
                    waiting.append(child)
