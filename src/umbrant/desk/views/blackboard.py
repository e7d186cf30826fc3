"""The blackboard at the playhead: each key's value, who wrote it and when, and
a small history; below the keys the numbers of the body.
"""

from typing import Any

from PySide6.QtCore import (
    QAbstractTableModel,
    QModelIndex,
    QObject,
    QRectF,
    Qt,
)
from PySide6.QtGui import QFontMetricsF, QPainter, QResizeEvent
from PySide6.QtWidgets import QStyleOptionViewItem, QTableView, QWidget

from umbrant.desk.session.desk import Desk
from umbrant.desk.widgets.history_painting import INSET, paint_history
from umbrant.desk.widgets.painted import (
    ModelIndex,
    PaintedDelegate,
    PaintedTable,
)
from umbrant.desk.widgets.pixmaps import PixmapCache
from umbrant.desk.widgets.theme import Palette, body_font
from umbrant.model.behaviors import Key
from umbrant.model.parts import part_index
from umbrant.model.staging import Stat
from umbrant.model.values import KeyType, Value, value_text
from umbrant.reasons.why import Explainer
from umbrant.take.record import Changes, KeyWrite

NAME, VALUE, WRITER, HISTORY = range(4)

SHARES = (0.24, 0.22, 0.35, 0.19)
"""How much of the width each column takes."""


class BodyNumber(Key):
    """A number of the agent's body, such as its energy, which is shown like a
    key.
    """


class BoardModel(QAbstractTableModel):
    """The keys of the agent that is looked at, and the numbers of its body."""

    def __init__(self, desk: Desk, parent: QObject) -> None:
        super().__init__(parent)
        self.desk = desk
        self.keys: list[Key] = []
        self._numbers: dict[str, Changes[KeyWrite]] = {}
        """What the numbers of the body were in the take that is shown."""
        for changed in (
            desk.project_changed,
            desk.take_changed,
            desk.agent_changed,
        ):
            changed.connect(self.reload)
        desk.playhead_moved.connect(self._moved)
        desk.step_changed.connect(self._moved)
        self.reload()

    def reload(self) -> None:
        """Take up the keys as they now are."""
        self.beginResetModel()
        behavior, member = self.desk.behavior, self.desk.member
        thinks = (
            behavior is not None
            and member is not None
            and member.behavior == behavior.name
        )
        if member is not None:
            stats = member.body.stats
        else:
            stats = {}
        numbers = [_shown(name, stat) for name, stat in stats.items()]
        keys = (
            self.desk.project.keys_of(behavior).values()
            if behavior and thinks
            else []
        )
        self.keys = [*keys, *numbers]
        self._numbers = {
            each.name: self._of_body(each.name) for each in numbers
        }
        self.endResetModel()

    def _of_body(self, number: str) -> Changes[KeyWrite]:
        if self.desk.take is None:
            return Changes()
        found = self.desk.take.number_changes(self.desk.agent, number)
        return Changes(
            found.ticks, [KeyWrite(value, "", "") for value in found.values]
        )

    def changes(self, key: Key) -> Changes[KeyWrite] | None:
        """The history of a key, or of a number of the body, in the take that
        is shown.
        """
        if isinstance(key, BodyNumber):
            return self._numbers.get(key.name)
        take = self.desk.take
        record = None
        if take:
            record = take.agents.get(self.desk.agent)
        if record:
            return record.keys.get(key.name)
        return None

    # Qt's own signature.
    def rowCount(self, parent: ModelIndex = QModelIndex()) -> int:  # noqa: B008
        if parent.isValid():
            return 0
        return len(self.keys)

    # Qt's own signature.
    def columnCount(self, parent: ModelIndex = QModelIndex()) -> int:  # noqa: B008
        if parent.isValid():
            return 0
        return 4

    def data(
        self, index: ModelIndex, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        key = self.keys[index.row()]
        if role == Qt.ItemDataRole.ToolTipRole and isinstance(key, BodyNumber):
            return f"{key.name}: a number of the body, from {key.low:g} to {key.high:g}."
        if role == Qt.ItemDataRole.ToolTipRole:
            return f"{key.name}: {key.type}. {key.help}"
        if role == Qt.ItemDataRole.DisplayRole:
            return self.text(key, index.column())
        return None

    def text(self, key: Key, column: int) -> str:
        """What stands in a column of a key's line."""
        if column == NAME:
            return key.name
        if column == VALUE:
            shown = value_text(_rounded(self.value(key)), key.unit)
            other = self.other_value(key)
            if other in ("", shown):
                return shown
            return f"{shown} | {other}"
        if column == WRITER:
            return self.writer(key)
        return ""

    def last_write(self, key: Key) -> tuple[int, KeyWrite] | None:
        """What was last written to a key, and at which tick: up to the
        playhead, or within its tick up to the step that is looked at.
        """
        changes, tick = self.changes(key), self.desk.playhead
        if changes is None:
            return None
        explainer, step = self.desk.explainer, self.desk.step
        if (
            step is not None
            and explainer is not None
            and not isinstance(key, BodyNumber)
        ):
            return explainer.ticks.key_at_step(key.name, tick, step)
        index = changes.index(tick)
        if index >= 0:
            return (changes.ticks[index], changes.values[index])
        return None

    def value(self, key: Key) -> Value | None:
        """A key's value at the moment that is looked at."""
        last = self.last_write(key)
        if last is not None:
            return last[1].value
        if self.desk.take is None:
            return key.default
        return None

    def other_value(self, key: Key) -> str:
        """A key's value in the take that this one is compared with; empty
        where it is alone.
        """
        other, tick = self.desk.other_take, self.desk.playhead
        if other is None or self.desk.step is not None:
            return ""
        found: Value | None
        if isinstance(key, BodyNumber):
            found = other.number_changes(self.desk.agent, key.name).at(tick)
        else:
            record = other.agents.get(self.desk.agent)
            written = None
            if record and key.name in record.keys:
                written = record.keys[key.name].at(tick)
            found = None
            if written:
                found = written.value
        return value_text(_rounded(found), key.unit)

    def writer(self, key: Key) -> str:
        """Who wrote a key's value, and how long ago."""
        if isinstance(key, BodyNumber):
            return "of the body"
        last = self.last_write(key)
        if last is None:
            return ""
        tick, written = last
        if not written.row_id and not written.part:
            return "from the start"
        ago = self.desk.seconds(self.desk.playhead - tick)
        return f"{ago:.2f} s ago · {self._who(written, self.desk.explainer)}"

    def _who(self, written: KeyWrite, explainer: Explainer | None) -> str:
        """A row by its number; of a key that others share also whose row; a
        cue or a formula by what it is.
        """
        family, _ = part_index(written.part)
        if not written.row_id:
            return family
        if written.agent not in ("", self.desk.agent):
            return written.agent
        number = "?"
        if explainer:
            number = explainer.outline.number.get(written.row_id, "?")
        return f"{number} {family}".rstrip()

    def writer_row(self, index: int) -> str:
        """The id of the row that wrote a key's value; empty if none did."""
        last = self.last_write(self.keys[index])
        if last:
            return last[1].row_id
        return ""

    def _moved(self) -> None:
        if self.keys:
            self.dataChanged.emit(
                self.index(0, VALUE), self.index(len(self.keys) - 1, HISTORY)
            )


class BoardDelegate(PaintedDelegate):
    """Draws a key's line. Its history shows numbers and yes/no by height,
    anything else as marks where it changed.
    """

    def __init__(
        self, model: BoardModel, palette: Palette, view: QTableView
    ) -> None:
        super().__init__(view)
        self._model = model
        self._view = view
        self.palette_ = palette
        self._pictures = PixmapCache()
        self._font = body_font(11)
        self._metrics = QFontMetricsF(self._font)

    def draw_cell(
        self,
        painter: QPainter,
        box: QRectF,
        option: QStyleOptionViewItem,
        index: ModelIndex,
    ) -> None:
        row, column = index.row(), index.column()
        key = self._model.keys[row]
        if row == self._view.currentIndex().row():
            painter.fillRect(box, self.palette_.selection)
        if column == HISTORY:
            self._history(painter, box, key)
            return
        text = self._model.text(key, column)
        if not text:
            return
        painter.setFont(self._font)
        if column == WRITER:
            ink = self.palette_.dim
        else:
            ink = self.palette_.ink
        painter.setPen(ink)
        shown = self._metrics.elidedText(
            text, Qt.TextElideMode.ElideRight, box.width() - 12
        )
        painter.drawText(
            box.adjusted(12, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, shown
        )

    def _history(self, painter: QPainter, box: QRectF, key: Key) -> None:
        take, changes = self._model.desk.take, self._model.changes(key)
        if take is None or changes is None:
            return
        palette = self.palette_
        picture = (
            self._model.desk.take_number,
            self._model.desk.agent,
            self.palette_.name,
        )
        self._pictures.draw(
            painter,
            box,
            f"{type(key).__name__} {key.name}",
            picture,
            lambda p, at: paint_history(
                p, at, key, changes, take.last_tick, palette
            ),
        )
        inner = box.adjusted(*INSET)
        x = inner.left() + inner.width() * self._model.desk.playhead / max(
            1, take.last_tick
        )
        painter.fillRect(
            QRectF(x - 0.5, inner.top() - 2, 1.2, inner.height() + 4),
            self.palette_.now,
        )


class BlackboardView(PaintedTable):
    """The blackboard. Enter or a double click selects the row that wrote a
    key.
    """

    def __init__(
        self, desk: Desk, palette: Palette, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.board = BoardModel(desk, self)
        self.setModel(self.board)
        self.setAccessibleName("Blackboard")
        self.delegate = BoardDelegate(self.board, palette, self)
        self.setItemDelegate(self.delegate)
        self.be_list(23)
        self.setMinimumHeight(48)
        self.activated.connect(self._show_writer)
        self.paint_in_turn(
            desk.project_changed, desk.take_changed, desk.agent_changed
        )

    def heading(self) -> str:
        """The text of the line over the table: what Enter does with the
        selected key.
        """
        return "Enter shows who wrote it"

    def set_palette(self, palette: Palette) -> None:
        """Turn to Day or Night."""
        self.delegate.palette_ = palette
        self.viewport().update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.share_columns(SHARES)

    def _show_writer(self, index: QModelIndex) -> None:
        row_id = self.board.writer_row(index.row())
        if row_id:
            self.board.desk.select_row(row_id)


def _shown(name: str, stat: Stat) -> BodyNumber:
    return BodyNumber(
        name=name,
        type=KeyType.NUMBER,
        default=stat.value,
        low=stat.low,
        high=stat.high,
    )


def _rounded(value: Value | None) -> Value | None:
    if isinstance(value, float):
        return round(value, 2)
    return value
