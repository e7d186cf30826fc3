"""Which row would lead at the playhead, over two inputs: a field of colours,
the take's path through it, and what makes its borders.
"""

from collections.abc import Iterator
from dataclasses import dataclass

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import (
    QColor,
    QFontMetricsF,
    QHelpEvent,
    QHideEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QShowEvent,
)
from PySide6.QtWidgets import QToolTip, QWidget

from umbrant.desk.session.desk import Desk
from umbrant.desk.views.decisions.field_place import (
    DraggedBorder,
    FieldPlace,
    paint_axes,
    paint_field,
    short_name,
)
from umbrant.desk.views.decisions.running import RunningMap
from umbrant.desk.widgets.accessible import AccessiblePart
from umbrant.desk.widgets.painted import PaintedView, draw_focus
from umbrant.desk.widgets.theme import Palette, body_font
from umbrant.mapping.axes import PLACES
from umbrant.mapping.border_number import DIGITS, BorderNumber
from umbrant.mapping.field import STEPS, MapPicture
from umbrant.mapping.worker import MapQuestion
from umbrant.model.edits import Edit
from umbrant.model.values import KeyType, number_text
from umbrant.nearest.places import ConditionNumber
from umbrant.reasons.decision_changes import leading_rows

LEFT, TOP, BELOW, GAP, LINE, SWATCH = 34.0, 8.0, 30.0, 14.0, 19.0, 10.0
LEAST_LEGEND = 210.0
NUDGES = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}
"""By how many steps of the field a key moves the border that is chosen."""
NOTHING = """Run › Decision map… (Ctrl+Shift+M) asks for two inputs,
and shows which row would lead for each pair of values."""


@dataclass(frozen=True)
class LegendLine:
    """A line beside the field: a label with its share, or what makes a border."""

    text: str
    row_id: str
    label: int | None
    """The label whose colour it has; None for a border."""
    number: BorderNumber | None = None
    """Of a border the number that makes it, if one does."""

    @property
    def short(self) -> str:
        """A border's text with the row's number alone; empty for any other."""
        row, colon, condition = self.text.partition(": ")
        if self.label is None and colon:
            return f"{row.partition(' ')[0]}: {condition}"
        return ""


class DecisionsView(PaintedView):
    """The decision map. Up and Down walk the lines beside it, Enter goes to
    the row of one.

    Dragging a border that a number makes changes the number; by keyboard Left
    and Right do, on the border's line.
    """

    def __init__(
        self, desk: Desk, palette: Palette, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.desk, self.palette_ = desk, palette
        self.running = RunningMap(self)
        self.inputs: tuple[str, str] | None = None
        """The inputs with their ranges, as they were typed; None for those
        that are offered.
        """
        self.chosen = 0
        """The line beside the field that is chosen."""
        self._image: QImage | None = None
        self._lines: list[LegendLine] = []
        self._held: BorderNumber | None = None
        """What makes the border that is dragged."""
        self._dragged_to = 0.0
        """The number that it has been dragged to."""
        self._written: dict[ConditionNumber, float] = {}
        """What was written last from this map: the next step goes on from
        there, though the map shows it only once the new take has been asked.
        """
        self.setAccessibleName("Decision map")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(200, 72)
        self.setMouseTracking(True)
        self.running.changed.connect(self._take_up)
        for changed in (
            desk.playhead_moved,
            desk.take_changed,
            desk.agent_changed,
        ):
            changed.connect(self.draw_again)

    def sizeHint(self) -> QSize:
        return QSize(480, 270)

    def heading(self) -> str:
        """What it is over; the rest stands in it, where there is room."""
        picture = self.running.picture
        if picture is None:
            return "over two inputs"
        return f"{short_name(picture.x)} · {short_name(picture.y)}"

    def progress(self) -> str:
        """How far the map is."""
        count = 0
        if self.running.picture is not None:
            count = self.running.picture.played
        if self.running.is_running:
            return f"{count} places played, more to come"
        return f"{count} places played"

    def set_palette(self, palette: Palette) -> None:
        super().set_palette(palette)
        self._take_up()

    # what is asked

    def show_inputs(self, across: str, up: str) -> None:
        """Draw the map of two inputs from now on."""
        self.inputs = across, up
        self.draw_again()

    def offered_inputs(self) -> tuple[str, str] | None:
        """Two inputs that can be looked at: where somebody stands whom the
        agent has to do with.
        """
        desk, take = self.desk, self.desk.take
        if take is None or desk.agent not in take.agents:
            return None
        who = next(self._others(), None)
        stage = take.header.project.find_stage(take.header.played.stage)
        if who is None or stage is None:
            return None
        sizes = stage.width_m, stage.height_m
        across, up = (
            f"{who}.{along}=0:{number_text(size)}"
            for along, size in zip(PLACES[:2], sizes, strict=True)
        )
        return across, up

    def _others(self) -> Iterator[str]:
        """Those of the cast that the agent may decide by, whom a key names
        first.
        """
        take, agent, behavior = (
            self.desk.take,
            self.desk.agent,
            self._behavior_name(),
        )
        if take is None or not behavior:
            return
        for key in take.header.expanded(behavior).keys.values():
            changes = take.agents[agent].keys.get(key.name)
            held = None
            if changes is not None:
                held = changes.at(self.desk.playhead)
            if (
                key.type is KeyType.AGENT
                and held is not None
                and held.value in take.poses
            ):
                yield str(held.value)
        for member in take.header.cast:
            if member.name != agent and not member.waits:
                yield member.name

    def _behavior_name(self) -> str:
        take = self.desk.take
        member = None
        if take is not None:
            member = take.header.played.member(self.desk.agent)
        if member is not None:
            return member.behavior or ""
        return ""

    def draw_again(self) -> None:
        """Ask for the map at the playhead, if it is looked at."""
        desk, current = self.desk, self.desk.takes.current
        inputs = self.inputs or self.offered_inputs()
        can_ask = (
            inputs is not None and current is not None and current.is_finished
        )
        if not self.isVisible() or not can_ask or not self._behavior_name():
            return
        take = desk.take
        assert take is not None  # noqa: S101  (a finished take is shown)
        assert inputs is not None  # noqa: S101  (checked above)
        question = MapQuestion(
            take=take.path,
            agent=desk.agent,
            tick=min(desk.playhead, take.last_tick),
            x=inputs[0],
            y=inputs[1],
            trusted=desk.documents.may_run_nodes,
        )
        self.running.ask(question)
        self.update()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.draw_again()

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        self.running.rest()

    # what is shown

    def lines(self) -> list[LegendLine]:
        """The lines beside the field: the labels, the largest first, and the
        borders.
        """
        return self._lines

    def colour_of(self, picture: MapPicture, label: int) -> QColor:
        """The colour of a label: that of its row in the lanes."""
        behavior = self.desk.behavior
        if behavior is not None:
            rows = leading_rows(behavior)
        else:
            rows = ()
        lead = picture.row_of(label)
        if lead in rows:
            place = rows.index(lead)
        else:
            place = label
        # Leads of several branches at a time would else have the colour of the
        # first alone.
        others = sum(picture.row_of(each) == lead for each in range(label))
        colours = self.palette_.leads
        return colours[place % len(colours)].lighter(100 + 22 * others)

    def _take_up(self) -> None:
        picture = self.running.picture
        self._image, self._lines = None, []
        if picture is not None:
            self._lines = _lines_of(picture)
        if picture is not None and picture.grid:
            colours = [
                self.colour_of(picture, at).rgb()
                for at in range(len(picture.labels))
            ]
            image = QImage(STEPS + 1, STEPS + 1, QImage.Format.Format_RGB32)
            for j, line in enumerate(picture.grid):
                for i, label in enumerate(line):
                    image.setPixel(i, STEPS - j, colours[label])
            self._image = image
        self.chosen = min(self.chosen, max(0, len(self._lines) - 1))
        self.update()

    def field(self) -> QRectF:
        """Where the field is drawn: a square, or as the stage is if both
        inputs are along it.
        """
        wide, high = (
            self.width() - LEFT - GAP - LEAST_LEGEND,
            self.height() - TOP - BELOW,
        )
        picture, shape = self.running.picture, 1.0
        if (
            picture is not None
            and picture.x.endswith(".x")
            and picture.y.endswith(".y")
        ):
            across, up = (
                high - low
                for low, high in zip(picture.low, picture.high, strict=True)
            )
            shape = across / up
        wide = max(40.0, min(wide, high * shape))
        return QRectF(LEFT, TOP, wide, wide / shape)

    def box_of(self, index: int) -> QRectF:
        """Where a line beside the field is drawn."""
        field = self.field()
        left = field.right() + GAP
        borders = sum(each.label is None for each in self.lines()[: index + 1])
        top = TOP + (index - self._seen().start) * LINE + (6 if borders else 0)
        return QRectF(left, top, self.width() - left - 6, LINE)

    def _seen(self) -> range:
        """The lines beside the field for which there is room above the foot,
        the chosen one among them.
        """
        fit = max(1, int((self.height() - TOP - 6 - LINE) // LINE))
        first = max(0, self.chosen - fit + 1)
        return range(first, min(len(self._lines), first + fit))

    def _place(self) -> FieldPlace | None:
        """Where the field is and what is in it; None without a map."""
        picture = self.running.picture
        if picture is None:
            return None
        return FieldPlace(picture, self.field())

    def to_pixels(
        self, picture: MapPicture, at: tuple[float, float]
    ) -> QPointF:
        """Where a pair of values is drawn."""
        return FieldPlace(picture, self.field()).to_pixels(at)

    def parts(self) -> list[AccessiblePart]:
        """The lines beside the field, for a screen reader."""
        return [
            AccessiblePart(line.text, self.box_of(index), index == self.chosen)
            for index, line in enumerate(self.lines())
        ]

    def draw(self, painter: QPainter) -> None:
        palette, picture = self.palette_, self.running.picture
        painter.fillRect(self.rect(), palette.sheet)
        painter.setFont(body_font(11))
        if picture is None or self._image is None:
            if self.running.error:
                ink = palette.refused
            else:
                ink = palette.dim
            painter.setPen(ink)
            words = self.running.error or (
                "Playing …" if self.running.is_running else NOTHING
            )
            flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(
                QRectF(self.rect()).adjusted(20, 0, -20, 0), flags, words
            )
            return
        place, dragged = FieldPlace(picture, self.field()), None
        if self._held is not None:
            dragged = DraggedBorder(self._held, self._dragged_to)
        paint_field(painter, place, self._image, dragged, palette)
        paint_axes(painter, place, LEFT, palette)
        for index in self._seen():
            self._draw_line(painter, picture, index, self.lines()[index])
        painter.setPen(palette.faint)
        foot = QRectF(
            self.field().right() + GAP + 4,
            self.height() - LINE,
            self.width(),
            LINE,
        )
        painter.drawText(foot, Qt.AlignmentFlag.AlignVCenter, self.progress())
        if self.hasFocus():
            draw_focus(painter, self, palette)

    def _draw_line(
        self,
        painter: QPainter,
        picture: MapPicture,
        index: int,
        line: LegendLine,
    ) -> None:
        box, palette = self.box_of(index), self.palette_
        if index == self.chosen and self.hasFocus():
            painter.fillRect(box, palette.selection)
        left = box.left() + 4
        painter.setPen(palette.dim)
        if line.label is not None:
            painter.setPen(palette.ink)
            swatch = QRectF(
                left, box.center().y() - SWATCH / 2, SWATCH, SWATCH
            )
            painter.fillRect(swatch, self.colour_of(picture, line.label))
            left += SWATCH + 6
        metrics = QFontMetricsF(painter.font())
        room = box.right() - left
        is_wide = metrics.horizontalAdvance(line.text) > room
        if is_wide and line.short:
            words = line.short
        else:
            words = line.text
        text = metrics.elidedText(words, Qt.TextElideMode.ElideRight, room)
        painter.drawText(
            QRectF(left, box.top(), room, box.height()),
            Qt.AlignmentFlag.AlignVCenter,
            text,
        )

    # borders

    def border_at(self, pixel: QPointF) -> BorderNumber | None:
        """The number that makes the border near a pixel; None where none is
        near, or no single number makes it.
        """
        place = self._place()
        if place is None:
            return None
        return place.number_at(pixel)

    def set_number(self, number: BorderNumber, value: float) -> None:
        """Write another number into the condition that makes a border."""
        place = number.place
        if number.read(self.desk.project) not in (
            number.value,
            self._written.get(place),
        ):
            self.desk.message.emit(
                "The condition is another one now than in this map. Wait for the next map."
            )
            return
        self._written = {place: value}
        merges = (
            f"border {place.behavior} {place.row} {place.part} {place.index}"
        )
        self.desk.apply(
            Edit("Set", lambda project: place.put(project, value), merges)
        )

    # events

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        place = self._place()
        if self._held is not None and place is not None:
            self._dragged_to = self._held.at(place.values_at(event.position()))
            self.desk.message.emit(
                f"{number_text(self._held.value)} → {number_text(self._dragged_to)}"
            )
            self.update()
            return
        grabs = self.border_at(event.position()) is not None
        if grabs:
            cursor = Qt.CursorShape.SizeAllCursor
        else:
            cursor = Qt.CursorShape.ArrowCursor
        self.setCursor(cursor)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        held, self._held = self._held, None
        if held is not None:
            self.desk.message.emit("")
            if self._dragged_to != held.value:
                self.set_number(held, self._dragged_to)
                self.desk.documents.history.settle()
            self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        self._held = self.border_at(event.position())
        if self._held is not None:
            self._dragged_to = self._held.value
        hit = (
            each
            for each in self._seen()
            if self.box_of(each).contains(event.position())
        )
        index = next(hit, None)
        if index is not None:
            self.chosen = index
            self.go_to()
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}
        key, count = Qt.Key(event.key()), len(self.lines())
        if key in steps and count:
            self.chosen = (self.chosen + steps[key]) % count
            self.update()
        elif key in NUDGES and self._chosen_number() is not None:
            self._nudge(NUDGES[key])
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and count:
            self.go_to()
        else:
            super().keyPressEvent(event)

    def _nudge(self, steps: int) -> None:
        """Move the chosen border by so many steps of the field."""
        number, picture = self._chosen_number(), self.running.picture
        if number is None or picture is None:
            return
        axis = number.axis or 0
        step = (picture.high[axis] - picture.low[axis]) / STEPS
        now = number.read(self.desk.project)
        value = (number.value if now is None else now) + steps * step
        self.set_number(number, round(value, DIGITS))

    def _chosen_number(self) -> BorderNumber | None:
        """The number of the chosen line; None where that is no border that a
        number makes.
        """
        if self.chosen < len(self._lines):
            return self._lines[self.chosen].number
        return None

    def go_to(self) -> None:
        """Select the row that the chosen line is about."""
        line = self.lines()[self.chosen]
        if line.row_id:
            self.desk.select_row(line.row_id)
        else:
            self.desk.message.emit(
                "No single row makes this border: scores or memory decide."
            )

    def event(self, event: QEvent) -> bool:
        """What a place of the field says is told in a tip. Left and Right
        belong to a border that they can move, and else to the playhead.
        """
        if (
            isinstance(event, QKeyEvent)
            and event.type() == QKeyEvent.Type.ShortcutOverride
            and event.key() in NUDGES
            and self._chosen_number() is not None
        ):
            event.accept()
            return True
        if (
            isinstance(event, QHelpEvent)
            and event.type() == QEvent.Type.ToolTip
        ):
            QToolTip.showText(
                event.globalPos(), self.tip_at(QPointF(event.pos())), self
            )
            return True
        return super().event(event)

    def tip_at(self, pixel: QPointF) -> str:
        """The values at a place of the field and what leads there, or a line
        that is cut off.
        """
        picture, field = self.running.picture, self.field()
        if picture is None or not picture.grid:
            return ""
        for index in self._seen():
            if self.box_of(index).contains(pixel):
                return self.lines()[index].text
        if not field.contains(pixel):
            return ""
        place = FieldPlace(picture, field)
        (x, y), (i, j) = place.values_at(pixel), place.step_at(pixel)
        label = picture.labels[picture.grid[j][i]]
        return f"{short_name(picture.x)} {x:.2f}, {short_name(picture.y)} {y:.2f}: {label}"


def _lines_of(picture: MapPicture) -> list[LegendLine]:
    found = []
    for label, share in picture.shares():
        place = picture.labels.index(label)
        row_id = picture.row_of(place)
        found.append(
            LegendLine(f"{label} · {share * 100:.0f} %", row_id, place)
        )
    borders = {
        each.says: LegendLine(each.says, each.row_id, None, each.number)
        for each in picture.borders
    }
    return [*found, *borders.values()]
