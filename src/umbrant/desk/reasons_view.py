"""Why, and why not: the answer for the playhead, with every row it speaks of as a link."""

from html import escape

from PySide6.QtCore import QUrl, Signal
from PySide6.QtWidgets import QTextBrowser, QWidget

from umbrant.desk.state import Desk
from umbrant.desk.theme import Palette, body_font
from umbrant.reasons.sentences import Answer, Bit, Line, Tone


class ReasonsView(QTextBrowser):
    """Shows an answer. Links select their row. `why_not` asks about the selected row instead of the running one."""

    question_changed = Signal(str)

    def __init__(self, desk: Desk, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.desk = desk
        self.palette_ = palette
        self.why_not = False
        self.answer: Answer | None = None
        self.setAccessibleName("Reasons")
        self.setOpenLinks(False)
        self.setFont(body_font())
        self.setMinimumHeight(60)
        self.document().setDocumentMargin(12)
        self.anchorClicked.connect(self._follow)
        for changed in (desk.take_changed, desk.agent_changed):
            changed.connect(self.refresh)
        desk.playhead_moved.connect(self.refresh)
        desk.row_selected.connect(self._selected)
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
            self.setHtml(self._page("<p>Nothing has been rolled yet.</p>"))
            self.question_changed.emit("")
            return
        known = self.desk.row_id in explainer.outline.number
        self.answer = explainer.why_not(tick, self.desk.row_id) if self.why_not and known else explainer.why(tick)
        self.setHtml(self._page("".join(self._line(line) for line in self.answer.lines)))
        self.question_changed.emit(self.answer.question)

    def _selected(self) -> None:
        if self.why_not:
            self.refresh()

    def _follow(self, url: QUrl) -> None:
        self.desk.select_row(url.toString().removeprefix("row:"))

    def _page(self, body: str) -> str:
        style = f"a {{ color: {self.palette_.ink.name()}; text-decoration: none; }} td {{ padding-bottom: 5px; }}"
        return f"<html><head><style>{style}</style></head><body><table cellspacing='0'>{body}</table></body></html>"

    def _line(self, line: Line) -> str:
        tones = {Tone.YES: self.palette_.success, Tone.NO: self.palette_.refused}
        colour = tones.get(line.tone, self.palette_.running).name()
        number = f"<a href='row:{line.row_id}' style='color: {colour}'>{escape(line.number)}</a>"
        bits = "".join(self._bit(bit) for bit in line.bits)
        return f"<tr><td style='padding-right: 10px'>{number}</td><td>{bits}</td></tr>"

    def _bit(self, bit: Bit) -> str:
        text = escape(bit.text)
        tones = {Tone.YES: self.palette_.success, Tone.NO: self.palette_.refused}
        if bit.tone in tones:
            return f"<span style='color: {tones[bit.tone].name()}'>{text}</span>"
        if bit.row_id:
            shown = f"<b>{text}</b>" if bit.tone is Tone.NAME else f"<u>{text}</u>"
            return f"<a href='row:{bit.row_id}'>{shown}</a>"
        return text
