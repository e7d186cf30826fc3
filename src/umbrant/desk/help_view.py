"""The reference beside the rows: the pages of the kinds that the selected row is made of."""

from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QTextBrowser, QWidget

from umbrant.catalog.declare import ROWS, Family
from umbrant.catalog.language.tree import Ask, LanguageError, parse
from umbrant.catalog.pages import kind_page
from umbrant.catalog.uses import walk
from umbrant.desk.state import Desk
from umbrant.desk.theme import body_font


class HelpView(QTextBrowser):
    """The page of the selected row's kind; below, of what is put on it, and of the senses that its guard asks."""

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.desk = desk
        self.setAccessibleName("Help")
        self.setFont(body_font())
        self.document().setDocumentMargin(14)
        desk.row_selected.connect(self.refresh)
        desk.project_changed.connect(self.refresh)

    @property
    def about(self) -> str:
        """What the page is about."""
        row = self.desk.row
        return f"about {row.kind.replace('_', ' ')}, and what is on the row" if row is not None else ""

    def refresh(self, *_: object) -> None:
        """Show the pages of the row that is selected now, if anybody sees them."""
        if self.isVisible():
            pages = [kind_page(self.desk.catalog.kinds[name]) for name in self._kinds()]
            self.setMarkdown("\n\n".join(pages) or "Select a row to read about it.")

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.refresh()

    def _kinds(self) -> list[str]:
        """The kinds that the row is made of, each once."""
        row, catalog = self.desk.row, self.desk.catalog
        if row is None:
            return []
        found = [kind.id for kind in (catalog.get(row.kind, *ROWS),) if kind is not None]
        parts = [(each.kind, (Family.DECORATOR,)) for each in row.decorators]
        parts.extend((each.kind, (Family.ACTION, Family.CONDITION)) for each in row.upkeep)  # type: ignore[misc]
        found.extend(name for name, families in parts if catalog.get(name, *families) is not None)
        try:
            asked = walk(parse(row.guard.when)) if row.guard else iter(())
            found.extend(each.sense for each in asked if isinstance(each, Ask) and each.sense in catalog.kinds)
        except LanguageError:
            pass
        return list(dict.fromkeys(found))
