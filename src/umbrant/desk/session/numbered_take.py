"""A take among those of a visit, and what is told of it when it comes."""

from dataclasses import dataclass

from umbrant.desk.session.loader import Loaded
from umbrant.model.documents import Project
from umbrant.take.reader import Take

MOST_NOTICED = 3
"""How many of the things that could not be done are told at once; a large cast
can have many.
"""


@dataclass(frozen=True)
class NumberedTake:
    """A take of this visit. `label` is how it is listed."""

    number: int
    loaded: Loaded
    label: str
    project: Project
    """The project it was made from; of a branch, that of its parent."""
    parent: int | None = None
    """Of a branch the number of the take that it branches off."""
    against: str = ""
    """What the take is called that it is compared with; empty for none."""

    @property
    def is_finished(self) -> bool:
        """Whether it is a take to go back to, rather than a look at one that
        is still played.
        """
        return self.number > 0

    @property
    def title(self) -> str:
        """What it is called in a sentence."""
        return f"Take {self.number}"

    @property
    def branched_at(self) -> int | None:
        """Of a branch the tick at which it leaves its parent."""
        return self.loaded.take.header.branched_at


def noticed_in(take: Take) -> str:
    """What of the scenario could not be done as written, in one sentence;
    empty if all could.
    """
    of_scenario = [
        f"{what}: {''.join(text for _, text in cause.parts())}"
        for _, what, cause in take.notices
    ]
    found = [
        f"{name}: {what}: {''.join(text for _, text in cause.parts())}"
        for name, record in take.agents.items()
        for _, what, cause in record.notices
    ]
    found = [*of_scenario, *found]
    more = ""
    if len(found) > MOST_NOTICED:
        more = f" And {len(found) - MOST_NOTICED} more like these."
    if found:
        return ". ".join(found[:MOST_NOTICED]) + "." + more
    return ""
