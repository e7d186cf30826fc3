"""Why, why not, and what happened within the tick: the answer for the
playhead, with every row it speaks of as a link.
"""

from collections.abc import Sequence
from dataclasses import replace
from enum import Enum
from functools import lru_cache

from PySide6.QtCore import Qt, QUrl, Signal
from PySide6.QtGui import (
    QColor,
    QFont,
    QKeyEvent,
    QTextBlockFormat,
    QTextCharFormat,
    QTextCursor,
    QTextFormat,
    QTextOption,
    QTextTable,
    QTextTableFormat,
)
from PySide6.QtWidgets import QTextBrowser, QTextEdit, QWidget

from umbrant.comparing.words import parting_answer
from umbrant.desk.session.branches import do_nearest
from umbrant.desk.session.desk import Desk
from umbrant.desk.session.loader import Loaded
from umbrant.desk.widgets.paint_turns import PaintTurns
from umbrant.desk.widgets.theme import Palette, body_font
from umbrant.model.values import count_text
from umbrant.nearest.search import NOTHING_HELPS
from umbrant.nearest.trials import ran
from umbrant.nearest.worker import NearestQuestion
from umbrant.reasons.score_report import with_other_scores
from umbrant.reasons.sentences import (
    Answer,
    AnswerLine,
    ScoreTable,
    TextRun,
    Tone,
)
from umbrant.reasons.tick_step import TickStep
from umbrant.reasons.why import Explainer

NUMBERS_WIDTH = 46
HEADLINE_SIZE = 14
"""How large the sentence is that answers, in pixels."""


class Question(Enum):
    """The questions that can be asked about the playhead."""

    WHY = "why"
    """Why the agent does what it does."""
    WHY_NOT = "why not"
    """Why the selected row does not run."""
    THIS_TICK = "this tick"
    """What the agent did within the tick, step by step."""
    PARTING = "part"
    """Where the take and the one beside it part, and what followed."""


class ReasonsView(QTextBrowser):
    """Shows an answer. Links select their row. The steps of a tick can be
    walked: the step that is looked at is marked, its row is selected, and the
    blackboard shows the keys as they were then.
    """

    question_changed = Signal(str)
    question_put = Signal()
    """The author has put a question, so the answer is to have room."""

    def __init__(
        self, desk: Desk, palette: Palette, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.desk = desk
        self.palette_ = palette
        self.question = Question.WHY
        self.answer: Answer | None = None
        self._parting_of: tuple[Loaded, Answer] | None = None
        """Where two takes part, as it was last found."""
        self._steps: Sequence[TickStep] = ()
        self._step = -1
        """The index of the step that is looked at, -1 for none."""
        self.setAccessibleName("Reasons")
        self.setOpenLinks(False)
        self.setUndoRedoEnabled(False)
        self.setFont(body_font())
        self.setMinimumHeight(44)
        self.document().setDocumentMargin(12)
        self.anchorClicked.connect(self._follow)
        desk.take_changed.connect(self._take_changed)
        desk.agent_changed.connect(self.refresh)
        desk.playhead_moved.connect(self.refresh)
        desk.row_selected.connect(self._selected)
        desk.nearest.changed.connect(self._show_nearest)
        self.refresh()

    def heading(self) -> str:
        """The question that is answered, in short, and of steps which one is
        looked at.
        """
        if self.answer is None:
            return ""
        if self._step >= 0:
            return f"step {self._step + 1} of {len(self._steps)}"
        if self.question is Question.THIS_TICK:
            return count_text(len(self._steps), "step")
        if self.question is Question.PARTING and self._parting() is not None:
            return ""
        words = self.answer.question.split()
        if words[:2] == ["why", "not"]:
            question = words[:3]
        else:
            question = words[:1]
        return " ".join(question)

    def set_palette(self, palette: Palette) -> None:
        """Turn to Day or Night: the answer is written anew, for its colours
        stand in the text.
        """
        self.palette_ = palette
        self.refresh()

    def ask(self, question: Question) -> None:
        """Ask another question about the playhead."""
        self.question = question
        self.refresh()
        self.question_put.emit()

    def walk(self, by: int) -> None:
        """Look at the next step (1) or the one before (-1); past the last, go
        on in the next tick.

        From another question the walk begins at the first step, or backwards
        at the last.
        """
        begins = self.question is not Question.THIS_TICK
        if begins:
            self.ask(Question.THIS_TICK)
        if not self._steps:
            self._go_to_tick(by)
        elif begins or self._step < 0:
            self._look_at_end(by)
        elif 0 <= self._step + by < len(self._steps):
            self._look_at_step(self._step + by)
        else:
            self._go_to_tick(by)

    def _go_to_tick(self, by: int) -> None:
        before = self.desk.playhead
        self.desk.move_playhead(before + by)
        if self.desk.playhead != before and self._steps:
            self._look_at_end(by)

    def _look_at_end(self, by: int) -> None:
        """Look at the first step, or backwards at the last."""
        if by > 0:
            self._look_at_step(0)
        else:
            self._look_at_step(len(self._steps) - 1)

    def _look_at_step(self, index: int) -> None:
        self._step = index
        step = self._steps[index]
        # What is repeated has no place of its own: the keys are as the step
        # before left them.
        self.desk.look_at_step(
            max(each.step for each in self._steps[: index + 1])
        )
        if step.row_id:
            self.desk.select_row(step.row_id)
        self._mark_step()
        self.question_changed.emit(self.heading())

    def _mark_step(self) -> None:
        """Draw the step that is looked at on a band of the selection's colour,
        in sight.
        """
        block = self.document().findBlockByNumber(self._step)
        if self._step < 0 or not block.isValid():
            self.setExtraSelections([])
            return
        band = QTextEdit.ExtraSelection()
        band.cursor = QTextCursor(block)
        band.format.setBackground(self.palette_.selection)
        band.format.setProperty(QTextFormat.Property.FullWidthSelection, True)
        self.setExtraSelections([band])
        self.setTextCursor(QTextCursor(block))
        self.ensureCursorVisible()

    def _take_changed(self) -> None:
        current = self.desk.takes.current
        if current is None or current.is_finished:
            self.refresh()
        else:
            # Who has changed something waits to see the tape of it.
            PaintTurns.shared().ask(self, self.refresh)

    def refresh(self) -> None:
        """Ask again, for the take, the agent and the tick that are looked at."""
        self._steps, self._step = (), -1
        self.desk.look_at_step(None)
        explainer, tick = self.desk.explainer, self.desk.playhead
        if explainer is None:
            self.answer = None
            self.setPlainText(self._why_silent())
            self.question_changed.emit("")
            return
        if self.question is Question.THIS_TICK:
            self._steps = explainer.ticks.steps(tick)
            self.answer = explainer.this_tick(tick)
        elif self.question is Question.PARTING and self._parting() is not None:
            self.answer = self._parting()
        elif (
            self.question is Question.WHY_NOT
            and self.desk.row_id in explainer.outline.number
        ):
            self.answer = explainer.why_not(tick, self.desk.row_id)
        else:
            self.answer = explainer.why(tick)
        self.answer = self._with_other(self.answer, tick)
        self.desk.nearest.ask(self._nearest_question(explainer, tick))
        if self.answer is not None:
            self._write(self.answer)
        self._mark_step()
        self.question_changed.emit(self.heading())

    def _why_silent(self) -> str:
        """Why nothing can be asked."""
        if self.desk.take is None:
            return "Nothing has been rolled yet."
        if self.desk.agent:
            return f"{self.desk.agent} plays no part in this take."
        return "There is nobody to ask about: give the scenario somebody who runs a behavior."

    def _with_other(self, answer: Answer | None, tick: int) -> Answer | None:
        """An answer with scores has those of the take that is shown beside it,
        too.
        """
        other, row_id = self.desk.other_explainer, self.desk.row_id
        if (
            answer is None
            or answer.table is None
            or other is None
            or tick >= other.take.ticks
        ):
            return answer
        is_why_not = (
            self.question is Question.WHY_NOT
            and row_id in other.outline.number
        )
        if is_why_not:
            there = other.why_not(tick, row_id)
        else:
            there = other.why(tick)
        return replace(
            answer, table=with_other_scores(answer.table, there.table)
        )

    def _nearest_question(
        self, explainer: Explainer, tick: int
    ) -> NearestQuestion | None:
        """What to search the nearest change for; None where why not is not
        what is asked, the row runs or never could, or the take is still being
        played.
        """
        row_id, take = self.desk.row_id, explainer.take
        if (
            self.question is not Question.WHY_NOT
            or row_id not in explainer.outline.number
        ):
            return None
        current = self.desk.takes.current
        if (
            current is None
            or not current.is_finished
            or ran(explainer.record.row(row_id), tick)
            or not explainer.might_run(row_id, tick)
        ):
            return None
        nodes = take.header.project.nodes
        trusted = (
            self.desk.documents.may_run_nodes
            and nodes == self.desk.project.nodes
        )
        return NearestQuestion(
            number=0,
            take=take.path,
            agent=explainer.member.name,
            tick=tick,
            row_id=row_id,
            trusted=trusted,
        )

    def _show_nearest(self) -> None:
        """More has been found of what would have made the row run."""
        if self.answer is not None and self.desk.nearest.question is not None:
            at = self.verticalScrollBar().value()
            self._write(self.answer)
            self.verticalScrollBar().setValue(at)

    def _write_nearest(
        self, cursor: QTextCursor, block: QTextBlockFormat
    ) -> None:
        """What would have made the row run, as far as it has been found: each
        with what can be done with it.
        """
        nearest = self.desk.nearest
        if nearest.question is None:
            return
        dim = _char_format(self.palette_.dim.rgba())
        cursor.insertBlock(block)
        if not nearest.found:
            text = "Searching for what would have made it run …"
            if nearest.is_searching:
                words = text
            else:
                words = NOTHING_HELPS
            cursor.insertText(f"\t{words}", dim)
            return
        cursor.insertText("\tWhat would have made it run:", dim)
        plain = _char_format(self.palette_.ink.rgba())
        for number, change in enumerate(nearest.found):
            cursor.insertBlock(block)
            cursor.insertText("\t", plain)
            cursor.insertText(change.says, plain)
            does = "Apply"
            if change.done_at is not None:
                does = "Branch"
            for word in (does, "Compare") if does == "Apply" else (does,):
                cursor.insertText("  ", plain)
                cursor.insertText(word, self._link(f"{word.lower()}:{number}"))

    def _link(self, href: str) -> QTextCharFormat:
        form = QTextCharFormat(_char_format(self.palette_.running.rgba()))
        form.setAnchor(True)
        form.setAnchorHref(href)
        form.setFontUnderline(True)
        return form

    def _parting(self) -> Answer | None:
        """Where the two takes part that are compared; None where one is shown
        alone.
        """
        shown, current = self.desk.compared, self.desk.takes.current
        if shown is None or shown.comparison is None or current is None:
            return None
        # It is the same at every tick, and takes longer to find than there is
        # time at each.
        if self._parting_of is None or self._parting_of[0] is not shown:
            comparison, catalog = shown.comparison, self.desk.catalog
            answer = parting_answer(
                comparison, current.against, current.title, catalog
            )
            self._parting_of = shown, answer
        return self._parting_of[1]

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Up and Down walk the steps of the tick."""
        by = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
        if (
            by is not None
            and self.question is Question.THIS_TICK
            and self._steps
        ):
            self.walk(by)
            return
        super().keyPressEvent(event)

    def _selected(self) -> None:
        if self.question is Question.WHY_NOT:
            self.refresh()

    def _follow(self, url: QUrl) -> None:
        what, _, named = url.toString().partition(":")
        if what == "row":
            self.desk.select_row(named)
        elif int(named) < len(self.desk.nearest.found):
            do_nearest(
                self.desk,
                self.desk.nearest.found[int(named)],
                compares=what == "compare",
            )

    def _write(self, answer: Answer) -> None:
        """Put the answer into the document. Written with formats, for HTML
        would have to be read at every tick.
        """
        document = self.document()
        document.clear()
        cursor = QTextCursor(document)
        cursor.beginEditBlock()
        block = QTextBlockFormat()
        widest = max(
            (
                self.fontMetrics().horizontalAdvance(line.number)
                for line in answer.lines
            ),
            default=0,
        )
        wide = max(NUMBERS_WIDTH, widest + 12)
        block.setLeftMargin(wide)
        block.setTextIndent(-wide)
        block.setBottomMargin(5)
        block.setTabPositions(
            [QTextOption.Tab(wide, QTextOption.TabType.LeftTab)]
        )
        plain = _char_format(self.palette_.ink.rgba())
        headline, lines = answer.headline, answer.lines
        if (
            headline is None
            and lines
            and self.question is not Question.THIS_TICK
        ):
            # The first line says it all: it is the sentence that answers.
            headline, lines = lines[0], lines[1:]
        if headline is not None:
            self._write_headline(cursor, headline)
        for index, line in enumerate(lines):
            if index or headline is not None:
                cursor.insertBlock(block)
            else:
                cursor.setBlockFormat(block)
            cursor.insertText(line.number, self._number(line))
            cursor.insertText("\t", plain)
            for bit in line.bits:
                cursor.insertText(bit.text, self._format(bit))
        self._write_nearest(cursor, block)
        if answer.table is not None:
            self._write_table(cursor, answer.table)
        cursor.endEditBlock()

    def _write_headline(self, cursor: QTextCursor, line: AnswerLine) -> None:
        """The answer in one sentence, larger than the trail below it."""
        block = QTextBlockFormat()
        block.setBottomMargin(9)
        cursor.setBlockFormat(block)
        size = body_font(HEADLINE_SIZE).pixelSize()
        for bit in line.bits:
            form = QTextCharFormat(self._format(bit))
            form.setProperty(QTextFormat.Property.FontPixelSize, size)
            cursor.insertText(bit.text, form)

    def _write_table(self, cursor: QTextCursor, table: ScoreTable) -> None:
        """The numbers behind the answer, below it."""
        form = QTextTableFormat()
        form.setBorder(0)
        form.setCellPadding(1)
        form.setCellSpacing(0)
        form.setTopMargin(4)
        written = cursor.insertTable(
            len(table.rows) + 1, len(table.columns), form
        )
        dim = _char_format(self.palette_.dim.rgba())
        for index, title in enumerate(table.columns):
            self._cell(written, 0, index).insertText(title, dim)
        for line, row in enumerate(table.rows, 1):
            for index, bit in enumerate(row):
                self._cell(written, line, index).insertText(
                    bit.text, self._format(bit)
                )

    def _cell(self, table: QTextTable, line: int, index: int) -> QTextCursor:
        cursor = table.cellAt(line, index).firstCursorPosition()
        if index:
            right = QTextBlockFormat()
            right.setAlignment(Qt.AlignmentFlag.AlignRight)
            right.setLeftMargin(18)
            cursor.setBlockFormat(right)
        return cursor

    def _number(self, line: AnswerLine) -> QTextCharFormat:
        return _char_format(
            (self._colour(line.tone) or self.palette_.running).rgba(),
            line.row_id,
        )

    def _format(self, bit: TextRun) -> QTextCharFormat:
        if bit.row_id:
            is_name = bit.tone is Tone.NAME
            return _char_format(
                self.palette_.ink.rgba(),
                bit.row_id,
                bold=is_name,
                underlined=not is_name,
            )
        return _char_format(
            (self._colour(bit.tone) or self.palette_.ink).rgba()
        )

    def _colour(self, tone: Tone) -> QColor | None:
        return {
            Tone.YES: self.palette_.success,
            Tone.NO: self.palette_.refused,
        }.get(tone)


@lru_cache(maxsize=1024)
def _char_format(
    rgba: int,
    row_id: str = "",
    *,
    bold: bool = False,
    underlined: bool = False,
) -> QTextCharFormat:
    """How a text is written; with a row it is a link to it. Kept, for an
    answer is written at each tick.
    """
    form = QTextCharFormat()
    form.setForeground(QColor.fromRgba(rgba))
    if row_id:
        form.setAnchor(True)
        form.setAnchorHref(f"row:{row_id}")
        if bold:
            font_weight = QFont.Weight.Bold
        else:
            font_weight = QFont.Weight.Normal
        form.setFontWeight(font_weight)
        form.setFontUnderline(underlined)
    return form
