"""The example of a kind of node, playing: a small stage, and the rows of its
NPC with their tapes.
"""

from dataclasses import dataclass
from pathlib import Path
from tempfile import TemporaryDirectory

from PySide6.QtCore import QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import (
    QHideEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QShowEvent,
)
from PySide6.QtWidgets import QWidget

from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.kind import Kind
from umbrant.catalog.recipes.recipe import Recipe
from umbrant.catalog.templates.examples import (
    NPC,
    SHOWN,
    example_of,
    example_of_recipe,
)
from umbrant.desk.session.background import NewestOnlyWorker
from umbrant.desk.views.help.example_painting import (
    MARGIN,
    ROW_HIGH,
    paint_example,
)
from umbrant.desk.widgets.painted import PaintedView, draw_focus
from umbrant.desk.widgets.theme import Palette
from umbrant.model.documents import Project
from umbrant.reasons.why import Explainer
from umbrant.rolling.roll import RollOrder, roll
from umbrant.take.reader import Take, read_take

LEAST_HIGH = 84
MOST_ROWS = 6


@dataclass(frozen=True)
class _Played:
    subject: str
    """The id of the kind or the recipe."""
    project: Project
    take: Take


def play(subject: Kind | Recipe) -> _Played:
    """Play the example of a kind or a recipe once, in hundredths of a second.
    For any thread.
    """
    if isinstance(subject, Kind):
        project = example_of(subject)
    else:
        project = example_of_recipe(subject)
    with TemporaryDirectory() as folder:
        take = read_take(
            roll(RollOrder(project, "example", Path(folder) / "example.take"))
        )
    return _Played(subject_id(subject), project, take)


def subject_id(subject: Kind | Recipe | None) -> str:
    """What an example is known by; empty for none. A project's own kinds have
    none: theirs would be code that is run to be read.
    """
    if isinstance(subject, Recipe):
        return f"recipe {subject.id}"
    if subject is not None and not subject.own:
        return subject.id
    return ""


class ExampleView(PaintedView):
    """Plays over and over while it is seen; a click or Space pauses it."""

    changed = Signal()
    """There is another example to show, or none."""

    def __init__(
        self, palette: Palette, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.palette_ = palette
        self.tick = 0
        self._wanted = ""
        self._shown: _Played | None = None
        self._explainer: Explainer | None = None
        self._background = NewestOnlyWorker(
            "Playing the example", play, (), self
        )
        self._background.answered.connect(self._take)
        self._timer = QTimer(self, interval=50)
        self._timer.timeout.connect(self._go_on)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Example")
        self.setToolTip("The example, playing. Click or Space pauses it.")
        self.hide()

    @property
    def take(self) -> Take | None:
        """The take that is played."""
        if self._shown:
            return self._shown.take
        return None

    @property
    def playing(self) -> bool:
        """Whether the example's playhead moves."""
        return self._timer.isActive()

    def show_example(self, subject: Kind | Recipe | None) -> None:
        """Play the example of a kind or of a recipe, if it has one."""
        wanted = subject_id(subject)
        if wanted == self._wanted:
            return
        self._wanted = wanted
        if subject is None or not wanted:
            self._shown = None
            self.changed.emit()
        else:
            self._background.request(subject)

    def finish(self) -> None:
        """Wait for what is being played for the first time, and show nothing
        more.
        """
        self._wanted = ""
        self._timer.stop()
        self._background.close()

    def toggle(self) -> None:
        """Pause the example, or play it on."""
        if self._timer.isActive():
            self._timer.stop()
        else:
            self._timer.start()

    def sizeHint(self) -> QSize:
        return QSize(
            400, max(LEAST_HIGH, ROW_HIGH * len(self._rows())) + 2 * MARGIN
        )

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

    def draw(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), self.palette_.ground)
        if self._shown is not None and self._explainer is not None:
            stage, rows = self._shown.project.stages[0], self._rows()
            paint_example(
                painter,
                self._explainer,
                stage,
                rows,
                self.tick,
                QRectF(self.rect()),
                self.palette_,
            )
        draw_focus(painter, self, self.palette_)

    # inside

    def _go_on(self) -> None:
        take = self.take
        if take is not None:
            self.tick = (self.tick + 1) % take.ticks
            self.update()

    def _take(self, played: _Played) -> None:
        if played.subject == self._wanted:
            self._shown, self.tick = played, 0
            self._explainer = Explainer(played.take, NPC, BUILTIN)
            self.setAccessibleName(
                f"Example of {played.subject.replace('_', ' ')}"
            )
            self.setFixedHeight(self.sizeHint().height())
            self.changed.emit()
            self.update()

    def _rows(self) -> list[str]:
        """The rows that are shown: those around the kind's own, so many as
        there is room for.
        """
        if self._explainer is None:
            return []
        rows = list(self._explainer.outline.number)
        index = 0
        if SHOWN in rows:
            index = rows.index(SHOWN)
        first = max(0, min(index - 3, len(rows) - MOST_ROWS))
        return rows[first : first + MOST_ROWS]
