"""What a take says of itself: the scenario, the seed, and the documents it was
made from.
"""

from functools import cached_property

from umbrant.model.documents import Project
from umbrant.model.expanded import ExpandedBehavior, expand_behavior
from umbrant.model.folder import parse_project
from umbrant.model.staging import Member, Scenario
from umbrant.model.values import Document

FORMAT = "umbrant take 5"


class Header(Document):
    """Everything besides what happened. With the documents in it a take
    explains itself, whatever becomes of them.
    """

    format: str = FORMAT
    scenario: str
    seed: int
    ticks: int
    """How many ticks it was to last."""
    ticks_per_s: int
    documents: dict[str, str]
    """The project's files: path and text."""
    branched_at: int | None = None
    """Of a branch the tick at which it leaves the take that it branches off.
    """
    counts_only: bool = False
    """Whether nothing is recorded but what a study counts: no conditions, no
    progress, no bodies and no props. Nothing can be explained from such a
    take, so it is played again in full when it is opened.
    """

    @cached_property
    def project(self) -> Project:
        """The project as it was. Raises ProjectError if the documents in the
        take are damaged.
        """
        return parse_project(self.documents)

    @property
    def cast(self) -> tuple[Member, ...]:
        """The cast of the scenario that was played, with each copy as a member
        of its own.
        """
        return self.played.players

    @cached_property
    def _expanded(self) -> dict[str, ExpandedBehavior]:
        return {}

    def expanded(self, behavior: str) -> ExpandedBehavior:
        """A behavior as it ran, with all that it uses. Raises KeyError."""
        if behavior not in self._expanded:
            self._expanded[behavior] = expand_behavior(self.project, behavior)
        return self._expanded[behavior]

    @property
    def played(self) -> Scenario:
        """The scenario that was played."""
        return self.project.scenario(self.scenario)

    def seconds(self, tick: int) -> float:
        """The time of a tick."""
        return tick / self.ticks_per_s

    def tick(self, seconds: float) -> int:
        """The tick at a time, within the take."""
        return max(0, min(self.ticks - 1, round(seconds * self.ticks_per_s)))
