"""The conditions of a take, as its documents hold them: what is written in
them is not recorded.
"""

from collections.abc import Mapping

from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.language.tree import LanguageError, parse
from umbrant.catalog.language.written import WrittenPart, written_parts
from umbrant.catalog.references import conditions_by_part
from umbrant.take.header import Header

WrittenParts = tuple[WrittenPart, ...]


class WrittenConditions:
    """What is written in the conditions of a take's agents. Each behavior is
    read once.
    """

    # Nodes of the project's own are not known here, and need not be: none
    # takes a condition.

    def __init__(self, header: Header) -> None:
        self._header = header
        self._behaviors = {
            member.name: member.behavior for member in header.cast
        }
        self._rows: dict[tuple[str, str], Mapping[str, WrittenParts]] = {}

    def of(self, agent: str, row_id: str, part: str) -> WrittenParts:
        """What is written in the condition of a part of a row, atom by atom;
        empty where there is none that can be read.
        """
        behavior = self._behaviors.get(agent)
        if behavior is None:
            return ()
        place = behavior, row_id
        if place not in self._rows:
            self._rows[place] = self._read(behavior, row_id)
        return self._rows[place].get(part, ())

    def _read(self, behavior: str, row_id: str) -> Mapping[str, WrittenParts]:
        row = self._header.expanded(behavior).behavior.row(row_id)
        found = {}
        for part, when in conditions_by_part(row, BUILTIN).items():
            try:
                found[part] = written_parts(parse(when), BUILTIN)
            except LanguageError:
                continue
        return found
