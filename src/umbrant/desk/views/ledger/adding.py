"""Adding rows to the ledger: the search is opened at a row, and what is chosen
in it is put there.

A condition that is typed into the search is offered as a *check* row, and as
the guard of the selected row.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QPoint, QTimer
from rapidfuzz import process

from umbrant.catalog.kind import ROWS, RUNS, Family, Kind
from umbrant.catalog.language.phrases import spoken
from umbrant.catalog.language.reading import typed_condition
from umbrant.catalog.language.tree import parse
from umbrant.catalog.params import ParamType
from umbrant.catalog.recipes.recipe import Recipe, insert_recipe
from umbrant.catalog.validation.names import known_names, names_in
from umbrant.desk.chips.filling import WRITTEN, Filling, filling
from umbrant.desk.chips.sentence import NAMELESS
from umbrant.desk.views.ledger.model import OUTLINE
from umbrant.desk.views.ledger.said_rows import (
    FIRST_WORDS,
    OptionsOffer,
    SentenceOffer,
    guard_before,
    insert_options,
    insert_said,
    said_options,
    said_rows,
)
from umbrant.desk.views.ledger.search import (
    ROLES,
    Offer,
    RecipeOffer,
    SearchPopup,
    offers,
    recipes,
    rest_of,
    typed,
)
from umbrant.model.behaviors import Behavior, Guard, Key, Row
from umbrant.model.documents import Project
from umbrant.model.edits import (
    Edit,
    add_decorator,
    add_upkeep,
    declare_key,
    fresh_id,
    insert_row,
    set_guard,
)
from umbrant.model.expanded import written_under
from umbrant.model.parts import GUARD

if TYPE_CHECKING:
    from umbrant.desk.views.ledger.view import LedgerView

GUARDED = (*RUNS, Family.OPTION)
"""The families of rows that can have a guard."""
NEARLY = 80
"""How alike, of 100, two names are where one may be a slip for the other."""
NAMED = (
    ParamType.AGENT,
    ParamType.PLACE,
    ParamType.GROUP,
    ParamType.EVENT,
    ParamType.STAT,
    ParamType.BEHAVIOR,
)
"""Whose names Tab completes in the search."""
CHECK = "check"
"""The kind of a row that asks a condition."""


@dataclass(frozen=True)
class GuardOffer(Offer):
    """Offers a typed condition as the guard of a row, by its number and name."""

    on: str = ""
    when: str = ""
    """The condition, as it is read."""

    @property
    def title(self) -> str:
        return GUARD

    @property
    def place(self) -> str:
        return f"on {self.on}"

    @property
    def phrase(self) -> str:
        return f"if {self.when}"

    @property
    def help(self) -> str:
        return "The row is entered only if the condition holds."


@dataclass(frozen=True)
class NewKeysOffer(Offer):
    """Offers a kind together with the keys that it was typed with and that do
    not exist yet.
    """

    filling: Filling = field(default_factory=lambda: Filling({}))

    @property
    def place(self) -> str:
        names = [key.name for _, key in self.filling.new_keys]
        plural = ""
        if len(names) > 1:
            plural = "s"
        return f"makes the key{plural} {', '.join(names)}"

    @property
    def help(self) -> str:
        made = [f"{key.name}: {key.type}" for _, key in self.filling.new_keys]
        return (
            f"Adds it and makes the keys it is typed with: {', '.join(made)}."
        )


class RowAdding(QObject):
    """Where the next row goes, and how it gets there. Lives in the window's
    thread.
    """

    def __init__(self, ledger: "LedgerView") -> None:
        super().__init__(ledger)
        self._view = ledger
        self._target: tuple[str | None, str | None] = (None, None)
        """After which row the next one stands, and under which."""
        self.search = SearchPopup(
            ledger.viewport(), ledger.brushes, self.ranked
        )
        self.search.chosen.connect(self._chosen)
        self.search.closed.connect(ledger.setFocus)
        self.search.closed.connect(lambda: ledger.desk.considered.emit(None))
        self.search.considered.connect(self._considered)
        self._then: Callable[[Kind], None] | None = None
        """What is done with a kind that is only picked, for rows that are
        there already.
        """
        self._blanks: list[tuple[str, str]] = []
        """The row and the parameter of the blanks that are still to be looked
        at.
        """
        self._is_filling = False
        """Whether a blank is open."""
        ledger.editing.closed.connect(self._closed)

    def _closed(self, kept: bool) -> None:
        """An editor was closed: go on to the next blank, or leave them all."""
        if kept and self._blanks:
            QTimer.singleShot(0, self, self._next_blank)
        elif self._is_filling:
            self._blanks, self._is_filling = [], False
            self._view.leave_chips()

    def open(self, *, behind: bool = False) -> None:
        """Search for a row to add: inside a composite, after any other row; or
        something to put on the row.

        With `behind` the row is added after this one, whatever this one is.
        """
        view = self._view
        view.editing.finish()
        behavior, row = view.ledger.behavior, view.desk.row
        if behavior is None:
            return
        self._then = None
        self._target = self._after_and_under(behavior, row)
        if (
            behind
            and row is not None
            and (around := written_under(behavior, row.id)) is not None
        ):
            self._target = row.id, around
        catalog, holder = view.desk.catalog, self._kind_of(self._target[1])
        row_id = None
        if row:
            row_id = row.id
        rows = offers(catalog, holder, self._kind_of(row_id))
        complete = recipes(catalog, holder)
        # In a behavior in which nothing is done yet, what can be done comes
        # first.
        is_new = len(behavior.rows) < 2
        if is_new:
            found = [*complete, *rows]
        else:
            found = [*rows, *complete]
        self.search.open(found, self._below(row), names=self._names(behavior))

    def _names(self, behavior: Behavior) -> tuple[str, ...]:
        """What can be named in a row: the keys of its behavior, then whom and
        what there is.
        """
        project = self._view.desk.project
        known = known_names(project)
        return (
            *FIRST_WORDS,
            *ROLES,
            *project.keys_of(behavior),
            *(name for param in NAMED for name in known[param]),
            *(kind.title for kind in self._view.desk.catalog.kinds.values()),
        )

    def pick_kind(
        self,
        kinds: Sequence[Kind],
        name: str,
        hint: str,
        then: Callable[[Kind], None],
    ) -> None:
        """Search among some kinds at the selected row, and do something with
        the one chosen.
        """
        self._view.editing.finish()
        self._then = then
        found = [Offer(kind, "row") for kind in kinds]
        self.search.open(
            found, self._below(self._view.desk.row), name=name, hint=hint
        )

    def _below(self, row: Row | None) -> QPoint:
        """Where the search opens for a row: right below it."""
        if row is None:
            return QPoint(20, 1)
        at = self._view.cell(row.id, OUTLINE).bottomLeft()
        return QPoint(int(self._view.layout_of(row).indent_x), int(at.y()) + 1)

    def _considered(self, offer: Offer | None) -> None:
        """Tell the help what would be added."""
        subject = (
            offer.recipe
            if isinstance(offer, RecipeOffer)
            else offer and offer.kind
        )
        self._view.desk.considered.emit(subject)

    def _chosen(self, offer: Offer) -> None:
        self._view.desk.considered.emit(None)
        then, self._then = self._then, None
        if then is None:
            self.add(offer)
        else:
            self._view.setFocus()
            then(offer.kind)

    def ranked(
        self, text: str, found: Sequence[Offer]
    ) -> tuple[list[Offer], str]:
        """The offers that fit what was typed, the best first, and what was
        typed besides. A condition is offered as what can hold it, before all
        others.
        """
        listed, rest = typed(text, found)
        if self._then is not None:
            return listed, rest
        guarded = guard_before(text)
        if guarded is not None:
            return self._guarded_rows(*guarded, found), ""
        if not self._is_condition(text):
            said = said_rows(text, found, self._filling) or self._said_options(
                text, found
            )
            if said is not None:
                return [said, *listed], ""
            if not rest and listed and type(listed[0]) is Offer:
                rest = self._rest_that_fits(text, listed[0])
            return self._with_new_keys(listed, rest), rest
        check = [
            each
            for each in found
            if each.kind.id == CHECK and each.role == "row"
        ]
        if not check:
            return listed, rest
        row, behavior = self._view.desk.row, self._view.ledger.behavior
        row_id = None
        if row:
            row_id = row.id
        kind = self._kind_of(row_id)
        if (
            row is None
            or behavior is None
            or kind is None
            or kind.family not in GUARDED
        ):
            return check, text
        on = f"{behavior.outline.number[row.id]} {row.name}".strip()
        when = self._as_read(self._stored(text))
        return [*check, GuardOffer(check[0].kind, GUARD, on, when)], text

    def _guarded_rows(
        self, guard: Guard, text: str, found: Sequence[Offer]
    ) -> list[Offer]:
        """What a sentence asks for that begins with a condition; where
        nothing, the search says why.
        """
        desk = self._view.desk
        names = names_in(desk.project)
        when, wrong = typed_condition(
            guard.when, desk.keys_at(desk.row_id), desk.catalog, names
        )
        if wrong:
            self.search.reason = (
                f"{guard.when}: {wrong[0].message} {wrong[0].remedy}".strip()
            )
            return []
        said = said_rows(
            text, found, self._filling, Guard(when=when, watch=guard.watch)
        )
        if said is not None:
            return [replace(said, condition=self._as_read(when))]
        return []

    def _as_read(self, when: str) -> str:
        return spoken(parse(when), self._view.desk.catalog)

    def _said_options(
        self, text: str, found: Sequence[Offer]
    ) -> OptionsOffer | None:
        desk = self._view.desk
        numbers = names_in(desk.project)[ParamType.STAT]
        return said_options(text, found, desk.keys_at(desk.row_id), numbers)

    def _filling(self, kind: Kind, text: str) -> Filling:
        """What a text gives to the parameters of a kind at the selected row."""
        desk = self._view.desk
        row_id = ""
        if desk.row:
            row_id = desk.row.id
        found = filling(kind, text, row_id, desk.project, desk.expanded)
        # A condition may have been typed as it is read.
        written = {
            param.name: self._stored(value)
            for param in kind.params
            if param.type in WRITTEN
            and isinstance(value := found.args.get(param.name), str)
            and self._is_condition(value)
        }
        return replace(found, args={**found.args, **written})

    def _rest_that_fits(self, text: str, offer: Offer) -> str:
        """What was typed behind the words by which a kind was found, where all
        of it fills it.
        """
        rest = rest_of(text, offer)
        found = self._filling(offer.kind, rest)
        if found.args and not found.left:
            return rest
        return ""

    def _with_new_keys(self, listed: list[Offer], rest: str) -> list[Offer]:
        """The offers, and before the first one the same with the keys that
        were typed and do not exist; behind it, where such a name is nearly one
        that does.
        """
        if not listed or not rest or isinstance(listed[0], RecipeOffer):
            return listed
        first, desk = listed[0], self._view.desk
        found = self._filling(first.kind, rest)
        if not found.new_keys:
            return listed
        offer = NewKeysOffer(first.kind, first.role, found, at=first.at)
        known = list(desk.keys_at(desk.row_id))
        near = any(
            process.extractOne(key.name, known, score_cutoff=NEARLY)
            for _, key in found.new_keys
        )
        if near:
            return [first, offer, *listed[1:]]
        return [offer, *listed]

    def _is_condition(self, text: str) -> bool:
        """Whether a text reads as a condition, and not only as a single word."""
        desk = self._view.desk
        if len(text.split()) < 2 and "(" not in text:
            return False
        keys = desk.keys_at(desk.row_id)
        return not typed_condition(
            text, keys, desk.catalog, names_in(desk.project)
        )[1]

    def add(self, offer: Offer) -> None:
        """Put in what was chosen, filled with what was typed besides."""
        view, desk = self._view, self._view.desk
        behavior, row = view.ledger.behavior, desk.row
        if behavior is None:
            return
        if isinstance(offer, RecipeOffer):
            self._insert_recipe(behavior, offer.recipe)
            return
        if isinstance(offer, SentenceOffer | OptionsOffer):
            self._insert_said(behavior, offer)
            return
        name, kind, besides = behavior.name, offer.kind, self.search.besides
        found = self._filling(kind, besides)
        args, new_keys = found.args, list[Key]()
        if isinstance(offer, NewKeysOffer):
            args = found.with_new_keys
            new_keys = [key for _, key in found.new_keys]
        elif found.left and offer.role != GUARD:
            desk.message.emit(_left_over(found.left))
        if offer.role == GUARD and row is not None:
            when = self._stored(besides)
            desk.apply(
                Edit(
                    "Set the guard", lambda p: set_guard(p, name, row.id, when)
                )
            )
        elif offer.role == "row":
            new = Row(id=fresh_id(behavior), kind=kind.id, args=args)
            self._insert(behavior, new, kind, new_keys)
        elif row is not None:
            if offer.role == "decorator":
                put = add_decorator
            else:
                put = partial(add_upkeep, at=offer.at)
            board = behavior.blackboard
            edit = Edit(
                f"Add {kind.title}",
                lambda p: put(
                    _with_keys(p, board, new_keys), name, row.id, kind.id, args
                ),
            )
            desk.apply(edit)
        view.setFocus()
        view.begin_missing()

    def _stored(self, text: str) -> str:
        desk = self._view.desk
        names = names_in(desk.project)
        return typed_condition(
            text, desk.keys_at(desk.row_id), desk.catalog, names
        )[0]

    def _insert(
        self, behavior: Behavior, new: Row, kind: Kind, new_keys: Sequence[Key]
    ) -> None:
        view, desk = self._view, self._view.desk
        after, under = self._target
        # What the search was opened at may be gone by now.
        if not {after, under} <= {None, *behavior.by_id}:
            after, under = self._after_and_under(behavior, desk.row)
        if kind.family in NAMELESS:
            called = ""
        else:
            called = kind.title.capitalize()
        named = new.model_copy(update={"name": called})
        edit = Edit(
            f"Add {kind.title}",
            lambda p: insert_row(
                _with_keys(p, behavior.blackboard, new_keys),
                behavior.name,
                named,
                after=after,
                under=under,
            ),
        )
        desk.apply(edit)
        path = (after or under or "").rpartition("/")[0]
        new_id = f"{path}/{new.id}" if path else new.id
        view.ledger.reveal(new_id)
        desk.select_row(new_id)

    def _insert_said(
        self, behavior: Behavior, offer: SentenceOffer | OptionsOffer
    ) -> None:
        """Put the rows of a sentence, or the options of a list, in."""
        view, desk = self._view, self._view.desk
        after, under = self._target
        # Made once: its rows get ids that are drawn, and the edit must be the
        # same if it is redone.
        if isinstance(offer, OptionsOffer):
            made, first = insert_options(
                desk.project, behavior, offer, under=under
            )
        else:
            holder, guard = self._kind_of(under), offer.guard
            if (
                guard is not None
                and guard.watch.take_over
                and desk.row_id == under
            ):
                # What is to take over has to come before what it takes over
                # from.
                after = None
            made, first = insert_said(
                desk.project,
                behavior,
                offer,
                after=after,
                under=under,
                holder=holder,
            )
        desk.apply(Edit(f"Add {offer.title}", lambda _: made))
        if offer.left:
            desk.message.emit(_left_over(offer.left))
        view.ledger.reveal(first)
        desk.select_row(first)
        view.setFocus()
        view.begin_missing()

    def _insert_recipe(self, behavior: Behavior, recipe: Recipe) -> None:
        """Put a recipe in, and open its first blank."""
        view, desk = self._view, self._view.desk
        after, under = self._target
        guard, row = recipe.top.row.guard, desk.row
        if (
            guard is not None
            and guard.watch.take_over
            and row is not None
            and row.id == under
        ):
            # What is to take over has to come before what it takes over from.
            after = None
        # Made once: its rows get ids that are drawn, and the edit must be the
        # same if it is redone.
        made = insert_recipe(
            desk.project,
            behavior.name,
            recipe,
            after=after,
            under=under,
            scenario=desk.scenario_name,
        )
        desk.apply(Edit(f"Add {recipe.title.lower()}", lambda _: made.project))
        view.ledger.reveal(made.top)
        desk.select_row(made.top)
        view.setFocus()
        self._blanks, self._is_filling = list(made.blanks), True
        self._next_blank()

    def _next_blank(self) -> None:
        """Open the next blank of the recipe that was put in, if there is one
        left.
        """
        if not self._blanks:
            return
        row_id, param = self._blanks.pop(0)
        view = self._view
        view.ledger.reveal(row_id)
        view.desk.select_row(row_id)
        found = [
            (chip, rect)
            for chip, rect in view.chips()
            if chip.slot.param == param
        ]
        if found:
            view.focused = found[0][0].key
            view.edit_chip(*found[0])

    def _kind_of(self, row_id: str | None) -> Kind | None:
        behavior = self._view.ledger.behavior
        row = None
        if behavior and row_id:
            row = behavior.by_id.get(row_id)
        if row:
            return self._view.desk.catalog.get(row.kind, *ROWS)
        return None

    def _after_and_under(
        self, behavior: Behavior, row: Row | None
    ) -> tuple[str | None, str | None]:
        if row is None:
            return None, None
        kind = self._kind_of(row.id)
        parent = written_under(behavior, row.id)
        if (
            kind is not None and kind.holds and not _short(kind)
        ) or parent is None:
            children = behavior.outline.children[row.id]
            return (children[-1] if children else None), row.id
        return row.id, parent


def _with_keys(project: Project, board: str, keys: Sequence[Key]) -> Project:
    """The project with more keys on a blackboard."""
    for key in keys:
        project = declare_key(project, board, key)
    return project


def _left_over(words: Sequence[str]) -> str:
    """That words fitted nothing of what was added."""
    listed = ", ".join(f"“{each}”" for each in words)
    fits = "fit"
    if len(words) == 1:
        fits = "fits"
    return f"{listed} {fits} nothing here: there is no key, place or member of the cast like that."


def _short(kind: Kind) -> bool:
    """Whether a kind of row is mostly without rows in it, so that the next one
    is added after it rather than inside.
    """
    return kind.family is Family.TRANSITION
