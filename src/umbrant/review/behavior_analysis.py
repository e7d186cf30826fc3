"""A behavior as the review reads it: its rows, what they can come to, what
they use.
"""

from collections.abc import Iterator
from functools import cached_property

from umbrant.catalog.kind import ROWS, RUNS, Catalog, Family, Kind
from umbrant.catalog.language.tree import YesNoTerm, tree_of
from umbrant.catalog.outcomes import EITHER, PossibleOutcomes
from umbrant.catalog.references import (
    KeyReferences,
    key_references,
    keys_in,
    sense_calls_in,
)
from umbrant.model.behaviors import Behavior, Row
from umbrant.model.documents import Project
from umbrant.model.expanded import resolve_variant
from umbrant.model.values import KeyRef, number_text
from umbrant.review.value_ranges import ALWAYS, Case, Cases, KnownKeys, cases


class BehaviorAnalysis:
    """One behavior of a project, with what rules ask of it: which rows take
    part, what they can come to, which keys they use.
    """

    def __init__(
        self,
        project: Project,
        catalog: Catalog,
        behavior: str,
        known: KnownKeys | None = None,
    ) -> None:
        self.project = project
        self.catalog = catalog
        self.name = behavior
        self.behavior: Behavior = resolve_variant(project, behavior)
        self.outline = self.behavior.outline
        self.keys = project.keys_of(self.behavior)
        self._ends: dict[str, PossibleOutcomes] = {}
        self._known = known or {}
        self._cases: dict[str, Cases | None] = {}
        self._children: dict[tuple[str, tuple[Family, ...]], list[Row]] = {}
        self.entered_next: dict[str, tuple[str, ...]] = {}
        """What can be entered from a state, see `machine_shape.reached_from`;
        kept for each.
        """

    @property
    def file(self) -> str:
        """The path of the behavior's file within the project."""
        return f"behaviors/{self.name}.json"

    @property
    def rows(self) -> Iterator[Row]:
        """The rows that take part: not muted, nor in a muted one."""
        return (row for row in self.behavior.rows if row.id in self.live)

    @cached_property
    def live(self) -> frozenset[str]:
        """The ids of the rows that take part."""
        found: set[str] = set()
        for row in self.behavior.rows:
            if not row.muted and (row.under is None or row.under in found):
                found.add(row.id)
        return frozenset(found)

    @cached_property
    def uses(self) -> dict[str, KeyReferences]:
        """The keys that each row uses."""
        return {
            row.id: key_references(row, self.catalog)
            for row in self.behavior.rows
        }

    def kind(self, row: Row) -> Kind | None:
        """The kind of a row; None where it is not known."""
        return self.catalog.get(row.kind, *ROWS)

    def cases(self, when: str) -> Cases | None:
        """The cases in which a condition holds, with the keys that have one
        value. Always, for one that is empty; None for one that cannot be taken
        apart. Kept for each condition.
        """
        if when not in self._cases:
            tree = tree_of(when)
            if tree is not None:
                self._cases[when] = cases(tree, self._known)
            elif when:
                self._cases[when] = None
            else:
                self._cases[when] = ALWAYS
        return self._cases[when]

    def children(self, row_id: str, *families: Family) -> list[Row]:
        """The rows nested in a row that take part and are of these families."""
        if (row_id, families) not in self._children:
            rows = [
                self.behavior.row(each)
                for each in self.outline.children[row_id]
                if each in self.live
            ]
            self._children[row_id, families] = [
                row
                for row in rows
                if (kind := self.kind(row)) is not None
                and kind.family in families
            ]
        return self._children[row_id, families]

    def called(self, row: Row) -> str:
        """A row by its number and its name, for messages."""
        return f"{self.outline.number[row.id]} {row.name or row.kind.replace('_', ' ')}"

    def settled(self, when: str) -> bool | None:
        """What a condition always is; None if that depends, or cannot be told."""
        found = self.cases(when)
        if found is None:
            return None
        if not found:
            return False
        if Case() in found:
            return True
        return None

    def why_settled(self, when: str) -> str:
        """Why a condition is always the same, to go on a sentence with; empty
        if it says so.
        """
        tree = tree_of(when)
        if tree is not None:
            named = sorted(keys_in(tree))
        else:
            named = []
        fixed = [
            f"{key} is always {number_text(value)}"
            for key in named
            if isinstance(value := self._known.get(key), float)
        ]
        asks = tree is not None and (named or sense_calls_in(tree))
        if not fixed and asks and self.settled(when) is False:
            fixed = ["its parts contradict each other"]
        if fixed:
            return f": {' and '.join(fixed)}"
        return ""

    def ends(self, row: Row, from_decorator: int = 0) -> PossibleOutcomes:
        """Whether a row can succeed and whether it can fail, with its
        decorators from one on and its guard. Kept for each row.
        """
        if from_decorator:
            return self._decorated(row, from_decorator)
        if row.id not in self._ends:
            found = self._decorated(row, 0)
            guarded = (
                row.guard is not None
                and self.settled(row.guard.when) is not True
            )
            # A refusal counts as a failure for the row around it.
            gated = guarded or any(
                kind is not None and kind.is_gate
                for kind in (
                    self.catalog.get(each.kind, Family.DECORATOR)
                    for each in row.decorators
                )
            )
            if gated:
                self._ends[row.id] = PossibleOutcomes(found.succeeds, True)
            else:
                self._ends[row.id] = found
        return self._ends[row.id]

    def _decorated(self, row: Row, first: int) -> PossibleOutcomes:
        """What a row can come to with its decorators from `first` on, without
        its guard.
        """
        found = self._undecorated(row)
        for decorator in reversed(row.decorators[first:]):
            kind = self.catalog.get(decorator.kind, Family.DECORATOR)
            if kind is not None:
                found = kind.can_end(decorator.args, [found])
        return found

    def _undecorated(self, row: Row) -> PossibleOutcomes:
        kind = self.kind(row)
        if kind is None or kind.own:
            return EITHER
        if kind.family is Family.ACTION:
            unbound = any(
                isinstance(value, KeyRef) and not _writes(kind, name)
                for name, value in row.args.items()
            )
            ends = kind.can_end(row.args, [])
            return PossibleOutcomes(ends.succeeds, unbound or ends.fails)
        if kind.family is Family.CONDITION:
            said = constant(str(row.args.get("when", "")))
            if said is None:
                return EITHER
            return PossibleOutcomes(said, not said)
        # Of a machine its states are what ends it, of any other composite its
        # children.
        families = (Family.STATE,) if Family.STATE in kind.holds else RUNS
        inside = [self.ends(each) for each in self.children(row.id, *families)]
        return kind.can_end(row.args, inside)


def constant(when: str) -> bool | None:
    """What a condition always is, for it asks nothing: a guard that says
    `yes`. None if that depends.
    """
    tree = tree_of(when)
    if tree is None or keys_in(tree) or sense_calls_in(tree):
        return None
    if isinstance(tree, YesNoTerm):
        return tree.value
    return None


def _writes(kind: Kind, name: str) -> bool:
    param = kind.param(name)
    return param is not None and param.writes
