"""Rows that are typed as a sentence: `wait 2 to 4 s, then look about`. Knows nothing of Qt."""

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

from umbrant.catalog.declare import RUNS, Family, Kind
from umbrant.desk.chips.filling import Filling
from umbrant.desk.views.ledger.search import Offer, rest_of, typed
from umbrant.model.behaviors import Behavior, Row
from umbrant.model.documents import Project
from umbrant.model.edits import fresh_id, insert_row

_BETWEEN = re.compile(r"\s*(?:;|,?\s+(?:and\s+)?then\s)\s*")
"""What parts the rows of a sentence."""
IN_ORDER = "sequence"
"""The kind of row that does its children one after the other."""

Fill = Callable[[Kind, str], Filling]
"""What a text gives to the parameters of a kind, where the rows are to stand."""


@dataclass(frozen=True)
class SaidRow:
    """One row of a sentence: its kind, and what it is filled with."""

    kind: Kind
    filling: Filling


@dataclass(frozen=True)
class SentenceOffer(Offer):
    """Offers the rows of a sentence, one after the other. `kind` is that of the first."""

    rows: tuple[SaidRow, ...] = field(default_factory=tuple)

    @property
    def title(self) -> str:
        return ", then ".join(each.kind.title for each in self.rows)

    @property
    def place(self) -> str:
        return f"{len(self.rows)} rows"

    @property
    def phrase(self) -> str:
        return "one after the other"

    @property
    def help(self) -> str:
        return "Adds these rows, each of which begins once the one before has succeeded."

    @property
    def left(self) -> list[str]:
        """The words that fit nothing."""
        return [word for each in self.rows for word in each.filling.left]


def said_rows(text: str, found: Sequence[Offer], fill: Fill) -> SentenceOffer | None:
    """The rows that a sentence of two or more parts asks for; None if it is no such sentence."""
    parts = [part for part in _BETWEEN.split(text) if part.strip()]
    rows = [offer for offer in found if offer.role == "row" and offer.kind.family in RUNS]
    if len(parts) < 2 or not rows:
        return None
    said: list[SaidRow] = []
    for part in parts:
        listed, rest = typed(part, rows)
        plain = [offer for offer in listed if type(offer) is Offer]
        if not plain:
            return None
        kind = plain[0].kind
        said.append(SaidRow(kind, fill(kind, rest or rest_of(part, plain[0]))))
    return SentenceOffer(said[0].kind, "row", tuple(said))


def insert_said(
    project: Project,
    behavior: Behavior,
    offer: SentenceOffer,
    *,
    after: str | None,
    under: str | None,
    holder: Kind | None,
) -> tuple[Project, str]:
    """The project with the rows of a sentence, and the id of the first.

    They go straight into what does its rows one after the other, else into a sequence of their own.
    """
    name, current = behavior.name, behavior
    in_order = holder is not None and (
        holder.id == IN_ORDER or holder.family not in (Family.COMPOSITE, Family.DECORATOR)
    )
    first = ""
    if not in_order:
        around = Row(id=fresh_id(current), kind=IN_ORDER, name=IN_ORDER.capitalize())
        project = insert_row(project, name, around, after=after, under=under)
        current, after, under = project.behavior(name), None, around.id
    for each in offer.rows:
        title = each.kind.title.capitalize()
        row = Row(id=fresh_id(current), kind=each.kind.id, name=title, args=each.filling.args)
        project = insert_row(project, name, row, after=after, under=under)
        current, after = project.behavior(name), row.id
        first = first or row.id
    return project, first
