"""The number that matters for a row at a tick, as it stands beside it."""

from umbrant.catalog.language.phrases import unit_of
from umbrant.catalog.language.tree import Comparison, ConditionTree, atoms
from umbrant.model.values import number_text
from umbrant.reasons.agent_context import AgentContext
from umbrant.reasons.condition_report import ConditionReport
from umbrant.take.record import RowState


def now_value(subject: AgentContext, row_id: str, tick: int) -> str:
    """The value that matters for a row's kind: what is left of it (`3.1 m`), the number its guard
    was refused by, an option's score, what a consideration is worth, the state a machine is in, how
    long a state has been active.
    """
    own = _by_kind(subject, row_id, tick)
    if own is not None:
        return own
    record = subject.record.row(row_id)
    state = record.state_at(tick)
    if state is RowState.RUNNING:
        done = record.done_at(tick)
        span = record.span_at(tick)
        if done is None or done.left is None or span is None:
            return ""
        return _amount(done.left, done.unit)
    if state is RowState.REFUSED or state is RowState.STOPPED:
        return _measured(subject, row_id, tick)
    return ""


def _by_kind(subject: AgentContext, row_id: str, tick: int) -> str | None:
    """The value of a row of a machine or a utility; None for others."""
    record, row = subject.record.row(row_id), subject.behavior.row(row_id)
    span = record.span_at(tick)
    if row.kind in ("option", "consider"):
        gauge = record.gauge_at(tick)
        return "" if gauge is None else f"{gauge.value:.2f}"
    if row.kind in ("machine", "utility"):
        return _chosen(subject, row_id, tick)
    if row.kind in ("state", "regions", "final"):
        return (
            ""
            if span is None or span.end == tick
            else f"{subject.header.seconds(tick - span.start):.1f} s"
        )
    if row.kind == "after":
        refusal = record.refusal_at(tick)
        due = (
            refusal.cause.facts.get("until_s")
            if refusal and refusal.cause.kind == "not_yet"
            else None
        )
        return "" if due is None else f"{float(str(due)) - subject.header.seconds(tick):.1f} s"
    if row.kind in ("when", "on_event", "on_done"):
        return (
            _measured_in(subject, subject.checks(row_id), tick) if record.refusal_at(tick) else ""
        )
    return None


def _chosen(subject: AgentContext, row_id: str, tick: int) -> str:
    """The innermost active state of a machine, or the option a utility is at."""
    for child in subject.outline.children[row_id]:
        kind = subject.behavior.row(child).kind
        running = subject.record.row(child).state_at(tick) is RowState.RUNNING
        if running and kind in ("state", "regions", "option"):
            return (
                "" if kind == "option" else _chosen(subject, child, tick)
            ) or subject.names.titles[child]
    return ""


def _measured(subject: AgentContext, row_id: str, tick: int) -> str:
    refusal = subject.record.row(row_id).refusal_at(tick)
    if refusal is not None and refusal.cause.kind == "cooling":
        return _amount(
            float(str(refusal.cause.facts["until_s"])) - subject.header.seconds(tick), "s"
        )
    return _measured_in(subject, subject.guard(row_id), tick)


def _measured_in(subject: AgentContext, condition: ConditionReport | None, tick: int) -> str:
    """The number that a condition was refused by."""
    if condition is None:
        return ""
    row_id = condition.row_id
    for place, atom in enumerate(atoms(condition.tree)):
        found = subject.record.row(row_id).found_at(condition.part, place, tick)
        if found is not None and not found.truth and isinstance(found.left, float):
            return _amount(found.left, _unit(atom, subject))
    return ""


def _unit(atom: ConditionTree, subject: AgentContext) -> str:
    if isinstance(atom, Comparison):
        return unit_of(atom.left, subject.catalog) or unit_of(atom.right, subject.catalog)
    return unit_of(atom, subject.catalog)


def _amount(number: float, unit: str) -> str:
    digits = 2 if not unit else 1
    return (
        f"{number:.{digits}f} {unit}".rstrip()
        if number >= 0.05 or digits == 1
        else number_text(round(number, 2))
    )
