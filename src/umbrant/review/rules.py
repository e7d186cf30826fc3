"""The rules of the review, by what they look at. Each is declared where it is
checked:

    @behavior_rule("A row that is never tried", why="…", severity=Severity.WARNING)
    def never_tried(analysis: BehaviorAnalysis) -> Iterator[RuleMatch]:

The function's name is the rule's id; it is stored in projects with findings
that were dismissed.
"""

from collections.abc import Callable, Iterator, Mapping
from typing import Generic, TypeVar

from umbrant.review.agent_take import AgentTake
from umbrant.review.behavior_analysis import BehaviorAnalysis
from umbrant.review.findings import Rule, RuleMatch, Severity, Subject
from umbrant.review.project_analysis import ProjectAnalysis

A = TypeVar("A")


class RuleSet(Generic[A]):
    """The rules that look at one kind of subject. Calling it declares one."""

    def __init__(self, subject: Subject) -> None:
        self.subject = subject
        self._rules: dict[
            str, tuple[Rule, Callable[[A], Iterator[RuleMatch]]]
        ] = {}

    def __call__(
        self, title: str, *, why: str, severity: Severity
    ) -> Callable[
        [Callable[[A], Iterator[RuleMatch]]],
        Callable[[A], Iterator[RuleMatch]],
    ]:
        """Declare the decorated function as a rule. Raises ValueError for a
        name that is taken.
        """

        def declare(
            find: Callable[[A], Iterator[RuleMatch]],
        ) -> Callable[[A], Iterator[RuleMatch]]:
            name = find.__name__
            if name in all_rules():
                raise ValueError(f"two rules are called '{name}'")
            about = " ".join((find.__doc__ or "").split())
            self._rules[name] = (
                Rule(name, title, why, severity, self.subject, about),
                find,
            )
            return find

        return declare

    @property
    def rules(self) -> Mapping[str, Rule]:
        """The rules by id, in the order in which they are declared."""
        return {name: rule for name, (rule, _) in self._rules.items()}

    def matches(self, subject: A) -> Iterator[tuple[Rule, RuleMatch]]:
        """What all rules of the set find in a subject."""
        return (
            (rule, match)
            for rule, find in self._rules.values()
            for match in find(subject)
        )


behavior_rule = RuleSet[BehaviorAnalysis](Subject.BEHAVIOR)
project_rule = RuleSet[ProjectAnalysis](Subject.PROJECT)
take_rule = RuleSet[AgentTake](Subject.TAKE)
RULE_SETS = (behavior_rule, project_rule, take_rule)


def all_rules() -> dict[str, Rule]:
    """Every rule of the review, of whatever set, by its id."""
    return {
        name: rule
        for rule_set in RULE_SETS
        for name, rule in rule_set.rules.items()
    }
