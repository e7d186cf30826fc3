"""The example of a kind of node, playing: a small stage, and the rows of its NPC with their tapes."""

import math
from dataclasses import dataclass
from pathlib import Path
from tempfile import TemporaryDirectory

from PySide6.QtCore import QPointF, QRectF, QRunnable, QSize, Qt, QThreadPool, QTimer, Signal
from PySide6.QtGui import QHideEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QShowEvent
from PySide6.QtWidgets import QWidget

from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.declare import Kind
from umbrant.catalog.examples import NPC, RATE, SHOWN, VISITOR, example_of
from umbrant.desk.figures import draw_body, draw_boxed, draw_prop
from umbrant.desk.ground_painting import paint_ground
from umbrant.desk.ledger.tape import Axis, TapePainter
from umbrant.desk.painted import draw_focus
from umbrant.desk.sentence import Around, Role, sentence
from umbrant.desk.theme import Palette, body_font
from umbrant.model.documents import Project
from umbrant.reasons.why import Explainer
from umbrant.rolling.roll import Order, roll
from umbrant.take.reader import Take, read_take

ROW_HIGH, LEAST_HIGH, MARGIN = 22, 84, 8
MOST_ROWS = 6
STAGE_SHARE, TAPE_SHARE = 0.36, 0.26
"""How much of the width the stage and the tapes take; between them stand the rows."""
SAID_S = 1.5


@dataclass(frozen=True)
class _Played:
    kind: str
    project: Project
    take: Take


class _Play(QRunnable):
    """Plays an example once, in a thread: it takes some hundredths of a second."""

    def __init__(self, view: "ExampleView", kind: Kind) -> None:
        super().__init__()
        self._view = view
        self._kind = kind

    def run(self) -> None:
        project = example_of(self._kind)
        with TemporaryDirectory() as folder:
            take = read_take(roll(Order(project, "example", Path(folder) / "example.take")))
        self._view.played.emit(_Played(self._kind.id, project, take))


class ExampleView(QWidget):
    """Plays over and over while it is seen; a click or Space pauses it."""

    played = Signal(object)
    changed = Signal()
    """There is another example to show, or none."""

    def __init__(self, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.palette_ = palette
        self.tick = 0
        self._wanted = ""
        self._shown: _Played | None = None
        self._explainer: Explainer | None = None
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(1)
        self._timer = QTimer(self, interval=50)
        self._timer.timeout.connect(self._go_on)
        self.played.connect(self._take)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Example")
        self.setToolTip("The example, playing. Click or Space pauses it.")
        self.hide()

    @property
    def take(self) -> Take | None:
        """The take that is played."""
        return self._shown.take if self._shown else None

    @property
    def playing(self) -> bool:
        """Whether it plays."""
        return self._timer.isActive()

    def show_kind(self, kind: Kind | None) -> None:
        """Play the example of a kind. A project's own kinds have none: theirs would be code that is run to be read."""
        wanted = kind.id if kind is not None and not kind.own else ""
        if wanted == self._wanted:
            return
        self._wanted = wanted
        if kind is None or not wanted:
            self._shown = None
            self.changed.emit()
        else:
            self._pool.start(_Play(self, kind))

    def finish(self) -> None:
        """Wait for what is being played for the first time, and show nothing more."""
        self._wanted = ""
        self._timer.stop()
        self._pool.clear()
        self._pool.waitForDone()

    def toggle(self) -> None:
        """Pause, or go on."""
        if self._timer.isActive():
            self._timer.stop()
        else:
            self._timer.start()

    def sizeHint(self) -> QSize:
        return QSize(400, max(LEAST_HIGH, ROW_HIGH * len(self._rows())) + 2 * MARGIN)

    def minimumSizeHint(self) -> QSize:
        return QSize(200, self.sizeHint().height())

    # events

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._timer.start()

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        self._timer.stop()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.toggle()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Space:
            self.toggle()
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), self.palette_.ground)
        if self._shown is not None and self._explainer is not None:
            painter.setFont(body_font(11))
            self._stage(painter, self._shown)
            self._ledger(painter, self._explainer, self._shown)
        draw_focus(painter, self, self.palette_)
        painter.end()

    # inside

    def _go_on(self) -> None:
        take = self.take
        if take is not None:
            self.tick = (self.tick + 1) % take.ticks
            self.update()

    def _take(self, played: _Played) -> None:
        if played.kind == self._wanted:
            self._shown, self.tick = played, 0
            self._explainer = Explainer(played.take, NPC, BUILTIN)
            self.setAccessibleName(f"Example of {played.kind.replace('_', ' ')}")
            self.setFixedHeight(self.sizeHint().height())
            self.changed.emit()
            self.update()

    def _rows(self) -> list[str]:
        """The rows that are shown: those around the kind's own, so many as there is room for."""
        if self._explainer is None:
            return []
        rows = list(self._explainer.outline.number)
        place = rows.index(SHOWN) if SHOWN in rows else 0
        first = max(0, min(place - 3, len(rows) - MOST_ROWS))
        return rows[first : first + MOST_ROWS]

    def _stage(self, painter: QPainter, shown: _Played) -> None:
        stage, take = shown.project.stages[0], shown.take
        box = QRectF(MARGIN, MARGIN, self.width() * STAGE_SHARE - MARGIN, self.height() - 2 * MARGIN)
        scale = min(box.width() / stage.width_m, box.height() / stage.height_m)
        top = box.center().y() + stage.height_m * scale / 2

        def to_pixels(place: tuple[float, float]) -> QPointF:
            return QPointF(box.left() + place[0] * scale, top - place[1] * scale)

        painter.save()
        painter.setClipRect(box)
        paint_ground(painter, stage, self.palette_, to_pixels)
        for name, levels in take.levels.items():
            place = take.props[name].at(self.tick)
            if place is not None and not math.isnan(levels[self.tick]):
                drains = name.startswith("lamp")
                draw_prop(painter, self.palette_, to_pixels(place.at), float(levels[self.tick]), drains=drains)
        for name, poses in take.poses.items():
            x, y, heading = poses[self.tick].tolist()
            if not math.isnan(x):
                fill = None if name == VISITOR else self.palette_.leads[0] if name == NPC else self.palette_.dim
                size = 4.0 if name == "dog" else 6.5
                draw_body(painter, self.palette_, to_pixels((x, y)), size, heading, fill)
                recent = [text for when, text in take.agents[name].said if self._is_recent(when)] if name == NPC else []
                if recent:
                    at = to_pixels((x, y)) + QPointF(8, -4)
                    draw_boxed(painter, self.palette_, recent[-1], at, box.right())
        painter.restore()

    def _is_recent(self, when: int) -> bool:
        return 0 <= self.tick - when < SAID_S * RATE

    def _ledger(self, painter: QPainter, explainer: Explainer, shown: _Played) -> None:
        rows = self._rows()
        left, wide = self.width() * STAGE_SHARE + MARGIN, self.width() * TAPE_SHARE
        edge, top = self.width() - MARGIN - wide, (self.height() - ROW_HIGH * len(rows)) / 2
        for place, row_id in enumerate(rows):
            box = QRectF(left, top + place * ROW_HIGH, self.width() - MARGIN - left, ROW_HIGH)
            painter.fillRect(box, self.palette_.selection if row_id == SHOWN else self.palette_.sheet)
            painter.fillRect(QRectF(left, box.bottom() - 1, box.width(), 1), self.palette_.rule)
            room = box.adjusted(4 + 9.0 * explainer.outline.depth[row_id], 0, -wide - 6, 0)
            painter.setFont(body_font(11))
            painter.setPen(self.palette_.ink)
            told = _told(explainer, row_id)
            told = painter.fontMetrics().elidedText(told, Qt.TextElideMode.ElideRight, int(room.width()))
            painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, told)
            cell = QRectF(edge, box.top(), wide, ROW_HIGH)
            painter.save()
            painter.setClipRect(cell)
            axis = Axis(cell, 0, shown.take.ticks, shown.take.ticks)
            tape = TapePainter(painter, axis, self.palette_, shown.take.header.ticks_per_s)
            tape.draw(explainer.family(row_id), explainer.record.row(row_id))
            painter.restore()
        x = edge + self.tick / shown.take.ticks * wide
        painter.fillRect(QRectF(x - 1, top, 2, ROW_HIGH * len(rows)), self.palette_.now)


def _told(explainer: Explainer, row_id: str) -> str:
    """A row in few words: its name, but what it does where the name says no more than its kind."""
    behavior = explainer.behavior
    row = behavior.row(row_id)
    around = Around({each.id: each.name or each.kind for each in behavior.rows})
    pieces = [piece for piece in sentence(row, BUILTIN, around) if piece.role is not Role.KIND]
    if row_id == SHOWN and len(pieces) > 1:
        pieces = [piece for piece in pieces if piece.role is not Role.NAME or piece.chip is None] or pieces
    elif row.name:
        pieces = [piece for piece in pieces if piece.role is Role.NAME][:1]
    return " ".join(piece.text for piece in pieces)
