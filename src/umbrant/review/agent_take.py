"""One agent of a take, as rules look at it."""

from dataclasses import dataclass
from functools import cached_property

from umbrant.catalog.causes import Cause
from umbrant.catalog.kind import Catalog
from umbrant.model.behaviors import Behavior
from umbrant.reasons.decision_changes import (
    LeadingSpan,
    behavior_of,
    leading_spans,
)
from umbrant.reasons.why import Explainer
from umbrant.take.reader import Take
from umbrant.take.record import RowRecord, Span


@dataclass(frozen=True)
class AgentTake:
    """One agent of a take."""

    take: Take
    agent: str
    catalog: Catalog

    @cached_property
    def behavior(self) -> Behavior | None:
        """The behavior that it ran, with all that it used."""
        return behavior_of(self.take, self.agent)

    @cached_property
    def leads(self) -> tuple[tuple[LeadingSpan, ...], ...]:
        """For each branch of the behavior what led it."""
        return leading_spans(self.take, self.agent)

    def record(self, row_id: str) -> RowRecord:
        """The record of a row."""
        return self.take.agents[self.agent].row(row_id)

    @cached_property
    def explainer(self) -> Explainer:
        """Answers questions about the agent."""
        return Explainer(self.take, self.agent, self.catalog)

    def seconds(self, ticks: float) -> float:
        """A number of ticks in seconds."""
        return ticks / self.take.header.ticks_per_s

    def called(self, row_id: str) -> str:
        """A row by its number and name."""
        behavior = self.behavior
        if behavior is None or row_id not in behavior.by_id:
            return row_id
        return f"{behavior.outline.number[row_id]} {behavior.row(row_id).name}".strip()

    def cause_words(self, span: Span) -> str:
        """Why a span ended; empty if that says nothing."""
        if span.cause is not None:
            return self.words(span.cause)
        return ""

    def words(self, cause: Cause) -> str:
        """A cause in words, with rows by their numbers and names."""
        return "".join(
            self._fact_text(name, text) for name, text in cause.parts()
        )

    def _fact_text(self, fact: str, text: str) -> str:
        if fact == "rows":
            return " and ".join(self.called(each) for each in text.split())
        if fact == "row":
            return self.called(text)
        return text
