"""Changing a chip in place: typed over, picked from a list, or dragged
sideways.
"""

from collections.abc import Callable, Mapping

from PySide6.QtCore import QObject, QPoint, QRectF, QTimer, Signal
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QAbstractScrollArea, QLabel, QMenu, QWidgetAction

from umbrant.catalog.language.check import Fault
from umbrant.catalog.language.completion import (
    Completion,
    Vocabulary,
    completions,
)
from umbrant.catalog.language.reading import typed_condition
from umbrant.catalog.params import ParamType
from umbrant.catalog.validation.names import names_in
from umbrant.desk.chips.completing import Complete
from umbrant.desk.chips.drawing import Brushes
from umbrant.desk.chips.inline_editor import WRITTEN, InlineEditor
from umbrant.desk.chips.sentence import Chip, ChipEditor
from umbrant.desk.chips.values import (
    ChipError,
    FieldChip,
    chip_edit,
    choices,
    guard_edit,
    is_short,
    split_watch,
    stepped,
    typed_value,
    watch_completions,
)
from umbrant.desk.session.desk import Desk
from umbrant.desk.widgets.dialogs import Dialogs
from umbrant.model.behaviors import Key
from umbrant.model.documents import Project
from umbrant.model.edits import Edit, declare_key, home, remove_part
from umbrant.model.parts import GUARD, Slot, part_index
from umbrant.model.paths import PathError
from umbrant.model.values import KeyRef, KeyType, ParamValue, value_text

PIXELS_A_STEP = 4.0
FINE, COARSE = 0.1, 10.0


class ChipEditing(QObject):
    """Edits the chips of one ledger."""

    filled = Signal()
    """A chip that had to be filled in has been."""
    closed = Signal(bool)
    """An editor or a list was closed: whether with Enter or a choice, rather
    than given up.
    """

    def __init__(
        self,
        desk: Desk,
        table: QAbstractScrollArea,
        dialogs: Callable[[], Dialogs],
        brushes: Brushes,
    ) -> None:
        super().__init__(table)
        self._brushes = brushes
        self._table = table
        self._desk = desk
        self._viewport = table.viewport()
        self._dialogs = dialogs
        self.line: InlineEditor | None = None
        self.menu: QMenu | None = None
        self._slides = 0
        self._written_in = ""
        """The behavior whose chip is being edited: another may be looked at by
        the time it is done.
        """

    def begin(self, chip: Chip, rect: QRectF) -> None:
        """Open a chip's editor at its place in the viewport."""
        self.finish()
        self._written_in = self._looked_at()
        if chip.editor in (
            ChipEditor.PICK,
            ChipEditor.WATCH,
            ChipEditor.CURVE,
        ):
            self.pick(chip, rect)
            return
        written = chip.editor in (ChipEditor.CONDITION, ChipEditor.FORMULA)
        if written:
            edited = self._condition_chip(chip)
        else:
            edited = chip
        self.line = InlineEditor(
            self._table, edited, rect, self._check(edited)
        )
        if written:
            self.line.offer(self._brushes, self._completions(chip))
        self.line.finished = lambda text: self._typed(edited, text)
        self.line.left.connect(self.closed)
        if edited.editor is ChipEditor.NUMBER and is_short(edited):
            self._slides += 1
            self.line.slide(
                edited,
                lambda number: self._set(
                    edited, number, f"slide {self._slides}"
                ),
            )
        self.line.open()

    def finish(self) -> None:
        """Close whatever editor is open, keeping what was typed."""
        if self.line is not None:
            self.line.commit()
            self.line = None

    def pick(self, chip: Chip, rect: QRectF) -> None:
        """Open the list of what a chip can be set to."""
        self._written_in = self._looked_at()
        menu = QMenu(self._viewport)
        menu.setAccessibleName(f"choices for {chip.label}")
        menu.setToolTipsVisible(True)
        self._fill(menu, chip)
        menu.aboutToHide.connect(self._table.setFocus)
        chosen: list[QAction] = []
        menu.triggered.connect(chosen.append)
        # What is chosen is told of only after the list has been hidden.
        menu.aboutToHide.connect(
            lambda: QTimer.singleShot(
                0, self, lambda: self.closed.emit(bool(chosen))
            )
        )
        self.menu = menu
        menu.popup(
            self._viewport.mapToGlobal(
                rect.bottomLeft().toPoint() + QPoint(0, 2)
            )
        )

    def step(self, chip: Chip, steps: float, merges: str = "") -> None:
        """Change a number by steps of its quantity."""
        self._written_in = self._looked_at()
        if chip.editor is ChipEditor.NUMBER:
            self._set(chip, stepped(chip, steps), merges)

    def remove(self, chip: Chip) -> None:
        """Take off the guard, decorator or upkeep that a chip stands in; of
        the row itself, put back the default.
        """
        self._written_in = self._looked_at()
        self._remove(chip)

    def _remove(self, chip: Chip) -> None:
        slot, behavior = chip.slot, self._written_in
        family, _ = part_index(slot.part)
        if slot.part == GUARD or family:
            self._desk.apply(
                Edit(
                    f"Remove {family or GUARD}",
                    lambda p: remove_part(p, behavior, slot.row_id, slot.part),
                )
            )
        elif chip.editor is not ChipEditor.NAME and chip.span is None:
            self._set(chip, None)

    def _fill(self, menu: QMenu, chip: Chip) -> None:
        offered = choices(chip, self._desk.project, self._desk.expanded)
        sections = len({choice.section for choice in offered}) > 1
        for index, choice in enumerate(offered):
            if (
                sections
                and choice.section
                and (
                    index == 0 or offered[index - 1].section != choice.section
                )
            ):
                menu.addAction(menu_heading(choice.section, menu))
            action = menu.addAction(choice.label)
            action.setToolTip(choice.help)
            action.setCheckable(True)
            action.setChecked(choice.value == chip.value)
            action.triggered.connect(
                lambda _=False, value=choice.value: self._set(chip, value)
            )
        keys = chip.param.keys if chip.param else ()
        menu.addSeparator()
        if keys:
            menu.addAction("New key…", lambda: self.new_key(chip, keys))
        if (
            chip.param is not None
            and chip.param.type is ParamType.PLACE
            and not chip.param.writes
        ):
            menu.addAction(
                "Pick on the stage…",
                lambda: self._desk.pick_point(
                    lambda point: self._set(chip, point)
                ),
            )
        if (
            isinstance(chip.value, KeyRef)
            and chip.param is not None
            and chip.param.default is not None
        ):
            default = chip.param.default
            menu.addAction(
                f"Write a value ({value_text(default, chip.quantity.unit)})",
                lambda: self._set(chip, default),
            )
        if chip.slot.part:
            family, _ = part_index(chip.slot.part)
            menu.addAction(f"Remove this {family}", lambda: self._remove(chip))
        elif (
            chip.param is not None
            and not chip.param.required
            and chip.value != chip.param.default
        ):
            menu.addAction(
                "Back to the default", lambda: self._set(chip, None)
            )

    def new_key(self, chip: Chip, types: tuple[KeyType, ...]) -> None:
        """Make a key that fits a chip, and bind the chip to it."""
        dialogs = self._dialogs()
        name = dialogs.text(
            "New key",
            "Name of the key (small letters, digits, _):",
            verb="Make it",
        )
        if name is None:
            return
        kind = (
            types[0]
            if len(types) == 1
            else dialogs.choice(
                "New key", "What it holds:", [str(each) for each in types]
            )
        )
        if kind is None:
            return
        try:
            key = Key(name=name, type=KeyType(kind))
        except ValueError:
            self._desk.message.emit(
                f"'{name}' cannot name a key: write it with small letters, digits and _, a "
                "letter first."
            )
            return
        if self._desk.apply(self._declaring(key, chip)) and chip.missing:
            self.filled.emit()

    def _declaring(self, key: Key, chip: Chip) -> Edit:
        behavior = self._written_in

        def apply(project: Project) -> Project:
            board = project.behavior(
                home(project, behavior, chip.slot.row_id)[0]
            ).blackboard
            if key.name not in project.blackboard(board).by_name:
                project = declare_key(project, board, key)
            return chip_edit(behavior, chip, KeyRef(key=key.name)).apply(
                project
            )

        return Edit(f"New key {key.name}", apply)

    def _typed(self, chip: Chip, text: str) -> None:
        self.line = None
        self._table.setFocus()
        if (
            chip.editor is ChipEditor.CONDITION
            and not text.strip()
            and chip.slot.part == GUARD
        ):
            self._remove(chip)
            return
        watch = None
        if chip.editor is ChipEditor.CONDITION and chip.slot.part == GUARD:
            text, watch = split_watch(text)
        if chip.editor in WRITTEN:
            text, _ = self._read(chip, text)
        if watch is not None:
            self._desk.apply(
                guard_edit(self._written_in, chip.slot.row_id, text, watch)
            )
            return
        keys = chip.param.keys if chip.param else ()
        known = self._keys(chip).get(text.strip())
        try:
            bound = (
                known is not None
                and known.type in keys
                and chip.editor is ChipEditor.NUMBER
            )
            value: ParamValue = (
                KeyRef(key=text.strip()) if bound else typed_value(chip, text)
            )
        except ChipError as error:
            self._desk.message.emit(str(error))
            return
        self._set(chip, value)

    def _set(
        self, chip: Chip, value: ParamValue | None, merges: str = ""
    ) -> None:
        if isinstance(chip, FieldChip) and chip.act is not None:
            try:
                chip.act(value, merges)
            except ChipError as error:
                self._desk.message.emit(str(error))
            return
        edit = chip_edit(self._written_in, chip, value, merges=merges)
        try:
            if isinstance(chip, FieldChip) and chip.careful:
                broken = [
                    str(problem)
                    for problem in self._desk.documents.broken_by(edit)
                ]
                if broken and not self._dialogs().breaks(edit.name, broken):
                    return
            changed = self._desk.apply(edit)
        except PathError as error:
            self._desk.message.emit(
                f"{value_text(value)} cannot stand there: {error}."
            )
            return
        if changed and chip.missing:
            self.filled.emit()

    def _check(self, chip: Chip) -> Callable[[str], str]:
        """What is wrong with a text typed into a chip; empty if nothing is."""
        if chip.editor in WRITTEN:

            def check(text: str) -> str:
                if chip.slot.part == GUARD:
                    text, _ = split_watch(text)
                if text.strip():
                    found = self._read(chip, text)[1]
                else:
                    found = []
                first = next(iter(found), None)
                if first:
                    return in_one_line(first.message, first.remedy)
                return ""

            return check
        if chip.editor is ChipEditor.NUMBER or isinstance(chip, FieldChip):
            return lambda text: (
                ""
                if text.strip() in self._keys(chip)
                else _number_fault(chip, text)
            )
        return lambda text: ""

    def _read(self, chip: Chip, text: str) -> tuple[str, list[Fault]]:
        """A condition or formula, typed in its call form or as it is read, as
        it is stored; and what is wrong with it.
        """
        if chip.editor is ChipEditor.CONDITION:
            wants = KeyType.YES_NO
        else:
            wants = KeyType.NUMBER
        names = names_in(self._desk.project)
        return typed_condition(
            text, self._keys(chip), self._desk.catalog, names, wants
        )

    def _condition_chip(self, chip: Chip) -> Chip:
        slot = Slot(chip.slot.row_id, chip.slot.part, chip.slot.param)
        if isinstance(chip, FieldChip):
            return chip
        return Chip(slot, chip.editor, chip.value, str(chip.editor))

    def _completions(self, chip: Chip) -> Complete:
        """What can be written next while a condition is typed."""
        names = names_in(self._desk.project)
        words = Vocabulary(self._keys(chip), self._desk.catalog, names)

        def complete(text: str, cursor: int, blank: str) -> list[Completion]:
            if chip.slot.part == GUARD:
                watches = watch_completions(text, cursor)
            else:
                watches = []
            return watches or completions(text, cursor, words, blank)

        return complete

    def _keys(self, chip: Chip) -> Mapping[str, Key]:
        if isinstance(chip, FieldChip):
            return chip.keys
        return self._desk.keys_at(chip.slot.row_id)

    def _looked_at(self) -> str:
        behavior = self._desk.behavior
        if behavior:
            return behavior.name
        return ""


def in_one_line(message: str, remedy: str) -> str:
    """What is wrong and the way out, one behind the other."""
    ends = message.endswith((".", "?", "!"))
    if ends or not remedy:
        ended = message
    else:
        ended = f"{message}."
    return f"{ended} {remedy}".strip()


def _number_fault(chip: Chip, text: str) -> str:
    try:
        typed_value(chip, text)
    except ChipError as error:
        return str(error)
    return ""


def menu_heading(text: str, menu: QMenu) -> QWidgetAction:
    """A heading inside a list."""
    heading = QWidgetAction(menu)
    label = QLabel(text, menu)
    label.setObjectName("menuHeading")
    heading.setDefaultWidget(label)
    heading.setEnabled(False)
    return heading
