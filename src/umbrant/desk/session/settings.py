"""What the window remembers between visits: its size, its looks, the projects
opened last.
"""

from pathlib import Path

from platformdirs import user_config_path
from PySide6.QtCore import QByteArray, QSettings

MOST_RECENT = 8


class Settings:
    """Kept in an INI file of the user's configuration folder. What cannot be
    read counts as never set.
    """

    def __init__(self, path: Path | None = None) -> None:
        place = path or user_config_path("umbrant") / "window.ini"
        self._store = QSettings(str(place), QSettings.Format.IniFormat)

    @property
    def recent(self) -> list[Path]:
        """The projects opened last, the latest first."""
        found = self._store.value("recent", [])
        if isinstance(found, str):
            listed = [found]
        elif isinstance(found, list):
            listed = found
        else:
            listed = []
        return [Path(str(each)) for each in listed if each]

    def opened(self, folder: Path) -> None:
        """Put a folder first among the recent projects."""
        others = [each for each in self.recent if each != folder]
        self._store.setValue(
            "recent", [str(each) for each in [folder, *others][:MOST_RECENT]]
        )

    def flag(self, name: str) -> bool:
        """A choice that is on or off; off if it was never made."""
        return str(self._store.value(name, "false")).lower() == "true"

    def set_flag(self, name: str, on: bool) -> None:
        """Store a switch by its name."""
        value = "false"
        if on:
            value = "true"
        self._store.setValue(name, value)

    def text(self, name: str) -> str:
        """A text that was stored under a name; empty if none was."""
        found = self._store.value(name, "")
        if isinstance(found, str):
            return found
        return ""

    def set_text(self, name: str, text: str) -> None:
        """Store a text under a name; an empty one is forgotten."""
        if text:
            self._store.setValue(name, text)
        else:
            self._store.remove(name)

    def trusts(self, fingerprint: str) -> bool:
        """Whether a project's own nodes of this content may run."""
        return bool(fingerprint) and self.flag(f"trust/{fingerprint}")

    def remember(self, fingerprint: str) -> None:
        """Let a project's own nodes of this content run."""
        if fingerprint:
            self.set_flag(f"trust/{fingerprint}", True)

    def state(self, name: str) -> QByteArray | None:
        """The remembered state of a window or a splitter."""
        found = self._store.value(f"state/{name}")
        if isinstance(found, QByteArray):
            return found
        return None

    def set_state(self, name: str, state: QByteArray) -> None:
        """Remember the state of a window or a splitter."""
        self._store.setValue(f"state/{name}", state)
