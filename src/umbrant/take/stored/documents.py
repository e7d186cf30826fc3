"""The documents of a take, as far as what is written in them is not recorded:
the numbers of conditions, and those that causes and gauges name.
"""

from collections.abc import Mapping

from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.language.tree import LanguageError, parse
from umbrant.catalog.language.written import WrittenPart, written_parts
from umbrant.catalog.references import conditions_by_part
from umbrant.catalog.written_facts import (
    NO_FACTS,
    RowFacts,
    WrittenFacts,
    behavior_facts,
    body_facts,
)
from umbrant.model.behaviors import Row
from umbrant.take.header import Header

WrittenParts = tuple[WrittenPart, ...]


class WrittenNumbers:
    """What is written of what a take's agents did. Each row of a behavior is
    read once.
    """

    # Nodes of the project's own are not known here, and need not be: none
    # takes a condition, and their causes say what their code says.

    def __init__(self, header: Header) -> None:
        self._header = header
        self._behaviors = {
            member.name: member.behavior for member in header.cast
        }
        self._bodies = {
            member.name: body_facts(member.body) for member in header.cast
        }
        self._conditions: dict[
            tuple[str, str], Mapping[str, WrittenParts]
        ] = {}
        self._facts: dict[str, RowFacts] = {}

    def of_condition(self, agent: str, row_id: str, part: str) -> WrittenParts:
        """What is written in the condition of a part of a row, atom by atom;
        empty where there is none that can be read.
        """
        behavior = self._behaviors.get(agent)
        if behavior is None:
            return ()
        place = behavior, row_id
        if place not in self._conditions:
            found = self._header.expanded(behavior).behavior
            self._conditions[place] = _conditions(found.row(row_id))
        return self._conditions[place].get(part, ())

    def of_row(self, agent: str, row_id: str, part: str) -> WrittenFacts:
        """What is written of the causes and gauges of a part of a row."""
        behavior = self._behaviors.get(agent)
        if behavior is None:
            return NO_FACTS
        if behavior not in self._facts:
            self._facts[behavior] = behavior_facts(
                self._header.expanded(behavior).behavior, BUILTIN
            )
        return self._facts[behavior].get((row_id, part), NO_FACTS)

    def of_body(self, agent: str) -> WrittenFacts:
        """What is written of the causes that an agent's senses give."""
        return self._bodies.get(agent, NO_FACTS)


def _conditions(row: Row) -> Mapping[str, WrittenParts]:
    found = {}
    for part, when in conditions_by_part(row, BUILTIN).items():
        try:
            found[part] = written_parts(parse(when), BUILTIN)
        except LanguageError:
            continue
    return found
