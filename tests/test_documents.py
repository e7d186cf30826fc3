"""The README and the pages of docs/ tell the truth: what can be run in them is
run.
"""

import json
import re
import shlex
import shutil
import subprocess
import sys
import tomllib
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path
from typing import Any

import click
import pytest
from PySide6.QtWidgets import QApplication
from typer.core import TyperGroup
from typer.main import get_command

from tests.conftest import DEMO
from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.language.check import faults
from umbrant.catalog.language.phrase_tokens import SMALL
from umbrant.catalog.language.reading import typed_condition
from umbrant.catalog.validation import open_project
from umbrant.cli import main
from umbrant.cli.app import app
from umbrant.desk.chips.filling import filled
from umbrant.desk.commands.registry import ACTIONS, sequences
from umbrant.desk.views.ledger.search import offers, typed
from umbrant.model.behaviors import Key, Row
from umbrant.model.folder import read_project
from umbrant.model.staging import Cue, Member
from umbrant.model.values import KeyType

ROOT = DEMO.parents[1]
PAGES = [ROOT / "README.md", *sorted((ROOT / "docs").glob("*.md"))]
MADE = ("nodes.md", "recipes.md", "findings.md", "keys.md")
WRITTEN = [page for page in PAGES if page.name not in MADE]
COMMAND = re.compile(r"^    (umbrant .+|umbrant)$|`(umbrant [^`]+)`", re.M)


def blocks(page: Path) -> Iterator[str]:
    """The indented blocks of a page, without their indentation."""
    for found in re.findall(
        r"(?:^    .*\n)(?:(?:    .*)?\n)*?(?=^\S|\Z)", page.read_text(), re.M
    ):
        yield re.sub(r"^    ", "", found, flags=re.M).strip("\n")


def commands() -> list[str]:
    """Every command line of the program in the documents, each once."""
    found = (
        one or other
        for page in WRITTEN
        for one, other in COMMAND.findall(page.read_text())
    )
    return sorted(
        {
            each
            for each in found
            if not each.startswith(("umbrant project", "umbrant rows"))
        }
    )


@pytest.fixture(scope="module")
def take(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("documents") / "demo.take"
    run = [
        sys.executable,
        "-m",
        "umbrant",
        "roll",
        DEMO,
        "--seconds",
        "12",
        "--out",
        path,
    ]
    assert (
        subprocess.run(run, capture_output=True, check=False).returncode == 0
    )
    return path


def run(command: str, monkeypatch: pytest.MonkeyPatch) -> int:
    monkeypatch.setattr(sys, "argv", shlex.split(command))
    with pytest.raises(SystemExit) as ended:
        main()
    return int(ended.value.code or 0)


def test_every_option_stands_in_the_readme() -> None:
    lines = (ROOT / "README.md").read_text().splitlines()
    group = get_command(app)
    assert isinstance(group, TyperGroup)
    context, missing = click.Context(group), []
    for name in group.list_commands(context):
        begins = f"    umbrant {name} "
        # What is no command opens the window.
        if name == "open":
            begins = "    umbrant [PROJECT] "
        written = " ".join(line for line in lines if line.startswith(begins))
        missing += [
            (name, option)
            for param in group.get_command(context, name).params
            for option in param.opts
            if option.startswith("--") and option not in written
        ]
    assert missing == []


@pytest.mark.parametrize("command", commands())
def test_every_command_line_runs_with_all_that_may_be_given(
    command: str, take: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What stands in capitals is put in; what stands in brackets is given, and
    then left out.
    """
    monkeypatch.delenv("QT_QPA_PLATFORM")
    monkeypatch.delenv("DISPLAY", raising=False)
    monkeypatch.delenv("WAYLAND_DISPLAY", raising=False)
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path))
    monkeypatch.chdir(ROOT)
    given = {
        "PROJECT": str(ROOT / "examples" / "first-steps"),
        "TAKE": str(take),
        "FILE": str(tmp_path / "t.take"),
        "SECONDS": "10",
        "ROW": "1.2",
        "csv|jsonl": "jsonl",
        "A": "odo",
        "S": "day",
        "N": "2",
        "T": "0.5",
        "ONE": str(ROOT / "examples" / "first-steps"),
        "OTHER": str(ROOT / "examples" / "first-steps"),
        "KEY=VALUE": "alarm=0.8",
        "EVENT": "thunder",
        "WHO": "visitor",
        "X,Y": "12,4",
        "RESULT": "failure",
        "TEXT": "'raise thunder'",
        "CONDITION": "'ran(1)'",
        "INPUT=LOW:HIGH": "alarm=0:1",
        "PLACE=VALUES": "guard/1.1.guard.within=7,8",
    }
    if re.fullmatch(r"umbrant (show|why|export|roll|review)", command):
        command += " --help"  # a command that is only named
    # Of two that exclude each other the first: a cluster has tests of its own.
    full = re.sub(r"[\[\]]", "", re.sub(r"\s\|\s[^\]]*", "", command))
    bare = re.sub(r"\s*\[[^\]]*\]", "", command)
    for line in {full, bare}:
        # Each study has a folder of its own.
        for word, value in {
            **given,
            "FOLDER": str(tmp_path / f"{len(line)}"),
        }.items():
            line = re.sub(rf"(?<=\s){re.escape(word)}(?=\s|$)", value, line)
        if (
            line == "umbrant"
            or line.startswith("umbrant open")
            or " examples/" in line
        ):
            line += " --headless"
        if line == "umbrant --headless":
            continue  # without a project there is nothing to play, and that is said
        assert run(line, monkeypatch) == 0, line


def test_a_node_of_ones_own_works_as_the_readme_has_it(tmp_path: Path) -> None:
    code = next(
        each
        for each in blocks(ROOT / "README.md")
        if "from umbrant.nodes" in each
    )
    folder = tmp_path / "demo"
    shutil.copytree(DEMO, folder)
    (folder / "nodes").mkdir()
    (folder / "nodes" / "hum.py").write_text(code)
    path = folder / "behaviors" / "warden.json"
    data = json.loads(path.read_text())
    top = data["rows"][0]["id"]
    data["rows"].insert(
        1,
        {
            "id": "hum",
            "under": top,
            "kind": "hum",
            "name": "Hum",
            "with": {"tune": "la la"},
        },
    )
    path.write_text(json.dumps(data))
    done = subprocess.run(
        [sys.executable, "-m", "umbrant", "roll", folder, "--seconds", "1", "--trust",
         "--out", tmp_path / "t.take"],
        capture_output=True,
        text=True,
        check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    shown = subprocess.run(
        [
            sys.executable,
            "-m",
            "umbrant",
            "export",
            tmp_path / "t.take",
            "--format",
            "jsonl",
        ],
        capture_output=True,
        text=True,
        check=True,
    )
    said = [json.loads(line) for line in shown.stdout.splitlines()]
    assert any(
        line["what"] == "said" and line["value"] == "la la" for line in said
    )


def test_a_game_writes_a_take_that_answers_alone(tmp_path: Path) -> None:
    subprocess.run(
        [
            sys.executable,
            ROOT / "examples" / "own-game" / "game.py",
            "--watch",
        ],
        cwd=tmp_path,
        capture_output=True,
        check=True,
    )
    done = subprocess.run(
        [
            sys.executable,
            "-m",
            "umbrant",
            "why",
            "cellar.take",
            "--agent",
            "rat",
            "--at",
            "3",
        ],
        cwd=tmp_path,
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 0, done.stderr
    assert "Rat" in done.stdout


def test_the_json_in_the_page_on_files_is_what_it_says() -> None:
    page = ROOT / "docs" / "files.md"
    found = [block for block in blocks(page) if block.startswith("{")]
    assert Row.model_validate(json.loads(found[0])).guard is not None
    key, member, cue = found[1].splitlines()
    Key.model_validate(json.loads(key))
    Member.model_validate(json.loads(member))
    Cue.model_validate(json.loads(cue))
    for value in re.findall(
        r'`(\{"(?:key|place|mean)"[^`]*\})`', page.read_text()
    ):
        row = {
            "id": "aa",
            "kind": "wait",
            "with": {"duration": json.loads(value)},
        }
        assert Row.model_validate(row).args["duration"] is not None


@pytest.mark.parametrize(
    "when",
    [
        *re.findall(
            r"^    (\S.*\(.*)$",
            (ROOT / "docs" / "conditions.md").read_text(),
            re.M,
        ),
        *re.findall(
            r"`(\w+\(visitor[^`]*\)[^`]*)`",
            (ROOT / "docs" / "conditions.md").read_text(),
        ),
    ],
)
def test_the_conditions_in_the_page_on_conditions_can_be_written(
    when: str,
) -> None:
    keys: dict[str, Any] = {
        **read_project(DEMO).keys_of(read_project(DEMO).behavior("warden")),
        "lamp_oil": Key.model_validate({"name": "lamp_oil", "type": "number"}),
    }
    assert list(faults(when, keys, BUILTIN, wants=None)) == []


def test_what_the_page_on_conditions_types_is_stored_as_it_says() -> None:
    page = (ROOT / "docs" / "conditions.md").read_text()
    rows = re.findall(r"^\| `(.+)` \| `(.+)` \|$", page, re.M)
    types = {
        "visitor": "agent",
        "last_seen": "point",
        "raining": "yes/no",
        "mood": "text",
    }
    keys = {
        name: Key(name=name, type=KeyType(types.get(name, "number")))
        for name in (*types, "alarm", "n")
    }
    assert len(rows) >= 6
    for typed_text, stored in rows:
        assert typed_condition(typed_text, keys, BUILTIN, {}) == (stored, [])
    assert all(f"`{word}`" in page for word in SMALL - {"noise"})


@pytest.mark.parametrize(
    ("text", "kind", "args"),
    [
        ("move visitor 1.5", "move_to", {"reach": 1.5}),
        ("wait 2 ± 0.5", "wait", {}),
        ("check distance(visitor) < 6", "check", {}),
        ("cooldown decorator 4", "cooldown", {"duration": 4.0}),
        ("look out upkeep visitor seen last_seen", "look_out", {}),
    ],
)
def test_what_the_guide_types_into_the_search_finds_it(
    text: str, kind: str, args: dict[str, object]
) -> None:
    assert f"`{text}`" in (ROOT / "docs" / "guide.md").read_text()
    project = open_project(DEMO)
    chosen = BUILTIN.kinds["sequence"]
    ranked, rest = typed(text, offers(BUILTIN, chosen, chosen))
    assert ranked[0].kind.id == kind
    made = filled(ranked[0].kind, rest, "", project, None)
    for name, value in args.items():
        assert made[name] == value


def test_every_key_that_the_documents_name_is_one(qapp: QApplication) -> None:
    known = {
        part
        for action in ACTIONS
        for each in sequences(action)
        for part in [each.toString()]
    }
    known |= {"Shift+Up", "Shift+Down"}  # they extend the selection of rows
    for page in WRITTEN:
        for keys in re.findall(
            r"\*\*((?:Ctrl|Alt|Shift)\+[^*]+|F\d+)\*\*", page.read_text()
        ):
            assert keys in known or keys.replace("Enter", "Return") in known, (
                page.name,
                keys,
            )


def test_the_nodes_as_json_hold_what_the_page_of_nodes_holds(
    capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(sys, "argv", ["umbrant", "nodes", "--json"])
    with suppress(SystemExit):
        main()
    page = (ROOT / "docs" / "nodes.md").read_text()
    for kind in json.loads(capsys.readouterr().out):
        assert kind["help"] in page
        assert " ".join(kind["example"].split()) in page
        assert {
            param["name"]: tuple(param["choices"]) for param in kind["params"]
        } == {
            param.name: param.choices
            for param in BUILTIN.kinds[kind["id"]].params
        }


def test_every_link_and_picture_is_there() -> None:
    for page in PAGES:
        for target in re.findall(r"\]\(([^)#:]+)\)", page.read_text()):
            assert (page.parent / target).exists(), (page.name, target)


def test_the_architecture_draws_the_imports_as_they_are_checked() -> None:
    contracts = tomllib.loads((ROOT / "pyproject.toml").read_text())["tool"][
        "importlinter"
    ]
    (layers,) = (
        each["layers"]
        for each in contracts["contracts"]
        if each["type"] == "layers"
    )
    checked = [
        set(layer.split(" : "))
        for layer in reversed(layers)
        if layer != "__main__"
    ]
    page = (ROOT / "docs" / "architecture.md").read_text()
    (drawn,) = re.findall(
        r"^    (model < .*(?:\n    <.*)*)$", page, re.MULTILINE
    )
    assert [
        set(re.findall(r"\w+", layer)) for layer in drawn.split("<")
    ] == checked
    folders = set(re.findall(r"^      (\w+)/ ", page, re.MULTILINE))
    packages = {
        each.parent.name
        for each in (ROOT / "src" / "umbrant").glob("*/__init__.py")
    }
    assert folders == packages - {"examples"}
