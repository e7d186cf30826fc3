"""A whole project as the review reads it."""

from functools import cached_property

from umbrant.catalog.kind import Catalog
from umbrant.catalog.language.tree import (
    ConditionTree,
    KeyTerm,
    TextTerm,
    tree_of,
)
from umbrant.catalog.references import key_references, keys_in, walk
from umbrant.model.behaviors import Sharing
from umbrant.model.documents import Project
from umbrant.model.expanded import resolve_variant
from umbrant.model.staging import SetKey
from umbrant.model.values import KeyType
from umbrant.review.behavior_analysis import BehaviorAnalysis
from umbrant.review.value_ranges import KnownKeys


class ProjectAnalysis:
    """All behaviors of a project."""

    def __init__(self, project: Project, catalog: Catalog) -> None:
        self.project = project
        self.catalog = catalog

    @cached_property
    def readings(self) -> list[BehaviorAnalysis]:
        """The analysis of each behavior, with variants resolved; variants come
        last.
        """
        found = [
            BehaviorAnalysis(self.project, self.catalog, each.name, self.known)
            for each in self.project.behaviors
        ]
        return sorted(
            found, key=lambda each: each.behavior.variant_of is not None
        )

    @cached_property
    def known(self) -> KnownKeys:
        """The keys that have one value throughout, for nothing writes them,
        and those with a formula. Keys that are shared do not count: a game or
        an author may set them. Nor does a name with several meanings on
        several blackboards.
        """
        written = self._written
        found: dict[str, float | ConditionTree | None] = {}
        for board in self.project.blackboards:
            for key in board.keys:
                formula = None
                if key.formula:
                    formula = tree_of(key.formula)
                value: float | ConditionTree | None = formula
                is_own = (
                    key.type is KeyType.NUMBER and key.scope is Sharing.OWN
                )
                if is_own and key.name not in written and not key.formula:
                    value = None
                    if isinstance(key.default, int | float):
                        value = float(key.default)
                same = key.name not in found or found[key.name] == value
                if same:
                    found[key.name] = value
                else:
                    found[key.name] = None
        return {
            name: value for name, value in found.items() if value is not None
        }

    @cached_property
    def _written(self) -> set[str]:
        """The names of keys that a row, a cue, the cast or a bind may give a
        value.
        """
        written: set[str] = set()
        for behavior in self.project.behaviors:
            for row in resolve_variant(self.project, behavior.name).rows:
                written.update(
                    key_references(row, self.catalog).writes, row.binds
                )
        for scenario in self.project.scenarios:
            written.update(
                cue.does.sets
                for cue in scenario.cues
                if isinstance(cue.does, SetKey)
            )
            written.update(
                key for member in scenario.cast for key in member.keys
            )
        return written

    def named_in(self, text: str) -> set[str]:
        """The keys that a condition or formula names; none where it cannot be
        read.
        """
        tree = tree_of(text)
        if tree is not None:
            return keys_in(tree)
        return set()

    def words_in(self, trees: object) -> list[str]:
        """The texts and the bare names in parts of a condition."""
        found = []
        for each in walk(tuple(trees) if isinstance(trees, list) else trees):
            if isinstance(each, TextTerm):
                found.append(each.value)
            elif isinstance(each, KeyTerm):
                found.append(each.key)
        return found
