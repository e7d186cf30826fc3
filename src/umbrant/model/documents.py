"""A whole project: its cover and all of its documents."""

from pydantic import Field, field_validator

from umbrant.model.behaviors import (
    Behavior,
    Blackboard,
    EventList,
    Key,
    NodeFile,
    Sharing,
)
from umbrant.model.names import Slug
from umbrant.model.staging import Member, Scenario, Stage
from umbrant.model.values import (
    Document,
    ProjectFile,
    find_named,
    named,
    with_changed,
)

FORMAT = "umbrant project 2"
OLDER_FORMATS = ("umbrant project 1",)
"""The formats that are read as well; saving writes the present one."""


class Dismissal(Document):
    """A finding that the author does not want to see again."""

    finding: str
    """The finding's key."""
    reason: str = ""


class Cover(ProjectFile):
    """What a project says of itself, in `project.json`."""

    format: str = FORMAT
    title: str
    scenario: Slug
    """The scenario that is shown first."""
    node_limit_s: float = Field(default=2.0, gt=0, le=60)
    """How long a node of the project's own may take for one tick before it
    counts as hung; its file as a whole may take five times as long.
    """
    dismissed: tuple[Dismissal, ...] = ()

    @field_validator("format")
    @classmethod
    def _known(cls, found: str) -> str:
        if found not in (FORMAT, *OLDER_FORMATS):
            raise ValueError(
                f"this version reads '{FORMAT}' and older; take a newer one"
            )
        return FORMAT


class Project(Document):
    """A whole project. Documents of each kind stand in the order of their
    names.
    """

    cover: Cover
    behaviors: tuple[Behavior, ...] = ()
    blackboards: tuple[Blackboard, ...] = ()
    stages: tuple[Stage, ...] = ()
    scenarios: tuple[Scenario, ...] = ()
    event_list: EventList = EventList()
    nodes: tuple[NodeFile, ...] = ()

    def behavior(self, name: str) -> Behavior:
        """The behavior with this name; KeyError if there is none."""
        return named(self.behaviors, name)

    def blackboard(self, name: str) -> Blackboard:
        """The blackboard with this name; KeyError if there is none."""
        return named(self.blackboards, name)

    def stage(self, name: str) -> Stage:
        """The stage with this name; KeyError if there is none."""
        return named(self.stages, name)

    def scenario(self, name: str) -> Scenario:
        """The scenario with this name; KeyError if there is none."""
        return named(self.scenarios, name)

    def with_scenario(self, changed: Scenario) -> "Project":
        """The project with this scenario in the place of the one of its name."""
        return self.model_copy(
            update={"scenarios": with_changed(self.scenarios, changed)}
        )

    def find_behavior(self, name: str | None) -> Behavior | None:
        """The behavior with this name; None if there is none."""
        return find_named(self.behaviors, name)

    def find_stage(self, name: str) -> Stage | None:
        """The stage with this name; None if there is none."""
        return find_named(self.stages, name)

    def find_scenario(self, name: str) -> Scenario | None:
        """The scenario with this name; None if there is none."""
        return find_named(self.scenarios, name)

    def stats_of(self, behavior: str | None) -> dict[str, float]:
        """What numbers of a body begin at because of a behavior: its own, and
        those of the behaviors that it is a variant of.
        """
        found: dict[str, float] = {}
        seen = set[str]()
        # Variants may name each other in a circle, which validation reports;
        # the walk must end.
        while behavior is not None and behavior not in seen:
            seen.add(behavior)
            variant = self.find_behavior(behavior)
            if variant is None:
                break
            found = {**variant.stats, **found}
            behavior = variant.variant_of
        return found

    def keys_of(self, behavior: Behavior) -> dict[str, Key]:
        """The keys that a behavior may use, by name; none at all if its
        blackboard is missing.
        """
        return self.keys_on(behavior.blackboard)

    def keys_of_member(self, member: Member) -> dict[str, Key]:
        """The keys that one of a cast has, by name; none for a puppet."""
        behavior = self.find_behavior(member.behavior)
        if behavior:
            return self.keys_of(behavior)
        return {}

    def keys_on(self, blackboard: str) -> dict[str, Key]:
        """The keys of a blackboard and of those it extends, these first; a
        blackboard that is missing has none.
        """
        boards = {board.name: board for board in self.blackboards}
        chain: list[Blackboard] = []
        name: str | None = blackboard
        while name in boards and boards[name] not in chain:
            chain.append(boards[name])
            name = boards[name].extends
        return {
            key_name: key
            for board in reversed(chain)
            for key_name, key in board.by_name.items()
        }

    def world_keys(self) -> dict[str, Key]:
        """The keys that all agents share, by name, of whatever blackboard."""
        return {
            key.name: key
            for board in self.blackboards
            for key in board.keys
            if key.scope is Sharing.WORLD
        }
