"""Other names in rows and in what is written in them.

Conditions are rewritten as text, word by word, so that an author's spacing
stays.
"""

import re
from collections.abc import Callable, Mapping
from typing import TypeVar

from umbrant.catalog.kind import ROWS, Catalog, Family, Kind
from umbrant.catalog.params import ParamType
from umbrant.model.behaviors import Decorator, Row, Upkeep
from umbrant.model.values import ParamValue

_WORD = re.compile(r'"[^"]*"|\'[^\']*\'|[A-Za-z_][\w.]*(?!\w)(?!\s*\()')
"""A text in quotes, or a word that is not the name of a sense."""


WRITTEN = (ParamType.CONDITION, ParamType.FORMULA)


class TextRenaming:
    """Rewrites conditions and values of rows: names by one function, quoted
    texts by another.
    """

    def __init__(
        self,
        catalog: Catalog,
        word: Callable[[str], str],
        quoted: Callable[[str], str],
    ) -> None:
        self._catalog = catalog
        self._word = word
        self._quoted = quoted

    def text(self, text: str) -> str:
        """A condition or a formula, rewritten."""

        def changed(found: re.Match[str]) -> str:
            literal = found[0]
            if literal[0] in "\"'":
                return literal[0] + self._quoted(literal[1:-1]) + literal[0]
            return self._word(literal)

        return _WORD.sub(changed, text)

    def row(
        self,
        row: Row,
        own: Callable[[ParamValue, ParamType | None], ParamValue],
    ) -> Row:
        """A row with its values rewritten by `own`, and its guard."""
        kind = self._catalog.get(row.kind, *ROWS)
        args, types = _rewritten(row.args, kind, own), _types_of(kind)
        guard = None
        if row.guard:
            guard = row.guard.model_copy(
                update={"when": self.text(row.guard.when)}
            )
        says = any(
            value == row.name and types.get(name) in WRITTEN
            for name, value in row.args.items()
        )
        if says:
            called = self.text(row.name)
        else:
            called = row.name
        return row.model_copy(
            update={
                "args": args,
                "name": called,
                "guard": guard,
                "binds": {
                    name: own(value, None) for name, value in row.binds.items()
                },
                "decorators": tuple(
                    self._part(each, own, Family.DECORATOR)
                    for each in row.decorators
                ),
                "upkeep": tuple(
                    self._part(each, own, Family.ACTION, Family.CONDITION)
                    for each in row.upkeep
                ),
            }
        )

    def _part(
        self,
        part: "RowPart",
        own: Callable[[ParamValue, ParamType | None], ParamValue],
        *families: Family,
    ) -> "RowPart":
        kind = self._catalog.get(part.kind, *families)
        args = _rewritten(part.args, kind, own)
        return part.model_copy(update={"args": args})


RowPart = TypeVar("RowPart", Decorator, Upkeep)


def _rewritten(
    args: Mapping[str, ParamValue],
    kind: Kind | None,
    own: Callable[[ParamValue, ParamType | None], ParamValue],
) -> dict[str, ParamValue]:
    """Arguments rewritten by `own`, which is given the type of each; None
    where the kind or the parameter is unknown.
    """
    types = _types_of(kind)
    return {name: own(value, types.get(name)) for name, value in args.items()}


def _types_of(kind: Kind | None) -> dict[str, ParamType]:
    if kind is None:
        return {}
    return {param.name: param.type for param in kind.params}
