"""The frame: what a fresh machine needs, and what a reader of the repository
should find true.
"""

import re
import tomllib
from pathlib import Path

from PySide6.QtWidgets import QApplication
from scripts.pages import pages

from umbrant.cli.app import COMMANDS
from umbrant.desk.commands.registry import ACTIONS, sequences

ROOT = Path(__file__).parents[1]
README = (ROOT / "README.md").read_text()


def test_the_lock_holds_every_dependency_with_hashes_and_no_host() -> None:
    lock = (ROOT / "requirements.lock").read_text()
    project = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
    wanted = project["dependencies"] + project["optional-dependencies"]["dev"]
    locked = {
        found.lower()
        for found in re.findall(r"^([\w-]+)==", lock, re.MULTILINE)
    }
    for dependency in wanted:
        assert re.split(r"[<>=!]", dependency)[0].lower() in locked
    assert all(f"\n{name}==" in f"\n{lock.lower()}" for name in locked)
    assert "://" not in lock
    assert lock.count("--hash=sha256:") > len(locked)


def test_every_picture_is_shown_in_the_readme_and_every_link_leads_somewhere() -> (
    None
):
    pictures = {
        path.relative_to(ROOT).as_posix()
        for path in (ROOT / "docs" / "screenshots").glob("*.png")
    }
    linked = set(re.findall(r"\]\((docs/[^)]+)\)", README))
    assert pictures == {link for link in linked if link.endswith(".png")}
    assert len(pictures) < 20
    assert all((ROOT / link).exists() for link in linked)
    for page in (ROOT / "docs").glob("*.md"):
        assert all(
            (page.parent / link).exists()
            for link in re.findall(r"\]\(([^)#]+)\)", page.read_text())
        )


def test_the_pages_say_what_the_program_knows(qapp: QApplication) -> None:
    for name, text in pages().items():
        assert (ROOT / "docs" / name).read_text() == text, (
            f"docs/{name} is old: run scripts/pages.py"
        )


def test_the_readme_names_every_command() -> None:
    for name in set(COMMANDS) - {"open"}:
        assert f"umbrant {name}" in README


def test_the_readme_tells_the_keys_that_there_are(qapp: QApplication) -> None:
    keyed = {
        sequence.toString()
        for action in ACTIONS
        for sequence in sequences(action)
    }
    table = README.split("| keys | |")[1].split("\n\n")[0]
    output = re.findall(
        r"\b(?:(?:Ctrl|Shift|Alt)\+)*(?:F\d+|[A-Z]|Tab|Delete|Space|Up|Down)\b(?=[,| ])",
        table,
    )
    for key in set(output) - {
        "Up",
        "Down",
        "Shift+Up",
        "Shift+Down",
        "I",
        "Shift",
        "Ctrl",
    }:
        assert {"Delete": "Del"}.get(key, key) in keyed


def test_no_file_holds_a_path_of_one_machine() -> None:
    for folder in ("src", "tests", "benchmarks", "scripts", "examples"):
        for path in (ROOT / folder).rglob("*"):
            if path.suffix in (".py", ".json", ".sh"):
                assert not re.search(
                    r"(/home/\w|/root/|/work/)",
                    path.read_text().replace("test_frame", ""),
                ) or path == Path(__file__)
