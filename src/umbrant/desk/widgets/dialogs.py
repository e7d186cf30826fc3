"""Every question the window asks in a dialog of its own. Tests answer in its place."""

from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QInputDialog, QMessageBox, QWidget

from umbrant.model.problems import Problem

MOST_PROBLEMS = 12
"""How many problems a dialog lists."""


class Dialogs:
    """Asks the author. Every method blocks until it is answered; None and False stand for 'no' and
    'leave it'.
    """

    def __init__(self, parent: QWidget) -> None:
        self._parent = parent

    def folder_to_open(self, start: Path) -> Path | None:
        """The folder of a project."""
        found = QFileDialog.getExistingDirectory(
            self._parent, "Open the folder of a project", str(start)
        )
        return Path(found) if found else None

    def folder_to_save(self, start: Path) -> Path | None:
        """The folder to save a project to."""
        found = QFileDialog.getExistingDirectory(
            self._parent, "Save the project to a folder", str(start)
        )
        return Path(found) if found else None

    def take_to_open(self, start: Path) -> Path | None:
        """Ask for the file of a take; None if the author cancels."""
        found, _ = QFileDialog.getOpenFileName(
            self._parent, "Open a take", str(start), "Takes (*.take)"
        )
        return Path(found) if found else None

    def take_to_save(self, start: Path) -> Path | None:
        """Where to keep a take."""
        found, _ = QFileDialog.getSaveFileName(
            self._parent, "Keep this take", str(start), "Takes (*.take)"
        )
        return Path(found) if found else None

    def text(self, title: str, label: str, first: str = "") -> str | None:
        """Ask for a line of text; None if the author cancels."""
        text, fine = QInputDialog.getText(self._parent, title, label, text=first)
        return text.strip() if fine and text.strip() else None

    def note(self, title: str, label: str, first: str = "") -> str | None:
        """Several lines of text, which may be empty."""
        text, fine = QInputDialog.getMultiLineText(self._parent, title, label, first)
        return text if fine else None

    def integer(self, title: str, label: str, first: int) -> int | None:
        """A whole number from 0 on."""
        number, fine = QInputDialog.getInt(self._parent, title, label, first, 0, 2**31 - 1)
        return number if fine else None

    def choice(self, title: str, label: str, options: list[str]) -> str | None:
        """Ask for one of several texts; None if the author cancels."""
        found, fine = QInputDialog.getItem(self._parent, title, label, options, 0, False)
        return found if fine else None

    def unsaved(self, what: str) -> str:
        """What to do with unsaved changes: 'save', 'discard' or 'stay'."""
        box = QMessageBox(
            QMessageBox.Icon.Question,
            "Unsaved changes",
            f"{what} has unsaved changes.",
            parent=self._parent,
        )
        save = box.addButton("Save", QMessageBox.ButtonRole.AcceptRole)
        discard = box.addButton("Discard", QMessageBox.ButtonRole.DestructiveRole)
        box.addButton("Stay", QMessageBox.ButtonRole.RejectRole)
        box.exec()
        clicked = box.clickedButton()
        return "save" if clicked is save else "discard" if clicked is discard else "stay"

    def trust(self, files: str) -> bool:
        """Whether a project's own nodes may run."""
        text = (
            f"This project brings nodes of its own, in {files}. They are Python that runs with "
            "your rights. "
            "Let them run only if you know where they come from. The project can be read and "
            "edited either way."
        )
        return self._asks(
            QMessageBox.Icon.Warning, "Nodes of its own", text, "Let them run", "Do not run them"
        )

    def remove(self, what: str, users: list[str]) -> bool:
        """Whether to remove something that is still used."""
        text = (
            f"{what} is used by {', '.join(users)}. Without it they cannot run. It can be undone."
        )
        return self._asks(
            QMessageBox.Icon.Question, f"Remove {what}?", text, "Remove it", "Keep it"
        )

    def breaks(self, what: str, broken: list[str]) -> bool:
        """Whether to make a change that breaks something, which is listed."""
        listed = [f"• {each}" for each in broken[:MOST_PROBLEMS]]
        if len(broken) > MOST_PROBLEMS:
            listed.append(f"… and {len(broken) - MOST_PROBLEMS} more.")
        text = f"{what}? It breaks:\n\n" + "\n\n".join(listed) + "\n\nIt can be undone."
        return self._asks(QMessageBox.Icon.Question, what, text, "Change it", "Leave it")

    def overwrite(self, files: list[str]) -> bool:
        """Whether to write over files that somebody else has changed meanwhile."""
        listed = ", ".join(files[:6]) + (f" and {len(files) - 6} more" if len(files) > 6 else "")
        text = (
            f"Another program has changed {listed} since they were read. Saving writes over that."
        )
        return self._asks(
            QMessageBox.Icon.Warning, "Changed meanwhile", text, "Save all the same", "Do not save"
        )

    def recover(self, what: str) -> bool:
        """Whether to take up changes that an earlier visit did not save."""
        box = QMessageBox(
            QMessageBox.Icon.Question, "Unsaved changes were kept", what, parent=self._parent
        )
        yes = box.addButton("Take them up", QMessageBox.ButtonRole.AcceptRole)
        box.addButton("Discard them", QMessageBox.ButtonRole.RejectRole)
        box.exec()
        return box.clickedButton() is yes

    def problems(self, title: str, problems: list[Problem]) -> None:
        """Tell what is wrong, each with its place and the way out."""
        listed = [f"• {problem}" for problem in problems[:MOST_PROBLEMS]]
        if len(problems) > MOST_PROBLEMS:
            listed.append(
                f"… and {len(problems) - MOST_PROBLEMS} more; `umbrant roll` lists them all."
            )
        QMessageBox.warning(self._parent, title, "\n\n".join(listed))

    def message(self, title: str, text: str) -> None:
        """Show a text until the author closes it."""
        QMessageBox.information(self._parent, title, text)

    def _asks(self, icon: QMessageBox.Icon, title: str, text: str, yes: str, no: str) -> bool:
        """A question whose careful answer, no, is the one that Enter gives."""
        box = QMessageBox(icon, title, text, parent=self._parent)
        chosen = box.addButton(yes, QMessageBox.ButtonRole.AcceptRole)
        box.setDefaultButton(box.addButton(no, QMessageBox.ButtonRole.RejectRole))
        box.exec()
        return box.clickedButton() is chosen
