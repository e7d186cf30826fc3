"""Numbers of a row and of its parts that could be others, with a first guess
from what was measured against them.
"""

from collections.abc import Iterator, Mapping

from umbrant.catalog.causes import COMPARED_FACTS, Cause
from umbrant.catalog.kind import RUNS, Family, Kind
from umbrant.catalog.params import NUMBERS
from umbrant.model.kind_ids import UTILITY
from umbrant.model.parts import part_index
from umbrant.model.values import ParamValue
from umbrant.nearest.candidate import NumberCandidate
from umbrant.nearest.places import ParamNumber
from umbrant.reasons.why import Explainer

ROWS_WITH_NUMBERS = (
    *RUNS,
    Family.TRANSITION,
    Family.OPTION,
    Family.CONSIDERATION,
)
WITHIN = "within"
"""The parameter that says how far away something may be, of kinds whose
causes give the distance alone.
"""


class ParamCandidates:
    """Candidates from the parameters of one agent's rows at a tick."""

    def __init__(self, explainer: Explainer, tick: int) -> None:
        self._subject = explainer
        self._tick = tick
        self._behavior = explainer.member.behavior or ""

    def _last_decided(self, row_id: str) -> int:
        """The tick at which it was decided last whether a row may run: what is
        to be otherwise must be so there.
        """
        subject = self._subject
        if subject.family(row_id) in (Family.OPTION, Family.CONSIDERATION):
            utility = subject.behavior.innermost(row_id, UTILITY)
            if utility is not None:
                return subject.scores(utility).decided_at(self._tick)
        record = subject.record.row(row_id)
        refusal = record.last_refusal(self._tick)
        span = record.last_span(self._tick)
        # Since then it was not asked again, unless it has run.
        if refusal is not None and (span is None or span.start < refusal.end):
            return min(refusal.end, self._tick)
        return self._tick

    def _of_number(
        self,
        row_id: str,
        part: str,
        name: str,
        title: str,
        guess: float | None,
    ) -> Iterator[NumberCandidate]:
        """A number of a row or of a part of it, unless it comes from a key."""
        kind = self._kind_of(row_id, part)
        param = kind.param(name) if kind is not None else None
        if param is None:
            return
        value = self._args_of(row_id, part).get(name, param.default)
        # What comes from a key is changed at the key, which is a candidate of
        # its own.
        if isinstance(value, bool) or not isinstance(value, int | float):
            return
        place = ParamNumber(
            behavior=self._behavior,
            row=row_id,
            part=part,
            param=name,
            default=float(value),
        )
        quantity = param.quantity
        yield NumberCandidate(
            place,
            float(value),
            title,
            quantity.unit,
            quantity.low,
            quantity.high,
            guess,
            quantity.is_count,
            quantity.zero,
        )

    def _args_of(self, row_id: str, part: str) -> Mapping[str, ParamValue]:
        row, (family, index) = (
            self._subject.behavior.row(row_id),
            part_index(part),
        )
        if family == "decorator":
            return row.decorators[index].args
        if family == "upkeep":
            return row.upkeep[index].args
        return row.args

    def _kind_of(self, row_id: str, part: str) -> Kind | None:
        row, (family, index) = (
            self._subject.behavior.row(row_id),
            part_index(part),
        )
        catalog = self._subject.catalog
        if family == "decorator":
            return catalog.get(row.decorators[index].kind, Family.DECORATOR)
        if family == "upkeep":
            return catalog.get(row.upkeep[index].kind, Family.ACTION)
        return catalog.get(row.kind, *ROWS_WITH_NUMBERS)

    def _of_sensors(self, key: str) -> Iterator[NumberCandidate]:
        """The numbers of the upkeeps that were to give a key a value and found
        nothing: what they would have to be by what they found.
        """
        subject = self._subject
        for row_id, part in subject.sensors.get(key, ()):
            refusal = subject.record.row(row_id).last_refusal(self._tick, part)
            kind = self._kind_of(row_id, part)
            if refusal is None or kind is None:
                continue
            title = f"{subject.outline.number[row_id]}’s upkeep"
            for param in kind.params:
                if param.type not in NUMBERS:
                    continue
                guess = measured_against(refusal.cause, kind, param.name)
                # Any other number of it is as good as one of another row.
                if guess is not None:
                    yield from self._of_number(
                        row_id, part, param.name, title, guess
                    )


def measured_against(
    cause: Cause | None, kind: Kind, param: str
) -> float | None:
    """What was found instead of a number of a kind, by a cause that it gave:
    how far away something was, beyond its reach.
    """
    if cause is None:
        return None
    found: object = None
    if param == WITHIN:
        found = cause.facts.get("distance_m")
    for link, name in kind.facts.items():
        of_cause, _, fact = link.partition(".")
        if name == param and of_cause == cause.kind:
            found = cause.facts.get(COMPARED_FACTS.get(fact, ""))
    return float(found) if isinstance(found, int | float) else None
