"""Type-to-search over the catalog, to add a row, a decorator or an upkeep."""

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache
from typing import Any

from PySide6.QtCore import (
    QEvent,
    QObject,
    QPoint,
    QStringListModel,
    Qt,
    Signal,
)
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QFrame,
    QLabel,
    QLineEdit,
    QListView,
    QVBoxLayout,
    QWidget,
)
from rapidfuzz import fuzz, utils

from umbrant.catalog.kind import RUNS, Catalog, Family, Kind
from umbrant.catalog.recipes.builtin import RECIPES
from umbrant.catalog.recipes.recipe import Recipe
from umbrant.desk.chips.drawing import Brushes
from umbrant.desk.chips.offered import LINE, OfferDelegate, SearchMatch
from umbrant.desk.views.ledger.thesaurus import (
    meanings,
    meanings_begun,
    meanings_first,
    meanings_within,
    stem,
)
from umbrant.model.behaviors import UpkeepMoment

WIDTH, MOST_LINES, MARGIN = 420, 10, 8
EDGES, LEAST_HELP = 58, 48
"""How high the line to type into and the edges are together, and the help at
least.
"""

LEAST_SCORE = 72
ROLES = ("row", "decorator", "upkeep")
MOMENTS = {
    "on entry": UpkeepMoment.ENTRY,
    "on enter": UpkeepMoment.ENTRY,
    "on entering": UpkeepMoment.ENTRY,
    "on leaving": UpkeepMoment.LEAVING,
    "on leave": UpkeepMoment.LEAVING,
    "on exit": UpkeepMoment.LEAVING,
}
"""What is typed for an upkeep that is done once, before what it does or behind
it.
"""


Rank = Callable[[str, Sequence[Any]], tuple[list[Any], str]]
"""What fits a text that was typed, the best first; and what of the text was
left over.
"""


@dataclass(frozen=True)
class Offer:
    """Something the search can add: a kind, as a row, a decorator or an
    upkeep.
    """

    kind: Kind
    role: str
    """'row', 'decorator' or 'upkeep'."""
    at: UpkeepMoment = field(default=UpkeepMoment.EVERY, kw_only=True)
    """When it is done, of an upkeep."""

    @property
    def title(self) -> str:
        """The text by which the offer is listed and searched."""
        return self.kind.title

    @property
    def intents(self) -> Sequence[str]:
        """The words by which it is found besides its title, those that it is
        most of all first.
        """
        return self.kind.intents

    @property
    def searched(self) -> str:
        """All that a search looks through at last."""
        return f"{self.role} {self.title} {self.kind.phrase} {self.kind.help.splitlines()[0]}"

    @property
    def help(self) -> str:
        """What the kind does, and an example."""
        plain = self.kind.example.replace("`", "").replace("*", "")
        example = ""
        if plain:
            example = f"\nExample: {plain}"
        return " ".join(self.kind.help.split()) + example

    @property
    def place(self) -> str:
        """What it becomes: the family of the row, or what is put on the row."""
        if self.at is not UpkeepMoment.EVERY:
            return str(self.at)
        if self.role == "row":
            return str(self.kind.family)
        return self.role

    @property
    def phrase(self) -> str:
        """How it reads, with its parameters by their labels."""
        parts = self.kind.phrase_parts(
            [param.name for param in self.kind.params]
        )
        return " ".join(
            words if param is None else param.label for words, param in parts
        )

    @property
    def label(self) -> str:
        """How it is listed in words."""
        return f"{self.kind.title}, {self.place}: {self.phrase}"


@dataclass(frozen=True)
class RecipeOffer(Offer):
    """Offers a recipe: rows under a word, with their keys. `kind` is that of
    its outermost row.
    """

    recipe: Recipe = RECIPES[0]

    @property
    def title(self) -> str:
        return self.recipe.title

    @property
    def intents(self) -> Sequence[str]:
        return self.recipe.words

    @property
    def searched(self) -> str:
        return f"recipe {self.title} {self.recipe.help}"

    @property
    def help(self) -> str:
        rows = self.recipe.rows
        keys = [each.name for each in self.recipe.keys]
        with_keys = ""
        if keys:
            plural = ""
            if len(keys) > 1:
                plural = "s"
            with_keys = f", with the key{plural} {', '.join(keys)}"
        return f"{self.recipe.help}\n{len(rows)} rows{with_keys}."

    @property
    def place(self) -> str:
        return "recipe"

    @property
    def phrase(self) -> str:
        return self.recipe.help.partition(".")[0]

    @property
    def label(self) -> str:
        return f"{self.title}, recipe: {self.phrase}"


def recipes(catalog: Catalog, holder: Kind | None) -> list[RecipeOffer]:
    """The recipes whose rows may stand in `holder` (None is the top)."""
    if holder is not None:
        families = holder.holds
    else:
        families = RUNS
    found = []
    for recipe in RECIPES:
        kind = catalog.get(recipe.top.row.kind, *families)
        if kind is not None:
            found.append(RecipeOffer(kind, "row", recipe))
    return found


def offers(
    catalog: Catalog, holder: Kind | None, chosen: Kind | None
) -> list[Offer]:
    """What can be added: kinds that may stand in `holder` (None is the top);
    and what can be put on the chosen row.
    """
    if holder is not None:
        families = holder.holds
    else:
        families = RUNS
    parts = [
        kind for kind in catalog.family(*families) if kind.family not in RUNS
    ]
    runs = [kind for kind in catalog.family(*families) if kind.family in RUNS]
    if holder is not None and holder.family in (
        Family.HOOK,
        Family.TRANSITION,
    ):
        runs = [kind for kind in runs if not kind.takes_time]
    found = [Offer(kind, "row") for kind in (*parts, *runs)]
    if chosen is not None and chosen.family in (*RUNS, Family.OPTION):
        found.extend(
            Offer(kind, "decorator")
            for kind in catalog.family(Family.DECORATOR)
        )
    if chosen is not None and chosen.family in (
        *RUNS,
        Family.OPTION,
        Family.STATE,
    ):
        found.extend(
            Offer(kind, "upkeep")
            for kind in catalog.family(Family.ACTION)
            if not kind.takes_time
        )
    return found


def ranked(text: str, found: Sequence[Offer]) -> list[Offer]:
    """The offers that fit what was typed, the best first; all of them in their
    order when nothing was typed.
    """
    if not text.strip():
        return list(found)
    scored = [
        (_score(text, offer), -index, offer)
        for index, offer in enumerate(found)
    ]
    return [
        offer
        for score, _, offer in sorted(
            scored, key=lambda each: each[:2], reverse=True
        )
        if score >= LEAST_SCORE
    ]


def typed(text: str, found: Sequence[Offer]) -> tuple[list[Offer], str]:
    """The offers that fit, and what was typed besides: `move visitor 1.5` is
    *move to* with `visitor 1.5` left.
    """
    once = _at_moment(text, found)
    if once is not None:
        return once
    words = text.split()
    if any(text.strip().lower() in offer.intents for offer in found):
        # Such as `pick up`, which is no *pick* with `up` left over.
        return ranked(text, found), ""
    for count in range(len(words) - 1, 0, -1):
        head = " ".join(words[:count]).lower()
        named = [
            offer
            for offer in found
            if f"{offer.title.lower()} ".startswith(f"{head} ")
        ]
        role = next(
            (each for each in ROLES if words[count].lower() == each), None
        )
        if role is not None:
            named, count = (
                [offer for offer in named if offer.role == role],
                count + 1,
            )
        rest = " ".join(words[count:])
        if named and not any(_begins(offer, text) for offer in found):
            if any(offer.title.lower() == head for offer in named):
                return named, rest
            # Only the first word of a name: who types `go to the door` may
            # mean another row.
            meant = [
                each
                for each in ranked(text, found)
                if _means(text, each.intents)
            ]
            return [
                *meant,
                *(each for each in named if each not in meant),
            ], rest
    return ranked(text, found), ""


def _at_moment(
    text: str, found: Sequence[Offer]
) -> tuple[list[Offer], str] | None:
    """What fits `set mood calm on leaving` or `on leaving set mood calm`:
    upkeep that is done once. None where no such moment is typed, or a row is
    called so that can stand here, as in a state.
    """
    given = " ".join(text.lower().split())
    spoken = next(
        (each for each in MOMENTS if f" {each} " in f" {given} "), None
    )
    if spoken is None or any(_begins(offer, text) for offer in found):
        return None
    before, _, after = f" {' '.join(text.split())} ".partition(f" {spoken} ")
    once = [
        replace(each, at=MOMENTS[spoken])
        for each in found
        if each.role == "upkeep"
    ]
    offered, besides = typed(before or after, once)
    rest = ""
    if before.strip():
        rest = after
    return offered, " ".join(f"{besides} {rest}".split())


def _begins(offer: Offer, text: str) -> bool:
    """Whether the name of an offer begins as typed."""
    return offer.title.lower().startswith(text.strip().lower())


def rest_of(text: str, offer: Offer) -> str:
    """What stands behind the words by which an offer is meant: `to the gate`
    of `go to the gate`, which is *move to*; empty where they are not at its
    beginning.
    """
    words = text.split()
    meant = {stem(each) for each in (offer.title.lower(), *offer.intents)}
    for count in range(len(words), 0, -1):
        said = " ".join(words[:count]).lower()
        if not meant.isdisjoint(
            stem(each) for each in (said, *meanings(said))
        ):
            return " ".join(words[count:])
    return ""


def _score(text: str, offer: Offer) -> float:
    typed = text.strip().lower()
    title = offer.title.lower()
    if title.startswith(typed):
        return 200 - len(title)
    intent = _intent_score(typed, (*offer.intents, title))
    if intent:
        return intent
    if typed in f"{title} {offer.role}":
        return 120
    return max(
        fuzz.ratio(typed, title),
        fuzz.partial_ratio(
            typed, offer.searched, processor=utils.default_process
        )
        * 0.9,
    )


def _intent_score(typed: str, intents: Sequence[str]) -> float:
    """How well what was typed fits what a kind is for; 0 if it does not. The
    words that come first are what it is for most of all.
    """
    meant = _meant(typed)
    fits = ((meant.fit(intent), place) for place, intent in enumerate(intents))
    return max((fit - place * 0.3 for fit, place in fits if fit), default=0.0)


@dataclass(frozen=True)
class _Meant:
    """What was typed, with its words and those that they stand for."""

    typed: str
    stem: str
    stems: frozenset[str]
    meanings: frozenset[str]
    first: frozenset[str]
    """What it begins with: in a sentence that is what is to be done."""
    within: frozenset[str]
    begun: frozenset[str]

    def fit(self, intent: str) -> float:
        """How well it fits a word that a kind is for. What was typed itself
        comes before what means the same, and all of it before a part of it.
        """
        word = stem(intent)
        if self.typed == intent or self.stem == word:
            return 160
        if " " in intent and f" {intent} " in f" {self.typed} ":
            return 155
        if intent in self.meanings:
            return 150
        if intent in self.first:
            return 145
        if word in self.stems or (
            len(self.typed) > 2 and intent.startswith(self.typed)
        ):
            return 140
        if intent in self.within:
            return 135
        if intent in self.begun:
            return 110
        return 0


@lru_cache(maxsize=256)
def _meant(typed: str) -> _Meant:
    if len(typed) > 3:
        begun = meanings_begun(typed)
    else:
        begun = ()
    if typed:
        firsts = (typed.split()[0], *meanings_first(typed))
    else:
        firsts = ()
    return _Meant(
        typed,
        stem(typed),
        frozenset(stem(word) for word in typed.split()),
        frozenset(meanings(typed)),
        frozenset(firsts),
        frozenset(meanings_within(typed)),
        frozenset(begun),
    )


def _last_word(text: str) -> str:
    found = re.search(r"\w+$", text)
    if found:
        return found.group()
    return ""


def _means(text: str, intents: Sequence[str]) -> bool:
    return _intent_score(text.strip().lower(), intents) > 0


class SearchPopup(QFrame):
    """A line to type into, what fits it below, and what the chosen one does."""

    chosen = Signal(object)
    """An `Offer`."""
    considered = Signal(object)
    """The offer that is selected, None if there is none."""
    closed = Signal()

    def __init__(
        self,
        parent: QWidget,
        brushes: Brushes,
        rank: Rank = typed,
        *,
        name: str = "Add a row",
        hint: str = "Type to search the nodes",
        nothing: str = (
            "Nothing fits. Try a word for what the NPC should do: go, wait, look, say, check."
        ),
    ) -> None:
        super().__init__(parent)
        self._area = parent
        self._rank = rank
        self._nothing = nothing
        self.setObjectName("search")
        self._offers: list[Any] = []
        self._at = QPoint()
        self._shown: list[Any] = []
        self._names: tuple[str, ...] = ()
        self.reason = ""
        """Why nothing fits what was typed, where the ranking can tell."""
        self.besides = ""
        """What was typed after the name of what is offered."""
        self.line = QLineEdit(self)
        self._name, self._hint = name, hint
        self.line.installEventFilter(self)
        self.list = QListView(self)
        self.list.setAccessibleName("What was found")
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.setModel(QStringListModel(self))
        self.list.setItemDelegate(
            OfferDelegate(brushes, self.offer_at, self.list)
        )
        self.list.setHorizontalScrollBarPolicy(
            Qt.ScrollBarPolicy.ScrollBarAlwaysOff
        )
        self.help = QLabel(self)
        self.help.setObjectName("dim")
        self.help.setWordWrap(True)
        self.help.setMinimumHeight(LEAST_HELP)
        self.help.setAlignment(Qt.AlignmentFlag.AlignTop)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(MARGIN, MARGIN, MARGIN, MARGIN)
        layout.setSpacing(6)
        for widget in (self.line, self.list, self.help):
            layout.addWidget(widget)
        self.line.textChanged.connect(self._search)
        self.list.selectionModel().currentChanged.connect(self._explain)
        self.list.clicked.connect(lambda _: self._choose())
        self.hide()

    def open(
        self,
        found: Sequence[SearchMatch],
        at: QPoint,
        *,
        name: str = "",
        hint: str = "",
        names: Sequence[str] = (),
    ) -> None:
        """Open it in its parent at a place, with these offers; with another
        name and hint than it was made with, where it is to be used for
        something else. Tab completes any of `names`, the first that begins as
        typed.
        """
        self._names = tuple(names)
        self.setAccessibleName(name or self._name)
        self.line.setPlaceholderText(hint or self._hint)
        self.line.setAccessibleName(hint or self._hint)
        self._offers = list(found)
        self._at = at
        self.line.clear()
        self._search("")
        self.show()
        self.raise_()
        self.line.setFocus()

    def offer_at(self, index: int) -> SearchMatch | None:
        """The offer in a line of the list."""
        return self._shown[index] if 0 <= index < len(self._shown) else None

    def dismiss(self) -> None:
        """Close it with nothing chosen."""
        if self.isVisible():
            self.hide()
            self.closed.emit()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if (
            isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.KeyPress
            and self._key(event)
        ):
            return True
        if event.type() == QEvent.Type.FocusOut and watched is self.line:
            self.dismiss()
        return super().eventFilter(watched, event)

    def _key(self, event: QKeyEvent) -> bool:
        steps = {
            Qt.Key.Key_Down: 1,
            Qt.Key.Key_Up: -1,
            Qt.Key.Key_PageDown: 8,
            Qt.Key.Key_PageUp: -8,
        }
        if event.key() in steps:
            self._select(
                self.list.currentIndex().row() + steps[Qt.Key(event.key())]
            )
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._choose()
        elif event.key() == Qt.Key.Key_Escape:
            self.dismiss()
        elif (
            event.key() == Qt.Key.Key_Tab
            and not event.modifiers()
            and self.completion
        ):
            typed = self.line.text()
            self.line.setText(
                typed[: len(typed) - len(_last_word(typed))] + self.completion
            )
        else:
            return False
        return True

    @property
    def completion(self) -> str:
        """The name that Tab writes in place of the last word; none while the
        first is typed, which says what is searched for.
        """
        text = self.line.text()
        word = _last_word(text)
        if (
            not word
            or word == text.strip()
            or self.line.cursorPosition() < len(text)
        ):
            return ""
        begun = (
            each
            for each in self._names
            if each.lower().startswith(word.lower())
        )
        found = next(begun, "")
        if found == word:
            return ""
        return found

    def _search(self, text: str) -> None:
        self.reason = ""
        self._shown, self.besides = self._rank(text, self._offers)
        model = self.list.model()
        assert isinstance(model, QStringListModel)  # noqa: S101  (set above)
        model.setStringList([offer.label for offer in self._shown])
        self._select(0)
        self._move_to_view()
        if not self._shown:
            self._say(self.reason or self._nothing)

    def _move_to_view(self) -> None:
        """As high as what was found needs, inside the parent."""
        area = self._area.rect()
        wide = min(WIDTH, area.width() - 8)
        margins = self.contentsMargins()
        inside = wide - 2 * MARGIN - margins.left() - margins.right()
        around = EDGES + max(LEAST_HELP, self.help.heightForWidth(inside))
        listed = LINE * max(1, min(MOST_LINES, len(self._shown))) + 4
        self.list.setFixedHeight(
            min(listed, max(LINE, area.height() - around))
        )
        high = self.list.height() + around
        left = max(4, min(self._at.x(), area.width() - wide - 4))
        if self._at.y() + high <= area.height():
            top = self._at.y()
        else:
            top = max(4, area.height() - high - 4)
        self.setGeometry(left, top, wide, high)

    def _select(self, index: int) -> None:
        if self._shown:
            index = max(0, min(len(self._shown) - 1, index))
            self.list.setCurrentIndex(self.list.model().index(index, 0))
            self._explain()

    def _explain(self, *_: object) -> None:
        offer = self.offer_at(self.list.currentIndex().row())
        self.considered.emit(offer)
        if offer is not None:
            self._say(offer.help)
            # Some help is longer than other, and none may stand on the list.
            self._move_to_view()

    def _say(self, text: str) -> None:
        if self.completion:
            words = f"{text}\nTab: {self.completion}"
        else:
            words = text
        self.help.setText(words)

    def _choose(self) -> None:
        offer = self.offer_at(self.list.currentIndex().row())
        if offer is not None:
            self.hide()
            self.chosen.emit(offer)
