"""An older version of a project, out of the git repository that its folder
lies in.

Only `rev-parse`, `ls-tree` and `cat-file` are run, with no lazy fetch, no
network, no hook and no other command that the repository names: a repository
may come from anywhere.
"""

import os
import subprocess
from collections.abc import Iterator
from pathlib import Path

from umbrant.model.documents import Project
from umbrant.model.folder import (
    COVER_FILE,
    EVENTS_FILE,
    FOLDERS,
    NODES,
    parse_project,
)
from umbrant.model.printable import printable
from umbrant.model.problems import Problem, ProjectError

LIMIT_S = 20.0
"""How long git may take for one answer."""
MOST_BYTES = 64_000_000
"""How large the files of a project may be, all together."""
_PLAIN_GIT = (
    "git",
    "--no-pager",
    "-c",
    "core.fsmonitor=false",
    "-c",
    "core.hooksPath=/dev/null",
)
_ENVIRONMENT = {
    "GIT_NO_LAZY_FETCH": "1",
    "GIT_ALLOW_PROTOCOL": "none",
    "GIT_TERMINAL_PROMPT": "0",
    "GIT_OPTIONAL_LOCKS": "0",
    "LC_ALL": "C",
}


def project_at(folder: Path, revision: str) -> Project:
    """The project in a folder as it was at a revision, such as `HEAD~1`.
    Raises ProjectError, which says what is missing: the repository, the
    revision, the project in it.
    """
    found = _git(
        folder,
        "rev-parse",
        "--verify",
        "--quiet",
        "--end-of-options",
        f"{revision}^{{}}",
    )
    commit = ""
    if found:
        commit = found.decode().strip()
    if not commit:
        raise _problem(
            folder,
            f"'{printable(revision)}' is no revision of its git repository.",
        )
    prefix = (
        (_git(folder, "rev-parse", "--show-prefix") or b"").decode().strip()
    )
    listed = _git(
        folder,
        "ls-tree",
        "-r",
        "-z",
        "-l",
        "--full-tree",
        f"{commit}:{prefix}",
    )
    files = dict(_files(listed or b""))
    if COVER_FILE not in files:
        raise _problem(
            folder, f"there was no project in it at '{printable(revision)}'."
        )
    if sum(size for _, size in files.values()) > MOST_BYTES:
        raise _problem(
            folder,
            f"its files at '{printable(revision)}' are too large to be read.",
        )
    texts = {
        name: _text(folder, name, blob)
        for name, (blob, _) in sorted(files.items())
    }
    return parse_project(texts)


def _files(listed: bytes) -> Iterator[tuple[str, tuple[str, int]]]:
    """The files of a project among those listed: the path within it, the blob
    and its size.
    """
    for entry in listed.split(b"\0"):
        facts, _, path = entry.partition(b"\t")
        words = facts.split()
        # A link or a module of another repository is no file.
        if len(words) != 4 or words[0] not in (b"100644", b"100755"):
            continue
        name = path.decode("utf-8", "replace")
        if _is_of_project(name):
            # One that is not in this copy has no size; reading it fails.
            size = 0
            if words[3].isdigit():
                size = int(words[3])
            yield name, (words[2].decode(), size)


def _is_of_project(name: str) -> bool:
    place, _, file = name.rpartition("/")
    if not place:
        return file in (COVER_FILE, EVENTS_FILE)
    if place == NODES:
        return file.endswith(".py")
    return place in FOLDERS and file.endswith(".json")


def _text(folder: Path, name: str, blob: str) -> str:
    content = _git(folder, "cat-file", "blob", blob)
    if content is None:
        raise _problem(
            folder, f"{printable(name)} is not in this copy of the repository."
        )
    try:
        return content.decode()
    except UnicodeDecodeError:
        raise _problem(folder, f"{printable(name)} was no text.") from None


def _git(folder: Path, *arguments: str) -> bytes | None:
    """What git prints; None where it says no. Raises ProjectError where it
    cannot be run.
    """
    try:
        done = subprocess.run(  # noqa: S603  (arguments of our own; the revision comes as one)
            [*_PLAIN_GIT, "-C", str(folder), *arguments],
            stdin=subprocess.DEVNULL,
            capture_output=True,
            timeout=LIMIT_S,
            check=False,
            env={**os.environ, **_ENVIRONMENT},
        )
    except FileNotFoundError:
        raise _problem(
            folder, "git is not installed.", "Install git."
        ) from None
    except (OSError, subprocess.TimeoutExpired) as error:
        raise _problem(
            folder, f"git did not answer ({type(error).__name__})."
        ) from None
    if done.returncode == 128 and b"not a git repository" in done.stderr:
        raise _problem(
            folder,
            "it does not lie in a git repository.",
            "Name two folders instead.",
        )
    if b"dubious ownership" in done.stderr:
        remedy = "Add it to `safe.directory` of git if you trust it."
        raise _problem(
            folder, "its repository belongs to somebody else.", remedy
        )
    if done.returncode == 0:
        return done.stdout
    return None


def _problem(
    folder: Path, message: str, remedy: str = "`git log` lists the revisions."
) -> ProjectError:
    return ProjectError([Problem(str(folder), "", message, remedy)])
