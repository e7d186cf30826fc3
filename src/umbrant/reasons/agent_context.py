"""One agent of a take, with the behavior it ran: what every answer about it is
read from.
"""

from collections.abc import Mapping, Sequence
from functools import cached_property

from umbrant.catalog.kind import ROWS, Catalog, ChildOrder, Family, Kind
from umbrant.catalog.params import ParamType
from umbrant.catalog.references import param_uses
from umbrant.model.behaviors import Behavior, Decorator, Row, Upkeep
from umbrant.model.kind_ids import CLEAR, MACHINE
from umbrant.model.parts import GUARD, ROW, part_index
from umbrant.model.values import KeyRef
from umbrant.project_nodes import project_catalog
from umbrant.reasons.condition_report import (
    ConditionReport,
    YesHistory,
    condition_report,
)
from umbrant.reasons.key_writers import KeyWriters, WritePlace
from umbrant.reasons.sentences import RowNames
from umbrant.take.reader import Take
from umbrant.take.record import RowState


class AgentContext:
    """One agent of a take. Raises KeyError if the take has no such agent.

    Everything is read from the take: its record and the documents it was made
    from.
    """

    def __init__(
        self, take: Take, agent: str, catalog: Catalog | None = None
    ) -> None:
        self.take = take
        self.header = take.header
        self.record = take.agents[agent]
        self.member = take.header.played.member(agent)
        self.expanded = (
            take.header.expanded(self.member.behavior)
            if self.member.behavior
            else None
        )
        if self.expanded:
            self.behavior = self.expanded.behavior
        else:
            self.behavior = Behavior(name="none", title="", blackboard="none")
        self.outline = self.behavior.outline
        self.catalog = catalog or project_catalog(take.header.project).catalog
        self.title = self.member.title or agent
        begin = self.member.title
        self.at_start = begin[:1].upper() + begin[1:] or agent
        """The title as a sentence begins with it; a name is written as it is.
        """
        self.names = RowNames(
            self.outline.number,
            {
                row.id: row.name or row.kind.replace("_", " ")
                for row in self.behavior.rows
            },
        )

    def own_id(self, row_id: str, other: str) -> str:
        """The id under which a row runs that a row of the same behavior names
        as `other`.
        """
        path = ""
        if self.expanded:
            path = self.expanded.key_scope(row_id).path
        if path:
            return f"{path}/{other}"
        return other

    def actual_key(self, row_id: str, key: str) -> str:
        """The key that a row means by a name: in a behavior that is used, one
        of its own, or the one that it is bound to.
        """
        if self.expanded:
            return self.expanded.key_scope(row_id).actual.get(key, key)
        return key

    def family(self, row_id: str) -> Family:
        """The family of a row's kind; an unknown kind counts as an action."""
        kind = self.catalog.get(self.behavior.row(row_id).kind, *ROWS)
        if kind:
            return kind.family
        return Family.ACTION

    def order(self, row_id: str) -> ChildOrder:
        """In which order a row goes about the rows nested in it."""
        kind = self.catalog.get(self.behavior.row(row_id).kind, *ROWS)
        if kind:
            return kind.order
        return ChildOrder.WRITTEN

    def composite(self, row_id: str) -> Kind | None:
        """The kind of a row that is a composite."""
        return self.catalog.get(
            self.behavior.row(row_id).kind, Family.COMPOSITE
        )

    def state_of(self, row_id: str, tick: int) -> RowState:
        """What a row was at a tick."""
        return self.record.row(row_id).state_at(tick)

    def guard(self, row_id: str) -> ConditionReport | None:
        """The report on a row's guard; None without a guard, or for one that
        cannot be parsed.
        """
        return self.report_on(row_id, GUARD)

    def report_on(self, row_id: str, part: str) -> ConditionReport | None:
        """The report on the condition of a part of a row; None for a part that
        has none.
        """
        when = self._condition_of(row_id, part)
        if when:
            return self._report(row_id, part, when)
        return None

    def input_report(self, row_id: str) -> ConditionReport | None:
        """The report on the input of a consideration; None of one that cannot
        be parsed.
        """
        text = self.behavior.row(row_id).args.get("input")
        return self._report(row_id, ROW, str(text))

    def _report(
        self, row_id: str, part: str, when: str
    ) -> ConditionReport | None:
        """The report on a condition or a formula of a part of a row."""
        if self.expanded:
            actual = self.expanded.key_scope(row_id).actual
        else:
            actual = {}
        guard = self.behavior.row(row_id).guard
        return condition_report(
            self.header,
            self.record,
            self.names,
            row_id,
            part,
            when,
            self.catalog,
            actual,
            self.writers,
            self._reader(row_id),
            self._yes_history,
            guard.watch if guard is not None and part == GUARD else None,
            self._can_take_over_from(row_id),
            lets_in=part == GUARD or self.family(row_id) is Family.TRANSITION,
        )

    @cached_property
    def _yes_history(self) -> YesHistory:
        return YesHistory(self.record)

    def _reader(self, row_id: str) -> str:
        """The row that does its upkeep no sooner than the conditions of a row
        are asked: of a transition the outermost state around it, for all of
        them are asked before the upkeep of the states.
        """
        machine = self.behavior.innermost(row_id, MACHINE)
        if self.family(row_id) is not Family.TRANSITION or machine is None:
            return row_id
        path = self.outline.path(row_id)
        return path[path.index(machine) + 1]

    def _can_take_over_from(self, row_id: str) -> Sequence[str]:
        """The rows after another, beside it, while which its guard can be
        watched.
        """
        parent = self.outline.parent[row_id]
        kind = self.composite(parent) if parent is not None else None
        if parent is None or kind is None or not kind.allows_take_over:
            return ()
        siblings = self.outline.children[parent]
        return siblings[siblings.index(row_id) + 1 :]

    @cached_property
    def writers(self) -> KeyWriters:
        """Says who wrote the agent's keys."""
        return KeyWriters(
            self.header,
            self.record,
            self.names,
            self.member.name,
            self._write_places,
            self._formulas,
        )

    @cached_property
    def _formulas(self) -> Mapping[str, str]:
        """By key the formulas in which keys stand by the names that the
        agent's own board has for them: not those of a behavior that is used.
        """
        keys = self.header.project.keys_of(self.behavior)
        return {name: key.formula for name, key in keys.items() if key.formula}

    @cached_property
    def sensors(self) -> Mapping[str, Sequence[WritePlace]]:
        """By key the upkeeps that write it."""
        return {
            key: [each for each in places if each[1] != ROW]
            for key, places in self._write_places.items()
        }

    @cached_property
    def _write_places(self) -> Mapping[str, Sequence[WritePlace]]:
        """By key the rows and upkeeps that may give it a value."""
        found: dict[str, list[WritePlace]] = {}
        for row in self.behavior.rows:
            for use in param_uses(row, self.catalog):
                if (
                    use.param.writes
                    and isinstance(use.value, KeyRef)
                    and use.kind.id != CLEAR
                ):
                    key = self.actual_key(row.id, use.value.key)
                    found.setdefault(key, []).append((row.id, use.part))
        return found

    def _condition_of(self, row_id: str, part: str) -> str | None:
        row = self.behavior.row(row_id)
        if part == GUARD:
            if row.guard:
                return row.guard.when
            return None
        family, index = part_index(part)
        if not family:
            return _condition_in(row, self.catalog)
        parts: Sequence[Decorator | Upkeep] = (
            row.decorators if family == "decorator" else row.upkeep
        )
        if index < len(parts):
            return _condition_in(parts[index], self.catalog)
        return None

    def checks(self, row_id: str) -> ConditionReport | None:
        """The report on the condition that a condition row or a transition
        checks; None for other rows.
        """
        return self.report_on(row_id, ROW)


def _condition_in(
    part: Row | Decorator | Upkeep, catalog: Catalog
) -> str | None:
    """The condition that the parameters of a row, a decorator or an upkeep
    hold.
    """
    kind = catalog.get(
        part.kind, Family.CONDITION, Family.TRANSITION, Family.DECORATOR
    )
    for param in kind.params if kind else ():
        if param.type is ParamType.CONDITION:
            when = part.args.get(param.name)
            if isinstance(when, str):
                return when
            return None
    return None
