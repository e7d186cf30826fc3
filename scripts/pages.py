"""Write the pages of docs/ that say what the program itself knows: nodes,
recipes, findings, keys, fields.

`.venv/bin/python scripts/pages.py`; a test says when they are out of date.
"""

import ast
import inspect
import json
import os
import re
import sys
import textwrap
from collections.abc import Iterator
from enum import StrEnum
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtGui import QGuiApplication

import umbrant.review  # noqa: F401  (declares the rules)
from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.kind import Family
from umbrant.catalog.pages import kind_page
from umbrant.catalog.recipes.builtin import RECIPES
from umbrant.desk.commands.registry import ACTIONS, MENUS, sequences
from umbrant.desk.views.help.recipe_page import recipe_page
from umbrant.model.behaviors import (
    Behavior,
    Blackboard,
    Decorator,
    Event,
    EventList,
    Guard,
    Key,
    Override,
    Row,
    Upkeep,
)
from umbrant.model.documents import Cover, Dismissal
from umbrant.model.staging import (
    Area,
    Body,
    Cue,
    DropProp,
    HoldResult,
    Member,
    MoveTo,
    Place,
    Prop,
    Push,
    RaiseEvent,
    Scenario,
    SetKey,
    SetNumber,
    Stage,
    Stat,
    TakeAway,
    WalkPoint,
)
from umbrant.model.values import Curve, Document, KeyRef, PlaceRef, Spread
from umbrant.review.findings import Subject
from umbrant.review.rules import all_rules

DOCS = Path(__file__).parents[1] / "docs"


def pages() -> dict[str, str]:
    """Each page's text, by its file's name."""
    return {
        "nodes.md": _nodes(),
        "recipes.md": _recipes(),
        "findings.md": _findings(),
        "keys.md": _keys(),
        "fields.md": _fields(),
    }


def main() -> None:
    """Write the pages. The keys that a desktop has for an action are known
    only to an application.
    """
    application = QGuiApplication([])
    for name, text in pages().items():
        (DOCS / name).write_text(text)
    application.quit()


def _nodes() -> str:
    lines = [
        "# Nodes",
        "",
        "Every kind of node that comes with the program. `umbrant nodes` lists them; "
        "`umbrant nodes --json` prints all that stands here.",
        "",
    ]
    for family in Family:
        kinds = BUILTIN.family(family)
        if kinds:
            lines.extend([f"## {str(family).capitalize()}", ""])
            for kind in kinds:
                lines.append(kind_page(kind))
    return "\n".join(lines).rstrip() + "\n"


def _recipes() -> str:
    lines = [
        "# Recipes",
        "",
        "Rows that belong together under a word. Type a word of one where a row is added "
        "(**Enter**), and it is put in with the keys that it needs; its blanks then open one after "
        "the other.",
        "",
    ]
    for recipe in RECIPES:
        lines.append(recipe_page(recipe))
    return "\n".join(lines).rstrip() + "\n"


def _findings() -> str:
    lines = [
        "# Findings",
        "",
        "What the review tells of, in the window and with `umbrant review`.",
        "",
    ]
    said = {
        Subject.BEHAVIOR: "in a behavior",
        Subject.PROJECT: "in the project",
        Subject.TAKE: "in a take",
    }
    for rule in all_rules().values():
        lines.extend(
            [
                f"## {rule.title}",
                "",
                f"`{rule.id}` · {rule.severity} · {said[rule.subject]}",
                "",
                rule.about,
                "",
                rule.why,
                "",
            ]
        )
    return "\n".join(lines).rstrip() + "\n"


def _keys() -> str:
    lines = [
        "# Keys",
        "",
        "Every action of the window. **Ctrl+K** finds an action by typing.",
        "",
    ]
    for menu in MENUS:
        lines.extend(
            [
                f"## {menu}",
                "",
                "| action | keys | what it does |",
                "| --- | --- | --- |",
            ]
        )
        for action in ACTIONS:
            if action.menu == menu:
                keys = (
                    ", ".join(
                        f"`{each.toString()}`" for each in sequences(action)
                    )
                    or "–"
                )
                lines.append(
                    f"| {action.title.rstrip('…')} | {keys} | {action.help} |"
                )
        lines.append("")
    return "\n".join(lines).rstrip() + "\n"


FILES: dict[str, tuple[type[Document], ...]] = {
    "`project.json`": (Cover, Dismissal),
    "`behaviors/NAME.json`": (
        Behavior,
        Row,
        Guard,
        Decorator,
        Upkeep,
        Override,
    ),
    "`blackboards/NAME.json`": (Blackboard, Key),
    "`events.json`": (EventList, Event),
    "`stages/NAME.json`": (Stage, Area, Place, Prop),
    "`scenarios/NAME.json`": (
        Scenario,
        Member,
        Body,
        Stat,
        WalkPoint,
        Push,
        Cue,
    ),
    "What a cue does": (
        RaiseEvent,
        SetKey,
        MoveTo,
        DropProp,
        TakeAway,
        SetNumber,
        HoldResult,
    ),
    "Values": (KeyRef, PlaceRef, Spread, Curve),
}
WORDS = {
    "FiniteNumber": "number",
    "float": "number",
    "int": "whole number",
    "str": "text",
    "bool": "yes or no",
    "RowId": "id of a row",
    "Slug": "name of a document",
    "KeyName": "name of a key",
    "DottedName": "name of an event",
    "Value": "yes or no, number, text or point",
    "ParamValue": "value",
    "Point": "point [x, y]",
}


def _fields() -> str:
    lines = [
        "# Fields",
        "",
        "Every field of every file. A field without a default is needed.",
        "",
    ]
    for title, documents in FILES.items():
        lines.extend([f"## {title}", ""])
        for document in documents:
            lines.extend(_document_fields(document))
    return "\n".join(lines).rstrip() + "\n"


def _document_fields(document: type[Document]) -> Iterator[str]:
    about = " ".join((document.__doc__ or "").split())
    yield from (f"### {document.__name__}", "", about, "")
    yield from ("| field | type | default | |", "| --- | --- | --- | --- |")
    types, explained = _annotations(document)
    for name, info in document.model_fields.items():
        if info.exclude or name == "schema_uri":
            continue
        default = (
            ""
            if info.is_required()
            else _default_text(info.get_default(call_default_factory=True))
        )
        row = (
            f"`{info.alias or name}`",
            types[name],
            default,
            explained.get(name, ""),
        )
        yield f"| {' | '.join(row)} |"
    yield ""


def _annotations(
    document: type[Document],
) -> tuple[dict[str, str], dict[str, str]]:
    """The type of each field in words, and the docstring below it."""
    source = ast.parse(textwrap.dedent(inspect.getsource(document))).body[0]
    assert isinstance(source, ast.ClassDef)
    types: dict[str, str] = {}
    explained: dict[str, str] = {}
    last = ""
    for each in source.body:
        if isinstance(each, ast.AnnAssign) and isinstance(
            each.target, ast.Name
        ):
            last = each.target.id
            types[last] = _type_text(ast.unparse(each.annotation), document)
        elif (
            isinstance(each, ast.Expr)
            and isinstance(each.value, ast.Constant)
            and last
        ):
            explained[last] = " ".join(str(each.value.value).split())
    return types, explained


def _type_text(written: str, document: type[Document]) -> str:
    """An annotation in words; of an enumeration its values."""
    enumeration = getattr(
        sys.modules[document.__module__], written.split(" | ")[0], None
    )
    if isinstance(enumeration, type) and issubclass(enumeration, StrEnum):
        return " or ".join(f"`{each.value}`" for each in enumeration)
    text = re.sub(
        r"tuple\[(.+), \.\.\.\]", r"list of \1", written.replace(" | None", "")
    )
    text = re.sub(r"dict\[(\w+), (\w+)\]", r"\2 by \1", text).replace(
        " | ", " or "
    )
    return re.sub(r"\w+", lambda word: WORDS.get(word[0], word[0]), text)


def _default_text(value: object) -> str:
    if value is None or value == () or value == {}:
        return "none"
    if isinstance(value, Document):
        return "its own defaults"
    return f"`{json.dumps(value)}`"


if __name__ == "__main__":
    main()
