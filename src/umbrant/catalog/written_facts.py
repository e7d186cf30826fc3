"""What of a cause, or of a gauge, stands in the documents: the range that was
too short, the time that was up.

A take does not store it, and its reader fills it in. So a number that is
edited changes nothing in a take before something else comes of it.
"""

from collections.abc import Iterable, Mapping
from typing import NamedTuple

from umbrant.catalog.causes import Cause
from umbrant.catalog.kind import RUNS, Catalog, Family, Kind
from umbrant.model.behaviors import Row
from umbrant.model.parts import ROW, part_name
from umbrant.model.staging import Body
from umbrant.model.values import ParamValue, Spread, Value

GAUGE = "gauge"
"""Stands for the gauges of a kind where its causes go by their kinds."""


class WrittenFact(NamedTuple):
    """A fact of a cause, or of a gauge, and the number that is written."""

    fact: str
    value: float


WrittenFacts = Mapping[str, WrittenFact]
"""By the kind of the cause, or GAUGE."""

NO_FACTS: WrittenFacts = {}


def without_written(cause: Cause, written: WrittenFacts) -> Cause:
    """A cause without the fact that is written as it says."""
    found = written.get(cause.kind)
    if found is None or cause.facts.get(found.fact) != found.value:
        return cause
    facts = {
        name: fact for name, fact in cause.facts.items() if name != found.fact
    }
    return Cause(cause.kind, facts)


def with_written(cause: Cause, written: WrittenFacts) -> Cause:
    """The reverse of `without_written`."""
    found = written.get(cause.kind)
    if found is None or found.fact in cause.facts:
        return cause
    return Cause(cause.kind, {**cause.facts, found.fact: found.value})


def body_facts(body: Body) -> WrittenFacts:
    """What stands in the document of a body of the causes that its senses
    give.
    """
    return {
        "beyond_sight": WrittenFact("range_m", body.sight_m),
        "outside_cone": WrittenFact("cone_deg", body.cone_deg),
    }


def row_facts(
    row: Row, around: Row | None, catalog: Catalog
) -> Mapping[str, WrittenFacts]:
    """What stands in the documents of the causes and gauges of a row, by part.
    `around` is the row around it.
    """
    found: dict[str, WrittenFacts] = {}
    of_row = dict(_facts(catalog.get(row.kind, *RUNS), row.args))
    wrapped: list[tuple[str, WrittenFact]] = []
    for index, each in enumerate(row.decorators):
        facts = dict(
            _facts(catalog.get(each.kind, Family.DECORATOR), each.args)
        )
        if GAUGE in facts:
            found[part_name("decorator", index)] = facts
        wrapped.extend(facts.items())
    of_row.update(_unambiguous(wrapped))
    # A composite also says why a child of its is left or kept out.
    if around is not None:
        of_row.update(_facts(catalog.get(around.kind, *RUNS), around.args))
    of_row.pop(GAUGE, None)
    if of_row:
        found[ROW] = of_row
    for index, upkeep in enumerate(row.upkeep):
        facts = dict(_facts(catalog.get(upkeep.kind, *RUNS), upkeep.args))
        if facts:
            found[part_name("upkeep", index)] = facts
    return found


def _unambiguous(
    facts: Iterable[tuple[str, WrittenFact]],
) -> dict[str, WrittenFact]:
    """Those of the decorators of a row. Of two time limits neither is left
    out: the number shows which of them it was.
    """
    found: dict[str, list[WrittenFact]] = {}
    for kind, fact in facts:
        found.setdefault(kind, []).append(fact)
    return {kind: each[0] for kind, each in found.items() if len(each) == 1}


def _facts(
    kind: Kind | None, args: Mapping[str, ParamValue]
) -> Iterable[tuple[str, WrittenFact]]:
    """Those of one kind whose parameters are given as plain numbers."""
    if kind is None:
        return
    for place, name in kind.facts.items():
        cause_kind, _, fact = place.partition(".")
        param = kind.param(name)
        value: Value | ParamValue | None = args.get(name)
        if value is None and param is not None:
            value = param.default
        if isinstance(value, Spread) and value.half_width == 0:
            value = value.mean
        if isinstance(value, int | float) and not isinstance(value, bool):
            yield cause_kind, WrittenFact(fact, float(value))
