"""How often each row ran in many takes: a bar for each, which leads to a take."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QObject, QPoint, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPen, QResizeEvent
from PySide6.QtWidgets import QMenu, QStyleOptionViewItem, QWidget

from umbrant.desk.session.desk import Desk
from umbrant.desk.views.study.running import RunningStudy
from umbrant.desk.widgets.painted import ModelIndex, PaintedDelegate, PaintedTable
from umbrant.desk.widgets.theme import Palette, body_font
from umbrant.model.values import times_text
from umbrant.rolling.roll import RollOrder
from umbrant.studying.study import RunTally
from umbrant.studying.summaries import RowSummary

NAME, BAR, WORDS = range(3)
LINE, INSET = 26, 5.0
NOTHING = """Run › Study… (Ctrl+Shift+R) plays the scenario with many seeds,
and shows how often each row ran."""
WORDS_WIDE = 240
"""All that is said of a row can be read in so many pixels."""


@dataclass(frozen=True)
class StudyRow:
    """A row of the behavior, and what the takes say of it; None if it ran in none."""

    row_id: str
    title: str
    found: RowSummary | None

    @property
    def words(self) -> str:
        """What the takes say, in words."""
        found = self.found
        if found is None:
            return "in no take"
        times = times_text(found.entered.median)
        share = "< 1" if 0 < found.time.median < 0.01 else f"{found.time.median * 100:.0f}"
        return f"{share} % · in {found.takes} of {found.of} takes · {times}"


class StudyModel(QAbstractTableModel):
    """The rows of the behavior that is looked at, in their order."""

    def __init__(self, desk: Desk, study: RunningStudy, parent: QObject) -> None:
        super().__init__(parent)
        self.rows: list[StudyRow] = []
        self._desk, self._study = desk, study

    def reload(self) -> None:
        """Take up what has been found."""
        self.beginResetModel()
        found, behavior = self._study.found, self._desk.behavior
        known = found.rows if found is not None and found.agent == self._desk.agent else ()
        by_row = {each.row: each for each in known}
        self.rows = [
            StudyRow(row_id, f"{number} {behavior.row(row_id).name}", by_row.get(row_id))
            for row_id, number in (behavior.outline.number.items() if behavior and known else ())
            if behavior is not None
        ]
        self.endResetModel()

    # Qt's own signature.
    def rowCount(self, parent: ModelIndex = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self.rows)

    # Qt's own signature.
    def columnCount(self, parent: ModelIndex = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else 3

    def data(self, index: ModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        row = self.rows[index.row()] if 0 <= index.row() < len(self.rows) else None
        if row is None:
            return None
        if role == Qt.ItemDataRole.DisplayRole:
            return row.title if index.column() == NAME else row.words
        if role == Qt.ItemDataRole.ToolTipRole and row.found is not None:
            low, high = row.found.share
            return f"{row.words}; of all takes, likely {low * 100:.0f} to {high * 100:.0f} %"
        return None


class StudyDelegate(PaintedDelegate):
    """Draws a row's name, and a bar for its share of the time: the median over all takes, and
    between which shares nine of ten takes lie.
    """

    def __init__(self, model: StudyModel, palette: Palette, view: "StudyView") -> None:
        super().__init__(view)
        self._model, self._view, self.palette_ = model, view, palette
        self._font = body_font(11)
        self._metrics = QFontMetricsF(self._font)

    def draw_cell(
        self, painter: QPainter, box: QRectF, option: QStyleOptionViewItem, index: ModelIndex
    ) -> None:
        row, palette = self._model.rows[index.row()], self.palette_
        if index.row() == self._view.currentIndex().row():
            painter.fillRect(box, palette.selection)
        if index.column() == BAR:
            if row.found is not None:
                self._bar(painter, box.adjusted(4, INSET, -10, -INSET), row.found)
            return
        text = row.title if index.column() == NAME else row.words
        painter.setFont(self._font)
        painter.setPen(palette.ink if row.found else palette.dim)
        shown = self._metrics.elidedText(text, Qt.TextElideMode.ElideRight, box.width() - 14)
        painter.drawText(box.adjusted(12, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, shown)

    def _bar(self, painter: QPainter, box: QRectF, found: RowSummary) -> None:
        palette, time = self.palette_, found.time
        fill = QColor(palette.running)
        fill.setAlphaF(0.25)
        wide = box.width() * time.median
        painter.fillRect(QRectF(box.left(), box.top(), wide, box.height()), fill)
        low, high = (box.left() + box.width() * each for each in (time.low, time.high))
        painter.setPen(QPen(palette.running, 1.6))
        foot = box.bottom() - 1
        painter.drawLine(int(low), int(foot), int(high), int(foot))
        for x in (low, high):
            painter.drawLine(int(x), int(foot - 3), int(x), int(foot))


class StudyView(PaintedTable):
    """A study. Enter on a row offers the takes in which it ran most, least, or not at all."""

    def __init__(self, desk: Desk, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk = desk
        self.study = RunningStudy(desk)
        self.found = StudyModel(desk, self.study, self)
        self.menu: QMenu | None = None
        self.setModel(self.found)
        self.setAccessibleName("Study")
        self.delegate = StudyDelegate(self.found, palette, self)
        self.setItemDelegate(self.delegate)
        self.be_list(LINE)
        self.setMinimumHeight(72)
        self.activated.connect(self._offer_takes)
        for changed in (self.study.changed, desk.agent_changed, desk.project_changed):
            changed.connect(self.found.reload)

    def heading(self) -> str:
        """How far the study is, or what can be done."""
        study = self.study
        if not study.seeds:
            return "over many seeds"
        counted = study.found.counted if study.found is not None else 0
        if study.is_running:
            return f"{counted} of {study.seeds} takes · Study… stops it"
        return f"{counted} takes · Enter opens one · {study.scenario}"

    def set_palette(self, palette: Palette) -> None:
        """Turn to Day or Night."""
        self.delegate.palette_ = palette
        self.viewport().update()

    def draw_ground(self, painter: QPainter) -> None:
        if not self.found.rows:
            painter.setPen(self.delegate.palette_.dim)
            text = NOTHING if not self.study.seeds else "Playing …"
            painter.drawText(self.viewport().rect(), Qt.AlignmentFlag.AlignCenter, text)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        words = min(0.6, WORDS_WIDE / max(1, self.viewport().width()))
        self.share_columns((0.65 * (1 - words), 0.35 * (1 - words), words))

    def _offer_takes(self, index: QModelIndex) -> None:
        """Offer the takes that say most about a row."""
        row = self.found.rows[index.row()]
        self._desk.select_row(row.row_id)
        self.menu = menu = QMenu(self)
        menu.setAccessibleName("Takes of the study")
        for text, run in telling_runs(self.study.runs(row.row_id)):
            menu.addAction(f"{text}: seed {run.seed}", partial(self.open_seed, run.seed))
        corner = self.visualRect(index).bottomLeft()
        menu.popup(self.viewport().mapToGlobal(corner + QPoint(20, 0)))

    def open_seed(self, seed: int) -> None:
        """Play the scenario with a seed of the study, and look at the take."""
        desk = self._desk
        path = desk.takes.next_file()
        trusted = desk.documents.may_run_nodes
        order = RollOrder(desk.project, self.study.scenario, path, seed=seed, trusted=trusted)
        desk.takes.order(order)


def telling_runs(runs: Sequence[RunTally]) -> list[tuple[str, RunTally]]:
    """Of the takes of a study those that say most about a row: in which it never ran, ran longest
    and shortest, was entered most often, and latest.
    """
    if not runs:
        return []
    ran = [each for each in runs if each.entered]
    never = [each for each in runs if not each.entered]
    found = [("It never runs", never[0])] if never else []
    if ran:
        found.append(("It runs longest", max(ran, key=lambda each: each.ticks)))
        found.append(("It runs shortest", min(ran, key=lambda each: each.ticks)))
        found.append(("It is entered most often", max(ran, key=lambda each: each.entered)))
        found.append(("It is entered latest", max(ran, key=lambda each: each.first or 0)))
    return found
