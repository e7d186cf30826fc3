"""The JSON Schema: the demo's files follow it, and broken ones do not."""

import json
from pathlib import Path
from typing import Any

import pytest
from jsonschema import Draft202012Validator

from tests.conftest import DEMO
from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.schema import project_schema

SCHEMA = project_schema(BUILTIN)


def validator(kind: str) -> Draft202012Validator:
    return Draft202012Validator(
        {"$schema": SCHEMA["$schema"], "$defs": SCHEMA["$defs"], "$ref": f"#/$defs/{kind}"}
    )


def test_it_is_a_schema_of_the_2020_12_draft() -> None:
    Draft202012Validator.check_schema(SCHEMA)


@pytest.mark.parametrize("path", sorted(DEMO.rglob("*.json")), ids=lambda path: path.name)
def test_the_demos_files_follow_it(path: Path) -> None:
    names = {
        "behaviors": "Behavior",
        "blackboards": "Blackboard",
        "stages": "Stage",
        "scenarios": "Scenario",
    }
    kind = names.get(path.parent.name, {"events.json": "EventList"}.get(path.name, "Cover"))
    assert list(validator(kind).iter_errors(json.loads(path.read_text()))) == []


@pytest.mark.parametrize(
    "row",
    [
        {"id": "aa", "kind": "mvoe_to"},
        {"id": "aa", "kind": "move_to", "with": {"reach": -1}},
        {"id": "aa", "kind": "move_to", "with": {"speed": 1}},
        {"id": "aa", "kind": "wait", "with": {"duration": {"mid": 1}}},
        {"id": "aa", "kind": "wait", "guard": {"when": "x", "watch": "sometimes"}},
        {"id": "a", "kind": "wait"},
    ],
)
def test_broken_rows_do_not(row: dict[str, Any]) -> None:
    behavior = {"title": "B", "blackboard": "k", "rows": [row]}
    assert list(validator("Behavior").iter_errors(behavior))
