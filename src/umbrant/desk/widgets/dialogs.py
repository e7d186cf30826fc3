"""Every question the window asks in a dialog of its own. Tests answer in its
place.
"""

from pathlib import Path

from PySide6.QtCore import QUrl
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import QFileDialog, QWidget

from umbrant.desk.widgets.question import (
    QuestionDialog,
    Verb,
    integer_field,
    line_field,
    list_field,
    note_field,
)
from umbrant.model.problems import Problem

MOST_PROBLEMS = 12
"""How many problems a dialog lists."""


class Dialogs:
    """Asks the author. Every method blocks until it is answered; None and
    False stand for 'no' and 'leave it'.
    """

    def __init__(self, parent: QWidget) -> None:
        self._parent = parent

    def folder_to_open(self, start: Path) -> Path | None:
        """The folder of a project."""
        found = QFileDialog.getExistingDirectory(
            self._parent, "Open the folder of a project", str(start)
        )
        if found:
            return Path(found)
        return None

    def folder_to_save(self, start: Path) -> Path | None:
        """The folder to save a project to."""
        found = QFileDialog.getExistingDirectory(
            self._parent, "Save the project to a folder", str(start)
        )
        if found:
            return Path(found)
        return None

    def take_to_open(self, start: Path) -> Path | None:
        """Ask for the file of a take; None if the author cancels."""
        found, _ = QFileDialog.getOpenFileName(
            self._parent, "Open a take", str(start), "Takes (*.take)"
        )
        if found:
            return Path(found)
        return None

    def take_to_save(self, start: Path) -> Path | None:
        """Where to keep a take."""
        found, _ = QFileDialog.getSaveFileName(
            self._parent, "Keep this take", str(start), "Takes (*.take)"
        )
        if found:
            return Path(found)
        return None

    def edit_file(self, path: Path) -> None:
        """Open a file in the editor that the author's desktop has for it."""
        QDesktopServices.openUrl(QUrl.fromLocalFile(str(path)))

    def text(
        self, title: str, label: str, first: str = "", verb: str = "Go on"
    ) -> str | None:
        """Ask for a line of text; None if the author cancels or gives none."""
        return self.optional_text(title, label, first, verb) or None

    def optional_text(
        self, title: str, label: str, first: str = "", verb: str = "Go on"
    ) -> str | None:
        """Ask for a line of text, which may be empty; None if the author
        cancels.
        """
        field = line_field(first)
        if self._fill(title, label, field, verb):
            return field.text().strip()
        return None

    def note(
        self, title: str, label: str, first: str = "", verb: str = "Keep it"
    ) -> str | None:
        """Several lines of text, which may be empty. Ctrl+Enter keeps them."""
        field = note_field(first)
        if self._fill(title, label, field, verb):
            return field.toPlainText()
        return None

    def integer(
        self, title: str, label: str, first: int, verb: str = "Go on"
    ) -> int | None:
        """A whole number from 0 on; None if the author cancels or gives none."""
        field = integer_field(first)
        fine = self._fill(title, label, field, verb)
        if fine and field.hasAcceptableInput():
            return int(field.text())
        return None

    def choice(
        self, title: str, label: str, options: list[str], verb: str = "Take it"
    ) -> str | None:
        """Ask for one of several texts; None if the author cancels."""
        field = list_field(options)
        fine = self._fill(title, label, field, verb)
        item = field.currentItem()
        if fine and item is not None:
            return item.text()
        return None

    def unsaved(self, what: str) -> str:
        """What to do with unsaved changes: 'save', 'discard' or 'stay'."""
        verbs = [
            Verb("Save", is_default=True),
            Verb("Discard"),
            Verb("Go back"),
        ]
        text = f"{what} has unsaved changes."
        answer = QuestionDialog(
            self._parent, "Unsaved changes", text, verbs
        ).ask()
        return ("save", "discard", "stay")[answer]

    def trust(self, files: str) -> bool:
        """Whether a project's own nodes may run."""
        text = (
            f"This project brings nodes of its own, in {files}. They are Python that runs with "
            "your rights. "
            "Let them run only if you know where they come from. The project can be read and "
            "edited either way."
        )
        return self._asks(
            "Nodes of its own", text, "Let them run", "Do not run them"
        )

    def remove(self, what: str, users: list[str]) -> bool:
        """Whether to remove something that is still used."""
        text = (
            f"{what} is used by {', '.join(users)}. Without it they cannot run. "
            "It can be undone."
        )
        return self._asks(f"Remove {what}?", text, "Remove it", "Keep it")

    def breaks(self, what: str, broken: list[str]) -> bool:
        """Whether to make a change that breaks something, which is listed."""
        listed = [f"• {each}" for each in broken[:MOST_PROBLEMS]]
        if len(broken) > MOST_PROBLEMS:
            listed.append(f"… and {len(broken) - MOST_PROBLEMS} more.")
        text = (
            f"{what}? It breaks:\n\n"
            + "\n\n".join(listed)
            + "\n\nIt can be undone."
        )
        return self._asks(what, text, "Change it", "Leave it")

    def overwrite(self, files: list[str]) -> bool:
        """Whether to write over files that somebody else has changed
        meanwhile.
        """
        more = ""
        if len(files) > 6:
            more = f" and {len(files) - 6} more"
        listed = ", ".join(files[:6]) + more
        text = (
            f"Another program has changed {listed} since they were read. "
            "Saving writes over that."
        )
        return self._asks(
            "Changed meanwhile", text, "Overwrite them", "Do not save"
        )

    def recover(self, what: str) -> bool:
        """Whether to take up changes that an earlier visit did not save."""
        # The last is what Escape gives: nothing may be lost by it.
        verbs = [Verb("Discard them"), Verb("Take them up", is_default=True)]
        return (
            QuestionDialog(
                self._parent, "Unsaved changes were kept", what, verbs
            ).ask()
            == 1
        )

    def problems(self, title: str, problems: list[Problem]) -> None:
        """Tell what is wrong, each with its place and the way out."""
        listed = [f"• {problem}" for problem in problems[:MOST_PROBLEMS]]
        if len(problems) > MOST_PROBLEMS:
            listed.append(
                f"… and {len(problems) - MOST_PROBLEMS} more; `umbrant roll` lists them all."
            )
        self.message(title, "\n\n".join(listed))

    def message(self, title: str, text: str) -> None:
        """Show a text until the author closes it."""
        QuestionDialog(
            self._parent, title, text, [Verb("Close", is_default=True)]
        ).ask()

    def _asks(self, title: str, text: str, yes: str, no: str) -> bool:
        """A question whose careful answer, no, is the one that Enter gives."""
        verbs = [Verb(yes), Verb(no, is_default=True)]
        return QuestionDialog(self._parent, title, text, verbs).ask() == 0

    def _fill(self, title: str, label: str, field: QWidget, verb: str) -> bool:
        """A question with a field. Returns whether it was filled in."""
        verbs = [Verb(verb, is_default=True), Verb("Cancel")]
        return (
            QuestionDialog(self._parent, title, label, verbs, field).ask() == 0
        )
