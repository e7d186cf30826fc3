"""What a rule of the review is, and what it finds."""

from dataclasses import dataclass, field
from enum import StrEnum

from umbrant.model.edits import Edit


class Severity(StrEnum):
    """How serious a finding is: an error, a warning, or a hint."""

    ERROR = "error"
    """It cannot do what it says."""
    WARNING = "warning"
    """It will hardly do what was meant."""
    HINT = "hint"
    """It could be simpler, or is worth a look."""


class Subject(StrEnum):
    """What a rule looks at."""

    BEHAVIOR = "behavior"
    PROJECT = "project"
    TAKE = "take"


@dataclass(frozen=True)
class RuleMatch:
    """A place where a rule is broken: what the function of a rule yields."""

    message: str
    row_id: str = ""
    file: str = ""
    """The document; empty for the one that is being looked at."""
    about: str = ""
    """What else it is about, a key's or an event's name, so that two findings
    can be told apart.
    """
    fix: Edit | None = None


@dataclass(frozen=True)
class Rule:
    """A rule that the review checks. Its function is kept in a
    `rules.RuleSet`.
    """

    id: str
    title: str
    why: str
    """Why it matters, in one or two sentences."""
    severity: Severity
    subject: Subject
    about: str
    """What it looks for, in one sentence."""


@dataclass(frozen=True)
class Finding:
    """One finding. `row` is the row's number and name."""

    rule: Rule
    file: str
    row_id: str
    row: str
    message: str
    about: str = ""
    fix: Edit | None = field(default=None, compare=False)

    @property
    def key(self) -> str:
        """What stays the same as long as it is the same finding: what a
        dismissal names.
        """
        return " ".join(
            part
            for part in (self.rule.id, self.file, self.row_id, self.about)
            if part
        )

    def __str__(self) -> str:
        place = ": ".join(
            part
            for part in (self.file, f"row {self.row}" if self.row else "")
            if part
        )
        return f"{self.rule.severity}: {place}: {self.message}"

    def as_json(self) -> dict[str, object]:
        """The same, for a program to read."""
        fix = None
        if self.fix:
            fix = self.fix.name
        return {
            "rule": self.rule.id,
            "severity": self.rule.severity.value,
            "file": self.file,
            "row": self.row,
            "row_id": self.row_id,
            "message": self.message,
            "why": self.rule.why,
            "fix": fix,
        }
