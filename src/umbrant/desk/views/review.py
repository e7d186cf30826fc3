"""The review as a list: what was found, why it matters, and what to do about
it.
"""

from collections.abc import Callable, Iterable
from typing import Any

from PySide6.QtCore import (
    QAbstractTableModel,
    QModelIndex,
    QObject,
    QRectF,
    Qt,
)
from PySide6.QtGui import QColor, QPainter
from PySide6.QtWidgets import QWidget

from umbrant.desk.chips.layout import RowLayout
from umbrant.desk.chips.sentence import (
    ChipEditor,
    PieceRole,
    Pill,
    SentencePiece,
)
from umbrant.desk.chips.sentence_delegate import SentenceDelegate
from umbrant.desk.chips.sentence_list import SentenceList
from umbrant.desk.chips.values import Choice, FieldChip
from umbrant.desk.session.desk import Desk
from umbrant.desk.widgets.dialogs import Dialogs
from umbrant.desk.widgets.painted import ModelIndex
from umbrant.desk.widgets.theme import Palette
from umbrant.expecting.expectation import BrokenExpectation
from umbrant.model.documents import Dismissal, Project
from umbrant.model.edits import Edit
from umbrant.model.folder import NODES
from umbrant.model.parts import ROW, Slot
from umbrant.model.paths import add
from umbrant.model.problems import Problem
from umbrant.model.values import count_text
from umbrant.review.findings import Finding, Rule, Severity, Subject

REASONS = (
    "it is meant so",
    "it is for the game to read",
    "it is not finished yet",
    "it is of no account",
)
"""Why a finding may be dismissed."""


EXPECTED = Rule(
    "expectation",
    "An expectation is broken",
    "The project's authors have written down that it must be otherwise.",
    Severity.ERROR,
    Subject.TAKE,
    "expectations of the project that do not hold in a take",
)


PROBLEM = Rule(
    "problem",
    "Something cannot be played as it is written",
    "A row with a problem fails each time it is tried; a document with one keeps the scenario "
    "from being played.",
    Severity.ERROR,
    Subject.BEHAVIOR,
    "what is wrong with the documents of the project",
)


def _finding(broken: BrokenExpectation) -> Finding:
    """A line about an expectation that is broken."""
    return Finding(EXPECTED, broken.file, "", "", broken.says, broken.agent)


def _problem(problem: Problem) -> Finding:
    """A line about a problem of the documents."""
    says = f"{problem.message} {problem.remedy}".strip()
    return Finding(PROBLEM, problem.file, problem.row_id, problem.row, says)


def _worst_first(found: Iterable[Finding]) -> list[Finding]:
    """Findings by how much they matter; of equals as they come."""
    order = list(Severity)
    return sorted(found, key=lambda each: order.index(each.rule.severity))


class ReviewModel(QAbstractTableModel):
    """The problems of the documents, the findings in them, then those in the
    take that is shown, what matters most first; headings are texts.
    """

    def __init__(self, desk: Desk, parent: QObject) -> None:
        super().__init__(parent)
        self.desk = desk
        self.lines: list[Finding | str] = []
        self._first_broken = 0
        """The place of the first line about a broken expectation, if there is
        one.
        """

    def reload(self) -> None:
        """Take up the findings as they now are."""
        self.beginResetModel()
        desk = self.desk
        problems = desk.documents.problems
        written = _worst_first(desk.documents.findings)
        played = _worst_first(desk.take_findings)
        self.lines = []
        if problems:
            self.lines = [
                f"Problems: {len(problems)} to be mended",
                *map(_problem, problems),
            ]
        self.lines.extend([f"In the documents: {_count(written)}", *written])
        if desk.broken:
            self.lines.append(
                f"Expectations: {len(desk.broken)} broken in this take"
            )
            self._first_broken = len(self.lines)
            self.lines.extend(map(_finding, desk.broken))
        if desk.take is not None:
            if desk.member:
                name = desk.member.title or desk.agent
            else:
                name = desk.agent
            self.lines.extend(
                [f"In this take of {name}: {_count(played)}", *played]
            )
        self.endResetModel()

    def broken_at(self, index: int) -> BrokenExpectation | None:
        """The broken expectation that a line is about; None for any other
        line.
        """
        broken, place = self.desk.broken, index - self._first_broken
        if broken and 0 <= place < len(broken):
            return broken[place]
        return None

    def finding_at(self, index: int) -> Finding | None:
        """The finding in a line; None for a heading."""
        line = None
        if 0 <= index < len(self.lines):
            line = self.lines[index]
        if isinstance(line, Finding):
            return line
        return None

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
        if role == Qt.ItemDataRole.DisplayRole and 0 <= index.row() < len(
            self.lines
        ):
            return str(self.lines[index.row()])
        finding = self.finding_at(index.row())
        if role == Qt.ItemDataRole.ToolTipRole and finding is not None:
            return finding.rule.why
        return None


class FindingDelegate(SentenceDelegate):
    """Draws a line of the review, with a bar for how much it matters."""

    def __init__(self, view: "ReviewView") -> None:
        super().__init__(view)
        self._view = view

    def ground(self, place: int) -> QColor:
        palette = self._view.brushes.palette
        if self._view.review.finding_at(place):
            return palette.sheet
        return palette.ground

    def draw_before(
        self, painter: QPainter, layout: RowLayout, place: int
    ) -> None:
        finding, palette = (
            self._view.review.finding_at(place),
            self._view.brushes.palette,
        )
        if finding is not None:
            colours = {"error": palette.refused, "warning": palette.now}
            bar = QRectF(0, 0, 3, layout.height - 1)
            painter.fillRect(
                bar, colours.get(finding.rule.severity, palette.faint)
            )


class ReviewView(SentenceList):
    """The findings. Enter goes to the row, C walks to what can be done about
    it.
    """

    def __init__(
        self,
        desk: Desk,
        palette: Palette,
        dialogs: Callable[[], Dialogs],
        go: Callable[[], None],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(desk, palette, dialogs, parent)
        self.setAccessibleName("Review")
        self.review = ReviewModel(desk, self)
        self._go, self._dialogs = go, dialogs
        self.list_lines(self.review, FindingDelegate(self))
        for changed in (
            desk.documents.reviewed,
            desk.documents.refreshed,
            desk.take_changed,
            desk.agent_changed,
        ):
            changed.connect(self.reload)
        self.reload()

    def heading(self) -> str:
        """The text of the line over the list: what its keys do."""
        return "Enter goes to the row · C walks to what can be done about it"

    def tab_title(self, title: str) -> str:
        """The title, with the number of warnings and errors."""
        found = [*self.desk.documents.findings, *self.desk.take_findings]
        count = sum(each.rule.severity is not Severity.HINT for each in found)
        count += len(self.desk.broken) + len(self.desk.documents.problems)
        if count:
            return f"{title} {count}"
        return title

    def open_additions(self) -> None:
        self.go_to()

    def delete(self) -> bool:
        return True

    def reload(self) -> None:
        """Take up the findings as they now are."""
        index = self.selected_index()
        self.review.reload()
        # Laying out takes long where there is much to say, and mostly another
        # tab is shown.
        self.is_stale = not self.isVisible()
        if not self.is_stale:
            self.lay_out_again()
        last = len(self.review.lines) - 1
        self.setCurrentIndex(self.review.index(max(0, min(index, last)), 0))

    def pieces_of(self, place: int) -> list[SentencePiece]:
        line = self.review.lines[place]
        if isinstance(line, Finding):
            return _pieces(line)
        return [SentencePiece(line, PieceRole.NAME)]

    def go_to(self) -> None:
        """Look at the row that the selected finding is about."""
        finding = self.review.finding_at(self.selected_index())
        if finding is None:
            return
        broken = self.review.broken_at(self.selected_index())
        if broken is not None:
            if broken.agent:
                self.desk.select_agent(broken.agent)
            self.desk.move_playhead(broken.tick)
            self._go()
            return
        if not finding.row_id:
            self._go_to_file(finding)
            return
        self.desk.look_at(
            finding.file.removeprefix("behaviors/").removesuffix(".json")
        )
        self.desk.select_row(finding.row_id)
        self._go()

    def _go_to_file(self, finding: Finding) -> None:
        """Open a node file in the author's editor; of any other document say
        what is the matter.
        """
        folder = self.desk.documents.folder
        if folder is not None and finding.file.startswith(f"{NODES}/"):
            self._dialogs().edit_file(folder / finding.file)
            self.desk.message.emit(
                f"{finding.file} is opened: {finding.message}"
            )
        else:
            self.desk.message.emit(
                f"{finding.file}: {finding.message} The setting has it."
            )


def _fix_piece(finding: Finding, fix: Edit) -> SentencePiece:
    """The chip that applies a fix."""
    chip = FieldChip(
        Slot(finding.key, ROW, "fix"),
        ChipEditor.PICK,
        None,
        "fix",
        put=lambda project, _: fix.apply(project),
        offered=(Choice(fix.name, True, finding.rule.why),),
        says=fix.name,
    )
    return SentencePiece(fix.name, PieceRole.CHIP, Pill.WRAP, chip, 1)


def _dismiss_piece(finding: Finding) -> SentencePiece:
    """The chip that dismisses a finding for a reason."""
    chip = FieldChip(
        Slot(finding.key, ROW, ""),
        ChipEditor.PICK,
        None,
        "dismiss",
        put=lambda project, reason: dismissed(project, finding, str(reason)),
        offered=tuple(
            Choice(reason, reason, "", "Dismiss, for") for reason in REASONS
        ),
        says=f"Dismiss: {finding.rule.title.lower()}",
        help="do not tell of this any more; the reason is kept in the project",
    )
    return SentencePiece("dismiss", PieceRole.CHIP, Pill.WRAP, chip, 2)


def _pieces(finding: Finding) -> list[SentencePiece]:
    """A finding as a sentence: where, what, why, and what can be done."""
    document = (
        finding.file.rpartition("/")[2].removesuffix(".json").replace("-", " ")
    )
    where = finding.row or document
    if finding.row:
        weight = f"{finding.rule.severity} · {document}"
    else:
        weight = str(finding.rule.severity)
    words = [
        SentencePiece(word, PieceRole.WORDS)
        for word in finding.message.split()
    ]
    why = [
        SentencePiece(word, PieceRole.KIND)
        for word in finding.rule.why.split()
    ]
    done = []
    if finding.fix is not None:
        done.append(_fix_piece(finding, finding.fix))
    # What is found in a take goes with it, and a mistake in the documents
    # stays one.
    if (
        finding.rule.subject is not Subject.TAKE
        and finding.rule is not PROBLEM
    ):
        done.append(_dismiss_piece(finding))
    return [
        SentencePiece(weight, PieceRole.KIND),
        SentencePiece(where, PieceRole.NAME),
        *words,
        *done,
        *why,
    ]


def dismissed(project: Project, finding: Finding, reason: str) -> Project:
    """The project in which a finding is dismissed."""
    return add(
        project,
        ("cover", "dismissed"),
        Dismissal(finding=finding.key, reason=reason),
    )


def _count(found: list[Finding]) -> str:
    if not found:
        return "nothing was found"
    return count_text(len(found), "finding")
