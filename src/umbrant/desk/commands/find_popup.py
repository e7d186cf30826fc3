"""The line in which an author types what to find in the take that is shown."""

from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QWidget

from umbrant.catalog.language.tree import LanguageError
from umbrant.desk.chips.drawing import Brushes
from umbrant.desk.commands.finder_entry import FinderEntry
from umbrant.desk.session.desk import Desk
from umbrant.desk.views.ledger.search import SearchPopup
from umbrant.expecting.history import TakeSignals, stretches_of
from umbrant.expecting.questions import ASKS
from umbrant.model.values import times_text

MOST_LISTED = 200
HELP = "Ask, for example: " + ", ".join(
    each.phrase for each in list(ASKS.values())[:6]
)


class FindPopup(SearchPopup):
    """Lists the stretches of ticks at which what is typed holds; they are
    marked on the lanes.
    """

    def __init__(self, parent: QWidget, brushes: Brushes, desk: Desk) -> None:
        self._desk = desk
        self._says = ""
        self._history: tuple[object, TakeSignals] | None = None
        super().__init__(
            parent,
            brushes,
            self._found,
            name="Find in the take",
            hint="A condition: alarm > 0.5 and ran(1.2), distance(visitor) < 3 …",
        )
        for changed in (desk.take_changed, desk.agent_changed):
            changed.connect(self._look_again)

    def _look_again(self) -> None:
        """Another take is shown, or more of one that is being played: what was
        found in the one before says nothing of it.
        """
        if self.isVisible():
            text = self.line.text()
        else:
            text = self._desk.hits.condition
        if self.isVisible():
            self._search(text)
        elif text:
            self._found(text, None)

    def open_at(self, at: QPoint) -> None:
        """Open it at a place in its parent, with what was looked for last."""
        self.open([], at)
        self.line.setText(self._desk.hits.condition)
        self.line.selectAll()

    def _found(self, text: str, _: object) -> tuple[list[FinderEntry], str]:
        desk, take = self._desk, self._desk.take
        if take is None or desk.agent not in take.agents or not text.strip():
            self._says = HELP
            wanted = ""
            if text.strip():
                wanted = text
            desk.show_hits(wanted, [])
            return [], ""
        try:
            stretches = stretches_of(self._of_take().holds(text))
        except LanguageError as error:
            self._says = f"{str(error)[:1].upper()}{str(error)[1:]}."
            desk.show_hits(text, [])
            return [], ""
        desk.show_hits(text, stretches)
        ticks = sum(end - start + 1 for start, end in stretches)
        times = times_text(len(stretches))
        self._says = (
            f"It holds {times}, {desk.seconds(ticks):.2f} s in all. F3 goes to the next."
            if stretches
            else "It holds at no tick."
        )
        return [self._entry(*each) for each in stretches[:MOST_LISTED]], ""

    def _of_take(self) -> TakeSignals:
        """The take as its conditions are worked out, kept while it is the
        same.
        """
        desk, take = self._desk, self._desk.take
        assert take is not None  # noqa: S101  (asked before)
        key = (desk.take_number, desk.agent)
        if self._history is None or self._history[0] != key:
            self._history = key, TakeSignals(take, desk.agent)
        return self._history[1]

    def _entry(self, start: int, end: int) -> FinderEntry:
        desk = self._desk
        lasts = f"for {desk.seconds(end - start + 1):.2f} s"

        def go() -> None:
            desk.move_playhead(start)

        return FinderEntry(
            f"{desk.seconds(start):.2f} s",
            f"tick {start}",
            lasts,
            go,
            self._says,
        )

    def _search(self, text: str) -> None:
        super()._search(text)
        self.help.setText(self._says)
        self._move_to_view()
