"""The rows of a behavior as a flat table: those inside folded rows are left
out.
"""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QObject, Qt

from umbrant.catalog.kind import Family
from umbrant.desk.chips.sentence import (
    NO_CONTEXT,
    SentenceContext,
    SentencePiece,
    has_more,
    sentence,
)
from umbrant.desk.session.desk import Desk
from umbrant.desk.widgets.painted import ModelIndex
from umbrant.model.behaviors import Behavior, Key, Override, Row
from umbrant.model.expanded import BEHAVIOR
from umbrant.model.kind_ids import MACHINE, USE_BEHAVIOR
from umbrant.model.variants import is_overridden
from umbrant.reasons.now import now_value

OUTLINE, NOW, TAPE = range(3)


class LedgerModel(QAbstractTableModel):
    """Column OUTLINE holds the sentence, NOW the value at the playhead, TAPE
    the state in words.
    """

    def __init__(self, desk: Desk, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._desk = desk
        self._rows: tuple[Row, ...] = ()
        self._places: dict[str, int] = {}
        self._names: tuple[Behavior | None, Mapping[str, str]] = (None, {})
        self.in_full: str = ""
        """The row that shows its parameters in full."""
        desk.folds.changed.connect(self.reload)
        self.reload()

    @property
    def folded(self) -> frozenset[str]:
        """The rows that hide what is in them."""
        return self._desk.folds.rows

    @property
    def behavior(self) -> Behavior | None:
        """The behavior whose rows these are."""
        return self._desk.behavior

    def reload(self) -> None:
        """Take up the project as it now is. Where the same rows are shown as
        before, their lines stay.
        """
        rows = self._shown()
        if len(rows) == len(self._rows) and all(
            row.id == old.id for row, old in zip(rows, self._rows, strict=True)
        ):
            self._rows = rows
            return
        self.beginResetModel()
        self._rows = rows
        self._places = {row.id: index for index, row in enumerate(rows)}
        self.endResetModel()

    def _shown(self) -> tuple[Row, ...]:
        """The rows that no folded row hides."""
        behavior = self.behavior
        if behavior is None:
            return ()
        hidden = {
            inner
            for folded in self.folded
            if folded in behavior.by_id
            for inner in behavior.outline.within(folded)
            if inner != folded
        }
        if not hidden:
            return behavior.rows
        return tuple(row for row in behavior.rows if row.id not in hidden)

    @property
    def rows(self) -> Sequence[Row]:
        """The rows that are shown, one to each line."""
        return self._rows

    def row_at(self, index: int) -> Row | None:
        """The row in a line of the table."""
        if 0 <= index < len(self._rows):
            return self._rows[index]
        return None

    def line_of(self, row_id: str) -> int:
        """The line of a row, -1 if it is not shown."""
        return self._places.get(row_id, -1)

    def reveal(self, row_id: str) -> None:
        """Unfold whatever hides a row."""
        self._desk.folds.reveal(self.behavior, row_id)

    def pieces(self, row: Row) -> list[Any]:
        """The sentence of a row, as the outline shows it."""
        found = sentence(
            row,
            self._desk.catalog,
            self.around(row),
            in_full=row.id == self.in_full,
        )
        override = self._desk.override_of(row.id)
        if override is not None:
            return [_marked(piece, override) for piece in found]
        return found

    def around(self, row: Row) -> SentenceContext:
        """What a row's sentence depends on besides the row."""
        behavior = self.behavior
        if behavior is None:
            return NO_CONTEXT
        if self._names[0] is not behavior:
            self._names = (
                behavior,
                {each.id: each.name or each.kind for each in behavior.rows},
            )
        above = behavior.outline.parent.get(row.id)
        kind = self._desk.catalog.get(row.kind, Family.TRANSITION)
        any_state = (
            kind is not None
            and above is not None
            and behavior.row(above).kind == MACHINE
        )
        return SentenceContext(
            self._names[1], self._inner_keys(row), any_state
        )

    def sentence_inputs(self, row: Row) -> tuple[str, ...]:
        """The names of other rows and of keys elsewhere that stand in a row's
        sentence.
        """
        if row.kind == USE_BEHAVIOR:
            return tuple(self._inner_keys(row))
        if self._desk.catalog.get(row.kind, Family.TRANSITION) is None:
            return ()
        around = self.around(row)
        return tuple(
            around.name_of(row, value)
            for value in row.args.values()
            if isinstance(value, str)
        )

    def _inner_keys(self, row: Row) -> Mapping[str, Key]:
        if row.kind != USE_BEHAVIOR:
            return {}
        inner = self._desk.project.find_behavior(
            str(row.args.get(BEHAVIOR, ""))
        )
        if inner:
            return self._desk.project.keys_of(inner)
        return {}

    def has_more(self, row: Row) -> bool:
        """Whether a row has parameters that are not shown."""
        return row.id != self.in_full and has_more(row, self._desk.catalog)

    # Qt's own signature.
    def rowCount(self, parent: ModelIndex = QModelIndex()) -> int:  # noqa: B008
        if parent.isValid():
            return 0
        return len(self._rows)

    # Qt's own signature.
    def columnCount(self, parent: ModelIndex = QModelIndex()) -> int:  # noqa: B008
        if parent.isValid():
            return 0
        return 3

    def data(
        self, index: ModelIndex, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        row = self.row_at(index.row())
        if row is None:
            return None
        if role in (
            Qt.ItemDataRole.DisplayRole,
            Qt.ItemDataRole.AccessibleTextRole,
        ):
            return self._text(row, index.column())
        if role == Qt.ItemDataRole.ToolTipRole and index.column() == OUTLINE:
            return self._tip(row)
        if role == Qt.ItemDataRole.ToolTipRole and index.column() == NOW:
            return self._text(row, NOW)
        return None

    def headerData(
        self,
        section: int,
        orientation: Qt.Orientation,
        role: int = Qt.ItemDataRole.DisplayRole,
    ) -> Any:
        if (
            role != Qt.ItemDataRole.DisplayRole
            or orientation != Qt.Orientation.Horizontal
        ):
            return None
        if section == NOW:
            if self._desk.take:
                return f"at {self._desk.seconds(self._desk.playhead):.2f} s"
            return "now"
        if section == OUTLINE:
            return "Behavior"
        return "Tape"

    def _text(self, row: Row, column: int) -> str:
        if column == OUTLINE:
            number = ""
            if self.behavior:
                number = self.behavior.outline.number[row.id]
            return f"{number} {' '.join(piece.text for piece in self.pieces(row))}"
        explainer = self._desk.explainer
        if explainer is None or row.id not in explainer.outline.number:
            return ""
        if column == NOW:
            return now_value(explainer, row.id, self._desk.playhead)
        return explainer.record.row(row.id).state_at(self._desk.playhead).value

    def _tip(self, row: Row) -> str | None:
        problems = self._desk.problems_of(row.id)
        if problems:
            return "\n".join(
                f"{problem.message} {problem.remedy}".strip()
                for problem in problems
            )
        found = self._desk.findings_of(row.id)
        if found:
            return "\n".join(
                f"{each.message} {each.rule.why}" for each in found
            )
        kind = self._desk.catalog.kinds.get(row.kind)
        return row.note or (kind.help if kind else None)


def _marked(piece: SentencePiece, override: Override) -> SentencePiece:
    """A piece whose chip says that the variant has it otherwise, if it has."""
    chip = piece.chip
    if chip is None or not is_overridden(
        override, chip.slot.part, chip.slot.param
    ):
        return piece
    return replace(piece, chip=replace(chip, overridden=True))
