"""The number that matters for a row at a tick, as it stands beside it."""

from umbrant.catalog.language.phrases import unit_of
from umbrant.catalog.language.tree import Compare, Tree, atoms
from umbrant.model.values import number_text
from umbrant.reasons.why import Explainer
from umbrant.take.record import RowState


def now_value(explainer: Explainer, row_id: str, tick: int) -> str:
    """What is left of a running row (`3.1 m`), or the number its guard was refused by (`9.4 m`); else nothing."""
    record = explainer.record.row(row_id)
    state = record.state_at(tick)
    if state is RowState.RUNNING:
        done = record.progress.at(tick)
        span = record.span_at(tick)
        if done is None or done.left is None or span is None or record.progress.index(tick) < 0:
            return ""
        return _amount(done.left, done.unit)
    if state is RowState.REFUSED or state is RowState.STOPPED:
        return _measured(explainer, row_id, tick)
    return ""


def _measured(explainer: Explainer, row_id: str, tick: int) -> str:
    refusal = explainer.record.row(row_id).refusal_at(tick)
    if refusal is not None and refusal.cause.kind == "cooling":
        return _amount(float(str(refusal.cause.facts["until_s"])) - explainer.header.seconds(tick), "s")
    asked = explainer.guard(row_id)
    if asked is None:
        return ""
    for place, atom in enumerate(atoms(asked.tree)):
        found = explainer.record.row(row_id).found_at(asked.part, place, tick)
        if found is not None and not found.truth and isinstance(found.left, float):
            return _amount(found.left, _unit(atom, explainer))
    return ""


def _unit(atom: Tree, explainer: Explainer) -> str:
    if isinstance(atom, Compare):
        return unit_of(atom.left, explainer.catalog) or unit_of(atom.right, explainer.catalog)
    return unit_of(atom, explainer.catalog)


def _amount(number: float, unit: str) -> str:
    digits = 2 if not unit else 1
    return f"{number:.{digits}f} {unit}".rstrip() if number >= 0.05 or digits == 1 else number_text(number)
