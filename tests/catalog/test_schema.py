"""The JSON Schema: the demo's files follow it, and broken ones do not."""

import json
import shutil
from pathlib import Path
from typing import Any

import pytest
from jsonschema import Draft202012Validator

from tests.conftest import DEMO
from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.schema import project_schema
from umbrant.cli.schema import ALSO
from umbrant.model.folder import read_project, save_project
from umbrant.model.problems import ProjectError
from umbrant.project_nodes import project_catalog

SCHEMA = project_schema(BUILTIN, ALSO)


def validator(kind: str) -> Draft202012Validator:
    return Draft202012Validator(
        {
            "$schema": SCHEMA["$schema"],
            "$defs": SCHEMA["$defs"],
            "$ref": f"#/$defs/{kind}",
        }
    )


def test_it_is_a_schema_of_the_2020_12_draft() -> None:
    Draft202012Validator.check_schema(SCHEMA)


@pytest.mark.parametrize(
    "path", sorted(DEMO.rglob("*.json")), ids=lambda path: path.name
)
def test_the_demos_files_follow_it(path: Path) -> None:
    names = {
        "behaviors": "Behavior",
        "blackboards": "Blackboard",
        "stages": "Stage",
        "scenarios": "Scenario",
        "expectations": "Expectation",
    }
    kind = names.get(
        path.parent.name, {"events.json": "EventList"}.get(path.name, "Cover")
    )
    assert (
        list(validator(kind).iter_errors(json.loads(path.read_text()))) == []
    )


EVERY_FILE = sorted(DEMO.parent.rglob("*.json"))


@pytest.mark.parametrize(
    "path", EVERY_FILE, ids=lambda path: str(path.relative_to(DEMO.parent))
)
def test_the_schema_of_a_project_fits_each_of_its_files(path: Path) -> None:
    folder = (
        path.parent
        if path.name in ("project.json", "events.json")
        else path.parents[1]
    )
    schema = project_schema(
        project_catalog(read_project(folder)).catalog, ALSO
    )
    data = json.loads(path.read_text())
    validator = Draft202012Validator(schema)
    assert list(validator.iter_errors(data)) == []
    assert (
        list(validator.iter_errors({**data, "$schema": "umbrant.json"})) == []
    )
    assert list(validator.iter_errors({**data, "garbage": 1}))


def test_what_is_no_file_of_a_project_does_not_follow_it() -> None:
    for garbage in ({"garbage": 1}, [], 3, {"title": 1}):
        assert list(Draft202012Validator(SCHEMA).iter_errors(garbage)), garbage


def test_files_may_name_their_schema_and_keep_it(tmp_path: Path) -> None:
    folder = tmp_path / "demo"
    shutil.copytree(DEMO, folder)
    for path in folder.rglob("*.json"):
        text = path.read_text()
        path.write_text(
            '{\n  "$schema": "../umbrant.json",' + text.removeprefix("{")
        )
    before = {
        path: json.loads(path.read_text()) for path in folder.rglob("*.json")
    }
    save_project(read_project(folder), folder)
    assert {
        path: json.loads(path.read_text()) for path in folder.rglob("*.json")
    } == before


def test_files_of_the_format_before_are_read_and_saved_in_the_present_one(
    tmp_path: Path,
) -> None:
    folder = tmp_path / "demo"
    shutil.copytree(DEMO, folder)
    new = read_project(DEMO)
    words = [
        ('"umbrant project 2"', '"umbrant project 1"'),
        ('"mean"', '"mid"'),
        ('"half_width"', '"give"'),
        ('"throughout"', '"both"'),
    ]
    for path in folder.rglob("*.json"):
        text = path.read_text()
        for now, before in words:
            text = text.replace(now, before)
        path.write_text(text)
    old = read_project(folder)
    assert old == new
    save_project(old, folder)
    for path in folder.rglob("*.json"):
        assert (
            path.read_text() == (DEMO / path.relative_to(folder)).read_text()
        )


def test_a_format_of_a_later_version_is_refused_with_the_way_out(
    tmp_path: Path,
) -> None:
    folder = tmp_path / "demo"
    shutil.copytree(DEMO, folder)
    cover = folder / "project.json"
    cover.write_text(
        cover.read_text().replace("umbrant project 2", "umbrant project 3")
    )
    with pytest.raises(ProjectError, match=r"`format`.*take a newer one"):
        read_project(folder)


@pytest.mark.parametrize(
    ("file", "field", "says"),
    [
        (
            "blackboards/quay.json",
            "keys",
            "Its fields: name, type, unit, low, high, default",
        ),
        (
            "scenarios/dusk.json",
            "cast",
            "Its fields: name, title, behavior, group, copies",
        ),
        ("scenarios/dusk.json", "cues", "Its fields: at_s, when, does"),
    ],
)
def test_a_wrong_field_is_answered_with_those_that_there_are(
    tmp_path: Path, file: str, field: str, says: str
) -> None:
    folder = tmp_path / "demo"
    shutil.copytree(DEMO, folder)
    data = json.loads((folder / file).read_text())
    data[field][0]["colour"] = "red"
    (folder / file).write_text(json.dumps(data))
    with pytest.raises(ProjectError, match=says):
        read_project(folder)


@pytest.mark.parametrize(
    "row",
    [
        {"id": "aa", "kind": "mvoe_to"},
        {"id": "aa", "kind": "move_to", "with": {"reach": -1}},
        {"id": "aa", "kind": "move_to", "with": {"speed": 1}},
        {"id": "aa", "kind": "wait", "with": {"duration": {"mean": 1}}},
        {
            "id": "aa",
            "kind": "wait",
            "guard": {"when": "x", "watch": "sometimes"},
        },
        {"id": "a", "kind": "wait"},
    ],
)
def test_broken_rows_do_not(row: dict[str, Any]) -> None:
    behavior = {"title": "B", "blackboard": "k", "rows": [row]}
    assert list(validator("Behavior").iter_errors(behavior))
