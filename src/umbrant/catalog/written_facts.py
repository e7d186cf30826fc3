"""What of a cause, or of a gauge, stands in the documents: the range that was
too short, the time that was up.

A take does not store it, and its reader fills it in. So a number that is
edited changes nothing in a take before something else comes of it.
"""

from collections.abc import Iterable, Iterator, Mapping
from typing import NamedTuple

from umbrant.catalog.causes import Cause
from umbrant.catalog.kind import RUNS, Catalog, Family, Kind
from umbrant.model.behaviors import Behavior, Row
from umbrant.model.parts import ROW, part_name
from umbrant.model.staging import Body
from umbrant.model.values import ParamValue, Spread

GAUGE = "gauge"
"""Stands for the gauges of a kind where its causes go by their kinds."""


class WrittenFact(NamedTuple):
    """A fact of a cause, or of a gauge, and the number that is written."""

    fact: str
    value: float


WrittenFacts = Mapping[str, WrittenFact]
"""By the kind of the cause, or GAUGE."""

RowFacts = Mapping[tuple[str, str], WrittenFacts]
"""By the id of the row, and the part."""

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


def behavior_facts(behavior: Behavior, catalog: Catalog) -> RowFacts:
    """What stands in the document of a behavior of the causes and gauges of
    its rows.
    """
    found: dict[tuple[str, str], WrittenFacts] = {}
    for row in behavior.rows:
        around = behavior.outline.parent[row.id]
        above = behavior.row(around) if around is not None else None
        for part, facts in _facts_of(row, above, catalog):
            if facts:
                found[row.id, part] = facts
    return found


def _facts_of(
    row: Row, around: Row | None, catalog: Catalog
) -> Iterator[tuple[str, WrittenFacts]]:
    """Those of each part of a row. `around` is the row around it."""
    of_row = _facts(catalog.get(row.kind, *RUNS), row.args)
    wrapped: list[tuple[str, WrittenFact]] = []
    for index, each in enumerate(row.decorators):
        facts = _facts(catalog.get(each.kind, Family.DECORATOR), each.args)
        yield part_name("decorator", index), facts
        wrapped.extend(facts.items())
    of_row.update(_unambiguous(wrapped))
    # A composite also says why a child of its is left or kept out.
    if around is not None:
        of_row.update(_facts(catalog.get(around.kind, *RUNS), around.args))
    # The gauges of a row itself are scores, of which nothing is written.
    of_row.pop(GAUGE, None)
    yield ROW, of_row
    for index, upkeep in enumerate(row.upkeep):
        facts = _facts(catalog.get(upkeep.kind, *RUNS), upkeep.args)
        yield part_name("upkeep", index), facts


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
) -> dict[str, WrittenFact]:
    """Those of one kind whose parameters are given as plain numbers. A default
    does not stand in the document, and may be another one some day.
    """
    found: dict[str, WrittenFact] = {}
    if kind is None:
        return found
    for place, name in kind.facts.items():
        cause_kind, _, fact = place.partition(".")
        value = args.get(name)
        if isinstance(value, Spread) and value.half_width == 0:
            value = value.mean
        if isinstance(value, int | float) and not isinstance(value, bool):
            found[cause_kind] = WrittenFact(fact, float(value))
    return found
