"""Whether a project's own nodes may run: the author is asked once for each
content of them.
"""

from typing import Protocol

from umbrant.model.documents import Project
from umbrant.project_nodes import fingerprint, project_catalog


class Trust(Protocol):
    """Remembers which projects' own nodes may run, by a fingerprint of their
    content.
    """

    def trusts(self, fingerprint: str) -> bool:
        """Whether nodes of this content may run."""

    def remember(self, fingerprint: str) -> None:
        """Let nodes of this content run."""


class _Nothing:
    def trusts(self, fingerprint: str) -> bool:
        return False

    def remember(self, fingerprint: str) -> None: ...


NOTHING_TRUSTED: Trust = _Nothing()


class Nodes:
    """The nodes of a project, its own among them. None of their code runs in
    this process, trusted or not.
    """

    def __init__(self, project: Project, trust: Trust) -> None:
        self._trust = trust
        self.take_up(project)

    def take_up(self, project: Project) -> None:
        """Read the project's own nodes, which have changed."""
        self.own = project_catalog(project)
        self.trusted = self._trust.trusts(fingerprint(project))

    def let_run(self, project: Project) -> None:
        """Let the project's own nodes run from now on, as long as they stay as
        they are.
        """
        self._trust.remember(fingerprint(project))
        self.take_up(project)
