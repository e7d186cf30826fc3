"""Sentences about documents: what is said of a document, with a chip for each
of its fields. Knows nothing of Qt.
"""

import re
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from umbrant.catalog.params import Quantity
from umbrant.desk.chips.sentence import (
    ChipEditor,
    PieceRole,
    Pill,
    SentencePiece,
)
from umbrant.desk.chips.values import ChipError, Choice, FieldChip
from umbrant.model.behaviors import Key
from umbrant.model.documents import Project
from umbrant.model.parts import ROW, Slot
from umbrant.model.paths import Path, at, put
from umbrant.model.values import Point, number_text, value_text

Put = Callable[[Project, Any], Project]

_POINT = re.compile(
    r"^\s*\(?\s*([-+]?[\d.]+)\s*[,;]\s*([-+]?[\d.]+)\s*\)?\s*$"
)
_POINTS = re.compile(r"\(?\s*([-+]?[\d.]+)\s*[,;]\s*([-+]?[\d.]+)\s*\)?")


@dataclass(frozen=True)
class Addition:
    """Something that can be added where a line stands."""

    title: str
    path: Path
    """The list that it goes into."""
    make: Callable[[Project], Any]
    after: Callable[[Project, Any], Project] = lambda project, item: project
    """What is done to the project once it is in."""

    def add_to(self, project: Project) -> tuple[Project, Path]:
        """The project with it, and the path that leads to it. Documents stand
        in the order of their names.
        """
        item, inside = self.make(project), at(project, self.path)
        if isinstance(inside, Mapping):
            name, value = item
            return put(project, self.path, {**inside, name: value}), (
                *self.path,
                name,
            )
        if len(self.path) == 1:
            items = tuple(sorted((*inside, item), key=lambda each: each.name))
            return self.after(put(project, self.path, items), item), (
                *self.path,
                item.name,
            )
        return put(project, self.path, (*inside, item)), (
            *self.path,
            len(inside),
        )


@dataclass
class SettingLine:
    """One thing of a project, as a sentence. `path` leads to it; a heading's
    leads to the list below it.
    """

    path: Path
    depth: int
    pieces: list[SentencePiece] = field(default_factory=list)
    additions: tuple[Addition, ...] = ()
    help: str = ""
    heading: bool = False
    removable: bool = False
    begins_closed: bool = False
    """Whether what is below it is folded away until it is opened."""

    @property
    def text(self) -> str:
        """The line's sentence as plain text, for search and screen readers."""
        return " ".join(piece.text for piece in self.pieces)


class LineWriter:
    """Writes the sentence of one document, piece by piece."""

    def __init__(self, project: Project, path: Path) -> None:
        self.project = project
        self.path = path
        self.pieces: list[SentencePiece] = []
        self._group = 0

    def words(self, text: str) -> "LineWriter":
        """Add words that cannot be changed."""
        self.pieces.append(SentencePiece(text, PieceRole.WORDS))
        return self

    def kind(self, text: str) -> "LineWriter":
        """What sort of thing it is."""
        self.pieces.append(SentencePiece(text, PieceRole.KIND))
        return self

    def title(self, text: str) -> "LineWriter":
        """A name that cannot be changed here."""
        self.pieces.append(SentencePiece(text, PieceRole.NAME))
        return self

    def name(
        self, name: str, label: str, *, put: Put | None = None, help: str = ""
    ) -> "LineWriter":
        """The name of the thing, typed over."""
        chip = self._chip(name, ChipEditor.NAME, label, put=put, help=help)
        self.pieces.append(
            SentencePiece(
                str(chip.value) or "unnamed",
                PieceRole.NAME,
                chip=replace(chip, value=str(chip.value)),
            )
        )
        return self

    def entry_name(self, label: str, put: Put) -> "LineWriter":
        """The name of an entry of a mapping, which is the end of the path;
        typed over.
        """
        name = str(self.path[-1])
        slot = Slot("/".join(str(step) for step in self.path[:-1]), ROW, name)
        chip = FieldChip(slot, ChipEditor.NAME, name, label, put=put)
        self.pieces.append(SentencePiece(name, PieceRole.NAME, chip=chip))
        return self

    def number(
        self,
        name: str,
        label: str,
        quantity: Quantity = Quantity(),  # noqa: B008  (frozen, so it may be shared)
        *,
        empty: str = "",
        is_integer: bool = False,
        help: str = "",
    ) -> "LineWriter":
        """A number; with `empty` it may also be none, which is shown so."""

        def read(text: str) -> float | None:
            if empty and text.strip() in ("", empty):
                return None
            found = re.match(
                r"^\s*([-+]?(?:\d+\.?\d*|\.\d+))\s*[a-z°/%]*\s*$", text
            )
            if not found:
                raise ChipError(
                    f"'{text}' is no number; write a number such as 2.5."
                )
            return float(found[1])

        def put_number(project: Project, value: Any) -> Project:
            if is_integer and value is not None:
                rounded = round(value)
            else:
                rounded = value
            return put(
                project,
                (*self.path, name),
                rounded,
            )

        chip = self._chip(
            name,
            ChipEditor.NUMBER,
            label,
            put=put_number,
            help=help,
            read=read,
            quantity=quantity,
        )
        unit = ""
        if quantity.unit:
            unit = f" {quantity.unit}"
        if chip.value is None or not isinstance(chip.value, int | float):
            return self._piece(
                empty if chip.value is None else value_text(chip.value), chip
            )
        return self._piece(f"{number_text(chip.value)}{unit}", chip)

    def text(
        self,
        name: str,
        label: str,
        *,
        empty: str = "",
        put: Put | None = None,
        read: Callable[[str], Any] | None = None,
        help: str = "",
    ) -> "LineWriter":
        """Free text; `empty` is shown where there is none. `read` makes
        something else of it, or raises ChipError.
        """
        chip = self._chip(
            name, ChipEditor.TEXT, label, put=put, help=help, read=read
        )
        return self._piece(str(chip.value or "") or empty or "…", chip)

    def optional_text(
        self, name: str, label: str, *, empty: str, help: str = ""
    ) -> "LineWriter":
        """Text that may be none at all."""
        chip = self._chip(
            name,
            ChipEditor.TEXT,
            label,
            help=help,
            read=lambda text: text.strip() or None,
        )
        return self._piece(str(chip.value or empty), chip)

    def written(
        self,
        name: str,
        label: str,
        keys: Mapping[str, Key],
        *,
        editor: ChipEditor,
        empty: str,
    ) -> "LineWriter":
        """A condition or a formula over some keys."""
        chip = replace(self._chip(name, editor, label), keys=keys)
        return self._piece(str(chip.value or "") or empty, chip)

    def pick(
        self,
        name: str,
        label: str,
        offered: Iterable[Choice | str],
        *,
        put: Put | None = None,
        shown: str | None = None,
        help: str = "",
    ) -> "LineWriter":
        """Add a chip for a field that holds one of several values."""
        choices = []
        for each in offered:
            if isinstance(each, str):
                choices.append(Choice(each, each))
            else:
                choices.append(each)
        chip = replace(
            self._chip(name, ChipEditor.PICK, label, put=put, help=help),
            offered=tuple(choices),
        )
        found = next(
            (choice.label for choice in choices if choice.value == chip.value),
            None,
        )
        return self._piece(shown or found or str(chip.value), chip)

    def yes_no(
        self, name: str, label: str, *, yes: str, no: str, help: str = ""
    ) -> "LineWriter":
        """One of two, in words."""
        return self.pick(
            name, label, (Choice(yes, True), Choice(no, False)), help=help
        )

    def point(self, name: str, label: str, *, help: str = "") -> "LineWriter":
        """A point of the stage, typed."""
        chip = self._chip(
            name,
            ChipEditor.TEXT,
            label,
            read=read_point,
            help=help or "x, y in metres",
        )
        shown = point_text(at(self.project, (*self.path, name)))
        return self._piece(shown, replace(chip, value=shown))

    def points(self, name: str, label: str) -> "LineWriter":
        """Several points, typed one after the other."""
        chip = self._chip(
            name,
            ChipEditor.TEXT,
            label,
            read=read_points,
            help="x, y of each corner, in metres",
        )
        shown = " ".join(
            point_text(each) for each in at(self.project, (*self.path, name))
        )
        return self._piece(shown, replace(chip, value=shown))

    def on_pill(self) -> "LineWriter":
        """Put what was said since the last pill on one of its own."""
        self._group += 1
        start = next(
            (
                i
                for i in range(len(self.pieces), 0, -1)
                if self.pieces[i - 1].pill
            ),
            0,
        )
        for index in range(max(start, 1), len(self.pieces)):
            self.pieces[index] = replace(
                self.pieces[index], pill=Pill.WRAP, group=self._group
            )
        return self

    def mark(self) -> "LineWriter":
        """Mark the last chip as wrong: its value is not possible there."""
        last = self.pieces[-1]
        if last.chip is not None:
            self.pieces[-1] = replace(
                last, chip=replace(last.chip, missing=True)
            )
        return self

    def careful(self) -> "LineWriter":
        """Have what a change of the last chip would break told before it is
        made.
        """
        last = self.pieces[-1]
        if isinstance(last.chip, FieldChip):
            self.pieces[-1] = replace(
                last, chip=replace(last.chip, careful=True)
            )
        return self

    def show(self, text: str) -> "LineWriter":
        """Have the last chip show another text than its value's own."""
        self.pieces[-1] = replace(self.pieces[-1], text=text)
        return self

    def line(
        self,
        depth: int,
        *additions: Addition,
        help: str = "",
        removable: bool = True,
    ) -> SettingLine:
        """Finish the line from the words and chips that were added."""
        return SettingLine(
            self.path, depth, self.pieces, additions, help, removable=removable
        )

    def _piece(self, text: str, chip: FieldChip) -> "LineWriter":
        if chip.editor is ChipEditor.PICK:
            role = PieceRole.KEY_CHIP
        else:
            role = PieceRole.CHIP
        self.pieces.append(
            SentencePiece(
                text,
                role,
                chip=chip,
            )
        )
        return self

    def _chip(
        self,
        name: str,
        editor: ChipEditor,
        label: str,
        *,
        put: Put | None = None,
        help: str = "",
        read: Callable[[str], Any] | None = None,
        quantity: Quantity = Quantity(),  # noqa: B008  (frozen, so it may be shared)
    ) -> FieldChip:
        path = (*self.path, name)
        slot = Slot("/".join(str(step) for step in self.path), ROW, name)
        return FieldChip(
            slot,
            editor,
            at(self.project, path),
            label,
            quantity=quantity,
            put=put or (lambda project, value: _put(project, path, value)),
            read=read or str,
            help=help,
        )


def _put(project: Project, path: Path, value: Any) -> Project:
    return put(project, path, value)


def read_point(text: str) -> Point:
    """A point as it is typed. Raises ChipError."""
    found = _POINT.match(text)
    if not found:
        raise ChipError(f"'{text}' is no point; write x, y such as 12.5, 6.")
    return float(found[1]), float(found[2])


def read_points(text: str) -> tuple[Point, ...]:
    """Points as they are typed one after the other. Raises ChipError."""
    found = tuple((float(x), float(y)) for x, y in _POINTS.findall(text))
    if len(found) < 3:
        raise ChipError(
            "A polygon needs three corners at least; write (0, 0) (4, 0) (4, 3)."
        )
    return found


def point_text(point: Point) -> str:
    """A point as it is typed."""
    return f"({number_text(point[0])}, {number_text(point[1])})"
