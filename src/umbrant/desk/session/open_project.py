"""The project that the window has open: its history, its folder, what is wrong
with it, and what the review found in it.
"""

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from umbrant.catalog.kind import Catalog
from umbrant.catalog.validation import ValidationMemory, validate
from umbrant.desk.session.history import History, OtherStep
from umbrant.desk.session.reviewing import Reviewer
from umbrant.desk.session.trust import Nodes, Trust
from umbrant.desk.widgets.row_index import RowIndex
from umbrant.expecting.expectation import NamedExpectation, read_expectations
from umbrant.model.behaviors import NodeFile
from umbrant.model.changes import Stamp, changed_files, stamp
from umbrant.model.documents import Project
from umbrant.model.edits import Edit
from umbrant.model.files import write_atomically
from umbrant.model.folder import NODES, read_nodes, save_project
from umbrant.model.outline import OutlineError
from umbrant.model.problems import Problem, ProjectError
from umbrant.project_nodes import problems_of_rows
from umbrant.review.findings import Finding


class OpenProject(QObject):
    """The documents of one window, and every way to change them. Lives in the
    window's thread.
    """

    changed = Signal(bool)
    """The author changed the project. True for a further step of one edit, as
    in a drag.
    """
    refreshed = Signal()
    """The project stands otherwise on disk or has other node files; the author
    changed nothing.
    """
    stepped = Signal()
    """The author changed something that stands beside the documents, or went a
    step back or on in it.
    """
    reviewed = Signal()
    """The project has been reviewed: fixes are for what it is now."""
    findings_changed = Signal()
    about_to_save = Signal()
    message = Signal(str)

    def __init__(
        self,
        project: Project,
        folder: Path | None,
        trust: Trust,
        parent: QObject,
    ) -> None:
        super().__init__(parent)
        self.folder = folder
        """Where the project is saved; None before the first time."""
        self.history = History(project, project)
        self._stamp: Stamp = stamp(folder) if folder is not None else {}
        self._nodes = Nodes(project, trust)
        self._declined: tuple[NodeFile, ...] = ()
        """The node files as they were when the author last said that they may
        not run.
        """
        self._validated: ValidationMemory = {}
        self._node_faults: tuple[Problem, ...] = ()
        """What went wrong as a node file was run for the last take."""
        self.problems: list[Problem] = self._validate()
        self.findings: list[Finding] = []
        """What the review found in the documents."""
        self._problems_by_row = RowIndex[Problem]()
        self._findings_by_row = RowIndex[Finding]()
        self._is_closed = False
        self.reviewer = Reviewer(self)
        self.reviewer.reviewed.connect(self._reviewed)
        self.reviewer.failed.connect(self.message)
        self.reviewer.request(project, self.catalog)

    @property
    def project(self) -> Project:
        """The project as it now is."""
        return self.history.project

    @property
    def catalog(self) -> Catalog:
        """All kinds of nodes, the project's own among them."""
        return self._nodes.own.catalog

    def close(self) -> None:
        """Change nothing from now on, and wait for the running review."""
        self._is_closed = True
        self.reviewer.close()

    # editing

    def apply(self, edit: Edit) -> bool:
        """Make an edit. Returns whether anything changed. Raises PathError."""
        # The views of a closed window live for a moment longer, and may send
        # an edit.
        if self._is_closed:
            return False
        try:
            if not self.history.do(edit):
                return False
        except OutlineError as error:
            self.message.emit(f"{edit.name} is not possible: {error}.")
            return False
        self._author_changed(merged=self.history.merged)
        return True

    def broken_by(self, edit: Edit) -> list[Problem]:
        """The problems that an edit would bring. Raises PathError."""
        known = set(self.problems)
        after = validate(edit.apply(self.project), self.catalog)
        return [problem for problem in after if problem not in known]

    def undo(self) -> None:
        """Take the last edit back."""
        self._walk(self.history.undo, "Undone")

    def redo(self) -> None:
        """Do again what was taken back last."""
        self._walk(self.history.redo, "Done again")

    def _walk(self, step: Callable[[], str | None], done: str) -> None:
        """Go a step back or on, and say so."""
        before = self.project
        try:
            name = step()
        except OSError as error:
            self.message.emit(
                f"{error.filename}: it could not be written: {error.strerror}."
            )
            return
        if name is None:
            return
        if self.project is not before:
            self._author_changed()
        else:
            # What was changed stands beside the documents: nothing has to be
            # played again.
            self.stepped.emit()
        self.message.emit(f"{done}: {name}")

    def note(self, name: str, other: OtherStep, merges: str = "") -> None:
        """The author changed something that stands beside the documents: a
        step like an edit.
        """
        self.history.note(name, other, merges)
        self.stepped.emit()

    def _author_changed(self, *, merged: bool = False) -> None:
        self.problems = self._validate()
        self.reviewer.request(self.project, self.catalog)
        self.changed.emit(merged)

    # the folder

    def save(self, folder: Path | None = None) -> None:
        """Write the project to its folder, or to another one from now on.
        Raises ProjectError.
        """
        target = folder or self.folder
        if target is None:
            raise ValueError(
                "a project without a folder is saved to a folder that is given"
            )
        self.about_to_save.emit()
        save_project(self.project, target)
        self.folder = target
        self._stamp = stamp(target)
        self.history.saved = self.project
        self.history.settle()
        self.refreshed.emit()
        self.message.emit(f"Saved to {target}")

    def changed_outside(self) -> list[str]:
        """The files that another program has changed since they were read or
        saved here.
        """
        if self.folder is None:
            return []
        return changed_files(self._stamp, stamp(self.folder))

    # the project's own nodes

    @property
    def may_run_nodes(self) -> bool:
        """Whether the author has allowed the project's own nodes, as they now
        are, to run.
        """
        return self._nodes.trusted

    @property
    def needs_trust(self) -> bool:
        """Whether the project has nodes of its own that the author has not
        allowed to run.
        """
        return bool(self.project.nodes) and not self._nodes.trusted

    @property
    def asks_for_trust(self) -> bool:
        """Whether the author is to be asked about the project's own nodes:
        they wait for it, and as they now are the answer has not been no.
        """
        return self.needs_trust and self._declined != self.project.nodes

    def decline_nodes(self) -> None:
        """The author's answer about the project's own nodes, as they now are,
        is no.
        """
        self._declined = self.project.nodes

    def trust_nodes(self) -> None:
        """Let the project's own nodes run from now on, as long as they stay as
        they are.
        """
        self._nodes.let_run(self.project)
        self._author_changed()

    def add_node_file(self, file: NodeFile) -> Path:
        """Write a new file of nodes into the project's folder, and take it up.
        Returns its path.

        It is trusted if all that the project had before is: what is in it is
        ours, until its author changes it. Raises OSError, also where there is
        such a file, and ValueError for a project without a folder.
        """
        if self.folder is None:
            raise ValueError("the project has no folder")
        # What another program has changed meanwhile was trusted by nobody, and
        # must not be with it.
        self.read_nodes_again()
        was_trusted, before = not self.needs_trust, self.project.nodes
        path = self.folder / NODES / file.name
        if path.exists():
            raise FileExistsError(
                f"there is a {path} already; call the node otherwise"
            )
        write_atomically(path, file.text)
        self.read_nodes_again()
        others = tuple(each for each in self.project.nodes if each != file)
        if was_trusted and others == before and file in self.project.nodes:
            self.trust_nodes()
        return path

    def read_nodes_again(self) -> None:
        """Read node files that have changed on disk: they are written in
        another editor.
        """
        if self.folder is None:
            return
        try:
            nodes = read_nodes(self.folder)
        except ProjectError as error:
            self.message.emit(str(error))
            return
        if not self.history.take_up_nodes(nodes):
            return
        self._nodes.take_up(self.project)
        self._node_faults = ()
        self.problems = self._validate()
        self.refreshed.emit()
        if self.needs_trust:
            self.message.emit(
                "The project's own nodes have changed. The next new take asks whether they may run."
            )

    # expectations

    def read_expectations(self) -> tuple[NamedExpectation, ...]:
        """What must be so in takes, as it stands in the folder now. What
        cannot be read is told.
        """
        if self.folder is None:
            return ()
        try:
            return tuple(read_expectations(self.folder))
        except ProjectError as error:
            self.message.emit(str(error))
            return ()

    # problems and findings

    def obstacle(self) -> Problem | None:
        """The first problem that keeps every scenario from being played.

        A row that cannot run is none: play refuses it with its reason and goes
        on with the rest. Nor is a node file that cannot be read.
        """
        for problem in self.problems:
            if not problem.row_id and not problem.file.startswith(f"{NODES}/"):
                return problem
        return None

    def problems_of(self, behavior: str, row_id: str) -> list[Problem]:
        """The problems of a row, by the behavior that it is written in."""
        return self._problems_by_row.of(
            self.problems, _file_of(behavior), row_id
        )

    def findings_of(self, behavior: str, row_id: str) -> list[Finding]:
        """What the review found about a row, by the behavior that it is
        written in.
        """
        return self._findings_by_row.of(
            self.findings, _file_of(behavior), row_id
        )

    def note_play(self, fault: str = "") -> None:
        """Take up how the last take went: what was wrong with a node file,
        which is shown at the rows that use its nodes until the file is read
        again or a take is played; or nothing.
        """
        files = (f"{NODES}/{file.name}" for file in self.project.nodes)
        file = next((file for file in files if fault.startswith(file)), None)
        faults: tuple[Problem, ...] = ()
        if file is not None:
            faults = (
                Problem(file, "", fault.removeprefix(file).lstrip(":, ")),
            )
        if faults != self._node_faults:
            self._node_faults = faults
            self.problems = self._validate()
            self.refreshed.emit()

    def _validate(self) -> list[Problem]:
        project = self.project
        if self.folder is None and not (
            project.behaviors or project.scenarios
        ):
            # What stands in for a project while none is open.
            return []
        written = validate(self.project, self.catalog, self._validated)
        own = (*self._nodes.own.problems, *self._node_faults)
        return [
            *written,
            *problems_of_rows(self.project, self.catalog, own),
            *own,
        ]

    def _reviewed(self, found: list[Finding]) -> None:
        is_other = found != self.findings
        self.findings = found
        self.reviewed.emit()
        # Most edits change none of them, and the tape would be painted anew.
        if is_other:
            self.findings_changed.emit()


def _file_of(behavior: str) -> str:
    return f"behaviors/{behavior}.json"
