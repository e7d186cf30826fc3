"""Rows that are typed together: `wait 2 to 4 s, then look about`, `whenever
can see visitor: follow visitor; say "Stop!"`, `options hunger, thirst, tired`.
Knows nothing of Qt.
"""

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from umbrant.catalog.input_range import input_range
from umbrant.catalog.kind import RUNS, Family, Kind
from umbrant.desk.chips.filling import Filling
from umbrant.desk.chips.values import WATCH_HELP
from umbrant.desk.views.ledger.search import Offer, rest_of, typed
from umbrant.model.behaviors import Behavior, Guard, Key, Row, Watch
from umbrant.model.documents import Project
from umbrant.model.edits import fresh_id, insert_row
from umbrant.model.kind_ids import CONSIDER, OPTION
from umbrant.model.values import ParamValue

_BETWEEN = re.compile(r"\s*(?:;|,?\s+(?:and\s+)?then\s)\s*")
"""What parts the rows of a sentence."""
_NUMBERS = re.compile(r"\s+[\d.].*$")
"""The end of a part from its first number on, which is no part of a name."""
_GUARDED = re.compile(
    r"^(?P<first>[a-z]+)\s+(?P<when>.+?)\s*:\s*(?P<rows>.+)$"
)
FIRST_WORDS = {
    "if": Watch.ON_ENTRY,
    "when": Watch.TAKE_OVER,
    "while": Watch.WHILE_RUNNING,
    "whenever": Watch.THROUGHOUT,
}
"""The words before a condition at the beginning of a sentence, and when it
then is asked.
"""
IN_ORDER = "sequence"
"""The kind of row that does its children one after the other."""

Fill = Callable[[Kind, str], Filling]
"""What a text gives to the parameters of a kind, where the rows are to stand.
"""


@dataclass(frozen=True)
class SaidRow:
    """One row of a sentence: its kind, and what it is filled with."""

    kind: Kind
    filling: Filling


@dataclass(frozen=True)
class SentenceOffer(Offer):
    """Offers the rows of a sentence, one after the other. `kind` is that of
    the first.
    """

    rows: tuple[SaidRow, ...] = field(default_factory=tuple)
    guard: Guard | None = None
    """What all of them are done under."""
    condition: str = ""
    """The guard's condition as it is read."""
    name: str = IN_ORDER.capitalize()
    """What the row around them is called: what is done first."""

    @property
    def title(self) -> str:
        return ", then ".join(each.kind.title for each in self.rows)

    @property
    def place(self) -> str:
        if len(self.rows) > 1:
            return f"{len(self.rows)} rows"
        return "row"

    @property
    def phrase(self) -> str:
        if self.guard is not None:
            return f"if {self.condition}"
        return "one after the other"

    @property
    def help(self) -> str:
        if self.guard is None:
            return "Adds these rows, each of which begins once the one before has succeeded."
        added = "this row"
        if len(self.rows) > 1:
            added = "these rows"
        return f"Adds {added} under a guard that is {WATCH_HELP[self.guard.watch]}."

    @property
    def left(self) -> list[str]:
        """The words that fit nothing."""
        return [word for each in self.rows for word in each.filling.left]


def guard_before(text: str) -> tuple[Guard, str] | None:
    """The guard that a sentence begins with, its condition as it was typed,
    and what is to be done under it; None if it begins with none.
    """
    found = _GUARDED.match(text.strip())
    watch = None
    if found is not None:
        watch = FIRST_WORDS.get(found["first"])
    if found is None or watch is None:
        return None
    return Guard(when=found["when"], watch=watch), found["rows"]


def said_rows(
    text: str, found: Sequence[Offer], fill: Fill, guard: Guard | None = None
) -> SentenceOffer | None:
    """The rows that a sentence of two or more parts asks for, or of one under
    a guard; None if it is no such sentence.
    """
    parts = [part for part in _BETWEEN.split(text) if part.strip()]
    rows = [
        offer
        for offer in found
        if offer.role == "row" and offer.kind.family in RUNS
    ]
    if len(parts) < (1 if guard is not None else 2) or not rows:
        return None
    said: list[SaidRow] = []
    for part in parts:
        listed, rest = typed(part, rows)
        plain = [offer for offer in listed if type(offer) is Offer]
        if not plain:
            return None
        kind = plain[0].kind
        said.append(SaidRow(kind, fill(kind, rest or rest_of(part, plain[0]))))
    name = (
        _NUMBERS.sub("", parts[0]).strip().capitalize()
        or IN_ORDER.capitalize()
    )
    return SentenceOffer(
        said[0].kind, "row", rows=tuple(said), guard=guard, name=name
    )


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

    They go straight into what does its rows one after the other, else into a
    sequence of their own, which has the guard.
    """
    name, current = behavior.name, behavior
    in_order = holder is not None and (
        holder.id == IN_ORDER
        or holder.family not in (Family.COMPOSITE, Family.DECORATOR)
    )
    first, single = "", offer.guard if len(offer.rows) == 1 else None
    if len(offer.rows) > 1 and (offer.guard is not None or not in_order):
        around = Row(
            id=fresh_id(current),
            kind=IN_ORDER,
            name=offer.name,
            guard=offer.guard,
        )
        project = insert_row(project, name, around, after=after, under=under)
        current, after, under = project.behavior(name), None, around.id
    for each in offer.rows:
        title = each.kind.title.capitalize()
        row = Row(
            id=fresh_id(current),
            kind=each.kind.id,
            name=title,
            args=each.filling.args,
            guard=single,
        )
        project = insert_row(project, name, row, after=after, under=under)
        current, after = project.behavior(name), row.id
        first = first or row.id
    return project, first


_OPTIONS = re.compile(r"^options?:?\s+(.+,.+)$")


@dataclass(frozen=True)
class OptionsOffer(Offer):
    """Offers an option for each of several things that are considered: keys,
    or numbers of the body.
    """

    inputs: tuple[tuple[str, dict[str, ParamValue]], ...] = field(
        default_factory=tuple
    )
    """What each option is called, and the arguments of its consideration."""
    left: tuple[str, ...] = ()
    """The names of which there is neither a key nor a number."""

    @property
    def title(self) -> str:
        return f"{len(self.inputs)} options"

    @property
    def place(self) -> str:
        return "options"

    @property
    def phrase(self) -> str:
        return ", ".join(name for name, _ in self.inputs)

    @property
    def help(self) -> str:
        return "Adds an option for each, which is worth the more the higher its number is."


def said_options(
    text: str,
    found: Sequence[Offer],
    keys: Mapping[str, Key],
    numbers: Sequence[str],
) -> OptionsOffer | None:
    """The options that a list such as `options hunger, thirst, tired` asks
    for; None if it is no such list, or no option can stand there. `numbers`
    are those of bodies.
    """
    listed = _OPTIONS.match(text.strip())
    option = next(
        (each for each in found if each.kind.family is Family.OPTION), None
    )
    if listed is None or option is None:
        return None
    names = [each.strip() for each in listed[1].split(",") if each.strip()]
    inputs: list[tuple[str, dict[str, ParamValue]]] = []
    for name in names:
        if name in keys:
            inputs.append((name, {"input": name, **input_range(name, keys)}))
        elif name in numbers:
            inputs.append((name, {"input": f"stat('{name}')"}))
    taken = [name for name, _ in inputs]
    left = tuple(name for name in names if name not in taken)
    if inputs:
        return OptionsOffer(option.kind, "row", tuple(inputs), left)
    return None


def insert_options(
    project: Project,
    behavior: Behavior,
    offer: OptionsOffer,
    *,
    under: str | None,
) -> tuple[Project, str]:
    """The project with the options, each with its consideration, and the id of
    the first.
    """
    name, current, after, first = behavior.name, behavior, None, ""
    for called, args in offer.inputs:
        option = Row(
            id=fresh_id(current),
            kind=OPTION,
            name=called.replace("_", " ").capitalize(),
        )
        project = insert_row(project, name, option, after=after, under=under)
        current = project.behavior(name)
        considered = Row(id=fresh_id(current), kind=CONSIDER, args=args)
        project = insert_row(
            project, name, considered, after=None, under=option.id
        )
        current, after = project.behavior(name), option.id
        first = first or option.id
    return project, first
