"""The number that matters for a row at a tick, as it stands beside it in the
column `now`.
"""

from collections.abc import Callable, Mapping

from umbrant.catalog.kind import ROWS, Family, NumberKind
from umbrant.catalog.language.phrases import unit_of
from umbrant.catalog.language.tree import Comparison, ConditionTree, atoms
from umbrant.catalog.protocols import Measured
from umbrant.model.values import number_text
from umbrant.reasons.agent_context import AgentContext
from umbrant.reasons.condition_report import ConditionReport
from umbrant.reasons.row_report import due_s
from umbrant.take.record import RowState


def now_value(subject: AgentContext, row_id: str, tick: int) -> str:
    """The number that matters for a row at a tick, with its unit; empty where
    there is none.

    Which number that is, its kind declares: see NumberKind.
    """
    kind = subject.catalog.get(subject.behavior.row(row_id).kind, *ROWS)
    if kind is not None:
        number = kind.number
    else:
        number = NumberKind.PROGRESS
    return _NUMBERS[number](subject, row_id, tick)


def _progress(subject: AgentContext, row_id: str, tick: int) -> str:
    """What is left of a running row's work; the number that a refused row was
    refused by.
    """
    record = subject.record.row(row_id)
    state = record.state_at(tick)
    if state is RowState.RUNNING:
        done = record.done_at(tick)
        if done is None or done.left is None:
            return ""
        return _amount(done.left, done.unit)
    if state is RowState.REFUSED or state is RowState.STOPPED:
        return _measured(subject, row_id, tick)
    return ""


def _score(subject: AgentContext, row_id: str, tick: int) -> str:
    gauge = subject.record.row(row_id).gauge_at(tick)
    if gauge is None:
        return ""
    # What an unknown input is taken to be worth is no number of its own.
    if gauge.measured is Measured.INPUT and gauge.of is None:
        return "unknown"
    return f"{gauge.value:.2f}"


def _active_for(subject: AgentContext, row_id: str, tick: int) -> str:
    span = subject.record.row(row_id).span_at(tick)
    if span is None or span.end == tick:
        return ""
    return f"{subject.header.seconds(tick - span.start):.1f} s"


def _due_in(subject: AgentContext, row_id: str, tick: int) -> str:
    refusal = subject.record.row(row_id).refusal_at(tick)
    until_s = None
    if refusal is not None:
        until_s = due_s(refusal.cause)
    if until_s is None:
        return ""
    return f"{until_s - subject.header.seconds(tick):.1f} s"


def _condition(subject: AgentContext, row_id: str, tick: int) -> str:
    if subject.record.row(row_id).refusal_at(tick) is None:
        return ""
    return _measured_in(subject, subject.checks(row_id), tick)


def _chosen(subject: AgentContext, row_id: str, tick: int) -> str:
    """The innermost active state of a machine, or the option that a utility is
    at.
    """
    for child in subject.outline.children[row_id]:
        kind = subject.catalog.get(
            subject.behavior.row(child).kind, Family.STATE, Family.OPTION
        )
        if (
            kind is None
            or subject.record.row(child).state_at(tick) is not RowState.RUNNING
        ):
            continue
        inner = ""
        if kind.family is Family.STATE:
            inner = _chosen(subject, child, tick)
        return inner or subject.names.titles[child]
    return ""


_NUMBERS: Mapping[NumberKind, Callable[[AgentContext, str, int], str]] = {
    NumberKind.PROGRESS: _progress,
    NumberKind.SCORE: _score,
    NumberKind.CHOICE: _chosen,
    NumberKind.ACTIVE_FOR: _active_for,
    NumberKind.DUE_IN: _due_in,
    NumberKind.CONDITION: _condition,
}


def _measured(subject: AgentContext, row_id: str, tick: int) -> str:
    refusal = subject.record.row(row_id).refusal_at(tick)
    until_s = None
    if refusal is not None:
        until_s = due_s(refusal.cause)
    if until_s is not None:
        return _amount(until_s - subject.header.seconds(tick), "s")
    return _measured_in(subject, subject.guard(row_id), tick)


def _measured_in(
    subject: AgentContext, condition: ConditionReport | None, tick: int
) -> str:
    """The number that a condition was refused by."""
    if condition is None:
        return ""
    row_id = condition.row_id
    for index, atom in enumerate(atoms(condition.tree)):
        found = subject.record.row(row_id).found_at(
            condition.part, index, tick
        )
        if (
            found is not None
            and not found.truth
            and isinstance(found.left, float)
        ):
            return _amount(found.left, _unit(atom, subject))
    return ""


def _unit(atom: ConditionTree, subject: AgentContext) -> str:
    if isinstance(atom, Comparison):
        return unit_of(atom.left, subject.catalog) or unit_of(
            atom.right, subject.catalog
        )
    return unit_of(atom, subject.catalog)


def _amount(number: float, unit: str) -> str:
    digits = 1
    if not unit:
        digits = 2
    if number >= 0.05 or digits == 1:
        return f"{number:.{digits}f} {unit}".rstrip()
    return number_text(round(number, 2))
