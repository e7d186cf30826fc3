"""How often each row ran in many takes: a bar for each, which leads to a take."""

from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtCore import (
    QAbstractTableModel,
    QModelIndex,
    QObject,
    QPoint,
    QRectF,
    Qt,
)
from PySide6.QtGui import QFontMetricsF, QPainter, QResizeEvent
from PySide6.QtWidgets import QMenu, QStyleOptionViewItem, QWidget

from umbrant.desk.session.desk import Desk
from umbrant.desk.views.study.lines import (
    StudyLine,
    given_words,
    percent,
    study_lines,
    values_of,
)
from umbrant.desk.views.study.painting import paint_line
from umbrant.desk.views.study.running import RunningStudy
from umbrant.desk.widgets.painted import (
    ModelIndex,
    PaintedDelegate,
    PaintedTable,
)
from umbrant.desk.widgets.theme import Palette, body_font
from umbrant.model.values import count_text
from umbrant.rolling.roll import RollOrder
from umbrant.studying.study import RunTally
from umbrant.studying.vary import VaryError, read_vary

NAME, BAR, WORDS = range(3)
LINE, INSET = 26, 5.0
NOTHING = """Run › Study… (Ctrl+Shift+R) plays the scenario with many seeds,
and shows how often each row ran."""
WORDS_WIDE = 240
"""All that is said of a row can be read in so many pixels."""


class StudyModel(QAbstractTableModel):
    """What has been found of the one who is looked at, line by line."""

    def __init__(
        self, desk: Desk, study: RunningStudy, parent: QObject
    ) -> None:
        super().__init__(parent)
        self.lines: list[StudyLine] = []
        self._desk, self._study = desk, study

    def reload(self) -> None:
        """Take up what has been found."""
        self.beginResetModel()
        found, behavior = self._study.found, self._desk.behavior
        is_known = (
            found is not None
            and found.agent == self._desk.agent
            and found.rows
        )
        if found and behavior and is_known:
            self.lines = study_lines(found, behavior)
        else:
            self.lines = []
        self.endResetModel()

    # Qt's own signature.
    def rowCount(self, parent: ModelIndex = QModelIndex()) -> int:  # noqa: B008
        if parent.isValid():
            return 0
        return len(self.lines)

    # Qt's own signature.
    def columnCount(self, parent: ModelIndex = QModelIndex()) -> int:  # noqa: B008
        if parent.isValid():
            return 0
        return 3

    def data(
        self, index: ModelIndex, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        line = None
        if 0 <= index.row() < len(self.lines):
            line = self.lines[index.row()]
        if line is None:
            return None
        if role == Qt.ItemDataRole.DisplayRole:
            if index.column() == NAME:
                return line.title
            return line.words
        if role == Qt.ItemDataRole.ToolTipRole:
            return _tip(line)
        return None


def _tip(line: StudyLine) -> str:
    """All that is known of a line, in words."""
    if line.curve:
        said = (
            f"{at:g}: {percent(time.median)} % ({percent(time.low)} to {percent(time.high)} %)"
            for at, time in line.curve
        )
        return f"{line.title}, of the time: {'; '.join(said)}"
    if line.share is not None:
        low, high = line.share.share
        return f"{line.title}: {line.words}; likely {low * 100:.1f} to {high * 100:.1f} %"
    if line.found is None:
        if line.words:
            return f"{line.title}: {line.words}"
        return ""
    low, high = line.found.share
    first = line.found.first_s
    begins = ""
    if first is not None:
        begins = f"; first at {first.median:.2f} s"
    return (
        f"{line.title}: {line.words}; of all takes, likely {low * 100:.0f} to {high * 100:.0f} %; "
        f"{line.found.succeeded} times done, {line.found.failed} failed, {line.found.stopped} "
        f"stopped{begins}; at the longest {line.found.longest_s.median:.2f} s"
    )


class StudyDelegate(PaintedDelegate):
    """Draws a line's name and words, and between them what it says: for which
    share of the time a row ran in how many takes, how that goes with a varied
    number, or how likely a share is.
    """

    def __init__(
        self, model: StudyModel, palette: Palette, view: "StudyView"
    ) -> None:
        super().__init__(view)
        self._model, self._view, self.palette_ = model, view, palette
        self._font, self._bold = body_font(11), body_font(11, bold=True)
        self._metrics = QFontMetricsF(self._font)

    def draw_cell(
        self,
        painter: QPainter,
        box: QRectF,
        option: QStyleOptionViewItem,
        index: ModelIndex,
    ) -> None:
        line, palette = self._model.lines[index.row()], self.palette_
        if line.is_heading:
            painter.fillRect(box, palette.ground)
        elif index.row() == self._view.currentIndex().row():
            painter.fillRect(box, palette.selection)
        if index.column() == BAR:
            paint_line(
                painter, box.adjusted(4, INSET, -10, -INSET), line, palette
            )
            return
        if index.column() == NAME:
            text = line.title
        else:
            text = line.words
        if line.is_heading:
            font = self._bold
        else:
            font = self._font
        painter.setFont(font)
        is_odd = (
            line.share is not None
            and line.share.is_odd
            and index.column() == WORDS
        )
        is_faint = (
            not line.is_heading and line.found is None and line.share is None
        )
        if is_odd:
            painter.setPen(palette.refused)
        elif is_faint and line.row_id:
            painter.setPen(palette.dim)
        else:
            painter.setPen(palette.ink)
        if not line.is_heading:
            wide = box.width() - 14
        else:
            wide = 2 * box.width()
        shown = self._metrics.elidedText(
            text, Qt.TextElideMode.ElideRight, wide
        )
        place = QRectF(box.left() + 12, box.top(), wide, box.height())
        painter.drawText(place, Qt.AlignmentFlag.AlignVCenter, shown)


class StudyView(PaintedTable):
    """A study. Enter on a row offers the takes in which it ran most, least, or
    not at all.
    """

    def __init__(
        self, desk: Desk, palette: Palette, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._desk = desk
        self.study = RunningStudy(desk)
        self.found = StudyModel(desk, self.study, self)
        self.menu: QMenu | None = None
        self._wanted: tuple[Path, int] | None = None
        """The file of a take that was opened, and the tick at which it is to
        be looked at.
        """
        self.setModel(self.found)
        self.setAccessibleName("Study")
        self.delegate = StudyDelegate(self.found, palette, self)
        self.setItemDelegate(self.delegate)
        self.be_list(LINE)
        self.setMinimumHeight(72)
        self.activated.connect(self._offer_takes)
        for changed in (
            self.study.changed,
            desk.agent_changed,
            desk.project_changed,
        ):
            changed.connect(self.found.reload)
        desk.take_changed.connect(self._go_to_tick)

    def heading(self) -> str:
        """How far the study is, or what can be done."""
        study = self.study
        if not study.seeds:
            return "over many seeds"
        counted = 0
        if study.found is not None:
            counted = study.found.counted
        varied = ""
        if study.vary:
            varied = f" · {study.vary.partition('=')[0]}"
        if study.is_running:
            left = ""
            if study.left_s is not None:
                left = f" · {study.left_s:.0f} s to go"
            return f"{counted} of {study.takes} takes{left} · Study… stops it{varied}"
        takes = count_text(counted, "take")
        return f"{takes} · Enter opens one · {study.scenario}{varied}"

    def set_palette(self, palette: Palette) -> None:
        """Turn to Day or Night."""
        self.delegate.palette_ = palette
        self.viewport().update()

    def draw_ground(self, painter: QPainter) -> None:
        if self.study.is_running and self.study.found is not None:
            share = self.study.found.counted / max(1, self.study.takes)
            wide = self.viewport().width() * share
            painter.fillRect(
                QRectF(0, 0, wide, 2), self.delegate.palette_.running
            )
        if not self.found.lines:
            painter.setPen(self.delegate.palette_.dim)
            text = "Playing …"
            if not self.study.seeds:
                text = NOTHING
            painter.drawText(
                self.viewport().rect(), Qt.AlignmentFlag.AlignCenter, text
            )

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        words = min(0.6, WORDS_WIDE / max(1, self.viewport().width()))
        self.share_columns((0.65 * (1 - words), 0.35 * (1 - words), words))

    def _offer_takes(self, index: QModelIndex) -> None:
        """Offer the takes that say most about a line."""
        line = self.found.lines[index.row()]
        offered: list[tuple[str, int, str, int | None]] = []
        if line.row_id:
            self._desk.select_row(line.row_id)
            for text, run in telling_runs(self.study.runs(line.row_id)):
                offered.append((text, run.seed, run.given, run.first))
        offered += [("It went so", seed, "{}", None) for seed in line.seeds]
        if not offered:
            return
        self.menu = menu = QMenu(self)
        menu.setAccessibleName("Takes of the study")
        for text, seed, given, tick in offered:
            values = given_words(given)
            called = f"{text}: seed {seed}"
            if values:
                called = f"{called}, {values}"
            menu.addAction(called, partial(self.open_seed, seed, given, tick))
        corner = self.visualRect(index).bottomLeft()
        menu.popup(self.viewport().mapToGlobal(corner + QPoint(20, 0)))

    def open_seed(
        self, seed: int, given: str = "{}", tick: int | None = None
    ) -> None:
        """Play the scenario with a seed and varied values of the study, and
        look at the take at a tick of it.
        """
        desk, project = self._desk, self._desk.project
        try:
            for name, value in values_of(given).items():
                project = read_vary(f"{name}={value!r}", project).put(
                    project, value
                )
        except VaryError as error:
            desk.message.emit(
                f"{error}. The project has been changed since the study."
            )
            return
        path = desk.takes.next_file()
        trusted = desk.documents.may_run_nodes
        order = RollOrder(
            project, self.study.scenario, path, seed=seed, trusted=trusted
        )
        if tick is not None:
            self._wanted = (path, tick)
        else:
            self._wanted = None
        desk.takes.order(order)

    def _go_to_tick(self) -> None:
        """Put the playhead where the take that was opened is to be looked at,
        once it is there.
        """
        current = self._desk.takes.current
        if self._wanted is None or current is None or not current.is_finished:
            return
        path, tick = self._wanted
        if current.loaded.take.path == path:
            self._wanted = None
            self._desk.move_playhead(tick)


def telling_runs(runs: Sequence[RunTally]) -> list[tuple[str, RunTally]]:
    """Of the takes of a study those that say most about a row: in which it
    never ran, ran longest and shortest, was entered most often, and latest.
    """
    if not runs:
        return []
    ran = [each for each in runs if each.entered]
    never = [each for each in runs if not each.entered]
    if never:
        found = [("It never runs", never[0])]
    else:
        found = []
    if ran:
        found.append(
            ("It runs longest", max(ran, key=lambda each: each.ticks))
        )
        found.append(
            ("It runs shortest", min(ran, key=lambda each: each.ticks))
        )
        found.append(
            (
                "It is entered most often",
                max(ran, key=lambda each: each.entered),
            )
        )
        found.append(
            (
                "It is entered latest",
                max(ran, key=lambda each: each.first or 0),
            )
        )
    return found
