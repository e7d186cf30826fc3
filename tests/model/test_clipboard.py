"""Rows as text, and what is done with several rows at once."""

import pytest

from tests.small import project, row
from umbrant.model.behaviors import Behavior
from umbrant.model.clipboard import (
    NoRowsError,
    extract_rows,
    paste_rows,
    rows_from,
    rows_text,
    wrap_rows,
)
from umbrant.model.documents import Project

TREE = project(
    row("top", "selector"),
    row("aa", "sequence", "top", guard="n > 1"),
    row("a1", "wait", "aa", duration=1.0),
    row("a2", "wait", "aa", duration=2.0),
    row("bb", "machine", "top"),
    row("s1", "state", "bb"),
    row("t1", "after", "s1", time=1.0, to="s2"),
    row("s2", "state", "bb"),
)


def shape(made: Project, name: str = "b") -> list[str]:
    """The rows of a behavior by depth and name."""
    behavior = made.behavior(name)
    return [
        f"{'.' * behavior.outline.depth[row_id]}{behavior.row(row_id).name}"
        for row_id in behavior.outline.number
    ]


def test_copied_rows_come_back_as_they_were_with_ids_of_their_own() -> None:
    rows = rows_from(rows_text(TREE, "b", ["aa", "bb"]))
    made, new = paste_rows(TREE, "b", rows, after="bb", under="top")
    assert shape(made)[8:] == [
        ".aa",
        "..a1",
        "..a2",
        ".bb",
        "..s1",
        "...t1",
        "..s2",
    ]
    assert len({each.id for each in made.behavior("b").rows}) == 15
    assert [made.behavior("b").row(each).name for each in new] == ["aa", "bb"]
    machine = made.behavior("b").outline.children[new[1]]
    (transition,) = made.behavior("b").outline.children[machine[0]]
    assert made.behavior("b").row(transition).args["to"] == machine[1], (
        "copies name each other, not the originals"
    )


def test_rows_are_pasted_into_another_project_first_under_a_row() -> None:
    other = project(row("top", "sequence"), row("w1", "wait", "top"))
    made, _ = paste_rows(
        other,
        "b",
        rows_from(rows_text(TREE, "b", ["aa"])),
        after=None,
        under="top",
    )
    assert shape(made) == ["top", ".aa", "..a1", "..a2", ".w1"]


@pytest.mark.parametrize(
    "text",
    [
        "",
        "hello",
        "[]",
        '{"rows": 3}',
        '{"rows": []}',
        '{"rows": [{"id": "x"}]}',
        '{"rows": [{"id": "aa", "kind": "wait", "under": "aa"}]}',
    ],
)
def test_a_text_without_rows_is_refused(text: str) -> None:
    with pytest.raises(NoRowsError):
        rows_from(text)


def test_rows_are_wrapped_in_one() -> None:
    made, around = wrap_rows(TREE, "b", ["a1", "a2"], "parallel", "Both")
    assert shape(made) == [
        "top",
        ".aa",
        "..Both",
        "...a1",
        "...a2",
        ".bb",
        "..s1",
        "...t1",
        "..s2",
    ]
    assert made.behavior("b").row(around).kind == "parallel"


def test_rows_become_a_behavior_that_is_used_in_their_place() -> None:
    made, use = extract_rows(TREE, "b", ["aa"], "part", "Part")
    assert shape(made) == ["top", ".Part", ".bb", "..s1", "...t1", "..s2"]
    assert shape(made, "part") == ["aa", ".a1", ".a2"]
    assert made.behavior("b").row(use).args == {"behavior": "part"}
    made, _ = extract_rows(TREE, "b", ["a1", "a2"], "part", "Part")
    assert shape(made, "part") == ["Part", ".a1", ".a2"]
    assert [each.name for each in made.behaviors] == ["b", "part"]


def test_rows_of_a_used_behavior_are_changed_where_they_are_written() -> None:
    inner = Behavior(
        name="c",
        title="C",
        blackboard="k",
        rows=(row("in", "sequence"), row("i1", "wait", "in")),
    )
    expanded = project(
        row("top", "selector"),
        row("use1", "use_behavior", "top", behavior="c"),
        behaviors=(inner,),
    )
    made, new = paste_rows(
        expanded,
        "b",
        rows_from(rows_text(TREE, "b", ["a1"])),
        after="use1/i1",
        under="use1/in",
    )
    assert shape(made, "c") == ["in", ".i1", ".a1"]
    assert new[0].startswith("use1/")
    made, around = wrap_rows(expanded, "b", ["use1/i1"], "selector", "Try")
    assert shape(made, "c") == ["in", ".Try", "..i1"]
    assert around.startswith("use1/")
