"""The names in the code are those of the trade: one name for one thing, and no
private words.
"""

import ast
import io
import re
import tokenize
from collections import defaultdict
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).parents[1]
SOURCES = sorted((ROOT / "src").rglob("*.py"))
EVERY_SOURCE = [
    path
    for folder in ("src", "tests", "benchmarks", "scripts")
    for path in sorted((ROOT / folder).rglob("*.py"))
]
FORBIDDEN = frozenset(
    [
        "told",
        "whole",
        "fared",
        "asked",
        "minds",
        "gathered",
        "headway",
        "beside",
        "stray",
        "outwards",
        "ears",
        "chore",
        "pulse",
        "deed",
        "deeds",
        "hub",
        "whereabouts",
        "hearken",
        "thereof",
        "sundry",
    ]
)
"""Words that say nothing of what a thing is, or that the trade has another one
for.
"""
FORBIDDEN_NAMES = frozenset({"gave_out", "head_for", "way_to"})


def parts(name: str) -> list[str]:
    """The words of a name in either style."""
    return re.findall(r"[A-Z]?[a-z]+|[A-Z]+(?![a-z])", name)


def names(source: str) -> Iterator[tuple[int, str]]:
    """Every name in a source, with its line."""
    for token in tokenize.generate_tokens(io.StringIO(source).readline):
        if token.type == tokenize.NAME:
            yield token.start[0], token.string


def private_words(source: str) -> list[tuple[int, str]]:
    """The names in a source that may no longer be one. The name of a test is a
    sentence.
    """
    return [
        (line, name)
        for line, name in names(source)
        if not name.startswith("test_")
        and (
            name in FORBIDDEN_NAMES
            or FORBIDDEN & {part.lower() for part in parts(name)}
        )
    ]


def public_definitions(source: str) -> Iterator[str]:
    """The classes and the aliases in CamelCase that a module defines."""
    for node in ast.parse(source).body:
        if isinstance(node, ast.ClassDef):
            yield node.name
        elif isinstance(node, ast.Assign):
            yield from (
                target.id
                for target in node.targets
                if isinstance(target, ast.Name)
                and re.match(r"[A-Z]\w*[a-z]", target.id)
            )


def test_no_name_is_of_a_word_that_says_nothing() -> None:
    found = {
        str(path.relative_to(ROOT)): words
        for path in EVERY_SOURCE
        if (words := private_words(path.read_text()))
    }
    assert found == {}


def test_the_check_of_words_finds_them() -> None:
    source = "def told(): ...\nclass WholeBehavior: ...\nx.gave_out\nuntold = wholesale = 1\n"
    assert [name for _, name in private_words(source)] == [
        "told",
        "WholeBehavior",
        "gave_out",
    ]


def test_one_public_name_stands_for_one_thing() -> None:
    places: defaultdict[str, list[str]] = defaultdict(list)
    for path in SOURCES:
        for name in public_definitions(path.read_text()):
            if not name.startswith("_"):
                places[name].append(str(path.relative_to(ROOT)))
    assert {
        name: where for name, where in places.items() if len(where) > 1
    } == {}


def test_no_line_of_the_source_is_longer_than_a_hundred_columns() -> None:
    long = [
        f"{path.relative_to(ROOT)}:{number}"
        for path in SOURCES
        for number, line in enumerate(path.read_text().splitlines(), 1)
        if len(line) > 100
    ]
    assert long == []


def test_no_folder_holds_more_than_twenty_modules() -> None:
    folders = {path.parent for path in SOURCES}
    crowded = [
        str(each) for each in folders if len(list(each.glob("*.py"))) > 20
    ]
    assert crowded == []
