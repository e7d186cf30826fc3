"""The setting: everything of a project besides its rows, written and changed
as sentences.
"""

from collections.abc import Callable
from functools import partial
from typing import Any

from PySide6.QtCore import (
    QAbstractTableModel,
    QModelIndex,
    QObject,
    QPoint,
    QPointF,
    QRectF,
    Qt,
    Signal,
)
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QResizeEvent
from PySide6.QtWidgets import QHeaderView, QMenu, QWidget

from umbrant.desk.chips.layout import RowLayout, make_flow
from umbrant.desk.chips.sentence_delegate import SentenceDelegate
from umbrant.desk.chips.table import SENTENCES, ChipTable
from umbrant.desk.session.desk import Desk
from umbrant.desk.views.setting.documents import SettingMemory
from umbrant.desk.views.setting.fields import Addition, SettingLine
from umbrant.desk.views.setting.folding import (
    best_line,
    is_closed,
    lines_around,
    shown_lines,
)
from umbrant.desk.views.setting.lines import Setting
from umbrant.desk.views.setting.listed import (
    KeysTarget,
    ListTarget,
    NumbersTarget,
    listed_message,
)
from umbrant.desk.views.setting.where import WhereHeader
from umbrant.desk.widgets.dialogs import Dialogs
from umbrant.desk.widgets.painted import ModelIndex
from umbrant.desk.widgets.theme import Palette
from umbrant.model.documents import Project
from umbrant.model.edits import Edit
from umbrant.model.folder import FOLDERS
from umbrant.model.paths import Path, at, move, remove
from umbrant.model.staging import Member


class SettingModel(QAbstractTableModel):
    """The lines of the project's setting, folded where the author folded them."""

    def __init__(self, desk: Desk, parent: QObject) -> None:
        super().__init__(parent)
        self.desk = desk
        self.lines: list[SettingLine] = []
        """Those that are shown."""
        self.words: tuple[str, ...] = ()
        """What the lines that are shown must hold; empty for no filter."""
        self._toggled: set[Path] = set()
        """The lines that were opened or closed, and have not been the other
        way round since.
        """
        self._memory: SettingMemory = {}
        self._all: list[SettingLine] = []

    def reload(self) -> None:
        """Write the lines of the project as it now is."""
        self.beginResetModel()
        self._all = Setting(
            self.desk.project, self.desk.catalog, self._memory
        ).lines()
        self.lines = shown_lines(self._all, self._toggled, self.words)
        self.endResetModel()

    def fold(self, path: Path) -> None:
        """Fold what is below a line, or unfold it."""
        self._toggled ^= {path}
        self.reload()

    def is_folded(self, line: SettingLine) -> bool:
        """Whether something below a line is not shown."""
        return is_closed(line, self._toggled) and not self.words

    def open_to(self, path: Path) -> None:
        """Have the line of a path shown, wherever it is folded away or
        filtered out.
        """
        if self.line_of(path) < 0:
            self.words = ()
            for line in lines_around(self._all, path):
                if is_closed(line, self._toggled):
                    self._toggled ^= {line.path}
            self.reload()

    def nearest_around(self, path: Path) -> Path | None:
        """The path of the innermost line that is shown around one that is not."""
        around = [each.path for each in lines_around(self._all, path)]
        return next(
            (each for each in reversed(around) if self.line_of(each) >= 0),
            None,
        )

    def section_at(self, index: int) -> list[SettingLine]:
        """The headings that a place is below of: the section and its document."""
        line = self.line_at(index)
        if line is None:
            return []
        return [*lines_around(self.lines, line.path), line][:2]

    def headerData(
        self,
        section: int,
        orientation: Qt.Orientation,
        role: int = Qt.ItemDataRole.DisplayRole,
    ) -> Any:
        if (
            orientation is Qt.Orientation.Horizontal
            and role == Qt.ItemDataRole.DisplayRole
        ):
            return "Setting"
        return None

    def every_line(self) -> list[SettingLine]:
        """The lines of the project as it now is, those that are not shown too."""
        return Setting(
            self.desk.project, self.desk.catalog, self._memory
        ).lines()

    def line_at(self, index: int) -> SettingLine | None:
        """The line at a place."""
        if 0 <= index < len(self.lines):
            return self.lines[index]
        return None

    def line_of(self, path: Path) -> int:
        """The place of the line of a path; -1 if it is not shown."""
        return next(
            (
                index
                for index, line in enumerate(self.lines)
                if line.path == path
            ),
            -1,
        )

    # Qt's own signature.
    def rowCount(self, parent: ModelIndex = QModelIndex()) -> int:  # noqa: B008
        if parent.isValid():
            return 0
        return len(self.lines)

    # Qt's own signature.
    def columnCount(self, parent: ModelIndex = QModelIndex()) -> int:  # noqa: B008
        if parent.isValid():
            return 0
        return 1

    def data(
        self, index: ModelIndex, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        line = self.line_at(index.row())
        if line is None:
            return None
        if role == Qt.ItemDataRole.DisplayRole:
            return line.text
        if role == Qt.ItemDataRole.ToolTipRole:
            return line.help or None
        return None


class LineDelegate(SentenceDelegate):
    """Draws a line: its sentence, and a mark before what is folded away."""

    def __init__(self, view: "SettingView") -> None:
        super().__init__(view)
        self._view = view

    def ground(self, place: int) -> QColor:
        line, palette = (
            self._view.setting.line_at(place),
            self._view.brushes.palette,
        )
        if line is not None and line.heading:
            return palette.ground
        return palette.sheet

    def draw_before(
        self, painter: QPainter, layout: RowLayout, place: int
    ) -> None:
        line = self._view.setting.line_at(place)
        if line is not None and self._view.setting.is_folded(line):
            painter.setPen(self._view.brushes.palette.dim)
            mark = QRectF(8, 0, 24, layout.height)
            painter.drawText(mark, Qt.AlignmentFlag.AlignVCenter, "▸")


class SettingView(ChipTable):
    """The lines of the setting. Enter adds, Delete removes, Alt with the
    arrows moves, C walks the chips.
    """

    walked = Signal(object)
    """The path of the line that is now selected."""

    def __init__(
        self,
        desk: Desk,
        palette: Palette,
        dialogs: Callable[[], Dialogs],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(desk, palette, dialogs, parent)
        self.setAccessibleName("Setting")
        self._dialogs = dialogs
        self.setting = SettingModel(desk, self)
        self.setModel(self.setting)
        self.setItemDelegate(LineDelegate(self))
        self.where = WhereHeader(self)
        self.setHorizontalHeader(self.where)
        self.where.show()
        self.where.filtered.connect(self.filter)
        self.verticalScrollBar().valueChanged.connect(
            self.where.viewport().update
        )
        self.horizontalHeader().setSectionResizeMode(
            QHeaderView.ResizeMode.Stretch
        )
        self.menu: QMenu | None = None
        self._path: Path = ("cover",)
        self._layouts: dict[int, RowLayout] = {}
        self._heights: dict[tuple[object, ...], int] = {}
        self.is_stale = True
        self._shown: Project | None = None
        """The project as it was when its lines were written."""
        desk.project_changed.connect(self.reload_when_seen)
        self.selectionModel().currentRowChanged.connect(self._walked)

    # what it shows

    needs_row = shows_rows = False

    def heading(self) -> str:
        """The text of the line over the setting: what it holds and what its
        keys do.
        """
        return (
            "keys, events, stages, cast and cues · Enter adds · Delete removes"
        )

    def reload(self) -> None:
        """Take up the project as it now is, if it was changed since."""
        self.is_stale = False
        self.setting.reload()
        self._set_heights()
        self.select_path(self._followed(self._path))
        self._shown = self.desk.project

    def _followed(self, path: Path) -> Path:
        """Where the line of a path is now, if its document is called otherwise
        than when it was shown last.
        """
        if len(path) < 2 or self._shown is None or path[0] not in FOLDERS:
            return path
        if path[-2] == "stats":
            return self._followed_entry(path)
        now, before = (
            [each.name for each in at(project, path[:1])]
            for project in (self.desk.project, self._shown)
        )
        new = [name for name in now if name not in before]
        if path[1] not in now and len(new) == 1:
            return (path[0], new[0], *path[2:])
        return path

    def _followed_entry(self, path: Path) -> Path:
        """Where the entry of a mapping is now, if it is called otherwise than
        it was.
        """
        try:
            now, before = (
                list(at(self.desk.project, path[:-1])),
                list(at(self._shown, path[:-1])),
            )
        except (KeyError, IndexError):
            # What it belonged to is gone.
            return path
        new = [name for name in now if name not in before]
        renamed = (
            path[-1] not in now and len(now) == len(before) and len(new) == 1
        )
        if renamed:
            return (*path[:-1], new[0])
        return path

    def select_path(self, path: Path) -> None:
        """Look at the line of a path, or at the nearest that is left before
        it.
        """
        if self.setting.line_of(path) < 0:
            path = self.setting.nearest_around(path) or path
        while path and self.setting.line_of(path) < 0:
            last = path[-1]
            if isinstance(last, int) and last > 0:
                path = (*path[:-1], last - 1)
            else:
                path = path[:-1]
        index = max(0, self.setting.line_of(path))
        self.setCurrentIndex(self.setting.index(index, SENTENCES))
        if self.setting.lines:
            self._path = self.setting.lines[index].path
        else:
            self._path = ()
        self.scrollTo(self.currentIndex())
        self.viewport().update()

    @property
    def path(self) -> Path:
        """The path of the line that is selected."""
        return self._path

    @property
    def line(self) -> SettingLine | None:
        """The line that is selected."""
        return self.setting.line_at(self.selected_index())

    def layout_at(self, index: int) -> RowLayout | None:
        line = self.setting.line_at(index)
        if line is None:
            return None
        if index not in self._layouts:
            flow = make_flow(
                self.brushes.fonts,
                self.viewport().width(),
                compact=self.compact,
            )
            self._layouts[index] = flow.lay_out(line.pieces, line.depth)
        return self._layouts[index]

    def selected_index(self) -> int:
        return self.currentIndex().row()

    def lay_out_again(self) -> None:
        self._heights.clear()
        self._set_heights()

    def _set_heights(self) -> None:
        """Lines that look as others did are as high as those: only what is
        seen is laid out.
        """
        self._layouts.clear()
        for index, line in enumerate(self.setting.lines):
            looks = (
                line.depth,
                *(
                    (piece.text, piece.role, piece.group)
                    for piece in line.pieces
                ),
            )
            if looks not in self._heights:
                layout = self.layout_at(index)
                if layout is not None:
                    self._heights[looks] = int(layout.height)
                else:
                    self._heights[looks] = 0
            if self.rowHeight(index) != self._heights[looks]:
                self.setRowHeight(index, self._heights[looks])
        self.viewport().update()

    # what can be done

    def open_additions(self) -> None:
        """Offer what can be added where the selected line stands."""
        line = self.line
        if line is None or not line.additions:
            return
        menu = QMenu(self)
        menu.setAccessibleName("Add to the setting")
        for addition in line.additions:
            menu.addAction(addition.title, partial(self.add, addition))
        here = self._list_here()
        if here is not None:
            menu.addSeparator()
            menu.addAction(
                f"Several {here.what}, typed as a list…", self.ask_for_list
            )
        self.menu = menu
        corner = self.visualRect(self.currentIndex()).bottomLeft()
        menu.popup(self.viewport().mapToGlobal(corner + QPoint(40, 0)))

    def add(self, addition: Addition) -> None:
        """Add something, and begin with its name."""
        where: list[Path] = []

        def apply(project: Any) -> Any:
            changed, path = addition.add_to(project)
            where.append(path)
            return changed

        title = addition.title.partition(":")[0].lower()
        if self.apply_edit(Edit(f"Add {title}", apply)):
            self.setFocus()
            self.unfold_to(where[-1])
            self.focus_chip(1)

    def can_paste(self) -> bool:
        # Everywhere: what does not belong to a line is said when it is put in.
        return True

    def paste_text(self, text: str) -> bool:
        """Make the keys, or the numbers of a body, that a text lists."""
        self.add_listed(text)
        return True

    def add_listed(self, text: str) -> None:
        """Make what a text lists where the selected line stands, and name what
        was not taken.
        """
        here = self._list_here()
        if here is None:
            self.desk.message.emit(
                "Select a blackboard for a list of keys, or one of the cast for a list of numbers."
            )
            return
        taken, faults = here.read(self.desk.project, text)
        if taken and self.apply_edit(
            Edit(f"Add {here.what}", lambda p: here.put(p, taken))
        ):
            self.select_path(
                here.line_of(self.desk.project, next(iter(taken)))
            )
        self.desk.message.emit(listed_message(here.what, taken, faults))

    def ask_for_list(self) -> None:
        """Ask for a list of keys or numbers, and make them."""
        here = self._list_here()
        if here is not None:
            label = f"{here.example} · Ctrl+Enter makes them"
            text = self._dialogs().note(
                f"Several {here.what}", label, verb="Make them"
            )
            if text:
                self.add_listed(text)

    def _list_here(self) -> ListTarget | None:
        """What a list that is typed where the selected line stands would make."""
        path = self._path
        if self.member_here() is not None:
            return NumbersTarget(path[:4])
        if len(path) > 1 and path[0] == "blackboards":
            return KeysTarget(path[:2])
        return None

    def delete(self) -> bool:
        self._remove()
        return True

    def _remove(self) -> None:
        """Remove what the selected line is about, if it can be."""
        line = self.line
        if line is None or not line.removable:
            self.desk.message.emit(
                "This line cannot be removed; select one below it."
            )
            return
        path = line.path
        users = Setting(self.desk.project, self.desk.catalog).users(path)
        if users and not self._dialogs().remove(_called(line), users):
            return
        self.apply_edit(
            Edit(
                f"Remove {line.pieces[0].text} {_called(line)}",
                lambda project: remove(project, path),
            )
        )
        self.select_path(path)

    def move_line(self, step: int) -> bool:
        path = self._path
        if path and isinstance(path[-1], int):
            last = path[-1]
            if self.apply_edit(
                Edit("Move", lambda project: move(project, path, step))
            ):
                self.select_path((*path[:-1], last + step))
        return True

    def can_fold(self) -> bool:
        return True

    def fold(self) -> None:
        self.setting.fold(self._path)
        self._set_heights()
        self.select_path(self._path)

    def filter(self, text: str) -> None:
        """Show only the lines that hold all words of a text, and what they are
        below of.
        """
        path = self._path
        self.setting.words = tuple(text.split())
        self.setting.reload()
        self._set_heights()
        found = best_line(self.setting.lines, self.setting.words)
        if found is not None or not text:
            if found is not None:
                path = found.path
            self.select_path(path)

    def begin_filter(self) -> None:
        """Put the keyboard into the filter."""
        self.where.begin()

    def all_lines(self) -> list[SettingLine]:
        """The lines of the project, those that are folded away too."""
        return self.setting.every_line()

    def unfold_to(self, path: Path) -> None:
        """Look at the line of a path, wherever it is folded away."""
        if self.setting.line_of(path) < 0:
            self.where.clear()
            self.setting.open_to(path)
            self._set_heights()
        self.select_path(path)

    def behavior_here(self) -> str | None:
        """The behavior that the selected line is about, if it is about one: of
        one of the cast, what it runs.
        """
        path, member = self._path, self.member_here()
        if member is not None:
            return member.behavior
        if len(path) > 1 and path[0] == "behaviors":
            return str(path[1])
        return None

    def member_here(self) -> Member | None:
        """The one of a cast that the selected line is about, if it is about
        one.
        """
        path = self._path
        if len(path) < 4 or path[0] != "scenarios" or path[2] != "cast":
            return None
        found = at(self.desk.project, path[:4])
        if isinstance(found, Member):
            return found
        return None

    # events

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.lay_out_again()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.editing.finish()
        index = self.indexAt(event.position().toPoint())
        self.setFocus()
        if index.isValid():
            self.leave_chips()
            self.select_path(self.setting.lines[index.row()].path)
            if event.button() is Qt.MouseButton.LeftButton:
                self.press_sentence(index.row(), event.position())

    def press_line(self, place: int, position: QPointF) -> bool:
        if position.x() >= 30:
            return False
        self.fold()
        return True

    # inside

    def _walked(self, current: QModelIndex, previous: QModelIndex) -> None:
        line = self.setting.line_at(current.row())
        if line is not None and line.path != self._path:
            self.leave_chips()
            self._path = line.path
            self.setAccessibleDescription(line.text)
            self.walked.emit(line.path)
            self.viewport().update()


def _called(line: SettingLine) -> str:
    if len(line.pieces) > 1:
        return line.pieces[1].text
    return ""
