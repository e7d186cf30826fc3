"""Undo and redo. A step is the project before it, for documents are frozen."""

from dataclasses import dataclass, field

from umbrant.model.behaviors import NodeFile
from umbrant.model.documents import Project
from umbrant.model.edits import Edit


@dataclass(frozen=True)
class _Step:
    name: str
    before: Project
    merges: str


@dataclass
class History:
    """The present project and the projects before it. `saved` is the one on disk."""

    project: Project
    saved: Project | None = None
    merged: bool = False
    """Whether the last edit became one step with the one before it, as in a drag."""
    _done: list[_Step] = field(default_factory=list)
    _undone: list[tuple[str, Project]] = field(default_factory=list)

    def do(self, edit: Edit) -> bool:
        """Apply an edit; says whether it changed anything. Edits with the same `merges` become one
        step.
        """
        after = edit.apply(self.project)
        if after == self.project:
            return False
        before = self.project
        self.merged = bool(edit.merges and self._done and self._done[-1].merges == edit.merges)
        if self.merged:
            before = self._done.pop().before
        self._done.append(_Step(edit.name, before, edit.merges))
        self._undone.clear()
        self.project = after
        return True

    def take_up_nodes(self, nodes: tuple[NodeFile, ...]) -> bool:
        """Put in the node files as they lie on disk, which is no step of the author's. Says whether
        they changed.
        """
        if nodes == self.project.nodes:
            return False
        self.project = self.project.model_copy(update={"nodes": nodes})
        if self.saved is not None:
            self.saved = self.saved.model_copy(update={"nodes": nodes})
        return True

    def settle(self) -> None:
        """End a run of merging edits: the next edit is a step of its own."""
        if self._done:
            last = self._done[-1]
            self._done[-1] = _Step(last.name, last.before, "")

    def undo(self) -> str | None:
        """Go back one step; its name, or None if there is none."""
        if not self._done:
            return None
        step = self._done.pop()
        self._undone.append((step.name, self.project))
        self.project = step.before
        return step.name

    def redo(self) -> str | None:
        """Do again what was undone last; its name, or None if there is nothing."""
        if not self._undone:
            return None
        name, after = self._undone.pop()
        self._done.append(_Step(name, self.project, ""))
        self.project = after
        return name

    @property
    def undo_name(self) -> str | None:
        """What `undo` would take back."""
        return self._done[-1].name if self._done else None

    @property
    def redo_name(self) -> str | None:
        """What `redo` would do again."""
        return self._undone[-1][0] if self._undone else None

    @property
    def unsaved(self) -> bool:
        """Whether the project differs from the one on disk."""
        return self.saved is not self.project and self.saved != self.project
