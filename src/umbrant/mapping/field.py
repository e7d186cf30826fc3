"""The field of a decision map: which row would lead over a square of values,
coarse first, then finer where two leads meet.
"""

from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from umbrant.catalog.kind import Catalog
from umbrant.catalog.language.phrases import spoken
from umbrant.catalog.language.tree import LanguageError, atoms, parse
from umbrant.mapping.asking import UNSETTLED, MapAnswer, ValuePair, row_names
from umbrant.mapping.axes import MapAxis, MapSubject
from umbrant.mapping.border_number import BorderNumber, border_number
from umbrant.model.behaviors import Behavior
from umbrant.model.parts import GUARD, ROW
from umbrant.model.values import Document
from umbrant.reasons.decision_changes import behavior_of

STEPS = 64
"""Into how many steps each axis is divided at the finest."""
FIRST, COARSE = 16, 8
"""How many steps lie between the questions of the first picture, and between those that are asked
everywhere: what is smaller than these, and whose border meets none of them, is not found.
"""
FAILS = "|fails"
"""Stands behind a row whose failure makes a border."""
LEAST_SHARE = 0.15
"""How much of where two leads meet a condition must make to be told of beside
another.
"""
GridPlace = tuple[int, int]
"""Steps along the axes, from 0 to STEPS."""


class MapBorder(Document):
    """What makes the border between two leads: the condition that is yes on
    one side and no on the other.
    """

    one: int
    other: int
    """The labels on its sides."""
    row_id: str
    """The row whose condition it is; empty where scores or memory decide."""
    says: str
    at: ValuePair
    """A place on it, in values."""
    number: BorderNumber | None = None
    """The number in the condition that makes it; None where there is no single
    one.
    """


class MapPicture(Document):
    """A decision map as far as it is known."""

    x: str
    y: str
    low: ValuePair
    """The lowest values of x and y."""
    high: ValuePair
    labels: tuple[str, ...] = ()
    """What leads, by number and name of the row."""
    leads: tuple[str, ...] = ()
    """The same by the rows' ids, as an answer's `lead`."""
    grid: tuple[tuple[int, ...], ...] = ()
    """The label at each place: lines from the lowest y up, each from the
    lowest x on.
    """
    here: tuple[float | None, float | None] = (None, None)
    """The inputs in the take at the tick; None for one that it cannot tell."""
    path: tuple[tuple[float, float], ...] = ()
    """The inputs over the whole of the take, where both are known."""
    borders: tuple[MapBorder, ...] = ()
    played: int = 0
    """How many places were asked about."""
    is_final: bool = False

    def row_of(self, label: int) -> str:
        """The row that a label is of, of several the first; empty for none."""
        return self.leads[label].partition(" + ")[0].removesuffix(UNSETTLED)

    def shares(self) -> list[tuple[str, float]]:
        """Each label with its share of the field, the largest first."""
        count = Counter(label for line in self.grid for label in line)
        total = max(1, sum(count.values()))
        found = [
            (self.labels[label], number / total)
            for label, number in count.items()
        ]
        return sorted(found, key=lambda each: -each[1])


@dataclass
class MapField:
    """Asks about places until each border is known to a step."""

    subject: MapSubject
    axes: tuple[MapAxis, MapAxis]
    ask: Callable[[Sequence[ValuePair]], list[MapAnswer]]
    _known: dict[GridPlace, MapAnswer] = field(default_factory=dict)

    def pictures(self) -> Iterator[MapPicture]:
        """The map after each round, the last of which is final."""
        for step in (FIRST, COARSE):
            line = range(0, STEPS + 1, step)
            self._ask(
                [
                    (i, j)
                    for j in line
                    for i in line
                    if (i, j) not in self._known
                ]
            )
            yield self._picture(is_final=False)
        step = COARSE // 2
        while step:
            self._refine(step)
            yield self._picture(is_final=step == 1)
            step //= 2

    def value(self, place: GridPlace) -> ValuePair:
        """The values at a place."""
        x, y = (
            axis.low + (axis.high - axis.low) * at / STEPS
            for axis, at in zip(self.axes, place, strict=True)
        )
        return x, y

    def _ask(self, places: list[GridPlace]) -> None:
        answers = self.ask([self.value(place) for place in places])
        self._known.update(zip(places, answers, strict=True))

    def _refine(self, step: int) -> None:
        """Ask about the places of a finer grid that lie on a border."""
        # What is found moves the border, so its neighbours may lie on it now:
        # until none does.
        while places := list(self._on_borders(step)):
            self._ask(places)

    def _on_borders(self, step: int) -> Iterator[GridPlace]:
        """The places of a grid that were not asked about, around which not all
        lead to the same.
        """
        line = range(0, STEPS + 1, step)
        for j in line:
            for i in line:
                if (i, j) not in self._known and self._differ(i, j, step):
                    yield i, j

    def _differ(self, i: int, j: int, step: int) -> bool:
        around = (
            self._known.get((i + across, j + up))
            for up in (-step, 0, step)
            for across in (-step, 0, step)
        )
        return len({each.lead for each in around if each is not None}) > 1

    def _picture(self, *, is_final: bool) -> MapPicture:
        leads = list(dict.fromkeys(each.lead for each in self._known.values()))
        names = row_names(self._behavior())
        one, other = self.axes
        if is_final:
            borders = tuple(self._borders(leads))
        else:
            borders = ()
        return MapPicture(
            x=one.name,
            y=other.name,
            low=(one.low, other.low),
            high=(one.high, other.high),
            labels=tuple(_label(lead, names) for lead in leads),
            leads=tuple(leads),
            grid=tuple(tuple(line) for line in self._grid(leads).tolist()),
            here=(one.now(self.subject), other.now(self.subject)),
            path=self._path(),
            borders=borders,
            played=len(self._known),
            is_final=is_final,
        )

    def _behavior(self) -> Behavior:
        behavior = behavior_of(self.subject.take, self.subject.agent)
        if behavior is None:
            raise ValueError(f"'{self.subject.agent}' decides nothing")
        return behavior

    def _grid(self, leads: list[str]) -> NDArray[np.int64]:
        """The label of each place: of those that were not asked about that of
        the nearest known.
        """
        # A large library, which nobody is to wait for who needs no map.
        from scipy.ndimage import distance_transform_edt

        grid = np.full((STEPS + 1, STEPS + 1), -1)
        for (i, j), answer in self._known.items():
            grid[j, i] = leads.index(answer.lead)
        nearest = distance_transform_edt(
            grid < 0, return_distances=False, return_indices=True
        )
        filled: NDArray[np.int64] = grid[tuple(nearest)]
        return filled

    def _path(self) -> tuple[tuple[float, float], ...]:
        xs, ys = (axis.over_take(self.subject) for axis in self.axes)
        if xs is None or ys is None:
            return ()
        known = ~(np.isnan(xs) | np.isnan(ys))
        points = np.column_stack((xs[known], ys[known])).round(3)
        # What stands still is one point.
        moved = np.ones(len(points), np.bool_)
        moved[1:] = (points[1:] != points[:-1]).any(axis=1)
        return tuple((x, y) for x, y in points[moved].tolist())

    def _borders(self, leads: list[str]) -> Iterator[MapBorder]:
        """For each two leads that meet the conditions that differ where they
        do, those that do so most often first; none that does so hardly ever.
        """
        met: dict[tuple[str, str], list[tuple[GridPlace, str]]] = {}
        for (i, j), one in self._known.items():
            for near in ((i + 1, j), (i, j + 1)):
                other = self._known.get(near)
                if other is not None and other.lead != one.lead:
                    pair = (one.lead, other.lead)
                    if leads.index(pair[0]) < leads.index(pair[1]):
                        place = pair
                    else:
                        place = pair[::-1]
                    met.setdefault(place, []).append(
                        ((i, j), self._differing(one, other))
                    )
        for (one_lead, other_lead), found in met.items():
            causes = Counter(cause for _, cause in found).most_common()
            seldom = LEAST_SHARE * len(found)
            often = [each for each, count in causes if count >= seldom]
            for cause in often or [causes[0][0]]:
                places = [place for place, each in found if each == cause]
                row_id, says = self._words(cause)
                yield MapBorder(
                    one=leads.index(one_lead),
                    other=leads.index(other_lead),
                    row_id=row_id,
                    says=says,
                    at=self.value(places[len(places) // 2]),
                    number=self._number(cause, places),
                )

    def _number(
        self, atom: str, places: Sequence[GridPlace]
    ) -> BorderNumber | None:
        """The number of an atom that makes a border, if the border runs where
        it says. Something else in the condition may make it: of a sight a wall
        in between.
        """
        if not atom or atom.endswith(FAILS):
            return None
        row_id, part, index = atom.split("|")
        number = border_number(
            self.subject, self.axes, row_id, part, int(index)
        )
        if number is None:
            return None
        axis = self.axes[number.axis or 0]
        near = 2 * (axis.high - axis.low) / STEPS
        away = (
            abs(number.at(self.value(place)) - number.value)
            for place in places
        )
        if min(away) <= near:
            return number
        return None

    def _differing(self, one: MapAnswer, other: MapAnswer) -> str:
        """The first atom, in the order of the rows, that is yes on one side
        and no on the other; where there is none the innermost row that fails
        on one side only, with FAILS.
        """
        number = self._behavior().outline.number
        order = {row_id: place for place, row_id in enumerate(number)}
        both = sorted(atom for atom in one.atoms if atom in other.atoms)
        differing = [
            atom for atom in both if one.atoms[atom] != other.atoms[atom]
        ]
        last = len(order)
        if differing:
            return min(
                differing, key=lambda each: order.get(each.split("|")[0], last)
            )
        failed = (*one.failed, *other.failed)
        fails = (
            each
            for each in failed
            if (each in one.failed) != (each in other.failed)
        )
        return next((f"{each}{FAILS}" for each in fails), "")

    def _words(self, atom: str) -> tuple[str, str]:
        """The row of an atom, and the atom with the row's number, as it is
        read.
        """
        if not atom:
            return "", "scores or memory"
        if atom.endswith(FAILS):
            row_id = atom.removesuffix(FAILS)
            return (
                row_id,
                f"{row_names(self._behavior()).get(row_id, row_id)} fails",
            )
        row_id, part, index = atom.split("|")
        behavior, catalog = self._behavior(), self.subject.catalog
        row = behavior.by_id.get(row_id)
        when = None
        if row is not None:
            written = (
                row.guard.when
                if part == GUARD and row.guard
                else row.args.get("when")
            )
            when = None
            if part in (GUARD, ROW) and isinstance(written, str):
                when = written
        phrase = ""
        if when is not None:
            phrase = _phrase(when, int(index), catalog)
        return (
            row_id,
            f"{row_names(behavior).get(row_id, row_id)}: {phrase}".rstrip(
                ": "
            ),
        )


def _phrase(when: str, index: int, catalog: Catalog) -> str:
    try:
        found = list(atoms(parse(when)))
    except LanguageError:
        return when
    if index < len(found):
        return spoken(found[index], catalog)
    return when


def _label(lead: str, names: dict[str, str]) -> str:
    if lead.endswith(UNSETTLED):
        machine = lead.removesuffix(UNSETTLED)
        return f"{names.get(machine, machine)} does not settle"
    return (
        " + ".join(names.get(each, each) for each in lead.split(" + "))
        or "nothing"
    )
