"""A whole project as the review reads it."""

from functools import cached_property

from umbrant.catalog.declare import Catalog
from umbrant.catalog.language.tree import KeyTerm, TextTerm
from umbrant.catalog.references import keys_in, walk
from umbrant.model.documents import Project
from umbrant.review.behavior_analysis import BehaviorAnalysis, tree_of


class ProjectAnalysis:
    """All behaviors of a project."""

    def __init__(self, project: Project, catalog: Catalog) -> None:
        self.project = project
        self.catalog = catalog

    @cached_property
    def readings(self) -> list[BehaviorAnalysis]:
        """The analysis of each behavior, with variants resolved; variants come last."""
        found = [
            BehaviorAnalysis(self.project, self.catalog, each.name)
            for each in self.project.behaviors
        ]
        return sorted(found, key=lambda each: each.behavior.variant_of is not None)

    def named_in(self, text: str) -> set[str]:
        """The keys that a condition or formula names; none where it cannot be read."""
        tree = tree_of(text)
        return keys_in(tree) if tree is not None else set()

    def words_in(self, trees: object) -> list[str]:
        """The texts and the bare names in parts of a condition."""
        found = []
        for each in walk(tuple(trees) if isinstance(trees, list) else trees):
            if isinstance(each, TextTerm):
                found.append(each.value)
            elif isinstance(each, KeyTerm):
                found.append(each.key)
        return found
