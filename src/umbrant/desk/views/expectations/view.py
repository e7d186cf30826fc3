"""The project's expectations as sentences: what must be so in takes, and
whether it is in the one that is shown.
"""

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Any

from PySide6.QtCore import (
    QAbstractTableModel,
    QModelIndex,
    QObject,
    QPoint,
    QRectF,
    Qt,
)
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QMenu, QWidget

from umbrant.desk.chips.layout import RowLayout
from umbrant.desk.chips.sentence import PieceRole, SentencePiece
from umbrant.desk.chips.sentence_delegate import SentenceDelegate
from umbrant.desk.chips.sentence_list import SentenceList
from umbrant.desk.session.background import NewestOnlyWorker
from umbrant.desk.session.desk import Desk
from umbrant.desk.session.history import OtherStep
from umbrant.desk.views.expectations.lines import (
    KINDS,
    ExpectationOffer,
    ExpectationState,
    expectation_pieces,
    states_of,
)
from umbrant.desk.widgets.dialogs import Dialogs
from umbrant.desk.widgets.painted import ModelIndex
from umbrant.desk.widgets.theme import Palette
from umbrant.expecting.expectation import (
    BrokenExpectation,
    Expectation,
    Expected,
    NamedExpectation,
    broken_expectations,
)
from umbrant.expecting.files import (
    new_file,
    remove_expectation,
    with_field,
    write_expectation,
)
from umbrant.model.values import count_text
from umbrant.take.reader import Take

HINT = "Enter writes down what must be so in every take: always, never, by a time, how often …"
UNSAVED = "Save the project first: expectations are kept in its folder."


@dataclass(frozen=True)
class ExpectationCheck:
    """A take, and what it is to be held against."""

    take: Take
    expectations: tuple[NamedExpectation, ...]

    def broken(self) -> list[BrokenExpectation]:
        """What it breaks. Any thread."""
        return broken_expectations(self.expectations, self.take)


class ExpectationModel(QAbstractTableModel):
    """The expectations of the project's folder, one to a line."""

    def __init__(self, desk: Desk, parent: QObject) -> None:
        super().__init__(parent)
        self.desk = desk
        self.lines: tuple[NamedExpectation, ...] = ()
        self.states: tuple[ExpectationState, ...] = ()
        self.is_checked = True
        """Whether the take that is shown has been held against them as they
        now are.
        """

    def reload(self) -> None:
        """Take up the files as they now are."""
        self.beginResetModel()
        desk = self.desk
        self.lines = desk.documents.read_expectations()
        broken = None
        if self.is_checked and desk.take:
            broken = [each.file for each in desk.broken]
        first = desk.project.cover.scenario
        if desk.take is not None:
            scenario = desk.take.header.scenario
        else:
            scenario = desk.scenario_name
        self.states = tuple(states_of(self.lines, broken, scenario, first))
        self.endResetModel()

    # Qt's own signature.
    def rowCount(self, parent: ModelIndex = QModelIndex()) -> int:  # noqa: B008
        if parent.isValid():
            return 0
        return max(1, len(self.lines))

    # Qt's own signature.
    def columnCount(self, parent: ModelIndex = QModelIndex()) -> int:  # noqa: B008
        if parent.isValid():
            return 0
        return 1

    def data(
        self, index: ModelIndex, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        if role != Qt.ItemDataRole.DisplayRole:
            return None
        if 0 <= index.row() < len(self.lines):
            sentence = self.lines[index.row()].expectation.sentence
            return f"{sentence} · {self.states[index.row()]}"
        return HINT


class ExpectationDelegate(SentenceDelegate):
    """Draws the line of an expectation, with a bar for what the take says of
    it.
    """

    def __init__(self, view: "ExpectationsView") -> None:
        super().__init__(view)
        self._view = view

    def draw_before(
        self, painter: QPainter, layout: RowLayout, place: int
    ) -> None:
        states, palette = self._view.model_.states, self._view.brushes.palette
        if place < len(states):
            state = states[place]
        else:
            state = ExpectationState.UNKNOWN
        colours = {
            ExpectationState.HOLDS: palette.success,
            ExpectationState.BROKEN: palette.refused,
        }
        bar = QRectF(0, 0, 3, layout.height - 1)
        painter.fillRect(bar, colours.get(state, palette.faint))


class ExpectationsView(SentenceList):
    """The expectations. Enter adds one or goes to where the selected one is
    broken, C walks its chips, Delete takes it away.
    """

    def __init__(
        self,
        desk: Desk,
        palette: Palette,
        dialogs: Callable[[], Dialogs],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(desk, palette, dialogs, parent)
        self.setAccessibleName("Expectations")
        self.model_ = ExpectationModel(desk, self)
        self.menu: QMenu | None = None
        self.is_stale = True
        self._checking = NewestOnlyWorker(
            "Checking expectations", ExpectationCheck.broken, (), self
        )
        self._checking.answered.connect(self._checked)
        self._checking.failed.connect(desk.message)
        self.list_lines(self.model_, ExpectationDelegate(self))
        desk.take_changed.connect(self.reload_when_seen)
        for changed in (desk.documents.refreshed, desk.documents.stepped):
            changed.connect(self._files_changed)

    def heading(self) -> str:
        """What must be so, and how much of it is."""
        count = len(self.model_.lines)
        broken = sum(
            state is ExpectationState.BROKEN for state in self.model_.states
        )
        what = count_text(count, "expectation")
        return f"{what} · {broken} broken in this take · Enter adds"

    def close_worker(self) -> None:
        """The window leaves the project."""
        self._checking.close()

    # lines

    def reload(self) -> None:
        """Take up the expectations as they now are, with the same one
        selected.
        """
        self.is_stale, index = False, max(0, self.selected_index())
        self.model_.reload()
        self.lay_out_again()
        self.setCurrentIndex(
            self.model_.index(min(index, self.model_.rowCount() - 1), 0)
        )

    @property
    def selected(self) -> NamedExpectation | None:
        """The expectation of the selected line; None where there is none."""
        index, lines = self.selected_index(), self.model_.lines
        if 0 <= index < len(lines):
            return lines[index]
        return None

    def pieces_of(self, place: int) -> list[SentencePiece]:
        if place < len(self.model_.lines):
            named, state = self.model_.lines[place], self.model_.states[place]
            return expectation_pieces(named, state, self._offer())
        return [SentencePiece(word, PieceRole.WORDS) for word in HINT.split()]

    def _offer(self) -> ExpectationOffer:
        scenario = self.desk.scenario
        if scenario is not None:
            cast = [each for each in scenario.players if each.behavior]
        else:
            cast = []
        groups = dict.fromkeys(each.group for each in cast if each.group)
        return ExpectationOffer(
            self.desk.take,
            (*(each.name for each in cast), *groups),
            tuple(each.name for each in self.desk.project.scenarios),
            self.write,
        )

    # what can be done

    def open_additions(self) -> None:
        """Offer the kinds of expectations, and to go to where the selected one
        is broken.
        """
        menu = QMenu(self)
        menu.setAccessibleName("Expectations")
        broken = self._broken()
        if broken is not None:
            at_s = self.desk.seconds(broken.tick)
            menu.addAction(
                f"Go to {at_s:.2f} s, where it is broken", self.go_to
            )
            menu.addSeparator()
        for choice in KINDS:
            kind = Expected(str(choice.value))
            menu.addAction(
                f"{choice.label}: {choice.help}", partial(self.add, kind)
            )
        self.menu = menu
        corner = self.visualRect(self.currentIndex()).bottomLeft()
        menu.popup(self.viewport().mapToGlobal(corner + QPoint(40, 0)))

    def add(self, kind: Expected) -> None:
        """Write down one more expectation, about the agent that is looked at:
        that its selected row runs, until something else is written.
        """
        folder, desk = self.desk.documents.folder, self.desk
        if folder is None:
            desk.message.emit(UNSAVED)
            return
        number = "1"
        if desk.behavior is not None and desk.row is not None:
            number = desk.behavior.outline.number[desk.row.id]
        first = desk.project.cover.scenario
        if desk.scenario_name == first:
            scenario = ""
        else:
            scenario = desk.scenario_name
        made = Expectation(
            expect=Expected.ALWAYS,
            that=f"ran({number})",
            of=desk.agent,
            scenario=scenario,
        )
        file = new_file(folder)
        self.write(file, with_field(made, "expect", kind))
        files = [each.file for each in self.model_.lines]
        if file in files:
            self.setCurrentIndex(self.model_.index(files.index(file), 0))

    def write(
        self, file: str, expectation: Expectation, merges: str = ""
    ) -> None:
        """Write an expectation into its file, and hold the take against it.
        Further steps of a drag share `merges`.
        """
        known = {each.file: each.expectation for each in self.model_.lines}
        before = known.get(file)
        if before != expectation:
            what = "Add"
            if before is not None:
                what = "Change"
            self._change(
                f"{what} {_called(expectation)}",
                file,
                before,
                expectation,
                merges,
            )

    def delete(self) -> bool:
        named = self.selected
        if named is not None:
            self._change(
                f"Delete {_called(named.expectation)}",
                named.file,
                named.expectation,
                None,
            )
        return True

    def _change(
        self,
        name: str,
        file: str,
        before: Expectation | None,
        after: Expectation | None,
        merges: str = "",
    ) -> None:
        """Put another expectation into a file, or none, as a step that can be
        taken back.
        """
        documents = self.desk.documents
        if documents.folder is None:
            self.desk.message.emit(UNSAVED)
            return
        back, again = (
            partial(self._put, file, each) for each in (before, after)
        )
        try:
            again()
        except OSError as error:
            self.desk.message.emit(
                f"{file}: it could not be written: {error.strerror}."
            )
            return
        documents.note(name, OtherStep(back, again), merges)

    def go_to(self) -> None:
        """Look at the tick at which the selected expectation is broken, and
        for whom.
        """
        broken = self._broken()
        if broken is None:
            return
        if broken.agent:
            self.desk.select_agent(broken.agent)
        self.desk.move_playhead(broken.tick)
        self.desk.message.emit(broken.says)

    def _broken(self) -> BrokenExpectation | None:
        named = self.selected
        found = (
            each
            for each in self.desk.broken
            if named is not None and each.file == named.file
        )
        return next(found, None)

    # checking

    def _check(self) -> None:
        """Hold the take that is shown against the expectations as they now
        are.
        """
        take = self.desk.take
        self.model_.is_checked = take is None
        self.reload()
        if take is not None:
            self._checking.request(ExpectationCheck(take, self.model_.lines))

    def _put(self, file: str, expectation: Expectation | None) -> None:
        """Write an expectation into a file, or remove the file. Raises
        OSError.
        """
        # Where the project is by now: it may have been saved elsewhere since
        # the step.
        folder = self.desk.documents.folder
        if folder is None:
            return
        if expectation is None:
            remove_expectation(folder, file)
        else:
            write_expectation(folder, file, expectation)

    def _files_changed(self) -> None:
        """The files may be others than before: also by a step back or on."""
        if self.desk.documents.read_expectations() != self.model_.lines:
            self._check()

    def _checked(self, found: list[BrokenExpectation]) -> None:
        self.model_.is_checked = True
        self.desk.takes.set_broken(found)
        self.reload()


def _called(expectation: Expectation) -> str:
    return f"expectation: {expectation.title or expectation.sentence}"
