"""The reference beside the rows: the pages of the kinds that the selected row
is made of, and the first one at work.
"""

from PySide6.QtGui import QResizeEvent, QShowEvent
from PySide6.QtWidgets import QTextBrowser, QVBoxLayout, QWidget

from umbrant.catalog.kind import ROWS, Family, Kind
from umbrant.catalog.language.tree import LanguageError, SenseCall, parse
from umbrant.catalog.pages import kind_page
from umbrant.catalog.recipes.recipe import Recipe
from umbrant.catalog.references import walk
from umbrant.desk.session.desk import Desk
from umbrant.desk.views.help.example_view import ExampleView
from umbrant.desk.views.help.recipe_page import recipe_page
from umbrant.desk.widgets.theme import Palette, body_font

LEAST_PAGE = 70
"""How high the page is at the least, in pixels: in a low pane the example
gives way to it.
"""


class HelpView(QWidget):
    """The page of the selected row's kind; below, of what is put on it, and of
    the senses that its guard asks.

    Above the pages the first kind's example plays on a small stage.
    """

    def __init__(
        self, desk: Desk, palette: Palette, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.desk = desk
        self.example = ExampleView(palette, self)
        self.page = QTextBrowser(self)
        self.page.setAccessibleName("Help")
        self.page.setFont(body_font())
        self.page.document().setDocumentMargin(14)
        self.setFocusProxy(self.page)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self.example)
        layout.addWidget(self.page, 1)
        self.example.changed.connect(self._make_room)
        desk.row_selected.connect(self.refresh)
        desk.project_changed.connect(self.refresh)
        self._considered: Kind | Recipe | None = None
        """What the search would add, while it is open."""
        desk.considered.connect(self._consider)

    def heading(self) -> str:
        """The kind of row that the page is about."""
        if self._considered is not None:
            return f"about {self._considered.title.lower()} · Enter adds it"
        row = self.desk.row
        if row is not None:
            return (
                f"about {row.kind.replace('_', ' ')} · and what is on the row"
            )
        return ""

    def set_palette(self, palette: Palette) -> None:
        """Turn to Day or Night."""
        self.example.set_palette(palette)

    def refresh(self, *_: object) -> None:
        """Show the pages of the row that is selected now, if anybody sees
        them.
        """
        if not self.isVisible():
            return
        if self._considered is not None:
            if isinstance(self._considered, Recipe):
                markdown = recipe_page(self._considered)
            else:
                markdown = kind_page(self._considered)
            self.page.setMarkdown(markdown)
            self.example.show_example(self._considered)
        else:
            kinds = self._kinds()
            pages = [kind_page(each) for each in kinds]
            self.page.setMarkdown(
                "\n\n".join(pages) or "Select a row to read about it."
            )
            first = None
            if kinds:
                first = kinds[0]
            self.example.show_example(first)

    def _consider(self, subject: Kind | Recipe | None) -> None:
        """Show what the search would add, as long as it is the first in its
        list.
        """
        self._considered = subject
        self.refresh()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._make_room()

    def _make_room(self) -> None:
        """Show the example where there is room for the page as well."""
        room = self.height() - self.example.sizeHint().height()
        self.example.setVisible(
            self.example.take is not None and room >= LEAST_PAGE
        )

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.refresh()

    def _kinds(self) -> list[Kind]:
        """The kinds that the row is made of, each once."""
        row, catalog = self.desk.row, self.desk.catalog
        if row is None:
            return []
        found = [
            kind
            for kind in (catalog.get(row.kind, *ROWS),)
            if kind is not None
        ]
        parts = [
            catalog.get(each.kind, Family.DECORATOR) for each in row.decorators
        ]
        parts.extend(
            catalog.get(each.kind, Family.ACTION, Family.CONDITION)
            for each in row.upkeep
        )
        found.extend(kind for kind in parts if kind is not None)
        try:
            if row.guard:
                terms = walk(parse(row.guard.when))
            else:
                terms = iter(())
            senses = [
                each.sense for each in terms if isinstance(each, SenseCall)
            ]
            found.extend(
                catalog.kinds[name] for name in senses if name in catalog.kinds
            )
        except LanguageError:
            pass
        return list({kind.id: kind for kind in found}.values())
