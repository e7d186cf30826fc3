"""How a behavior differs from one that an agent runs, so that the agent can go
on with it.
"""

from dataclasses import dataclass

from umbrant.catalog.language.written import ConditionChange
from umbrant.model.expanded import ExpandedBehavior


@dataclass(frozen=True)
class BehaviorChange:
    """How a behavior differs from one that was played before it."""

    expanded: ExpandedBehavior
    """As it is now."""
    rebuilt: tuple[str, ...] = ()
    """The rows that are made anew, with all that is nested in them. None is
    nested in another.
    """
    within: tuple[str, ...] = ()
    """These and all that is nested in them, before or now. None of it may have
    been visited.
    """
    renumbered: tuple[ConditionChange, ...] = ()
    """The conditions that differ in numbers alone."""
