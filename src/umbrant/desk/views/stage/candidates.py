"""What an option scores for each of the group that it is scored for. Knows
nothing of Qt.
"""

from collections.abc import Iterator
from dataclasses import dataclass

from umbrant.desk.views.stage.rings import PlaceOf
from umbrant.model.behaviors import Behavior
from umbrant.model.kind_ids import OPTION, UTILITY
from umbrant.model.parts import candidate_of
from umbrant.model.values import Point
from umbrant.take.record import AgentRecord


@dataclass(frozen=True)
class CandidateMark:
    """One of those that an option is scored for."""

    name: str
    at: Point
    score: str
    is_best: bool
    words: str


def candidates(
    behavior: Behavior,
    row_id: str,
    record: AgentRecord,
    tick: int,
    place_of: PlaceOf,
) -> Iterator[CandidateMark]:
    """The candidates of the option that a row is, or is in; of a utility those
    of its options.
    """
    for option in _options(behavior, row_id):
        row, kept = behavior.row(option), record.row(option)
        best = kept.gauge_at(tick)
        for part, gauges in kept.gauges.items():
            name, gauge = candidate_of(part), gauges.at(tick)
            at = None
            if name is not None:
                at = place_of(name)
            # Without a bonus, not even one of 0, it is no candidate any more.
            if name is None or gauge is None or gauge.of is None or at is None:
                continue
            bonus = ""
            if gauge.of:
                bonus = f" + {gauge.of:.2f}"
            score = f"{gauge.value:.2f}" + bonus
            words = f"{row.name or row.kind} scores {score} for {name}"
            is_best = best is not None and best.about == name
            yield CandidateMark(name, at, score, is_best, words)


def _options(behavior: Behavior, row_id: str) -> Iterator[str]:
    outline = behavior.outline
    for each in reversed(outline.path(row_id)):
        if behavior.row(each).kind == OPTION:
            yield each
            return
    if behavior.row(row_id).kind == UTILITY:
        yield from (
            each
            for each in outline.children[row_id]
            if behavior.row(each).kind == OPTION
        )
