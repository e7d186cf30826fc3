"""`umbrant compare`: takes, projects, seeds, revisions, exit codes."""

import json
import os
import shutil
import subprocess
from pathlib import Path
from typing import Any

import pytest

from tests.small import project, row
from umbrant.comparing.revision import project_at
from umbrant.model.folder import read_project, save_project
from umbrant.model.problems import ProjectError
from umbrant.rolling.roll import RollOrder, roll

Folders = tuple[Path, Path]


@pytest.fixture
def umbrant(umbrant: Any) -> Any:
    return lambda *args: umbrant("compare", *args)


@pytest.fixture
def folders(tmp_path: Path) -> Folders:
    """Two projects: an agent waits for 0.5 s in one, for 0.7 s in the other."""
    for name, duration in (("one", 0.5), ("other", 0.7)):
        (tmp_path / name).mkdir()
        waits = project(
            row("top", "selector"),
            row("idle", "wait", "top", duration=duration),
        )
        save_project(waits, tmp_path / name)
    return tmp_path / "one", tmp_path / "other"


def git(folder: Path, *arguments: str) -> None:
    names = {"GIT_AUTHOR_NAME": "a", "GIT_COMMITTER_NAME": "a"}
    mails = {
        "GIT_AUTHOR_EMAIL": "a@example.com",
        "GIT_COMMITTER_EMAIL": "a@example.com",
    }
    subprocess.run(
        ["git", "-C", str(folder), *arguments],
        check=True,
        capture_output=True,
        env={**os.environ, **names, **mails, "HOME": str(folder)},
    )


def committed(one: Path) -> Path:
    """A git repository with a project in it; returns its root."""
    root = one.parent
    git(root, "init", "-q")
    git(root, "add", "one")
    git(root, "commit", "-qm", "first")
    return root


def test_equal_projects_give_0_and_different_ones_1(
    umbrant: Any, folders: Folders
) -> None:
    one, other = folders
    code, out, err = umbrant(one, one, "--seeds", "2")
    assert (code, out.strip(), err) == (0, "Equal in 2 seeds of 2.", "")
    code, out, err = umbrant(one, other)
    assert (code, err) == (1, "")
    assert out.startswith("They part at 0.50 s (tick 5), at a’s idle.")
    code, out, _ = umbrant(one, other, "--seeds", "2", "--json")
    runs = json.loads(out)["runs"]
    assert (code, [each["equal"] for each in runs]) == (1, [False, False])
    assert [each["seed"] for each in runs] == [1, 2]
    assert (runs[0]["first"]["tick"], runs[0]["first"]["subject"]) == (
        5,
        "idle",
    )
    # Both wait all the time, and nothing else comes of it.
    assert umbrant(one, other, "--outcome")[0] == 0


def test_a_take_and_a_project_that_still_gives_it_are_equal(
    umbrant: Any, folders: Folders, tmp_path: Path
) -> None:
    take = roll(
        RollOrder(read_project(folders[0]), "s", tmp_path / "t.take", seed=9)
    )
    assert umbrant(take, folders[0])[0] == 0
    assert umbrant(folders[1], take)[0] == 1
    assert umbrant(take, take)[0] == 0


def test_trouble_gives_2_and_the_way_out(
    umbrant: Any, folders: Folders, tmp_path: Path
) -> None:
    one = folders[0]
    take = roll(RollOrder(read_project(one), "s", tmp_path / "t.take"))
    damaged = tmp_path / "damaged.take"
    damaged.write_bytes(b"no take")
    for arguments, said in (
        (
            (one, tmp_path / "nothing"),
            "there is no such take, project, or project at a revision",
        ),
        ((one, damaged), "Roll the scenario again"),
        (
            (one, one, "--scenario", "nowhere"),
            "there is no scenario 'nowhere'",
        ),
        ((take, one, "--seeds", "3"), "a take has the seed that it has"),
        ((f"{one}@HEAD", one), "it does not lie in a git repository"),
    ):
        code, out, err = umbrant(*arguments)
        assert (code, out) == (2, "")
        assert said in err


def test_a_project_is_read_at_a_revision_of_its_repository(
    umbrant: Any, folders: Folders
) -> None:
    one, other = folders
    root = committed(one)
    shutil.copytree(other, one, dirs_exist_ok=True)
    (one / "notes.txt").write_text("of no concern")
    git(root, "add", "one")
    git(root, "commit", "-qm", "second")
    assert project_at(one, "HEAD~1") != read_project(one)
    assert project_at(one, "HEAD") == read_project(one)
    assert umbrant(f"{one}@HEAD~1", one)[0] == 1
    assert umbrant(f"{one}@HEAD", one)[0] == 0
    for revision in ("HEAD~9", "--all", "", "a b"):
        code, _, err = umbrant(f"{one}@{revision}", one)
        assert code == 2
        assert "is no revision of its git repository" in err
    with pytest.raises(ProjectError, match="there was no project in it"):
        project_at(root, "HEAD")


def test_nothing_that_a_repository_names_is_run(folders: Folders) -> None:
    one = folders[0]
    root = committed(one)
    trap = root / "trap"
    script = root / "set-trap"
    script.write_text(f"#!/bin/sh\ntouch {trap}\n")
    script.chmod(0o755)
    for name in (
        "core.fsmonitor",
        "core.pager",
        "diff.external",
        "core.sshCommand",
    ):
        git(root, "config", name, str(script))
    (root / ".git" / "info" / "attributes").write_text(
        "* filter=trap diff=trap\n"
    )
    for name in (
        "filter.trap.smudge",
        "filter.trap.clean",
        "diff.trap.textconv",
    ):
        git(root, "config", name, str(script))
    trap.unlink(missing_ok=True)
    assert project_at(one, "HEAD") == read_project(one)
    assert not trap.exists()


def test_blobs_that_are_elsewhere_are_not_fetched(folders: Folders) -> None:
    one = folders[0]
    root = committed(one)
    trap = root / "trap"
    git(root, "config", "remote.origin.url", f"ext::touch {trap}")
    git(root, "config", "remote.origin.promisor", "true")
    git(root, "config", "protocol.ext.allow", "always")
    git(root, "config", "core.repositoryFormatVersion", "1")
    git(root, "config", "extensions.partialClone", "origin")
    listed = subprocess.run(
        ["git", "-C", str(root), "rev-parse", "HEAD:one/project.json"],
        check=True,
        capture_output=True,
        text=True,
    )
    blob = listed.stdout.strip()
    (root / ".git" / "objects" / blob[:2] / blob[2:]).unlink()
    with pytest.raises(ProjectError):
        project_at(one, "HEAD")
    assert not trap.exists()
