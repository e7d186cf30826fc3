"""The line in which an author says what is done from the playhead on."""

from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QWidget

from umbrant.branching.actions import ActionScope
from umbrant.branching.suggestions import Suggestion, suggested
from umbrant.desk.chips.drawing import Brushes
from umbrant.desk.views.ledger.search import SearchPopup


class BranchPopup(SearchPopup):
    """A line that reads actions and completes them. `chosen` is emitted with a
    `Suggestion` that is complete; choosing another one types it, to be typed
    on from.
    """

    def __init__(self, parent: QWidget, brushes: Brushes) -> None:
        self._scope: ActionScope | None = None
        self._wrong = ""
        super().__init__(
            parent,
            brushes,
            self._suggest,
            name="From here on",
            hint="What is done here: alarm = 0.8, move visitor to 12, 4, raise thunder, hold 1.1 …",
        )

    def open_for(self, scope: ActionScope, at: QPoint) -> None:
        """Open it for a moment of a take, at a place in its parent."""
        self._scope = scope
        self.open([], at)

    def _suggest(self, text: str, _: object) -> tuple[list[Suggestion], str]:
        if self._scope is None:
            return [], ""
        found, self._wrong = suggested(text, self._scope)
        return found, ""

    def _search(self, text: str) -> None:
        super()._search(text)
        if not self._shown and self._wrong:
            self.help.setText(self._wrong)
            self._move_to_view()

    def _choose(self) -> None:
        offer = self.offer_at(self.list.currentIndex().row())
        if isinstance(offer, Suggestion) and not offer.actions:
            self.line.setText(offer.fills)
        else:
            super()._choose()
