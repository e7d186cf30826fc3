"""Undo and redo. A step is the project before it, for documents are frozen."""

from collections.abc import Callable
from dataclasses import dataclass, field, replace

from umbrant.model.behaviors import NodeFile
from umbrant.model.documents import Project
from umbrant.model.edits import Edit


@dataclass(frozen=True)
class OtherStep:
    """A step that changes something else than the documents, such as a file
    beside them.
    """

    back: Callable[[], None]
    """Takes it back. Raises OSError."""
    again: Callable[[], None]
    """Does it again. Raises OSError."""


@dataclass(frozen=True)
class _Step:
    name: str
    before: Project
    merges: str
    other: OtherStep | None = None


@dataclass(frozen=True)
class _UndoneStep:
    name: str
    after: Project
    other: OtherStep | None


@dataclass
class History:
    """The present project and the projects before it. `saved` is the one on
    disk.
    """

    project: Project
    saved: Project | None = None
    merged: bool = False
    """Whether the last edit became one step with the one before it, as in a
    drag.
    """
    _done: list[_Step] = field(default_factory=list)
    _undone: list[_UndoneStep] = field(default_factory=list)

    def do(self, edit: Edit) -> bool:
        """Apply an edit; says whether it changed anything. Edits with the same
        `merges` become one step.
        """
        after = edit.apply(self.project)
        if after == self.project:
            return False
        before = self.project
        self.merged = bool(
            edit.merges and self._done and self._done[-1].merges == edit.merges
        )
        if self.merged:
            before = self._done.pop().before
        self._done.append(_Step(edit.name, before, edit.merges))
        self._undone.clear()
        self.project = after
        return True

    def note(self, name: str, other: OtherStep, merges: str = "") -> None:
        """Something else than the documents was changed. Steps with the same
        `merges` become one, which goes back to before the first and on to
        after the last.
        """
        last = None
        if self._done:
            last = self._done[-1]
        if (
            last is not None
            and last.other is not None
            and merges
            and last.merges == merges
        ):
            self._done.pop()
            other = OtherStep(last.other.back, other.again)
        self._done.append(_Step(name, self.project, merges, other))
        self._undone.clear()

    def take_up_nodes(self, nodes: tuple[NodeFile, ...]) -> bool:
        """Put in the node files as they lie on disk, which is no step of the
        author's. Says whether they changed.
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
            self._done[-1] = replace(last, merges="")

    def undo(self) -> str | None:
        """Go back one step; its name, or None if there is none. Raises
        OSError, with the step still there.
        """
        if not self._done:
            return None
        step = self._done[-1]
        if step.other is not None:
            step.other.back()
        self._done.pop()
        self._undone.append(_UndoneStep(step.name, self.project, step.other))
        self.project = step.before
        return step.name

    def redo(self) -> str | None:
        """Do again what was undone last; its name, or None if there is
        nothing. Raises OSError, with the step still there.
        """
        if not self._undone:
            return None
        step = self._undone[-1]
        if step.other is not None:
            step.other.again()
        self._undone.pop()
        self._done.append(_Step(step.name, self.project, "", step.other))
        self.project = step.after
        return step.name

    @property
    def undo_name(self) -> str | None:
        """What `undo` would take back."""
        if self._done:
            return self._done[-1].name
        return None

    @property
    def redo_name(self) -> str | None:
        """What `redo` would do again."""
        if self._undone:
            return self._undone[-1].name
        return None

    @property
    def unsaved(self) -> bool:
        """Whether the project differs from the one on disk."""
        return self.saved is not self.project and self.saved != self.project
