"""What a finding is, and the list of all sorts of findings. Each sort is declared where it is
looked for.
"""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any

from umbrant.model.edits import Edit


class Severity(StrEnum):
    """How bad it is."""

    ERROR = "error"
    """It cannot do what it says."""
    WARNING = "warning"
    """It will hardly do what was meant."""
    HINT = "hint"
    """It could be simpler, or is worth a look."""


class Subject(StrEnum):
    """What is looked at to find it."""

    BEHAVIOR = "behavior"
    PROJECT = "project"
    TAKE = "take"


@dataclass(frozen=True)
class RuleMatch:
    """Where something was found, and what: what the function of a sort yields."""

    message: str
    row_id: str = ""
    file: str = ""
    """The document; empty for the one that is being looked at."""
    about: str = ""
    """What else it is about, a key's or an event's name, so that two findings can be told apart."""
    fix: Edit | None = None


@dataclass(frozen=True)
class Rule:
    """A sort of finding."""

    id: str
    title: str
    why: str
    weight: Severity
    scope: Subject
    find: Callable[[Any], Iterator[RuleMatch]] = field(compare=False)


@dataclass(frozen=True)
class Finding:
    """One finding. `row` is the row's number and name."""

    sort: Rule
    file: str
    row_id: str
    row: str
    message: str
    about: str = ""
    fix: Edit | None = field(default=None, compare=False)

    @property
    def key(self) -> str:
        """What stays the same as long as it is the same finding: what a dismissal names."""
        return " ".join(part for part in (self.sort.id, self.file, self.row_id, self.about) if part)

    def __str__(self) -> str:
        place = ": ".join(
            part for part in (self.file, f"row {self.row}" if self.row else "") if part
        )
        return f"{self.sort.weight}: {place}: {self.message}"

    def as_json(self) -> dict[str, object]:
        """The same, for a program to read."""
        return {
            "sort": self.sort.id,
            "weight": self.sort.weight.value,
            "file": self.file,
            "row": self.row,
            "row_id": self.row_id,
            "message": self.message,
            "why": self.sort.why,
            "fix": self.fix.name if self.fix else None,
        }


_RULES: dict[str, Rule] = {}
RULES: Mapping[str, Rule] = _RULES
"""All sorts of findings, by id, in the order in which they are declared."""

Find = Callable[[Any], Iterator[RuleMatch]]


def rule(
    title: str, *, why: str, weight: Severity, scope: Subject = Subject.BEHAVIOR
) -> Callable[[Find], Find]:
    """Declare a sort of finding: a function that yields where it was found. Its name is the sort's
    id.
    """

    def declare(find: Find) -> Find:
        name = getattr(find, "__name__", "")
        if name in _RULES:
            raise ValueError(f"two sorts of findings are called '{name}'")
        _RULES[name] = Rule(name, title, why, weight, scope, find)
        return find

    return declare
