"""The takes of a visit: they are ordered from the worker process, read in a thread, numbered, and
kept to go back to.
"""

import shutil
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from umbrant.catalog.declare import Catalog
from umbrant.desk.session.loader import Loaded, Loader
from umbrant.desk.session.numbered_take import NumberedTake, noticed_in
from umbrant.desk.session.roller import Roller
from umbrant.desk.session.visits import folder_for_takes
from umbrant.model.documents import Project
from umbrant.reasons.why import Explainer
from umbrant.rolling.orders import Reply
from umbrant.rolling.roll import RollOrder
from umbrant.take.reader import Take

KEPT_TAKES = 12
"""How many takes of a visit are kept to go back to."""


class Takes(QObject):
    """The takes of one window, and the one that is shown. Lives in the window's thread."""

    shown = Signal()
    """Another take is shown."""
    arrived = Signal()
    """A new take was read and is shown, and nothing in it needs the author's attention."""
    busy_changed = Signal(bool)
    message = Signal(str)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.kept: list[NumberedTake] = []
        """The takes to go back to, oldest first; at most `KEPT_TAKES`."""
        self.current: NumberedTake | None = None
        self._before: Take | None = None
        """The take that was shown before the last edit; the next one is compared with it."""
        self._explainers: dict[str, Explainer] = {}
        self._ordered: tuple[Path, Project] | None = None
        self._numbered = 0
        self._files = 0
        self._folder = folder_for_takes()
        self.roller = Roller(self)
        self.roller.rolled.connect(self._rolled)
        self.roller.failed.connect(self.message)
        self.roller.busy_changed.connect(self.busy_changed)
        self._loader = Loader(self)
        self._loader.loaded.connect(self._loaded)
        self._loader.failed.connect(self.message)

    @property
    def busy(self) -> bool:
        """Whether a take is being rolled."""
        return self.roller.busy

    @property
    def take(self) -> Take | None:
        """The take that is shown."""
        return self.current.loaded.take if self.current else None

    def close(self) -> None:
        """End the worker process and remove this visit's takes."""
        self._loader.close()
        self.roller.close()
        shutil.rmtree(self._folder, ignore_errors=True)

    # rolling

    def next_file(self) -> Path:
        """The file for the next take; another one at each call."""
        self._files += 1
        return self._folder / f"{self._files}.take"

    def compare_next(self) -> None:
        """Compare the next take with the one that is shown now.

        Called at the first step of an edit only: after a drag the author wants to know what the
        whole drag changed.
        """
        self._before = self.take

    def order(self, order: RollOrder) -> None:
        """Roll this instead of whatever is being rolled."""
        self._ordered = order.path, order.project
        self.roller.order(order)

    def _rolled(self, reply: Reply) -> None:
        if reply.take is not None:
            self._loader.request(reply.take, self._before)

    # showing

    def open(self, path: Path) -> None:
        """Show a take from a file."""
        self._loader.request(path, None)

    def show(self, number: int) -> None:
        """Show one of the kept takes again, by its number; nothing if it is not kept any more."""
        for entry in self.kept:
            if entry.number == number:
                self._show(entry)

    def explainer(self, agent: str, catalog: Catalog) -> Explainer | None:
        """What answers questions about an agent in the take that is shown; None if it plays no
        part in it.
        """
        take = self.take
        if take is None or agent not in take.agents:
            return None
        kept = self._explainers.get(agent)
        if kept is None or kept.catalog is not catalog:
            kept = self._explainers[agent] = Explainer(take, agent, catalog)
        return kept

    def _show(self, entry: NumberedTake) -> None:
        self.current = entry
        self._explainers = {}
        self.shown.emit()

    def _loaded(self, loaded: Loaded) -> None:
        self._numbered += 1
        entry = NumberedTake(self._numbered, loaded, self._label(loaded), self._made_from(loaded))
        for dropped in self.kept[: -KEPT_TAKES + 1]:
            self._remove_file(dropped)
        self.kept = [*self.kept[-KEPT_TAKES + 1 :], entry]
        self._show(entry)
        take = loaded.take
        noticed = noticed_in(take)
        if not take.is_complete:
            ended = take.ended.rstrip(".")
            self.message.emit(f"This take is not whole: {ended}. It shows what was recorded.")
        elif noticed:
            self.message.emit(noticed)
        else:
            self.arrived.emit()

    def _label(self, loaded: Loaded) -> str:
        header, take = loaded.take.header, loaded.take
        length_s = header.seconds(take.ticks)
        cut = "" if take.is_complete else " · cut short"
        return f"Take {self._numbered} · seed {header.seed} · {length_s:.1f} s{cut}"

    def _made_from(self, loaded: Loaded) -> Project:
        """The project that a take was made from: the very object that was sent, so that *is it
        still the same* is answered without comparing documents; of a file, what stands in it.
        """
        if self._ordered is not None and self._ordered[0] == loaded.take.path:
            return self._ordered[1]
        return loaded.take.header.project

    def _remove_file(self, entry: NumberedTake) -> None:
        path = entry.loaded.take.path
        # A take that the author opened from elsewhere is the author's.
        if path.parent == self._folder:
            path.unlink(missing_ok=True)
