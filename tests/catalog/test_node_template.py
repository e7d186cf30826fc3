"""The file that a node of a project's own begins as."""

import keyword

import pytest

from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.templates.node_file import new_node_file
from umbrant.model.documents import Cover, Project
from umbrant.project_nodes import project_catalog


@pytest.mark.parametrize(
    ("title", "name"),
    [
        ("Ring the bell", "ring_the_bell"),
        ("3 Bells, {loud} \"and\" 'clear'!", "bells_loud_and_clear"),
        ("wait", "wait_2"),
        ("yield", "yield_2"),
        ("x" * 90, "x" * 40),
    ],
)
def test_it_declares_a_node_of_its_title_that_no_other_has(
    title: str, name: str
) -> None:
    file = new_node_file(title, BUILTIN.kinds, [])
    project = Project(cover=Cover(title="T", scenario="s"), nodes=(file,))
    declared = project_catalog(project)
    assert declared.problems == ()
    (own,) = [kind for kind in declared.catalog.kinds.values() if kind.own]
    assert own.id == name
    assert own.id.isidentifier()
    assert not keyword.iskeyword(own.id)
    compile(file.text, file.name, "exec")


def test_files_of_the_same_name_stay_apart() -> None:
    assert new_node_file("bell", [], ["bell.py"]).name == "bell_2.py"


@pytest.mark.parametrize("title", ["", "123", "…!", "鐘"])
def test_a_title_without_letters_is_refused(title: str) -> None:
    with pytest.raises(ValueError, match="no letter from a to z"):
        new_node_file(title, [], [])
