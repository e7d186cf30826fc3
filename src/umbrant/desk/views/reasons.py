"""Why, and why not: the answer for the playhead, with every row it speaks of as a link."""

from functools import lru_cache

from PySide6.QtCore import Qt, QUrl, Signal
from PySide6.QtGui import (
    QColor,
    QFont,
    QTextBlockFormat,
    QTextCharFormat,
    QTextCursor,
    QTextOption,
    QTextTable,
    QTextTableFormat,
)
from PySide6.QtWidgets import QTextBrowser, QWidget

from umbrant.desk.session.desk import Desk
from umbrant.desk.widgets.theme import Palette, body_font
from umbrant.reasons.sentences import Answer, AnswerLine, ScoreTable, TextRun, Tone

NUMBERS_WIDTH = 46


class ReasonsView(QTextBrowser):
    """Shows an answer. Links select their row. `why_not` asks about the selected row instead of the
    running one.
    """

    question_changed = Signal(str)

    def __init__(self, desk: Desk, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.desk = desk
        self.palette_ = palette
        self.why_not = False
        self.answer: Answer | None = None
        self.setAccessibleName("Reasons")
        self.setOpenLinks(False)
        self.setUndoRedoEnabled(False)
        self.setFont(body_font())
        self.setMinimumHeight(44)
        self.document().setDocumentMargin(12)
        self.anchorClicked.connect(self._follow)
        for changed in (desk.take_changed, desk.agent_changed):
            changed.connect(self.refresh)
        desk.playhead_moved.connect(self.refresh)
        desk.row_selected.connect(self._selected)
        self.refresh()

    def heading(self) -> str:
        """The question that is answered."""
        return self.answer.question if self.answer is not None else ""

    def set_palette(self, palette: Palette) -> None:
        """Turn to Day or Night: the answer is written anew, for its colours stand in the text."""
        self.palette_ = palette
        self.refresh()

    def ask(self, *, why_not: bool) -> None:
        """Ask why the running row runs, or why the selected row does not."""
        self.why_not = why_not
        self.refresh()

    def refresh(self) -> None:
        """Ask again, for the take, the agent and the tick that are looked at."""
        explainer, tick = self.desk.explainer, self.desk.playhead
        if explainer is None:
            self.answer = None
            self.setPlainText("Nothing has been rolled yet.")
            self.question_changed.emit("")
            return
        known = self.desk.row_id in explainer.outline.number
        self.answer = (
            explainer.why_not(tick, self.desk.row_id)
            if self.why_not and known
            else explainer.why(tick)
        )
        self._write(self.answer)
        self.question_changed.emit(self.answer.question)

    def _selected(self) -> None:
        if self.why_not:
            self.refresh()

    def _follow(self, url: QUrl) -> None:
        self.desk.select_row(url.toString().removeprefix("row:"))

    def _write(self, answer: Answer) -> None:
        """Put the answer into the document. Written with formats, for HTML would have to be read at
        every tick.
        """
        document = self.document()
        document.clear()
        cursor = QTextCursor(document)
        cursor.beginEditBlock()
        block = QTextBlockFormat()
        widest = max(
            (self.fontMetrics().horizontalAdvance(line.number) for line in answer.lines), default=0
        )
        wide = max(NUMBERS_WIDTH, widest + 12)
        block.setLeftMargin(wide)
        block.setTextIndent(-wide)
        block.setBottomMargin(5)
        block.setTabPositions([QTextOption.Tab(wide, QTextOption.TabType.LeftTab)])
        plain = _char_format(self.palette_.ink.rgba())
        for index, line in enumerate(answer.lines):
            if index:
                cursor.insertBlock(block)
            else:
                cursor.setBlockFormat(block)
            cursor.insertText(line.number, self._number(line))
            cursor.insertText("\t", plain)
            for bit in line.bits:
                cursor.insertText(bit.text, self._format(bit))
        if answer.table is not None:
            self._write_table(cursor, answer.table)
        cursor.endEditBlock()

    def _write_table(self, cursor: QTextCursor, table: ScoreTable) -> None:
        """The numbers behind the answer, below it."""
        form = QTextTableFormat()
        form.setBorder(0)
        form.setCellPadding(1)
        form.setCellSpacing(0)
        form.setTopMargin(4)
        written = cursor.insertTable(len(table.rows) + 1, len(table.columns), form)
        dim = _char_format(self.palette_.dim.rgba())
        for index, title in enumerate(table.columns):
            self._cell(written, 0, index).insertText(title, dim)
        for line, row in enumerate(table.rows, 1):
            for index, bit in enumerate(row):
                self._cell(written, line, index).insertText(bit.text, self._format(bit))

    def _cell(self, table: QTextTable, line: int, index: int) -> QTextCursor:
        cursor = table.cellAt(line, index).firstCursorPosition()
        if index:
            right = QTextBlockFormat()
            right.setAlignment(Qt.AlignmentFlag.AlignRight)
            right.setLeftMargin(18)
            cursor.setBlockFormat(right)
        return cursor

    def _number(self, line: AnswerLine) -> QTextCharFormat:
        return _char_format((self._colour(line.tone) or self.palette_.running).rgba(), line.row_id)

    def _format(self, bit: TextRun) -> QTextCharFormat:
        if bit.row_id:
            is_name = bit.tone is Tone.NAME
            return _char_format(
                self.palette_.ink.rgba(), bit.row_id, bold=is_name, underlined=not is_name
            )
        return _char_format((self._colour(bit.tone) or self.palette_.ink).rgba())

    def _colour(self, tone: Tone) -> QColor | None:
        return {Tone.YES: self.palette_.success, Tone.NO: self.palette_.refused}.get(tone)


@lru_cache(maxsize=1024)
def _char_format(
    rgba: int, row_id: str = "", *, bold: bool = False, underlined: bool = False
) -> QTextCharFormat:
    """How a text is written; with a row it is a link to it. Kept, for an answer is written at each
    tick.
    """
    form = QTextCharFormat()
    form.setForeground(QColor.fromRgba(rgba))
    if row_id:
        form.setAnchor(True)
        form.setAnchorHref(f"row:{row_id}")
        form.setFontWeight(QFont.Weight.Bold if bold else QFont.Weight.Normal)
        form.setFontUnderline(underlined)
    return form
